"""Carrying: a trip that copies shelves, what they name elsewhere and every ledger that names them into one folder.

The ledgers there name the copies so that they are found wherever the drive is mounted.  Nothing at home changes.
"""

from collections.abc import Iterator, Mapping, Sequence
from glob import escape

from msgspec.structs import replace

from saltcart.carrying import histories
from saltcart.carrying.agreement import mine, undone_trips
from saltcart.carrying.carry_plan import CarryPlan
from saltcart.carrying.gone import vanished
from saltcart.carrying.histories import HIDDEN
from saltcart.carrying.lists import LISTS
from saltcart.carrying.part import cut_playlists, in_collection, leans, much_elsewhere, ours, unread_in
from saltcart.carrying.record import known_collection
from saltcart.carrying.turns import unseen
from saltcart.cart import Cart
from saltcart.drives import Presence
from saltcart.errors import Refused, counted, show, typed
from saltcart.ledgers.maps import load_map
from saltcart.looking.tidy import COLLECTION_SHARE
from saltcart.planning.allowed_names import allowed_names
from saltcart.planning.arrange import Arranger, arranged
from saltcart.planning.choosing import chosen_shelves
from saltcart.planning.draft import Draft, gathered, maps_of, work_out
from saltcart.planning.request import Request
from saltcart.planning.strays import GATHERED, copied_along, files_named, numbered, taken_along
from saltcart.planning.trial_rewrite import DraftedLedger
from saltcart.progress import Progress, silent
from saltcart.safefile import digest_of
from saltcart.shelves.audio import kind_of
from saltcart.shelves.oddities import litter
from saltcart.shelves.true_names import true_path
from saltcart.shelves.walk import FILE, Item
from saltcart.spelling.moves import holder
from saltcart.system import os
from saltcart.trips import history
from saltcart.trips.facts import Fact
from saltcart.trips.trip import HAULED, HAULING, SWITCHED, SWITCHING
from saltcart.waybills import collection
from saltcart.waybills.collection import Collection
from saltcart.waybills.relinks import RELATIVE
from saltcart.waybills.shelf import ChosenFiles, Shelf

LEDGERS, MAPS = "Ledgers", "Maps"


def plan_carry(
    request: Request,
    with_leftovers: bool = False,
    with_litter: bool = False,
    gather: bool = False,
    progress: Progress = silent,
) -> CarryPlan:
    """Work out a carry to the one place of the request.  Raises Refused when it cannot be made; nothing is written.

    With `gather`, every file that ledgers refer to elsewhere comes along, even more than was asked for.
    """
    remarks: list[str] = []
    chosen = bool(request.from_list or request.rated is not None or request.played_since)
    top = true_path(os.path.expanduser(request.to[0]))
    refuse_nested(top)
    refuse_links(top)
    before = known_collection(top)
    offline = away_from_home(before, request.cart) if before else {}
    request = within(request, top, before, offline)
    base = [at_known_places(shelf, before) for shelf in chosen_shelves(request, remarks)]
    if chosen:  # what else names these files names others too, which stay
        named = [*request.ledgers, *request.from_list] if request.from_list else request.ledgers
        request = replace(request, ledgers=named, searches=False, elsewhere=False)
    first = work_out(request, base, [], progress)
    plan = CarryPlan(first, top, before=before, chosen=chosen, offline=offline)
    plan.unread = unread_in(first, base)
    plan.apart = {} if chosen or gather else much_elsewhere(first, base, request.ledgers)
    stay = [staying(plan, shelf, first, with_leftovers, with_litter) for shelf in base]
    base = [replace(shelf, stay=(*shelf.stay, *more)) for shelf, more in zip(base, stay, strict=True)]
    makers: list[Arranger] = []
    if request.arrange:
        base, makers = arranged(base, request.arrange, first.ledgers, maps_of(request), progress)
    plan.draft = whole_draft(plan, request, base, makers, remarks, progress)
    if plan.apart:
        cut_playlists(plan)
    if before:
        supersede_ledgers(plan.draft, before)
        refuse_unseen(before, plan.draft)
    plan.gone = vanished(plan)
    plan.draft.waybill.after = before.trip if before else ""
    return plan


def within(request: Request, top: str, before: Collection | None, offline: Mapping[str, str]) -> Request:
    """The request as one for a collection: copies, with all that its ledgers name, by paths from their own folder."""
    kept = [(home, place) for place, home in offline.items()]
    arrange = request.arrange or (before.arrange if before else request.arrange)
    return replace(request, copy=True, gather=True, like=RELATIVE, collection=top, kept=kept, arrange=arrange)


