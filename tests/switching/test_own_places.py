"""Only its own: what is written, moved or removed lies in the shelves and ledgers of the waybill, whatever is mounted,
linked or plugged in there meanwhile.
"""

import os
import shutil
import subprocess
from pathlib import Path
from unittest import mock

from saltcart.drives import drive as drives
from saltcart.errors import Refused
from saltcart.shelves.removal import OtherMount, Removal
from saltcart.system import linux
from tests.switching.crashing import pull
from tests.world import ROOT, WorldCase, tree, wav


class OwnPlaces(WorldCase):
    def setUp(self):
        super().setUp()
        for number in range(3):
            wav(self.shelf / "low" / f"{number}.wav", number)
        self.waybill = str(self.top / "w.toml")
        self.draft_words = (
            "draft",
            str(self.shelf),
            "--to",
            str(self.lighter / "Sounds"),
            "-o",
            self.waybill,
            "--force",
        )

    def bind(self, source, place):
        """Mount a folder once more at another place, which no device number tells."""
        if not ROOT or subprocess.run(["mount", "--bind", str(source), str(place)], capture_output=True).returncode:
            self.skipTest("nothing can be mounted here")
        self.addCleanup(subprocess.run, ["umount", "-l", str(place)], capture_output=True)

    def test_what_is_mounted_in_a_shelf_is_never_entered(self):
        outside = self.top / "outside"
        wav(outside / "0.wav", 7)
        kept, place = tree(outside), self.shelf / "low"
        refused = "is the top of another drive, or of a folder mounted there"
        self.bind(outside, place)
        self.assertIn(refused, self.run_program(*self.draft_words, status=3).stderr)
        self.run_program(*self.draft_words, "--exclude", "low")
        subprocess.run(["umount", str(place)], check=True)
        self.run_program(*self.draft_words)
        self.bind(outside, place)
        self.assertIn(refused, self.run_program("haul", self.waybill, status=3).stderr)
        subprocess.run(["umount", str(place)], check=True)
        trip = self.run_json("haul", self.waybill)["trip"]
        self.bind(outside, place)
        self.assertIn(refused, self.run_program("repoint", "--yes", status=3).stderr)
        subprocess.run(["umount", str(place)], check=True)
        self.run_program("repoint", "--yes")
        aside = self.shelf.with_name(f".Bell Tones.set-aside-{trip}")
        self.bind(outside, aside / "low")
        self.assertIn("nothing was removed", self.run_program("release", "--yes", "--own", status=3).stderr)
        with Removal(str(aside)) as removal, self.assertRaises(OtherMount):
            removal.unlink("low/0.wav", lambda _state: True)
        self.assertEqual(tree(outside), kept)
        subprocess.run(["umount", str(aside / "low")], check=True)
        self.run_program("release", "--yes", "--own")
        self.assertFalse(aside.exists())

    def test_removing_follows_no_link(self):
        outside = self.top / "outside"
        wav(outside / "0.wav", 7)
        with Removal(str(self.shelf)) as removal:
            shutil.rmtree(self.shelf / "low")
            (self.shelf / "low").symlink_to(outside)
            self.assertIsNone(removal.unlink("low/0.wav", lambda _state: True))
            self.assertFalse(removal.rmdir("low"))
        self.assertTrue((outside / "0.wav").exists())

    def test_a_shelf_that_became_a_link_or_was_emptied(self):
        self.run_program(*self.draft_words)
        moved = self.shelf.rename(self.shelf.with_name("elsewhere"))
        self.shelf.symlink_to(moved)
        self.assertIn("leads through a link", self.run_program("haul", self.waybill, status=3).stderr)
        self.shelf.unlink()
        self.shelf.mkdir()
        self.assertIn("is empty now", self.run_program("haul", self.waybill, status=3).stderr)
        self.assertFalse(self.new.exists())

    def test_where_a_drive_hangs_that_is_not_plugged_in(self):
        self.run_program(*self.draft_words)  # from now on the drive is known
        here = (*self.draft_words[:3], "lighter", *self.draft_words[4:])
        there = self.run_json(*here, "--force", cwd=self.keel)["shelves"][0]["to"]
        self.assertEqual(there, str(self.lighter / self.shelf.name))
        self.assertEqual(self.run_json("survey", "lighter", cwd=self.keel)["places"], [str(self.lighter)])
        pull(self.lighter)
        self.assertIn("is not connected", self.run_program(*self.draft_words, status=3).stderr)
        self.assertIn("lighter is not connected", self.run_program(*here, status=3, cwd=self.keel).stderr)
        self.assertEqual(list(self.lighter.iterdir()), [])
        if os.path.isdir("/mnt") and not os.listdir("/mnt"):
            to = (*self.draft_words[:3], "/mnt/lighter/Sounds", *self.draft_words[4:])
            self.assertIn("nothing is mounted at /mnt/lighter", self.run_program(*to, status=3).stderr)

    def test_a_drive_without_a_number_is_not_followed_and_two_of_one_are_refused(self):
        twin = self.drive("twin")
        marker = (self.lighter / drives.MARKER).read_text()
        (twin / drives.MARKER).write_text(marker)
        with mock.patch.object(drives, "mounts", return_value=[str(twin), str(self.lighter)]):
            with self.assertRaisesRegex(Refused, "Two drives answer"):
                drives.find_drive("marker:test-lighter", str(self.keel))
            with mock.patch.object(linux, "identity", return_value="device:a.program"):
                (twin / drives.MARKER).unlink()
                self.assertIsNone(drives.find_drive("device:a.program", str(self.keel)))

    def test_the_record_is_private(self):
        os.chmod(self.top, 0o750)
        ledger = self.keel / "private.m3u8"
        ledger.write_text(f"{self.shelf}/low/0.wav\n")
        ledger.chmod(0o600)
        self.run_program(*self.draft_words, "--ledger", str(ledger))
        trip = self.run_json("haul", self.waybill)["trip"]
        folder = self.top / "home" / "trips" / trip
        wanted = {folder: 0o700, folder / "waybill.toml": 0o600, folder / "logbook.sqlite": 0o600}
        self.assertEqual({path: path.stat().st_mode & 0o777 for path in wanted}, wanted)
        self.run_program("repoint", "--yes")
        self.assertEqual(ledger.stat().st_mode & 0o777, 0o600)

    def test_copies_that_another_trip_uses_stay(self):
        first = self.run_json("haul", str(self.draft()))["trip"]
        self.run_program("undo", first, "--yes")
        second = self.run_json("haul", str(self.draft()))["trip"]
        done = self.run_json("undo", first, "--yes", "--drop-copies")
        self.assertIn(f"for trip {second} uses them", done["remarks"][0])
        self.assertTrue(Path(f"{self.new}.saltcart.b3").exists())
        self.run_program("repoint", second, "--yes")
        self.run_program("release", second, "--yes", "--own")

    def draft(self):
        """A waybill for the shelf."""
        self.run_program(*self.draft_words)
        return self.waybill

    def test_nothing_of_ours_is_left_after_an_undo_that_drops(self):
        before = tree(self.lighter), tree(self.keel)
        self.run_program("haul", str(self.draft()))
        (self.new / "low" / ".saltcart-0123456789ab.part").write_bytes(b"of somebody else")
        self.run_program("undo", "--yes", "--drop-copies")
        self.assertEqual([path.name for path in self.new.rglob("*") if path.is_file()], [".saltcart-0123456789ab.part"])
        shutil.rmtree(self.lighter / "Sounds")
        self.assertEqual((tree(self.lighter), tree(self.keel)), before)


