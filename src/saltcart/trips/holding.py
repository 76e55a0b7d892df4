"""Who works on a trip just now."""

import sqlite3
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager, suppress
from pathlib import Path

from saltcart.errors import Refused, SaltCartError, show
from saltcart.home import made_home, trips_folder
from saltcart.own_names import short_name
from saltcart.system import os
from saltcart.trips.locks import Locked, locked
from saltcart.trips.trip import ENDED, MARK, Trip, discard, next_step, opened


@contextmanager
def held(name: str) -> Iterator[Trip]:
    """The trip of that id, to work on: nobody else may until this ends.  Refused when somebody does."""
    with opened(name, writing=True) as trip:
        shelves = trip.waybill.shelves
        along = {one.landing_folder for one in shelves if one.along}  # thousands are no rare thing
        places = along | {path for one in shelves if not one.along for path in (one.old, one.new)}
        places |= {line.over or line.path for line in trip.waybill.ledgers}
        locks = made_home("locks")
        # Of a process that died the system takes the locks back, so that a stale file means nothing.
        wanted = {
            os.path.join(trip.folder, "lock"): f"trip {name}",
            **{str(locks / short_name(place, 16)): show(place) for place in sorted(places)},
        }
        with ExitStack() as held_locks:
            for path, what in wanted.items():
                try:
                    held_locks.enter_context(locked(path))
                except Locked:
                    raise Refused(
                        f"Another saltcart is working on {what}{holder(path)}", "Wait until it has ended."
                    ) from None
                Path(path + ".holder").write_text(f"trip {name}, process {os.getpid()}", encoding="utf-8")
            with under_way(trip):
                yield trip


@contextmanager
def under_way(trip: Trip) -> Iterator[None]:
    """Leave a mark in the trip's folder while it is worked on, and after that where it has not come to a rest: what was
    interrupted is seen at a glance.  A mark with nothing in it says that it rests.
    """
    mark = Path(trip.folder, MARK)
    with suppress(OSError):
        mark.write_text("under way\n")
    try:
        yield
    finally:
        with suppress(OSError, sqlite3.Error):  # which is closed when the record was removed
            if trip.rests:
                mark.write_text("")


def cut_off() -> list[tuple[str, str, str]]:
    """Id, state and what to type next of each trip that was interrupted and that nobody is working on."""
    found = []
    for name in marked():
        with (
            suppress(SaltCartError, OSError, Locked),  # somebody works on it
            opened(name) as trip,
            locked(os.path.join(trip.folder, "lock")),
        ):
            if not trip.rests:
                found.append((name, trip.state, next_step(trip)))
            else:
                Path(trip.folder, MARK).write_text("")  # it was killed right after its end
    return found


def worked_on(name: str) -> bool:
    """Whether some process is working on that trip just now."""
    try:
        with locked(os.path.join(trips_folder() / name, "lock")):
            return False
    except Locked:
        return True
    except OSError:
        return False


def marked() -> list[str]:
    """The ids of trips that are worked on, or were interrupted; found without a look into any."""
    found = []
    for folder in trips_folder().glob("*"):
        with suppress(OSError):
            if (folder / MARK).stat().st_size:
                found.append(folder.name)
    return sorted(found)


def holder(lock: str) -> str:
    """Who holds a lock, if the last holder said so."""
    with suppress(OSError):
        return f" ({Path(lock + '.holder').read_text(encoding='utf-8')})"
    return ""


def forget(name: str) -> None:
    """Remove the record of a trip that is over.  Refused for any other."""
    with held(name) as trip:
        if trip.state not in ENDED:
            raise Refused(f"Trip {name} is {trip.state}, so its record is still needed", next_step(trip))
        discard(trip)
