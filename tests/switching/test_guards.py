"""Each last look before something is replaced or removed, and each flush that a promise rests on, one by one."""

import os
import re
import shlex
import zipfile
from pathlib import Path
from unittest import mock

import saltcart
from saltcart.errors import Refused
from saltcart.switching import all_or_nothing, deeds, freeing, release
from saltcart.switching.deed_kinds import Rename
from saltcart.trips import trip as trips
from tests.carrying.machines import SOUNDS, TwoMachines
from tests.world import WorldCase, wav


class Guards(WorldCase):
    def setUp(self):
        super().setUp()
        for number in range(3):
            wav(self.shelf / "deep" / f"{number}.wav", number)
        self.list = self.keel / "list.m3u8"
        self.list.write_text(f"{self.shelf}/deep/0.wav\n")
        self.waybill = str(self.top / "w.toml")
        to = str(self.lighter / "a" / "b")
        self.run_program("draft", self.shelf, "--to", to, "--ledger", self.list, "-o", self.waybill)
        self.enterContext(mock.patch.dict(os.environ, self.environment))
        self.trip = saltcart.haul_waybill(self.waybill)[0]

    def test_a_ledger_that_was_written_to_since_it_was_prepared(self):
        """By a program in the last moment: the switch is undone, and what was written stays."""
        real = all_or_nothing.carry_out

        def late(trip, plan):
            with open(self.list, "a") as stream:
                stream.write("# in the last moment\n")
            real(trip, plan)

        with mock.patch.object(all_or_nothing, "carry_out", late), self.assertRaisesRegex(Refused, "has changed"):
            saltcart.repoint(self.trip)
        self.assertIn("in the last moment", self.list.read_text())
        self.assertTrue(self.shelf.is_dir())
        saltcart.repoint(self.trip, reread=True)
        self.assertIn("in the last moment", self.list.read_text())
        self.assertIn(str(self.lighter), self.list.read_text())

    def test_a_ledger_that_was_written_to_after_it_switched_is_not_written_over_when_that_is_undone(self):
        real = deeds.perform

        def failing(deed):
            if isinstance(deed, Rename):
                with open(self.list, "a") as stream:
                    stream.write("# after the switch\n")
                raise OSError(5, "Input/output error")
            real(deed)

        with mock.patch.object(all_or_nothing, "perform", failing), self.assertRaises(saltcart.errors.HalfDone):
            saltcart.repoint(self.trip)
        self.assertIn("after the switch", self.list.read_text())
        saltcart.undo(self.trip)
        self.assertEqual(self.list.read_text(), f"{self.shelf}/deep/0.wav\n# after the switch\n")

    def test_the_whole_way_to_the_copies_is_flushed_before_originals_go(self):
        saltcart.repoint(self.trip)
        flushed, removed = [], []
        real, unlink = release.sync_folder, freeing.Removal.unlink

        def noted(folder):
            flushed.append(folder)
            real(folder)

        def removing(removal, path, expected):
            removed.append(len(flushed))
            return unlink(removal, path, expected)

        with mock.patch.object(release, "sync_folder", noted), mock.patch.object(freeing.Removal, "unlink", removing):
            saltcart.release(self.trip)
        before = flushed[: removed[0]]
        for folder in ("a/b/Bell Tones/deep", "a/b/Bell Tones", "a/b", "a", ""):
            self.assertIn(str(self.lighter / folder).rstrip("/"), before)

    def test_every_step_of_the_record_is_on_the_drive_before_the_next(self):
        """SQLite flushes at each commit: `synchronous` is FULL (2), in the write-ahead log too."""
        with trips.opened(self.trip, writing=True) as trip:
            self.assertEqual(trip.logbook.database.execute("PRAGMA synchronous").fetchone(), (2,))

    def test_an_original_that_became_a_link_is_not_removed(self):
        saltcart.repoint(self.trip)
        aside = self.shelf.parent / f".Bell Tones.set-aside-{self.trip}"
        real = freeing.Freeing.free

        def swapping(freeing, row, removal):
            if row.item.path == "deep/1.wav":
                (aside / "deep" / "1.wav").unlink()
                (aside / "deep" / "1.wav").symlink_to("/elsewhere")
            real(freeing, row, removal)

        with mock.patch.object(freeing.Freeing, "free", swapping):
            kept = saltcart.release(self.trip).kept
        self.assertEqual(kept, [str(aside / "deep" / "1.wav")])
        self.assertTrue((aside / "deep" / "1.wav").is_symlink())

    def release_with_a_newcomer(self, trash):
        """A program that still had the folder open wrote a take there, after the switch: it is kept."""
        (self.top / "user").mkdir(exist_ok=True)  # in which the trash is
        saltcart.repoint(self.trip)
        with trips.opened(self.trip) as trip:
            take = Path(trip.shelves[0].aside, "deep", "take.wav")
        wav(take, 9)
        self.assertEqual((saltcart.release(self.trip, trash=trash).kept, take.is_file()), ([str(take)], True))

    def test_what_came_among_the_originals_stays(self):
        self.release_with_a_newcomer(trash=False)

    def test_what_came_among_the_originals_does_not_go_into_the_trash_with_them(self):
        self.release_with_a_newcomer(trash=True)


