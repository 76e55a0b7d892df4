"""The switch of one trip: ledgers rewritten, originals set aside, signposts left: all or nothing."""

import os
import shutil
from collections.abc import Sequence
from contextlib import suppress
from functools import partial

from msgspec import Struct, field

from saltcart.carrying import turns
from saltcart.drives import Presence
from saltcart.drives.drive import drive_at, keeps_change_times, mount_of
from saltcart.drives.known import remember
from saltcart.errors import CannotSpell, Refused, Stopped, UsageError, show
from saltcart.hauling.altered import altered_since
from saltcart.hauling.group_copy import may_replace
from saltcart.hauling.haul import refuse_replaced, require_drives
from saltcart.judging.judge import FOUND, UNREADABLE, Judge, Judgement
from saltcart.ledgers import Ledger
from saltcart.own_names import neighbour_of, staged_for, superseded
from saltcart.planning.destination import refuse_mounts
from saltcart.progress import Progress, Tick, silent
from saltcart.renaming import rename_new
from saltcart.rewriting.content_folders import AddedFolder, added_folders
from saltcart.rewriting.routes import Changes, new_target
from saltcart.rewriting.staging import changes_for, judged, routes_for, stage
from saltcart.safefile import copy_durably, digest_of, remove_if_there, remove_with_side_files, sync_folder
from saltcart.shelves.digests import digest_file
from saltcart.shelves.walk import FILE, OTHER
from saltcart.switching import folder_times, transaction
from saltcart.switching.programs import refuse_busy
from saltcart.switching.setting_aside import aside_deeds
from saltcart.trips import leftovers, manifests, signposts
from saltcart.trips import trip as trips
from saltcart.trips.records import ACCEPTED, EntryRow, LedgerRow, key_text
from saltcart.trips.remounts import follow_remounts
from saltcart.trips.trip import HAULED, SWITCHED, SWITCHING, Trip
from saltcart.waybills.collection import NAME, digests_before, is_collection
from saltcart.waybills.relinks import ALL, LEVEL, ONE

