"""The draft: what a trip would do, worked out in full before anything is touched."""

import os
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass, field

from saltcart.drives import Drive, drive_of
from saltcart.drives.drive import mount_of
from saltcart.drives.known import remember
from saltcart.errors import CannotSpell, Refused, UsageError, show
from saltcart.ledgers import Ledger, Map, load_map, open_ledger
from saltcart.progress import Progress, Tick, silent
from saltcart.safefile import digest_of
from saltcart.shelves.audio import kind_of
from saltcart.shelves.walk import FILE, LINK, Item, walk
from saltcart.spelling.moves import tail_below
from saltcart.trips import drafts
from saltcart.trips.judge import Judge, LedgerState
from saltcart.trips.plan import plan_ledger, stage
from saltcart.trips.places import allocated, leads_out, refuse_clashes, refuse_lack_of_room, unit_of
from saltcart.trips.routes import Routes
from saltcart.trips.survey import look_for_ledger
from saltcart.trips.waybill import LedgerLine, Shelf, Waybill


@dataclass(frozen=True, slots=True)
class Request:
    """What a person asks for: shelves to move below the folder `to`, with what names them."""

    shelves: Sequence[str]
    to: str
    ledgers: Sequence[str] = ()
    maps: Sequence[str] = ()
    signpost: bool = False


@dataclass(slots=True)
class DraftedShelf:
    """One shelf as the draft saw it; bytes as written in it, and as its drive allocates them."""

    shelf: Shelf
    files: int = 0
    bytes: int = 0
    disk_bytes: int = 0
    audio_files: int = 0
    target_bytes: int = 0
    items: list[str] = field(default_factory=list)


@dataclass(slots=True)
class DraftedLedger:
    """One ledger as the draft saw it; `changes` entries would be rewritten; `travels` when it lies in a shelf."""

    line: LedgerLine
    state: LedgerState
    changes: int
    travels: bool


@dataclass(slots=True)
class Draft:
    """A waybill with what it rests on."""

    waybill: Waybill
    shelves: list[DraftedShelf]
    ledgers: list[DraftedLedger]
    drives: list[Drive]
    remarks: list[str]


def draft(request: Request, progress: Progress = silent) -> Draft:
    """Work out a trip.  Raises Refused when it cannot be made; nothing is written but our own list of what was seen."""
    if not request.shelves:
        raise UsageError("No shelf was named", "Name the folder to move.")
    shelves = [shelf_of(path, request) for path in request.shelves]
    refuse_overlap(shelves)
    maps = [load_map(path) for path in request.maps]
    waybill = Waybill(shelves, maps=[plan.path for plan in maps])
    scout = Scout(waybill, maps, progress)
    drafted = [scout.look_over(shelf) for shelf in shelves]
    drives = refuse_no_room(drafted)
    paths = dict.fromkeys([*(os.path.realpath(os.path.expanduser(path)) for path in request.ledgers), *scout.found])
    routes, judge = Routes(waybill.moves()), Judge(headers=False)
    ledgers = [try_ledger(open_ledger(path, maps), routes, judge) for path in paths]
    waybill.ledgers = [ledger.line for ledger in ledgers]
    waybill.draft = drafts.keep((one.shelf.old, one.items) for one in drafted)
    remember([*drives, *(drive_of(shelf.old) for shelf in shelves)])
    return Draft(waybill, drafted, ledgers, drives, scout.remarks + remarks_on(request, shelves, ledgers))


def shelf_of(path: str, request: Request) -> Shelf:
    """The shelf at `path` and its new place; Refused when the one is no folder or the other cannot be."""
    given = os.path.abspath(os.path.expanduser(path))
    if not os.path.lexists(given):
        raise Refused(f"There is no shelf at {show(given)}", "Check the path; if its drive is not connected, plug it in.")
    if not os.path.isdir(given):
        raise Refused(f"{show(given)} is not a folder, so it is no shelf", "Name the folder that holds the sounds.")
    old = os.path.realpath(given)
    if mount_of(old) == old:
        raise Refused(f"{show(old)} is the top of a drive; a shelf is a folder on one", "Name the folders on it that hold sounds.")
    new = os.path.join(os.path.realpath(os.path.expanduser(request.to)), os.path.basename(old))
    refuse_place(old, new)
    leave = "signpost" if request.signpost else "nothing"
    name = os.path.basename(old)
    return Shelf(name, old, new, drive_of(old).identity, writable_drive(new).identity, leave=leave)


def refuse_place(old: str, new: str) -> None:
    """Raise Refused when a shelf cannot go from `old` to `new`, whatever is in it."""
    if new == old:
        raise Refused(f"The shelf {show(old)} is already there", "Choose another folder with --to.")
    if tail_below(new, old) is not None:
        raise Refused(f"{show(new)} lies inside the shelf itself", "Choose a folder outside of it with --to.")
    if tail_below(old, new) is not None:
        raise Refused(f"The shelf {show(old)} lies inside its new place {show(new)}", "Choose another folder with --to.")
    place = new
    while not os.path.lexists(place):
        place = os.path.dirname(place)
    if not os.path.isdir(place):
        raise Refused(f"{show(place)} is a file, so no shelf can go there", "Choose a folder with --to.")


def writable_drive(path: str) -> Drive:
    """The drive that would hold `path`; Refused when nothing can be written there."""
    drive = drive_of(path)
    folder = path
    while not os.path.isdir(folder):
        folder = os.path.dirname(folder)
    if drive.read_only or not os.access(folder, os.W_OK | os.X_OK):
        why = f"the drive {show(drive.name)} is mounted read-only" if drive.read_only else "you may not write there"
        raise Refused(f"Nothing can be written to {show(folder)}: {why}", "Choose another place, or mend the permission.")
    return drive