class OwnData(WorldCase):
    """Salt Cart's own data on a drive that is full, read-only or gone."""

    def setUp(self):
        super().setUp()
        self.furnish()
        self.home = self.top / "home"
        self.home.mkdir()

    def mount(self, *options):
        """A small drive of its own for the data."""
        words = ["mount", "-t", "tmpfs", "-o", ",".join(("size=600k", *options)), "none", str(self.home)]
        if not ROOT or subprocess.run(words, capture_output=True).returncode:
            self.skipTest("nothing can be mounted here")
        self.addCleanup(subprocess.run, ["umount", "-l", str(self.home)], capture_output=True)

    def test_full_and_read_only(self):
        self.mount()
        trip = self.run_json("move", *self.plan_words("--yes"), status=None)["trip"]
        with Filled(self.home):
            for command in ("trips", "check"):
                self.run_program(command, status=0)
            done = self.run_program("undo", "--yes", status=None)
            self.assertEqual(done.returncode, 4, done.stderr)
            self.assertIn("Salt Cart's own data", done.stderr)
        subprocess.run(["mount", "-o", "remount,ro", str(self.home)], check=True)
        for command in ("trips", "check"):
            self.run_program(command, status=0)
        done = self.run_program("undo", "--yes", status=4)
        self.assertIn(str(self.home), done.stderr)
        subprocess.run(["mount", "-o", "remount,rw", str(self.home)], check=True)
        self.run_program("undo", trip, "--yes", "--drop-copies")
        self.assert_all_play()

    def test_gone(self):
        self.environment["SALTCART_HOME"] = str(self.top / "user")
        (self.top / "user").write_text("a file")
        done = self.run_program("move", *self.plan_words("--yes"), status=None)
        self.assertIn(done.returncode, (3, 4), done.stderr)
        self.assertIn("SALTCART_HOME", done.stderr)


class Filled:
    """Fill a small drive to the last byte while inside."""

    def __init__(self, folder):
        self.path = folder / "filler"

    def __enter__(self):
        with open(self.path, "wb", buffering=0) as stream:
            try:
                while True:
                    stream.write(bytes(4096))
            except OSError:
                pass

    def __exit__(self, *_failure):
        self.path.unlink()
