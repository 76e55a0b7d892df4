"""What people made meanwhile stays: edits that keep size and time, newcomers at the new place, further names of a file,
and trips undone in the wrong order.
"""

import errno
import os
import shutil
from typing import ClassVar
from unittest import mock

import saltcart
from saltcart import renaming
from saltcart.errors import NameTaken, Refused, Stopped
from saltcart.hauling import file_copy, group_copy
from saltcart.switching import all_or_nothing, deeds, undo
from saltcart.switching.deed_kinds import Rename, Swap
from saltcart.trips import trip as trips
from saltcart.trips.facts import Fact
from tests.switching.crashing import KILLED, run_until
from tests.world import WorldCase, tree, wav


def edit(path, text=b"EDITED TITLE TAG"):
    """Write into a file as a tag editor does: same size, same time."""
    before = os.stat(path)
    with open(path, "r+b") as stream:
        stream.seek(100)
        stream.write(text)
    os.utime(path, ns=(before.st_atime_ns, before.st_mtime_ns))


def holds(path, text=b"EDITED TITLE TAG"):
    """Whether a file holds that edit."""
    with open(path, "rb") as stream:
        return text in stream.read()


class KeptCase(WorldCase):
    words = ()

    def setUp(self):
        super().setUp()
        for number in range(4):
            wav(self.shelf / f"{number}.wav", number)
        os.link(self.shelf / "0.wav", self.shelf / "zweit.wav")
        (self.shelf / "link.wav").symlink_to("1.wav")
        self.enterContext(mock.patch.dict(os.environ, self.environment))
        self.list = self.keel / "list.m3u8"
        self.list.write_text(f"{self.shelf}/0.wav\n{self.shelf}/zweit.wav\n{self.shelf}/3.wav\n")
        self.waybill = str(self.top / "w.toml")
        self.new = self.lighter / "Bell Tones"
        self.draft()

    def draft(self):
        """Draft the trip of all tests here."""
        words = (str(self.shelf), "--to", str(self.lighter), "--ledger", str(self.list), *self.words)
        self.run_program("draft", *words, "-o", self.waybill)

    def haul(self):
        """The id of the trip, hauled."""
        return saltcart.haul_waybill(self.waybill)[0]


class Edits(KeptCase):
    read_again = 1

    def test_an_original_edited_after_the_haul_is_copied_again(self):
        trip = self.haul()
        edit(self.shelf / "3.wav")
        said = self.run_program("repoint", trip, "--yes", status=3).stderr
        self.assertIn("3.wav", said)
        self.assertNotIn("1.wav", said)
        self.run_program("haul", trip)
        self.assertTrue(holds(self.new / "3.wav"))
        self.run_program("repoint", trip, "--yes")
        self.run_program("release", trip, "--yes", "--own")
        self.assertFalse(self.shelf.exists())

    def test_an_original_touched_and_not_edited_is_neither_copied_again_nor_kept(self):
        trip = self.haul()
        inode = os.stat(self.new / "2.wav").st_ino
        os.chmod(self.shelf / "2.wav", 0o600)
        os.chmod(self.shelf / "2.wav", 0o644)
        self.run_program("haul", trip)
        self.assertEqual(os.stat(self.new / "2.wav").st_ino, inode)
        self.run_program("repoint", trip, "--yes")
        self.run_program("release", trip, "--yes", "--own")

    def test_a_set_aside_original_that_was_edited_is_kept_and_listed(self):
        trip = self.haul()
        self.run_program("repoint", trip, "--yes")
        aside = self.shelf.parent / f".Bell Tones.set-aside-{trip}"
        edit(aside / "3.wav")
        found = self.run_json("release", trip, "--yes", "--own", status=1)
        self.assertEqual(found["kept"], [str(aside / "3.wav")])
        self.assertEqual(found["read_again_files"], self.read_again)
        self.assertTrue(holds(aside / "3.wav"))
        self.assertEqual(sorted(os.listdir(aside)), ["3.wav"])

    def test_an_edited_original_does_not_go_into_the_trash(self):
        self.environment["XDG_DATA_HOME"] = str(self.top / "data")
        (self.top / "user").mkdir()
        trip = self.haul()
        self.run_program("repoint", trip, "--yes")
        aside = self.shelf.parent / f".Bell Tones.set-aside-{trip}"
        edit(aside / "3.wav")
        found = self.run_json("release", trip, "--yes", "--own", "--trash", status=1)
        self.assertEqual(found["kept"], [str(aside / "3.wav")])
        self.assertTrue(holds(aside / "3.wav"))

    def test_an_original_edited_while_the_release_runs_is_kept(self):
        trip = self.haul()
        self.run_program("repoint", trip, "--yes")
        aside = self.shelf.parent / f".Bell Tones.set-aside-{trip}"
        from saltcart.switching import freeing

        real = freeing.Freeing.free

        def editing(freeing, row, removal):
            if row.item.path == "zweit.wav":  # the first to go
                edit(aside / "1.wav")
            real(freeing, row, removal)

        with mock.patch.object(freeing.Freeing, "free", editing):
            report = saltcart.release(trip)
        self.assertEqual(report.kept, [str(aside / "1.wav")])
        self.assertTrue(holds(aside / "1.wav"))
        self.assertFalse((aside / "0.wav").exists(), "a second name that we removed ourselves is no edit")

    def test_a_copy_that_was_edited_is_not_dropped(self):
        trip = self.haul()
        self.run_program("repoint", trip, "--yes")
        edit(self.new / "2.wav")
        (self.new / "link.wav").unlink(missing_ok=True)  # some drives keep no links
        wav(self.new / "link.wav", 7)
        self.run_program("undo", trip, "--yes", "--drop-copies")
        self.assertTrue(holds(self.new / "2.wav"))
        self.assertEqual(sorted(os.listdir(self.new)), ["2.wav", "link.wav"])

    def test_a_copy_of_what_is_left_out_is_kept_when_it_was_edited(self):
        trip = self.haul()
        edit(self.new / "2.wav")
        self.run_program("haul", trip, "--exclude", "2.wav", "3.wav")
        self.assertTrue(holds(self.new / "2.wav"))
        self.assertFalse((self.new / "3.wav").exists())


