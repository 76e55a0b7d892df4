"""Copying one shelf to its new place.

Folders come first, then files in groups, then further names of files (hard links), symbolic links, and last the
modes and times of folders."""

import time
from collections import deque
from collections.abc import Iterator
from contextlib import suppress
from functools import partial

from msgspec.structs import replace

from saltcart.drives import Drive, drive_of, known
from saltcart.drives.drive import keeps_change_times
from saltcart.drives.fit import is_spinning
from saltcart.drives.limits import OWNERS
from saltcart.hauling.file_copy import LOST, refusal
from saltcart.hauling.group_copy import (
    TAKEN,
    Group,
    ShelfTarget,
    copy_group,
    file_copy_for,
    finish_group,
    name_copies,
    start_group,
)
from saltcart.hauling.haul_report import TO_COPY, Meter, Pace
from saltcart.hauling.new_folders import make_folder_below, remove_temporaries
from saltcart.hauling.workers import InProcess, WorkerProcesses, Workers, worth_several_processes
from saltcart.safefile import make_folders, missing_folders, remove_if_there, sync_folder
from saltcart.shelves.digests import digest_file
from saltcart.shelves.marks import mark_of
from saltcart.shelves.walk import FILE, FOLDER, LINK
from saltcart.spelling.moves import tail_below
from saltcart.spelling.renames import renames_of
from saltcart.system import here, os
from saltcart.system.contract import OpenFolder
from saltcart.trips.facts import ShelfFact
from saltcart.trips.records import PLACING, TROUBLE, VERIFIED, Row, Trouble
from saltcart.trips.trip import Trip
from saltcart.trips.trip_shelf import TripShelf
from saltcart.waybills.collection_file import digests_before
from saltcart.waybills.new_place import leads_out, sharing

GROUP_FILES = 1000
GROUP_BYTES = 256 << 20
# Groups that several processes copy while one before them is flushed and read back.
AHEAD = 2
HARD_LINKS = "hard links, which became files of their own"