def refuse_overlap(shelves: Sequence[Shelf]) -> None:
    """Raise Refused when shelves lie in each other or would land on one name."""
    for position, one in enumerate(shelves):
        for other in shelves[position + 1 :]:
            if tail_below(one.old, other.old) is not None or tail_below(other.old, one.old) is not None:
                raise Refused(f"{show(one.old)} and {show(other.old)} overlap", "Move the outer one alone.")
            if one.new == other.new:
                raise Refused(f"{show(one.old)} and {show(other.old)} would both become {show(one.new)}", "Move them to two folders.")


class Scout:
    """Looks over shelves: walks each once for sizes, ledgers in it (into `found`), clashes and remarks."""

    def __init__(self, waybill: Waybill, maps: Sequence[Map], progress: Progress):
        self.waybill, self.maps, self.progress = waybill, maps, progress
        self.found: dict[str, None] = {}
        self.remarks: list[str] = []

    def look_over(self, shelf: Shelf) -> DraftedShelf:
        """One shelf.  Refused when a part of it cannot be read, or other files stand at its new place."""
        one = DraftedShelf(shelf)
        unit = unit_of(mount_of(shelf.new))
        clashes: list[str] = []
        occupied = os.path.isdir(shelf.new)
        for item in walk(shelf.old, refuse_unreadable):
            one.items.append(item.path)
            if item.kind == FILE:
                count_file(one, item, unit)
                self.progress(Tick(f"look over {shelf.name}", item.path, one.files, 0))
            self.note(shelf, item)
            if occupied and clash(shelf, item):
                clashes.append(os.path.join(shelf.new, item.path))
        refuse_clashes(shelf, clashes)
        return one

    def note(self, shelf: Shelf, item: Item) -> None:
        """Take up a ledger that will travel, and a link that leads out."""
        if item.kind == FILE and kind_of(item.path) is None:
            look_for_ledger(os.path.join(shelf.old, item.path), self.maps, self.found, self.remarks)
        elif item.kind == LINK and (remark := leads_out(shelf, item.path, self.waybill.link_target(item.target or ""))):
            self.remarks.append(remark)


def refuse_unreadable(path: str, error: OSError) -> None:
    """Raise Refused: a shelf moves whole."""
    raise Refused(f"{show(path)} cannot be read: {error.strerror}", "Mend its permissions; a shelf moves whole.")


def count_file(one: DraftedShelf, item: Item, unit: int) -> None:
    """Add one file to the sums."""
    one.files += 1
    one.bytes += item.size
    one.disk_bytes += item.disk_bytes
    one.target_bytes += allocated(item.size, unit)
    one.audio_files += kind_of(item.path) is not None


def clash(shelf: Shelf, item: Item) -> bool:
    """Whether something of another kind or size stands at the new place of `item`; content is compared by the haul."""
    place = os.path.join(shelf.new, item.path) if item.path else shelf.new
    if not os.path.lexists(place):
        return False
    if item.kind == FILE:
        return os.path.islink(place) or not os.path.isfile(place) or os.path.getsize(place) != item.size
    return os.path.islink(place) != (item.kind == LINK)


def refuse_no_room(drafted: Sequence[DraftedShelf]) -> list[Drive]:
    """The drives the shelves go to; Refused when one lacks room, counted in its allocation units."""
    drives = {one.shelf.new_drive: drive_of(one.shelf.new) for one in drafted}
    for identity, drive in drives.items():
        refuse_lack_of_room(drive, sum(one.target_bytes for one in drafted if one.shelf.new_drive == identity and not os.path.isdir(one.shelf.new)))
    return list(drives.values())


def try_ledger(ledger: Ledger, routes: Routes, judge: Judge) -> DraftedLedger:
    """Judge a ledger and rewrite it on trial; one that cannot spell the new place stays as it is, with the reason."""
    place = routes.moves.follow(ledger.path)
    digest = digest_of(ledger.path)
    rewrite, why, changes = True, "", {}
    state = judge.ledger(ledger)
    if state.trouble:
        raise state.trouble
    try:
        changes = plan_ledger(ledger, routes, judge, place or ledger.path).changes()
        with tempfile.TemporaryDirectory(prefix="saltcart-") as folder:
            stage(ledger, changes, os.path.join(folder, "trial"))
    except CannotSpell as error:
        rewrite, why = False, error.what
    line = LedgerLine(ledger.path, ledger.map_name, rewrite, digest, why)
    return DraftedLedger(line, state, len(changes), place is not None)


def remarks_on(request: Request, shelves: Sequence[Shelf], ledgers: Sequence[DraftedLedger]) -> list[str]:
    """What a person should know before saying yes."""
    remarks = []
    for given, shelf in zip(request.shelves, shelves):
        if os.path.abspath(os.path.expanduser(given)) != shelf.old:
            remarks.append(f"{show(given)} is reached through a link; what moves is {show(shelf.old)}")
        if shelf.old_drive == shelf.new_drive:
            remarks.append(f"{show(shelf.name)} stays on its drive: it gets a new place, but no room is gained")
    remarks += [f"{show(one.line.path)} will be left as it is: {one.line.why}" for one in ledgers if not one.line.rewrite]
    if not ledgers:
        remarks.append("No ledger was named or found in the shelf: files elsewhere that name these sounds will not be changed")
    return remarks
