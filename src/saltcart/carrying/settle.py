"""Settling: what a collection means on this machine, and a trip that makes it at home here, in one of three ways."""

from collections.abc import Mapping, Sequence
from contextlib import suppress

from msgspec import Struct

from saltcart.carrying.agreement import BACK, IN_PLACE, agreed, known_then, remember, undone_trips
from saltcart.carrying.histories import NO_TRIP, note_here, note_seen
from saltcart.carrying.home_sounds import Choice, named_again
from saltcart.carrying.identity import whoami
from saltcart.carrying.proposals import chosen, is_unasked, proposals, refuse_proposals
from saltcart.carrying.settle_trip import build
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
from saltcart.drives import Presence
from saltcart.errors import Refused, UsageError, counted, show
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.merging.copies import Meeting, respelt
from saltcart.merging.history import History
from saltcart.planning.destination import refuse_hole
from saltcart.progress import Progress, silent
from saltcart.shelves.true_names import true_path
from saltcart.spelling import Move, Moves
from saltcart.spelling.moves import tail_below
from saltcart.spelling.renames import Renames
from saltcart.system import os
from saltcart.trips import history
from saltcart.trips import trip as trips
from saltcart.trips.facts import Fact
from saltcart.trips.holding import held
from saltcart.trips.trip import SWITCHED, UNDONE, Trip
from saltcart.waybills import collection, collection_file
from saltcart.waybills.collection import CarriedShelf, Collection

PLAYS_THERE = "it can store only full paths, so it works only on the computer it came from; use --here for it"
NOT_OURS = "this computer has no record of having sent it; to take it: --place"


class SettleRequest(Struct, frozen=True):
    """What is asked for of the collection in a folder: to settle it in a `way`, or only to look.

    `places` are texts such as `PLACE=FOLDER`.  Of ledgers that changed on both sides, those of the collection are taken
    whose places are in `take`, and those here are kept of which they are in `keep`.
    """

    folder: str
    way: str = ""
    places: Sequence[str] = ()
    damaged_too: bool = False
    take: Sequence[str] = ()
    keep: Sequence[str] = ()


def plan_settle(
    asks: SettleRequest, cart: Cart | None = None, progress: Progress = silent, seen: SettlePlan | None = None
) -> SettlePlan:
    """Look at a collection, and work out how to settle it.  What was `seen` by an earlier look, files read against
    their manifests, is taken from there.  Ledgers whose programs keep theirs elsewhere here, as the search finds or
    `cart` says, go there.

    Raises Refused for a collection that is incomplete or altered, unless `damaged_too`; nothing is written.
    """
    cart, way = cart or Cart(), asks.way
    found = collection_in(asks.folder)
    undone = undone_trips()
    known = agreed(found, undone)
    homes = {place: at_home(found, place, source, known) for place, source in found.sources()}
    asked = chosen(found, asks.places)
    homes |= asked
    ours = known.keys() | asked.keys()
    ground = ground_for(found, homes)
    stands = [stand(found, one, homes, known, ground) for one in found.ledgers]
    # Programs here may keep their ledgers elsewhere than at the other computer; with that all is judged anew.
    if way != BACK and (theirs := found_here(found, cart, stands, progress)):
        homes = theirs | homes
        ours |= theirs.keys()
        ground = ground_for(found, homes)
        stands = [stand(found, one, homes, known, ground) for one in found.ledgers]
    plan = SettlePlan(found, way, homes, stands, lost=ground.lost)
    plan.then = known_then(found, undone)
    plan.sounds = seen.sounds if seen else Looking(found, plan.then, progress).run()
    if way and not asks.damaged_too:
        refuse_damage(plan)
    refuse_strange(plan, [*asks.take, *asks.keep])
    if way:
        plan.unasked = proposals(plan, ours)
        if way != BACK:
            refuse_proposals(plan.unasked)
        choice = Choice([one.strip("/") for one in asks.take], [one.strip("/") for one in asks.keep])
        decide(plan, choice.take, choice.keep)
        build(plan, choice)
        presence = Presence(cart.drives)
        for shelf in plan.waybill.shelves:
            refuse_hole(shelf.new, presence)
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
    return collection_file.read(path)


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
    """What is done about a ledger by how it is there and here, and why."""
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


def unfinished(folder: str, way: str) -> Trip | None:
    """The trip that settles this collection and was interrupted, even just before that was recorded; it continues.

    Its record is closed.  Refused when it settles in another way than is asked for now.
    """
    top = true_path(os.path.expanduser(folder))
    for trip in history.readable():
        if not trip.waybill.settles or trip.state == UNDONE or trip.logbook.fact(Fact.NOTED, False):
            continue
        places = [shelf.old for shelf in trip.waybill.shelves]
        places += [path for line in trip.waybill.ledgers for path in (line.path, line.merge) if path]
        noted = trip.state == SWITCHED and trip.waybill.settles != way  # all but the note of it was done
        if any(tail_below(path, top) for path in places) and not noted:
            if trip.waybill.settles != way:
                raise Refused(
                    f"Trip {trip.name}, which settles this --{trip.waybill.settles.replace(' ', '-')}, was interrupted",
                    f"Continue that, or undo it first: saltcart undo {trip.name} --drop-copies",
                )
            return trip
    return None


def take_up(plan: SettlePlan, trip: Trip, way: str) -> None:
    """Let the plan be that of a trip that was interrupted."""
    plan.way, plan.waybill = way, trip.waybill
    steps = {line.path: REPLACE if line.over else COPY for line in trip.waybill.ledgers}
    steps |= {line.merge: MERGE for line in trip.waybill.ledgers if line.merge}
    for one in plan.ledgers:
        one.step, one.why = steps.get(one.there, LEAVE), ""


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
    if plan.way != IN_PLACE:  # else ledgers there were written anew
        with suppress(OSError):  # which was told, where nothing can be written there
            note_seen(found, {one.carried.place: one.meeting.theirs.history for one in plan.ledgers if one.meeting})
    if name:
        with held(name) as trip:
            trip.logbook.record({Fact.NOTED: True})
    return told


def as_here(plan: SettlePlan, one: LedgerStand, meeting: Meeting) -> History:
    """The history of a ledger here that is just what the one there would be here."""
    ground = ground_for(plan.found, plan.homes)
    here = open_ledger(one.here, ground.maps, one.carried.map_name)
    return respelt(taken(meeting), here, ground.maps, ground.places(one.here))


def made_here(found: Collection) -> bool:
    """Whether the collection was made by this user on this machine."""
    return whoami() == found.who
