"""The switch of one trip: ledgers rewritten, originals set aside, signposts left: all or nothing."""

import os
from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, field

from saltcart.errors import CannotSpell, Refused, show
from saltcart.hauling.haul import connected
from saltcart.judging.judge import UNREADABLE, Judge
from saltcart.ledgers import Ledger
from saltcart.progress import Progress, Tick, silent
from saltcart.safefile import copy_durably, digest_of, remove_if_there
from saltcart.shelves.walk import FILE, FOLDER, OTHER, Item, walk
from saltcart.switching import transaction as switch
from saltcart.switching.programs import refuse_busy
from saltcart.trips import signposts
from saltcart.trips import trip as trips
from saltcart.trips.records import ACCEPTED, EntryRow, LedgerRow, key_text
from saltcart.trips.remounts import follow_remounts
from saltcart.trips.trip import HAULED, SWITCHED, SWITCHING, Trip
from saltcart.waybills.content_folders import AddedFolder, added_folders
from saltcart.waybills.routes import Changes, Routes, new_target
from saltcart.waybills.staging import changes_for, judged, stage
from saltcart.waybills.waybill import Shelf, matches

PLAN = "repoint"


@dataclass(slots=True)
class RepointReport:
    """What the switch did: entries changed, where originals are set aside, links turned to the new place."""

    changed: int = 0
    aside: list[str] = field(default_factory=list)
    turned: list[str] = field(default_factory=list)


def repoint(name: str, reread: bool = False, wait: bool = False, progress: Progress = silent) -> RepointReport:
    """Switch trip `name`.  With `reread` ledgers are taken as they are now, whatever the draft saw.  With `wait`
    programs in the way are waited for.

    Raises Refused with nothing changed.  A switch that was cut off is carried on to its end.
    """
    with trips.held(name) as trip:
        trip.require(HAULED, SWITCHING, SWITCHED, step="repoint")
        fresh: list[Ledger] = []
        if trip.state == SWITCHING:
            refuse_busy(unswitched(trip), wait, progress)
        if trip.state == HAULED:
            follow_remounts(trip)
            connected(trip)
            refuse_changes(trip)
            ledgers = [trip.open_ledger(row, row.path) for row in trip.logbook.ledgers() if row.rewrite]
            refuse_busy(ledgers, wait, progress)
            prepare(trip, reread, progress)
            fresh = ledgers
        if trip.state == SWITCHING:
            try:
                refuse_busy(fresh)  # one may have been opened while the ledgers were read
                switch.carry_out(trip, PLAN)
            except BaseException:
                clear_staged(trip)
                trip.enter(HAULED, "repoint failed and was taken back")
                raise
            trip.enter(SWITCHED, "repointed: ledgers rewritten, originals set aside")
        changed = sum(row.changed for row in trip.logbook.ledgers())
        return RepointReport(
            changed,
            [trip.aside(shelf) for shelf in trip.waybill.shelves if not shelf.gathered],
            turned=trip.waybill.turn,
        )


def unswitched(trip: Trip) -> list[Ledger]:
    """Of a switch that was cut off, the ledgers whose new content has not taken its place yet."""
    waiting = {deed["path"] for _number, deed, done in trip.logbook.deeds(PLAN) if deed["do"] == "swap" and not done}
    return [
        trip.open_ledger(row, row.place)
        for row in trip.logbook.ledgers()
        if row.place in waiting and os.path.exists(row.place)
    ]


def refuse_changes(trip: Trip) -> None:
    """Raise Refused when a shelf or its copy is not what the haul left."""
    details = []
    for number, shelf in enumerate(trip.waybill.shelves):
        trip.logbook.take_stock(number, shelf.walk())
        for word, paths in trip.logbook.differences(number).items():
            details += [f"{word}: {show(os.path.join(shelf.old, path))}" for path in paths]
        for row in trip.logbook.rows(number):
            place = shelf.place(row.item.path)
            if row.state == ACCEPTED:
                continue
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
    judge = Judge(wrong=uncopied(trip), resolver=trip.waybill.resolver())
    lists = [trip.open_ledger(row, row.path) for row in trip.logbook.ledgers() if in_front(trip, row)]
    added = added_folders(lists, trip.waybill.shelves, judge.resolver)
    deeds = []
    try:
        for row in trip.logbook.ledgers():
            progress(Tick("read the ledgers", row.path, row.number, 0))
            deeds += prepare_ledger(trip, row, judge, reread, added)
    except BaseException:
        clear_staged(trip)
        raise
    for shelf in trip.waybill.shelves:
        deeds += aside_deeds(shelf, shelf.old, trip.aside(shelf), "")
        for post in signposts.leading_to(shelf.old):
            if post != shelf.new and post not in trip.waybill.turn:
                deeds += [switch.unlink(post, shelf.old), switch.link(post, shelf.new)]
    for link in trip.waybill.turn:
        target = new_target(trip.waybill.moves(), link)
        deeds += [switch.unlink(link, os.readlink(link)), switch.link(link, target)]
    with trip.logbook.together():
        trip.logbook.plan_deeds(PLAN, deeds)
        trip.logbook.record(state=SWITCHING)
        trip.logbook.tell("repoint begins")


