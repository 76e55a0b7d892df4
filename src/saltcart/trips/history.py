"""All trips there were: each record is read once in a run, as long as it stays the same.

Two years of use hold hundreds of trips, and every command asks about them more than once.
"""

import json
import sqlite3
from collections.abc import Iterator
from contextlib import ExitStack, closing, suppress
from functools import cached_property
from typing import Any
from urllib.parse import quote

from msgspec import Struct

from saltcart.errors import SaltCartError, UsageError
from saltcart.home import trips_folder
from saltcart.safefile import digest_of
from saltcart.system import os
from saltcart.trips.facts import Fact
from saltcart.trips.logbook import RECORDED, Logbook
from saltcart.trips.trip import ENDED, SWITCHED, Trip, logbook_at, names, next_step, opened, readably, refuse_newer
from saltcart.waybills import waybill_file
from saltcart.waybills.waybill import Waybill

State = tuple[int, int, int, int]


class Known(Struct):
    """What the record of one trip said when it was `seen` so."""

    seen: tuple[State | int | None, ...]
    waybill: Waybill
    facts: dict[str, Any]


class LaterLogbook(Logbook):
    """A logbook whose facts are known; it is opened when something else is asked of it."""

    def __init__(self, path: str, facts: dict[str, Any]):
        self.path, self.facts, self.stack = path, facts, ExitStack()

    @cached_property
    def database(self) -> sqlite3.Connection:  # type: ignore[override]
        """The open database.  Raises what `opened` raises."""
        with readably(os.path.basename(os.path.dirname(self.path))):
            return self.stack.enter_context(logbook_at(self.path, False)).database

    def value(self, name: str, default: Any = None) -> Any:
        """See Logbook.value."""
        return self.facts.get(name, default)

    def close(self) -> None:
        """See Logbook.close."""
        self.stack.close()


KNOWN: dict[str, Known] = {}  # by the folders of trips


def readable() -> Iterator[Trip]:
    """Every trip, the newest first, each open while it is looked at; one whose record is damaged is no reason to stop
    work on others.
    """
    for name in reversed(names()):
        folder = (trips_folder() / name).as_posix()
        with suppress(SaltCartError, sqlite3.DatabaseError, OSError):
            known = record_of(name, folder)
            logbook = LaterLogbook(os.path.join(folder, "logbook.sqlite"), known.facts)
            with closing(logbook):
                yield Trip(name, folder, known.waybill, logbook)


def record_of(name: str, folder: str) -> Known:
    """What the record of a trip says, read when it has changed.  Raises what `opened` raises."""
    book = os.path.join(folder, "logbook.sqlite")
    seen = (*map(state_of, (book, f"{book}-wal", os.path.join(folder, "waybill.toml"))), RECORDED[book])
    known = KNOWN.get(folder)
    if known is None or known.seen != seen:
        known = KNOWN[folder] = read(name, folder, seen)
    return known


def read(name: str, folder: str, seen: tuple[State | int | None, ...]) -> Known:
    """The same, read now."""
    book, wal = os.path.join(folder, "logbook.sqlite"), seen[1]
    if wal is None and seen[0]:  # then all is in the one file, and nobody writes
        with suppress(sqlite3.Error), closing(sqlite3.connect(f"file:{quote(book)}?immutable=1", uri=True)) as database:
            facts = facts_in(database)
            refuse_newer(name, facts.get(Fact.FORMAT, 1))
            database.execute("SELECT count(*) FROM event").fetchone()  # where damage is met that facts do not show
            return Known(seen, waybill_file.read(os.path.join(folder, "waybill.toml")), facts)
    with opened(name) as trip:
        return Known(seen, trip.waybill, facts_in(trip.logbook.database))


def facts_in(database: sqlite3.Connection) -> dict[str, Any]:
    """All facts of a logbook."""
    return {name: json.loads(value) for name, value in database.execute("SELECT name, value FROM fact")}


def state_of(path: str) -> State | None:
    """What tells a file from itself after a change; None when there is none."""
    try:
        state = os.stat(path)
    except OSError:
        return None
    return state.st_ino, state.st_size, state.st_mtime_ns, state.st_ctime_ns


def unfinished(waybill_path: str) -> str | None:
    """The id of a trip already under way for this very waybill, unchanged since; None when there is none.

    One on which nothing moves is over once it has switched: what is to be changed after that is to be changed anew.
    """
    source, plan = os.path.realpath(waybill_path), digest_of(waybill_path)
    for trip in readable():
        same = (trip.logbook.fact(Fact.SOURCE), trip.logbook.fact(Fact.PLAN)) == (source, plan)
        over = trip.state in ENDED or (trip.state == SWITCHED and not trip.waybill.shelves)
        if same and not over:
            return trip.name
    return None


def latest(*states: str, otherwise: str | None = None, began: str = "", dropping: bool = False) -> str:
    """The id of the trip that a command without an id means.

    That is one which the same command `began` and did not end, by its state, or of which the copies are partly removed,
    where the command is about `dropping` them.  Else it is the newest in one of these states, else in the state
    `otherwise`.  UsageError when there is none.
    """
    found = [(trip.name, trip.state, trip.dropping) for trip in readable()]
    for name, state, half_dropped in found:
        if state == began or (dropping and half_dropped):
            return name
    for wanted in (states, (otherwise,)):
        for name, state, _dropping in found:
            if state in wanted:
                return name
    for trip in readable():
        raise UsageError(
            f"No trip is ready for this: the newest, {trip.name}, is {trip.state}",
            f"{next_step(trip)} To see them all: saltcart trips",
        )
    raise UsageError("There are no trips yet", "Start with: saltcart move SHELF --to FOLDER")
