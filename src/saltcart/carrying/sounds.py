"""The sounds of a collection against those here: what is new there, changed, renamed, gone, or damaged.

A file is told from what it was the last time that this computer and the collection agreed.  One that differs from its
manifest has either been edited since, and is newer than the collection then, or it is damaged.
"""

from collections.abc import Mapping, Sequence
from datetime import datetime

from msgspec import Struct, field

from saltcart.carrying.agreement import Then
from saltcart.hauling.workers import Reading
from saltcart.judging.judgements import MISSING
from saltcart.progress import Progress
from saltcart.proving.contents import ReadWatch, altered
from saltcart.proving.results import FileProblem
from saltcart.shelves import manifest
from saltcart.shelves.audio import header_trouble, kind_of
from saltcart.shelves.digests import digest_file
from saltcart.shelves.headers import cut_off
from saltcart.shelves.oddities import litter
from saltcart.shelves.walk import FILE, walk
from saltcart.spelling.moves import tail_below
from saltcart.system import os
from saltcart.waybills.collection import CarriedShelf, Collection

Known = tuple[str, str]  # kind of a digest, and the digest


class Sounds(Struct):
    """What became of the sounds in a collection: `problems` are files that are missing or damaged.  By the place of
    their shelf, `new` ones came on the way, `gone` ones are not there any more, and `renamed` ones have another name.
    Of `changed` ones there is the place with what they are now.  Files `beside` the shelves are nobody's.
    """

    problems: list[FileProblem] = field(default_factory=list)
    new: dict[str, list[str]] = field(default_factory=dict)
    gone: dict[str, list[str]] = field(default_factory=dict)
    renamed: dict[str, dict[str, str]] = field(default_factory=dict)
    changed: dict[str, Known] = field(default_factory=dict)
    beside: list[str] = field(default_factory=list)


