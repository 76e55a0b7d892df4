"""One trip on disk: its folder, its waybill, its logbook and its state."""

import shutil
import sqlite3
import tempfile
from collections.abc import Iterator, Mapping
from contextlib import ExitStack, closing, contextmanager
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

from msgspec import Struct

from saltcart.errors import Refused, SaltCartError, Stopped, UsageError, show
from saltcart.home import home, require_home, trips_folder
from saltcart.own_names import set_aside_name
from saltcart.safefile import PRIVATE_FILE
from saltcart.system import os
from saltcart.trips.facts import Fact
from saltcart.trips.logbook import Logbook
from saltcart.trips.logbook_schema import FORMAT, known_format
from saltcart.trips.records import LedgerRow, now
from saltcart.trips.trip_shelf import TripShelf
from saltcart.waybills import waybill_file
from saltcart.waybills.shelf import Shelf
from saltcart.waybills.waybill import LedgerLine, Waybill

if TYPE_CHECKING:
    from saltcart.ledgers.base import Ledger
    from saltcart.ledgers.maps import Map

# The states of a trip, in order; the ones in -ing are where a crash may leave it.
HAULING, HAULED, SWITCHING, SWITCHED = "hauling", "hauled", "switching", "switched"
RELEASING, RELEASED, UNDOING, UNDONE = "releasing", "released", "undoing", "undone"
ENDED = (RELEASED, UNDONE)
RESTING = (HAULED, SWITCHED, *ENDED)

MARK = "under-way"


class Trip(Struct):
    """One carrying-out of a waybill."""

    name: str
    folder: str
    waybill: Waybill
    logbook: Logbook

    @property
    def shelves(self) -> list[TripShelf]:
        """Its shelves, each with what is recorded of it."""
        return [TripShelf(self.logbook, self.name, number, one) for number, one in enumerate(self.waybill.shelves)]

    @property
    def state(self) -> str:
        """Where the trip is."""
        return str(self.logbook.fact(Fact.STATE, HAULING))

    @property
    def copies(self) -> bool:
        """Whether it carries something, and the originals of all its shelves stay in use."""
        shelves = self.waybill.shelves
        return bool(shelves) and all(shelf.original_stays and not shelf.packed for shelf in shelves)

    @property
    def dropping(self) -> bool:
        """Whether it was undone and the removal of its copies has begun, and has not ended."""
        return self.state == UNDONE and bool(self.logbook.fact(Fact.DROPPING))

    @property
    def rests(self) -> bool:
        """Whether nothing of it is half done."""
        return self.state in RESTING and not self.dropping

    def enter(self, state: str, what: str, facts: Mapping[Fact, Any] = MappingProxyType({})) -> None:
        """Go into `state`, with `facts` that are true from then on, and tell the history `what` happened."""
        with self.logbook.together():
            ended = {Fact.FINISHED: now()} if state in ENDED else {}
            self.logbook.record({Fact.STATE: state, **ended, **facts})
            self.logbook.tell(what)

    def maps(self) -> "list[Map]":
        """The maps of this trip, from the copies kept in its folder.  OSError when their drive has gone."""
        from saltcart.trips.trip_ledgers import maps_in  # with all formats; what only tells of trips needs none

        require_home()
        return maps_in(self.folder)

    def line(self, row: LedgerRow) -> LedgerLine:
        """What the waybill says of a ledger; one that came out of an archive is not in it."""
        lines = self.waybill.ledgers
        return lines[row.number] if row.number < len(lines) else LedgerLine(row.path, row.map_name)

    def open_ledger(self, row: LedgerRow, place: str | None = None) -> "Ledger":
        """The ledger of `row` at its present place, or at another."""
        from saltcart.trips.trip_ledgers import opened_in

        return opened_in(self, row, place or row.place)

    def keep(self, number: int, suffix: str) -> str:
        """The path in the trip's folder for a file kept of ledger `number`."""
        return os.path.join(self.folder, "ledgers", f"{number:03d}{suffix}")

    def replan(self, shelves: list[Shelf]) -> None:
        """Change what the trip's own copy of the waybill says of its shelves."""
        from saltcart.waybills import waybill_text  # seldom, and it takes long to load

        self.waybill.shelves = shelves
        waybill_text.write(self.waybill, os.path.join(self.folder, "waybill.toml"), PRIVATE_FILE)

    def require(self, *states: str, step: str) -> None:
        """Raise Refused unless the trip is in one of `states`."""
        if self.state not in states:
            raise Refused(f"Trip {self.name} is {self.state}; {step} is not possible now", next_step(self))


