"""Finding many folders in bytes at once: the cost follows the content, not how many folders are looked for.

Folders that share an anchor are looked for together.  Where it is, the commonest forms are recognised only by the
bytes around it; else these are decoded once in each way, and what follows the anchor says in a table which names may
be there.
"""

import unicodedata
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from functools import lru_cache
from itertools import islice
from re import Pattern, compile
from typing import NamedTuple

from saltcart.mentions.automaton import Automaton
from saltcart.mentions.place_forms import (
    AFTER,
    DRIVE_PATH,
    FULL,
    HEAD,
    LETTER,
    PATH_SIGN,
    PIECE,
    Hit,
    Name,
    PlaceForms,
    alike,
    begins,
    counted,
    ends,
    in_small_letters,
    is_binary,
    lettered,
    stands_alone,
)
from saltcart.mentions.plain_forms import Plain, plain_forms, standing, tables
from saltcart.mentions.readings import is_utf8, line_around, nearby, readings
from saltcart.spelling.moves import tail_below

MOST_RESTS = 40  # what may follow one anchor; of more, one after the other takes longer than it saves
FOLDERS = 64  # of which names are remembered
WITHIN = 3  # bytes, within which two anchors are of one mention
BREAKS = (b"\0", b"\n", b"\r")  # at which a path ends, unless a folder has one in its name
MOST_LINES = 4096  # of which is remembered what they name
BELOW = compile(rb"/[^/.%\\& \t]")  # how something below a folder begins
LONGEST_COUNTED = 1 << 14  # bytes of a text whose length may be before it


class Ending(NamedTuple):
    """A name of folder `number`, cut where its anchor begins."""

    number: int
    left: str
    right: str
    name: Name


class Line(NamedTuple):
    """What is before an anchor and from it on, as far as it matters; and whether the content nearby is ASCII, and
    UTF-8.
    """

    before: bytes
    after: bytes
    ascii: bool
    utf8: bool


Lefts = dict[int, dict[str, list[Ending]]]  # by how long what is before the anchor is, and that without case
Endings = dict[int, dict[str, Lefts]]  # by how long what follows is, and that without case


class Names(NamedTuple):
    """What files in one folder may write: which folders they may name at all, and the names by what they end with."""

    active: set[int]
    endings: Endings


class Group:
    """The folders that are looked for by one anchor."""

    def __init__(self, raw: bytes, wide: bool, escaped: bool, numbers: Sequence[int], forms: Sequence[PlaceForms]):
        self.raw, self.wide, self.escaped, self.numbers = raw, wide, escaped, numbers
        self.places = [(number, forms[number]) for number in numbers]
        self.longest = max(one.longest for _number, one in self.places)
        texts = "".join(name.text for _number, one in self.places for name in one.all_names)
        self.breaks = [sign for sign in BREAKS if sign.decode() not in texts]
        rests = {mark.rest for _number, one in self.places for mark in one.anchors if mark.raw == raw}
        some = b"|".join(sorted(rests)) if b"" not in rests and len(rests) <= MOST_RESTS else b""
        self.rest: Pattern[bytes] | None = compile(some) if some else None
        self.plain = {} if wide else tables(raw, ((number, plain_forms(one)) for number, one in self.places))
        self.passes = tables(raw, ((number, dict.fromkeys(one.passes, "")) for number, one in self.places))
        self.rivals = rivals(self.places)
        self.codes = dict.fromkeys(code for _number, one in self.places for code in one.codes)

    def goes_on(self, low: bytes, end: int) -> bool:
        """Whether no other name is seen to be there, which has the anchor too: it ends at `end`."""
        return self.rest is None or self.rest.match(low, end) is not None


def rivals(places: Sequence[tuple[int, PlaceForms]]) -> dict[int, set[int]]:
    """For each folder those whose names continue from the anchor as its own does, up to the shorter end; itself is
    one.
    """
    cuts = [(number, cut_of(one, name)) for number, one in places for name in one.all_names]
    by_way: dict[str, set[int]] = {}
    for number, cut in cuts:
        if cut:
            by_way.setdefault(cut[1].casefold(), set()).add(number)
    ways = sorted(by_way)
    alike_ways: dict[str, set[int]] = dict(by_way)  # folders with the same name share one set: there may be thousands
    for at, way in enumerate(ways):
        for other in islice(ways, at + 1, None):
            if not other.startswith(way):
                break  # in this order, those that begin so are together
            alike_ways[way] = alike_ways[way] | by_way[other]
            alike_ways[other] = alike_ways[other] | by_way[way]
    found: dict[int, set[int]] = {}
    for number, cut in cuts:
        if cut:
            some = alike_ways[cut[1].casefold()]
            found[number] = some if found.get(number, some) is some else found[number] | some
    return found


