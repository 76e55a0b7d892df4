"""Settling: what a collection means on this machine, and a trip that makes it at home here, in one of three ways."""

import os
from collections.abc import Iterator, Mapping, Sequence
from glob import escape

from msgspec.structs import replace

from saltcart.carrying.agreement import BACK, HERE, IN_PLACE, agreed, known_then, mine, remember, undone_trips
from saltcart.carrying.histories import NO_TRIP, note_here
from saltcart.carrying.home_sounds import Choice, SoundsHome, carried_home, is_known, named_again
from saltcart.carrying.identity import whoami
from saltcart.carrying.proposals import chosen, is_unasked, proposals, refuse_proposals
from saltcart.carrying.sounds import Looking
from saltcart.carrying.stands import (
    AS_IT_WAS,
    BOTH,
    CHANGED,
    COPY,
    KEEP,
    LEAVE,
    MERGE,
    NONE,
    REPLACE,
    SAME,
    STAYS,
    UNKNOWN,
    UP_TO_DATE,
    LedgerStand,
    SettlePlan,
    at_home,
    found_here,
    stand,
)
from saltcart.carrying.turns import Ground, kept, names_back, taken
from saltcart.cart import Cart
from saltcart.errors import CannotSpell, Refused, SaltCartError, UsageError, counted, show
from saltcart.ledgers import load_map, open_ledger
from saltcart.merging.copies import Meeting, respelt
from saltcart.merging.history import History
from saltcart.planning.shelf_inspection import may_be_ledger
from saltcart.planning.strays import copied_along
from saltcart.progress import Progress, silent
from saltcart.rewriting.staging import changes_for, on_trial, routes_for
from saltcart.safefile import digest_of
from saltcart.shelves.true_names import true_path
from saltcart.spelling import Move, Moves
from saltcart.spelling.foreign import looks_foreign
from saltcart.spelling.moves import tail_below
from saltcart.spelling.renames import Pairs, Renames
from saltcart.trips import history
from saltcart.trips import trip as trips
from saltcart.trips.trip import SWITCHED, UNDONE, Trip
from saltcart.waybills import collection
from saltcart.waybills.collection import CarriedShelf, Collection
from saltcart.waybills.new_place import landing_drive
from saltcart.waybills.relinks import PLACE, Relink
from saltcart.waybills.shelf import Shelf
from saltcart.waybills.waybill import LedgerLine, Waybill

PLAYS_THERE = "it can store only full paths, so it works only on the computer it came from; use --here for it"
NOTED = "noted"  # the fact that what was agreed on is known on both sides
NOT_OURS = "this computer has no record of having sent it; to take it: --place"


def plan_settle(
    folder: str,
    way: str = "",
    places: Sequence[str] = (),
    damaged_too: bool = False,
    take: Sequence[str] = (),
    keep: Sequence[str] = (),
    progress: Progress = silent,
    seen: SettlePlan | None = None,
    cart: Cart | None = None,
) -> SettlePlan:
    """Look at the collection in a folder, and work out how to settle it.  `places` are texts such as `PLACE=FOLDER`.
    Of ledgers that changed on both sides, those of the collection are taken whose places are in `take`, and those here
    are kept of which they are in `keep`.  What was `seen` by an earlier look, files read against their manifests, is
    taken from there.  Ledgers whose programs keep theirs elsewhere here, as the search finds or `cart` says, go there.

    Raises Refused for a collection that is incomplete or altered, unless `damaged_too`; nothing is written.
    """
    found = collection_in(folder)
    undone = undone_trips()
    known = agreed(found, undone)
    homes = {place: at_home(found, place, source, known) for place, source in found.sources()}
    asked = chosen(found, places)
    homes |= asked
    ours = known.keys() | asked.keys()
    ground = ground_for(found, homes)
    stands = [stand(found, one, homes, known, ground) for one in found.ledgers]
    if way != BACK and (theirs := found_here(found, cart or Cart(), stands, progress)):
        homes = theirs | homes
        ours |= theirs.keys()
        ground = ground_for(found, homes)
        stands = [stand(found, one, homes, known, ground) for one in found.ledgers]
    plan = SettlePlan(found, way, homes, stands, lost=ground.lost)
    plan.then = known_then(found, undone)
    plan.sounds = seen.sounds if seen else Looking(found, plan.then, progress).run()
    if way and not damaged_too:
        refuse_damage(plan)
    refuse_strange(plan, [*take, *keep])
    if way:
        plan.unasked = proposals(plan, ours)
        if way != BACK:
            refuse_proposals(plan.unasked)
        choice = Choice([one.strip("/") for one in take], [one.strip("/") for one in keep])
        decide(plan, choice.take, choice.keep)
        build(plan, choice)
    return plan


