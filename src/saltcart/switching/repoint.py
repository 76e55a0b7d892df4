"""The switch of one trip: ledgers rewritten, originals set aside, signposts left: all or nothing."""

from collections.abc import Sequence
from contextlib import suppress

from msgspec import Struct, field

from saltcart.drives import Presence
from saltcart.drives.drive import drive_at, keeps_change_times, mount_of
from saltcart.drives.known import remember
from saltcart.errors import Refused, Stopped, UsageError, show
from saltcart.hauling.altered import altered_since
from saltcart.hauling.haul import require_drives
from saltcart.hauling.listing import refuse_replaced
from saltcart.judging.judge import Judge
from saltcart.judging.judgements import FOUND, UNREADABLE
from saltcart.ledgers.base import Ledger
from saltcart.own_names import staged_for
from saltcart.planning.destination import refuse_mounts
from saltcart.progress import Progress, Tick, silent
from saltcart.rewriting.content_folders import added_folders
from saltcart.rewriting.links import new_target
from saltcart.safefile import remove_with_side_files
from saltcart.shelves.walk import FILE, OTHER
from saltcart.switching import all_or_nothing, folder_times
from saltcart.switching.deeds import Deed, record
from saltcart.switching.deeds_on_places import Link, Unlink
from saltcart.switching.programs import refuse_busy
from saltcart.switching.repoint_ledger import in_front, prepare_ledger, staged_name
from saltcart.switching.setting_aside import aside_deeds
from saltcart.switching.superseding import PLAN, clear_updates, not_cleared, updates
from saltcart.system import os
from saltcart.trips import signposts
from saltcart.trips.facts import Fact
from saltcart.trips.holding import held
from saltcart.trips.records import ACCEPTED, LedgerRow, key_text
from saltcart.trips.remounts import follow_remounts
from saltcart.trips.stock import Stock
from saltcart.trips.trip import HAULED, SWITCHED, SWITCHING, Trip
from saltcart.waybills.relinks import ALL, LEVEL, ONE


class RepointReport(Struct):
    """What the switch did: entries changed, where originals are set aside, links turned to the new place.

    `already` when it had been done before, so that nothing was left to do.
    """

    changed: int = 0
    aside: list[str] = field(default_factory=list)
    turned: list[str] = field(default_factory=list)
    already: bool = False


def repoint(name: str, reread: bool = False, wait: bool = False, progress: Progress = silent) -> RepointReport:
    """Switch trip `name`.  With `reread` ledgers are taken as they are now, whatever the draft saw.  With `wait`
    programs in the way are waited for.

    Raises Refused with nothing changed, HalfDone when it stopped in the middle and could not be undone.  A
    switch that was interrupted is carried on to its end.
    """
    with held(name) as trip:
        trip.require(HAULED, SWITCHING, SWITCHED, step="repoint")
        report = RepointReport(already=trip.state == SWITCHED)
        face_the_world(trip)
        if trip.state == SWITCHING:
            refuse_busy(unswitched(trip), wait, progress)
            if all_or_nothing.lacks_staged(trip, PLAN):  # lost in a power cut, or cleared by a try that was interrupted
                give_up(trip)
        if trip.state == HAULED:
            prepare_all(trip, reread, wait, progress)
        if trip.state == SWITCHING:
            switch(trip)
        clear_updates(trip)
        report.changed = sum(row.changed for row in trip.logbook.ledgers())
        report.aside = [one.aside for one in trip.shelves if not one.shelf.original_stays]
        report.turned = trip.waybill.turn
        return report


def repoint_copied(name: str, wait: bool = False, progress: Progress = silent) -> RepointReport:
    """Switch trip `name` as the last part of a command that has copied already.

    Raises Stopped where `repoint` raises Refused: no ledger was changed, but the copies are there, and the trip waits.
    """
    try:
        return repoint(name, wait=wait, progress=progress)
    except Refused as error:
        raise Stopped(
            f"{error.what}; everything is copied and verified, and neither a ledger nor an original was changed",
            f"{error.remedy} To continue from here: saltcart repoint {name}",
            error.details,
        ) from error


def face_the_world(trip: Trip) -> None:
    """Let the record say `switching` where a switch is half done although the record says that it was undone."""
    if trip.state == HAULED and all_or_nothing.half_way(trip, PLAN):
        trip.enter(SWITCHING, "a switch was found half done, although it was recorded as rolled back")


