"""Taking a trip back before its release, keeping what programs have written since.

The model.  The plan of an undo is that of the repoint turned round: signposts go, originals get their names back,
and each ledger gets its old entries.  A ledger that nobody changed since it was switched gets its old bytes back.
One that its program has written to is rewritten entry by entry as it is now, so that later plays, ratings and
additions stay.  A half-done switch is undone the same way, since a program may have written to a ledger that
had switched.

The plan is recorded, with everything it needs, before its first deed; see `all_or_nothing` for what a crash leaves.
"""

from collections.abc import Container, Sequence
from contextlib import suppress

from saltcart.carrying.histories import clear_there, folder_there
from saltcart.drives import drive_of, find_drive
from saltcart.drives.known import refuse_other_drive, require
from saltcart.errors import Refused, Stopped, counted, show
from saltcart.ledgers.base import Ledger
from saltcart.progress import Progress, Tick, silent
from saltcart.safefile import digest_of, remove_empty, remove_if_there
from saltcart.shelves.walk import walk
from saltcart.spelling.moves import tail_below
from saltcart.switching import all_or_nothing, folder_times, superseding
from saltcart.switching import repoint as repointing
from saltcart.switching.deeds import inverse, record, recorded, standing
from saltcart.switching.dropping import COARSEST_NS, Dropped, Kept, drop, is_original, named_copies
from saltcart.switching.one_deed import DONE
from saltcart.switching.programs import refuse_busy
from saltcart.switching.undo_files import own_files_back, record_back, sounds_back
from saltcart.switching.undo_ledger import UndoReport, came_so, clear_staged, prepare_ledger, staged_name
from saltcart.system import os
from saltcart.trips import history
from saltcart.trips.facts import Fact
from saltcart.trips.holding import held
from saltcart.trips.records import LedgerRow
from saltcart.trips.remounts import follow_remounts
from saltcart.trips.signposts import put_back
from saltcart.trips.stock import Stock
from saltcart.trips.trip import ENDED, HAULED, HAULING, SWITCHED, SWITCHING, UNDOING, UNDONE, Trip
from saltcart.trips.trip_shelf import TripShelf
from saltcart.waybills import collection, collection_file
from saltcart.waybills.new_place import landing_drive
from saltcart.waybills.shelf import Shelf

