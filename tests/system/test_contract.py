"""Every system answers what the contract asks, as far as that can be tried on this one."""

import errno
import os
import plistlib
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from saltcart import errors
from saltcart.cart import Cart
from saltcart.system import contract, linux, macos, windows, windows_os, windows_paths

SYSTEMS = (linux, macos, windows)
# What the system's own tool says of a disk, as it says it (diskutil(8)); the values are made up.
DISK = {
    "DeviceIdentifier": "disk3s2",
    "ParentWholeDisk": "disk3",
    "SolidState": False,
    "SMARTStatus": "Verified",
    "VolumeUUID": "5A17CA27-0000-4000-8000-00000000BEEF",
}


class Contract(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.top = Path(folder.name).resolve()

    def test_each_has_every_call(self):
        wanted = {name for name in vars(contract.System) if not name.startswith("_")}
        for system in SYSTEMS:
            self.assertEqual({name for name in wanted if not hasattr(system, name)}, set(), system.__name__)

    def test_an_open_folder_makes_replaces_and_removes(self):
        for system in SYSTEMS:
            with self.subTest(system.__name__):
                top = self.top / system.__name__
                top.mkdir()
                folder = system.open_folder(str(top))
                folder.mkdir("in", 0o700)
                inner = folder.child("in", links=False)
                for name, text in (("new", b"new"), ("old", b"old")):
                    handle = inner.open(name, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
                    os.write(handle, text)
                    system.flush_handle(handle)
                    os.close(handle)
                inner.replace("new", "old")
                inner.flush()
                self.assertEqual((top / "in" / "old").read_bytes(), b"new")
                self.assertEqual(inner.stat("old").st_size, 3)
                self.assertEqual(folder.mount_number(), inner.mount_number())
                with self.assertRaises(OSError):
                    folder.rmdir("in")
                inner.unlink("old")
                inner.close()
                folder.rmdir("in")
                folder.close()
                self.assertEqual(os.listdir(top), [])

    def test_a_link_is_no_folder_where_none_may_be(self):
        (self.top / "real").mkdir()
        (self.top / "link").symlink_to("real")
        for system in SYSTEMS:
            with self.subTest(system.__name__):
                system.open_folder(str(self.top / "link")).close()
                for call in (
                    lambda system=system: system.open_folder(str(self.top / "link"), links=False),
                    lambda system=system: system.open_folder(str(self.top)).child("link", links=False),
                    lambda system=system: system.open_folder(str(self.top / "none")),
                ):
                    with self.assertRaises(OSError):
                        call()

    def test_what_a_file_takes_and_what_is_free(self):
        path = self.top / "f"
        path.write_bytes(bytes(5000))
        for system in SYSTEMS:
            with self.subTest(system.__name__):
                self.assertGreaterEqual(system.disk_bytes(path.stat()), 5000)
                room = system.room(str(self.top))
                self.assertTrue(room.total >= room.free >= room.free_here > 0 and room.unit > 0)
                system.flush_file(str(path))
                with open(path, "rb") as stream:
                    buffer = bytearray(100)
                    self.assertEqual(system.read_into(stream.fileno(), memoryview(buffer), 4950), 50)
                    self.assertEqual(sum(e - s for s, e in system.stretches(stream.fileno(), 5000) if e), 5000)

    def test_windows_flushes_what_is_marked_as_read_only_and_leaves_the_mark(self):
        path = self.top / "copy.wav"
        path.write_bytes(b"sound")
        path.chmod(0o444)
        real, flushed = windows_os.open, []

        def strict(place, flags, mode=0o777):  # as Windows does, and root here does not
            if not os.stat(place).st_mode & 0o200:
                raise PermissionError(errno.EACCES, "read-only", place)
            return real(place, flags, mode)

        with mock.patch.object(windows_os, "open", strict), mock.patch.object(os, "fsync", flushed.append):
            windows.flush_file(str(path))
        self.assertEqual((len(flushed), path.stat().st_mode & 0o777), (1, 0o444))

    def test_a_configuration_is_private_on_windows_only_in_the_home_folder(self):
        with mock.patch.object(windows_paths, "expanduser", return_value="C:/Users/Ann"):
            for path, private in (
                ("C:/Users/Ann/cart.toml", True),
                ("c:/users/ann/Music/cart.toml", True),
                ("C:/Users/Public/cart.toml", False),
                ("C:/Users/Anne/cart.toml", False),
                ("D:/cart.toml", False),
            ):
                with mock.patch.object(windows_paths, "realpath", windows_paths.slashed):
                    self.assertEqual(windows.is_private(path), private, path)

    def test_a_disk_as_its_property_list_tells_it(self):
        cases = [
            ({}, contract.Facts("disk3", True)),
            ({"SolidState": True}, contract.Facts("disk3", False)),
            ({"SMARTStatus": "Failing"}, contract.Facts("disk3", True, health="the disk says of itself: Failing")),
        ]
        for more, wanted in cases:
            told = mock.Mock(stdout=plistlib.dumps(DISK | more))
            macos.told_of.cache_clear()
            with self.subTest(more), mock.patch.object(macos.subprocess, "run", return_value=told):
                self.assertEqual(macos.hardware("/dev/disk3s2", "apfs"), wanted)
                self.assertEqual(macos.identity("/dev/disk3s2", "/Volumes/Lighter", 0), f"uuid:{DISK['VolumeUUID']}")
        macos.told_of.cache_clear()
        for broken in (mock.Mock(stdout=b"<plist>"), OSError(errno.ENOENT, "none")):
            with mock.patch.object(macos.subprocess, "run", side_effect=[broken, broken]):
                self.assertEqual(macos.hardware("/dev/disk9", "apfs"), contract.UNKNOWN)
                self.assertEqual(macos.identity("/dev/disk9", "/Volumes/X", 0), "device:/dev/disk9")
            macos.told_of.cache_clear()
        self.assertTrue(macos.hardware("//harbour/store", "smbfs").network)


class InsideWindows(unittest.TestCase):
    def test_its_drives_are_known_by_their_letters(self):
        table = "".join(
            f"{number} 1 0:{number} / {place} rw - {kind} {source} rw\n"
            for number, (place, kind, source) in enumerate(
                [
                    ("/", "ext4", "/dev/sdc"),
                    ("/mnt/c", "9p", "C:\\134"),
                    ("/mnt/d", "drvfs", "D:"),
                    ("/mnt/x", "ext4", "x"),
                ]
            )
        )
        with mock.patch.object(linux, "mount_table", return_value=table):
            self.assertEqual(list(linux.letters()), [], "a share of any other machine")
            inside = mock.patch.object(linux, "inside_windows", return_value=True)
            inside.start()
            self.addCleanup(inside.stop)
            self.assertEqual(list(linux.letters()), ["C:=/mnt/c", "D:=/mnt/d"])
            self.assertIn("D:=/mnt/d", Cart().meanings())

    def test_paths_are_quoted_for_its_shells(self):
        with mock.patch.object(errors, "here", windows):
            for path, wanted in (
                ("D:/Sounds", "D:/Sounds"),
                ("D:/Bell Tones", '"D:/Bell Tones"'),
                ("D:/it's", '"D:/it\'s"'),
                ("D:/$home", "'D:/$home'"),
                ("-x", "./-x"),
            ):
                self.assertEqual(errors.typed(path), wanted)


class WindowsPaths(unittest.TestCase):
    def test_there_is_a_slash_between_all_names(self):
        paths = windows_paths
        for found, wanted in (
            (paths.join("D:/Sounds", "Bells"), "D:/Sounds/Bells"),
            (paths.join("d:\\Sounds\\", "a", "b"), "D:/Sounds/a/b"),
            (paths.normpath("D:\\a\\..\\b/"), "D:/b"),
            (paths.dirname("D:/a"), "D:/"),
            (paths.dirname("D:/"), "D:/"),
            (paths.dirname(b"D:\\a\\b"), b"D:/a"),
            (paths.relpath("D:\\a\\x", "D:/a/b"), "../x"),
            (paths.commonpath(["D:\\a\\x", "D:/a/y"]), "D:/a"),
            (paths.slashed("\\\\?\\D:\\a"), "D:/a"),
            (paths.basename("D:\\a\\b"), "b"),
        ):
            self.assertEqual(found, wanted)

    def test_what_is_a_full_path(self):
        for path, full in (
            ("D:/a", True),
            ("D:\\a", True),
            ("//harbour/store", True),
            ("D:a", False),
            ("/a", False),
            ("a", False),
            ("", False),
        ):
            self.assertEqual(windows_paths.isabs(path), full, path)

    def test_texts_whose_bytes_are_no_utf8_come_back(self):
        for raw in (b"caf\xe9", b"\xff\x80", "é".encode()):
            self.assertEqual(windows_os.fsencode(windows_os.fsdecode(raw)), raw)
        self.assertEqual(windows_os.fsencode("\ud800"), b"\xed\xa0\x80")


if __name__ == "__main__":
    unittest.main()
