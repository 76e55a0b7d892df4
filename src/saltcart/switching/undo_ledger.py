"""One ledger on its way back: what stood in it before is there again, and what came since stays."""

from collections.abc import Hashable
from contextlib import suppress

from msgspec import Struct, field
from msgspec.structs import replace

from saltcart.drives import Presence
from saltcart.drives.drive import drive_at, mount_of
from saltcart.errors import CannotSpell, Refused, show
from saltcart.ledgers.base import NO_EDITS, Entry, ListEdits
from saltcart.ledgers.sqlite.ledger import SqliteLedger
from saltcart.own_names import staged_for_undo, staged_in_place
from saltcart.rewriting.changes import Changes
from saltcart.rewriting.content_folders import list_edits, listed, same_place
from saltcart.rewriting.routes import Routes
from saltcart.rewriting.staging import stage
from saltcart.safefile import copy_durably, digest_of, remove_if_there, remove_with_side_files, sync_folder
from saltcart.spelling import Moves
from saltcart.spelling.moves import tail_below
from saltcart.switching.deed_kinds import Swap
from saltcart.switching.deeds import Deed
from saltcart.system import os
from saltcart.trips import leftovers
from saltcart.trips.facts import Fact
from saltcart.trips.records import EntryRow, LedgerRow, key_text
from saltcart.trips.trip import Trip
from saltcart.waybills.shelf import Shelf


class UndoReport(Struct):
    """What was undone: entries changed, copies dropped (files and bytes), and remarks; `undropped` when copies are left
    to be removed once a drive is connected.
    """

    changed: int = 0
    dropped_files: int = 0
    dropped_bytes: int = 0
    undropped: bool = False
    remarks: list[str] = field(default_factory=list)


def prepare_ledger(trip: Trip, row: LedgerRow, report: UndoReport, without_new: bool) -> list[Deed]:
    """The deed that gives a ledger its old entries back, with everything its program has written since; none when it
    needs none.
    """
    if not row.rewrite and not trip.line(row).over:
        return []
    if not os.path.exists(row.place):
        if not (without_new and any(tail_below(row.place, shelf.new) is not None for shelf in trip.waybill.shelves)):
            refuse_away(trip, row)
        report.remarks.append(
            f"The ledger {show(row.place)} is gone since the switch; its original is kept at {show(row.backup or '')}"
        )
        return []
    today = digest_of(row.place)
    if today == row.before:
        return []  # nothing changed in it, the switch had not come to it, or somebody has restored it
    if trip.line(row).over:
        return [put_back_over(trip, row, today, report)]
    if comes_back(trip, row, today):
        report.changed += row.changed
        return []
    return rewritten_back(trip, row, today, report)


def comes_back(trip: Trip, row: LedgerRow, today: str) -> bool:
    """Whether a ledger comes back with its shelf, by its digest of today: it travelled, and nobody changed it, or the
    one at the old place was never touched.
    """
    stayed = any(one.original_stays and tail_below(row.path, one.old) is not None for one in trip.waybill.shelves)
    return row.place != row.path and (today == row.after or stayed)


def rewritten_back(trip: Trip, row: LedgerRow, today: str, report: UndoReport) -> list[Deed]:
    """The deed for a ledger that is rewritten: as it was kept when nobody wrote to it since, else as it is today, with
    its old entries.
    """
    staged, travels = staged_name(trip, row), row.place != row.path
    leftovers.sweep(trip.line(row).over or row.path, trip)
    if today == row.after:
        if not row.changed:
            return []
        after = copy_durably(row.backup or "", staged)
        sync_folder(os.path.dirname(staged))
        report.changed += row.changed
    else:
        parted = old_folders(trip, row, report)
        changes = Changes(old_texts(trip, row, report), [], replace(old_list(trip, row), parted=parted))
        if not changes.texts and not changes.edits and not travels:
            return []
        after = stage(trip.open_ledger(row), changes, staged)
        report.changed += len(changes.texts) + changes.edits.count()
    before, kept = (row.before or "", row.backup or "") if travels else (today, trip.keep(row.number, "-after"))
    if after == before:  # what came since was taken out again; a swap could not tell what it was from what it is
        remove_with_side_files(staged)
        return []
    copy_durably(row.place, trip.keep(row.number, "-after"))
    return [Swap(row.path, staged, before, after, kept)]


