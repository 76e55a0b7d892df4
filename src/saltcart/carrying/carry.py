"""Carrying: a trip that copies shelves, what they name elsewhere and every ledger that names them into one folder.

The ledgers there name the copies so that they are found wherever the drive hangs.  Nothing at home changes.
"""

import os
import stat
from collections.abc import Callable, Container, Iterator, Mapping, Sequence
from contextlib import suppress
from datetime import UTC, datetime
from glob import escape
from shlex import quote

from msgspec import Struct, field
from msgspec.structs import replace

from saltcart.carrying.agreement import known_then, mine, undone_trips
from saltcart.carrying.histories import clear_there
from saltcart.carrying.identity import machine, user, whoami
from saltcart.carrying.lists import write_lists
from saltcart.carrying.own_record import note
from saltcart.carrying.stands import leads, sums_of
from saltcart.carrying.turns import unseen
from saltcart.cart import NAME as CART
from saltcart.drives import Presence
from saltcart.errors import Refused, SaltCartError, counted, show
from saltcart.ledgers import load_map
from saltcart.ledgers.formats import cart_toml
from saltcart.ledgers.formats.m3u import is_utf8
from saltcart.looking.tidy import COLLECTION_SHARE
from saltcart.mentions.standings import ORIGINALS
from saltcart.own_names import staged_for
from saltcart.planning.allowed_names import allowed_names
from saltcart.planning.arrange import Arranger, arranged
from saltcart.planning.choosing import chosen_shelves
from saltcart.planning.draft import Draft, gathered, maps_of, work_out
from saltcart.planning.request import Request
from saltcart.planning.strays import copied_along, files_named, numbered, taken_along
from saltcart.planning.trial_rewrite import DraftedLedger
from saltcart.progress import Progress, silent
from saltcart.rewriting.routes import starts_somewhere
from saltcart.safefile import digest_of, replacing
from saltcart.shelves.audio import kind_of
from saltcart.shelves.digests import digest_file
from saltcart.shelves.oddities import litter
from saltcart.shelves.removal import Removal
from saltcart.shelves.true_names import true_path
from saltcart.shelves.walk import FILE, Item
from saltcart.spelling import spelling_of
from saltcart.spelling.moves import tail_below
from saltcart.trips import history
from saltcart.trips import trip as trips
from saltcart.trips.records import LedgerRow
from saltcart.trips.trip import HAULED, HAULING, SWITCHED, SWITCHING, Trip
from saltcart.waybills import collection
from saltcart.waybills.collection import CarriedFile, CarriedLedger, CarriedShelf, Collection, Gone, Known
from saltcart.waybills.relinks import RELATIVE
from saltcart.waybills.shelf import Shelf, sorted_out

LEDGERS, MAPS = "Ledgers", "Maps"
LITTLE = 0.5  # what ledgers name elsewhere comes along as long as it is little against what they name here
FINISHED = "finished"  # the fact that all is written beside the sounds: from then on others may carry there too


class CarryPlan(Struct):
    """What a carry would do.  `leftovers` and `litter` stay at home, by their sizes; `gone` files of an earlier carry
    are no longer at home; `before` is the collection as that left it.  Of what ledgers name, a part was `chosen`.
    `offline` is what stays in the collection as it is, since the drive of its original is away: the place of each file,
    shelf or ledger there, and its path at home.  When just a part was meant, files `apart` from it stay, with their
    sizes, and `libraries` that name much else; of playlists so many lines are `cut`.  What is named in `unread` files
    that travel could not be written for other places.  Sounds at the places `strange` there came from others, and are
    not known here.
    """

    draft: Draft
    top: str
    leftovers: dict[str, int] = field(default_factory=dict)
    litter: dict[str, int] = field(default_factory=dict)
    gone: list[Gone] = field(default_factory=list)
    before: Collection | None = None
    chosen: bool = False
    offline: dict[str, str] = field(default_factory=dict)
    apart: dict[str, int] = field(default_factory=dict)
    libraries: list[str] = field(default_factory=list)
    cut: dict[str, int] = field(default_factory=dict)
    unread: list[str] = field(default_factory=list)
    strange: list[str] = field(default_factory=list)

    @property
    def full(self) -> list[DraftedLedger]:
        """Ledgers that can only be carried as they are."""
        return [one for one in self.draft.ledgers if not one.line.rewrite]