PLAN = "repoint"


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

    Raises Refused with nothing changed, HalfDone when it stopped in the middle and could not be taken back.  A
    switch that was cut off is carried on to its end.
    """
    with trips.held(name) as trip:
        trip.require(HAULED, SWITCHING, SWITCHED, step="repoint")
        report = RepointReport(already=trip.state == SWITCHED)
        face_the_world(trip)
        if trip.state == SWITCHING:
            refuse_busy(unswitched(trip), wait, progress)
            if transaction.lacks_staged(trip, PLAN):  # lost in a power cut, or cleared by a try that was cut off
                give_up(trip)
        if trip.state == HAULED:
            prepare_all(trip, reread, wait, progress)
        if trip.state == SWITCHING:
            switch(trip)
        clear_updates(trip)
        report.changed = sum(row.changed for row in trip.logbook.ledgers())
        report.aside = [trip.aside(shelf) for shelf in trip.waybill.shelves if not shelf.original_stays]
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
    """Let the record say `switching` where a switch is half done although the record says that it was taken back."""
    if trip.state == HAULED and transaction.half_way(trip, PLAN):
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
    here = {row.number: drive_at(mount_of(row.place), room=False) for row in rows}
    remember(here.values())
    trip.logbook.record(ledger_drives={str(number): drive.identity for number, drive in here.items()})


def switch(trip: Trip) -> None:
    """Carry the plan out; `hauled` again when that failed and was seen to be taken back."""
    try:
        transaction.carry_out(trip, PLAN)
    except transaction.TakenBack as ended:
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
    trip.enter(SWITCHED, "repointed: ledgers rewritten, originals set aside")


def give_up(trip: Trip) -> None:
    """Take a half-done switch back that cannot be carried on.  HalfDone when that cannot be reached or seen."""
    cause = Refused("prepared ledgers are gone")
    with transaction.interrupts_held():
        troubles = transaction.take_back(trip, PLAN)
    if troubles:
        raise transaction.half_done(trip, cause, troubles)
    trip.enter(HAULED, "a switch that could not continue was rolled back, to start again")
    clear_staged(trip)


def unswitched(trip: Trip) -> list[Ledger]:
    """Of a switch that was cut off, the ledgers whose new content has not taken its place yet."""
    waiting = transaction.waiting_swaps(trip, PLAN)
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
    trip.logbook.record(stamps=stamps)


def record_found(trip: Trip) -> None:
    """Record which entries that were lost before are found since they were rewritten: when one of them is lost later,
    it is no excuse that it was before.  In a collection, what is gone at home may be removed after the switch.
    """
    if trip.waybill.collection:
        return
    judge = Judge(headers=False, resolver=trip.waybill.resolver())
    for row in trip.logbook.ledgers():
        lost = trip.logbook.changed_unfound(row.number, FOUND)
        if lost and os.path.exists(row.place):
            state = judge.ledger(trip.open_ledger(row))
            found = (key_text(one.entry.key) for one in state.judgements() if one.verdict == FOUND)
            trip.logbook.record_after(row.number, [key for key in found if key in lost], FOUND)


def refuse_changes(trip: Trip) -> None:
    """Raise Refused when a shelf or its copy is not what the haul left."""
    details = []
    over = {line.over for line in trip.waybill.ledgers if line.over}
    for number, shelf in enumerate(trip.waybill.shelves):
        refuse_replaced(shelf)
        refuse_mounts(shelf)
        trip.logbook.take_stock(number, shelf.walk())
        for word, paths in trip.logbook.differences(number).items():
            details += [f"{word}: {show(os.path.join(shelf.old, path))}" for path in paths]
        if keeps_change_times(shelf.stays_at) and not shelf.archive:
            edited = altered_since(trip, number, shelf.old).paths
            details += [f"edited, with its time kept: {show(os.path.join(shelf.old, path))}" for path in edited]
        waiting = {path for _number, path in trip.logbook.waiting(number)}
        for row in trip.logbook.rows(number):
            place = shelf.place(row.item.path)
            if row.state == ACCEPTED or place in over:
                continue
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
    deeds = []
    begun: list[str] = []  # prepared files that were there, or could have been made
    try:
        for row in trip.logbook.ledgers():
            progress(Tick("read the ledgers", row.path, row.number, 0))
            begun += within_reach(staged_name(trip, row))
            deeds += prepare_ledger(trip, row, judge, reread, added)
        judge.opened.keep()
        for shelf in trip.waybill.shelves:
            deeds += aside_deeds(shelf, shelf.old, trip.aside(shelf), "")
            deeds += [transaction.link(shelf.post, shelf.new)] if shelf.post else []
            for post in signposts.leading_to(shelf.old) if not shelf.original_stays else ():
                if post != shelf.new and post not in trip.waybill.turn:
                    deeds += [transaction.unlink(post, shelf.old), transaction.link(post, shelf.new)]
        deeds += updates(trip)
        for link in trip.waybill.turn:
            target = new_target(trip.waybill.moves(), link)
            deeds += [transaction.unlink(link, os.readlink(link)), transaction.link(link, target)]
        for post, target in trip.waybill.signposts:
            if not os.path.islink(post):
                raise Refused(f"{show(post)} is no link, so it cannot be turned", "Take it out of the plan.")
            deeds += [transaction.unlink(post, os.readlink(post)), transaction.link(post, target)]
        require_drives(trip)  # one may have gone while the ledgers were read
        require_found(trip)
    except BaseException as error:
        clear_staged(trip)
        if out_of_reach(begun) and isinstance(error, Refused):
            raise not_cleared(error, f"saltcart repoint {trip.name}") from error
        raise
    with trip.logbook.together():
        trip.logbook.plan_deeds(PLAN, deeds)
        trip.logbook.record(state=SWITCHING, **{folder_times.BEFORE: times})
        trip.logbook.tell("repoint begins")


def require_found(trip: Trip) -> None:
    """Raise Refused when what lost entries shall be linked to is not there: its drive may have gone since."""
    coming = {one.new for one in trip.waybill.renamed}
    for one in trip.waybill.relinks:
        if one.what in (ALL, ONE, LEVEL) and one.new not in coming and not os.path.lexists(one.new):
            away = Presence().away(one.new) or "it is not there any more"
            raise Refused(f"{show(one.new)}: {away}", "Connect its drive, and run the same command again.")


def updates(trip: Trip) -> list[transaction.Deed]:
    """The deeds that bring sounds, manifests and the record of a collection up to date; none for other trips."""
    deeds = newer_sounds(trip)
    if trip.waybill.settles:
        turns.note_settled(trip)
    earlier = digests_before(trip.waybill.collection)
    for number, path in trip.logbook.waiting():
        place = trip.waybill.shelves[number].place(path)
        if place not in earlier or not may_replace(place, [earlier[place]]):
            raise transaction.changed(place)
        deeds.append(
            transaction.supersede(place, staged_for(place, trip.name), superseded(place, trip.name), earlier[place])
        )
    for number, path, digest in manifests.recorded(trip):
        if os.path.exists(staged := staged_for(path, trip.name)):
            deeds += own_file(trip, path, staged, digest, f"manifest-{number}")
        elif trip.waybill.collection and (not os.path.exists(path) or digest_of(path) != digest):
            raise Refused(f"The new manifest {show(path)} is gone", f"Write it anew: saltcart haul {trip.name}")
    top = trip.waybill.collection
    if top:
        turns.note_carried(trip)
    if top and is_collection(top):
        from saltcart.carrying.record import write_record  # which few trips need

        path = os.path.join(top, NAME)
        staged = staged_for(path, trip.name)
        deeds += own_file(trip, path, staged, write_record(trip, staged), "carried")
    return deeds


def newer_sounds(trip: Trip) -> list[transaction.Deed]:
    """The deeds that give single sounds newer content, of which the older is kept, and others another name."""
    deeds = []
    for number, one in enumerate(trip.waybill.newer):
        staged, kept = staged_for(one.path, trip.name), trip.keep(number, "-sound")
        for source, copy, wanted in ((one.source, staged, one.digest), (one.path, kept, one.was)):
            copy_durably(source, copy)
            if digest_file(copy, one.kind) != wanted:
                raise transaction.changed(source)
        shutil.copystat(one.source, staged)
        deeds.append({**transaction.swap(one.path, staged, digest_of(kept), digest_of(staged), kept), "sound": True})
    return deeds + [transaction.rename(one.old, one.new) for one in trip.waybill.renamed]


def own_file(trip: Trip, path: str, staged: str, digest: str, name: str) -> list[transaction.Deed]:
    """The deed that lets a file of ours take the place of the one at `path`, of which a copy is kept; none when nothing
    changes.
    """
    before = digest_of(path)
    if before == digest:
        remove_if_there(staged)
        return []
    kept = os.path.join(trip.folder, "ledgers", f"{name}-before")
    copy_durably(path, kept)
    return [{**transaction.swap(path, staged, before, digest, kept), "own": True}]


def clear_updates(trip: Trip) -> None:
    """Remove what copies of a collection were before, or, of a trip that did not switch, the copies that waited."""
    earlier = {deed["path"]: deed["was"] for _n, deed, _d in trip.logbook.deeds(PLAN) if deed["do"] == "supersede"}
    for number, path in trip.logbook.waiting():
        place = trip.waybill.shelves[number].place(path)
        remove_superseded(trip, place, earlier.get(place))
        remove_if_there(staged_for(place, trip.name))
        if os.path.isdir(os.path.dirname(place)):
            sync_folder(os.path.dirname(place))
            trip.logbook.waits_no_more(number, path)
    ours = [path for _number, path, _digest in manifests.recorded(trip)]
    ours += [os.path.join(trip.waybill.collection, NAME)] if trip.waybill.collection else []
    ledgers = {path for row in trip.logbook.ledgers() if row.rewrite for path in (row.place, row.path)}
    left = [neighbour_of(path) for path in (*ledgers, *ours)]  # by a program that was killed while it wrote
    ours += [one.path for one in trip.waybill.newer]
    for path in (*left, *(staged_for(path, trip.name) for path in ours)):
        if os.path.lexists(path):
            remove_if_there(path)


def remove_superseded(trip: Trip, place: str, was: Sequence[str] | None) -> None:
    """Remove what the file at `place` was before it was brought up to date, unless somebody edited it right before the
    switch: then that is kept beside it, for a person to look at.
    """
    aside = superseded(place, trip.name)
    if not os.path.lexists(aside):
        return
    if was and may_replace(aside, [(was[0], was[1])]):
        os.unlink(aside)
        return
    stem, suffix = os.path.splitext(place)
    kept = f"{stem} (before trip {trip.name}){suffix}"
    rename_new(aside, kept)
    trip.logbook.tell(f"edited right before the switch, and kept: {kept}")


def not_cleared(error: Refused, command: str) -> Stopped:
    """The error for a drive that went while ledgers were prepared on it: hidden files of ours are left there."""
    return Stopped(
        f"{error.what}; no ledger and no original was changed, but prepared files are left on that drive",
        f"{error.remedy} What was prepared is replaced then: {command}",
        error.details,
    )


def uncopied(trip: Trip) -> dict[str, tuple[str, str]]:
    """The verdict on originals that the trip goes without."""
    rows = [
        (shelf, row) for number, shelf in enumerate(trip.waybill.shelves) for row in trip.logbook.rows(number, ACCEPTED)
    ]
    return {os.path.join(shelf.old, row.item.path): (UNREADABLE, row.why or "") for shelf, row in rows}


def in_front(trip: Trip, row: LedgerRow) -> bool:
    """Whether a ledger gets new content folders in front of those of which a part moves."""
    return row.rewrite and trip.line(row).front


def entry_row(found: Judgement, changes: Changes, number: int | None) -> EntryRow:
    """An entry as the logbook keeps it, by its number where the ledger becomes a part of what it was."""
    entry = found.entry
    key = key_text(entry.key if number is None else number)
    return EntryRow(key, str(entry.where), entry.written, changes.new(entry), found.verdict, found.why)


def keep_as_it_is(trip: Trip, row: LedgerRow, reread: bool) -> tuple[str, str, str]:
    """Keep a copy of what the switch replaces: the digests of the ledger and of that, and the copy.  Raises what
    `transaction.changed` makes when the ledger is another than when it was last read.
    """
    line = trip.line(row)
    kept = line.over or row.path
    before = digest_of(row.path) if os.path.exists(row.path) else None
    wanted = line.digest if line.over else row.before
    if before is None or (wanted not in (None, before) and not reread):
        raise transaction.changed(row.path)
    row.before = digest_of(kept) if os.path.exists(kept) else ""
    if line.over and row.before != line.over_digest and not reread:
        raise transaction.changed(kept)
    row.backup = trip.keep(row.number, "-before")
    if copy_durably(kept, row.backup) != row.before or digest_of(row.path) != before:
        raise transaction.changed(kept)
    return before, row.before, row.backup


def prepare_ledger(
    trip: Trip, row: LedgerRow, judge: Judge, reread: bool, added: Sequence[AddedFolder]
) -> list[transaction.Deed]:
    """Record a ledger's entries as they are, and stage its new content; the deed that puts it in place, if any."""
    leftovers.sweep(row.place, trip)
    line = trip.line(row)
    before, replaced, backup = keep_as_it_is(trip, row, reread)
    turned_links = trip.waybill.turn.__contains__
    travels, manner = row.place != row.path, (line.like, line.unlike)
    routes = routes_for(trip.waybill, row.path, travels, judge.resolver, added, turned_links, *manner)
    ledger = trip.open_ledger(row, row.path)
    state = judged(ledger, judge)
    changes = (
        changes_for(ledger, routes, row.place, in_front(trip, row), trip.waybill.folders)
        if row.rewrite
        else Changes({}, [])
    )
    moves = trip.waybill.moves()
    judgements = [found for found in state.judgements() if not line.cut or moves.covers(found.resolved)]
    entries = [entry_row(found, changes, number if line.cut else None) for number, found in enumerate(judgements)]
    row.changed, row.after = (sum(entry.old != entry.new for entry in entries) + changes.edits.count(), before)
    if row.changed or line.over or line.merge or line.cut:
        staged, merging = staged_name(trip, row), partial(change_more, trip, row)
        try:
            row.after = stage(ledger, changes, staged, merging)
        except CannotSpell as error:
            if trip.waybill.shelves:
                error.remedy = "Set rewrite = false for this ledger in a new waybill to leave it as it is."
            raise
    with trip.logbook.together():
        trip.logbook.put_ledger(row)
        trip.logbook.put_entries(row.number, entries)
    if (not row.changed and not line.over) or row.after == row.before:
        remove_with_side_files(staged_name(trip, row))  # of a merge, or an update, in which nothing changes
        return []
    return [transaction.swap(row.place, staged, replaced, row.after, backup)]


