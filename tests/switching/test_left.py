"""What is left when something is interrupted for good, statuses that say what is so, and what is away."""

import errno
import os
import shutil
from unittest import mock

import saltcart
from saltcart.errors import LedgerBusy, Stopped
from saltcart.own_names import neighbour_of, staged_for
from saltcart.switching import repoint as repointing
from saltcart.trips import trip as trips
from tests.mending import cases as mending
from tests.switching.crash_cases import EVERY_POINT, CrashCase
from tests.switching.crashing import KILLED, pull, run_until
from tests.world import PLAYER_MAP, WorldCase, tree, wav


class Statuses(WorldCase):
    def setUp(self):
        super().setUp()
        wav(self.shelf / "one.wav", 1)
        self.list = self.keel / "list.m3u8"
        self.list.write_text(f"{self.shelf}/one.wav\n")
        self.words = ("move", self.shelf, "--to", self.lighter, "--ledger", self.list, "--no-search", "--yes")

    def test_an_open_program_is_met_before_anything_is_copied(self):
        with open(self.list, "rb"):
            said = self.run_program(*self.words, status=3).stderr
        self.assertIn("list.m3u8 open", said)
        self.assertFalse((self.lighter / "Bell Tones").exists())
        self.assertEqual(self.run_json("trips")["trips"], [])

    def test_a_program_that_is_opened_while_things_are_copied_is_no_3(self):
        self.enterContext(mock.patch.dict(os.environ, self.environment))
        self.run_program("draft", *self.words[1:-1], "-o", self.top / "w.toml")
        trip, _report = saltcart.haul_waybill(str(self.top / "w.toml"))
        busy = mock.patch.object(repointing, "refuse_busy", side_effect=LedgerBusy("a program is in the way"))
        with busy, self.assertRaises(Stopped) as caught:
            repointing.repoint_copied(trip)
        self.assertEqual(caught.exception.status, 4)
        self.assertIn(f"saltcart repoint {trip}", caught.exception.remedy)
        repointing.repoint_copied(trip)


class HalfRestored(CrashCase):
    """A list that travelled, of which somebody has put one line back by hand: undone, it is what it was before."""

    step = 1 if EVERY_POINT else 7

    def setUp(self):
        WorldCase.setUp(self)
        for number in (1, 2):
            wav(self.shelf / f"{number}.wav", number)
        self.list = self.shelf / "both.m3u8"
        self.list.write_text(f"{self.shelf}/1.wav\n{self.shelf}/2.wav\n")
        self.before = tree(self.keel)
        self.run_program("move", self.shelf, "--to", self.lighter / "Sounds", "--no-search", "--yes")
        there = self.new / "both.m3u8"
        there.write_text(there.read_text().replace(f"{self.new}/1", f"{self.shelf}/1"))
        self.words = ("undo", self.run_json("trips")["trips"][0]["trip"], "--yes")

    def test_nothing_is_left_beside_it(self):
        self.run_program(*self.words)
        self.assertEqual(tree(self.keel), self.before)

    def test_an_undo_that_meets_trouble_can_be_typed_again(self):
        for _number in self.each_crash(*self.words, failing=OSError(errno.EIO, "Input/output error")):
            self.run_program(*self.words)
            self.assertEqual(tree(self.keel), self.before)