def plan_carry(
    request: Request,
    with_leftovers: bool = False,
    with_litter: bool = False,
    gather: bool = False,
    progress: Progress = silent,
) -> CarryPlan:
    """Work out a carry to the one place of the request.  Raises Refused when it cannot be made; nothing is written.

    With `gather` all comes along that ledgers name elsewhere, be it more than what was asked for.
    """
    remarks: list[str] = []
    chosen = bool(request.from_list or request.rated is not None or request.played_since)
    request = replace(request, copy=True, gather=True, like=RELATIVE)
    top = true_path(os.path.expanduser(request.to[0]))
    refuse_nested(top)
    before = known_collection(top)
    if before and not request.arrange:
        request = replace(request, arrange=before.arrange)
    base = [at_known_places(shelf, before) for shelf in chosen_shelves(request, remarks)]
    offline = away_from_home(before) if before else {}
    request = replace(request, collection=top, kept=[(home, place) for place, home in offline.items()])
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
    wanted = {true_path(path) for path in request.ledgers}
    outside = [one for one in first.ledgers if not one.travels and (leans(one) or one.line.path in wanted)]
    outside = [one for one in outside if not ours(one) and not in_collection(one.line.path, top)]
    if plan.apart:  # a library that names much else is not the library of this
        lists = {one.line.path for one in outside if one.line.map_name == "m3u"}
        plan.libraries = [one.line.path for one in outside if one.line.path not in lists | wanted]
        outside = [one for one in outside if one.line.path not in plan.libraries]
    paths = [one.line.path for one in outside]
    inside = [
        one.line.path for one in first.ledgers if one.travels and leans(one)
    ]  # some of which a search found alone
    request = replace(request, ledgers=paths + inside, maps=first.waybill.maps, searches=False, elsewhere=False)
    maps = [load_map(path) for path in first.waybill.maps]
    used = {one.line.map_name for one in first.ledgers if one.travels or one in outside}
    extra = placed(paths, os.path.join(top, LEDGERS), base, before)
    extra += placed([one.path for one in maps if one.name in used], os.path.join(top, MAPS), base, before)
    extra = [allowed_names(shelf, request, remarks) for shelf in extra]
    homes = [place for one in base for place in (one.old, one.new)]

    def work(shelves: list[Shelf]) -> Draft:
        return work_out(request, shelves, list(remarks), progress)

    def more(paths: list[str]) -> list[Shelf]:
        found = taken_along(paths, base[0], base, False, top)
        return [allowed_names(shelf, request, remarks) for shelf in (makers[0].placed(found) if makers else found)]

    known = {shelf.old for shelf in extra}
    plan.draft, along = gathered([*base, *extra], work, None if chosen or plan.apart else more, homes, known)
    only_copies(plan.draft)
    if plan.apart:
        cut_playlists(plan)
    if before:
        supersede_ledgers(plan.draft, before)
        refuse_unseen(before, plan.draft)
    plan.draft.strays, plan.draft.arranged = along, [one.told for one in makers]
    plan.gone = vanished(plan)
    plan.draft.waybill.after = before.trip if before else ""
    return plan


def unread_in(draft: Draft, base: Sequence[Shelf]) -> list[str]:
    """The files in the shelves that name what lies in them in a way that nobody here can write anew."""
    files = draft.account.files if draft.account else []
    full = {one.line.path for one in draft.ledgers if not one.line.rewrite}  # which go as they are, and settle
    files = [one for one in files if one.open or (one.standing == ORIGINALS and one.uncovered)]
    files = [one for one in files if one.path not in full]
    return [one.path for one in files if any(tail_below(one.path, shelf.old) is not None for shelf in base)]


def refuse_nested(top: str) -> None:
    """Raise Refused for a collection in a collection: which of the two a file belongs to could not be told."""
    folder = os.path.dirname(top)
    while folder != os.path.dirname(folder):
        if collection.is_collection(folder):
            raise Refused(
                f"{show(folder)} is a collection already, and {show(top)} lies in it",
                "Choose a folder beside it, or bring that one up to date with --to " + quote(show(folder)),
            )
        folder = os.path.dirname(folder)
    inner = next((path for path in folders_below(top) if collection.is_collection(path)), None)
    if inner and not collection.is_collection(top):
        raise Refused(
            f"There is a collection in {show(top)} already, at {show(inner)}", "Choose a folder beside that one."
        )


