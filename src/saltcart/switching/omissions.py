"""What a person decides about files while their trip is under way: to leave them out, go on without them, or give them
other names."""

from collections.abc import Callable, Iterator, Sequence, Set
from contextlib import suppress

from msgspec.structs import replace

from saltcart.drives.drive import keeps_change_times
from saltcart.drives.limits import FAT, allowed, folded, unique
from saltcart.errors import UsageError, show
from saltcart.shelves.removal import Removal
from saltcart.shelves.walk import FOLDER
from saltcart.spelling.moves import tail_below
from saltcart.switching.dropping import RealPaths, can_go, our_copy
from saltcart.system import os
from saltcart.trips.holding import held
from saltcart.trips.records import ACCEPTED, TROUBLE, VERIFIED, Row
from saltcart.trips.remounts import follow_shelves
from saltcart.trips.trip import HAULED, HAULING, Trip
from saltcart.trips.trip_shelf import TripShelf
from saltcart.waybills.patterns import matches

SHORT_NAME = 100  # characters that any drive should take
LEAST = replace(FAT, name_units=min(FAT.name_units, SHORT_NAME))


def leave_out(name: str, patterns: Sequence[str]) -> None:
    """Let things that match stay where they are after all; copies of them go.  UsageError without such a trip,
    Refused once it has switched.
    """
    with held(name) as trip:
        trip.require(HAULING, HAULED, step="leaving something out")
        for one in trip.shelves:
            if not one.shelf.along:
                drop_copies(trip, one, patterns)
        trip.replan([shelf.without(patterns) for shelf in trip.waybill.shelves])
        follow_shelves(trip)
        trip.enter(HAULING, f"left out: {', '.join(patterns)}")


def accept(name: str, patterns: Sequence[str]) -> None:
    """Go without files that match and could not be copied.  UsageError without such a trip or such files, Refused
    once it has switched.
    """
    with held(name) as trip:
        trip.require(HAULING, step="going without files")
        failed = [(one, row) for one in trip.shelves for row in one.rows(TROUBLE)]
        others = [pattern for pattern in patterns if not any(matches(row.item.path, [pattern]) for _one, row in failed)]
        if others:
            raise UsageError(
                f"No file that could not be copied matches {', '.join(map(show, others))}",
                f"What could not: saltcart trips {name}",
            )
        with trip.logbook.together():
            for one, row in failed:
                if matches(row.item.path, patterns):
                    one.mark([(row.item.path, ACCEPTED, None, row.why, False)])
                    trip.logbook.tell(f"goes without, as accepted: {row.item.path}: {row.why}")


def rename(name: str, patterns: Sequence[str]) -> list[tuple[str, str]]:
    """Give files that match and could not be copied another name at the new place, by the rule for drives that allow
    least; (path, new name) of each.  Entries follow.  UsageError when none matches, Refused once it has switched.
    """
    renamed: list[tuple[str, str]] = []
    with held(name) as trip:
        trip.require(HAULING, step="giving files other names")
        shelves = []
        for one in trip.shelves:
            shelf, pairs = one.shelf, list(other_names(one, patterns))
            renamed += [(old, os.path.basename(new)) for old, new in pairs]
            shelves.append(replace(shelf, renames=(*shelf.renames, *pairs)) if pairs else shelf)
        if not renamed:
            raise UsageError(
                f"No file that could not be copied matches {', '.join(map(show, patterns))}",
                f"What could not: saltcart trips {name}",
            )
        trip.replan(shelves)
        follow_shelves(trip)
        trip.enter(HAULING, f"renamed at the new place: {', '.join(show(old) for old, _new in renamed[:5])}")
    return renamed


def other_names(one: TripShelf, patterns: Sequence[str]) -> Iterator[tuple[str, str]]:
    """The path of each thing that could not be copied and matches, and its new one, from the shelf's top; what lies in
    a folder that gets another name follows that.
    """
    shelf = one.shelf
    failed = [row.item.path for row in one.rows(TROUBLE) if matches(row.item.path, patterns)]
    taken: set[str] = set()
    done: dict[str, str] = {}
    for path in () if shelf.along else failed:
        above = next((folder for folder in reversed(done) if tail_below(path, folder)), None)
        place = shelf.place(path) if above is None else done[above] + path[len(above) :]
        folder, name = os.path.split(place)
        if above is None or refused_anywhere(name):
            done[path] = os.path.join(folder, other_name(folder, name, taken))
            taken.add(done[path])
            yield path, done[path][len(shelf.new) + 1 :]


def refused_anywhere(name: str) -> bool:
    """Whether drives that allow least refuse a name."""
    return allowed(name, LEAST).name != name


def other_name(folder: str, name: str, taken: Set[str]) -> str:
    """A name that any drive takes and that nothing in the folder, and none of these paths, has."""
    wanted = allowed(name, LEAST).name
    if wanted == name:  # nobody knows what the drive has against it, so only plain letters are left
        wanted = "".join(sign if sign.isascii() else "_" for sign in name)
    while wanted == name or os.path.lexists(os.path.join(folder, wanted)) or os.path.join(folder, wanted) in taken:
        wanted = unique(wanted, {folded(wanted, LEAST)}, LEAST)
    return wanted


def drop_copies(trip: Trip, one: TripShelf, patterns: Sequence[str]) -> None:
    """Remove the copies that this trip made of things that match, if nobody has changed them and their
    originals are there.
    """
    shelf = one.shelf
    if not os.path.isdir(shelf.new) or os.path.islink(shelf.new):
        return
    rows = [row for row in one.rows(VERIFIED) if matches(row.item.path, patterns) and not row.existed]
    exact, real = keeps_change_times(shelf.new), RealPaths()
    with Removal(shelf.new) as removal:
        for row in reversed(rows):
            tail = shelf.place(row.item.path)[len(shelf.new) + 1 :]
            if tail and can_go(shelf, row.item, real):
                with suppress(OSError):
                    drop_one(removal, tail, row, our_copy(trip, shelf, row, exact))


def drop_one(removal: Removal, tail: str, row: Row, ours: Callable[[os.stat_result], bool]) -> None:
    """Remove one copy that is still as it was made."""
    if row.item.kind == FOLDER:
        removal.rmdir(tail)
    else:
        removal.unlink(tail, ours)
