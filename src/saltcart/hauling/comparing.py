"""The new place before anything is copied: what is there already, and whether there is room."""

from collections.abc import Mapping

from saltcart.drives import Drive
from saltcart.hauling.haul_report import TO_COPY, HaulReport
from saltcart.own_names import staged_for
from saltcart.planning.destination import refuse_clashes
from saltcart.shelves.digests import digest_file
from saltcart.shelves.walk import FILE, FOLDER, LINK, OTHER
from saltcart.system import os
from saltcart.trips.facts import ShelfFact
from saltcart.trips.records import LISTED, PLACING, VERIFIED, Row
from saltcart.trips.trip import Trip
from saltcart.trips.trip_shelf import TripShelf
from saltcart.waybills.collection_file import digests_before
from saltcart.waybills.new_place import refuse_lack_of_room, sharing, unit_of
from saltcart.waybills.shelf import Shelf

# How what is at a new place compares with what shall come there.
GONE, EQUAL, OURS, CLASH = "gone", "equal", "ours", "clash"


def compare_destination(trip: Trip, one: TripShelf, report: HaulReport) -> None:
    """Compare what is at the new place already: equal files count as done, others refuse the haul.

    What stood there before the trip first looked is marked as such, so that `undo` leaves it alone.
    """
    shelf = one.shelf
    # Only the first look can tell what was there before us; later ones see our own copies too.
    first = not one.fact(ShelfFact.SETTLED, False)
    if first and not os.path.lexists(shelf.new):
        one.record(ShelfFact.SETTLED, True)
        return
    clashes: list[str] = []
    earlier = digests_before(trip.waybill.collection)
    over = {line.over for line in trip.waybill.ledgers if line.over}
    waiting = one.waiting()
    for row in one.rows():
        place = shelf.place(row.item.path)
        if row.item.kind == OTHER or place in over:
            continue
        if row.item.path in waiting:
            look_for_waiting(trip, one, row, place)
            continue
        standing, digest = compare_existing(trip, shelf, row, place)
        if standing == CLASH and not as_brought(place, earlier):
            clashes.append(place)
        elif copied_anew(row, standing):
            one.mark([(row.item.path, LISTED, row.digest, None, False)])
        elif standing == EQUAL and row.state != VERIFIED and (row.item.kind == FILE or first):
            report.there_already += row.item.kind == FILE
            one.mark([(row.item.path, VERIFIED, digest, None, first)])
    refuse_clashes(shelf, clashes)
    one.record(ShelfFact.SETTLED, True)


def copied_anew(row: Row, standing: str) -> bool:
    """Whether what was copied, or was about to get its name, has to be copied once more."""
    if row.state == PLACING and row.item.links > 1:
        return standing != EQUAL
    return standing == GONE and row.state in (VERIFIED, PLACING)


def look_for_waiting(trip: Trip, one: TripShelf, row: Row, place: str) -> None:
    """Let a copy that waited for the switch be made anew when its original has changed, or it is not there."""
    staged = staged_for(place, trip.name)
    if row.state == VERIFIED and os.path.isfile(staged) and os.path.getsize(staged) == row.item.size:
        return
    with trip.logbook.together():
        trip.logbook.waits_no_more(one.number, row.item.path)
        one.mark([(row.item.path, LISTED, None, None, False)])


def compare_existing(trip: Trip, shelf: Shelf, row: Row, place: str) -> tuple[str, str | None]:
    """How what is at the new place of one row compares with it, and its digest where that was taken."""
    item = row.item
    if not os.path.lexists(place):
        return GONE, None
    if item.kind == FOLDER:
        return (EQUAL if os.path.isdir(place) and not os.path.islink(place) else CLASH), None
    if item.kind == LINK:
        return (
            EQUAL
            if os.path.islink(place)
            and os.readlink(place) == trip.waybill.link_target(shelf, item.path, item.target or "")
            else CLASH
        ), None
    if os.path.islink(place) or not os.path.isfile(place):
        return CLASH, None
    return compare_file(
        trip.waybill.digests, row, os.path.join(shelf.old, item.path) if item.path else shelf.old, place
    )


def compare_file(kind: str, row: Row, source: str, place: str) -> tuple[str, str | None]:
    """As `compare_existing`, for a regular file.  A file the logbook knows as ours may be replaced."""
    same_size = os.path.getsize(place) == row.item.size
    if row.state == VERIFIED:
        return (EQUAL, row.digest) if same_size else (CLASH, None)
    if not same_size and not row.digest:
        return CLASH, None
    found = digest_file(place, kind)
    again = same_size and os.path.isfile(source)  # what is in an archive is compared with nothing that is there
    wanted = row.digest if row.state == PLACING else digest_file(source, kind) if again else None
    if found == wanted:
        return EQUAL, found
    kept_name = row.state == PLACING and os.path.getsize(place) == 0  # which a rename by steps leaves when it is killed
    return (OURS if row.digest == found or kept_name else CLASH), None


def as_brought(place: str, earlier: Mapping[str, tuple[str, str]]) -> bool:
    """Whether a file is what an earlier trip brought there, and may be replaced by what is newer."""
    known = earlier.get(place)
    return known is not None and os.path.isfile(place) and digest_file(place, known[0]) == known[1]


def refuse_full_drives(trip: Trip, targets: list[Drive]) -> None:
    """Raise Refused when what is still to copy does not fit."""
    for drive in {drive.identity: drive for drive in targets}.values():
        unit = unit_of(drive.mount)
        numbers = [
            number
            for number, target in enumerate(targets)
            if target.identity == drive.identity and not sharing(trip.waybill.shelves[number], drive)
        ]
        refuse_lack_of_room(drive, sum(trip.logbook.room(number, unit, *TO_COPY) for number in numbers))