def change_more(trip: Trip, row: LedgerRow, staged: str) -> None:
    """Bring together, in the staged ledger, this copy of it and that of a collection; or cut it to what travels."""
    if trip.line(row).merge:
        row.changed += turns.bring_together(trip, row, staged).differing
    if trip.line(row).cut:
        row.changed += turns.cut(trip, row, staged)


def staged_name(trip: Trip, row: LedgerRow) -> str:
    """The hidden name beside a ledger for its new content until the switch."""
    return staged_for(row.place, trip.name)


def within_reach(path: str) -> list[str]:
    """A path whose folder is there, in a list; else none."""
    return [path] if os.path.isdir(os.path.dirname(path)) else []


def out_of_reach(paths: Sequence[str]) -> bool:
    """Whether any of some prepared files is still there, or its folder has gone with its drive."""
    return any(os.path.lexists(path) or not within_reach(path) for path in paths)


def clear_staged(trip: Trip) -> bool:
    """Remove prepared ledgers that will not be used; whether none is left, as far as their drives are there."""
    staged = [staged_name(trip, row) for row in trip.logbook.ledgers()]
    staged += [staged_for(one.path, trip.name) for one in trip.waybill.newer]
    for path in staged:
        with suppress(OSError):
            remove_with_side_files(path)
    return not out_of_reach(staged)
