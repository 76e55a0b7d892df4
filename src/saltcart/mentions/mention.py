"""What one file says of folders, as it is found: how often it names them, in which forms, and the first spots."""

import re
from collections.abc import Iterable, Iterator, Sequence
from functools import lru_cache

from msgspec import Struct, field

from saltcart.errors import show
from saltcart.mentions.place_forms import PIECE, Hit, PlaceForms

MOST_SPOTS = 5
EXCERPT = 60
PATH_START = re.compile(r"(?<![\w/\\.])(?:file:/|~/|\.{1,2}/|/|\$\w+/|[A-Za-z]:[\\/])")


class Spot(Struct, frozen=True):
    """One place in a file where a folder is named: where, in which form, and what is around it."""

    where: str
    form: str
    text: str


class Mention(Struct):
    """One file that names old places: how often, in which encodings, where, and the first spots.

    All of those are `history`, which speaks of what was, when the file is a `log`.  Some are in sentences (`prose`),
    or in `free` text, which nobody looks for a sound by; `said` are the first of these.  Folders that hold old places
    are named `above` as whole values, which is true still when something in them moves, but its program finds less.
    Some spots are `loose`, by place and form: the path there does not say where it begins.
    Of the folders in `pieces` the name is there as a value of its own: a path may be made of it.
    """

    path: str
    count: int = 0
    history: int = 0
    forms: dict[str, int] = field(default_factory=dict)
    spots: list[Spot] = field(default_factory=list)
    log: bool = False
    prose: int = 0
    free: int = 0
    said: list[Spot] = field(default_factory=list)
    above: list[tuple[str, Spot]] = field(default_factory=list)
    loose: dict[tuple[str, str], int] = field(default_factory=dict)
    pieces: list[str] = field(default_factory=list)

    def paths(self, hits: Iterable[Hit], forms: Sequence[PlaceForms]) -> Iterator[Hit]:
        """The hits that are paths; what may be a piece of one is taken up."""
        for hit in hits:
            if hit.form != PIECE:
                yield hit
            elif forms[hit.place].place not in self.pieces:
                self.pieces.append(forms[hit.place].place)

    def live(self, known: bool = False) -> int:
        """How many may be what a program looks for a sound by; of a file that is `known` to be a ledger, its text is
        not free.
        """
        return max(0, self.count - self.history - self.prose - (0 if known else self.free))

    def add(
        self, place: PlaceForms, where: str, hit: Hit, around: bytes, prose: bool = False, free: bool = False
    ) -> None:
        """Take up one spot that names a place, with what is around it, in a sentence or in free text or not."""
        form, encoding = hit.form, hit.encoding
        if place.alone:
            if not (self.log or prose or free) and all(folder != place.place for folder, _spot in self.above):
                self.above.append((place.place, Spot(where, f"{form}, {encoding}", show(around).strip())))
            return
        self.count += hit.times
        if form in place.loose:
            self.loose[place.place, form] = self.loose.get((place.place, form), 0) + hit.times
        self.history += hit.times * self.log
        self.forms[encoding] = self.forms.get(encoding, 0) + hit.times
        self.prose += hit.times * (prose and not self.log)
        self.free += hit.times * bool(free and not prose and not self.log)
        spots = self.said if prose or free else self.spots
        if len(spots) < MOST_SPOTS and not self.log:
            spots.append(Spot(where, f"{form}, {encoding}", show(around).strip()))


def starts_in_sentence(data: bytes, at: int, place: PlaceForms) -> bool:
    """Whether a path, of which some is at a place in a text, is a part of a sentence."""
    start = max(data.rfind(b"\n", 0, at) + 1, at - place.longest)
    return leads_in(data[start:at])


@lru_cache(maxsize=1024)
def leads_in(before: bytes) -> bool:
    """Whether what is before a path on its line, and the beginning of it, is a part of a sentence."""
    line = before.decode("utf-8", "replace")
    first = max((found.start() for found in PATH_START.finditer(line)), default=len(line))
    from saltcart.mentions.free_text import in_sentence

    return in_sentence(line, first)


def excerpt(data: bytes, at: int) -> bytes:
    """What is around a spot."""
    start = max(data.rfind(b"\n", 0, at) + 1, at - EXCERPT)
    end = data.find(b"\n", at)
    return data[start : min(end if end >= 0 else len(data), at + EXCERPT)].replace(b"\0", b"")
