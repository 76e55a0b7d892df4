"""Copying and reading back in this process, or in several at once.

With many small files one process is busy with itself rather than with the drives, so several share the work."""

import errno
import multiprocessing
import signal
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from functools import partial
from typing import NamedTuple, Protocol, TypeVar

from saltcart.drives import drive_of
from saltcart.hauling.file_copy import FileCopy, FileTrouble, Tell, copy_file, silent
from saltcart.shelves.digests import BLAKE3, digest_file
from saltcart.shelves.marks import Mark
from saltcart.system import here, os

# More processes than processors, since they wait for a drive half of the time.
MAX_WORKERS = 8
MANY_FILES, MANY_BYTES = 200, 256 << 20
BATCH_FILES, BATCH_BYTES = 25, 32 << 20
Result = TypeVar("Result")


class Outcome(NamedTuple):
    """What became of a file: its digest, or else why there is none; what of it the new drive could not keep; and, of a
    file that was copied, the mark of the original as it was read.
    """

    digest: str
    why: str = ""
    lost: frozenset[str] = frozenset()
    source: Mark | None = None


class Reading(NamedTuple):
    """One file to read: its path in the shelf, where it lies, its size in bytes, and the kind of digest to take."""

    path: str
    place: str
    size: int
    digests: str = BLAKE3


Task = TypeVar("Task", FileCopy, Reading)


class Workers(Protocol):
    """What copies files and reads them back.  Each call begins the work and returns a function that waits for its
    outcomes.
    """

    def copy(self, jobs: Sequence[FileCopy], tell: Tell) -> Callable[[], list[Outcome]]:
        """Copy files under their temporary names.  The wait raises OSError when the destination fails."""

    def read(self, readings: Sequence[Reading], tell: Tell) -> Callable[[], list[Outcome]]:
        """Read files from their drive."""

    def stop(self) -> None:
        """End all work at once."""


class InProcess:
    """This very process, which does the work when it is waited for."""

    def copy(self, jobs: Sequence[FileCopy], tell: Tell) -> Callable[[], list[Outcome]]:
        """See Workers.copy."""
        return partial(copy_batch, jobs, tell)

    def read(self, readings: Sequence[Reading], tell: Tell) -> Callable[[], list[Outcome]]:
        """See Workers.read."""
        return lambda: [read_one(reading, partial(tell, "read back", reading.path)) for reading in readings]

    def stop(self) -> None:
        """See Workers.stop."""


class WorkerProcesses:
    """Several processes that work off batches of jobs; they end with the process that made them."""

    def __init__(self) -> None:
        context = multiprocessing.get_context(here.POOL)
        self.workers = ProcessPoolExecutor(
            min(MAX_WORKERS, 2 * (os.cpu_count() or 1)), context, start_worker, (os.getpid(),)
        )

    def copy(self, jobs: Sequence[FileCopy], tell: Tell) -> Callable[[], list[Outcome]]:
        """See Workers.copy."""
        return self.work(lambda batch: self.workers.submit(copy_batch, batch), "copy", jobs, tell)

    def read(self, readings: Sequence[Reading], tell: Tell) -> Callable[[], list[Outcome]]:
        """See Workers.read."""
        return self.work(lambda batch: self.workers.submit(read_batch, batch), "read back", readings, tell)

    def work(
        self, submit: Callable[[Sequence[Task]], Future[list[Result]]], step: str, tasks: Sequence[Task], tell: Tell
    ) -> Callable[[], list[Result]]:
        """Hand work out in batches.  The wait raises what a process met, and OSError when one was ended from
        outside.
        """
        with pool_errors():
            futures = [(batch, submit(batch)) for batch in batches(tasks)]

        def wait() -> list[Result]:
            results: list[Result] = []
            with pool_errors():
                for batch, future in futures:
                    results += future.result()
                    tell(step, batch[-1].path, sum(task.size for task in batch))
            return results

        return wait

    def stop(self) -> None:
        """See Workers.stop."""
        # Killed, not asked: what they were writing has only a temporary name, and the next start writes it anew.
        for child in multiprocessing.active_children():
            child.kill()
        self.workers.shutdown(wait=True, cancel_futures=True)


def worth_several_processes(files: int, size: int) -> bool:
    """Whether so many files of so many bytes together are done quicker by several processes."""
    return files >= MANY_FILES or (files > 1 and size >= MANY_BYTES)


@contextmanager
def pool_errors() -> Iterator[None]:
    """Turn the end of a process from outside (a system short of memory, someone's kill) into an OSError."""
    try:
        yield
    except BrokenProcessPool as error:
        raise OSError(errno.EIO, "a process that copies was ended from outside") from error


def read_all(readings: Sequence[Reading], tell: Tell) -> list[Outcome]:
    """The outcomes of reading files from their drive: with many by several processes, unless a disk would have to
    move its head between them.
    """
    many = worth_several_processes(len(readings), sum(reading.size for reading in readings))
    workers: Workers = WorkerProcesses() if many and not drive_of(readings[0].place).facts.spinning else InProcess()
    try:
        return workers.read(readings, tell)()
    finally:
        workers.stop()


def batches(tasks: Sequence[Task]) -> Iterator[list[Task]]:
    """Tasks in portions that keep every process busy."""
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


def start_worker(parent: int) -> None:
    """Set up a worker: signals are left to the process that made it, and it ends when that one has gone."""
    for number in here.INTERRUPTS:
        signal.signal(number, signal.SIG_DFL if number == signal.SIGTERM else signal.SIG_IGN)
    here.end_with_parent()
    threading.Thread(target=exit_with_parent, args=(parent,), daemon=True).start()


def exit_with_parent(parent: int) -> None:
    """End this process soon after its caller."""
    while os.getppid() == parent:
        time.sleep(0.5)
    os._exit(1)


def copy_batch(jobs: Sequence[FileCopy], tell: Tell = silent) -> list[Outcome]:
    """Copy some files."""
    outcomes: list[Outcome] = []
    for job in jobs:
        try:
            copied = copy_file(job, tell)
            outcomes.append(Outcome(copied.digest, lost=copied.lost, source=copied.source))
        except FileTrouble as trouble:
            outcomes.append(Outcome("", str(trouble)))
    return outcomes


def read_batch(readings: Sequence[Reading]) -> list[Outcome]:
    """The digests of some files as their drive gives them back, or why there are none."""
    return [read_one(reading) for reading in readings]


def read_one(reading: Reading, tell: Callable[[int], None] | None = None) -> Outcome:
    """The digest of one file as its drive gives it back, or why there is none."""
    try:
        return Outcome(digest_file(reading.place, reading.digests, past_cache=True, tell=tell))
    except OSError as error:
        return Outcome("", error.strerror or str(error))