def prepare_all(trip: Trip, reread: bool, wait: bool, progress: Progress) -> None:
    """Make everything ready for the switch, in the state `switching`.  Refused with nothing changed."""
    follow_remounts(trip)
    require_drives(trip)
    refuse_changes(trip)
    rows = [row for row in trip.logbook.ledgers() if row.rewrite]
    replaced = [trip.open_ledger(row) for row in rows if trip.line(row).over]
    ledgers = [trip.open_ledger(row, row.path) for row in rows] + replaced
    refuse_busy(ledgers, wait, progress)
    note_drives(trip, rows)
    prepare(trip, reread, progress)
    try:
        refuse_busy(ledgers)  # one may have been opened while the ledgers were read
    except BaseException as error:
        trip.enter(HAULED, "a program was in the way; nothing was switched")
        if not clear_staged(trip) and isinstance(error, Refused):
            raise not_cleared(error, f"saltcart repoint {trip.name}") from error
        raise


def note_drives(trip: Trip, rows: Sequence[LedgerRow]) -> None:
    """Record on which drives the ledgers lie, so that an undo can tell one that is away from one that is gone."""
    here = {row.number: drive_at(mount_of(row.place)) for row in rows}
    remember(here.values())
    trip.logbook.record({Fact.LEDGER_DRIVES: {str(number): drive.identity for number, drive in here.items()}})


def switch(trip: Trip) -> None:
    """Carry the plan out; `hauled` again when that failed and was seen to be undone."""
    try:
        all_or_nothing.carry_out(trip, PLAN)
    except all_or_nothing.TakenBack as ended:
        trip.enter(HAULED, "repoint failed and was rolled back")
        clear_staged(trip)  # after the record, which a second interrupt may keep from being written
        raise ended.cause from None
    try:
        record_stamps(trip)
        record_found(trip)
    except (Refused, UsageError) as error:  # all is switched by now, whatever the record says
        remedy = f"Connect its drive, then: saltcart repoint {trip.name}. Nothing is lost."
        raise Stopped(f"All is switched, but a ledger cannot be read just now: {error.what}", remedy) from error
    folder_times.note_after(trip)
    trip.enter(SWITCHED, "switched: ledgers updated, originals set aside")


def give_up(trip: Trip) -> None:
    """Take a half-done switch back that cannot be carried on.  HalfDone when that cannot be reached or seen."""
    cause = Refused("prepared ledgers are gone")
    with all_or_nothing.interrupts_held():
        troubles = all_or_nothing.take_back(trip, PLAN)
    if troubles:
        raise all_or_nothing.half_done(trip, cause, troubles)
    trip.enter(HAULED, "a switch that could not continue was rolled back, to start again")
    clear_staged(trip)


def unswitched(trip: Trip) -> list[Ledger]:
    """Of a switch that was interrupted, the ledgers whose new content has not taken its place yet."""
    waiting = all_or_nothing.waiting_swaps(trip, PLAN)
    rows = [row for row in trip.logbook.ledgers() if row.place in waiting and os.path.exists(row.place)]
    return [trip.open_ledger(row, row.place) for row in rows]


def record_stamps(trip: Trip) -> None:
    """Record time and size of each ledger as it lies there now, by which a check tells one that its program has not
    written to since.
    """
    stamps = {}
    for row in trip.logbook.ledgers():
        with suppress(OSError):
            state = os.stat(row.place)
            stamps[str(row.number)] = [state.st_mtime_ns, state.st_size]
    trip.logbook.record({Fact.STAMPS: stamps})


def record_found(trip: Trip) -> None:
    """Record which entries that were lost before are found since they were rewritten: when one of them is lost later,
    it is no excuse that it was before.  In a collection, what is gone at home may be removed after the switch.
    """
    if trip.waybill.collection:
        return
    judge = Judge(headers=False, resolver=trip.waybill.resolver())
    for row in trip.logbook.ledgers():
        parted = trip.logbook.fact(Fact.PARTED, {}).get(str(row.number), {})
        lost = trip.logbook.changed_unfound(row.number, FOUND) | parted.keys()
        if lost and os.path.exists(row.place):
            state = judge.ledger(trip.open_ledger(row))
            found = (key_text(one.entry.key) for one in state.judgements() if one.verdict == FOUND)
            trip.logbook.record_after(row.number, [key for key in found if key in lost], FOUND)


