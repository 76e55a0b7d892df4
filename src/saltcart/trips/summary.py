"""The figures of a trip as plain data, for the history and for the result of every step."""

from msgspec import Struct

from saltcart.trips import trip as trips
from saltcart.trips.facts import Fact
from saltcart.trips.history import readable
from saltcart.trips.records import LISTED, PLACING, TROUBLE, VERIFIED, LedgerRow
from saltcart.trips.trip import RELEASED, SWITCHED, Trip
from saltcart.waybills.shelf import Shelf


class ShelfSummary(Struct, frozen=True):
    """One shelf of a trip with its files and bytes, but for those it goes without, and where its originals are set
    aside (None when they are not).
    """

    shelf: Shelf
    files: int
    bytes: int
    aside: str | None


class TripSummary(Struct, frozen=True):
    """One trip; times ISO 8601 in UTC, None for what has not happened.  The `collection` is the one that it carried."""

    trip: str
    state: str
    started: str
    finished: str | None
    shelves: list[ShelfSummary]
    ledgers: list[LedgerRow]
    freed_bytes: int
    events: list[tuple[str, str]]
    folder: str
    collection: str = ""

    @property
    def files(self) -> int:
        """Regular files in all shelves."""
        return sum(shelf.files for shelf in self.shelves)

    @property
    def bytes(self) -> int:
        """Bytes in all shelves."""
        return sum(shelf.bytes for shelf in self.shelves)


def summary(name: str) -> TripSummary:
    """The account of the trip of that id.  UsageError when there is none."""
    with trips.opened(name) as trip:
        return summary_of(trip)


def summary_of(trip: Trip) -> TripSummary:
    """The account of an open trip."""
    log = trip.logbook
    away = trip.state == SWITCHED
    shelves = [
        ShelfSummary(one.shelf, *one.totals(LISTED, PLACING, VERIFIED, TROUBLE), one.aside if away else None)
        for one in trip.shelves
    ]
    finished = log.fact(Fact.FINISHED)
    freed = log.fact(Fact.FREED_BYTES, 0) if trip.state == RELEASED else 0
    return TripSummary(
        trip.name,
        trip.state,
        log.fact(Fact.STARTED, ""),
        finished if isinstance(finished, str) else None,
        shelves,
        log.ledgers(),
        freed,
        log.events(),
        trip.folder,
        trip.waybill.collection,
    )


def history() -> list[TripSummary]:
    """Every trip whose record can be read, the oldest first."""
    return [summary_of(trip) for trip in readable()][::-1]
