"""The sounds of a collection on their way home: new, newer, and under other names."""

from collections.abc import Iterable, Sequence
from glob import escape
from typing import NamedTuple

from msgspec.structs import asdict

from saltcart.carrying.agreement import BACK
from saltcart.carrying.stands import SettlePlan
from saltcart.drives import drive_of
from saltcart.drives.limits import allowed
from saltcart.safefile import digest_of
from saltcart.shelves.digests import BLAKE3, digest_file
from saltcart.spelling.moves import above, lies_in
from saltcart.system import os
from saltcart.waybills.collection import CarriedShelf, Collection
from saltcart.waybills.new_place import landing_drive
from saltcart.waybills.newer import Newer, Renamed
from saltcart.waybills.relinks import ONE, Relink
from saltcart.waybills.shelf import ChosenFiles, Folder


class Choice(NamedTuple):
    """Of what changed on both sides, the places in the collection that hold, and those of which what is here does."""

    take: Sequence[str]
    keep: Sequence[str]


def named_again(shelf: CarriedShelf, home: str) -> tuple[tuple[str, str], ...]:
    """The names that the drive of the collection could not keep and the one here can, as renames on the way here."""
    if not shelf.renames:
        return ()
    limits = landing_drive(home).limits
    return tuple((new, old) for old, new in shelf.renames if not allowed(os.path.basename(old), limits).what)


def of_these(shelf: Folder, names: Iterable[str]) -> ChosenFiles:
    """Only the files of a shelf with these names."""
    return ChosenFiles(**{**asdict(shelf), "only": tuple(map(escape, names))})


def carried_home(found: Collection, name: str, place: str, home: str) -> Folder:
    """A shelf of the collection on its way to its place here."""
    old = found.at(place)
    drives = drive_of(old).identity, landing_drive(home).identity
    return Folder(name, old, home, *drives, leave="original")


def is_known(plan: SettlePlan, place: str) -> bool:
    """Whether a shelf of the collection is here already, so that only what changed in it comes."""
    return plan.way == BACK or (place in plan.then.whole and os.path.isdir(plan.homes[place]))


class SoundsHome:
    """New, changed and renamed sounds of shelves that are known here, on their way into a plan, where nothing else
    is in their way.
    """

    def __init__(self, plan: SettlePlan, choice: Choice):
        self.plan, self.choice, self.found, self.waybill = plan, choice, plan.found, plan.waybill
        self.names: dict[str, dict[str, str]] = {}  # by shelf, what files are called here
        self.shelves = {one.place: one for one in plan.found.shelves}
        known = (one for one in self.shelves if is_known(plan, one) and one not in plan.unasked)
        self.ours = dict.fromkeys(known)

    def add(self) -> None:
        """Let all come that can."""
        for shelf in self.ours:
            self.add_new(shelf)
            for old, new in self.plan.sounds.renamed.get(shelf, {}).items():
                self.rename(f"{shelf}/{old}", f"{shelf}/{new}")
        for place, now in self.plan.sounds.changed.items():
            if lies_in(place, self.ours) or (place in self.plan.homes and place not in self.plan.unasked):
                self.change(place, now)

    def home_of(self, place: str) -> str:
        """Where a file at a place of the collection is here."""
        if place in self.plan.homes:
            return self.plan.homes[place]
        shelf = next(self.shelves[one] for one in above(place) if one in self.shelves)
        home, name = self.plan.homes[shelf.place], place[len(shelf.place) + 1 :]
        if shelf.place not in self.names:
            self.names[shelf.place] = dict(named_again(shelf, home))
        return f"{home}/{self.names[shelf.place].get(name, name)}"

    def add_new(self, shelf: str) -> None:
        """Let the new files of a shelf come."""
        names = [name for name in self.plan.sounds.new.get(shelf, []) if self.comes(f"{shelf}/{name}")]
        if names:
            self.plan.coming[shelf] = names
            way = carried_home(self.found, f"new in {shelf}", shelf, self.plan.homes[shelf])
            self.waybill.shelves.append(of_these(way, names))

    def comes(self, place: str) -> bool:
        """Whether a new file comes here; another of its name is in its way, or the same is here already."""
        here, there = self.home_of(place), self.found.at(place)
        if not os.path.lexists(here):
            return True
        ours, theirs = digest_of(here) if os.path.isfile(here) else "", digest_of(there)
        if ours != theirs:
            self.settle_clash(place, (BLAKE3, theirs), ours)
        return False

    def change(self, place: str, now: tuple[str, str]) -> None:
        """Let a sound that changed there take the place of the one here, if that is as it was then."""
        here, (kind, digest) = self.home_of(place), now
        if not os.path.isfile(here):
            return  # it was removed here; what comes there is not ours to bring back
        ours = digest_file(here, kind)
        if ours == digest:
            return
        if ours == self.plan.then.digests[place][1]:
            self.waybill.newer.append(Newer(here, self.found.at(place), kind, digest, ours))
        else:
            self.settle_clash(place, now, ours)

    def settle_clash(self, place: str, now: tuple[str, str], ours: str) -> None:
        """Let a file take the place of another as the person said; else tell that both stay."""
        here, there, (kind, digest) = self.home_of(place), self.found.at(place), now
        if place in self.choice.take and ours:
            self.waybill.newer.append(Newer(here, there, kind, digest, ours))
        elif place in self.choice.keep and ours:
            self.waybill.newer.append(Newer(there, here, kind, ours, digest))
        else:
            self.plan.clashing[place] = here

    def rename(self, old: str, new: str) -> None:
        """Let a file that has another name there have it here, if it is as it was; entries follow."""
        before, after = self.home_of(old), self.home_of(new)
        kind, digest = self.plan.then.digests[old]
        if os.path.lexists(after) or not os.path.isfile(before):
            return
        if digest_file(before, kind) == digest:
            self.waybill.renamed.append(Renamed(before, after))
            for path in (self.found.at(old), before):
                self.waybill.relinks.append(Relink(path, after, what=ONE))
