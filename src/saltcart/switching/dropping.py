"""Removing the copies that a trip made, once it was undone.

A copy goes only when its original lies at the old place in its own right, nobody has changed the copy, and no ledger of
the trip names it.  With it goes all else that the trip left there: temporary files, the manifest, folders it made.
"""

import stat
from collections.abc import Callable, Collection, Container, Iterator
from contextlib import suppress
from typing import NamedTuple

from msgspec import Struct, field

from saltcart.drives.drive import keeps_change_times
from saltcart.drives.limits import EXFAT
from saltcart.errors import SaltCartError, counted, show
from saltcart.judging.judge import Judge
from saltcart.judging.judgements import FOUND
from saltcart.own_names import neighbour_of, part_of
from saltcart.progress import Progress, Tick
from saltcart.safefile import digest_of, remove_empty, remove_if_there, sync_folder
from saltcart.shelves.archive import contents
from saltcart.shelves.digests import digest_file
from saltcart.shelves.marks import mark_of
from saltcart.shelves.removal import OtherMount, Removal
from saltcart.shelves.walk import FILE, FOLDER, LINK, Item, walk
from saltcart.spelling.moves import lies_in, tail_below
from saltcart.system import os
from saltcart.trips.records import ACCEPTED, LedgerRow, Row
from saltcart.trips.trip import Trip
from saltcart.trips.trip_shelf import TripShelf
from saltcart.waybills.shelf import Shelf

COARSEST_NS = EXFAT.time_step_ns  # the largest step in which a drive counts times


class Dropped(Struct):
    """What was removed: copies (files and bytes), and remarks on what was not; `failed` could not be removed although
    nothing speaks against it.
    """

    files: int = 0
    bytes: int = 0
    remarks: list[str] = field(default_factory=list)
    failed: list[str] = field(default_factory=list)


class Kept(NamedTuple):
    """What is not removed: what lies at some `places`, and copies that are `named` (see `named_copies`)."""

    places: Container[str]
    named: Collection[str]


def drop(trip: Trip, one: TripShelf, report: Dropped, progress: Progress, keep: Kept) -> None:
    """Remove the copies of one shelf, but for those to `keep`."""
    shelf = one.shelf
    if os.path.isdir(shelf.landing_folder) and not os.path.islink(shelf.landing_folder):
        with Removal(shelf.landing_folder) as removal:
            drop_files(trip, one, removal, report, progress, keep)
            if shelf.along:
                removal.flush()
    try:
        remove_manifest(one)
        remove_made_folders(one)
    except OSError as error:
        report.failed.append(failure(error, shelf.new))
    if shelf.own_folder and os.path.isdir(shelf.own_folder):
        holds = any(item.kind != FOLDER for item in walk(shelf.new))
        what = "still holds what was there before or came later; that stays" if holds else "stays, with nothing in it"
        report.remarks.append(f"{show(shelf.new)} {what}")


def drop_files(trip: Trip, one: TripShelf, removal: Removal, report: Dropped, progress: Progress, keep: Kept) -> None:
    """Remove what the trip brought into the folder of a removal, deepest first."""
    shelf, rows = one.shelf, list(one.rows())
    ledgers = {row.place: row for row in trip.logbook.ledgers()}
    exact = keeps_change_times(shelf.new)
    kept, real = 0, RealPaths()
    for number, row in enumerate(reversed(rows), 1):
        place = shelf.place(row.item.path)
        tail = place[len(shelf.landing_folder) :].lstrip("/")
        with suppress(OSError):  # what is left of it, `trips --clean` finds
            removal.unlink(part_of(tail), lambda _state: True)
        if row.existed or row.state == ACCEPTED or place in keep.places or not can_go(shelf, row.item, real):
            continue
        if keep.named and any(way in keep.named for way in on_the_way(place, shelf.new)):
            kept += row.item.kind == FILE
            continue
        try:
            if row.item.kind == FOLDER and tail:
                removal.rmdir(tail)
            elif row.item.kind != FOLDER:
                drop_file(removal, tail, row, fitting(trip, shelf, row, ledgers.get(place), exact), report)
        except OtherMount:
            trip.logbook.tell(f"kept {place}: something else is mounted there")
        except OSError as error:
            trip.logbook.tell(f"not removed: {place}: {error.strerror}")
            report.failed.append(failure(error, place))
        progress(Tick(f"drop copies of {shelf.name}", row.item.path, number, len(rows)))
    if kept:
        count = counted(kept, "copy stays", "copies stay")
        report.remarks.append(f"{count} in {show(shelf.new)}, because ledgers of this trip refer to that")


def drop_file(removal: Removal, tail: str, row: Row, fits: Callable[[os.stat_result], bool], report: Dropped) -> None:
    """Remove one copy and count it; a second name of its original took no room."""
    state = removal.unlink(tail, fits)
    if state:
        report.files += 1
        report.bytes += row.item.size if state.st_nlink == 1 and row.item.kind == FILE else 0