class EditedMeanwhile(KeptCase):
    def test_an_original_edited_while_it_is_copied(self):
        real, edited = file_copy.read_source, []

        def editing(handle, size, start):
            block = real(handle, size, start)
            if os.readlink(f"/proc/self/fd/{handle}").endswith("/3.wav") and not edited:
                edited.append(edit(self.shelf / "3.wav"))
            return block

        with mock.patch.object(file_copy, "read_source", editing), self.assertRaisesRegex(Stopped, "1 file could not"):
            saltcart.haul_waybill(self.waybill)
        self.assertFalse((self.new / "3.wav").exists())
        self.run_program("haul", trips.names()[-1])
        self.assertTrue(holds(self.new / "3.wav"))


class EditsWhereTimesProveNothing(Edits):
    """The same on a drive that keeps neither inodes nor change times; there an edit shows at the release."""

    kinds: ClassVar = {"keel": "exfat", "lighter": "exfat"}
    read_again = 5

    def test_an_original_edited_after_the_haul_is_copied_again(self):
        trip = self.haul()
        edit(self.shelf / "3.wav")
        self.run_program("repoint", trip, "--yes")
        found = self.run_json("release", trip, "--yes", "--own", status=1)
        self.assertEqual(found["read_again_files"], 5)
        self.assertEqual([os.path.basename(path) for path in found["kept"]], ["3.wav"])
        self.assertTrue(holds(found["kept"][0]))


class Newcomers(KeptCase):
    """Somebody writes to the new place while the haul runs."""

    def haul_with(self, newcomer):
        """Haul, with `newcomer` called when the copies are proven and have no names yet."""
        real = group_copy.prove

        def proving(*words):
            real(*words)
            newcomer()

        with mock.patch.object(group_copy, "prove", proving):
            saltcart.haul_waybill(self.waybill)

    def assert_it_stays(self, name, made):
        """What was `made` under a name at the new place stays, and is reported; without it the haul goes on."""
        place = self.new / name
        with self.assertRaises(NameTaken) as caught:
            self.haul_with(lambda: made(place))
        self.assertEqual(caught.exception.details, [str(place)])
        trip = trips.names()[-1]
        self.assertEqual(saltcart.summary(trip).state, "hauling")
        self.run_program("repoint", trip, "--yes", status=3)
        kept = self.top / "kept"
        os.rename(place, kept)
        self.run_program("haul", trip)
        self.assertEqual(tree(self.new), tree(self.shelf))
        return kept

    def test_a_file(self):
        for name in ("3.wav", "zweit.wav"):
            with self.subTest(name):
                kept = self.assert_it_stays(name, lambda place: place.write_text("exists only here"))
                self.assertEqual(kept.read_text(), "exists only here")
                kept.unlink()
                self.run_program("undo", trips.names()[-1], "--yes", "--drop-copies")
                self.assertFalse(self.new.exists())

    def test_a_link_where_a_link_shall_come(self):
        kept = self.assert_it_stays("link.wav", lambda place: place.symlink_to("/elsewhere"))
        self.assertEqual(os.readlink(kept), "/elsewhere")

    def test_a_file_of_ours_that_was_edited_since(self):
        trip = self.haul()
        edit(self.new / "3.wav", b"AT THE NEW PLACE")
        edit(self.shelf / "3.wav", b"AT THE OLD PLACE")
        self.run_program("haul", trip, status=3)
        self.assertTrue(holds(self.new / "3.wav", b"AT THE NEW PLACE"))

    def test_the_newcomer_is_left_by_an_undo(self):
        with self.assertRaises(NameTaken):
            self.haul_with(lambda: (self.new / "3.wav").write_text("exists only here"))
        self.run_program("undo", trips.names()[-1], "--yes", "--drop-copies")
        self.assertEqual({name: kind for name, kind in tree(self.new).items()}.keys(), {b"3.wav"})

    def test_a_folder_that_became_a_link(self):
        wav(self.shelf / "deep" / "4.wav", 4)
        shutil.rmtree(self.top / "home")
        elsewhere = self.top / "elsewhere"
        elsewhere.mkdir()
        self.new.mkdir()
        (self.new / "deep").symlink_to(elsewhere)
        with mock.patch("saltcart.hauling.haul.compare_destination"), self.assertRaises(NameTaken):
            saltcart.haul_waybill(self.waybill)
        self.assertEqual(os.listdir(elsewhere), [])


