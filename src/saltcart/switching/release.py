"""Removing the set-aside originals of a trip."""

import os
from contextlib import suppress

from msgspec import Struct, field

from saltcart.drives import drive_of
from saltcart.drives.drive import mount_of, refuse_other_drive
from saltcart.errors import Refused, Stopped, show
from saltcart.progress import Progress, Tick, silent
from saltcart.proving.check import check_opened
from saltcart.proving.results import CheckReport
from saltcart.safefile import sync_folder
from saltcart.shelves import manifest
from saltcart.shelves.archive import contents
from saltcart.shelves.mountinfo import mounts_below
from saltcart.shelves.removal import OtherMount, Removal
from saltcart.shelves.walk import FILE, FOLDER, OTHER, walk
from saltcart.spelling.moves import tail_below
from saltcart.trips import trip as trips
from saltcart.trips.records import ACCEPTED, VERIFIED, Row
from saltcart.trips.trip import RELEASED, RELEASING, SWITCHED, Trip
from saltcart.waybills.waybill import Shelf


class ReleaseReport(Struct):
    """How many originals went, the room they took by themselves, the room that the old drives then had more, and what
    was kept because it is not what was copied.
    """

    files: int = 0
    removed_bytes: int = 0
    freed_bytes: int = 0
    kept: list[str] = field(default_factory=list)


def release(name: str, trash: bool = False, progress: Progress = silent) -> ReleaseReport:
    """Remove the set-aside originals of trip `name`, or put them into the system's trash.

    Raises Refused, with nothing removed, unless the check is clean.
    """
    report = ReleaseReport()
    with trips.held(name) as trip:
        trip.require(SWITCHED, RELEASING, step="release")
        if not trip.waybill.shelves:
            raise Refused(f"Trip {trip.name} moved nothing", "There is nothing to release.")
        if trip.copies:
            raise Refused(
                f"Trip {trip.name} copied what it carried, and its originals stay in use",
                "There is nothing to release.",
            )
        for number, shelf in enumerate(trip.waybill.shelves):
            refuse_absent(trip, shelf)
            refuse_circle(trip, number, shelf)
            refuse_mounted(trip, shelf)
        check = check_opened(trip, digests=True, progress=progress)
        for shelf in trip.waybill.shelves:
            refuse_absent(trip, shelf)  # one that went during the check is away, its copies are not missing
        refuse_unclean(check)
        for number, shelf in enumerate(trip.waybill.shelves):
            make_durable(trip, number, shelf)
        if trip.state == SWITCHED:
            trip.enter(RELEASING, "release begins: the check is clean and every copy verifies")
        before = free_room(trip)
        for number, shelf in enumerate(trip.waybill.shelves):
            stop_if_absent(trip, shelf)
            free(trip, number, shelf, trash, report, progress)
        for shelf in trip.waybill.shelves:
            stop_if_absent(trip, shelf)  # what is not there now may not have been removed
        report.freed_bytes = 0 if trash else max(0, free_room(trip) - before)
        freed = trip.logbook.fact("freed_bytes", 0) + report.freed_bytes
        trip.logbook.record(freed_bytes=freed)
        trip.enter(
            RELEASED,
            f"released: {report.files:,} originals {'put into the trash' if trash else 'removed'},"
            f" {len(report.kept):,} kept",
        )
    return report


def make_durable(trip: Trip, number: int, shelf: Shelf) -> None:
    """Flush the whole way from the drive's top to each copy: a name on it that is lost takes the copies with it.

    The haul has done so; this is the last moment at which it can be made sure.
    """
    folders = [shelf.place(row.item.path) for row in trip.logbook.rows(number, kind=FOLDER)]
    mount, place = mount_of(shelf.new), os.path.dirname(shelf.new)
    while tail_below(place, mount):
        folders.append(place)
        place = os.path.dirname(place)
    for folder in [*folders, mount]:
        if os.path.isdir(folder):
            sync_folder(folder)


