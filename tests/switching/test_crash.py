"""Killed before each durable operation, run again: the end is that of an undisturbed run, or undo restores the
start.
"""

import errno
import json
import re
import shutil
import sqlite3
from contextlib import closing
from typing import ClassVar
from unittest import mock

from saltcart.switching import all_or_nothing
from tests.switching.crash_cases import MOST, CrashCase, LinkedCase
from tests.switching.crashing import FAILED, run_until
from tests.world import tree


class Crash(LinkedCase):
    def test_haul(self):
        self.cut_haul(self.lighter / "Sounds")

    def test_repoint(self):
        self.cut_repoint()

    def test_a_program_that_opened_a_ledger_after_the_cut(self):
        trip = self.hauled_trip()
        for number in range(20, MOST, 4):
            run_until(("repoint", trip, "--yes"), self.environment, number)
            if self.state() == "switching":
                break
        with open(self.ledgers[2], "rb"):
            self.assertIn("old.m3u open", self.run_program("repoint", trip, "--yes", status=3).stderr)
        self.run_program("repoint", trip, "--yes")
        self.assert_all_play()

    def test_move_cut_off_and_typed_again(self):
        """The same command goes on, wherever it was."""
        words = ("move", *self.plan_words("--signpost", "--yes"))
        self.run_again(*words)
        end = self.nameless_world()
        trip = self.trips()[0]
        self.run_again("undo", trip, "--yes", "--drop-copies")
        shutil.rmtree(self.top / "home" / "trips")
        shutil.rmtree(self.lighter / "Sounds", ignore_errors=True)
        self.keep()
        for number in range(20, MOST, 19):
            self.restore()
            if run_until(words, self.environment, number) == 0:
                break
            with self.subTest(number):
                if self.state() != "switched":  # else only the look at it was interrupted
                    self.run_again(*words)
                self.assertEqual(self.nameless_world(), end)
                self.assertEqual(len(self.trips()), 1)

    def test_another_move_of_a_shelf_that_is_half_switched_is_refused(self):
        words = ("move", *self.plan_words("--signpost", "--yes"))
        with mock.patch.object(all_or_nothing, "carry_out", side_effect=KeyboardInterrupt):
            self.assertEqual(run_until(words, self.environment, 0), 4)
        self.assertEqual(self.state(), "switching")
        elsewhere = [str(self.lighter / "Packs") if word == str(self.lighter / "Sounds") else word for word in words]
        self.assertIn("saltcart repoint", self.run_program(*elsewhere, status=3).stderr)
        done = self.run_program(*words)
        self.assertIn("It continues", done.stdout)
        self.assertNotIn("interrupted", done.stderr)  # which asks for another command
        self.assert_all_play()

    def test_a_way_home_that_was_interrupted_in_its_switch_goes_on(self):
        trip = self.hauled_trip()
        self.run_again("repoint", trip, "--yes")
        self.run_again("release", trip, "--yes", "--own")
        words = ("undo", trip, "--yes")
        with mock.patch.object(all_or_nothing, "carry_out", side_effect=KeyboardInterrupt):
            self.assertEqual(run_until(words, self.environment, 0), 4)
        self.assertIn("It continues", self.run_program(*words).stdout)
        self.assertTrue((self.shelf / "low" / "C1.wav").is_file())
        self.assert_all_play()

    def state(self):
        """The state of the one trip, "" when there is none yet."""
        for trip in self.trips():
            with closing(sqlite3.connect(self.top / "home/trips" / trip / "logbook.sqlite")) as logbook:
                found = logbook.execute("SELECT value FROM fact WHERE name = 'state'").fetchone()
                return json.loads(found[0]) if found else ""
        return ""

    def nameless_world(self):
        """The world with the trip's id, which differs each time, left out of the names."""
        keel, *others = self.world()
        return {re.sub(rb"(set-aside-)....", rb"\1", name): digest for name, digest in keel.items()}, *others

    def test_repoint_that_fails_leaves_everything_old(self):
        trip = self.hauled_trip()
        hauled = self.world()
        for _number in self.each_crash("repoint", trip, "--yes", failing=OSError(errno.EIO, "I/O error")):
            if self.status > FAILED:
                self.assertEqual(self.world(), hauled)
                self.run_again("repoint", trip, "--yes")
            self.assert_all_play()

    def test_undo(self):
        self.cut_undo()

    def test_release(self):
        trip = self.hauled_trip()
        self.run_again("repoint", trip, "--yes")
        for _number in self.each_crash("release", trip, "--yes", "--own"):
            self.assert_all_play()
            self.run_again("release", trip, "--yes", "--own")
            self.assertEqual([name for name in tree(self.keel) if b"set-aside" in name], [])
            self.assert_all_play()


class CrashInPieces(CrashCase):
    """The same where a part of the shelf stays, so that it is set aside piece by piece, each with its signpost."""

    more = ("--signpost", "--exclude", "high", "low/C1.wav", "inside.m3u8")

    def test_repoint(self):
        self.cut_repoint()

    def test_undo(self):
        self.cut_undo()


class CrashOnItsDrive(CrashCase):
    """The same where the shelf stays on its drive, so that its files get second names."""

    kinds: ClassVar = {"keel": "ext4"}

    def plan_words(self, *more):
        (self.keel / "Attic").mkdir()
        words = super().plan_words(*more)
        return ["--to", str(self.keel / "Attic"), *words[:1], *words[3:]]

    def test_haul(self):
        self.cut_haul(self.keel / "Attic")