def collection_in(folder: str) -> Collection:
    """The collection in a folder.  Raises Refused when there is none."""
    top = true_path(os.path.expanduser(folder))
    path = os.path.join(top, collection.NAME)
    if not os.path.isfile(path):
        raise Refused(
            f"There is no collection in {show(top)}: it holds no {collection.NAME}",
            "Give the folder that carry made. If its drive is not connected, connect it.",
        )
    return collection.read(path)


def refuse_damage(plan: SettlePlan) -> None:
    """Raise Refused when files of the collection are missing or damaged."""
    if plan.problems:
        count = counted(len(plan.problems), "file of the collection is", "files of the collection are")
        raise Refused(
            f"{count} missing or damaged",
            "Carry it again from the first computer, or use it as it is: --damaged-too",
            [f"{show(one.path)}: {one.why}" for one in plan.problems[:20]],
        )


def refuse_strange(plan: SettlePlan, places: Sequence[str]) -> None:
    """Raise UsageError for a place that did not change in the collection."""
    known = {stood.carried.place for stood in plan.ledgers} | plan.sounds.changed.keys()
    known |= {f"{place}/{name}" for place, names in plan.sounds.new.items() for name in names}
    for one in places:
        if one.strip("/") not in known:
            raise UsageError(f"{show(one)} did not change in the collection", "saltcart settle FOLDER lists what did.")


def ground_for(found: Collection, homes: Mapping[str, str]) -> Ground:
    """What ledgers here and there are compared on."""
    maps = [load_map(path) for path in found.map_files() if os.path.isfile(path)]
    names = {one.place: one for one in found.shelves}
    ways = [
        Move(homes[place], found.at(place), names=names_of_copy(names[place], homes[place]) if place in names else None)
        for place, _source in found.sources()
    ]
    return Ground(found, Moves(ways), maps)


def names_of_copy(shelf: CarriedShelf, home: str) -> Renames | None:
    """The names in the collection of what has another name here."""
    return names_back(named_again(shelf, home))


def decide(plan: SettlePlan, take: Sequence[str], keep: Sequence[str]) -> None:
    """What is done about each ledger."""
    shelves = [plan.found.at(one.place) for one in plan.found.shelves]
    for one in plan.ledgers:
        inside = any(tail_below(one.there, top) for top in shelves)
        if plan.way == BACK and is_unasked(plan, one.carried.place):
            one.step, one.why = LEAVE, NOT_OURS
        elif one.stands_there == NONE:
            one.step, one.why = LEAVE, "it is not in the collection any more"
        elif plan.way == IN_PLACE and inside:
            one.step, one.why = STAYS, "" if one.carried.relative else PLAYS_THERE
        else:
            one.step, one.why = step_of(one)
        if one.step in (BOTH, MERGE) and one.carried.place in take:
            one.step, one.why = REPLACE, "as you said"
        elif one.step in (BOTH, MERGE) and one.carried.place in keep:
            one.step, one.why = KEEP, ""


def step_of(one: LedgerStand) -> tuple[str, str]:
    """What is done about a ledger by how it stands there and here, and why."""
    if one.stands_here in (NONE, SAME):
        return (COPY if one.stands_here == NONE else REPLACE), ""
    if one.stands_here == UNKNOWN:
        return BOTH, "nothing says which of the two is newer"
    if one.stands_there == AS_IT_WAS:
        return LEAVE, "it changed only here" if one.stands_here == CHANGED else "neither has changed"
    if one.stands_here == AS_IT_WAS and not (one.meeting and one.meeting.partial):
        return REPLACE, ""
    if one.meeting and one.meeting.by_rows:
        return MERGE, ""
    why = one.meeting.why if one.meeting else ""
    return BOTH, "it changed in both places" + (f"; {why}" if why else "")