class Renaming(WorldCase):
    """No name is taken that something has, whatever the file system can do."""

    def cases(self):
        """Each of the three ways, by what fails."""
        einval, eperm = OSError(errno.EINVAL, "flag"), OSError(errno.EPERM, "no links")
        yield "in one step", mock.patch.object(renaming, "UNKNOWN_FLAG", ())
        yield "a second name", mock.patch.object(renaming, "rename_exclusively", side_effect=einval)
        patches = mock.patch.multiple(renaming, rename_exclusively=mock.Mock(side_effect=einval))
        with mock.patch.object(renaming.os, "link", side_effect=eperm):
            yield "an empty file first", patches

    def test_all_ways(self):
        for name, patched in self.cases():
            old, new = self.top / "old", self.top / "new"
            with self.subTest(name), patched:
                old.write_text("ours")
                renaming.rename_new(str(old), str(new))
                self.assertEqual((new.read_text(), old.exists()), ("ours", False))
                old.write_text("later")
                with self.assertRaises(FileExistsError):
                    renaming.rename_new(str(old), str(new))
                self.assertEqual((new.read_text(), old.read_text()), ("ours", "later"))
            new.unlink()
            old.unlink()

    def test_a_chosen_file_comes_back_to_a_name_that_is_taken(self):
        old, aside = self.top / "here.wav", self.top / "aside.wav"
        aside.write_text("the original")
        old.symlink_to("/somewhere/of/mine")
        with self.assertRaises(Refused):
            Rename(str(aside), str(old)).do()
        self.assertEqual((os.readlink(old), aside.read_text()), ("/somewhere/of/mine", "the original"))


class HardLinks(KeptCase):
    def test_a_further_name_is_copied_anew_too(self):
        trip = self.haul()
        self.assertEqual(os.stat(self.new / "0.wav").st_ino, os.stat(self.new / "zweit.wav").st_ino)
        edit(self.shelf / "0.wav")  # which is an edit of both
        self.run_program("haul", trip)
        for name in ("0.wav", "zweit.wav"):
            self.assertTrue(holds(self.new / name), name)
        self.run_program("repoint", trip, "--yes")
        self.run_program("check", trip, "--digests")
        self.run_program("release", trip, "--yes", "--own")

    def test_what_lies_under_the_further_name_is_read(self):
        real, read = group_copy.digest_file, []
        from saltcart.hauling import shelf_copy

        def reading(path, *rest, **options):
            read.append(os.path.basename(os.readlink(path) if os.path.islink(path) else path))
            return "0" * 64 if len(read) == 1 else real(path, *rest, **options)

        with mock.patch.object(shelf_copy, "digest_file", reading):
            trip = self.haul()
        self.assertEqual(len(read), 1)
        self.assertEqual(tree(self.new), tree(self.shelf))
        self.run_program("repoint", trip, "--yes")
        self.run_program("check", trip, "--digests")