def refuse_changes(trip: Trip) -> None:
    """Raise Refused when a shelf or its copy is not what the haul left."""
    details = []
    over = {line.over for line in trip.waybill.ledgers if line.over}
    for one in trip.shelves:
        shelf = one.shelf
        refuse_replaced(shelf)
        refuse_mounts(shelf)
        stock = Stock(one, shelf.walk())
        for word, paths in stock.differences().items():
            details += [f"{word}: {show(os.path.join(shelf.old, path))}" for path in paths]
        if not shelf.packed and keeps_change_times(shelf.stays_at):
            edited = altered_since(trip, stock, shelf.old).paths
            details += [f"edited, with its time kept: {show(os.path.join(shelf.old, path))}" for path in edited]
        waiting = one.waiting()
        for row in one.rows():
            place = shelf.place(row.item.path)
            if row.state == ACCEPTED or place in over:
                continue
            # What will take the place of an older file waits beside it until the switch.
            place = staged_for(place, trip.name) if row.item.path in waiting else place
            if row.item.kind != OTHER and not os.path.lexists(place):
                details.append(f"copy gone: {show(place)}")
            elif row.item.kind == FILE and os.path.getsize(place) != row.item.size:
                details.append(f"copy altered: {show(place)}")
    if details:
        raise Refused(
            "The shelf or its copy has changed since the haul",
            f"Bring the copy up to date with: saltcart haul {trip.name}",
            details[:20],
        )


def prepare(trip: Trip, reread: bool, progress: Progress) -> None:
    """Stage every rewritten ledger, keep every original, and record the whole plan before its first deed."""
    require_found(trip)
    times = folder_times.of_sources(trip)  # before anything is put beside what lies in them
    judge = Judge(wrong=uncopied(trip), resolver=trip.waybill.resolver())
    lists = [trip.open_ledger(row, row.path) for row in trip.logbook.ledgers() if in_front(trip, row)]
    added = added_folders(lists, trip.waybill.shelves, judge.resolver)
    deeds: list[Deed] = []
    begun: list[str] = []  # prepared files that were there, or could have been made
    try:
        for row in trip.logbook.ledgers():
            progress(Tick("read the ledgers", row.path, row.number, 0))
            begun += within_reach(staged_name(trip, row))
            deeds += prepare_ledger(trip, row, judge, reread, added)
        judge.opened.keep()
        for one in trip.shelves:
            shelf = one.shelf
            deeds += aside_deeds(shelf, shelf.old, one.aside, "")
            deeds += [Link(shelf.post, shelf.new)] if shelf.post else []
            for post in signposts.leading_to(shelf.old) if not shelf.original_stays else ():
                if post != shelf.new and post not in trip.waybill.turn:
                    deeds += [Unlink(post, shelf.old), Link(post, shelf.new)]
        deeds += updates(trip)
        for link in trip.waybill.turn:
            target = new_target(trip.waybill.moves(), link)
            deeds += [Unlink(link, os.readlink(link)), Link(link, target)]
        for post, target in trip.waybill.signposts:
            if not os.path.islink(post):
                raise Refused(f"{show(post)} is no link, so it cannot be turned", "Take it out of the plan.")
            deeds += [Unlink(post, os.readlink(post)), Link(post, target)]
        require_drives(trip)  # one may have gone while the ledgers were read
        require_found(trip)
    except BaseException as error:
        clear_staged(trip)
        if out_of_reach(begun) and isinstance(error, Refused):
            raise not_cleared(error, f"saltcart repoint {trip.name}") from error
        raise
    with trip.logbook.together():
        record(trip, PLAN, deeds)
        trip.logbook.record({Fact.STATE: SWITCHING, Fact.TIMES_BEFORE: times})
        trip.logbook.tell("the switch began")


def require_found(trip: Trip) -> None:
    """Raise Refused when what lost entries shall be linked to is not there: its drive may have gone since."""
    coming = {one.new for one in trip.waybill.renamed}
    for one in trip.waybill.relinks:
        if one.what in (ALL, ONE, LEVEL) and one.new not in coming and not os.path.lexists(one.new):
            away = Presence().away(one.new) or "it is not there any more"
            raise Refused(f"{show(one.new)}: {away}", "Connect its drive, and run the same command again.")


def uncopied(trip: Trip) -> dict[str, tuple[str, str]]:
    """The verdict on originals that the trip goes without."""
    return {
        os.path.join(one.shelf.old, row.item.path): (UNREADABLE, row.why or "")
        for one in trip.shelves
        for row in one.rows(ACCEPTED)
    }


def within_reach(path: str) -> list[str]:
    """A path whose folder is there, in a list; else none."""
    return [path] if os.path.isdir(os.path.dirname(path)) else []


def out_of_reach(paths: Sequence[str]) -> bool:
    """Whether any of some prepared files is still there, or its folder has gone with its drive."""
    return any(os.path.lexists(path) or not within_reach(path) for path in paths)


def clear_staged(trip: Trip) -> bool:
    """Remove prepared ledgers that will not be used; whether none is left, where their drives are connected."""
    staged = [staged_name(trip, row) for row in trip.logbook.ledgers()]
    staged += [staged_for(one.path, trip.name) for one in trip.waybill.newer]
    for path in staged:
        with suppress(OSError):
            remove_with_side_files(path)
    return not out_of_reach(staged)
