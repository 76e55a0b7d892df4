"""The trip that settles a collection: its waybill, from what was decided."""

from collections.abc import Iterator
from glob import escape

from msgspec.structs import replace

from saltcart.carrying.agreement import BACK, HERE, IN_PLACE, mine
from saltcart.carrying.home_sounds import Choice, SoundsHome, carried_home, is_known, named_again, of_these
from saltcart.carrying.stands import COPY, LEAVE, MERGE, NONE, REPLACE, UP_TO_DATE, LedgerStand, SettlePlan
from saltcart.errors import CannotSpell, SaltCartError
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.planning.shelf_inspection import may_be_ledger
from saltcart.planning.strays import copied_along
from saltcart.rewriting.staging import changes_for, on_trial, routes_for
from saltcart.safefile import digest_of
from saltcart.spelling.foreign import looks_foreign
from saltcart.spelling.moves import tail_below
from saltcart.spelling.renames import Pairs
from saltcart.system import os
from saltcart.waybills.collection import CarriedShelf
from saltcart.waybills.new_place import landing_drive
from saltcart.waybills.relinks import PLACE, Relink
from saltcart.waybills.shelf import ChosenFiles, Shelf
from saltcart.waybills.waybill import LedgerLine, Waybill


def build(plan: SettlePlan, choice: Choice) -> None:
    """The waybill that does it."""
    found, waybill = plan.found, plan.waybill
    waybill.maps, waybill.means, waybill.here = found.map_files(), found.means, True
    waybill.settles, waybill.comes_from = plan.way, found.top
    waybill.after = next((one.trip for one in reversed(mine(found))), "")
    if plan.way == HERE:
        waybill.shelves += [*whole_shelves(plan), *single_files(plan)]
    if plan.way in (HERE, BACK):
        SoundsHome(plan, choice).add()
    add_relinks(plan)
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


def whole_shelves(plan: SettlePlan) -> Iterator[Shelf]:
    """The shelves that are copied here, without what of them has a step of its own."""
    found = plan.found
    there_already = [one.there for one in plan.ledgers if one.step != COPY]
    for shelf in (one for one in found.shelves if not is_known(plan, one.place)):
        one = carried_home(found, shelf.name, shelf.place, plan.homes[shelf.place])
        # A ledger or a single file in a shelf may have another place here.
        others = [*there_already, *(found.at(file.place) for file in found.files)]
        stay = tuple(escape(tail) for path in others if (tail := tail_below(path, one.old)))
        yield replace(one, stay=stay, renames=named_again(shelf, one.new))


def add_relinks(plan: SettlePlan) -> None:
    """Let entries lead to where the sounds lie from now on, written where these came from or in the collection."""
    found, waybill = plan.found, plan.waybill
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
    each other one separately.
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
        yield of_these(shelf, names)


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
    """Make entries that point to the old place point to the new one."""
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
    if not over and not any(
        tail_below(there, shelf.old) for shelf in waybill.shelves if not isinstance(shelf, ChosenFiles)
    ):
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
            routes = routes_for(waybill, line.path, True, resolver).styled(line.like, line.unlike)
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