def fitting(
    trip: Trip, shelf: Shelf, row: Row, ledger: LedgerRow | None, exact: bool
) -> Callable[[os.stat_result], bool]:
    """Whether what is at a copy's place is that copy still, told from its state."""
    place = shelf.place(row.item.path)
    ours = our_copy(trip, shelf, row, exact)
    if row.item.kind == LINK:
        return ours
    if ledger is not None and ledger.before is not None:
        return lambda state: is_original(shelf, place) or taken_back(trip, ledger)
    return lambda state: ours(state) or is_original(shelf, place)


def on_the_way(place: str, top: str) -> Iterator[str]:
    """A place, and the folders that it lies in, up to the folder `top`."""
    while tail_below(place, top) is not None:
        yield place
        if place == top:
            return
        place = os.path.dirname(place)


def named_copies(trip: Trip) -> set[str]:
    """The places below the new places that entries of the trip's ledgers name as they are now, at home."""
    judge = Judge(headers=False, resolver=trip.waybill.resolver())
    tops = {one.new for one in trip.waybill.shelves}
    named: set[str] = set()
    out_of_archives = [one.new for one in trip.waybill.shelves if one.packed]  # and go with what they name
    for row in trip.logbook.ledgers():
        if any(tail_below(row.path, top) is not None for top in out_of_archives):
            continue
        try:
            state = judge.ledger(trip.open_ledger(row, row.path))
        except SaltCartError:
            continue  # it is not there, or cannot be read: then it names nothing that could be told
        named |= {path for (path, verdict, _why), _folders, _count in state.tally() if verdict == FOUND}
    return {path for path in map(RealPaths().path, named) if lies_in(path, tops)}


class RealPaths:
    """Paths without links, each folder asked once."""

    def __init__(self) -> None:
        self.folders: dict[str, str] = {}

    def path(self, path: str) -> str:
        """A full path without links."""
        folder, name = os.path.split(path)
        if folder not in self.folders:
            self.folders[folder] = os.path.realpath(folder)
        real = os.path.join(self.folders[folder], name)
        return os.path.realpath(real) if os.path.islink(real) else real


def is_original(shelf: Shelf, place: str) -> bool:
    """Whether what lies at `place` is the original that is back, under its second name, changes and all."""
    tail = shelf.home(place[len(shelf.new) + 1 :])
    source = os.path.join(shelf.old, tail) if tail else shelf.old
    return os.path.exists(source) and os.path.exists(place) and os.path.samefile(source, place)


def can_go(shelf: Shelf, item: Item, real: RealPaths) -> bool:
    """Whether the original of a copy lies at its old place in its own right, and not just as a signpost that leads to
    the copy.
    """
    if shelf.packed:
        return os.path.isfile(shelf.old) and (item.kind == FOLDER or item.path in contents(shelf.old).members)
    source, place = os.path.join(shelf.old, item.path) if item.path else shelf.old, shelf.place(item.path)
    if item.kind == LINK:  # of which the way there counts, not what it says
        folders = os.path.dirname(source), os.path.dirname(place)
        return os.path.islink(source) and os.path.realpath(folders[0]) != os.path.realpath(folders[1])
    there = os.path.isfile(source) if item.kind == FILE else item.kind == FOLDER and os.path.isdir(source)
    return there and not os.path.islink(source) and real.path(source) != real.path(place)


def taken_back(trip: Trip, row: LedgerRow) -> bool:
    """Whether a ledger's copy holds nothing that did not go back with the undo: it is as it was hauled, switched, or
    folded back.
    """
    kept = trip.keep(row.number, "-after")
    folded = digest_of(kept) if os.path.exists(kept) else None
    return digest_of(row.place) in (row.before, row.after, folded)


def our_copy(trip: Trip, shelf: Shelf, row: Row, exact: bool) -> Callable[[os.stat_result], bool]:
    """What tells from the state of what lies at the new place of `row` whether it is the copy that the trip made of it.

    A file is recognised by size and mark as they were when it got its name, where file systems keep them (`exact`);
    else by its content, which is read.  A link is recognised by where it leads.
    """
    place = shelf.place(row.item.path)
    says = trip.waybill.link_target(shelf, row.item.path, row.item.target) if row.item.target else ""

    def ours(state: os.stat_result) -> bool:
        if row.item.kind == LINK:
            return stat.S_ISLNK(state.st_mode) and os.readlink(place) == says
        if not stat.S_ISREG(state.st_mode) or state.st_size != row.item.size:
            return False
        if exact and row.copy == mark_of(state):
            return True
        return digest_file(place, trip.waybill.digests) == row.digest and mark_of(os.lstat(place)) == mark_of(state)

    return ours


def remove_manifest(one: TripShelf) -> None:
    """Remove the manifest this trip wrote beside its copy, but not one that a later trip wrote there."""
    if not one.manifest:
        return
    path, digest = one.manifest
    remove_if_there(neighbour_of(path))
    if os.path.exists(path) and digest == digest_of(path):
        remove_if_there(path)
        sync_folder(os.path.dirname(path))


def remove_made_folders(one: TripShelf) -> None:
    """Remove the shelf's folder and those above it that the haul made, if they are empty."""
    for folder in reversed(one.made):
        if os.path.isdir(folder) and remove_empty(folder):
            sync_folder(os.path.dirname(folder))


def failure(error: OSError, place: str) -> str:
    """A line for what could not be removed."""
    return f"{show(place)}: {error.strerror or error}"
