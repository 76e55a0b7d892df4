"""Taking a trip back before its release, keeping what programs have written since.

The model.  The plan of an undo is that of the repoint turned round: signposts go, originals get their names back,
and each ledger gets its old entries.  A ledger that nobody changed since it was switched gets its old bytes back.
One that its program has written to is rewritten entry by entry as it is now, so that later plays, ratings and
additions stay.  A half-done switch is taken back the same way, since a program may have written to a ledger that
had switched.

The plan is recorded, with everything it needs, before its first deed; see `transaction` for what a crash leaves.
"""

import os
from collections.abc import Container, Sequence
from contextlib import suppress

from msgspec import Struct, field
from msgspec.structs import replace

from saltcart.drives import Presence, drive_of, find_drive
from saltcart.drives.drive import drive_at, mount_of, refuse_other_drive, require
from saltcart.errors import CannotSpell, Refused, Stopped, counted, show
from saltcart.ledgers import Entry, Ledger
from saltcart.ledgers.base import NO_EDITS, ListEdits
from saltcart.own_names import staged_for_undo, staged_in_place
from saltcart.progress import Progress, Tick, silent
from saltcart.rewriting.content_folders import list_edits, listed, same_place
from saltcart.rewriting.routes import Changes, Routes
from saltcart.rewriting.staging import stage
from saltcart.safefile import (
    copy_durably,
    digest_of,
    remove_empty,
    remove_if_there,
    remove_with_side_files,
    sync_folder,
)
from saltcart.shelves.walk import walk
from saltcart.spelling import Moves
from saltcart.spelling.moves import tail_below
from saltcart.switching import folder_times, transaction
from saltcart.switching import repoint as repointing
from saltcart.switching.dropping import COARSEST_NS, Dropped, Kept, drop, is_original, named_copies
from saltcart.switching.programs import refuse_busy
from saltcart.trips import history, leftovers
from saltcart.trips import trip as trips
from saltcart.trips.records import EntryRow, LedgerRow, key_text
from saltcart.trips.remounts import follow_remounts
from saltcart.trips.signposts import put_back
from saltcart.trips.trip import DROPPING, ENDED, HAULED, HAULING, SWITCHED, SWITCHING, UNDOING, UNDONE, Trip
from saltcart.waybills import collection
from saltcart.waybills.new_place import landing_drive
from saltcart.waybills.shelf import Shelf

PLAN = "undo"


class UndoReport(Struct):
    """What was undone: entries changed, copies dropped (files and bytes), and remarks; `undropped` when copies are left
    to be removed once a drive is connected.
    """

    changed: int = 0
    dropped_files: int = 0
    dropped_bytes: int = 0
    undropped: bool = False
    remarks: list[str] = field(default_factory=list)


def undo(
    name: str,
    drop_copies: bool = False,
    wait: bool = False,
    without_new: bool = False,
    progress: Progress = silent,
    spare: Container[str] = (),
) -> UndoReport:
    """Take trip `name` back.  With `drop_copies` they are removed from the new drive too, with `wait` programs in the
    way are waited for.  `without_new` goes on although the new drive is away, giving up what was written there since.
    Copies at the places `spare` stay all the same.

    Raises Refused with nothing changed, HalfDone when it stopped in the middle and could not be taken back itself.
    """
    report = UndoReport()
    with trips.held(name) as trip:
        trip.require(HAULING, HAULED, SWITCHING, SWITCHED, UNDOING, UNDONE, step="undo")
        repointing.face_the_world(trip)
        if trip.state in (SWITCHING, SWITCHED):
            refuse_later(trip)
        if trip.state == UNDOING:
            go_on(trip, wait, progress)
        if trip.state in (SWITCHING, SWITCHED):
            prepare(trip, report, wait, without_new, progress)
        if trip.state == UNDOING:
            carry_out(trip)
            folder_times.give_back(trip)
        if trip.state in (HAULING, HAULED):
            repointing.clear_staged(trip)
        repointing.clear_updates(trip)
        if trip.state != UNDONE:
            report.remarks += newcomers(trip)
            trip.enter(UNDONE, "undone: entries and originals are back", **{DROPPING: drop_copies})
        if drop_copies:
            trip.logbook.record(**{DROPPING: True})
            drop_all(trip, report, progress, spare)
            trip.logbook.record(**{DROPPING: report.undropped})
    return report