def folders_below(top: str) -> Iterator[str]:
    """The folders in a folder, as deep as they go."""
    for folder, _folders, _files in os.walk(top):
        if folder != top:
            yield folder


def much_elsewhere(draft: Draft, base: Sequence[Shelf], wanted: Sequence[str]) -> dict[str, int]:
    """What ledgers that name something of the shelves name elsewhere, with sizes, when that is much against what
    travels: then a part was meant.
    """
    inside: set[str] = set()
    outside: set[str] = set()
    named = {true_path(path) for path in wanted}
    meant = [one for one in draft.ledgers if one.travels or leans(one) or one.line.path in named]
    for one in meant:
        if not ours(one) and not in_collection(one.line.path, draft.waybill.collection):
            for path in filter(kind_of, map(os.path.realpath, files_named(one.state))):
                (inside if any(tail_below(path, shelf.old) is not None for shelf in base) else outside).add(path)
    outside = {path for path in outside if not in_collection(path, draft.waybill.collection)}
    return {path: os.path.getsize(path) for path in sorted(outside)} if len(outside) > LITTLE * len(inside) else {}


def cut_playlists(plan: CarryPlan) -> None:
    """Let playlists go without the lines that name what does not travel."""
    moves = plan.draft.waybill.moves()
    for one in plan.draft.ledgers:
        if one.line.map_name == "m3u" and one.line.rewrite:
            lines = sum(not moves.covers(judged.resolved) for judged in one.state.judgements())
            if lines and is_utf8_text(one.line.path):
                one.line, plan.cut[one.line.path] = replace(one.line, cut=True), lines
    plan.draft.waybill.ledgers = [one.line for one in plan.draft.ledgers]


def is_utf8_text(path: str) -> bool:
    """Whether a playlist is in UTF-8, so that lines can be taken out of it."""
    with open(path, "rb") as stream:
        return is_utf8(stream.read())


def at_known_places(shelf: Shelf, before: Collection | None) -> Shelf:
    """Chosen files where an earlier carry put them, whatever else was chosen then."""
    known = {one.path: one.place for one in mine(before)} if before and shelf.files else {}
    names = sorted(sorted_out(shelf.only)[0]) if known else []
    places = {name: known.get(f"{shelf.old}/{name}") for name in names}
    if before is None or all(place is None or before.at(place) == shelf.place(name) for name, place in places.items()):
        return shelf
    own = {name: shelf.place(name)[len(before.top) + 1 :] for name in names}
    renames = tuple((name, place) for name in names if (place := places[name] or own[name]) != name)
    return replace(shelf, new=before.top, renames=renames)


def away_from_home(before: Collection) -> dict[str, str]:
    """The places in a collection of what is known here and lies on a drive that is not connected, with the path of each
    at home: nothing is known of it now, so it is neither gone nor changed.
    """
    presence = Presence()
    known = {one.place: one.path for one in mine(before)}
    return {
        before.at(place): path for place, path in known.items() if not os.path.lexists(path) and presence.away(path)
    }


def leans(one: DraftedLedger) -> bool:
    """Whether a ledger names something of what travels."""
    return bool(one.changes or one.links or not one.line.rewrite)


def ours(one: DraftedLedger) -> bool:
    """Whether a ledger is a configuration of Salt Cart, be it not the one in force: it says what is where on this
    machine, and names ledgers that have nothing to do with what travels.
    """
    return one.line.map_name == cart_toml.NAME or os.path.basename(one.line.path) == CART


def in_collection(path: str, top: str) -> bool:
    """Whether a ledger is one of this collection, or of another: a copy of what is to be carried."""
    folder = os.path.dirname(path)
    while folder != os.path.dirname(folder):
        if folder == top or os.path.lexists(os.path.join(folder, collection.NAME)):
            return True
        folder = os.path.dirname(folder)
    return False


def only_copies(draft: Draft) -> None:
    """Leave every ledger that stays at home out of the trip: nothing there changes."""
    draft.ledgers = [one for one in draft.ledgers if one.travels]
    draft.waybill.ledgers = [one.line for one in draft.ledgers]