class ShelfCopy:
    """Carries one shelf to its new place."""

    def __init__(self, trip: Trip, one: TripShelf, drive: Drive, pace: Pace, meter: Meter):
        self.trip, self.log, self.one, self.shelf = trip, trip.logbook, one, one.shelf
        shelf = one.shelf
        self.drive, self.pace, self.report = drive, pace, meter.report
        self.ahead = AHEAD if self.worth_several_processes() else 0
        self.workers = self.helpers()
        ledgers = frozenset(row.place for row in self.log.ledgers())
        self.target = ShelfTarget(
            one.number,
            shelf,
            drive.mount,
            drive.filesystem,
            sharing(shelf, drive),
            ledgers,
            trip.waybill.digests,
            keeps_change_times(shelf.stays_at),
            digests_before(trip.waybill.collection),
            trip.name if trip.waybill.collection else "",
            partial(meter.tell, shelf.name),
            self.workers,
            self.report.remarks.append,
            meter.lost,
        )
        self.refused: dict[str, bool] = {}  # folders and links the new drive does not take; whether the name is taken
        self.resumed = bool(one.totals(VERIFIED, PLACING, TROUBLE)[0] or one.fact(ShelfFact.MADE))
        self.hard_links = self.log.hard_links(one.number)
        self.over = {line.over for line in trip.waybill.ledgers if line.over}
        self.bytes = one.totals(*TO_COPY)[1]
        self.began = time.monotonic()

    def run(self) -> None:
        """Folders first, then files in groups, further names of files, links, and the folders' times last."""
        # A drive that went meanwhile leaves an ordinary folder at its mount point: ask before the first write.
        known.require(self.shelf.new_drive, self.drive.mount, f'the shelf "{self.shelf.name}"')
        self.make_folders()
        self.copy_files()
        self.make_hard_links()
        self.make_links()
        self.finish_folders()
        seconds = max(time.monotonic() - self.began, 0.001)
        self.log.tell(
            f"shelf {self.shelf.name}: {self.bytes:,} bytes copied and verified in {seconds:.1f} s"
            f" ({self.bytes / 1e6 / seconds:.1f} MB/s)"
        )

    def worth_several_processes(self) -> bool:
        """Whether several processes are quicker: with many files, and where no disk has to move its head between
        them.
        """
        spinning = any(is_spinning(drive, self.pace.cart) for drive in (self.drive, drive_of(self.shelf.old)))
        return not spinning and not self.pace.limit and worth_several_processes(*self.one.totals(*TO_COPY))

    def helpers(self) -> Workers:
        """What copies and reads back."""
        return WorkerProcesses() if self.ahead else InProcess()

    def copy_files(self) -> None:
        """The groups one after the other; with several processes, the next is copied while one is flushed and
        read back.
        """
        under_way: deque[Group] = deque()
        try:
            for group in self.groups():
                known.require(self.shelf.new_drive, self.drive.mount, f'the shelf "{self.shelf.name}"')
                under_way.append(start_group(self.target, group))
                if len(under_way) > self.ahead:
                    self.finish_group(under_way.popleft())
            while under_way:
                self.finish_group(under_way.popleft())
        finally:
            self.workers.stop()
            for ahead_group in under_way:
                ahead_group.remove_temporaries()

    def finish_group(self, group: Group) -> None:
        """End one group.  Refused when originals could not be read because their drive has gone."""
        finish_group(self.target, group, self.log)
        if group.troubles:
            known.require(self.shelf.old_drive, self.shelf.stays_at, f'the shelf "{self.shelf.name}"')

    def groups(self) -> Iterator[list[Row]]:
        """The files to copy, in groups small enough to repeat and large enough to flush at once."""
        group: list[Row] = []
        size = 0
        for row in self.one.rows(*TO_COPY, kind=FILE):
            if row.item.path in self.hard_links or self.below_refused(row.item.path):
                continue
            if self.place(row) in self.over:  # a ledger that takes the place of another in the switch
                self.one.mark([(row.item.path, VERIFIED, None, None, True)])
                continue
            group.append(row)
            size += row.item.size
            if len(group) >= GROUP_FILES or size >= GROUP_BYTES:
                yield group
                self.report.files += len(group)
                group, size = [], 0
        if group:
            yield group
            self.report.files += len(group)

    def make_folders(self) -> None:
        """Make every folder of the shelf, open for us until all is copied.

        The folders above it that are missing are recorded before they are made, so that an undo removes them, and
        flushed one into the other: a power cut may else take the name of one, and all that is below it.
        """
        top = self.shelf.landing_folder
        if missing := missing_folders(top):
            self.one.add_made(missing)
        make_folders(top, like=self.shelf.old)
        handle = here.open_folder(top, links=False)
        try:
            self.make_folders_for_renamed(handle)
            for row in self.one.rows(*TO_COPY, kind=FOLDER):
                if row.item.path and not self.below_refused(row.item.path):
                    try:
                        make_folder_below(handle, self.place(row)[len(top) + 1 :])
                    except OSError as error:
                        self.refuse(row, error)
        finally:
            handle.close()

    def make_folders_for_renamed(self, handle: OpenFolder) -> None:
        """Make the folders, below the opened shelf, that files which leave their own come into; they are recorded like
        those above it.
        """
        names = renames_of(self.shelf.renames)
        places = [f"{self.shelf.new}/{folder}" for folder in names.folders()]
        if missing := [place for place in places if not os.path.isdir(place)]:
            self.one.add_made(missing)
        for place in places:
            try:
                make_folder_below(handle, place[len(self.shelf.new) + 1 :])
            except OSError as error:
                taken = isinstance(error, FileExistsError)
                if not taken and refusal(error, making=True) is None:
                    raise
                tops = {old: f"{self.shelf.new}/{new}" for old, new in names.scattered.items()}
                self.refused |= {old: taken for old, top in tops.items() if tail_below(top, place)}
            else:
                sync_folder(os.path.dirname(place))
        for place in places if self.resumed else ():
            with suppress(OSError):
                remove_temporaries(place)

    def refuse(self, row: Row, error: OSError) -> None:
        """Record that the new drive does not take one folder or link.  OSError when that is not all that is wrong."""
        taken = isinstance(error, FileExistsError)
        why = TAKEN if taken else refusal(error, making=True)
        if why is None:
            raise error
        self.refused[row.item.path] = taken
        self.log.mark_trouble(self.one.number, [Trouble(row.item.path, why, taken)])
        self.log.tell(f"not made: {row.item.path}: {why}")

    def below_refused(self, path: str) -> bool:
        """Whether something lies in a folder that the new drive does not take; that is recorded."""
        above = [taken for folder, taken in self.refused.items() if tail_below(path, folder) is not None]
        if not above:
            return False
        why = "it lies in a folder that the new drive does not take"
        self.log.mark_trouble(self.one.number, [Trouble(path, why, any(above))])
        return True

    def finish_folders(self) -> None:
        """Give the folders what belongs to the originals' and flush them, the deepest first; times last, because each
        name made in a folder changes them.
        """
        rows = [
            row
            for row in self.one.rows(*TO_COPY, kind=FOLDER)
            if not any(tail_below(row.item.path, folder) is not None for folder in self.refused)
        ]
        for row in reversed(rows):
            self.finish_folder(row)
        sync_folder(os.path.dirname(self.shelf.new))
        self.mark(rows)

    def finish_folder(self, row: Row) -> None:
        """Give one folder owner, attributes, mode and times of its original, and flush it."""
        if self.resumed:
            remove_temporaries(self.place(row))
        lost = here.finish_folder(self.source(row), self.place(row), row.item.mode, self.kept_time(row))
        self.target.lost.update(map(LOST.__getitem__, lost))

    def make_hard_links(self) -> None:
        """Give files with several names their further names; copy them where the drive knows no hard links."""
        for row in [row for row in self.one.rows(*TO_COPY, kind=FILE) if row.item.path in self.hard_links]:
            if self.below_refused(row.item.path):
                continue
            first = self.log.row(self.one.number, self.hard_links[row.item.path])
            if first is None or first.state != VERIFIED or not self.make_hard_link(row, first):
                self.target.lost[HARD_LINKS] += 1
                copy_group(replace(self.target, workers=InProcess()), [row], self.log)

    def make_hard_link(self, row: Row, first: Row) -> bool:
        """Give the copy of `first` the name of `row` too, proven under that name like any copy; whether it worked."""
        job, source = file_copy_for(self.target, row), self.place(first)
        remove_if_there(job.temporary)
        try:
            os.link(source, job.temporary, follow_symlinks=False)
        except OSError:
            return False
        # What lies there now counts, not what was recorded of its other name.
        digest = digest_file(job.temporary, self.target.digests, past_cache=True)
        if digest != first.digest:
            remove_if_there(job.temporary)
            return False
        group = Group([job], list, {row.item.path: digest})
        name_copies(self.target, group, self.log)
        self.log.mark_placed(
            self.one.number, [(first.item.path, mark_of(os.lstat(source)))]
        )  # a second name changes it
        return True

    def make_links(self) -> None:
        """Make the symbolic links; one that leads out of the shelf by a relative path is remarked."""
        made = []
        for row in list(self.one.rows(*TO_COPY, kind=LINK)):
            target = self.trip.waybill.link_target(self.shelf, row.item.path, row.item.target or "")
            if self.below_refused(row.item.path):
                continue
            try:
                self.make_link(row, target)
            except OSError as error:
                self.refuse(row, error)
                continue
            made.append(row)
            if remark := leads_out(self.shelf, row.item.path, target, self.trip.waybill.moves()):
                self.report.remarks.append(remark)
        for folder in {os.path.dirname(self.place(row)) for row in made}:
            sync_folder(folder)
        self.mark(made)

    def make_link(self, row: Row, target: str) -> None:
        """Make one symbolic link, with owner and time of the original where the drive keeps them."""
        place = self.place(row)
        try:
            os.symlink(target, place)
        except FileExistsError:
            if os.path.islink(place) and os.readlink(place) == target:
                return
            raise
        state, made = os.lstat(self.source(row)), os.lstat(place)
        if (state.st_uid, state.st_gid) != (made.st_uid, made.st_gid):
            try:
                os.lchown(place, state.st_uid, state.st_gid)
            except OSError:
                self.target.lost[OWNERS] += 1
        with suppress(OSError, NotImplementedError):
            os.utime(place, ns=(self.kept_time(row),) * 2, follow_symlinks=False)

    def kept_time(self, row: Row) -> int:
        """The time of a row, or the nearest one that the new drive can hold."""
        return self.drive.limits.nearest_time(row.item.mtime_ns)

    def source(self, row: Row) -> str:
        """The old place of one row."""
        return f"{self.shelf.old}/{row.item.path}" if row.item.path else self.shelf.old

    def place(self, row: Row) -> str:
        """The new place of one row."""
        return self.shelf.place(row.item.path)

    def mark(self, rows: list[Row]) -> None:
        """Record rows as done."""
        with self.log.together():
            self.one.mark([(row.item.path, VERIFIED, None, None, False) for row in rows])