def ledgers_outside(plan: CarryPlan, request: Request) -> list[DraftedLedger]:
    """The ledgers that lie elsewhere at home and come along.  A library that names much else is not the library of
    this: its path is noted in the plan, and it stays.
    """
    wanted = {true_path(path) for path in request.ledgers}
    found = [one for one in plan.draft.ledgers if not one.travels and (leans(one) or one.line.path in wanted)]
    found = [one for one in found if not ours(one) and not in_collection(one.line.path, plan.top)]
    if not plan.apart:
        return found
    lists = {one.line.path for one in found if one.line.map_name == "m3u"}
    plan.libraries = [one.line.path for one in found if one.line.path not in lists | wanted]
    return [one for one in found if one.line.path not in plan.libraries]


def whole_draft(
    plan: CarryPlan, request: Request, base: list[Shelf], makers: list[Arranger], remarks: list[str], progress: Progress
) -> Draft:
    """The draft of a carry with the ledgers that come along, their maps, and all that these name elsewhere."""
    first, top, before = plan.draft, plan.top, plan.before
    outside = ledgers_outside(plan, request)
    inside = [one for one in first.ledgers if one.travels]
    paths = [one.line.path for one in outside]
    known = [*paths, *(one.line.path for one in inside if leans(one))]  # a search alone found some of these
    request = replace(request, ledgers=known, maps=first.waybill.maps, searches=False, elsewhere=False)
    used = {one.line.map_name for one in [*inside, *outside]}
    maps = [one.path for one in map(load_map, first.waybill.maps) if one.name in used]
    extra = placed(paths, os.path.join(top, LEDGERS), base, before) + placed(
        maps, os.path.join(top, MAPS), base, before
    )
    extra = [allowed_names(shelf, request, remarks) for shelf in extra]

    def work(shelves: list[Shelf]) -> Draft:
        return work_out(request, shelves, list(remarks), progress)

    def more(paths: list[str]) -> list[Shelf]:
        found = taken_along(paths, base[0], base, False, top)
        return [allowed_names(shelf, request, remarks) for shelf in (makers[0].placed(found) if makers else found)]

    homes = [place for one in base for place in (one.old, one.new)]
    along_too = None if plan.chosen or plan.apart else more
    draft, along = gathered([*base, *extra], work, along_too, homes, {shelf.old for shelf in extra})
    only_copies(draft)
    draft.strays, draft.arranged, draft.left_out = along, [one.told for one in makers], first.left_out
    return draft


def refuse_links(top: str) -> None:
    """Raise Refused where a link stands for a folder that a carry writes to: a stranger's may lead anywhere."""
    for name in (HIDDEN, LISTS, LEDGERS, MAPS, GATHERED):
        histories.refuse_link(os.path.join(top, name))


def refuse_nested(top: str) -> None:
    """Raise Refused for a collection in a collection: which of the two a file belongs to could not be told."""
    folder = os.path.dirname(top)
    while folder != os.path.dirname(folder):
        if collection.is_collection(folder):
            raise Refused(
                f"{show(folder)} is a collection already, and {show(top)} lies in it",
                "Choose a folder beside it, or bring that one up to date with --to " + typed(folder),
            )
        folder = os.path.dirname(folder)
    if collection.is_collection(top):
        return
    inner = next((path for path in folders_below(top) if collection.is_collection(path)), None)
    if inner:
        raise Refused(
            f"There is a collection in {show(top)} already, at {show(inner)}", "Choose a folder beside that one."
        )


def folders_below(top: str) -> Iterator[str]:
    """The folders in a folder, as deep as they go."""
    for folder, _folders, _files in os.walk(top):
        if folder != top:
            yield folder


def at_known_places(shelf: Shelf, before: Collection | None) -> Shelf:
    """Chosen files where an earlier carry put them, whatever else was chosen then."""
    if before is None or not isinstance(shelf, ChosenFiles):
        return shelf
    known, names = {one.path: one.place for one in mine(before)}, sorted(shelf.names())
    places = {name: known.get(f"{shelf.old}/{name}") for name in names}
    if all(place is None or before.at(place) == shelf.place(name) for name, place in places.items()):
        return shelf
    own = {name: shelf.place(name)[len(before.top) + 1 :] for name in names}
    renames = tuple((name, place) for name in names if (place := places[name] or own[name]) != name)
    return replace(shelf, new=before.top, renames=renames)


def away_from_home(before: Collection, cart: Cart) -> dict[str, str]:
    """The places in a collection of what is known here and lies on a drive that is not connected, with the path of each
    at home: nothing is known of it now, so it is neither gone nor changed.
    """
    presence = Presence(cart.drives)
    known = {one.place: one.path for one in mine(before)}
    return {
        before.at(place): path for place, path in known.items() if not os.path.lexists(path) and presence.away(path)
    }


def only_copies(draft: Draft) -> None:
    """Leave every ledger that stays at home out of the trip: nothing there changes."""
    draft.ledgers = [one for one in draft.ledgers if one.travels]
    draft.waybill.ledgers = [one.line for one in draft.ledgers]


