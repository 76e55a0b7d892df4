"""Removing the set-aside originals of a trip."""

import os
import stat
from collections.abc import Callable

from msgspec import Struct, field

from saltcart.drives import drive_of
from saltcart.drives.drive import keeps_change_times, mount_of, refuse_other_drive
from saltcart.errors import Refused, Stopped, show
from saltcart.hauling.altered import altered_since
from saltcart.progress import Progress, Tick, silent
from saltcart.proving.check import check_opened
from saltcart.proving.results import CheckReport
from saltcart.safefile import remove_empty, sync_folder
from saltcart.shelves.archive import Reader, contents
from saltcart.shelves.digests import digest_file, digest_stream
from saltcart.shelves.marks import mark_of, time_ns
from saltcart.shelves.mountinfo import mounts_below
from saltcart.shelves.removal import OtherMount, Removal
from saltcart.shelves.walk import FILE, FOLDER, OTHER, walk
from saltcart.spelling.moves import tail_below
from saltcart.trips import manifests
from saltcart.trips import trip as trips
from saltcart.trips.records import ACCEPTED, VERIFIED, Row
from saltcart.trips.trip import RELEASED, RELEASING, SWITCHED, Trip
from saltcart.waybills.shelf import Shelf


class ReleaseReport(Struct):
    """How many originals went, the room they took by themselves, the room that the old drives then had more, and what
    was kept because it is not what was copied.

    `read_files` and `read_bytes` are the originals that were read once more, because size and times alone did not prove
    them unchanged.
    """

    files: int = 0
    removed_bytes: int = 0
    freed_bytes: int = 0
    kept: list[str] = field(default_factory=list)
    read_files: int = 0
    read_bytes: int = 0


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
    details += [f"{show(one.path)}: still points to the old place, {one.count} times" for one in report.unaccounted]
    details += [f"{show(place)}: is not there to be searched" for place in report.unsearched]
    details += [f"{show(gap.path)}: {gap.why}" for gap in (report.search.gaps if report.search else ())]
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
    exact = keeps_change_times(shelf.stays_at)
    keep = newer_originals(trip, number, aside)
    if exact:  # else each is read right before it goes
        edited = altered_since(trip, number, aside, progress)
        report.read_files, report.read_bytes = report.read_files + edited.files, report.read_bytes + edited.bytes
        keep |= set(edited.paths)
    rows = list(trip.logbook.rows(number))
    keep |= {row.item.path for row in rows if row.state == ACCEPTED or row.item.kind == OTHER}
    if trash and exact and not keep:
        to_trash(aside)  # whole, so that it can be had back whole
        report.files += sum(row.item.kind == FILE for row in rows)
    else:
        freeing = Freeing(aside, exact, trash, trip.waybill.digests, report)
        with Removal(aside) as removal:
            for row in reversed(rows):
                if row.item.path in keep or row.item.kind == FOLDER:
                    continue
                freeing.free(row, removal)
                progress(Tick(f"release {shelf.name}", row.item.path, report.files, len(rows)))
    report.kept += [os.path.join(aside, path) for path in sorted(keep)]
    if not shelf.files:
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
        for number, other in enumerate(trip.waybill.shelves)
        if other.old == shelf.old
        for row in trip.logbook.rows(number, VERIFIED, kind=FILE)
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
        report.removed_bytes += state.st_blocks * 512 if state.st_nlink == 1 else 0
    report.files += 1
    sync_folder(os.path.dirname(shelf.old))


def is_as_unpacked(trip: Trip, shelf: Shelf, state: os.stat_result, report: ReleaseReport) -> bool:
    """Whether an archive still is the one that was unpacked: by size and times, else by the content of every member."""
    known = trip.logbook.fact(f"archive {shelf.old}", [])
    if known[:2] != [state.st_size, state.st_mtime_ns]:
        return False
    if keeps_change_times(shelf.old) and known[2:] == [*mark_of(state)]:
        return True
    report.read_files, report.read_bytes = report.read_files + 1, report.read_bytes + state.st_size
    digests = {
        row.item.path: row.digest
        for number, other in enumerate(trip.waybill.shelves)
        if other.old == shelf.old
        for row in trip.logbook.rows(number, VERIFIED, kind=FILE)
    }
    try:
        members = Reader(shelf.old).read(digests)
        return all(digest_stream(stream, trip.waybill.digests) == digests[path] for path, stream in members)
    except (Refused, OSError):
        return False  # it is damaged, or cannot be read: then it is not what was unpacked


def newer_originals(trip: Trip, number: int, aside: str) -> set[str]:
    """The paths in a set-aside shelf that came, or changed, after they were copied."""
    trip.logbook.take_stock(number, walk(aside))
    found = trip.logbook.differences(number)
    return {path for path in found["new"] + found["changed"] if not os.path.isdir(os.path.join(aside, path))}


class Freeing(Struct):
    """The removal of one shelf's originals below `aside`, for good or into the `trash`, with a last look at each.

    `exact` when inode and change time prove a file unchanged; else its content is read right before it goes, for
    digests of the kind `digests`.  `touched` are the inodes of which we removed a name, which changes that time.
    """

    aside: str
    exact: bool
    trash: bool
    digests: str
    report: ReleaseReport
    touched: set[int] = field(default_factory=set)

    def free(self, row: Row, removal: Removal) -> None:
        """Remove one original; what is not what was copied is kept, and reported."""
        place = os.path.join(self.aside, row.item.path)
        try:
            look = self.last_look(row)
            state = self.put_into_trash(place, look) if self.trash else removal.unlink(row.item.path, look)
        except OtherMount:
            state = None
        if state:
            self.touched.add(state.st_ino)
            self.report.removed_bytes += state.st_blocks * 512 if state.st_nlink == 1 and not self.trash else 0
            self.report.files += row.item.kind == FILE
        elif os.path.lexists(place):
            self.report.kept.append(place)

    def put_into_trash(self, place: str, look: Callable[[os.stat_result], bool]) -> os.stat_result | None:
        """Put one original into the trash if it is what was copied; what it was, else None."""
        state = os.lstat(place) if os.path.lexists(place) else None
        if state is None or not look(state):
            return None
        to_trash(place)
        return state

    def last_look(self, row: Row) -> Callable[[os.stat_result], bool]:
        """What tells whether a file still is what it was when it was looked at before the first removal.

        A link has neither size nor times to speak of.
        """
        item = row.item
        if item.kind != FILE:
            return lambda state: stat.S_ISLNK(state.st_mode)

        def same(state: os.stat_result) -> bool:
            if not stat.S_ISREG(state.st_mode) or (state.st_size, time_ns(state)) != (item.size, item.mtime_ns):
                return False
            if not self.exact:
                return self.holds_what_was_copied(row)
            ours = state.st_ino in self.touched and state.st_ino == item.inode
            return ours or mark_of(state) == (item.inode, item.ctime_ns)

        return same

    def holds_what_was_copied(self, row: Row) -> bool:
        """Whether the content of an original is what was copied; a file that cannot be read is kept."""
        self.report.read_files += 1
        self.report.read_bytes += row.item.size
        try:
            return digest_file(os.path.join(self.aside, row.item.path), self.digests, past_cache=True) == row.digest
        except OSError:
            return False


def remove_folders(top: str) -> None:
    """Remove the empty folders at and below `top`, flushing each that stays."""
    with Removal(top) as removal:
        for item in reversed(list(walk(top))):
            if item.kind == FOLDER and item.path:
                removal.rmdir(item.path)
    remove_empty(top)