class OrderOfUndo(WorldCase):
    def setUp(self):
        super().setUp()
        for name in "AB":
            for number in range(3):
                wav(self.keel / name / f"{name}{number}.wav", number + (name == "B") * 5)
        self.list = self.keel / "A" / "set.m3u8"
        self.list.write_text(f"{self.keel}/B/B1.wav\nA1.wav\n")
        self.first = self.move("A")
        self.second = self.move("B", "--ledger", str(self.lighter / "A" / "set.m3u8"))

    def move(self, name, *more):
        """Move a folder; the trip's id."""
        words = (str(self.keel / name), "--to", str(self.lighter), "--no-search", "--yes")
        return self.run_json("move", *words, *more)["trip"]

    def assert_plays(self):
        """The list at home names files that are there."""
        for line in self.list.read_text().splitlines():
            self.assertTrue((self.list.parent / line).exists(), line)

    def test_the_later_trip_is_undone_first(self):
        before = tree(self.top, "home")
        said = self.run_program("undo", self.first, "--yes", status=3).stderr
        self.assertIn(f"First: saltcart undo {self.second}", said)
        self.assertEqual(tree(self.top, "home"), before)
        for trip in (self.second, self.first):
            self.run_program("undo", trip, "--yes", "--drop-copies")
        self.assert_plays()

    def test_a_later_trip_that_is_released_is_no_reason(self):
        self.run_program("release", self.second, "--yes", "--own")
        self.run_program("undo", self.first, "--yes", "--drop-copies")
        self.assert_plays()
        self.assertIn(str(self.lighter / "B" / "B1.wav"), self.list.read_text())

    def test_what_was_begun_is_finished_first(self):
        """Without an id, by the same command, though another trip is newer by then."""
        words = ("undo", "--drop-copies", "--yes")
        kept = self.top.with_name(self.top.name + "-kept")
        shutil.copytree(self.top, kept, symlinks=True)
        self.addCleanup(shutil.rmtree, kept, ignore_errors=True)
        for number in range(10, 200):
            self.assertEqual(run_until(words, self.environment, number), KILLED)
            if len(list((self.lighter / "B").glob("*.wav"))) < 3:
                break
            shutil.rmtree(self.top)
            shutil.copytree(kept, self.top, symlinks=True)
        self.assertIn(f"saltcart undo {self.second} --drop-copies", self.run_program("trips", status=None).stderr)
        said = self.run_program(*words).stdout
        self.assertIn(f"Trip {self.second} was interrupted", said)
        self.assertFalse((self.lighter / "B").exists())
        self.assertEqual(len(list((self.lighter / "A").glob("*.wav"))), 3)


class TheRecordAndTheDisk(KeptCase):
    """A deed that is recorded as done, and is not, is done; one that was taken back is not recorded as done."""

    def test_every_deed_is_looked_at(self):
        for with_ledgers in (False, True):
            with self.subTest(with_ledgers):
                trip = self.haul()
                self.run_program("repoint", trip, "--yes")
                end = self.list.read_text(), tree(self.lighter)
                with trips.opened(trip, writing=True) as opened:
                    for _number, deed, _done in reversed(deeds.recorded(opened, "repoint")):
                        if not isinstance(deed, Swap) or with_ledgers:
                            deeds.revert(deed)
                    opened.logbook.record({Fact.STATE: "switching"})
                self.assertTrue(self.shelf.exists())
                status = self.run_program("repoint", trip, "--yes", status=None).returncode
                self.assertIn(status, (0, 3) if with_ledgers else (0,))
                if status:  # what was prepared was used up: it begins anew
                    self.run_program("repoint", trip, "--yes")
                self.assertEqual((self.list.read_text(), tree(self.lighter)), end)
                self.assertFalse(self.shelf.exists())
                self.run_program("undo", trip, "--yes", "--drop-copies")
                os.unlink(self.waybill)
                self.draft()

    def test_a_mark_goes_before_its_deed_is_undone(self):
        trip = self.haul()
        self.run_program("repoint", trip, "--yes")
        with trips.opened(trip, writing=True) as opened:

            def killed(_deed):
                raise KeyboardInterrupt

            with mock.patch.object(all_or_nothing, "revert", killed), self.assertRaises(KeyboardInterrupt):
                all_or_nothing.take_back(opened, "repoint")
            self.assertFalse(opened.logbook.deeds("repoint")[-1][2])

    def test_killed_while_what_was_interrupted_is_undone(self):
        """Ctrl-C in the switch, then killed while that is undone, between a deed and its record: the same command."""
        self.assertEqual(undo.PLAN, "undo")
        trip = self.haul()
        kept = self.top.with_name(self.top.name + "-kept")
        shutil.copytree(self.top, kept, symlinks=True)
        self.addCleanup(shutil.rmtree, kept, ignore_errors=True)
        self.run_program("repoint", trip, "--yes")
        end = tree(self.keel), tree(self.lighter)
        from tests.switching.crashing import Trouble, run_with

        for first in range(20, 60, 6):
            for more in range(1, 9, 2):
                shutil.rmtree(self.top)
                shutil.copytree(kept, self.top, symlinks=True)
                trouble = Trouble({first: KeyboardInterrupt()}, kill_at=first + more)
                if run_with(("repoint", trip, "--yes"), self.environment, trouble) != KILLED:
                    continue
                with self.subTest(f"interrupted at {first}, killed at {first + more}"):
                    if self.run_program("repoint", trip, "--yes", status=None).returncode:
                        self.run_program("repoint", trip, "--yes")
                    self.assertEqual((tree(self.keel), tree(self.lighter)), end)