def refuse_mounted(trip: Trip, shelf: Shelf) -> None:
    """Raise Refused when something is mounted in the set-aside originals."""
    if places := mounts_below(trip.aside(shelf)):
        raise Refused(
            f"{show(places[0])} in the originals is the top of another drive, or of a folder mounted there",
            "Unmount it, and try again; nothing was removed.",
        )


def refuse_absent(trip: Trip, shelf: Shelf) -> None:
    """Raise Refused when a drive of `shelf` is away, or the originals are not where they were set aside."""
    for place, identity in ((shelf.new, shelf.new_drive), (shelf.stays_at, shelf.old_drive)):
        if drive_of(place).identity != identity:
            refuse_other_drive(identity, place, f'the shelf "{shelf.name}"')
    if trip.state == SWITCHED and not shelf.original_stays and not os.path.isdir(trip.aside(shelf)):
        raise Refused(
            f"The originals are not at {show(trip.aside(shelf))}",
            "If someone moved them, move them back there; nothing was removed.",
        )


def stop_if_absent(trip: Trip, shelf: Shelf) -> None:
    """Raise Stopped when a drive of `shelf` went in the middle of the release."""
    try:
        refuse_absent(trip, shelf)
    except Refused as error:
        raise Stopped(
            f"{error.what}; the release is not done", f"Connect the drive, then: saltcart release {trip.name}"
        ) from error


def refuse_circle(trip: Trip, number: int, shelf: Shelf) -> None:
    """Raise Refused when a folder of the new place is a way into the originals: then they would be taken for their
    own copies.
    """
    aside = os.path.realpath(trip.aside(shelf))
    for row in trip.logbook.rows(number, kind=FOLDER):
        if tail_below(os.path.realpath(shelf.place(row.item.path)), aside) is not None:
            raise Refused(
                f"{show(shelf.place(row.item.path))} leads to the originals at {show(aside)}",
                "Put the copy in its place, or undo the trip; nothing was removed.",
            )


def refuse_unclean(report: CheckReport) -> None:
    """Raise Refused with what the check found, when it is not clean."""
    if report.ok:
        return
    details = [
        f"{show(problem.path)}: {problem.verdict}, {problem.why}"
        for shelf in report.shelves
        for problem in shelf.problems
    ]
    details += [
        f"{show(ledger.state.path)}, {problem.judgement.entry.where}: {problem.judgement.verdict}"
        for ledger in report.ledgers
        for problem in ledger.problems
        if problem.new
    ]
    details += [f"{show(one.path)}: still names the old place, {one.count} times" for one in report.unaccounted]
    details += [f"{show(place)}: is not there to be searched" for place in report.unsearched]
    details += [str(ledger.state.trouble) for ledger in report.ledgers if ledger.state.trouble]
    raise Refused(
        f"The check of trip {report.trip} is not clean; no original was removed",
        f"See: saltcart check {report.trip}   Mend it, or take the trip back: saltcart undo {report.trip}",
        details[:20],
    )


def free_room(trip: Trip) -> int:
    """The free bytes of the old drives, as their file systems tell; others may use them meanwhile."""
    mounts = {mount_of(shelf.old) for shelf in trip.waybill.shelves}
    states = [os.statvfs(mount) for mount in mounts]
    return sum(state.f_bfree * state.f_frsize for state in states)


def to_trash(path: str) -> None:
    """Put a file or folder into the trash of its drive.  Raises Refused where there is none."""
    from send2trash import send2trash

    try:
        send2trash(path)
    except OSError as error:  # of which the library's own are
        raise Refused(
            f"{show(path)} cannot be put into the trash: {error}",
            "Release without --trash, which removes for good; what is in the trash stays there.",
        ) from error