def refuse_later(trip: Trip) -> None:
    """Raise Refused when a later trip builds on this one: it moved on, or rewrote, what lies at this one's new place.

    Undone in this order, a ledger would come home with entries for where the later trip put things, and nobody would
    change them back when that is undone.  Trips that only copy change nothing there.
    """
    tops = [shelf.new for shelf in trip.waybill.shelves if not shelf.gathered]
    for later in history.readable():
        if later.name == trip.name:
            return
        if later.state in ENDED or later.copies:
            continue
        places = [shelf.old for shelf in later.waybill.shelves]
        places += [line.over or line.path for line in later.waybill.ledgers if line.rewrite]
        if any(tail_below(place, top) is not None for place in places for top in tops):
            raise Refused(
                f"Trip {later.name} came after trip {trip.name} and changed what lies at its new place",
                f"First: saltcart undo {later.name}   then: saltcart undo {trip.name}",
            )


def go_on(trip: Trip, wait: bool, progress: Progress) -> None:
    """Look before an undo that was cut off is carried on: no program may be in the way, and what was prepared must be
    there; else that undo is given up, and begins anew.
    """
    waiting = transaction.waiting_swaps(trip, PLAN)
    refuse_busy(opened(trip, [row for row in trip.logbook.ledgers() if row.path in waiting]), wait, progress)
    if transaction.lacks_staged(trip, PLAN):
        with transaction.interrupts_held():
            troubles = transaction.take_back(trip, PLAN)
        if troubles:
            raise transaction.half_done(trip, Refused("prepared ledgers are gone"), troubles)
        trip.enter(trip.logbook.fact("undo_from", SWITCHED), "an undo that could not be carried on begins anew")


def carry_out(trip: Trip) -> None:
    """Carry the recorded undo out; the trip is as before when that failed and was seen to be taken back."""
    try:
        transaction.carry_out(trip, PLAN)
    except transaction.TakenBack as ended:
        trip.enter(trip.logbook.fact("undo_from", SWITCHED), "undo failed; the trip is as it was")
        clear_staged(trip)
        raise ended.cause from None


def drop_all(trip: Trip, report: UndoReport, progress: Progress, spare: Container[str] = ()) -> None:
    """Remove the copies of a trip that was taken back, and set signposts up again that had made room for them."""
    follow_remounts(trip)
    dropped, keep = Dropped(), Kept(spare, named_copies(trip))
    for number, shelf in reversed([*enumerate(trip.waybill.shelves)]):  # what was gathered lies in the first
        if other := user_of(shelf.new, trip):
            report.remarks.append(f"The copies at {show(shelf.new)} stay, for trip {other} uses them")
        elif away := drive_away(shelf):
            report.undropped = True
            report.remarks.append(
                f"The copies at {show(shelf.new)} stay for now: {away} is not connected. Connect it, then:"
                f" saltcart undo {trip.name} --drop-copies"
            )
        else:
            drop(trip, number, shelf, dropped, progress, keep)
            if away := drive_away(shelf):
                raise not_dropped(trip, f"{away} has gone while copies were removed", dropped.failed)
    if dropped.failed:
        raise not_dropped(
            trip, f"{counted(len(dropped.failed), 'copy', 'copies')} could not be removed", dropped.failed
        )
    drop_told(trip)
    report.dropped_files, report.dropped_bytes = dropped.files, dropped.bytes
    report.remarks += dropped.remarks
    put_back(trip)


def drive_away(shelf: Shelf) -> str:
    """Which drive of a shelf is away, in words, so that its copies cannot be held against its originals; else ""."""
    if landing_drive(shelf.new).identity != shelf.new_drive:
        return "their drive"
    return "the drive of the originals" if drive_of(shelf.stays_at).identity != shelf.old_drive else ""


