"""Drives that fill, fail, lie and vanish; originals that change: a clear word, and nothing lost."""

import errno
import os
import shutil
import subprocess
import unittest
from pathlib import Path
from unittest import mock

import saltcart
from saltcart import safefile
from saltcart.errors import LedgerBusy, Refused, Stopped
from saltcart.hauling import file_copy, group_copy, shelf_copy, workers
from saltcart.trips.locks import locked
from saltcart.trips.trip import names
from tests.world import ROOT, WorldCase, tree, wav


class Faults(WorldCase):
    def setUp(self):
        super().setUp()
        for number in range(6):
            wav(self.shelf / f"{number}.wav", number)
        self.originals = tree(self.keel)
        self.enterContext(mock.patch.dict(os.environ, self.environment))
        self.waybill = str(self.top / "w.toml")
        self.draft()
        self.place = self.lighter / "Bell Tones"

    def draft(self, *words):
        """Draft the usual trip."""
        to = str(self.lighter)
        self.run_program("draft", str(self.shelf), "--to", to, "-o", self.waybill, "--force", *words)

    def haul_stops(self, words):
        """The haul stops part-way with these words, originals as they were, no half file under a real name; the
        trip.
        """
        with self.assertRaisesRegex(Stopped, words) as caught:
            saltcart.haul_waybill(self.waybill)
        self.assertEqual(tree(self.keel), self.originals)
        for path in self.place.glob("*.wav"):
            self.assertEqual(path.read_bytes(), (self.shelf / path.name).read_bytes())
        self.assertEqual(list(self.place.glob(".saltcart-*")), [])
        self.stopped = caught.exception
        return names()[-1]

    def goes_on(self, trip):
        """The same command goes on to the end."""
        saltcart.haul(trip)
        self.assertEqual(tree(self.place), tree(self.shelf))
        self.assertEqual(saltcart.summary(trip).state, "hauled")

    def test_an_original_that_cannot_be_read(self):
        real = file_copy.read_source

        def failing(handle, size, start):
            if os.readlink(f"/proc/self/fd/{handle}").endswith("/3.wav"):
                raise file_copy.FileTrouble("cannot be read (Input/output error)")
            return real(handle, size, start)

        with mock.patch.object(file_copy, "read_source", failing):
            trip = self.haul_stops("1 file")
            self.assertIn("3.wav", self.stopped.details[0])
            self.assertEqual(len(list(self.place.glob("*.wav"))), 5)
            with self.assertRaisesRegex(Refused, "hauling"):
                saltcart.repoint(trip)
        self.goes_on(trip)

    def test_an_original_that_changes_while_it_is_copied(self):
        real = file_copy.read_source

        def changing(handle, size, start):
            block = real(handle, size, start)
            if os.readlink(f"/proc/self/fd/{handle}").endswith("/2.wav") and block:
                os.utime(self.shelf / "2.wav", ns=(1, 1))
            return block

        with mock.patch.object(file_copy, "read_source", changing):
            trip = self.haul_stops("1 file")
        self.assertIn("changed while it was copied", self.stopped.details[0])
        self.originals = tree(self.keel)
        self.goes_on(trip)

    def test_a_bit_that_flips_once_is_mended_and_one_that_flips_always_is_reported(self):
        real, lies = workers.digest_file, []

        def lying(path, *kind, **options):
            lies.append(path)
            return "0" * 64 if len(lies) in self.when else real(path, *kind, **options)

        self.when = {2}
        with mock.patch.object(workers, "digest_file", lying):
            trip, _report = saltcart.haul_waybill(self.waybill)
        self.assertEqual(len(lies), 7)
        self.goes_on(trip)
        saltcart.undo(trip, drop_copies=True)
        self.waybill = str(self.top / "w2.toml")
        self.run_program("draft", str(self.shelf), "--to", str(self.lighter), "-o", self.waybill)
        lies.clear()
        self.when = {3, 7, 4}
        with mock.patch.object(workers, "digest_file", lying):
            trip = self.haul_stops("1 file|2 file")
        self.assertIn("drive may be failing", self.stopped.details[0])
        self.goes_on(trip)

    def test_a_drive_that_fails_while_it_is_written(self):
        for number, code in enumerate((errno.EIO, errno.ENOSPC, errno.EROFS)):
            real = os.write
            with (
                self.subTest(code),
                mock.patch.object(
                    group_copy.os, "write", side_effect=[real, OSError(code, os.strerror(code))]
                ) as write,
            ):
                write.side_effect = [OSError(code, os.strerror(code))]
                trip = self.haul_stops("stopped the copying")
                self.assertEqual(len(names()), 1, number)
        self.goes_on(trip)

    def test_a_mount_that_vanishes_leaves_a_folder_where_nothing_is_written(self):
        real, marker = group_copy.finish_group, self.lighter / ".saltcart-drive.toml"

        def pulling(*arguments):
            real(*arguments)
            marker.rename(self.top / "marker")

        with (
            mock.patch("saltcart.hauling.shelf_copy.finish_group", pulling),
            mock.patch("saltcart.hauling.shelf_copy.GROUP_FILES", 2),
            self.assertRaisesRegex(Stopped, "its drive lighter is not connected"),
        ):
            saltcart.haul_waybill(self.waybill)
        self.assertEqual(len(list(self.place.glob("*.wav"))), 2)
        (self.top / "marker").rename(marker)
        self.goes_on(names()[-1])

    def test_another_program_at_the_same_trip(self):
        trip, _report = saltcart.haul_waybill(self.waybill)
        with locked(str(self.top / "home" / "trips" / trip / "lock")):
            self.assertIn("Another saltcart", self.run_program("repoint", trip, "--yes", status=3).stderr)
        self.run_program("repoint", trip, "--yes")

    def test_a_program_that_is_opened_while_the_ledgers_are_read(self):
        trip, _report = saltcart.haul_waybill(self.waybill)
        with (
            mock.patch(
                "saltcart.switching.repoint.refuse_busy", side_effect=[None, LedgerBusy("a program is in the way")]
            ),
            self.assertRaises(LedgerBusy),
        ):
            saltcart.repoint(trip)
        self.assertEqual((tree(self.keel), saltcart.summary(trip).state), (self.originals, "hauled"))
        saltcart.repoint(trip)

    def test_a_signpost_is_not_set_up_again_where_the_drive_has_gone(self):
        self.run_program("move", str(self.shelf), "--to", str(self.lighter), "--signpost", "--yes")
        self.run_program("release", "--yes", "--own")
        self.run_program("undo", names()[-1], "--plan", "back.toml")
        self.run_program("haul", "back.toml")
        (self.keel / ".saltcart-drive.toml").rename(self.top / "marker")
        shutil.rmtree(self.shelf)
        self.run_program("undo", names()[-1], "--yes", "--drop-copies", status=1)
        self.assertFalse(os.path.lexists(self.shelf))
        (self.top / "marker").rename(self.keel / ".saltcart-drive.toml")
        self.run_program("undo", names()[-1], "--yes", "--drop-copies")
        self.assertTrue(self.shelf.is_symlink())

    def test_something_stands_in_the_way_of_an_undo(self):
        trip, _report = saltcart.haul_waybill(self.waybill)
        saltcart.repoint(trip)
        wav(self.shelf / "made anew by a program.wav")
        self.assertIn("There is something else at", self.run_program("undo", trip, "--yes", status=3).stderr)
        (self.shelf / "made anew by a program.wav").unlink()
        self.run_program("undo", trip, "--yes")
        self.assertEqual(tree(self.keel), self.originals)

    def test_originals_that_were_moved_away_are_asked_for(self):
        trip, _report = saltcart.haul_waybill(self.waybill)
        saltcart.repoint(trip)
        aside = next((self.keel / "Sounds").glob(".*.set-aside-*"))
        aside.rename(self.top / "elsewhere")
        for command, *more in (("undo",), ("release", "--own")):
            self.assertIn("originals are not at", self.run_program(command, trip, "--yes", *more, status=3).stderr)
        (self.top / "elsewhere").rename(aside)
        self.run_program("release", trip, "--yes", "--own")

    def test_a_flip_that_the_second_copy_mended_is_told(self):
        real = workers.digest_file
        lies = iter([True])

        def lying(path, *arguments, **options):
            return "0" * 64 if options.get("past_cache") and next(lies, False) else real(path, *arguments, **options)

        with mock.patch.object(workers, "digest_file", lying):
            trip, report = saltcart.haul_waybill(self.waybill)
        self.assertIn("was right only when copied again", report.remarks[0])
        self.assertIn(str(self.lighter), self.run_program("trips", trip).stdout)

    def test_a_name_that_the_new_drive_refuses_is_trouble_of_that_file_alone(self):
        """On drives whose rules nobody knows; two ways out."""
        real, ledger = group_copy.rename_new, self.keel / "list.m3u8"
        ledger.write_text(f"{self.shelf}/3.wav\n{self.shelf}/2.wav\n")
        self.draft("--ledger", str(ledger))
        self.originals = tree(self.keel)

        def refusing(source, target):
            if target.endswith("/3.wav") and "lighter" in target:
                raise OSError(errno.EINVAL, "Invalid argument", target)
            real(source, target)

        with mock.patch.object(group_copy, "rename_new", refusing):
            trip = self.haul_stops("1 file")
            self.assertIn("3.wav: the new drive refuses its name", self.stopped.details[0])
            self.assertIn("--rename NAME", self.stopped.remedy)
            self.assertEqual(len(list(self.place.glob("*.wav"))), 5)
            self.assertEqual(saltcart.rename(trip, ["3.wav"]), [("3.wav", "3 (2).wav")])
            saltcart.haul(trip)
        self.run_program("repoint", trip, "--yes")
        self.assertEqual(ledger.read_text(), f"{self.place}/3 (2).wav\n{self.place}/2.wav\n")
        self.run_program("undo", trip, "--yes", "--drop-copies")
        self.assertEqual(tree(self.keel), self.originals)

    def test_a_drive_that_fails_every_file_is_failing(self):
        real = os.open

        def failing(path, flags, *rest, **options):
            if str(path).endswith(".part") and flags & os.O_CREAT:
                raise OSError(errno.EIO, "Input/output error", path)
            return real(path, flags, *rest, **options)

        with mock.patch.object(file_copy.os, "open", failing):
            trip = self.haul_stops("The new drive stopped the copying")
        self.goes_on(trip)

    def test_a_drive_that_goes_between_two_shelves(self):
        wav(self.keel / "Sounds" / "Second" / "0.wav")
        waybill, marker = str(self.top / "two.toml"), self.lighter / ".saltcart-drive.toml"
        shelves = (str(self.shelf), str(self.keel / "Sounds" / "Second"))
        self.run_program("draft", *shelves, "--to", str(self.lighter), "-o", waybill)
        real = shelf_copy.ShelfCopy.finish_folders

        def pulling(copy):
            real(copy)
            marker.rename(self.top / "marker")

        gone = mock.patch.object(shelf_copy.ShelfCopy, "finish_folders", pulling)
        with gone, self.assertRaisesRegex(Stopped, "its drive lighter is not connected"):
            saltcart.haul_waybill(waybill)
        self.assertFalse((self.lighter / "Second").exists())

    def test_what_is_written_beside_sounds_is_read_back_too(self):
        """Ledgers, kept originals, manifests: a flipped bit on the way to the drive is seen before anything
        relies on it.
        """
        ledger = self.shelf.parent / "list.m3u8"
        ledger.write_text(f"{self.shelf}/1.wav\n")
        self.draft("--ledger", str(ledger))
        self.originals = tree(self.keel)
        real = safefile.sync_file

        def flipping(wanted):
            def sync_file(path):
                real(path)
                if wanted in path:
                    data = bytearray(Path(path).read_bytes())
                    data[-1] ^= 4
                    Path(path).write_bytes(data)

            return sync_file

        with mock.patch.object(safefile, "sync_file", flipping(".saltcart.b3")):
            trip = self.haul_stops("came back with other content")
        saltcart.haul(trip)
        for wanted in (f".list.m3u8.saltcart-{trip}", "000-before"):
            with self.subTest(wanted), mock.patch.object(safefile, "sync_file", flipping(wanted)):
                with self.assertRaisesRegex(Refused, "came back with other content"):
                    saltcart.repoint(trip)
                self.assertEqual(ledger.read_text(), f"{self.shelf}/1.wav\n")
        saltcart.repoint(trip)
        self.run_program("check", trip, "--digests")
        state = ledger.stat()
        ledger.write_text(f"{self.place}/2.wav\n")
        os.utime(ledger, ns=(state.st_atime_ns, state.st_mtime_ns))
        done = self.run_program("check", trip, "--digests", status=1)
        self.assertIn("its content is not what was written", done.stdout)
        self.assertIn("found problems", self.run_program("release", trip, "--yes", "--own", status=3).stderr)

    def test_folders_keep_what_belongs_to_them(self):
        inner = self.shelf / "inner"
        inner.mkdir()
        if ROOT:
            os.chown(inner, 12, 34)
        inner.chmod(0o2750)
        try:
            os.setxattr(inner, "user.note", b"spring")
        except OSError:
            self.skipTest("no extended attributes here")
        saltcart.haul_waybill(self.waybill)
        state = (self.place / "inner").stat()
        self.assertEqual((state.st_mode & 0o7777, os.getxattr(self.place / "inner", "user.note")), (0o2750, b"spring"))
        self.assertEqual((state.st_uid, state.st_gid), (inner.stat().st_uid, inner.stat().st_gid))

    def test_what_the_new_drive_does_not_keep_is_told_once_a_kind(self):
        os.chown(self.shelf / "1.wav", 12, 34) if ROOT else self.skipTest("needs root")
        with mock.patch.object(os, "fchown", side_effect=PermissionError(1, "no")):
            trip, report = saltcart.haul_waybill(self.waybill)
        told = [one for one in report.remarks if "owners" in one]
        self.assertEqual(told, ["the new drive does not keep owners and groups: lost on 1 copied file or folder"])
        self.assertIn("does not keep owners", self.run_program("trips", trip).stdout)
        with open(self.lighter / ".saltcart-drive.toml", "a") as marker:
            marker.write('filesystem = "exfat"\n')
        words = ("draft", str(self.shelf), "--to", str(self.lighter / "New"), "-o", str(self.top / "e.toml"))
        self.assertIn("does not keep owners and groups: 1 file", self.run_program(*words).stdout)

    @unittest.skipUnless(ROOT, "mounting needs root")
    def test_a_real_drive_that_fills(self):
        stick = self.top / "stick"
        stick.mkdir()
        subprocess.run(["mount", "-t", "tmpfs", "-o", "size=64k", "none", str(stick)], check=True)
        self.addCleanup(subprocess.run, ["umount", str(stick)], capture_output=True)
        self.waybill, self.place = str(self.top / "stick.toml"), stick / "Bell Tones"
        self.run_program("draft", str(self.shelf), "--to", str(stick), "-o", self.waybill)
        real = group_copy.flush_files

        def filling(*arguments):
            Path(stick, "filler").write_bytes(bytes(52 << 10))
            return real(*arguments)

        with (
            mock.patch.object(group_copy, "flush_files", filling),
            mock.patch("saltcart.hauling.shelf_copy.GROUP_FILES", 1),
        ):
            trip = self.haul_stops("No space left")
        done = self.run_program("haul", trip, status=3)
        self.assertIn("bytes free", done.stderr)
        (stick / "filler").unlink()
        self.goes_on(trip)
