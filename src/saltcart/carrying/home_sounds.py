"""The sounds of a collection on their way home: new, newer, and under other names."""

import os
from collections.abc import Sequence
from glob import escape
from typing import NamedTuple

from msgspec.structs import replace

from saltcart.carrying.agreement import BACK
from saltcart.carrying.stands import SettlePlan
from saltcart.drives import drive_of
from saltcart.drives.limits import allowed
from saltcart.safefile import digest_of
from saltcart.shelves.digests import BLAKE3, digest_file
from saltcart.spelling.moves import tail_below
from saltcart.waybills.collection import CarriedShelf, Collection
from saltcart.waybills.new_place import landing_drive
from saltcart.waybills.newer import Newer, Renamed
from saltcart.waybills.relinks import ONE, Relink
from saltcart.waybills.shelf import Shelf


class Choice(NamedTuple):
    """Of what changed on both sides, the places in the collection that hold, and those of which what is here does."""

    take: Sequence[str]
    keep: Sequence[str]


def named_again(shelf: CarriedShelf, home: str) -> tuple[tuple[str, str], ...]:
    """The names that the drive of the collection could not keep and the one here can, as renames on the way here."""
    limits = landing_drive(home).limits
    return tuple((new, old) for old, new in shelf.renames if not allowed(os.path.basename(old), limits).what)


def carried_home(found: Collection, name: str, place: str, home: str) -> Shelf:
    """A shelf of the collection on its way to its place here."""
    old = found.at(place)
    drives = drive_of(old).identity, landing_drive(home).identity
    return Shelf(name, old, home, *drives, leave="original")


def is_known(plan: SettlePlan, place: str) -> bool:
    """Whether a shelf of the collection is here already, so that only what changed in it comes."""
    return plan.way == BACK or (place in plan.then.whole and os.path.isdir(plan.homes[place]))


def home_of(plan: SettlePlan, place: str) -> str:
    """Where a file at a place of the collection is here."""
    if place in plan.homes:
        return plan.homes[place]
    shelf = max((one for one in plan.found.shelves if tail_below(place, one.place)), key=lambda one: len(one.place))
    home, name = plan.homes[shelf.place], place[len(shelf.place) + 1 :]
    return f"{home}/{dict(named_again(shelf, home)).get(name, name)}"


def add_sounds(plan: SettlePlan, choice: Choice) -> None:
    """Let new, changed and renamed sounds of known shelves come here, where nothing else stands in their way."""
    sounds, waybill = plan.sounds, plan.waybill
    ours = [one.place for one in plan.found.shelves if is_known(plan, one.place) and one.place not in plan.unasked]
    for place in ours:
        names = [name for name in sounds.new.get(place, []) if comes(plan, f"{place}/{name}", choice)]
        if names:
            plan.coming[place] = names
            shelf = carried_home(plan.found, f"new in {place}", place, plan.homes[place])
            waybill.shelves.append(replace(shelf, only=tuple(map(escape, names)), files=True))
        for old, new in sounds.renamed.get(place, {}).items():
            rename(plan, f"{place}/{old}", f"{place}/{new}")
    for place, now in sounds.changed.items():
        shelf_of = next((one for one in ours if tail_below(place, one)), None)
        if shelf_of or (place in plan.homes and place not in plan.unasked):
            change(plan, place, now, choice)


def comes(plan: SettlePlan, place: str, choice: Choice) -> bool:
    """Whether a new file comes here; another of its name is in its way, or the same is here already."""
    here, there = home_of(plan, place), plan.found.at(place)
    if not os.path.lexists(here):
        return True
    if not os.path.isfile(here) or digest_of(here) != digest_of(there):
        settle_clash(plan, place, choice, (BLAKE3, digest_of(there)), digest_of(here) if os.path.isfile(here) else "")
    return False


def change(plan: SettlePlan, place: str, now: tuple[str, str], choice: Choice) -> None:
    """Let a sound that changed there take the place of the one here, if that is as it was then."""
    here, (kind, digest) = home_of(plan, place), now
    if not os.path.isfile(here):
        return  # it was removed here; what comes there is not ours to bring back
    ours = digest_file(here, kind)
    if ours == digest:
        return
    if ours == plan.then.digests[place][1]:
        plan.waybill.newer.append(Newer(here, plan.found.at(place), kind, digest, ours))
    else:
        settle_clash(plan, place, choice, now, ours)


def settle_clash(plan: SettlePlan, place: str, choice: Choice, now: tuple[str, str], ours: str) -> None:
    """Let a file take the place of another as the person said; else tell that both stay."""
    here, there, (kind, digest) = home_of(plan, place), plan.found.at(place), now
    if place in choice.take and ours:
        plan.waybill.newer.append(Newer(here, there, kind, digest, ours))
    elif place in choice.keep and ours:
        plan.waybill.newer.append(Newer(there, here, kind, ours, digest))
    else:
        plan.clashing[place] = here


def rename(plan: SettlePlan, old: str, new: str) -> None:
    """Let a file that has another name there have it here, if it is as it was; entries follow."""
    before, after = home_of(plan, old), home_of(plan, new)
    kind, digest = plan.then.digests[old]
    if os.path.lexists(after) or not os.path.isfile(before):
        return
    if digest_file(before, kind) == digest:
        plan.waybill.renamed.append(Renamed(before, after))
        for path in (plan.found.at(old), before):
            plan.waybill.relinks.append(Relink(path, after, what=ONE))
