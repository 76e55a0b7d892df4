"""Links whose folders get other names, times that fit nowhere, holes, and sounds on failing drives."""

import builtins
import errno
import os
import subprocess
import sys
from typing import ClassVar
from unittest import mock

import soundfile

import saltcart
from saltcart.errors import Stopped
from saltcart.proving.playing import decode
from saltcart.shelves.audio import header_trouble
from saltcart.shelves.headers import read_header
from saltcart.shelves.marks import LATEST_NS
from saltcart.trips.trip import names
from tests.world import WorldCase, wav


class OddCase(WorldCase):
    def setUp(self):
        super().setUp()
        wav(self.shelf / "one.wav", 1)
        self.place = self.lighter / "Bell Tones"

    def move(self, *more, status=0):
        """Move the shelf; what was printed."""
        done = self.run_program("move", self.shelf, "--to", self.lighter, "--no-search", "--yes", *more, status=status)
        return done.stdout + done.stderr


class OddTimes(OddCase):
    def test_times_that_fit_nowhere(self):
        """Before 1970, after 2262: accepted, with the loss reported before anything is copied."""
        for name, seconds in (("old.wav", -(10**10)), ("before.wav", -5 * 10**8), ("far.wav", 10**10 + 7)):
            wav(self.shelf / name, 2)
            os.utime(self.shelf / name, (seconds, seconds))
        said = self.run_program("draft", self.shelf, "--to", self.lighter, "--no-search", "-o", self.top / "w.toml")
        self.assertIn("does not keep times so early or late", said.stdout)
        self.move()
        for name, wanted in (("before.wav", -5 * 10**17), ("far.wav", LATEST_NS)):
            self.assertAlmostEqual(os.stat(self.place / name).st_mtime_ns, wanted, delta=10**9)
        self.run_program("check", "--digests")
        self.run_program("undo", "--yes", "--drop-copies")
        self.assertFalse(self.place.exists())
        self.assertAlmostEqual(os.stat(self.shelf / "far.wav").st_mtime_ns, (10**10 + 7) * 10**9, delta=10**9)


class OddNames(OddCase):
    """The new drive folds case and keeps no colons."""

    kinds: ClassVar = {"lighter": "ntfs"}

    def test_relative_links_follow_folders_that_get_other_names(self):
        wav(self.shelf / "Low: deep" / "two.wav", 2)
        wav(self.shelf / "low" / "a.wav", 3)
        wav(self.shelf / "LOW" / "b.wav", 4)
        links = {
            "to two.wav": "Low: deep/two.wav",
            "low/to deep": "../Low: deep",
            "to b.wav": "LOW/b.wav",
            "to a.wav": "low/a.wav",
            "full.wav": str(self.shelf / "Low: deep" / "two.wav"),
        }
        for name, target in links.items():
            (self.shelf / name).symlink_to(target)
        wanted = {name: (self.shelf / name).resolve().read_bytes() for name in links if name != "low/to deep"}
        self.move()
        for item in self.place.rglob("*"):
            if item.is_symlink():
                self.assertTrue(item.exists(), item)
        found = {path.name: path.read_bytes() for path in self.place.rglob("*.wav") if path.is_symlink()}
        self.assertEqual(found, wanted)
        self.run_program("undo", "--yes", "--drop-copies")
        self.assertFalse(self.place.exists())

    def test_what_leads_out_is_reported_before_copying(self):
        wav(self.keel / "elsewhere.wav", 9)
        (self.shelf / "out.wav").symlink_to("../../elsewhere.wav")
        said = self.run_program("draft", self.shelf, "--to", self.lighter, "--no-search", "-o", self.top / "w.toml")
        self.assertIn("out.wav", said.stdout)
        self.assertIn("leads elsewhere", said.stdout)


class OddDrive(OddCase):
    kinds: ClassVar = {"lighter": "exfat"}

    def test_what_does_not_fit_is_reported_before_copying(self):
        wav(self.shelf / "late.wav", 2)
        os.utime(self.shelf / "late.wav", (4_733_510_400, 4_733_510_400))  # 2120
        with open(self.shelf / "take.raw", "wb") as stream:
            stream.truncate(4 << 20)
        said = self.run_program("draft", self.shelf, "--to", self.lighter, "--no-search", "-o", self.top / "w.toml")
        self.assertIn("does not keep times so early or late: 1 file", said.stdout)
        self.assertIn("does not keep holes", said.stdout)
        self.move()
        self.assertEqual(os.stat(self.place / "late.wav").st_mtime, 4_354_819_198)
        self.run_program("release", "--yes", "--own")