def build(plan: SettlePlan, choice: Choice) -> None:
    """The waybill that does it."""
    found, waybill = plan.found, plan.waybill
    waybill.maps, waybill.means, waybill.here = found.map_files(), found.means, True
    waybill.settles, waybill.comes_from = plan.way, found.top
    waybill.after = next((one.trip for one in reversed(mine(found))), "")
    if plan.way == HERE:
        there_already = [one.there for one in plan.ledgers if one.step != COPY]
        for shelf in (one for one in found.shelves if not is_known(plan, one.place)):
            one = carried_home(found, shelf.name, shelf.place, plan.homes[shelf.place])
            others = [*there_already, *(found.at(file.place) for file in found.files)]
            stay = tuple(escape(tail) for path in others if (tail := tail_below(path, one.old)))
            waybill.shelves.append(replace(one, stay=stay, renames=named_again(shelf, one.new)))
        waybill.shelves += single_files(plan)
    if plan.way in (HERE, BACK):
        SoundsHome(plan, choice).add()
    names = {shelf.place: shelf for shelf in found.shelves}
    for place, source in found.sources():
        if place in plan.unasked:
            continue
        there, home = found.at(place), plan.homes[place]
        from_source, from_there = names_on_the_way(plan, names[place]) if place in names else ((), ())
        lies = there if plan.way == IN_PLACE else home
        add_relink(waybill, source, lies, from_source)
        add_relink(waybill, there, lies, from_there)
        if plan.way == IN_PLACE and from_source:
            add_relink(waybill, home, lies, from_source)
    for stood in plan.ledgers:
        if stood.step in (COPY, REPLACE):
            add_ledger(plan, stood)
    for stood in plan.ledgers:
        if stood.step == MERGE:
            add_merge(plan, stood)
    waybill.ledgers += new_ledgers(plan)
    if waybill.renamed:
        follow_names(plan)
    try_out(plan)


def follow_names(plan: SettlePlan) -> None:
    """Let the ledgers here that stay otherwise follow the new names of files."""
    known = {line.over or line.path for line in plan.waybill.ledgers}
    for one in plan.ledgers:
        if one.stands_here != NONE and one.here not in known:
            plan.waybill.ledgers.append(LedgerLine(one.here, one.carried.map_name, True, digest_of(one.here)))


def add_merge(plan: SettlePlan, one: LedgerStand) -> None:
    """Let a ledger here and the one there be brought together."""
    assert one.meeting is not None
    one.merged = one.meeting.merged()
    like = "/x" if looks_foreign(one.carried.like) else one.carried.like
    line = LedgerLine(one.here, one.carried.map_name, True, digest_of(one.here), like=like, merge=one.there)
    line = replace(line, unlike=one.carried.unlike)
    plan.waybill.ledgers.append(line)


def single_files(plan: SettlePlan) -> Iterator[Shelf]:
    """The files of the collection that lie in no shelf on their way here: those that keep their names folder by folder,
    each other one by itself.
    """
    folders: dict[tuple[str, str], list[str]] = {}
    for file in plan.found.files:
        there, home = plan.found.at(file.place), plan.homes[file.place]
        if os.path.basename(there) == os.path.basename(home):
            folders.setdefault((os.path.dirname(there), os.path.dirname(home)), []).append(os.path.basename(there))
        else:
            yield copied_along(there, home, landing_drive(home).identity)
    for (top, home), names in folders.items():
        shelf = carried_home(plan.found, os.path.basename(top), top[len(plan.found.top) + 1 :], home)
        yield replace(shelf, only=tuple(map(escape, names)), files=True)


def names_on_the_way(plan: SettlePlan, shelf: CarriedShelf) -> tuple[Pairs, Pairs]:
    """The paths below a shelf with other names below its new place: from where it came from, and from where it lies in
    the collection.
    """
    if plan.way == IN_PLACE:
        return shelf.renames, ()
    if plan.way == BACK:
        return (), tuple((new, old) for old, new in shelf.renames)
    again = dict(named_again(shelf, plan.homes[shelf.place]))
    now = [(old, new, again.get(new, new)) for old, new in shelf.renames]
    from_source = tuple((old, here) for old, _new, here in now if here != old)
    return from_source, tuple((new, here) for _old, new, here in now if here != new)


def add_relink(waybill: Waybill, old: str, new: str, renames: Pairs) -> None:
    """Let what names the old place name the new one."""
    known = {(one.old, one.new) for one in waybill.relinks}
    if old != new and (old, new) not in known:
        waybill.relinks.append(Relink(old, new, what=PLACE, renames=renames))


def new_ledgers(plan: SettlePlan) -> list[LedgerLine]:
    """Of the new files that are hauled home, those that are ledgers."""
    found, lines = plan.found, []
    maps = [load_map(path) for path in found.map_files() if os.path.isfile(path)]
    for place, names in plan.coming.items():
        for path in (found.at(f"{place}/{name}") for name in names):
            if may_be_ledger(path):
                try:
                    lines.append(LedgerLine(path, open_ledger(path, maps).map_name, True, digest_of(path)))
                except SaltCartError:
                    continue  # it is no ledger that anybody knows
    return lines


def add_ledger(plan: SettlePlan, one: LedgerStand) -> None:
    """Let a ledger come here: under a name that is free, with its shelf, or in the place of another."""
    waybill, there = plan.waybill, one.there
    like = "/x" if looks_foreign(one.carried.like) else one.carried.like
    over = one.here if one.step == REPLACE else ""
    if not over and not any(tail_below(there, shelf.old) for shelf in waybill.shelves if not shelf.files):
        waybill.shelves.append(copied_along(there, one.here, landing_drive(one.here).identity))
    was = digest_of(over) if over else ""
    line = LedgerLine(there, one.carried.map_name, True, digest_of(there), like=like, over=over, over_digest=was)
    line = replace(line, unlike=one.carried.unlike)
    waybill.ledgers.append(line)


