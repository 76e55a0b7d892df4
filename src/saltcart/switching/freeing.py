"""The removal of originals, each with a last look."""

import stat
from collections.abc import Callable

from msgspec import Struct, field

from saltcart.drives.drive import keeps_change_times
from saltcart.errors import Refused, show
from saltcart.safefile import remove_empty
from saltcart.shelves.archive import Reader
from saltcart.shelves.digests import digest_file, digest_stream
from saltcart.shelves.marks import mark_of, time_ns
from saltcart.shelves.removal import OtherMount, Removal
from saltcart.shelves.walk import FILE, FOLDER, walk
from saltcart.system import here, os
from saltcart.trips.facts import archive_fact
from saltcart.trips.records import VERIFIED, Row
from saltcart.trips.stock import Stock
from saltcart.trips.trip import Trip
from saltcart.waybills.shelf import Shelf


class ReleaseReport(Struct):
    """How many originals went, the room they took by themselves, the room that the old drives then had more, and what
    was kept because it is not what was copied.

    `read_files` and `read_bytes` are the originals that were read once more, because size and times did not prove
    them unchanged.
    """

    files: int = 0
    removed_bytes: int = 0
    freed_bytes: int = 0
    kept: list[str] = field(default_factory=list)
    read_files: int = 0
    read_bytes: int = 0


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


def is_as_unpacked(trip: Trip, shelf: Shelf, state: os.stat_result, report: ReleaseReport) -> bool:
    """Whether an archive still is the one that was unpacked: by size and times, else by the content of every member."""
    known = trip.logbook.value(archive_fact(shelf.old), [])
    if known[:2] != [state.st_size, state.st_mtime_ns]:
        return False
    if keeps_change_times(shelf.old) and known[2:] == [*mark_of(state)]:
        return True
    report.read_files, report.read_bytes = report.read_files + 1, report.read_bytes + state.st_size
    digests = {
        row.item.path: row.digest
        for other in trip.shelves
        if other.shelf.old == shelf.old
        for row in other.rows(VERIFIED, kind=FILE)
    }
    try:
        members = Reader(shelf.old).read(digests)
        return all(digest_stream(stream, trip.waybill.digests) == digests[path] for path, stream in members)
    except (Refused, OSError):
        return False  # it is damaged, or cannot be read: then it is not what was unpacked


def newer_originals(stock: Stock, aside: str) -> set[str]:
    """The paths in a set-aside shelf that came, or changed, after they were copied."""
    found = stock.differences()
    return {path for path in found["new"] + found["changed"] if not os.path.isdir(os.path.join(aside, path))}


class Freeing(Struct):
    """The removal of one shelf's originals below `aside`, for good or into the `trash`, with a last look at each.

    `exact` when inode and change time prove a file unchanged; else its content is read right before it goes, by
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
            self.report.removed_bytes += here.disk_bytes(state) if state.st_nlink == 1 and not self.trash else 0
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