class FailingOldDrive(OddCase):
    """The drive that failed is the one that is reported."""

    def draft(self):
        waybill = str(self.top / "w.toml")
        self.run_program("draft", self.shelf, "--to", self.lighter, "--no-search", "-o", waybill)
        return waybill

    def test_the_old_drive_goes_while_it_is_read(self):
        from saltcart.hauling import file_copy

        wav(self.shelf / "two.wav", 2)
        waybill = self.draft()
        self.enterContext(mock.patch.dict(os.environ, self.environment))
        marker = self.keel / ".saltcart-drive.toml"

        def gone(_handle, _size, _start):
            if marker.exists():
                marker.rename(self.top / "marker")
            raise file_copy.FileTrouble("cannot be read (Input/output error)")

        with mock.patch.object(file_copy, "read_source", gone), self.assertRaisesRegex(Stopped, "Bell Tones.*not conn"):
            saltcart.haul_waybill(waybill)
        (self.top / "marker").rename(marker)
        saltcart.haul(names()[-1])

    def test_an_error_without_a_name_is_of_the_drive_that_is_gone(self):
        from saltcart.hauling import haul

        waybill = self.draft()
        self.enterContext(mock.patch.dict(os.environ, self.environment))
        marker = self.keel / ".saltcart-drive.toml"

        def failing(_copy):
            marker.rename(self.top / "marker")
            raise OSError(errno.EIO, "Input/output error")

        with mock.patch.object(haul.ShelfCopy, "copy_files", failing), self.assertRaisesRegex(Stopped, "The old drive"):
            saltcart.haul_waybill(waybill)
        (self.top / "marker").rename(marker)

    def test_headers_on_a_failing_drive(self):
        """The decoder's callbacks print nothing, and the drive is what is wrong, not the sound."""
        code = (
            "import builtins, errno, sys; sys.path.insert(0, '.')\n"
            "from tests.hauling.test_odd import failing_reads\n"
            "from saltcart.shelves.headers import read_header\n"
            "for reads in range(3):\n"
            f"    with failing_reads(reads): print(read_header({str(self.shelf / 'one.wav')!r}).trouble)\n"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, env=self.environment)
        self.assertEqual((done.stdout.split("\n"), done.stderr), (["Input/output error"] * 3 + [""], ""))

    def test_a_broken_sound_whose_name_is_no_text(self):
        for suffix in (".wav", ".mp3", ".flac", ".m4a", ".ogg"):
            path = os.fsdecode(os.fsencode(self.shelf) + b"/\xe9t\xe9" + suffix.encode())
            with open(path, "wb") as stream:
                stream.write(b"RIFF broken" * 20)
            with self.subTest(suffix):
                trouble = read_header(path).trouble
                self.assertIn("does not open as", trouble)
                trouble.encode()
        said = self.run_program("survey", self.shelf, status=None)
        self.assertNotIn("Internal error", said.stderr)
        self.move(status=None)
        self.run_program("check", status=None)

    def test_the_decoder_gets_what_begins_as_a_sound_and_nothing_else(self):
        odd = self.shelf / "odd.wav"
        odd.write_bytes(b"PVF1\n1 8000 16\n" + b"\0\1" * 800)
        self.assertEqual(soundfile.info(str(odd)).frames, 800, "the decoder knows it")
        self.assertIn("its beginning is that of no sound", header_trouble(os.fspath(odd)))
        self.assertEqual(decode(str(odd)), (0.0, "stops after 0.0 s: its beginning is that of no sound"))


class Failing:
    """A stream of a drive that fails after some reads."""

    def __init__(self, raw, reads):
        self.raw, self.reads = raw, reads

    def __enter__(self):
        return self

    def __exit__(self, *_failure):
        self.raw.close()

    def read(self, *count):
        self.reads -= 1
        if self.reads < 0:
            raise OSError(errno.EIO, "Input/output error")
        return self.raw.read(*count)

    def __getattr__(self, name):
        return getattr(self.raw, name)


def failing_reads(reads=0):
    """Let every sound that is opened fail to be read, after so many reads."""
    real = builtins.open

    def opened(path, mode="r", *rest, **options):
        stream = real(path, mode, *rest, **options)
        return Failing(stream, reads) if str(path).endswith(".wav") and mode == "rb" else stream

    return mock.patch.object(builtins, "open", opened)