def supersede_ledgers(draft: Draft, before: Collection) -> None:
    """Let the ledgers of an earlier carry stay as they are until the switch, which replaces each as a whole."""
    known, moves = {before.at(one.place) for one in before.ledgers}, draft.waybill.moves()
    for one in draft.ledgers:
        place = moves.follow(one.line.path)
        if place in known and os.path.isfile(place):
            one.line = replace(one.line, over=place, over_digest=digest_of(place))
    draft.waybill.ledgers = [one.line for one in draft.ledgers]


def known_collection(top: str) -> Collection | None:
    """The collection that is in a folder already.  Raises BadFile when its carried.toml cannot be read."""
    path = os.path.join(top, collection.NAME)
    return collection.read(path) if os.path.lexists(path) else None


def refuse_unseen(before: Collection, draft: Draft) -> None:
    """Raise Refused when something happened to ledgers of the collection that is not known here: to write over them
    would lose it.
    """
    maps = [load_map(path) for path in draft.waybill.maps]
    if changed := unseen(before, draft.waybill, maps, undone_trips()):
        raise Refused(
            f"{counted(len(changed), 'ledger', 'ledgers')} in the collection at {show(before.top)} changed there"
            f" since they were last here",
            f"Bring that home first: saltcart settle {show(before.top)} --back",
            list(map(show, changed[:20])),
        )


def staying(plan: CarryPlan, shelf: Shelf, draft: Draft, with_leftovers: bool, with_litter: bool) -> list[str]:
    """Patterns of what stays at home of a shelf: litter, and of a collection the sounds that no ledger names."""
    files = [item for item in shelf.walk() if item.kind == FILE] if not shelf.files and not shelf.archive else []
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


def vanished(plan: CarryPlan) -> list[Gone]:
    """The files that an earlier carry from here brought and that nothing at home stands for any more: of the shelves
    that are carried now, of what was chosen, and single ones.  What others brought stays, and is noted as `strange`.
    """
    if plan.before is None:
        return []
    coming, then = places_of(plan), known_then(plan.before, undone_trips())
    shelves = [one.shelf for one in plan.draft.shelves if not one.shelf.gathered]
    tops = [shelf.new for shelf in shelves if plan.chosen or not shelf.files]
    homes = {plan.before.at(one.place): one.path for one in mine(plan.before)}
    away = [place for place in plan.offline if os.path.isdir(place)]
    ledgers = {plan.before.at(one.place) for one in plan.before.ledgers}
    gone = []
    for place, known in collection.digests_before(plan.top).items():
        if place in coming or not os.path.isfile(place) or place in plan.offline:
            continue
        if any(tail_below(place, top) is not None for top in away):
            continue
        tail = place[len(plan.top) + 1 :]
        inside = any(tail_below(place, top) is not None for top in tops)
        if inside and tail not in then.digests and place not in ledgers:
            plan.strange.append(tail)
        elif inside or (place in homes and not os.path.lexists(homes[place])):
            gone.append(Gone(tail, *known))
    return gone


def note_gone(plan: CarryPlan) -> None:
    """Write into the collection what has vanished at home, before its manifests are written anew."""
    if plan.before and plan.gone:
        plan.before.gone = plan.gone
        collection.write(plan.before)


def drop_gone(plan: CarryPlan) -> int:
    """Remove from the collection what has vanished at home and is as it was brought; how many files went."""
    dropped = 0
    for one in plan.gone:
        place = os.path.join(plan.top, one.place)
        with suppress(OSError), Removal(plan.top) as removal:
            dropped += removal.unlink(one.place, as_it_was_brought(place, one)) is not None
    return dropped


def as_it_was_brought(place: str, one: Gone) -> Callable[[os.stat_result], bool]:
    """What tells whether a file of a collection still holds what was brought there."""
    return lambda state: stat.S_ISREG(state.st_mode) and digest_file(place, one.kind) == one.digest


def unfinished(top: str) -> str | None:
    """The id of a carry to that folder that was cut off after its ledgers had begun to switch: `repoint` and `finish`
    end it.
    """
    top = true_path(os.path.expanduser(top))
    for trip in history.readable():
        if trip.waybill.collection == top and trip.state in (SWITCHING, SWITCHED):
            return None if trip.logbook.fact(FINISHED, False) else trip.name
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


def places_of(plan: CarryPlan) -> set[str]:
    """Where everything comes that a plan carries."""
    return {one.shelf.place(path) for one in plan.draft.shelves for path in one.items}


