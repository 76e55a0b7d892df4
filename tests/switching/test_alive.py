"""What a switch does when it stays alive and meets trouble: an error, an interrupt, a pulled drive, twice in a row; and
people's next step after that.

The law: after any such history one command (`repoint`, `undo` or `haul`) ends in a sound state, and until then neither
an exit status nor the record says what is not so.
"""

import errno
import json
import os
import random
import shutil
import signal
import sqlite3
from contextlib import closing
from types import SimpleNamespace
from unittest.mock import Mock, patch

from saltcart.standins import player
from saltcart.switching import all_or_nothing, deeds, undo
from saltcart.switching.deeds_on_places import Unlink
from tests.switching.crash_cases import EVERY_POINT, CrashCase, LinkedCase
from tests.switching.crashing import FAILED, KILLED, Trouble, plug_in, pull, run_until, run_with
from tests.world import cells, tree

EIO = OSError(errno.EIO, "Input/output error")
STEPS = 1 if EVERY_POINT else 19
MOST = 130


class AliveCase(LinkedCase):
    def setUp(self):
        super().setUp()
        self.start = self.world()
        self.trip = self.hauled_trip()
        self.hauled = self.world()
        self.keep()
        self.run_again("repoint", self.trip, "--yes")
        self.end = self.world()

    def state(self):
        """What the record says."""
        with closing(sqlite3.connect(self.top / "home/trips" / self.trip / "logbook.sqlite")) as logbook:
            return json.loads(logbook.execute("SELECT value FROM fact WHERE name = 'state'").fetchone()[0])

    def seen(self):
        """The world without what was prepared beside a ledger: the next command removes that."""
        *drives, library = self.world()
        kept = (
            {name: what for name, what in drive.items() if b".saltcart-" not in name or b"drive" in name}
            for drive in drives
        )
        return *kept, library

    def assert_true_words(self, status, state):
        """The record and the exit status of a repoint that met trouble say what is."""
        seen = self.seen()
        if state == "hauled":
            self.assertEqual(seen, self.hauled, "recorded as taken back")
        if state == "switched":
            self.assertEqual(seen, self.end, "recorded as done")
        if status == FAILED + 3:
            self.assertEqual(seen, self.hauled, "'Nothing was changed'")
        if status == FAILED:
            self.assertEqual(state, "switched")

    def assert_back(self):
        """All is as at the start; nothing of ours is left on either drive."""
        self.run_again("undo", self.trip, "--yes", "--drop-copies")
        self.assertEqual(self.world(), self.start)

    def assert_through(self):
        """All is as after an undisturbed repoint."""
        self.run_again("repoint", self.trip, "--yes")
        self.assertEqual(self.world(), self.end)
        self.assert_all_play()

    def histories(self, seed, make):
        """Each point of a repoint, with the trouble that `make` draws for it."""
        draw = random.Random(seed)
        for number in range(1 + seed % STEPS, MOST, STEPS):
            self.restore()
            status = run_with(("repoint", self.trip, "--yes"), self.environment, make(draw, number))
            if status == 0:
                return
            with self.subTest(f"at {number}, status {status}"):
                yield number, status
        self.fail("never got through")


