"""Times of folders out of which originals are set aside: an undo gives them back, unless something else has happened
in them since.
"""

from collections.abc import Iterable
from contextlib import suppress

from saltcart.shelves.walk import FOLDER
from saltcart.system import os
from saltcart.trips.facts import Fact
from saltcart.trips.trip import Trip


def of_sources(trip: Trip) -> dict[str, int]:
    """The folders out of which something will be set aside, with when each was last changed."""
    folders = []
    for one in trip.shelves:
        if not one.shelf.original_stays:
            rows, old = one.rows(kind=FOLDER) if one.shelf.divided else (), one.shelf.old
            folders += [f"{old}/{row.item.path}".rstrip("/") for row in rows] or [os.path.dirname(old)]
    return times_of(folders)


def times_of(folders: Iterable[str]) -> dict[str, int]:
    """When each folder that is there was last changed, in nanoseconds."""
    found = {}
    for folder in folders:
        with suppress(OSError):
            found[folder] = os.stat(folder).st_mtime_ns
    return found


def note_after(trip: Trip) -> None:
    """Record what the switch itself has made of these times."""
    trip.logbook.record({Fact.TIMES_AFTER: times_of(trip.logbook.fact(Fact.TIMES_BEFORE, {}))})


def untouched(trip: Trip) -> dict[str, int]:
    """The times as they were, of the folders in which nothing has happened since the switch."""
    before, after = trip.logbook.fact(Fact.TIMES_BEFORE, {}), trip.logbook.fact(Fact.TIMES_AFTER, {})
    now = times_of(after)
    return {folder: before[folder] for folder, time in after.items() if now.get(folder) == time and folder in before}


def give_back(trip: Trip) -> None:
    """Let the folders have the times that they had."""
    for folder, time in trip.logbook.fact(Fact.TIMES_GIVEN_BACK, {}).items():
        with suppress(OSError):
            os.utime(folder, ns=(os.stat(folder).st_atime_ns, time))
