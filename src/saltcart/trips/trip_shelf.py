"""A shelf on its trip: the plan's shelf, with what the logbook records of it."""

from collections.abc import Callable, Iterable, Iterator
from typing import Any

from saltcart.drives.drive import mount_of
from saltcart.own_names import set_aside_name
from saltcart.system import os
from saltcart.trips.facts import ShelfFact, shelf_fact
from saltcart.trips.logbook import Logbook
from saltcart.trips.records import Row
from saltcart.waybills.shelf import ChosenFiles, Shelf

Marks = Iterable[tuple[str, str, str | None, str | None, bool]]  # path, state, digest, why, and whether it was there


class TripShelf:
    """One shelf of the trip called `trip`; `number` is what the logbook knows it by."""

    def __init__(self, log: Logbook, trip: str, number: int, shelf: Shelf):
        self.log, self.trip, self.number, self.shelf = log, trip, number, shelf

    def rows(self, *states: str, kind: str | None = None) -> Iterator[Row]:
        """Its things in the order of their paths, folders before what is in them; see Logbook.rows."""
        return self.log.rows(self.number, *states, kind=kind)

    def digests(self) -> Iterator[tuple[str, int, str]]:
        """Path, size and digest of each file that has one."""
        return ((path, size, digest) for path, _kind, size, digest in self.log.brief(self.number) if digest)

    def totals(self, *states: str) -> tuple[int, int]:
        """How many files it has in these states, in any when none is given, and their bytes."""
        return self.log.totals(self.number, *states)

    def mark(self, marks: Marks) -> None:
        """Record new states of its things; see Logbook.mark."""
        self.log.mark(self.number, marks)

    def waiting(self) -> set[str]:
        """The paths of copies that wait for the switch under another name."""
        return {path for _number, path in self.log.waiting(self.number)}

    def place(self, row: Row) -> str:
        """Where one of its things comes to lie."""
        return self.shelf.place(row.item.path)

    @property
    def aside(self) -> str:
        """Where its originals are set aside: a hidden name beside it, on its own drive."""
        parent, name = os.path.split(self.shelf.old)
        if isinstance(self.shelf, ChosenFiles) and mount_of(self.shelf.old) == self.shelf.old:
            parent = self.shelf.old  # beside it is another drive
        return os.path.join(parent, set_aside_name(name, self.trip))

    def fact(self, name: ShelfFact, default: Any = None) -> Any:
        """A fact that is recorded of it."""
        return self.log.value(shelf_fact(name, self.number), default)

    def record(self, name: ShelfFact, value: Any) -> None:
        """Record a fact of it."""
        self.log.put_values({shelf_fact(name, self.number): value})

    @property
    def made(self) -> list[str]:
        """The folders at the new place that the haul made, the outer ones first, so that an undo removes them."""
        return list(self.fact(ShelfFact.MADE, [] if self.shelf.along else [self.shelf.new]))

    def add_made(self, folders: Iterable[str]) -> None:
        """Record that the haul is about to make these folders."""
        self.record(ShelfFact.MADE, list(dict.fromkeys([*self.fact(ShelfFact.MADE, []), *folders])))

    @property
    def manifest(self) -> tuple[str, str] | None:
        """Path and digest of the manifest that the trip wrote beside its copy; None where it wrote none."""
        path, digest = self.fact(ShelfFact.MANIFEST, ("", ""))
        return (path, digest) if path else None

    def relocate(self, follow: Callable[[str], str]) -> None:
        """Let what is recorded of its new place be where `follow` says that is now."""
        if made := self.fact(ShelfFact.MADE):
            self.record(ShelfFact.MADE, [follow(path) for path in made])
        if self.manifest:
            path, digest = self.manifest
            self.record(ShelfFact.MANIFEST, [follow(path), digest])
