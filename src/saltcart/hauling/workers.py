"""Processes that copy and read back: with small files one alone is kept busy by itself rather than by the drives."""

import ctypes
import errno
import multiprocessing
import os
import signal
import sys
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from functools import partial
from typing import NamedTuple, Protocol, TypeVar

from saltcart.drives import drive_of
from saltcart.shelves.digests import BLAKE3, digest_file
from saltcart.trips.errand import Errand, SourceTrouble, Tell, copy_file, silent

# More hands than processors, for half of the time they wait for a drive.
MOST_HANDS = 8
MANY_FILES, MANY_BYTES = 200, 256 << 20
BATCH_FILES, BATCH_BYTES = 25, 32 << 20
PARENT_DIES = 1  # PR_SET_PDEATHSIG of prctl(2)
Result = TypeVar("Result")
# What became of a file: its digest, or else why there is none.
Outcome = tuple[str, str]


class Reading(NamedTuple):
    """One file to read: its path in the shelf, where it lies, its size in bytes, and the kind of digest to take."""

    path: str
    place: str
    size: int
    digests: str = BLAKE3


Task = TypeVar("Task", Errand, Reading)


class Hands(Protocol):
    """Who copies and reads back.  Both begin the work; what they return waits for the outcomes."""

    def copy(self, errands: Sequence[Errand], tell: Tell) -> Callable[[], list[Outcome]]:
        """Copy files under their temporary names.  The wait raises OSError when the destination fails."""

    def read(self, readings: Sequence[Reading], tell: Tell) -> Callable[[], list[Outcome]]:
        """Read files from their drive."""

    def dismiss(self) -> None:
        """End all work at once."""


class Alone:
    """This very process, which does the work when it is waited for."""

    def copy(self, errands: Sequence[Errand], tell: Tell) -> Callable[[], list[Outcome]]:
        """See Hands.copy."""
        return partial(copy_batch, errands, tell)

    def read(self, readings: Sequence[Reading], tell: Tell) -> Callable[[], list[Outcome]]:
        """See Hands.read."""
        return lambda: [read_one(reading, partial(tell, "read back", reading.path)) for reading in readings]

    def dismiss(self) -> None:
        """See Hands.dismiss."""


class Crew:
    """Some processes that work off batches of errands; they end with the one that called them."""

    def __init__(self) -> None:
        # Forked, so that a program which uses this as a library needs no guarded main module.
        context = multiprocessing.get_context("fork")
        self.hands = ProcessPoolExecutor(min(MOST_HANDS, 2 * (os.cpu_count() or 1)), context, sign_on, (os.getpid(),))

    def copy(self, errands: Sequence[Errand], tell: Tell) -> Callable[[], list[Outcome]]:
        """See Hands.copy."""
        return self.work(lambda batch: self.hands.submit(copy_batch, batch), "copy", errands, tell)

    def read(self, readings: Sequence[Reading], tell: Tell) -> Callable[[], list[Outcome]]:
        """See Hands.read."""
        return self.work(lambda batch: self.hands.submit(read_batch, batch), "read back", readings, tell)

    def work(self, submit: Callable[[Sequence[Task]], Future[list[Result]]], step: str, tasks: Sequence[Task], tell: Tell) -> Callable[[], list[Result]]:
        """Hand work out in batches.  The wait raises what a process met, and OSError when one was ended from outside."""
        with watched():
            futures = [(batch, submit(batch)) for batch in batches(tasks)]

        def wait() -> list[Result]:
            results: list[Result] = []
            with watched():
                for batch, future in futures:
                    results += future.result()
                    tell(step, batch[-1].path, sum(task.size for task in batch))
            return results

        return wait

    def dismiss(self) -> None:
        """See Hands.dismiss."""
        for child in multiprocessing.active_children():
            child.kill()
        self.hands.shutdown(wait=True, cancel_futures=True)


def worth_a_crew(files: int, size: int) -> bool:
    """Whether so many files of so many bytes together are done quicker by several processes."""
    return files >= MANY_FILES or files > 1 and size >= MANY_BYTES


@contextmanager
def watched() -> Iterator[None]:
    """Turn the end of a process from outside (a system short of memory, someone's kill) into an OSError."""
    try:
        yield
    except BrokenProcessPool as error:
        raise OSError(errno.EIO, "a process that copies was ended from outside") from error


def read_all(readings: Sequence[Reading], tell: Tell) -> list[Outcome]:
    """The outcomes of reading files from their drive: with many by a crew, unless a disk would have to move its head between them."""
    many = worth_a_crew(len(readings), sum(reading.size for reading in readings))
    hands: Hands = Crew() if many and not drive_of(readings[0].place).facts.spinning else Alone()
    try:
        return hands.read(readings, tell)()
    finally:
        hands.dismiss()


def batches(tasks: Sequence[Task]) -> Iterator[list[Task]]:
    """Tasks in portions that keep every hand busy."""
    batch: list[Task] = []
    size = 0
    for task in tasks:
        batch.append(task)
        size += task.size
        if len(batch) == BATCH_FILES or size >= BATCH_BYTES:
            yield batch
            batch, size = [], 0
    if batch:
        yield batch


def sign_on(parent: int) -> None:
    """Begin as a hand: signals are the caller's business, and a caller who is gone needs no more work."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGHUP, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    if sys.platform == "linux":
        ctypes.CDLL(None).prctl(PARENT_DIES, signal.SIGKILL)
    threading.Thread(target=leave_with, args=(parent,), daemon=True).start()


def leave_with(parent: int) -> None:
    """End this process soon after its caller."""
    while os.getppid() == parent:
        time.sleep(0.5)
    os._exit(1)


def copy_batch(errands: Sequence[Errand], tell: Tell = silent) -> list[Outcome]:
    """Copy some files."""
    outcomes: list[Outcome] = []
    for errand in errands:
        try:
            outcomes.append((copy_file(errand, tell), ""))
        except SourceTrouble as trouble:
            outcomes.append(("", str(trouble)))
    return outcomes


def read_batch(readings: Sequence[Reading]) -> list[Outcome]:
    """The digests of some files as their drive gives them back, or why there are none."""
    return [read_one(reading) for reading in readings]


def read_one(reading: Reading, tell: Callable[[int], None] | None = None) -> Outcome:
    """The digest of one file as its drive gives it back, or why there is none."""
    try:
        return digest_file(reading.place, reading.digests, past_cache=True, tell=tell), ""
    except OSError as error:
        return "", error.strerror or str(error)