def finish(name: str, lists: bool = False, unread: Sequence[str] | None = None) -> tuple[Collection, int]:
    """Write beside the sounds of a carry what another machine needs to know; what was written.  With `lists` the named
    lists of databases as files too; how many of their tracks did not travel.  It is noted which files at home are
    `unread`, where that was looked for.
    """
    with trips.opened(name) as trip:
        known = known_collection(trip.waybill.collection)
        made = described(trip, known)
        lists = lists or bool(known and known.lists)  # once asked for, they are kept up to date
        plays = any(one.relative for one in made.ledgers)
        made.lists, lacking = write_lists(trip, made, known, lists, not plays)
    made.gone = [one for one in made.gone if os.path.isfile(made.at(one.place))]
    made.unread = known.unread if known and unread is None else places_in(trip, made.top, unread or ())
    made.read_me = write_read_me(made, known.read_me if known else "")
    collection.write(made)
    with trips.held(name) as trip:
        clear_there(made.top, name, trip.waybill.after)
        trip.logbook.record(**{FINISHED: True})
    return made, lacking


def places_in(trip: Trip, top: str, paths: Sequence[str]) -> list[str]:
    """The places in a collection that files at home have there."""
    places = (trip.waybill.moves().follow(path) for path in paths)
    return [tail for place in places if place and (tail := tail_below(place, top))]


def write_record(trip: Trip, place: str) -> str:
    """Write at `place` what a collection says of itself once this trip has switched; its digest.  What is written
    beside the sounds after that, `finish` adds.
    """
    known = known_collection(trip.waybill.collection)
    made = described(trip, known, {row.place: staged_for(row.place, trip.name) for row in trip.logbook.ledgers()})
    if known:
        made.lists, made.read_me, made.unread = known.lists, known.read_me, known.unread
    return collection.write(made, place)


def described(trip: Trip, known: Collection | None, staged: Mapping[str, str] | None = None) -> Collection:
    """What is in the collection that a trip makes, or brings up to date from what was `known`.  Before the switch,
    ledgers are read where they are `staged`, by their places.
    """
    top, name = trip.waybill.collection, trip.name
    made = Collection(top, datetime.now(UTC).isoformat(), machine(), user(), whoami(), os.path.expanduser("~"), name)
    made.means, made.arrange = trip.waybill.means, trip.waybill.arrange
    made.gone, made.known = (known.gone, [*known.known]) if known else ([], [])
    made.homes = [one for one in dict.fromkeys([known.home, *known.homes]) if one != made.home] if known else []
    ledgers = [row for row in trip.logbook.ledgers() if tail_below(row.place, top)]
    add_sounds(trip, made, {row.place for row in ledgers})
    made.ledgers = [carried_ledger(trip, row, top, (staged or {}).get(row.place, row.place)) for row in ledgers]
    homes = {row.path: trip.line(row).digest or row.before or "" for row in ledgers}
    fresh = made.sources()
    keep_others(made, known)
    here = [one for one in made.ledgers if one.source in homes]
    rows = [Known(whoami(), place, source, trip=name) for place, source in fresh]
    rows += [Known(whoami(), one.place, one.source, one.digest, homes[one.source], name) for one in here]
    note(rows)
    made.learn(rows)
    return made


def add_sounds(trip: Trip, made: Collection, ledgers: Container[str]) -> None:
    """Add the shelves, single files and maps that a trip brought into a collection; at `ledgers` lie its ledgers."""
    for number, shelf in enumerate(trip.waybill.shelves):
        place = shelf.new[len(made.top) + 1 :]
        if shelf.files:
            made.files += chosen_files(trip, number, shelf)
        elif not shelf.gathered:
            files, size = trip.logbook.totals(number)
            made.shelves.append(CarriedShelf(shelf.name, place, shelf.old, shelf.old_drive, files, size, shelf.renames))
        elif shelf.old in trip.waybill.maps:
            made.maps.append((load_map(shelf.old).name, place))
        elif shelf.new not in ledgers:
            digest = next((row.digest for row in trip.logbook.rows(number) if row.digest), "") or ""
            made.files.append(CarriedFile(place, shelf.old, trip.waybill.digests, digest))