def free(trip: Trip, number: int, shelf: Shelf, trash: bool, report: ReleaseReport, progress: Progress) -> None:
    """Remove the originals of one shelf that are still what was copied, then the folders that are empty."""
    if shelf.archive:
        free_archive(trip, shelf, trash, report)
    aside = trip.aside(shelf)
    if shelf.original_stays or not os.path.isdir(aside):
        return
    keep = newer_originals(trip, number, aside)
    rows = list(trip.logbook.rows(number))
    keep |= {row.item.path for row in rows if row.state == ACCEPTED or row.item.kind == OTHER}
    if trash and not keep:
        to_trash(aside)  # whole, so that it can be had back whole
        report.files += sum(row.item.kind == FILE for row in rows)
    else:
        with Removal(aside) as removal:
            for row in reversed(rows):
                if row.item.path in keep:
                    continue
                free_one(aside, row, removal, trash, report)
                progress(Tick(f"release {shelf.name}", row.item.path, report.files, len(rows)))
    report.kept += [os.path.join(aside, path) for path in sorted(keep)]
    if not shelf.files:
        manifest.remove(shelf.old)  # of the trip that brought it there
    if os.path.isdir(aside):
        remove_folders(aside)
    sync_folder(os.path.dirname(aside))


def free_archive(trip: Trip, shelf: Shelf, trash: bool, report: ReleaseReport) -> None:
    """Remove an archive, unless it is another by now than the one that was unpacked, or a part of it was not."""
    if not os.path.isfile(shelf.old):
        return  # another shelf came out of it too
    unpacked = {
        row.item.path
        for number, other in enumerate(trip.waybill.shelves)
        if other.old == shelf.old
        for row in trip.logbook.rows(number, VERIFIED, kind=FILE)
    }
    size, mtime_ns = trip.logbook.fact(f"archive {shelf.old}", [None, None])
    state = os.stat(shelf.old)
    whole = contents(shelf.old).members.keys() <= unpacked and not contents(shelf.old).left_out
    if (state.st_size, state.st_mtime_ns) != (size, mtime_ns) or not whole:
        report.kept.append(shelf.old)
        return
    if trash:
        to_trash(shelf.old)
    else:
        os.unlink(shelf.old)
        report.removed_bytes += state.st_blocks * 512 if state.st_nlink == 1 else 0
    report.files += 1
    sync_folder(os.path.dirname(shelf.old))


def newer_originals(trip: Trip, number: int, aside: str) -> set[str]:
    """The paths in a set-aside shelf that came, or changed, after they were copied."""
    trip.logbook.take_stock(number, walk(aside))
    found = trip.logbook.differences(number)
    return {path for path in found["new"] + found["changed"] if not os.path.isdir(os.path.join(aside, path))}


def free_one(aside: str, row: Row, removal: Removal, trash: bool, report: ReleaseReport) -> None:
    """Remove one original, unless it is no longer what was copied."""
    if row.item.kind == FOLDER:
        return
    place = os.path.join(aside, row.item.path)
    if trash:
        if os.path.lexists(place):
            to_trash(place)
            report.files += row.item.kind == FILE
        return
    try:
        state = removal.unlink(row.item.path, lambda state: same_as_listed(row, state))
    except OtherMount:
        report.kept.append(place)
        return
    if state:
        report.removed_bytes += state.st_blocks * 512 if state.st_nlink == 1 else 0
        report.files += row.item.kind == FILE


def same_as_listed(row: Row, state: os.stat_result) -> bool:
    """Whether a file still has the size and time it was copied with; a link has neither to speak of."""
    return row.item.kind != FILE or (state.st_size, state.st_mtime_ns) == (row.item.size, row.item.mtime_ns)


def remove_folders(top: str) -> None:
    """Remove the empty folders at and below `top`, flushing each that stays."""
    with Removal(top) as removal:
        for item in reversed(list(walk(top))):
            if item.kind == FOLDER and item.path:
                removal.rmdir(item.path)
    with suppress(OSError):
        os.rmdir(top)