def try_out(plan: SettlePlan) -> None:
    """Take out of the plan what cannot be rewritten for this machine, with the reason."""
    waybill = plan.waybill
    maps = [load_map(path) for path in waybill.maps]
    resolver, moves = waybill.resolver(), waybill.moves()
    kept = []
    for line in waybill.ledgers:
        place = line.over or moves.follow(line.path) or line.path
        try:
            ledger = open_ledger(line.path, maps, line.map_name)
            routes = routes_for(waybill, line.path, True, resolver, like=line.like, unlike=line.unlike)
            with on_trial(ledger, changes_for(ledger, routes, place)) as staged:
                digest = digest_of(staged)
            if line.over and digest == digest_of(line.over):
                leave(plan, line, UP_TO_DATE)
            else:
                kept.append(line)
        except CannotSpell as error:
            waybill.shelves = [shelf for shelf in waybill.shelves if shelf.old != line.path]
            leave(plan, line, LEAVE, error.what)
    waybill.ledgers = kept


def leave(plan: SettlePlan, line: LedgerLine, step: str, why: str = "") -> None:
    """Leave the ledger of a line as it is, with the reason."""
    for one in plan.ledgers:
        if one.there == line.path:
            one.step, one.why = step, why


def unfinished(plan: SettlePlan, way: str) -> Trip | None:
    """The trip that settles this collection and was cut off, be it right before that was noted; to be gone on with.

    Its record is closed.  Refused when it settles in another way than is asked for now.
    """
    for trip in history.readable():
        if not trip.waybill.settles or trip.state == UNDONE or trip.logbook.fact(NOTED, False):
            continue
        places = [shelf.old for shelf in trip.waybill.shelves]
        places += [path for line in trip.waybill.ledgers for path in (line.path, line.merge) if path]
        noted = trip.state == SWITCHED and trip.waybill.settles != way  # all but the note of it was done
        if any(tail_below(path, plan.found.top) for path in places) and not noted:
            if trip.waybill.settles != way:
                raise Refused(
                    f"Trip {trip.name}, which settles this --{trip.waybill.settles.replace(' ', '-')}, was interrupted",
                    f"Continue that, or undo it first: saltcart undo {trip.name} --drop-copies",
                )
            return trip
    return None


def take_up(plan: SettlePlan, way: str) -> str | None:
    """Let the plan be that of a trip that was cut off; its id, or None when there is none."""
    trip = unfinished(plan, way)
    if trip is None:
        return None
    plan.way, plan.waybill = way, trip.waybill
    steps = {line.path: REPLACE if line.over else COPY for line in trip.waybill.ledgers}
    steps |= {line.merge: MERGE for line in trip.waybill.ledgers if line.merge}
    for one in plan.ledgers:
        one.step, one.why = steps.get(one.there, LEAVE), ""
    return trip.name


def remember_here(plan: SettlePlan, name: str) -> str:
    """Note in the collection, after trip `name` or after nothing had to be done, what it and this home agree on; what
    is to be told when nothing can be written there.
    """
    found = plan.found
    homes = [] if plan.way == IN_PLACE else [(place, plan.homes[place]) for place, _source in found.sources()]
    for one in plan.ledgers:
        if one.meeting and one.step in (KEEP, UP_TO_DATE):
            note_here(one.here, kept(one.meeting) if one.step == KEEP else as_here(plan, one, one.meeting), NO_TRIP)
    ledgers = [(one.carried.place, one.here) for one in plan.ledgers if one.meeting and one.step != BOTH]
    if name:
        with trips.opened(name) as trip:
            rows = trip.logbook.ledgers()
        ledgers += [(row.path[len(found.top) + 1 :], row.place) for row in rows if tail_below(row.path, found.top)]
    told = remember(found, name, homes, ledgers, plan.way == BACK) if name or ledgers else ""
    if name:
        with trips.held(name) as trip:
            trip.logbook.record(**{NOTED: True})
    return told


def as_here(plan: SettlePlan, one: LedgerStand, meeting: Meeting) -> History:
    """The history of a ledger here that is just what the one there would be here."""
    ground = ground_for(plan.found, plan.homes)
    here = open_ledger(one.here, ground.maps, one.carried.map_name)
    return respelt(taken(meeting), here, ground.maps, ground.places(one.here))


def made_here(found: Collection) -> bool:
    """Whether the collection was made by this user on this machine."""
    return whoami() == found.who
