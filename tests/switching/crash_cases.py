"""What histories that are interrupted have in common: a world, and how it is compared afterwards."""

import os
import shutil
import sqlite3
import warnings
from contextlib import closing

from tests.switching.crashing import FAILED, KILLED, run_until
from tests.world import WorldCase, cells, tree

MOST = 400

# The suite takes some of the points; with this set in the environment, all.
EVERY_POINT = bool(os.environ.get("SALTCART_EVERY_POINT"))

SAMPLED = 1 if EVERY_POINT else 25  # no multiple of 3, so that every kind of death comes


class CrashCase(WorldCase):
    more = ("--signpost",)
    step = SAMPLED
    folder = "/dev/shm" if os.access("/dev/shm", os.W_OK) else None  # hundreds of worlds: in memory where possible

    def setUp(self):
        super().setUp()
        warnings.simplefilter("ignore", DeprecationWarning)  # a forked child of a threaded process
        self.furnish()
        self.waybill = str(self.top / "w.toml")
        self.run_program("draft", *self.plan_words("-o", self.waybill, *self.more))

    def keep(self):
        """Remember the whole world as it is now."""
        self.kept = self.top.with_name(self.top.name + "-kept")
        shutil.copytree(self.top, self.kept, symlinks=True)
        self.addCleanup(shutil.rmtree, self.kept, ignore_errors=True)

    def restore(self):
        """Put the remembered world back."""
        shutil.rmtree(self.top)
        shutil.copytree(self.kept, self.top, symlinks=True)

    def world(self):
        """What must be equal in the end: both drives, databases by their cells."""
        return tree(self.keel, "library.db"), tree(self.lighter), cells(self.library)

    def each_crash(self, *words, failing=None):
        """Cut `words` off at its first, second, ... durable operation until it gets through; each number."""
        self.keep()
        for number in range(1, MOST, self.step):
            self.restore()
            # A third of the deaths are those of a program, the others power cuts that lose what was not flushed.
            forget = (None, "all", "some")[number % 3] if not failing else None
            self.status = status = run_until(words, self.environment, number, failing, forget)
            if status == 0:
                self.assertGreater(number, 5)
                return
            self.assertIn(status, (KILLED, FAILED, FAILED + 3, FAILED + 4))
            with self.subTest(f"{words[0]} cut off at {number}, status {status}, names forgotten: {forget}"):
                yield number
        self.fail("never got through")

    def run_again(self, *words):
        """Run without a crash, in a child for speed."""
        self.assertEqual(run_until(words, self.environment, 0), 0, words)

    def trips(self):
        """The ids of all trips; one that was interrupted while it was made is none."""
        folder = self.top / "home" / "trips"
        return [name for name in os.listdir(folder) if not name.startswith(".")] if folder.exists() else []

    def hauled_trip(self):
        """The id of a trip that is hauled."""
        self.run_again("haul", self.waybill)
        return self.trips()[0]

    def cut_repoint(self):
        """Cut repoint off everywhere; every other time it is carried on, every other time taken back."""
        start = self.world()
        trip = self.hauled_trip()
        self.keep()
        self.run_again("repoint", trip, "--yes")
        end = self.world()
        self.restore()
        shutil.rmtree(self.kept)
        for number in self.each_crash("repoint", trip, "--yes"):
            forward = number // self.step % 2
            (
                self.run_again("repoint", trip, "--yes")
                if forward
                else self.run_again("undo", trip, "--yes", "--drop-copies")
            )
            if forward:
                self.assertEqual(self.world(), end)
                self.assert_all_play()
            else:
                self.assertEqual((self.world()[0], self.world()[2]), (start[0], start[2]))

    def cut_undo(self):
        """Cut undo off everywhere; run again, it restores the start."""
        start = self.world()
        trip = self.hauled_trip()
        self.run_again("repoint", trip, "--yes")
        for _number in self.each_crash("undo", trip, "--yes", "--drop-copies"):
            self.run_again("undo", trip, "--yes", "--drop-copies")
            self.assertEqual((self.world()[0], self.world()[2]), (start[0], start[2]))

    def cut_haul(self, target):
        """Cut the haul to the folder `target` off everywhere; the originals stay, and run again, it ends as if
        nothing had been.
        """
        before = self.originals()
        self.run_again("haul", self.waybill)
        hauled = self.world()
        self.assertEqual(self.originals(), before)
        trip = self.trips()[0]
        self.run_again("undo", trip, "--yes", "--drop-copies")
        shutil.rmtree(self.top / "home" / "trips")
        shutil.rmtree(target, ignore_errors=True)
        empty = tree(self.lighter)
        for number in self.each_crash("haul", self.waybill):
            self.assertEqual(self.originals(), before)
            # What was done is not done again: names that the record has are there, whatever the power cut took.
            self.assertEqual([path for path in self.recorded() if not (target / "Bell Tones" / path).exists()], [])
            if number // SAMPLED % 2 and self.trips():  # given up: nothing of ours stays
                self.run_again("undo", self.trips()[0], "--yes", "--drop-copies")
                self.assertEqual((self.originals(), tree(self.lighter)), (before, empty))
            else:
                self.run_again("haul", self.waybill)
                self.assertEqual(self.world(), hauled)

    def recorded(self):
        """The files of which a trip's record says that their copies are verified."""
        query = "SELECT CAST(path AS TEXT) FROM file WHERE state = 'verified'"
        found = []
        for name in self.trips():
            with closing(sqlite3.connect(self.top / "home" / "trips" / name / "logbook.sqlite")) as logbook:
                found += [path for (path,) in logbook.execute(query)]
        return found

    def originals(self):
        """What a haul must not touch."""
        return tree(self.keel, "library.db", "Attic"), cells(self.library)


class LinkedCase(CrashCase):
    """With a signpost, and a link that entries go through."""

    more = ("--signpost", "--turn-links")

    def furnish(self):
        super().furnish()
        lists = self.keel / "lists"
        (lists / "bells").symlink_to("../Sounds/Bell Tones")
        (lists / "through.m3u8").write_text("bells/low/C1.wav\n")
        self.ledgers.append(str(lists / "through.m3u8"))
