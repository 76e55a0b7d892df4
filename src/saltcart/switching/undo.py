"""Taking a trip back before its release, keeping what programs have written since."""

import os
from contextlib import suppress
from dataclasses import dataclass, field

from saltcart.drives.limits import EXFAT
from saltcart.errors import CannotSpell, Refused, show
from saltcart.ledgers import Entry
from saltcart.progress import Progress, Tick, silent
from saltcart.safefile import copy_durably, digest_of, remove_if_there, sync_folder
from saltcart.shelves import manifest
from saltcart.shelves.walk import FILE, FOLDER, LINK, Item, walk
from saltcart.spelling import Moves
from saltcart.spelling.moves import tail_below
from saltcart.switching import repoint as repointing
from saltcart.switching import transaction as switch
from saltcart.switching.programs import refuse_busy
from saltcart.trips import trip as trips
from saltcart.trips.records import ACCEPTED, EntryRow, LedgerRow, key_text
from saltcart.trips.remounts import follow_remounts
from saltcart.trips.signposts import put_back
from saltcart.trips.trip import HAULED, HAULING, SWITCHED, SWITCHING, UNDOING, UNDONE, Trip
from saltcart.waybills.new_place import landing_drive
from saltcart.waybills.routes import Changes, Routes
from saltcart.waybills.staging import stage
from saltcart.waybills.waybill import Shelf

PLAN = "undo"
COARSEST_NS = EXFAT.time_step_ns  # the largest step in which a drive counts times


@dataclass(slots=True)
class UndoReport:
    """What was taken back: entries changed, copies dropped (files and bytes), and remarks."""

    changed: int = 0
    dropped_files: int = 0
    dropped_bytes: int = 0
    remarks: list[str] = field(default_factory=list)


def undo(name: str, drop_copies: bool = False, wait: bool = False, progress: Progress = silent) -> UndoReport:
    """Take trip `name` back.  With `wait` programs in the way are waited for.  Raises Refused with nothing changed."""
    report = UndoReport()
    with trips.held(name) as trip:
        trip.require(HAULING, HAULED, SWITCHING, SWITCHED, UNDOING, UNDONE, step="undo")
        if trip.state == SWITCHING:
            switch.take_back(trip, repointing.PLAN)
            trip.enter(HAULED, "the unfinished repoint was taken back")
        if trip.state == HAULED:
            repointing.clear_staged(trip)
        if trip.state == SWITCHED:
            prepare(trip, report, wait, progress)
        if trip.state == UNDOING:
            try:
                switch.carry_out(trip, PLAN)
            except BaseException:
                clear_staged(trip)
                trip.enter(SWITCHED, "undo failed; the trip is as it was")
                raise
        if trip.state != UNDONE:
            report.remarks += newcomers(trip)
            trip.enter(UNDONE, "undone: entries and originals are back")
        if drop_copies:
            follow_remounts(trip)
            for number, shelf in enumerate(trip.waybill.shelves):
                if landing_drive(shelf.new).identity == shelf.new_drive:
                    drop(trip, number, shelf, report, progress)
                else:
                    report.remarks.append(
                        f"The copies at {show(shelf.new)} stay, for their drive is not connected; plug it in and type:"
                        f" saltcart undo {name} --drop-copies"
                    )
            put_back(trip)
    return report


def prepare(trip: Trip, report: UndoReport, wait: bool, progress: Progress) -> None:
    """Stage every ledger as it shall be, and record the whole plan before its first deed."""
    rows = trip.logbook.ledgers()
    for shelf in trip.waybill.shelves:
        refuse_blocked(trip, shelf)
    refuse_busy([trip.open_ledger(row) for row in rows if os.path.exists(row.place)], wait, progress)
    deeds = switch.inverse([deed for _number, deed, _done in trip.logbook.deeds(repointing.PLAN)])
    try:
        for row in rows:
            progress(Tick("read the ledgers", row.path, row.number, len(rows)))
            deeds += prepare_ledger(trip, row, report)
    except BaseException:
        clear_staged(trip)
        raise
    with trip.logbook.together():
        trip.logbook.plan_deeds(PLAN, deeds)
        trip.logbook.record(state=UNDOING)
        trip.logbook.tell("undo begins")