class Looking:
    """The work of looking at every file of a collection."""

    def __init__(self, found: Collection, then: Then, progress: Progress):
        self.found, self.then, self.progress = found, then, progress
        self.sounds = Sounds()
        self.now: dict[str, Known] = {}  # what each file is, by its place, if its manifest says so
        self.wanted: list[tuple[Reading, str]] = []
        self.ledgers = {one.place for one in found.ledgers}
        self.items: dict[str, dict[str, int]] = {}

    def run(self) -> Sounds:
        """Read every file that was carried, and tell what became of all."""
        for shelf in self.found.shelves:
            self.list_shelf(shelf)
        for one in self.found.files:
            self.want(one.place, (one.kind, one.digest), "was gathered, but is not there")
        self.read()
        for shelf in self.found.shelves:
            self.compare(shelf)
        for one in self.found.files:
            self.changed_since(one.place)
        tops = [shelf.place for shelf in self.found.shelves]
        self.sounds.beside = [self.found.at(place) for place in beside(self.found, tops) if place not in self.ledgers]
        return self.sounds

    def list_shelf(self, shelf: CarriedShelf) -> None:
        """Take down what is in a shelf, and what its manifest says of it."""
        top = self.found.at(shelf.place)
        items = {item.path: item.size for item in walk(top) if item.kind == FILE} if os.path.isdir(top) else {}
        self.items[shelf.place] = items
        kind = manifest.kind_of_manifest(top)
        if not kind:
            why = "its manifest is not there, so nothing of it can be verified"
            self.sounds.problems.append(FileProblem(top, MISSING, why))
            return
        for name, digest in manifest.read(top, kind):
            self.want(f"{shelf.place}/{name}", (kind, digest), "is in the manifest, but not there")

    def want(self, place: str, known: Known, why: str) -> None:
        """Take down what a file was when it was carried."""
        path = self.found.at(place)
        if os.path.isfile(path):
            self.wanted.append((Reading(place, path, os.path.getsize(path), known[0]), known[1]))
            self.now[place] = known
        elif place not in self.then.digests:
            self.sounds.problems.append(FileProblem(path, MISSING, why))

    def read(self) -> None:
        """Read all files, and tell those that were edited from damaged ones."""
        places = {reading.place: reading.path for reading, _digest in self.wanted}
        watch = ReadWatch("verify the collection", sum(one.size for one, _digest in self.wanted), self.progress)
        for problem in altered(self.wanted, watch):
            place = places.get(problem.path, "")
            if place and edited(problem.path, self.found.made):
                kind = self.now[place][0]
                self.now[place] = kind, digest_file(problem.path, kind)
            else:
                self.sounds.problems.append(problem)
                self.now.pop(place, None)

    def compare(self, shelf: CarriedShelf) -> None:
        """Tell what is new in a shelf, changed, renamed or gone since this computer knew it."""
        names = self.items[shelf.place]
        known = self.then.names(shelf.place)
        before = {name for name in names if f"{shelf.place}/{name}" in self.now} if known is None else known
        fresh = [name for name in names if name not in before and f"{shelf.place}/{name}" not in self.ledgers]
        fresh = [name for name in fresh if not litter(os.path.basename(name)) and not is_hidden(name)]
        gone = sorted(name for name in before if name not in names and f"{shelf.place}/{name}" not in self.ledgers)
        renamed = self.renamed(shelf.place, gone, fresh)
        for kind, found in (
            (self.sounds.new, sorted(set(fresh) - set(renamed.values()))),
            (self.sounds.gone, [name for name in gone if name not in renamed]),
        ):
            if found:
                kind[shelf.place] = found
        if renamed:
            self.sounds.renamed[shelf.place] = renamed
        for name in names:
            self.changed_since(f"{shelf.place}/{name}")

    def renamed(self, place: str, gone: Sequence[str], fresh: Sequence[str]) -> dict[str, str]:
        """Old and new names of files of one content, where just one is gone and one is new."""
        if not gone or not fresh:
            return {}
        kinds = {self.then.digests[f"{place}/{name}"][0] for name in gone}
        pairs: dict[str, str] = {}
        for kind in kinds:
            old = by_digest({name: self.then.digests[f"{place}/{name}"] for name in gone}, kind)
            new = by_digest({name: self.digest(f"{place}/{name}", kind) for name in fresh}, kind)
            pairs |= {old[digest]: new[digest] for digest in old.keys() & new.keys()}
        return pairs

    def digest(self, place: str, kind: str) -> Known:
        """What a file is now, by a kind of digest."""
        known = self.now.get(place)
        return known if known and known[0] == kind else (kind, digest_file(self.found.at(place), kind))

    def changed_since(self, place: str) -> None:
        """Tell a file that is not what this computer knew, or, where it knew none, what was carried."""
        now, then = self.now.get(place), self.then.digests.get(place)
        if now and then and place not in self.ledgers and self.digest(place, then[0]) != then:
            self.sounds.changed[place] = self.digest(place, then[0])


def by_digest(known: Mapping[str, Known], kind: str) -> dict[str, str]:
    """Names by digests of one kind; a digest that several have tells nothing."""
    names: dict[str, list[str]] = {}
    for name, (its, digest) in known.items():
        if its == kind:
            names.setdefault(digest, []).append(name)
    return {digest: found[0] for digest, found in names.items() if len(found) == 1}


def edited(path: str, made: str) -> bool:
    """Whether a file that is not what was carried has been written to since, and is whole: damage changes no time."""
    try:
        newer = os.stat(path).st_mtime >= datetime.fromisoformat(made).timestamp()
    except (OSError, ValueError, OverflowError):
        return False
    return newer and (kind_of(path) is None or not (header_trouble(path) or cut_off(path)))


def is_hidden(path: str) -> bool:
    """Whether a file, or a folder on the way to it, is hidden: nobody looks for sounds there."""
    return any(part.startswith(".") for part in path.split("/"))


def beside(found: Collection, tops: Sequence[str]) -> list[str]:
    """The places of sounds and ledgers in a collection that lie in none of its shelves, and that nobody carried."""
    known = {place for _name, place in found.maps} | {one.place for one in found.files}
    known |= {one.place for one in found.lists} | {one.place for one in found.gone}
    places = [item.path for item in walk(found.top) if item.kind == FILE]
    return [
        place
        for place in places
        if place not in known and all(tail_below(f"/{place}", f"/{top}") is None for top in tops) and kind_of(place)
    ]