def uncopied(trip: Trip) -> dict[str, tuple[str, str]]:
    """The verdict on originals that the trip goes without."""
    rows = [
        (shelf, row) for number, shelf in enumerate(trip.waybill.shelves) for row in trip.logbook.rows(number, ACCEPTED)
    ]
    return {os.path.join(shelf.old, row.item.path): (UNREADABLE, row.why or "") for shelf, row in rows}


def aside_deeds(shelf: Shelf, old: str, aside: str, path: str) -> list[switch.Deed]:
    """The deeds that set aside what lies at `path`, from the shelf's top, and leave its signpost.

    Where something in it stays, the folder stays too, and what travels is set aside piece by piece.
    """
    if shelf.gathered:
        return []
    place, hidden = (os.path.join(top, path) if path else top for top in (old, aside))
    if (not shelf.stay and not shelf.only) or whole(shelf, place, path):
        link = [switch.link(place, shelf.place(path))] if shelf.leave == "signpost" else []
        return [switch.rename(place, hidden), *link]
    deeds = [switch.make(hidden)]
    for name in sorted(os.listdir(place)):
        inner = f"{path}/{name}" if path else name
        if os.path.isdir(os.path.join(place, name)) and not os.path.islink(os.path.join(place, name)):
            deeds += (
                aside_deeds(shelf, old, aside, inner)
                if shelf.takes(inner) or any(shelf.sift(below(place, inner)))
                else []
            )
        elif shelf.takes(inner):
            deeds.append(switch.rename(os.path.join(place, name), os.path.join(hidden, name)))
            deeds += [switch.link(os.path.join(place, name), shelf.place(inner))] if shelf.leave == "signpost" else []
    return deeds


def below(place: str, inner: str) -> Iterator[Item]:
    """The things in the folder `inner` of a shelf, by their paths from the shelf's top; `place` holds the folder."""
    for item in walk(os.path.join(place, os.path.basename(inner))):
        if item.path:
            yield item._replace(path=f"{inner}/{item.path}")


def whole(shelf: Shelf, place: str, path: str) -> bool:
    """Whether all that lies in the folder at `place`, which is `path` in the shelf, travels."""
    lead = path + "/" if path else ""
    return all(item.kind == FOLDER or shelf.takes(lead + item.path) for item in walk(place)) and not matches(
        path, shelf.stay
    )


def in_front(trip: Trip, row: LedgerRow) -> bool:
    """Whether a ledger gets new content folders in front of those of which a part moves."""
    return row.rewrite and trip.waybill.ledgers[row.number].front


def prepare_ledger(
    trip: Trip, row: LedgerRow, judge: Judge, reread: bool, added: Sequence[AddedFolder]
) -> list[switch.Deed]:
    """Record a ledger's entries as they are, and stage its new content; the deed that puts it in place, if any."""
    before = digest_of(row.path) if os.path.exists(row.path) else None
    if before is None or (row.before not in (None, before) and not reread):
        raise switch.changed(row.path)
    row.before, row.backup = before, trip.keep(row.number, "-before")
    copy_durably(row.path, row.backup)
    routes = Routes(
        trip.waybill.entry_moves(row.place != row.path), judge.resolver, added, trip.waybill.turn.__contains__
    )
    ledger = trip.open_ledger(row, row.path)
    state = judged(ledger, judge)
    changes = changes_for(ledger, routes, row.place, in_front(trip, row)) if row.rewrite else Changes({}, [])
    entries = [
        EntryRow(
            key_text(found.entry.key),
            found.entry.where,
            found.entry.written,
            changes.new(found.entry),
            found.verdict,
            found.why,
        )
        for found in state.judgements()
    ]
    row.changed, row.after = (
        sum(entry.old != entry.new for entry in entries) + sum(map(len, changes.insertions.values())),
        before,
    )
    if row.changed:
        staged = staged_name(trip, row)
        try:
            stage(ledger, changes, staged)
        except CannotSpell as error:
            error.remedy = "Set rewrite = false for this ledger in a new waybill to leave it as it is."
            raise
        row.after = digest_of(staged)
    with trip.logbook.together():
        trip.logbook.put_ledger(row)
        trip.logbook.put_entries(row.number, entries)
    if not row.changed:
        return []
    return [switch.swap(row.place, staged, before, row.after, row.backup)]


def staged_name(trip: Trip, row: LedgerRow) -> str:
    """The hidden name beside a ledger for its new content until the switch."""
    folder, name = os.path.split(row.place)
    return os.path.join(folder, f".{name}.saltcart-{trip.name}")


def clear_staged(trip: Trip) -> None:
    """Remove prepared ledgers that will not be used."""
    for row in trip.logbook.ledgers():
        with suppress(OSError):
            remove_if_there(staged_name(trip, row))