def refuse_away(trip: Trip, row: LedgerRow) -> None:
    """Raise Refused when a ledger is not there because its drive is not: that says nothing about the ledger."""
    known = trip.logbook.fact(Fact.LEDGER_DRIVES, {}).get(str(row.number))
    away = Presence().away(row.place)
    if away is None and known and drive_at(mount_of(row.place)).identity != known:
        away = "its drive is not connected"
    if away:
        raise Refused(f"The ledger {show(row.place)}: {away}", "Plug it in, then undo again; nothing was changed.")


def put_back_over(trip: Trip, row: LedgerRow, today: str, report: UndoReport) -> Deed:
    """The deed that gives the ledger of which another took the place its name back; what its program has written since
    is kept.
    """
    staged, kept = staged_name(trip, row), trip.keep(row.number, "-after")
    after = copy_durably(row.backup or "", staged)
    sync_folder(os.path.dirname(staged))
    copy_durably(row.place, kept)
    report.changed += row.changed
    if today != row.after:
        report.remarks.append(
            f"{show(row.place)} was written to since; it is again what it was before, and what it was now is kept at"
            f" {show(kept)}"
        )
    return Swap(row.place, staged, today, after, kept)


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


def old_folders(trip: Trip, row: LedgerRow, report: UndoReport) -> dict[Hashable, str]:
    """For the entries that the trip let part from their folder, and that are still where it put them: the text of the
    folder they start from again.
    """
    known, ledger = trip.logbook.fact(Fact.PARTED, {}).get(str(row.number), {}), trip.open_ledger(row)
    if not known or not isinstance(ledger, SqliteLedger):
        return {}
    wanted: dict[Hashable, str] = {}
    for entry in ledger.entries():
        old, new = known.get(key_text(entry.key), ("", None))
        if entry.base and entry.base.written == new:
            wanted[entry.key] = old
    able = ledger.partable(wanted)
    if left := len(wanted) - len(able):
        report.remarks.append(
            f"{show(row.path)}: {left:,} entries keep the folder that they were given, because its table takes no such"
            " row"
        )
    return able


def old_list(trip: Trip, row: LedgerRow) -> ListEdits:
    """What takes folders out of the list of a ledger that the trip put there, and puts those back that it took out."""
    ledger, resolver = trip.open_ledger(row), trip.waybill.resolver()
    there = [folder for _entry, folder in listed(ledger, resolver)]
    lines = [line for line in trip.waybill.folders if line.ledger == row.path]
    lines = [
        replace(line, ledger=row.place, do="add" if line.do == "remove" else "remove")
        for line in lines
        if any(same_place(folder, line.folder) for folder in there) != (line.do == "remove")
    ]
    return list_edits(ledger, lines, resolver) if lines else NO_EDITS


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
    for one in trip.shelves:
        tail = tail_below(home, one.shelf.old)
        if tail is not None:
            return os.path.lexists(home if one.shelf.original_stays else os.path.join(one.aside, tail))
    return False


def staged_name(trip: Trip, row: LedgerRow) -> str:
    """A hidden name for new content on the drive of the ledger's old place, outside of what is about to be renamed.

    Not the name a repoint uses, because a half-done one may have left its file there.
    """
    for shelf in trip.waybill.shelves if not trip.line(row).over else ():
        if tail_below(row.path, shelf.old) is not None:
            return staged_in_place(shelf.stays_at, trip.name, row.number)
    return staged_for_undo(trip.line(row).over or row.path, trip.name)


def clear_staged(trip: Trip) -> None:
    """Remove what was prepared for an undo and will not be used."""
    for row in trip.logbook.ledgers():
        with suppress(OSError):
            remove_with_side_files(staged_name(trip, row))
    for one in trip.waybill.newer:
        with suppress(OSError):
            remove_if_there(staged_for_undo(one.path, trip.name))


def came_so(shelf: Shelf, path: str, home: str) -> bool:
    """Whether what lies at `path` from the new place may have come from `home`: what has that name at home may lie
    elsewhere here, and this came later.
    """
    return shelf.place(home) == (f"{shelf.new}/{path}" if path else shelf.new)
