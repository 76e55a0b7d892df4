"""The ledgers and maps of one trip, opened.  They bring in every format, which the rest of a trip does without."""

from pathlib import Path

from saltcart.errors import BadLedger
from saltcart.ledgers.base import Ledger
from saltcart.ledgers.instrument_parts import INSTRUMENT, PART, parts_of
from saltcart.ledgers.kinds import head_of, open_ledger
from saltcart.ledgers.maps import Map, load_map
from saltcart.system import os
from saltcart.trips.records import LedgerRow
from saltcart.trips.trip import Trip


def maps_in(folder: str) -> list[Map]:
    """The maps that are kept in the folder of a trip."""
    return [load_map(path) for path in sorted(map(str, Path(folder, "maps").glob("*.toml")))]


def opened_in(trip: Trip, row: LedgerRow, place: str) -> Ledger:
    """The ledger of `row` when it lies at `place`."""
    return part_in(trip, row, place) if row.map_name == PART else open_ledger(place, trip.maps(), row.map_name)


def part_in(trip: Trip, row: LedgerRow, place: str) -> Ledger:
    """A part of the trip's instruments, as they read it from where they lie when it lies at `place`.  Raises Refused,
    or BadLedger when none of them includes it.
    """
    head_of(place)
    others = [other for other in trip.logbook.ledgers() if other.map_name == INSTRUMENT]
    mains = [other.place if place == row.place else other.path for other in others]
    part = parts_of(open_ledger(path, [], INSTRUMENT) for path in mains if os.path.exists(path)).get(place)
    if part is None:
        raise BadLedger(place, "no instrument of this trip includes it", "Draft the trip anew.")
    return part
