"""Removing the set-aside originals of a trip."""

from saltcart.drives import drive_of
from saltcart.drives.drive import keeps_change_times, mount_of
from saltcart.drives.known import refuse_other_drive
from saltcart.errors import Refused, Stopped, counted, show
from saltcart.hauling.altered import altered_since
from saltcart.progress import Progress, Tick, silent
from saltcart.proving.check import check_opened
from saltcart.proving.results import CheckReport
from saltcart.safefile import sync_folder
from saltcart.shelves.archive import contents
from saltcart.shelves.mountinfo import mounts_below
from saltcart.shelves.removal import Removal
from saltcart.shelves.walk import FILE, FOLDER, OTHER, walk
from saltcart.spelling.moves import tail_below
from saltcart.switching.freeing import Freeing, ReleaseReport, is_as_unpacked, newer_originals, remove_folders, to_trash
from saltcart.system import here, os
from saltcart.trips import manifests
from saltcart.trips.facts import Fact
from saltcart.trips.holding import held
from saltcart.trips.records import ACCEPTED, VERIFIED
from saltcart.trips.stock import Stock
from saltcart.trips.trip import RELEASED, RELEASING, SWITCHED, Trip
from saltcart.trips.trip_shelf import TripShelf
from saltcart.waybills.shelf import Shelf, UnpackedArchive


def release(name: str, trash: bool = False, progress: Progress = silent, unsearched_too: bool = False) -> ReleaseReport:
    """Remove the set-aside originals of trip `name`, or put them into the system's trash.

    Raises Refused, with nothing removed, unless the check is clean; with `unsearched_too` although some files could not
    be searched for the old place.
    """
    report = ReleaseReport()
    with held(name) as trip:
        trip.require(SWITCHED, RELEASING, step="release")
        if not trip.waybill.shelves:
            raise Refused(f"Trip {trip.name} moved nothing", "There is nothing to release.")
        if trip.copies:
            raise Refused(
                f"Trip {trip.name} copied what it carried, and its originals stay in use",
                "There is nothing to release.",
            )
        for one in trip.shelves:
            refuse_absent(trip, one)
            refuse_circle(one)
            refuse_mounted(one)
        check = check_opened(trip, digests=True, progress=progress)
        for one in trip.shelves:
            refuse_absent(trip, one)  # one that went during the check is away, its copies are not missing
        refuse_unclean(check)
        if not unsearched_too:
            refuse_unsearched(check)
        for one in trip.shelves:
            make_durable(one)
        if trip.state == SWITCHED:
            trip.enter(RELEASING, "release begins: the check is clean and every copy verifies")
        before = free_room(trip)
        for one in trip.shelves:
            stop_if_absent(trip, one)
            free(trip, one, trash, report, progress)
        for one in trip.shelves:
            stop_if_absent(trip, one)  # what is not there now may not have been removed
        report.freed_bytes = 0 if trash else max(0, free_room(trip) - before)
        freed = trip.logbook.fact(Fact.FREED_BYTES, 0) + report.freed_bytes
        trip.logbook.record({Fact.FREED_BYTES: freed})
        trip.enter(
            RELEASED,
            f"released: {report.files:,} originals {'put into the trash' if trash else 'removed'},"
            f" {len(report.kept):,} kept",
        )
    return report


def make_durable(one: TripShelf) -> None:
    """Flush the whole way from the drive's top to each copy: a name on it that is lost takes the copies with it.

    The haul has done so; this is the last moment at which it can be made sure.
    """
    folders = [one.place(row) for row in one.rows(kind=FOLDER)]
    mount, place = mount_of(one.shelf.new), os.path.dirname(one.shelf.new)
    while tail_below(place, mount):
        folders.append(place)
        place = os.path.dirname(place)
    for folder in [*folders, mount]:
        if os.path.isdir(folder):
            sync_folder(folder)


def refuse_mounted(one: TripShelf) -> None:
    """Raise Refused when something is mounted in the set-aside originals."""
    if places := mounts_below(one.aside):
        raise Refused(
            f"{show(places[0])} in the originals is the top of another drive, or of a folder mounted there",
            "Unmount it, and try again; nothing was removed.",
        )


def refuse_absent(trip: Trip, one: TripShelf) -> None:
    """Raise Refused when a drive of the shelf is away, or the originals are not where they were set aside."""
    shelf = one.shelf
    for place, identity in ((shelf.new, shelf.new_drive), (shelf.stays_at, shelf.old_drive)):
        if drive_of(place).identity != identity:
            refuse_other_drive(identity, place, f'the shelf "{shelf.name}"')
    if trip.state == SWITCHED and not shelf.original_stays and not os.path.isdir(one.aside):
        raise Refused(
            f"The originals are not at {show(one.aside)}",
            "If someone moved them, move them back there; nothing was removed.",
        )