def cut_of(one: PlaceForms, name: Name) -> tuple[str, str] | None:
    """A name before its anchor, and from it on, in one form of accents; None when it has none."""
    text = unicodedata.normalize("NFC", name.text)
    at = in_small_letters(text).rfind(one.anchor) if one.anchor else text.rfind(unicodedata.normalize("NFC", one.base))
    return (text[:at], text[at:]) if at >= 0 else None


class Finder:
    """What is looked for, made ready."""

    def __init__(self, forms: Sequence[PlaceForms]):
        self.forms = forms
        shared: defaultdict[tuple[bytes, bool, bool], list[int]] = defaultdict(list)
        for number, one in enumerate(forms):
            for mark in one.anchors:
                shared[mark.raw, mark.wide, mark.escaped].append(number)
        self.groups = [Group(*key, list(dict.fromkeys(numbers)), forms) for key, numbers in shared.items()]
        self.literals: defaultdict[bytes, list[Plain]] = defaultdict(list)
        for number, one in enumerate(forms):
            for raw, encoding in one.literal.items() if one.names else ():
                self.literals[raw].append(Plain(number, encoding))
        self.anchors = Automaton([group.raw for group in self.groups])
        self.as_it_is = Automaton(list(self.literals), longest=True)
        self.here = lru_cache(maxsize=FOLDERS)(self.names_in)
        self.known: dict[tuple[str | None, int, Line], list[Hit]] = {}  # by folder, group, and what is on the line

    def names_in(self, folder: str | None) -> list[Names]:
        """For each group the names that files in `folder` may write."""
        return [names_of(group.places, folder) for group in self.groups]

    def hits(self, which: int, spot: "Spot", names: Names, folder: str | None) -> Iterable[Hit]:
        """The folders that are named around a spot of a group; lists say the same on very many lines."""
        line = spot.line()
        if line is None:
            return spot.hits(names)
        key = (folder, which, line)
        if (known := self.known.get(key)) is None:
            if len(self.known) >= MOST_LINES:
                self.known.clear()
            known = self.known[key] = list(spot.hits(names))
        return [hit._replace(at=spot.at) for hit in known]


def names_of(places: Sequence[tuple[int, PlaceForms]], folder: str | None) -> Names:
    """The names of some folders that files in `folder` may write."""
    found: Endings = {}
    active: set[int] = set()
    for number, one in places:
        if not one.names and (folder is None or tail_below(folder, one.within) is None):
            continue
        active.add(number)
        for name in [*one.names_from(folder), *(one.piece if one.names else ())]:
            if cut := cut_of(one, name):
                lefts = found.setdefault(len(cut[1]), {}).setdefault(cut[1].casefold(), {})
                same = lefts.setdefault(len(cut[0]), {}).setdefault(cut[0].casefold(), [])
                same.append(Ending(number, *cut, name))
    return Names(active, found)


@lru_cache(maxsize=8)
def finder_of(forms: tuple[PlaceForms, ...]) -> Finder:
    """What is looked for of some folders, made ready once."""
    return Finder(forms)


def find(
    data: bytes, forms: Sequence[PlaceForms], folder: str | None = None, binary: bool | None = None
) -> Iterator[Hit]:
    """Every spot in `data`, content of a file in `folder`, that names one of the folders.

    `binary` says what the file is, when this is not its beginning.
    """
    finder = finder_of(tuple(forms))
    here: list[Names] = []
    last: dict[int, int] = {}
    low, wide, escaped = data.lower(), b"\0" in data, b"%" in data
    absent = [sign for sign in BREAKS if sign not in data]
    for which, at, end in finder.anchors.spots(low):
        group = finder.groups[which]
        if (group.wide and not wide) or (group.escaped and not escaped) or not group.goes_on(low, end):
            continue
        binary = is_binary(data[:HEAD]) if binary is None else binary
        here = here or finder.here(folder)
        for hit in finder.hits(which, Spot(data, low, at, group, forms, binary, absent), here[which], folder):
            if hit.form == PIECE or abs(at - last.get(hit.place, -WITHIN)) >= WITHIN:
                yield hit  # else the same, of which an escape is escaped
            if hit.form != PIECE:
                last[hit.place] = at
    for which, at, _end in finder.as_it_is.spots(data):
        for number, encoding in finder.literals[finder.as_it_is.runs[which]]:
            yield Hit(at, number, FULL, encoding)