def keep_others(made: Collection, before: Collection | None) -> None:
    """Let what earlier carries brought into the collection, and this one had nothing to do with, stay in its list."""
    if before is None:
        return
    places = {place for place, _source in made.sources()} | {one.place for one in made.ledgers}
    gone = {one.place for one in made.gone}
    made.shelves += [one for one in before.shelves if one.place not in places]
    made.ledgers += [one for one in before.ledgers if one.place not in places and one.place not in gone]
    made.files += [one for one in before.files if one.place not in places and one.place not in gone]
    made.maps += [pair for pair in before.maps if pair[1] not in {place for _name, place in made.maps}]


def chosen_files(trip: Trip, number: int, shelf: Shelf) -> Iterator[CarriedFile]:
    """The files of a shelf of chosen ones, each by itself."""
    top = trip.waybill.collection
    for row in trip.logbook.rows(number, kind=FILE):
        place = shelf.place(row.item.path)[len(top) + 1 :]
        yield CarriedFile(place, f"{shelf.old}/{row.item.path}", trip.waybill.digests, row.digest or "")


def carried_ledger(trip: Trip, row: LedgerRow, top: str, place: str) -> CarriedLedger:
    """What the collection says of one ledger, of which the content lies at `place` just now."""
    entries = list(trip.logbook.entries(row.number))
    relative = trip.line(row).like == RELATIVE
    full = [entry.old for entry in entries if entry.old != entry.new and is_full(entry.old)][:1] if relative else []
    unlike = {entry.new for entry in entries if not is_full(entry.old)} if full else set()
    sums: Mapping[str, int] = {}
    with suppress(SaltCartError):
        sums = sums_of(place if os.path.exists(place) else row.place, trip.maps(), row.map_name)
    return CarriedLedger(
        row.place[len(top) + 1 :],
        row.path,
        row.map_name,
        row.after or row.before or "",
        relative,
        "".join(full),
        len(entries),
        came_along(trip, row),
        sums,
        tuple(sorted(unlike)),
    )


def came_along(trip: Trip, row: LedgerRow) -> int:
    """How many entries of a ledger name what came along, from wherever it was."""
    moves, resolver = trip.waybill.moves(), trip.waybill.resolver()
    tops = [shelf.new for shelf in trip.waybill.shelves if not shelf.files]
    places = map(moves.follow, leads(trip.open_ledger(row, row.path), resolver))
    return sum(
        os.path.isfile(place) or (os.path.isdir(place) and any(tail_below(place, top) is not None for top in tops))
        for place in places
        if place
    )


def is_full(text: str) -> bool:
    """Whether a text is a full path in whatever manner."""
    spelling = spelling_of(text)
    return spelling is not None and not starts_somewhere(spelling, text)


def write_read_me(made: Collection, before: str) -> str:
    """Write the words for the person who finds the drive; their digest.  A file of that name that is not what we wrote
    there `before`, by its digest, is a person's, and stays.
    """
    path = os.path.join(made.top, collection.READ_ME)
    if os.path.lexists(path) and (os.path.islink(path) or digest_of(path) != before):
        return before
    with replacing(path) as neighbour, open(neighbour, "w", encoding="utf-8", newline="\r\n") as stream:
        stream.write(read_me(made))
    return digest_of(path)


def read_me(made: Collection) -> str:
    """What a person who finds the drive is told."""
    full = [one for one in made.ledgers if not one.relative]
    lines = [
        "This folder is a collection of sounds that travels.",
        "",
        f"Made on {made.made[:10]} on the computer {show(made.machine)} by {show(made.user)}.",
        f"It holds {sum(one.files for one in made.shelves) + len(made.files):,} files:",
        *(f"    {show(one.place)}" for one in made.shelves),
        "",
        "To play it: open a playlist or library from here. They name the sounds from where they lie, so it plays on",
        "any computer, whatever this drive is called there. Do not rename or move single folders in it.",
        "",
        *(f"    {show(one.place)}" for one in made.ledgers if one.relative),
    ]
    if full:
        lines += ["", "These can store only full paths, and work only on the computer they come from until they are"]
        lines += ["settled:", *(f"    {show(one.place)}" for one in full)]
    lines += [
        "",
        "To use it on a computer that has Salt Cart:    saltcart settle   in this folder.",
        "To verify that nothing is damaged: the files that end in .saltcart.b3 are lists for b3sum --check.",
        "",
    ]
    return "\n".join(lines)