def supersede_ledgers(draft: Draft, before: Collection) -> None:
    """Let the ledgers of an earlier carry stay as they are until the switch, which replaces each as a whole."""
    known, moves = {before.at(one.place) for one in before.ledgers}, draft.waybill.moves()
    shelves = {one.shelf.old: one for one in draft.shelves}
    for one in draft.ledgers:
        place = moves.follow(one.line.path)
        if place in known and os.path.isfile(place):
            one.line = replace(one.line, over=place, over_digest=digest_of(place))
            shelf = shelves.get(holder(one.line.path, shelves) or "")
            if shelf and shelf.there_files and os.path.getsize(one.line.path) == os.path.getsize(place):
                shelf.there_files -= 1  # it is copied, though a file of its size lies at its place already
    draft.waybill.ledgers = [one.line for one in draft.ledgers]


def refuse_unseen(before: Collection, draft: Draft) -> None:
    """Raise Refused when something happened to ledgers of the collection that is not known here: to write over them
    would lose it.
    """
    maps = [load_map(path) for path in draft.waybill.maps]
    if changed := unseen(before, draft.waybill, maps, undone_trips()):
        raise Refused(
            f"{counted(len(changed), 'ledger', 'ledgers')} in the collection at {show(before.top)} changed there"
            f" since they were last here",
            f"Bring that home first: saltcart settle {typed(before.top)} --back",
            list(map(show, changed[:20])),
        )


def staying(plan: CarryPlan, shelf: Shelf, draft: Draft, with_leftovers: bool, with_litter: bool) -> list[str]:
    """Patterns of what stays at home of a shelf: litter, and of a collection the sounds that no ledger names."""
    files = (
        [item for item in shelf.walk() if item.kind == FILE]
        if not isinstance(shelf, ChosenFiles) and not shelf.packed
        else []
    )
    found: dict[str, int] = {}
    if not with_litter:
        found = {item.path: item.size for item in files if litter(os.path.basename(item.path))}
        plan.litter |= {f"{shelf.old}/{path}": size for path, size in found.items()}
    left = [] if with_leftovers else unnamed(shelf, files, draft)
    plan.leftovers |= {f"{shelf.old}/{item.path}": item.size for item in left}
    return [*map(escape, found), *(escape(item.path) for item in left)]


def unnamed(shelf: Shelf, files: Sequence[Item], draft: Draft) -> list[Item]:
    """The sounds in a shelf that no ledger names, when ledgers name so many of it that it is a collection."""
    named = {os.path.realpath(path) for one in draft.ledgers for path in files_named(one.state)}
    sounds = [item for item in files if kind_of(item.path)]
    left = [item for item in sounds if f"{shelf.old}/{item.path}" not in named]
    return left if sounds and len(sounds) - len(left) >= COLLECTION_SHARE * len(sounds) else []


def placed(paths: Sequence[str], folder: str, base: Sequence[Shelf], before: Collection | None) -> list[Shelf]:
    """Single files as parts of a trip, each in the folder under its name, or where an earlier carry put it."""
    known = {one.path: before.at(one.place) for one in mine(before)} if before else {}
    taken = {before.at(one.place).casefold() for one in before.ledgers} if before else set()
    shelves = []
    for path in paths:
        stem, suffix = os.path.splitext(os.path.basename(path))
        wanted = (one + suffix for one in numbered(os.path.join(folder, stem)))
        place = known.get(path) or next(one for one in wanted if one.casefold() not in taken)
        taken.add(place.casefold())
        shelves.append(copied_along(path, place, base[0].new_drive))
    return shelves


def unfinished(top: str) -> str | None:
    """The id of a carry to that folder that was interrupted after its ledgers had begun to switch: `repoint` and
    `finish` end it.  One after which another computer wrote there is over.
    """
    top = true_path(os.path.expanduser(top))
    for trip in history.readable():
        if trip.waybill.collection == top and trip.state in (SWITCHING, SWITCHED):
            written = trip.logbook.fact(Fact.COLLECTION_WRITTEN, False) or trip.logbook.fact(Fact.FINISHED) is True
            known = known_collection(top)
            others = known and known.trip not in (trip.name, trip.waybill.after)
            return None if written or others else trip.name
    return None


def given_up(plan: CarryPlan, waybill: str) -> str | None:
    """The id of a carry to the same folder that was interrupted while it copied, and was another one than that of the
    waybill at that path, since something has changed at home: what it left there would be in the way.
    """
    same = history.unfinished(waybill)
    for trip in history.readable():
        if trip.waybill.collection == plan.top and trip.state in (HAULING, HAULED) and trip.name != same:
            return trip.name
    return None