def stop_if_absent(trip: Trip, one: TripShelf) -> None:
    """Raise Stopped when a drive of the shelf went in the middle of the release."""
    try:
        refuse_absent(trip, one)
    except Refused as error:
        raise Stopped(
            f"{error.what}; the release is not done", f"Connect the drive, then: saltcart release {trip.name}"
        ) from error


def refuse_circle(one: TripShelf) -> None:
    """Raise Refused when a folder of the new place is a way into the originals: then they would be taken for their
    own copies.
    """
    aside = os.path.realpath(one.aside)
    for row in one.rows(kind=FOLDER):
        if tail_below(os.path.realpath(one.place(row)), aside) is not None:
            raise Refused(
                f"{show(one.place(row))} leads to the originals at {show(aside)}",
                "Put the copy in its place, or undo the trip; nothing was removed.",
            )


def refuse_unclean(report: CheckReport) -> None:
    """Raise Refused with what the check found, when it is not clean; what could not be searched apart."""
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
    details += [f"{show(one.path)}: still points to the old place, {one.count} times" for one in report.unaccounted]
    details += [str(ledger.state.trouble) for ledger in report.ledgers if ledger.state.trouble]
    if details:
        raise Refused(
            f"The check of trip {report.trip} found problems; no original was removed",
            f"See them: saltcart check {report.trip}   To undo the trip: saltcart undo {report.trip}",
            details[:20],
        )


def refuse_unsearched(report: CheckReport) -> None:
    """Raise Refused when files could not be searched for the old place.  A program that uses one of them lacks the
    sounds since the switch; but as long as the originals are there, an undo gives them back at once.
    """
    gaps = report.search.gaps if report.search else ()
    details = [f"{show(place)}: it does not exist now, so it was not searched" for place in report.unsearched]
    details += [f"{show(gap.path)}: {gap.why}" for gap in gaps]
    if details:
        raise Refused(
            f"{counted(len(details), 'place', 'places')} could not be searched for references to the old place of trip"
            f" {report.trip}; no original was removed",
            f"Open the programs that you use, and play something. If nothing is missing: saltcart release"
            f" {report.trip} --unsearched",
            details[:20],
        )


def free_room(trip: Trip) -> int:
    """The free bytes of the old drives, as their file systems tell; others may use them meanwhile."""
    mounts = {mount_of(shelf.old) for shelf in trip.waybill.shelves}
    return sum(here.room(mount).free for mount in mounts)


def free(trip: Trip, one: TripShelf, trash: bool, report: ReleaseReport, progress: Progress) -> None:
    """Remove the originals of one shelf that are still what was copied, then the folders that are empty."""
    shelf, aside = one.shelf, one.aside
    if isinstance(shelf, UnpackedArchive):
        free_archive(trip, shelf, trash, report)
    if shelf.original_stays or not os.path.isdir(aside):
        return
    exact = keeps_change_times(shelf.stays_at)
    stock = Stock(one, walk(aside))
    keep = newer_originals(stock, aside)
    if exact:  # else each is read right before it goes
        edited = altered_since(trip, stock, aside, progress)
        report.read_files, report.read_bytes = report.read_files + edited.files, report.read_bytes + edited.bytes
        keep |= set(edited.paths)
    rows = list(one.rows())
    keep |= {row.item.path for row in rows if row.state == ACCEPTED or row.item.kind == OTHER}
    if trash and exact and not keep:
        to_trash(aside)  # whole, so that it can be had back whole
        report.files += sum(row.item.kind == FILE for row in rows)
    else:
        freeing = Freeing(aside, exact, trash, trip.waybill.digests, report)
        with Removal(aside) as removal:
            for number, row in enumerate(reversed(rows), 1):
                if row.item.path in keep or row.item.kind == FOLDER:
                    continue
                freeing.free(row, removal)
                progress(Tick(f"release {shelf.name}", row.item.path, number, len(rows)))
    report.kept += [os.path.join(aside, path) for path in sorted(keep)]
    if shelf.own_folder:
        manifests.remove_ours(shelf.old)  # of the trip that brought it there
    if os.path.isdir(aside):
        remove_folders(aside)
    sync_folder(os.path.dirname(aside))


def free_archive(trip: Trip, shelf: Shelf, trash: bool, report: ReleaseReport) -> None:
    """Remove an archive, unless it is another by now than the one that was unpacked, or a part of it was not."""
    if not os.path.isfile(shelf.old):
        return  # another shelf came out of it too
    unpacked = {
        row.item.path
        for other in trip.shelves
        if other.shelf.old == shelf.old
        for row in other.rows(VERIFIED, kind=FILE)
    }
    state = os.stat(shelf.old)
    whole = contents(shelf.old).members.keys() <= unpacked and not contents(shelf.old).left_out
    if not whole or not is_as_unpacked(trip, shelf, state, report):
        report.kept.append(shelf.old)
        return
    if trash:
        to_trash(shelf.old)
    else:
        os.unlink(shelf.old)
        report.removed_bytes += here.disk_bytes(state) if state.st_nlink == 1 else 0
    report.files += 1
    sync_folder(os.path.dirname(shelf.old))