def refuse_blocked(trip: Trip, shelf: Shelf) -> None:
    """Raise Refused when the originals are not where they were set aside, or something has taken their place."""
    if shelf.gathered:
        return
    if not os.path.isdir(trip.aside(shelf)):
        raise Refused(
            f"The originals are not at {show(trip.aside(shelf))}",
            "If their drive is not connected, plug it in. If someone moved them, move them back there.",
        )
    place = shelf.old
    signpost = os.path.islink(place) and os.readlink(place) == shelf.new and shelf.leave == "signpost"
    empty = os.path.isdir(place) and not os.path.islink(place) and not os.listdir(place)
    if os.path.lexists(place) and not signpost and not empty and not (shelf.stay or shelf.only):
        raise Refused(
            f"Something else now stands at {show(place)}", "Move it away, then undo again; nothing was changed."
        )


def prepare_ledger(trip: Trip, row: LedgerRow, report: UndoReport) -> list[switch.Deed]:
    """The deed that gives a ledger its old entries back, with everything its program has written since; none when it
    needs none.
    """
    if not row.rewrite:
        return []
    if not os.path.exists(row.place):
        report.remarks.append(
            f"The ledger {show(row.place)} is gone since the switch; its original is kept at {show(row.backup or '')}"
        )
        return []
    today = digest_of(row.place)
    if today == row.after and row.place != row.path:
        report.changed += row.changed
        return []  # it travelled and nobody changed it: the original comes back with its shelf
    staged = staged_name(trip, row)
    if today == row.after:
        if not row.changed:
            return []
        copy_durably(row.backup or "", staged)
        report.changed += row.changed
    else:
        changes = old_texts(trip, row, report)
        if not changes and row.place == row.path:
            return []
        stage(trip.open_ledger(row), Changes(changes, []), staged)
        report.changed += len(changes)
    kept = trip.keep(row.number, "-after")
    copy_durably(row.place, kept)
    after = digest_of(staged)
    if row.place != row.path:
        return [switch.swap(row.path, staged, row.before or "", after, row.backup or "")]
    return [switch.swap(row.path, staged, today, after, kept)]


def old_texts(trip: Trip, row: LedgerRow, report: UndoReport) -> dict[object, str]:
    """For a ledger its program has changed since the switch: entry key to the text it shall have again.

    An entry the trip rewrote gets its old text back, to the letter.  One that named the new
    place before the trip keeps doing so.  One written since follows the shelf back when the
    originals have that file.
    """
    table = {entry.key: entry for entry in trip.logbook.entries(row.number)}
    unique: dict[str, EntryRow | None] = {}
    for row_before in table.values():
        same = unique.get(row_before.new, row_before)
        unique[row_before.new] = row_before if same and same.old == row_before.old else None
    back = Routes(trip.waybill.moves().reversed(), trip.waybill.resolver(), turns=trip.waybill.turn.__contains__)
    changes: dict[object, str] = {}
    for entry in trip.open_ledger(row).entries():
        known = table.get(key_text(entry.key))
        known = known if known and known.new == entry.written else unique.get(entry.written)
        text = known.old if known else newer_text(trip, row, entry, back, report)
        if text is not None and text != entry.written:
            changes[entry.key] = text
    return changes


def newer_text(trip: Trip, row: LedgerRow, entry: Entry, back: Routes, report: UndoReport) -> str | None:
    """The text for an entry written since the switch; None when it stays."""
    bases = os.path.dirname(row.place), os.path.dirname(row.path)
    _text, target = back.meant(entry, bases[0])
    home = back.moves.follow(target)
    if home and not original_there(trip, home):
        report.remarks.append(
            f"{show(row.path)}, {entry.where}: {show(entry.written)} came after the switch and stays at the new place"
        )
        back = Routes(Moves([]), back.resolver)
    try:
        return back.new_text(entry, *bases)
    except CannotSpell as error:
        report.remarks.append(f"{show(row.path)}, {entry.where}: {error.what}; left as it is")
        return None


def original_there(trip: Trip, home: str) -> bool:
    """Whether the set-aside originals hold what shall be at `home`."""
    for shelf in trip.waybill.shelves:
        tail = tail_below(home, shelf.old)
        if tail is not None:
            return os.path.lexists(home if shelf.gathered else os.path.join(trip.aside(shelf), tail))
    return False


def staged_name(trip: Trip, row: LedgerRow) -> str:
    """A hidden name for new content on the drive of the ledger's old place, outside of what is about to be renamed."""
    for shelf in trip.waybill.shelves:
        if tail_below(row.path, shelf.old) is not None:
            return os.path.join(os.path.dirname(shelf.old), f".saltcart-{trip.name}-{row.number}")
    return os.path.join(os.path.dirname(row.path), f".{os.path.basename(row.path)}.saltcart-{trip.name}")