class Archive(WorldCase):
    def setUp(self):
        super().setUp()
        wav(self.top / "made" / "x.wav", 1)
        self.archive = self.keel / "pack.zip"
        self.pack(self.top / "made" / "x.wav")

    def pack(self, source):
        with zipfile.ZipFile(self.archive, "w") as archive:
            archive.write(source, zipfile.ZipInfo("Pack/x.wav").filename)

    def test_an_archive_that_was_replaced_since_stays(self):
        """With size and time kept, as a synchronising program may do."""
        before = self.archive.stat()
        self.run_program("move", self.archive, "--to", self.lighter, "--yes")
        wav(self.top / "made" / "y.wav", 1)
        raw = bytearray((self.top / "made" / "y.wav").read_bytes())
        raw[-20:] = bytes(20)
        (self.top / "made" / "y.wav").write_bytes(raw)
        self.pack(self.top / "made" / "y.wav")
        self.assertEqual(self.archive.stat().st_size, before.st_size)
        os.utime(self.archive, ns=(before.st_atime_ns, before.st_mtime_ns))
        found = self.run_json("release", "--yes", "--own", status=1)
        self.assertEqual(found["kept"], [str(self.archive)])
        self.assertTrue(self.archive.exists())

    def test_an_archive_that_was_only_touched_goes(self):
        self.run_program("move", self.archive, "--to", self.lighter, "--yes")
        os.chmod(self.archive, 0o600)
        found = self.run_json("release", "--yes", "--own")
        self.assertEqual((found["kept"], found["read_again_files"]), ([], 1))
        self.assertFalse(self.archive.exists())


class Gone(TwoMachines):
    def test_what_is_gone_at_home_and_was_edited_there_stays(self):
        self.carry()
        there = self.booth / "Music" / SOUNDS[2]
        (self.music / SOUNDS[2]).unlink()
        with open(there, "r+b") as stream:
            stream.seek(100)
            stream.write(b"EDITED THERE")
        self.carry("--drop-gone", status=None)
        self.assertIn(b"EDITED THERE", there.read_bytes())

    def test_nothing_is_removed_through_a_link(self):
        self.carry()
        outside = self.top / "outside"
        os.rename(self.booth / "Music" / "Été", outside)
        (self.booth / "Music" / "Été").symlink_to(outside)
        before = sorted(os.listdir(outside))
        (self.music / SOUNDS[2]).unlink()
        self.carry("--drop-gone", status=None)
        self.assertEqual(sorted(os.listdir(outside)), before)


class Unsearched(WorldCase):
    def test_what_could_not_be_searched_holds_the_release_back_until_a_person_says_so(self):
        """A file too large to be searched: nothing is known of it, and nobody is left without a way on."""
        self.furnish()
        image = self.top / "user" / "disk.image"
        image.parent.mkdir(exist_ok=True)
        image.touch()
        os.truncate(image, 600 << 20)
        self.run_program("move", *self.plan_words(), "--yes", status=1)
        kept = [path for path in self.shelf.parent.iterdir() if "set-aside" in path.name]
        said = self.run_program("release", "--yes", "--own", status=3).stderr
        self.assertIn("disk.image", said)
        self.assertTrue(kept and kept[0].is_dir())
        words = shlex.split(re.search(r"saltcart (release .*--unsearched)", said)[1])
        self.run_program(*words, "--yes", "--own")
        self.assertFalse(kept[0].exists())
        self.assert_all_play()