PLAN = "undo"
DRIVE_WENT = "a drive was disconnected while copies were removed"


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

    Raises Refused with nothing changed, HalfDone when it stopped in the middle and could not be undone itself.
    """
    report = UndoReport()
    with held(name) as trip:
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
        superseding.clear_updates(trip)
        if trip.state != UNDONE:
            report.remarks += newcomers(trip)
            trip.enter(UNDONE, "undone: entries and originals are back", {Fact.DROPPING: drop_copies})
        if drop_copies:
            trip.logbook.record({Fact.DROPPING: True})
            drop_all(trip, report, progress, spare)
            trip.logbook.record({Fact.DROPPING: report.undropped})
    return report


def refuse_later(trip: Trip) -> None:
    """Raise Refused when a later trip builds on this one: it moved on, or rewrote, what lies at this one's new place.

    Undone in this order, a ledger would come home with entries for where the later trip put things, and nobody would
    change them back when that is undone.  Trips that only copy change nothing there.
    """
    tops = [shelf.new for shelf in trip.waybill.shelves if not shelf.along]
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
    """Look before an undo that was interrupted is carried on: no program may be in the way, and what was prepared must
    be there; else that undo is given up, and begins anew.
    """
    waiting = all_or_nothing.waiting_swaps(trip, PLAN)
    refuse_busy(opened(trip, [row for row in trip.logbook.ledgers() if row.path in waiting]), wait, progress)
    if all_or_nothing.lacks_staged(trip, PLAN):
        with all_or_nothing.interrupts_held():
            troubles = all_or_nothing.take_back(trip, PLAN)
        if troubles:
            raise all_or_nothing.half_done(trip, Refused("prepared ledgers are gone"), troubles)
        trip.enter(trip.logbook.fact(Fact.UNDO_FROM, SWITCHED), "an undo that could not be carried on begins anew")


def carry_out(trip: Trip) -> None:
    """Carry the recorded undo out; the trip is as before when that failed and was seen to be undone."""
    try:
        all_or_nothing.carry_out(trip, PLAN)
    except all_or_nothing.TakenBack as ended:
        trip.enter(trip.logbook.fact(Fact.UNDO_FROM, SWITCHED), "undo failed; the trip is as it was")
        clear_staged(trip)
        raise ended.cause from None


def drop_all(trip: Trip, report: UndoReport, progress: Progress, spare: Container[str] = ()) -> None:
    """Remove the copies of a trip that was undone, and set signposts up again that had made room for them."""
    follow_remounts(trip)
    dropped, keep = Dropped(), Kept(spare, named_copies(trip))
    for one in reversed(trip.shelves):  # what was gathered lies in the first
        shelf = one.shelf
        if other := user_of(shelf.new, trip):
            report.remarks.append(f"The copies at {show(shelf.new)} stay, for trip {other} uses them")
        elif away := drive_away(shelf):
            report.undropped = True
            report.remarks.append(
                f"The copies at {show(shelf.new)} stay for now: {away} is not connected. Connect it, then:"
                f" saltcart undo {trip.name} --drop-copies"
            )
        else:
            drop(trip, one, dropped, progress, keep)
            if drive_away(shelf):
                raise not_dropped(trip, DRIVE_WENT, dropped.failed)
    if dropped.failed:
        raise not_dropped(
            trip, f"{counted(len(dropped.failed), 'copy', 'copies')} could not be removed", dropped.failed
        )
    drop_told(trip)
    drives = {(one.shelf.new_drive, one.shelf.old_drive): one.shelf for one in trip.shelves}
    if not report.undropped and any(map(drive_away, drives.values())):
        raise not_dropped(trip, DRIVE_WENT, dropped.failed)  # what lies beside the copies is not seen, and not gone
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
    found = collection_file.read(os.path.join(top, collection.NAME))
    if found.trip == trip.name and not any(os.path.lexists(found.at(one.place)) for one in found.shelves):
        ours = {collection.READ_ME: found.read_me, **{one.place: one.digest for one in found.lists}}
        for name, digest in ours.items():
            if os.path.isfile(found.at(name)) and digest_of(found.at(name)) == digest:
                remove_if_there(found.at(name))
        with suppress(Refused):  # a link in the place of their folder is not ours
            clear_there(top)
            remove_empty(folder_there(top))
        remove_if_there(found.at(collection.NAME))  # last, for without it nothing tells what is ours
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
    """The ledgers of rows that exist."""
    return [trip.open_ledger(row) for row in rows if os.path.exists(row.place)]


def prepare(trip: Trip, report: UndoReport, wait: bool, without_new: bool, progress: Progress) -> None:
    """Stage every ledger as it shall be, and record the whole plan before its first deed."""
    rows = trip.logbook.ledgers()
    times = folder_times.untouched(trip)
    for one in trip.shelves:
        refuse_blocked(trip, one)
        if not without_new:
            refuse_unplugged(trip, one.shelf)
    refuse_busy(opened(trip, rows), wait, progress)
    back = inverse(deed for _number, deed, _done in recorded(trip, superseding.PLAN))
    # What a half-done switch had not come to needs no undoing, and must not be done when this undo is undone.
    deeds = [deed for deed in back if standing(deed) != DONE]
    deeds += own_files_back(trip) if trip.state == SWITCHING else record_back(trip)
    deeds += sounds_back(trip, report)
    begun: list[str] = []
    try:
        for number, row in enumerate(rows):
            progress(Tick("read the ledgers", row.path, number, len(rows)))
            begun += repointing.within_reach(staged_name(trip, row))
            deeds += prepare_ledger(trip, row, report, without_new)
        refuse_absent_drives(trip, without_new)
    except BaseException as error:
        clear_staged(trip)
        if repointing.out_of_reach(begun) and isinstance(error, Refused):
            raise superseding.not_cleared(error, f"saltcart undo {trip.name}") from error
        raise
    with trip.logbook.together():
        record(trip, PLAN, deeds)
        trip.logbook.record({Fact.STATE: UNDOING, Fact.UNDO_FROM: trip.state, Fact.TIMES_GIVEN_BACK: times})
        trip.logbook.tell("undo began")
    repointing.clear_staged(trip)  # of a switch that was half done


def refuse_absent_drives(trip: Trip, without_new: bool) -> None:
    """Raise Refused when a drive has gone while ledgers were read: one that was not seen is not gone for good."""
    for shelf in trip.waybill.shelves:
        require(shelf.old_drive, shelf.stays_at, f'the shelf "{shelf.name}"')
        if not without_new:
            refuse_unplugged(trip, shelf)


def refuse_blocked(trip: Trip, one: TripShelf) -> None:
    """Raise Refused when the originals are not where they were set aside, or something has taken their place."""
    shelf = one.shelf
    if shelf.original_stays:
        return
    place, aside = shelf.old, os.path.isdir(one.aside)
    if trip.state == SWITCHING and not aside and os.path.isdir(place) and not os.path.islink(place):
        return  # the switch had not come to it
    if not aside:
        raise Refused(
            f"The originals are not at {show(one.aside)}",
            "If their drive is not connected, plug it in. If someone moved them, move them back there.",
        )
    if os.path.lexists(place) and not is_ours(shelf) and not (shelf.stay or shelf.only):
        raise Refused(
            f"There is something else at {show(place)}", "Move it away, then undo again; nothing was changed."
        )


def is_ours(shelf: Shelf) -> bool:
    """Whether what is at the old place of a shelf is its signpost, or an empty folder, which nobody misses."""
    place = shelf.old
    if os.path.islink(place):
        return os.readlink(place) == shelf.new and shelf.leave == "signpost"
    return os.path.isdir(place) and not os.listdir(place)


def refuse_unplugged(trip: Trip, shelf: Shelf) -> None:
    """Raise Refused when the new drive is away: what programs wrote there since would be lost without a word.

    One that is mounted elsewhere now is no reason when no ledger travelled with the shelf: then nothing on it is
    needed.
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


def newcomers(trip: Trip) -> list[str]:
    """A remark for each shelf whose new place holds what the originals do not: it came after the switch and stays
    there.
    """
    remarks = []
    ledgers = {row.place for row in trip.logbook.ledgers()}
    for one in trip.shelves:
        shelf = one.shelf
        if not shelf.own_folder or not os.path.isdir(shelf.new):
            continue  # other things may be beside chosen files
        others = [
            other.new for other in trip.waybill.shelves if other is not shelf and tail_below(other.new, shelf.new)
        ]
        items = [(item, shelf.home(item.path)) for item in walk(shelf.new)]
        later = [shelf.place("") + f"/{item.path}" for item, home in items if not came_so(shelf, item.path, home)]
        at_home = (item._replace(path=home) for item, home in items if came_so(shelf, item.path, home))
        found = Stock(one, at_home).differences(COARSEST_NS)
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
