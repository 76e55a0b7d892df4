"""One history: a command meets trouble, drives are connected again, and the command is typed once more.

The law, judged by what lies on the drives: after the second time all is as after an undisturbed run.  Until then an
exit status of 3 means that nothing was changed, 0 that all is done; and nothing is written into the empty folder that a
drive leaves at its mount point.
"""

import errno
import os
import re
import shutil

from tests.switching.crash_cases import CrashCase
from tests.switching.crashing import FAILED, KILLED, Trouble, plug_in, pull, run_with

MOST = 900
# With SALTCART_EVERY_POINT=3 every third point of each kind of trouble is met, from SALTCART_PHASE (1, 2, 3) on: three
# such runs are one over all points.
STEP, PHASE = int(os.environ.get("SALTCART_EVERY_POINT") or 0), int(os.environ.get("SALTCART_PHASE") or 1)
TRIP = re.compile(rb"(set-aside-|saltcart-)[a-z0-9]{4}(?![a-z0-9])")
PREPARED = re.compile(rb"(.*/)?\.[^/]*\.saltcart-[^/]*")  # what was made ready under a hidden name


class Campaign(CrashCase):
    """`words` is the command under trouble; `prepare` leads up to it.  `drives` are those that may be pulled."""

    drives = ("keel", "lighter", "home")
    step = STEP or 307

    def setUp(self):
        super().setUp()
        on_drive(self.top, "world")  # else an empty mount folder is on the drive of the worlds of all other tests

    def prepare(self):
        """Make the world in which the command is typed; its words."""
        raise NotImplementedError

    def drive_folders(self):
        """The folder of each drive that may be pulled."""
        return {name: str(getattr(self, name, self.top / name)) for name in self.drives}

    def troubles(self):
        """Each kind of trouble by its name: what happens at operation number N."""
        yield "killed", lambda number: Trouble(kill_at=number)
        yield "power cut, all lost", lambda number: Trouble(kill_at=number, forget="all")
        yield "power cut, some lost", lambda number: Trouble(kill_at=number, forget="some")
        yield "input/output error", lambda number: Trouble({number: OSError(errno.EIO, "Input/output error")})
        yield "interrupted", lambda number: Trouble({number: KeyboardInterrupt()})
        yield (
            "interrupted, then killed",
            lambda number: Trouble({number: KeyboardInterrupt()}, kill_at=number + 3 + number % 5),
        )
        for name, folder in self.drive_folders().items():
            yield f"{name} pulled", lambda number, folder=folder: Trouble({number: lambda: pull(folder)})

    def seen(self):
        """The world with the ids of trips left out of names."""
        found = self.world()
        trees = [part for part in found if isinstance(part, dict)]
        return [
            {TRIP.sub(rb"\1", name) if isinstance(name, bytes) else name: what for name, what in part.items()}
            for part in trees
        ]

    def again(self, words, end):
        """Type the command again after the trouble, unless it had come through."""
        if self.seen() == end:
            return
        status = run_with(words, self.environment, Trouble())
        if self.seen() != end:  # what had begun was undone, and begins anew
            self.assertIn(status, (0, 1, 3, 4))
            status = run_with(words, self.environment, Trouble())
        self.assertEqual(self.seen(), end, f"typed again: status {status}")

    def meet(self, words, start, end, kind, trouble):
        """One history; whether the trouble was met."""
        status = run_with(words, self.environment, trouble)
        met = status == KILLED or status >= FAILED
        holes = {name: plug_in(folder) for name, folder in self.drive_folders().items()}
        left = {name: left for name, left in holes.items() if left}
        self.assertEqual(left, {}, "written into an empty mount folder")
        self.assertNotEqual(status, 99, "a traceback")
        if status in (0, FAILED):
            self.assertEqual(self.seen(), end, f"{kind}: it said that all is done")
        if status == FAILED + 3:
            self.assertEqual(self.seen(), start, f"{kind}: it said that nothing was changed")
        if met:
            self.again(words, end)
        return met

    def test_campaign(self):
        words = self.prepare()
        self.keep()
        start = self.seen()
        status = run_with(words, self.environment, Trouble())
        self.assertIn(status, (0, 1))
        end = self.seen()
        self.assertNotEqual(start, end)
        left = [name for part in end for name in part if isinstance(name, bytes) and PREPARED.fullmatch(name)]
        self.assertEqual(left, [], "left behind though nothing went wrong")
        turn = sum(map(ord, type(self).__name__)) % 2
        for offset, (kind, make) in enumerate(self.troubles()):
            if not STEP and offset % 2 != turn:
                continue  # a sample: the classes take turns with the kinds of trouble
            for number in range(PHASE if STEP else 1 + offset * 9, MOST, self.step):
                self.restore()
                with self.subTest(f"{kind} at {number}"):
                    if not self.meet(words, start, end, kind, make(number)):
                        break

    def restore(self):
        """Put the remembered world back."""
        for folder in self.drive_folders().values():
            shutil.rmtree(f"{folder}.pulled", ignore_errors=True)
        super().restore()


def on_drive(folder, name):
    """Let a folder be a drive of its own."""
    os.makedirs(folder, exist_ok=True)
    with open(os.path.join(folder, ".saltcart-drive.toml"), "w", encoding="utf-8") as stream:
        stream.write(f'name = "{name}"\nidentity = "test-{name}"\n')