class Alive(AliveCase):
    def test_errors_and_interrupts_twice(self):
        """The second comes while the first is being taken back."""

        def make(draw, number):
            first, second = (draw.choice((EIO, KeyboardInterrupt())) for _ in range(2))
            return Trouble({number: first, number + draw.randint(1, 12): second})

        for seed in (3, 4) if EVERY_POINT else (3,):
            for number, status in self.histories(seed, make):
                self.assert_true_words(status, self.state())
                self.assert_through() if number % 2 else self.assert_back()

    def test_three_interrupts(self):
        """A third one may end the program, but not the record."""

        def make(draw, number):
            return Trouble({number + more: KeyboardInterrupt() for more in range(draw.randint(2, 4))})

        for number, status in self.histories(5, make):
            self.assert_true_words(status, self.state())
            self.assert_back() if number % 2 else self.assert_through()

    def test_an_impatient_interrupt_waits_until_all_is_taken_back(self):
        self.restore()
        done, real = [], (deeds.perform, deeds.revert)

        def perform(deed):
            done.append(deed)
            if len(done) == 3:
                raise EIO
            real[0](deed)

        def revert(deed):
            if done:
                done.clear()
                os.kill(os.getpid(), signal.SIGINT)
            real[1](deed)

        with patch.multiple(all_or_nothing, perform=perform, revert=revert):
            status = self.program_says("repoint", self.trip, "--yes")
        self.assertEqual((status, self.state(), self.seen()), (4, "hauled", self.hauled))
        self.assert_back()

    def test_a_drive_that_goes_while_ledgers_are_read_is_not_gone_for_good(self):
        real = undo.prepare_ledger
        for last in range(1, len(self.ledgers) + 1):
            self.restore()
            self.run_again("repoint", self.trip, "--yes")
            read = []

            def pulled_after(*words, read=read, last=last):
                deeds = real(*words)
                read.append(words)
                if len(read) == last:
                    pull(self.keel)
                return deeds

            with self.subTest(last), patch.object(undo, "prepare_ledger", pulled_after):
                # No ledger was changed, but what was prepared lies on that drive, so that it is no 3.
                self.assertEqual(self.program_says("undo", self.trip, "--yes", "--drop-copies"), 4)
                self.assertEqual(plug_in(str(self.keel)), [])
                self.assertEqual(self.state(), "switched")
        self.assert_back()

    def test_a_drive_is_pulled_in_mid_switch(self):
        """Either drive; nothing is written into the hole, and the record knows that it does not know."""
        for drive in (self.keel, self.lighter):
            for number, status in self.histories(
                2, lambda _draw, number, drive=drive: Trouble({number: lambda: pull(drive)})
            ):
                state = self.state()
                if drive == self.keel and state == "switching":
                    self.assertIn(self.program_says("undo", self.trip, "--yes"), (3, 4))
                self.assertEqual(plug_in(str(drive)), [])
                self.assert_true_words(status, state)
                self.assert_through() if number % 2 else self.assert_back()

    def program_says(self, *words):
        """The exit status of a command."""
        return run_until(words, self.environment, 0)

    def test_a_drive_is_pulled_in_mid_undo(self):
        for drive in (self.keel, self.lighter):
            for number in range(2, MOST, STEPS):
                self.restore()
                self.run_again("repoint", self.trip, "--yes")
                words = ("undo", self.trip, "--yes", "--drop-copies")
                status = run_with(words, self.environment, Trouble({number: lambda drive=drive: pull(drive)}))
                if status == 0:
                    break
                with self.subTest(f"{drive.name} at {number}, status {status}"):
                    self.assertEqual(plug_in(str(drive)), [])
                    self.assert_back()

    def test_a_drive_is_pulled_in_mid_release(self):
        """No original goes that cannot be had again: the copies verify, or the originals are there."""
        for drive in (self.keel, self.lighter):
            for number in range(1, MOST, STEPS):
                self.restore()
                self.run_again("repoint", self.trip, "--yes")
                words = ("release", self.trip, "--yes", "--own")
                status = run_with(words, self.environment, Trouble({number: lambda drive=drive: pull(drive)}))
                if status == 0:
                    break
                with self.subTest(f"{drive.name} at {number}, status {status}"):
                    self.assertEqual(plug_in(str(drive)), [])
                    self.assertNotEqual(status, FAILED + 99)
                    if status != FAILED:  # else it held the folders open, and got through
                        self.run_again(*words)
                    self.assertEqual(self.state(), "released")
                    self.assert_all_play()
                    self.assertEqual([name for name in tree(self.keel) if b"set-aside" in name], [])

    def test_a_program_writes_to_a_switched_ledger_after_the_cut(self):
        """Killed in mid-switch; the player counts a play, where it can; the way back keeps it."""
        for number in range(1, MOST, STEPS):
            self.restore()
            if run_until(("repoint", self.trip, "--yes"), self.environment, number) != KILLED:
                break
            with self.subTest(number):
                before = {row[2]: row[6] for row in cells(self.library)["tracks"]}
                self.assertIsNone(player.play(self.library, "t1"))
                self.run_again("undo", self.trip, "--yes", "--drop-copies")
                after = {row[2]: row[6] for row in cells(self.library)["tracks"]}
                self.assertEqual(after, {**before, "t1": before["t1"] + 1})
                self.assertEqual(self.world()[:2], self.start[:2])
                self.assert_all_play()

    def test_copies_that_a_ledger_names_are_not_dropped(self):
        shutil.rmtree(self.top)
        shutil.copytree(self.kept, self.top, symlinks=True)
        kept = self.lighter / "Sounds" / "Bell Tones" / "low" / "C1.wav"
        with open(self.ledgers[0], "a", encoding="utf-8") as stream:
            stream.write(f"{kept}\n")  # somebody named the copy before the switch
        done = self.run_program("undo", self.trip, "--yes", "--drop-copies")
        self.assertIn("because ledgers of this trip refer to that", done.stdout)
        self.assertEqual([path.name for path in kept.parents[1].rglob("*.wav")], ["C1.wav"])

    def test_a_record_that_says_taken_back_of_a_half_done_switch(self):
        """As earlier versions left it: neither command believes it."""
        for command, check in (("repoint", self.assert_through), ("undo", self.assert_back)):
            with self.subTest(command):
                self.restore()
                number = 75
                while self.state() != "switching" or self.seen() == self.hauled:
                    self.restore()
                    number += 1
                    run_until(("repoint", self.trip, "--yes"), self.environment, number)
                record = self.top / "home/trips" / self.trip / "logbook.sqlite"
                with closing(sqlite3.connect(record)) as logbook, logbook:
                    logbook.execute("""UPDATE fact SET value = '"hauled"' WHERE name = 'state'""")
                check()

    def test_a_link_that_cannot_be_set_up_again_is_no_switch_taken_back(self):
        gone = self.top / "bells"
        row = (0, deeds.text_of(Unlink(str(gone), "../Sounds")), True)
        trip = SimpleNamespace(logbook=Mock(deeds=lambda _plan: [row]))
        with patch("os.symlink", side_effect=EIO):
            self.assertEqual(len(all_or_nothing.take_back(trip, "repoint")), 1)
        self.assertEqual(all_or_nothing.take_back(trip, "repoint"), [])
        self.assertTrue(gone.is_symlink())

    def test_said_once_more(self):
        done = self.run_program("repoint", self.trip, "--yes")
        self.assertIn("was repointed before", done.stdout)
        self.assertEqual(self.world(), self.end)


class Durable(CrashCase):
    """A power cut just after a command has ended well loses nothing that it spoke of."""

    more = ("--signpost",)

    def setUp(self):
        super().setUp()
        self.words = {"haul": (self.waybill,)}

    def test_a_cut_after_each_step(self):
        for forget in ("all", "some"):
            self.keep()
            before = self.originals()
            for command in ("haul", "repoint", "release"):
                words = (
                    command,
                    self.waybill if command == "haul" else self.trips()[0],
                    *{"haul": (), "repoint": ("--yes",), "release": ("--yes", "--own")}[command],
                )
                with self.subTest(f"{command}, {forget}"):
                    self.assertEqual(run_with(words, self.environment, Trouble(kill_at=-1, forget=forget)), 0)
                    self.assert_all_play()
                    if command == "haul":
                        self.assertEqual(self.originals(), before)
                    copies = {path.name: path.stat().st_size for path in self.new.rglob("*.wav")}
                    self.assertEqual(len(copies), 5)
                    self.assertGreater(min(copies.values()), 800)
                    if command != "haul":
                        self.run_again("check", self.trips()[0], "--digests")
            self.assertEqual([name for name in tree(self.keel) if b"set-aside" in name], [])
            self.restore()
            shutil.rmtree(self.kept)