class Spot(NamedTuple):
    """One anchor in some bytes, `low` in small letters."""

    data: bytes
    low: bytes
    at: int
    group: Group
    forms: Sequence[PlaceForms]
    binary: bool
    absent: Sequence[bytes] = ()  # breaks that are nowhere in the bytes

    @property
    def breaks(self) -> list[bytes]:
        """At what a path ends here."""
        return [sign for sign in self.group.breaks if sign not in self.absent]

    def line(self) -> "Line | None":
        """What of the content decides which folders are named here; None when more than a line may.

        Of what is below the folder nothing does.
        """
        data, at, most = self.data, self.at, self.group.longest
        if self.binary or self.group.wide:
            return None
        first, last = line_around(data, at, most, self.breaks)
        slash = data.find(b"/", at, last)
        if slash >= 0 and BELOW.match(data, slash, last):
            last = slash + 2
        near = nearby(data, at, most)
        return Line(data[first:at], data[at:last], near.isascii(), is_utf8(near))

    def hits(self, names: Names) -> Iterator[Hit]:
        """The folders that are named around it."""
        done: set[int] = set()
        if self.group.passes:  # names of new places
            done.update(one.number for one, _start, _end in standing(self.low, self.at, self.group.passes))
        open_ones = set().union(*(self.group.rivals.get(number, ()) for number in done)) if done else None
        for (number, encoding), start, end in standing(self.data, self.at, self.group.plain):
            if number in names.active and number not in done and self.is_named(self.forms[number], start, end):
                yield Hit(self.at, number, FULL, encoding)
                done.add(number)
                more = self.group.rivals.get(number, set())
                open_ones = open_ones | more if open_ones else more
        if open_ones is None or not open_ones <= done:
            yield from self.decoded(names, done)

    def is_named(self, one: PlaceForms, start: int, end: int) -> bool:
        """Whether what is there, which is the full path of a folder, is that and no longer path."""
        data = self.data
        if self.binary and end - start < LONGEST_COUNTED and counted(data, start, end - start):
            return True
        if not ends(data[end : end + AFTER].decode("utf-8", "replace"), one):
            return False
        if one.alone and not stands_alone(data[max(0, start - 8) : start], data[end : end + 8], self.binary):
            return False
        before = data[max(0, start - 2) : start]
        return not before or not PATH_SIGN.match(chr(before[-1])) or before.endswith(b"//") or self.binary

    def decoded(self, names: Names, done: set[int]) -> Iterator[Hit]:
        """The folders that are named in some other way; those that are `done` are not asked about."""
        group = self.group
        pieces: dict[int, str] = {}
        for encoding, before, after in readings(
            self.data, self.at, group.longest, group.wide, self.breaks, group.codes
        ):
            for one in candidates(names.endings, before, after):
                if one.number in done or not self.is_one(one, before, after):
                    continue
                if one.name.form == PIECE:
                    pieces.setdefault(one.number, encoding)
                else:
                    yield Hit(self.at, one.number, one.name.form, encoding)
                    done.add(one.number)
            if ":/" in before and (lead := DRIVE_PATH.search(before)):
                for number in names.active - done:
                    if lettered(lead[1], after, self.forms[number]):
                        yield Hit(self.at, number, LETTER, encoding)
                        done.add(number)
        yield from (Hit(self.at, number, PIECE, encoding) for number, encoding in pieces.items() if number not in done)

    def is_one(self, one: Ending, before: str, after: str) -> bool:
        """Whether what is around the anchor is that name, and no longer path."""
        number, left, right, name = one
        place, wide = self.forms[number], self.group.wide
        folds = place.folds_case or name.form == LETTER
        if not alike(before[-len(left) :] if left else "", left, folds) or not alike(after[: len(right)], right, folds):
            return False
        rest, lead = after[len(right) :], before[: len(before) - len(left)]
        signs = len(left) + len(right)
        if wide and self.binary and counted(self.data, self.at - 2 * len(left), 2 * signs, signs):
            return True
        piece = name.form == PIECE
        if not (ends(rest, place) and (piece or begins(lead, name, rest, self.binary))):
            return False
        sides = [text.encode("utf-8", "surrogatepass") for text in (lead[-8:], rest[:8])]
        return not (place.alone or piece) or stands_alone(sides[0], sides[1], self.binary)


def candidates(endings: Endings, before: str, after: str) -> Iterator[Ending]:
    """The names that may be around an anchor, by the texts before it and from it on."""
    for length, table in endings.items():
        lefts = table.get(after[:length].casefold())
        for width, by_left in lefts.items() if lefts else ():
            yield from by_left.get(before[-width:].casefold() if width else "", ())