def not_dropped(trip: Trip, what: str, details: Sequence[str]) -> Stopped:
    """The error for copies that are left although they should go."""
    return Stopped(
        f"Trip {trip.name} is undone, but {what}",
        f"Originals and ledgers are back. To remove the rest: saltcart undo {trip.name} --drop-copies",
        details[:20],
    )


def drop_told(trip: Trip) -> None:
    """Remove what a carry wrote beside the sounds, when this trip was the last to do so and they are gone."""
    top = trip.waybill.collection
    if not top or not os.path.isfile(os.path.join(top, collection.NAME)):
        return
    found = collection.read(os.path.join(top, collection.NAME))
    if found.trip == trip.name and not any(os.path.lexists(found.at(one.place)) for one in found.shelves):
        ours = {collection.READ_ME: found.read_me, **{one.place: one.digest for one in found.lists}}
        for name, digest in ours.items():
            if os.path.isfile(found.at(name)) and digest_of(found.at(name)) == digest:
                remove_if_there(found.at(name))
        remove_if_there(found.at(collection.NAME))
        for folder in (*{os.path.dirname(found.at(one.place)) for one in found.lists}, top):
            remove_empty(folder)


def user_of(place: str, trip: Trip) -> str | None:
    """The id of another trip that goes to `place` as well and was not undone; None when there is none.

    What an earlier trip brought into a collection is not among the copies of a later one.
    """
    for other in history.readable():
        if other.name == trip.name:
            if trip.waybill.collection:
                return None
        elif other.state != UNDONE and any(shelf.new == place for shelf in other.waybill.shelves):
            return other.name
    return None


def opened(trip: Trip, rows: list[LedgerRow]) -> list[Ledger]:
    """The ledgers of rows, as far as they are there."""
    return [trip.open_ledger(row) for row in rows if os.path.exists(row.place)]


def prepare(trip: Trip, report: UndoReport, wait: bool, without_new: bool, progress: Progress) -> None:
    """Stage every ledger as it shall be, and record the whole plan before its first deed."""
    rows = trip.logbook.ledgers()
    times = folder_times.untouched(trip)
    for shelf in trip.waybill.shelves:
        refuse_blocked(trip, shelf)
        if not without_new:
            refuse_unplugged(trip, shelf)
    refuse_busy(opened(trip, rows), wait, progress)
    inverse = transaction.inverse([deed for _number, deed, _done in trip.logbook.deeds(repointing.PLAN)])
    # What a half-done switch had not come to needs no undoing, and must not be done when this undo is taken back.
    deeds = [deed for deed in inverse if transaction.standing(deed) != transaction.DONE]
    deeds += own_files_back(trip) if trip.state == SWITCHING else record_back(trip)
    deeds += sounds_back(trip, report)
    begun: list[str] = []
    try:
        for row in rows:
            progress(Tick("read the ledgers", row.path, row.number, len(rows)))
            begun += repointing.within_reach(staged_name(trip, row))
            deeds += prepare_ledger(trip, row, report, without_new)
        refuse_absent_drives(trip, without_new)
    except BaseException as error:
        clear_staged(trip)
        if repointing.out_of_reach(begun) and isinstance(error, Refused):
            raise repointing.not_cleared(error, f"saltcart undo {trip.name}") from error
        raise
    with trip.logbook.together():
        trip.logbook.plan_deeds(PLAN, deeds)
        trip.logbook.record(state=UNDOING, undo_from=trip.state, **{folder_times.GIVEN_BACK: times})
        trip.logbook.tell("undo begins")
    repointing.clear_staged(trip)  # of a switch that was half done


def own_files_back(trip: Trip) -> list[transaction.Deed]:
    """The deeds that let manifests and the record of a collection say what they said before a half-done switch."""
    deeds = []
    for _number, deed, _done in trip.logbook.deeds(repointing.PLAN):
        if deed.get("own") and transaction.standing(deed) == transaction.DONE:
            staged = staged_for_undo(deed["path"], trip.name)
            copy_durably(deed["backup"], staged)
            kept = f"{deed['backup']}-after"
            copy_durably(deed["path"], kept)
            deeds.append(transaction.swap(deed["path"], staged, deed["after"], deed["before"], kept))
    return deeds