def clear_staged(trip: Trip) -> None:
    """Remove prepared ledgers that will not be used."""
    for row in trip.logbook.ledgers():
        with suppress(OSError):
            remove_if_there(staged_name(trip, row))


def newcomers(trip: Trip) -> list[str]:
    """A remark for each shelf whose new place holds what the originals do not: it came after the switch and stays
    there.
    """
    remarks = []
    ledgers = {row.place for row in trip.logbook.ledgers()}
    for number, shelf in enumerate(trip.waybill.shelves):
        if shelf.gathered or not os.path.isdir(shelf.new):
            continue
        trip.logbook.take_stock(number, (item._replace(path=shelf.home(item.path)) for item in walk(shelf.new)))
        found = trip.logbook.differences(number, COARSEST_NS)
        places = [shelf.place(path) for path in found["new"] + found["changed"]]
        places = [
            place
            for place in places
            if os.path.isfile(place)
            and not os.path.islink(place)
            and place not in ledgers
            and not is_original(shelf, place)
        ]
        if places:
            names = ", ".join(map(show, places[:3])) + (" ..." if len(places) > 3 else "")
            remarks.append(
                f"{len(places)} file(s) in {show(shelf.new)} are newer than the originals and stay there: {names}"
            )
    return remarks


def is_original(shelf: Shelf, place: str) -> bool:
    """Whether what lies at `place` is the original that is back, under its second name, changes and all."""
    source = os.path.join(shelf.old, shelf.home(place[len(shelf.new) + 1 :]))
    return os.path.exists(source) and os.path.exists(place) and os.path.samefile(source, place)


def can_go(shelf: Shelf, item: Item) -> bool:
    """Whether the original of a copy lies at its old place in its own right, and not just as a signpost that leads to
    the copy.
    """
    source, place = os.path.join(shelf.old, item.path) if item.path else shelf.old, shelf.place(item.path)
    if item.kind == LINK:  # of which the way there counts, not what it says
        return os.path.islink(source) and os.path.realpath(os.path.dirname(source)) != os.path.realpath(
            os.path.dirname(place)
        )
    there = os.path.isfile(source) if item.kind == FILE else item.kind == FOLDER and os.path.isdir(source)
    return there and not os.path.islink(source) and os.path.realpath(source) != os.path.realpath(place)


def drop(trip: Trip, number: int, shelf: Shelf, report: UndoReport, progress: Progress) -> None:
    """Remove the copies this trip made, as far as nobody has changed them and the originals are back."""
    ledgers = {row.place: row for row in trip.logbook.ledgers()}
    rows = list(trip.logbook.rows(number))
    for row in reversed(rows):
        place = shelf.place(row.item.path)
        if row.existed or row.state == ACCEPTED or not can_go(shelf, row.item):
            continue
        try:
            second = row.item.kind == FILE and is_original(shelf, place)  # a mere name, which takes no room
            if row.item.kind == FOLDER:
                os.rmdir(place)
            elif (
                second
                or row.item.kind == LINK
                or (taken_back(trip, ledgers[place]) if place in ledgers else untouched(place, row.item))
            ):
                os.unlink(place)
                report.dropped_files += 1
                report.dropped_bytes += 0 if second else row.item.size
        except OSError as error:
            trip.logbook.tell(f"kept {place}: {error.strerror}")
        progress(Tick(f"drop copies of {shelf.name}", row.item.path, report.dropped_files, len(rows)))
    manifest.remove(shelf.new)
    if os.path.isdir(os.path.dirname(shelf.new)):
        sync_folder(os.path.dirname(shelf.new))
    if os.path.isdir(shelf.new):
        report.remarks.append(f"{show(shelf.new)} still holds files that were there before or came later; they stay")


def taken_back(trip: Trip, row: LedgerRow) -> bool:
    """Whether a ledger's copy holds nothing that did not go back with the undo: it is as it was hauled, switched, or
    folded back.
    """
    kept = trip.keep(row.number, "-after")
    folded = digest_of(kept) if os.path.exists(kept) else None
    return digest_of(row.place) in (row.before, row.after, folded)


def untouched(place: str, item: Item) -> bool:
    """Whether the copy at `place` still has the size and time it was given."""
    state = os.stat(place, follow_symlinks=False)
    return item.kind == FILE and state.st_size == item.size and abs(state.st_mtime_ns - item.mtime_ns) <= COARSEST_NS