def next_step(trip: Trip) -> str:
    """What can be typed next for a trip in its state."""
    if trip.dropping:
        return f"Remove the rest of its copies with: saltcart undo {trip.name} --drop-copies"
    if trip.state == SWITCHED and not trip.waybill.shelves:
        return f"Nothing moved, so there is nothing to release. To undo it: saltcart undo {trip.name}"
    return {
        HAULING: f"Continue with: saltcart haul {trip.name}",
        HAULED: f"Next: saltcart repoint {trip.name}",
        SWITCHING: f"Finish it with: saltcart repoint {trip.name}   or undo it: saltcart undo {trip.name}",
        SWITCHED: (
            f"Its originals stay in use. To point ledgers to them again: saltcart undo {trip.name}"
            if trip.copies
            else f"Next: saltcart check {trip.name}   then: saltcart release {trip.name}"
            f"   or: saltcart undo {trip.name}"
        ),
        RELEASING: f"Finish it with: saltcart release {trip.name}",
        UNDOING: f"Finish it with: saltcart undo {trip.name}",
        RELEASED: f"This trip is over: the originals are gone. To draft the way back: saltcart undo {trip.name}",
        UNDONE: "This trip was undone. To try again, start a new one.",
    }[trip.state]


def discard(trip: Trip) -> None:
    """Remove a trip that was refused before it touched anything."""
    trip.logbook.close()
    shutil.rmtree(trip.folder)


def names() -> list[str]:
    """The ids of all trips, the oldest first."""
    books = [path for path in trips_folder().glob("*/logbook.sqlite") if not path.parent.name.startswith(".")]
    return [path.parent.name for path in sorted(books, key=lambda path: (path.parent / "maps").stat().st_mtime_ns)]


@contextmanager
def opened(name: str, writing: bool = False) -> Iterator[Trip]:
    """The trip of that id, to read, or for `writing` by whoever holds it.

    UsageError when there is none, Refused or BadFile when its record is damaged, Stopped when our own data cannot be
    written.
    """
    folder = trips_folder() / name
    if not name or "/" in name or not (folder / "logbook.sqlite").is_file():
        require_home()  # else it may well be there
        known = ", ".join(names()[-5:]) or "none yet"
        raise UsageError(f"There is no trip {show(name)}", f"See saltcart trips. The latest: {known}.")
    plan = waybill_file.read(str(folder / "waybill.toml"))
    with readably(name), logbook_at(str(folder / "logbook.sqlite"), writing) as logbook:
        refuse_newer(name, logbook.format())
        yield Trip(name, folder.as_posix(), plan, logbook)


def refuse_newer(name: str, kind: Any) -> None:
    """Raise Refused for a trip whose logbook is of a format that only a later version knows."""
    if not known_format(kind):
        raise Refused(
            f"Trip {name} was made by a newer version of Salt Cart (format {kind}; this version knows {FORMAT})",
            "Its sounds and ledgers are where that version left them. Update Salt Cart, then run the same command"
            " again.",
        )


@contextmanager
def readably(name: str) -> Iterator[None]:
    """Say what it means when the record of a trip cannot be read or written."""
    folder = trips_folder() / name
    try:
        yield
    except sqlite3.OperationalError as error:
        raise Stopped(
            f"Salt Cart's own data at {show(home().as_posix())} cannot be written: {error}",
            "Nothing is lost. Make room there or give permission, then run the same command again.",
        ) from error
    except sqlite3.DatabaseError as error:
        remedy = (
            f"What it set aside is called {set_aside_name('NAME', name)}."
            f" Restore {show(folder.as_posix())} from a backup, or"
            " move it away."
        )
        raise Refused(f"The logbook of trip {name} is damaged ({error})", remedy) from error


@contextmanager
def logbook_at(path: str, writing: bool) -> Iterator[Logbook]:
    """The logbook at `path`; to read it where nothing can be written, which SQLite does not do, a copy of it."""
    with ExitStack() as stack:
        try:
            logbook = Logbook(path)
            logbook.events()
        except sqlite3.OperationalError:
            if writing:
                raise
            folder = stack.enter_context(tempfile.TemporaryDirectory(prefix="saltcart-"))
            for suffix in ("", "-wal"):
                if os.path.exists(path + suffix):
                    shutil.copyfile(path + suffix, os.path.join(folder, f"logbook.sqlite{suffix}"))
            logbook = Logbook(os.path.join(folder, "logbook.sqlite"))
        with closing(logbook):
            yield logbook


def damaged() -> dict[str, SaltCartError]:
    """What is wrong with the records of trips that cannot be read, by their ids."""
    found: dict[str, SaltCartError] = {}
    for name in names():
        try:
            with opened(name) as trip:
                trip.logbook.events()
        except SaltCartError as error:
            found[name] = error
    return found
