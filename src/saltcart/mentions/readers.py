"""Reading many files for mentions: a few at once here, and when there are many, by several processes.

Each answer is a Mention, None for a file that names no folder, or why it could not be read.
"""

from __future__ import annotations

import gc
import signal
import threading
import time
from collections import deque
from collections.abc import Iterable, Iterator, Sequence
from contextlib import suppress
from itertools import islice
from typing import TYPE_CHECKING

from saltcart.mentions.content import UNREADABLE, mentions_in
from saltcart.mentions.mention import Mention
from saltcart.mentions.packed import TooMuch
from saltcart.mentions.place_forms import PlaceForms
from saltcart.shelves.walk import Item
from saltcart.system import here, os

if TYPE_CHECKING:  # most searches are small, and do without
    from concurrent.futures import Future, ProcessPoolExecutor

Batch = list[tuple[str, Item]]
Answers = list[Mention | str | None]
CLOSED = "closed to you"
# Why something was not searched.
UNREADABLE_WORD, TOO_LARGE, TOO_MUCH = "could not be read", "too large", "not searched completely"
TOO_MANY_ROWS = "too many rows"
FIRST = 2  # batches that are read here before other processes are worth their start
MOST_PROCESSES = 8
SELDOM = 50_000  # things that are made before the memory is looked through for what nobody needs
AHEAD = 2  # batches that wait for each process
FORMS: list[PlaceForms] = []  # of the process that reads, set once when it starts


class Readers:
    """Reads batches of files; a context manager, at whose end no process is left."""

    def __init__(self, forms: Sequence[PlaceForms]):
        self.forms = list(forms)
        self.pool: ProcessPoolExecutor | None = None
        self.broken = False

    def __enter__(self) -> Readers:
        return self

    def __exit__(self, *_error: object) -> None:
        if self.pool:
            self.pool.shutdown(wait=True, cancel_futures=True)

    def read(self, batches: Iterable[Batch]) -> Iterator[tuple[Batch, Answers]]:
        """Each batch with its answers, in any order: what the others have no time for is read here."""
        waiting = iter(batches)
        for batch in islice(waiting, FIRST):
            yield batch, answers(batch, self.forms)
        count = min(MOST_PROCESSES, max(1, here.processors() - 1))
        at_work: deque[tuple[Batch, Future[Answers]]] = deque()
        for batch in waiting:
            while at_work and at_work[0][1].done():
                yield self.finished(*at_work.popleft())
            future = self.begun(batch, count) if len(at_work) < AHEAD * count else None
            if future:
                at_work.append((batch, future))
            else:
                yield batch, answers(batch, self.forms)
        for done in at_work:
            yield self.finished(*done)

    def begun(self, batch: Batch, count: int) -> Future[Answers] | None:
        """A batch given to another process; None when there is none to be had."""
        from concurrent.futures import BrokenExecutor

        if self.broken:
            return None
        try:
            return self.started(count).submit(answer, [path for path, _item in batch])
        except (BrokenExecutor, OSError):
            self.broken = True
            return None

    def finished(self, batch: Batch, future: Future[Answers]) -> tuple[Batch, Answers]:
        """A batch with its answers; read here when its process has died."""
        from concurrent.futures import BrokenExecutor

        try:
            return batch, future.result()
        except BrokenExecutor:
            self.broken = True
            return batch, answers(batch, self.forms)

    def started(self, count: int) -> ProcessPoolExecutor:
        """The processes; new ones, not copies of this one, since they must not hold its locks."""
        from concurrent.futures import ProcessPoolExecutor
        from multiprocessing import get_context

        if self.pool is None:
            self.pool = ProcessPoolExecutor(count, get_context("spawn"), begin, (self.forms, os.getpid()))
        return self.pool


def begin(forms: list[PlaceForms], parent: int) -> None:
    """What a process does first: an interrupt is its parent's affair, and it does not outlive it."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    FORMS[:] = forms
    gc.set_threshold(SELDOM)

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(0.5)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()


def answer(paths: Sequence[str]) -> Answers:
    """The answers for some files, in a separate process."""
    return [answer_for(path, FORMS) for path in paths]


def answers(batch: Batch, forms: Sequence[PlaceForms]) -> Answers:
    """The answers for a batch."""
    return [answer_for(path, forms) for path, _item in batch]


def answer_for(path: str, forms: Sequence[PlaceForms]) -> Mention | str | None:
    """The answer for one file."""
    try:
        mention = mentions_in(path, forms)
    except UNREADABLE as error:
        if isinstance(error, OSError) and (vanished(path, error) or closed(path, error)):
            return CLOSED if closed(path, error) else None
        return TOO_MUCH if isinstance(error, TooMuch) else str(error) or type(error).__name__
    return mention if mention.count or mention.above or mention.pieces else None


def closed(path: str, error: OSError) -> bool:
    """Whether something cannot be read because it belongs to others: it is closed to what this user runs, too."""
    with suppress(OSError):
        return isinstance(error, PermissionError) and not here.is_mine(os.lstat(path))
    return False


def vanished(path: str, error: OSError) -> bool:
    """Whether something went while the search was on its way to it, though the folder it was in is there: a temporary
    file of some program.  What went with its whole drive is not known.
    """
    return isinstance(error, FileNotFoundError) and os.path.isdir(os.path.dirname(path))