class Leftovers(mending.MendCase):
    """A mend that was interrupted while it prepared, and what comes next."""

    def setUp(self):
        super().setUp()
        self.shelf.rename(self.lighter / "Bells")
        ledgers = [str(path) for path in (self.full, self.near, self.library)]
        self.words = ("mend", "--in", str(self.lighter), "--ledger", *ledgers, "--map", str(PLAYER_MAP), "--yes")
        self.interrupt()

    def interrupt(self):
        """Kill it with a prepared ledger beside the old one."""
        kept = self.top.with_name(self.top.name + "-kept")
        shutil.copytree(self.top, kept, symlinks=True)
        self.addCleanup(shutil.rmtree, kept, ignore_errors=True)
        for number in range(15, 90):
            self.assertEqual(run_until(self.words, self.environment, number), KILLED)
            if self.hidden():
                return
            shutil.rmtree(self.top)
            shutil.copytree(kept, self.top, symlinks=True)

    def hidden(self):
        """The hidden files beside the ledgers."""
        return [path.name for path in self.full.parent.iterdir() if ".saltcart-" in path.name]

    def test_the_same_command_leaves_nothing(self):
        self.assertTrue(self.hidden())
        self.run_program(*self.words)
        self.assertEqual(self.hidden(), [])

    def test_trips_clean_lists_and_removes_it(self):
        listed = self.run_program("trips", "--clean", status=2).stdout
        self.assertIn(self.hidden()[0], listed)
        done = self.run_json("trips", "--clean", "--yes")
        self.assertTrue(done["removed"])
        self.assertEqual(self.hidden(), [])
        self.assertEqual(self.run_json("trips", "--clean", "--yes")["removed"], [])
        self.run_program(*self.words)

    def test_what_another_computer_may_need_is_only_reported(self):
        other = self.full.parent / ".full.m3u8.saltcart-zzzz"
        other.write_text("of a trip that is not known here")
        done = self.run_json("trips", "--clean", "--yes")
        self.assertEqual(done["not_ours"], [str(other)])
        self.assertTrue(other.exists())

    def test_another_command_on_that_ledger_leaves_nothing(self):
        (self.lighter / "Bells").rename(self.shelf)
        self.run_program("move", self.shelf, "--to", self.lighter, "--ledger", self.full, self.near, "--no-search",
                         "--map", self.top / "none.toml", "--yes", status=None)  # fmt: skip
        self.run_program("move", self.shelf, "--to", self.lighter, "--ledger", self.full, self.near, "--no-search",
                         "--yes", status=None)  # fmt: skip
        self.assertEqual([name for name in self.hidden() if "library" not in name], [])


class MendedAndAway(mending.MendCase):
    def setUp(self):
        super().setUp()
        self.place = self.lighter / "Bells"
        self.shelf.rename(self.place)
        self.trip = self.run_json("mend", "--in", self.lighter, "--yes")["trip"]

    def test_what_is_lost_again_after_it_was_mended_is_no_old_loss(self):
        self.run_program("check", self.trip)
        (self.place / mending.NAMES[0]).unlink()
        report = self.run_json("check", self.trip, status=1)
        self.assertEqual(report["entries"]["missing"], 3)
        self.assertEqual(report["broken_before"]["missing"], 0)

    def test_away_is_not_gone_when_it_is_undone(self):
        pull(str(self.keel))
        self.run_program("undo", self.trip, "--yes", status=3)
        os.rmdir(self.keel)
        os.rename(f"{self.keel}.pulled", self.keel)
        self.assertEqual(self.run_json("trips")["trips"][-1]["state"], "switched")
        self.run_program("undo", self.trip, "--yes")
        self.assertIn(str(self.shelf), self.full.read_text())


class MendedLater(mending.MendCase):
    def test_a_mend_whose_drive_has_gone_since_changes_nothing(self):
        """Its entries would stay lost, and the trip would count as done."""
        self.shelf.rename(self.lighter / "Bells")
        before = self.state()
        self.run_program("mend", "--in", self.lighter, "--plan", self.top / "plan.toml", status=None)
        trip = self.run_json("haul", self.top / "plan.toml")["trip"]
        pull(str(self.lighter))
        self.run_program("repoint", trip, "--yes", status=3)
        self.assertEqual(self.state(), before)
        os.rmdir(self.lighter)
        os.rename(f"{self.lighter}.pulled", self.lighter)
        self.run_program("repoint", trip, "--yes")
        self.assertNotEqual(self.state(), before)


class Names(WorldCase):
    def test_hidden_names_are_never_too_long(self):
        name = "ä" * 120 + ".m3u8"
        for make in (neighbour_of, lambda path: staged_for(path, "bcdf")):
            self.assertLess(len(os.fsencode(os.path.basename(make(f"/x/{name}")))), 255)

    def test_a_home_that_was_there_is_never_made_anew(self):
        from saltcart import home

        with mock.patch.dict(os.environ, self.environment):
            home.made_home("trips")
            pull(str(self.top / "home"))
            with self.assertRaises(OSError):
                home.made_home("trips")
            self.assertEqual(os.listdir(self.top / "home"), [])
            self.assertEqual(trips.names(), [])