def sounds_back(trip: Trip, report: UndoReport) -> list[transaction.Deed]:
    """The deeds that give single sounds their older content back; one that was edited since stays."""
    deeds = []
    for _number, deed, _done in trip.logbook.deeds(repointing.PLAN):
        if not deed.get("sound") or transaction.standing(deed) == transaction.UNDONE:
            continue
        if transaction.standing(deed) == transaction.UNSEEN:
            report.remarks.append(f"{show(deed['path'])} was edited since; what it was before is at {deed['backup']}")
            continue
        staged, kept = staged_for_undo(deed["path"], trip.name), f"{deed['backup']}-after"
        copy_durably(deed["backup"], staged)
        copy_durably(deed["path"], kept)
        deeds.append(transaction.swap(deed["path"], staged, deed["after"], deed["before"], kept))
    return deeds


def record_back(trip: Trip) -> list[transaction.Deed]:
    """The deed that lets a collection say of itself what it said before a carry, when that was the last; sounds that
    were brought up to date stay so, and what it says of them.
    """
    top, kept = trip.waybill.collection, os.path.join(trip.folder, "ledgers", "carried-before")
    path = os.path.join(top, collection.NAME)
    if not top or not os.path.isfile(kept) or not os.path.isfile(path):
        return []
    now, before = collection.read(path), collection.read(kept)
    if now.trip != trip.name:
        return []
    newer = {one.place: one for one in now.files}
    before.top, before.files = top, [newer.get(one.place, one) for one in before.files]
    staged, after = staged_for_undo(path, trip.name), f"{kept}-after"
    digest = collection.write(before, staged)
    copy_durably(path, after)
    return [transaction.swap(path, staged, digest_of(path), digest, after)]


def refuse_absent_drives(trip: Trip, without_new: bool) -> None:
    """Raise Refused when a drive has gone while ledgers were read: one that was not seen is not gone for good."""
    for shelf in trip.waybill.shelves:
        require(shelf.old_drive, shelf.stays_at, f'the shelf "{shelf.name}"')
        if not without_new:
            refuse_unplugged(trip, shelf)


def refuse_blocked(trip: Trip, shelf: Shelf) -> None:
    """Raise Refused when the originals are not where they were set aside, or something has taken their place."""
    if shelf.original_stays:
        return
    place, aside = shelf.old, os.path.isdir(trip.aside(shelf))
    if trip.state == SWITCHING and not aside and os.path.isdir(place) and not os.path.islink(place):
        return  # the switch had not come to it
    if not aside:
        raise Refused(
            f"The originals are not at {show(trip.aside(shelf))}",
            "If their drive is not connected, plug it in. If someone moved them, move them back there.",
        )
    signpost = os.path.islink(place) and os.readlink(place) == shelf.new and shelf.leave == "signpost"
    empty = os.path.isdir(place) and not os.path.islink(place) and not os.listdir(place)
    if os.path.lexists(place) and not signpost and not empty and not (shelf.stay or shelf.only):
        raise Refused(
            f"There is something else at {show(place)}", "Move it away, then undo again; nothing was changed."
        )


def refuse_unplugged(trip: Trip, shelf: Shelf) -> None:
    """Raise Refused when the new drive is away: what programs wrote there since would be lost without a word.

    One that hangs elsewhere now is no reason when no ledger travelled with the shelf: then nothing on it is needed.
    """
    if drive_of(shelf.new).identity == shelf.new_drive:
        return
    travelling = any(row.place != row.path for row in trip.logbook.ledgers())
    if not travelling and find_drive(shelf.new_drive, shelf.new):
        return
    try:
        refuse_other_drive(shelf.new_drive, shelf.new, f'the shelf "{shelf.name}"')
    except Refused as error:
        error.remedy += " To give up what was written there since: --without-new"
        raise


