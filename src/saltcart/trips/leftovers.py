"""Hidden files of ours that no trip needs any more: what was prepared when something was interrupted for good.

A prepared ledger is needed while its trip switches or is being undone, and while somebody works on the trip.  What
belongs to a trip that this computer knows nothing of may be another's; it is left to a person.
"""

import shutil
import time
from collections.abc import Callable, Iterator
from contextlib import suppress

from msgspec import Struct

from saltcart.errors import SaltCartError
from saltcart.home import home, trips_folder
from saltcart.own_names import NEIGHBOUR, PART, beside, trip_of
from saltcart.safefile import remove_if_there, sync_folder
from saltcart.shelves.walk import FILE, walk
from saltcart.system import os
from saltcart.trips import history
from saltcart.trips import trip as trips
from saltcart.trips.facts import Fact
from saltcart.trips.holding import worked_on
from saltcart.trips.trip import SWITCHING, UNDOING, Trip, names

PREPARED, COPYING, WRITING, PLAN, RECORD = "prepared ledger", "unfinished copy", "unfinished file", "plan", "record"
KEPT_SECONDS = 30 * 24 * 3600  # for a plan that somebody may still carry out


class Leftover(Struct, frozen=True):
    """A file or folder of ours that nothing needs: where, what it was for, its bytes, and the trip, "" for none.

    `foreign` when this computer does not know the trip.
    """

    path: str
    what: str
    bytes: int
    trip: str = ""
    foreign: bool = False


def needed_by(known: list[str]) -> Callable[[str], bool]:
    """What tells whether a trip still needs what was prepared for it; each trip is looked at once."""
    answers: dict[str, bool] = {}

    def needs(name: str) -> bool:
        if name not in answers:
            answers[name] = name in known and (worked_on(name) or state_of(name) in (SWITCHING, UNDOING, None))
        return answers[name]

    return needs


def state_of(name: str) -> str | None:
    """The state of a trip; None when its record cannot be read."""
    try:
        with trips.opened(name) as trip:
            return trip.state
    except SaltCartError:
        return None


def sweep(path: str, own: Trip) -> None:
    """Remove what other trips, which do not need it any more, have left prepared beside the ledger at `path`."""
    folder, lead = os.path.dirname(path), os.path.basename(beside(path, ""))
    with suppress(OSError):
        found = [name for name in os.listdir(folder) if name.startswith(lead) and trip_of(name) not in (None, own.name)]
        known = names() if found else []
        needs = needed_by(known)
        for name in found:
            if trip_of(name) in known and not needs(str(trip_of(name))):
                remove_if_there(os.path.join(folder, name))


def leftovers() -> list[Leftover]:
    """All that no trip needs: beside ledgers, at the new places of trips, and among our own data."""
    known = names()
    needs = needed_by(known)
    found: dict[str, Leftover] = {}
    folders: set[str] = set()
    tops: set[str] = set()
    plans = {(home() / "waybills").as_posix(): set[str](), (home() / "drafts").as_posix(): set[str]()}
    for trip in history.readable():
        folders |= {os.path.dirname(path) for row in trip.logbook.ledgers() for path in (row.path, row.place)}
        folders |= {shelf.stays_at for shelf in trip.waybill.shelves} | {trip.waybill.collection}
        if trip.rests and not worked_on(trip.name):
            tops |= {one.landing_folder for one in trip.waybill.shelves}
        plans[(home() / "waybills").as_posix()].add(os.path.basename(str(trip.logbook.fact(Fact.SOURCE, ""))))
        plans[(home() / "drafts").as_posix()].add(f"{trip.waybill.draft}.jsonl")
    for one in (*hidden_in(folders | tops, known, needs), *copies_in(tops), *own_data(plans)):
        found[one.path] = one
    return sorted(found.values(), key=lambda one: one.path)


def hidden_in(folders: set[str], known: list[str], needs: Callable[[str], bool]) -> Iterator[Leftover]:
    """The hidden files right in some folders."""
    for folder in filter(None, sorted(folders)):
        with suppress(OSError), os.scandir(folder) as entries:
            for entry in entries:
                trip = trip_of(entry.name)
                if trip and not needs(trip) and entry.is_file(follow_symlinks=False):
                    yield Leftover(entry.path, PREPARED, entry.stat().st_size, trip, trip not in known)
                elif NEIGHBOUR.search(entry.name) and entry.is_file(follow_symlinks=False):
                    yield Leftover(entry.path, WRITING, entry.stat().st_size)


def copies_in(tops: set[str]) -> Iterator[Leftover]:
    """The copies that were never finished, at the new places of trips that rest."""
    for top in sorted(tops):
        for item in walk(top):
            if item.kind == FILE and PART.fullmatch(os.path.basename(item.path)):
                yield Leftover(os.path.join(top, item.path), COPYING, item.disk_bytes)


def own_data(plans: dict[str, set[str]]) -> Iterator[Leftover]:
    """Plans that never became a trip, what drafts saw of them, and trips that were interrupted while they were made."""
    for folder, wanted in plans.items():
        with suppress(OSError), os.scandir(folder) as entries:
            for entry in entries:
                if entry.name not in wanted and entry.stat().st_mtime < time.time() - KEPT_SECONDS:
                    yield Leftover(entry.path, PLAN, entry.stat().st_size)
    for path in trips_folder().glob(".*"):
        yield Leftover(path.as_posix(), RECORD, sum(item.size for item in walk(path.as_posix())))


def remove(found: list[Leftover]) -> int:
    """Remove leftovers; the bytes that are free then."""
    freed = 0
    for one in found:
        with suppress(OSError):
            shutil.rmtree(one.path) if one.what == RECORD else remove_if_there(one.path)
            sync_folder(os.path.dirname(one.path))
            freed += one.bytes
    return freed