def prepare_ledger(trip: Trip, row: LedgerRow, report: UndoReport, without_new: bool) -> list[transaction.Deed]:
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
    today, travels = digest_of(row.place), row.place != row.path
    if today == row.before and today != row.after:
        return []  # the switch had not come to it, or somebody has restored it
    if trip.line(row).over:
        return [put_back_over(trip, row, today, report)]
    if travels and any(
        shelf.original_stays and tail_below(row.path, shelf.old) is not None for shelf in trip.waybill.shelves
    ):
        report.changed += row.changed
        return []  # the one at the old place was never touched
    if today == row.after and travels:
        report.changed += row.changed
        return []  # it travelled and nobody changed it: the original comes back with its shelf
    staged = staged_name(trip, row)
    leftovers.sweep(trip.line(row).over or row.path, trip)
    if today == row.after:
        if not row.changed:
            return []
        after = copy_durably(row.backup or "", staged)
        sync_folder(os.path.dirname(staged))
        report.changed += row.changed
    else:
        changes = Changes(old_texts(trip, row, report), [], old_list(trip, row))
        if not changes.texts and not changes.edits and not travels:
            return []
        after = stage(trip.open_ledger(row), changes, staged)
        report.changed += len(changes.texts) + changes.edits.count()
    kept = trip.keep(row.number, "-after")
    copy_durably(row.place, kept)
    if travels:
        return [transaction.swap(row.path, staged, row.before or "", after, row.backup or "")]
    return [transaction.swap(row.path, staged, today, after, kept)]


def refuse_away(trip: Trip, row: LedgerRow) -> None:
    """Raise Refused when a ledger is not there because its drive is not: that says nothing about the ledger."""
    known = trip.logbook.fact("ledger_drives", {}).get(str(row.number))
    away = Presence().away(row.place)
    if away is None and known and drive_at(mount_of(row.place), room=False).identity != known:
        away = "its drive is not connected"
    if away:
        raise Refused(f"The ledger {show(row.place)}: {away}", "Plug it in, then undo again; nothing was changed.")


def put_back_over(trip: Trip, row: LedgerRow, today: str, report: UndoReport) -> transaction.Deed:
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
    return transaction.swap(row.place, staged, today, after, kept)


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
    for shelf in trip.waybill.shelves:
        tail = tail_below(home, shelf.old)
        if tail is not None:
            return os.path.lexists(home if shelf.original_stays else os.path.join(trip.aside(shelf), tail))
    return False


def staged_name(trip: Trip, row: LedgerRow) -> str:
    """A hidden name for new content on the drive of the ledger's old place, outside of what is about to be renamed.

    Not the name a repoint uses, for a half-done one may have left its file there.
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


def newcomers(trip: Trip) -> list[str]:
    """A remark for each shelf whose new place holds what the originals do not: it came after the switch and stays
    there.
    """
    remarks = []
    ledgers = {row.place for row in trip.logbook.ledgers()}
    for number, shelf in enumerate(trip.waybill.shelves):
        if shelf.gathered or shelf.files or not os.path.isdir(shelf.new):
            continue  # other things may stand beside chosen files
        others = [one.new for one in trip.waybill.shelves if one is not shelf and tail_below(one.new, shelf.new)]
        items = [(item, shelf.home(item.path)) for item in walk(shelf.new)]
        later = [shelf.place("") + f"/{item.path}" for item, home in items if not came_so(shelf, item.path, home)]
        stock = (item._replace(path=home) for item, home in items if came_so(shelf, item.path, home))
        trip.logbook.take_stock(number, stock)
        found = trip.logbook.differences(number, COARSEST_NS)
        places = [*later, *(shelf.place(path) for path in found["new"] + found["changed"])]
        places = [
            place
            for place in places
            if os.path.isfile(place)
            and not os.path.islink(place)
            and place not in ledgers
            and not is_original(shelf, place)
            and all(tail_below(place, other) is None for other in others)
        ]
        if places:
            names = ", ".join(map(show, places[:3])) + (" ..." if len(places) > 3 else "")
            remarks.append(
                f"{counted(len(places), 'file', 'files')} newer than the originals kept at {show(shelf.new)}: {names}"
            )
    return remarks
