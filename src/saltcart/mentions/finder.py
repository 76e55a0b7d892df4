"""Finding many folders in bytes at once: the cost follows the content, not how many folders are looked for.

Folders that share an anchor are looked for together.  Where it is, the commonest forms are recognised only by the
bytes around it; else these are decoded once in each way, and what follows the anchor says in a table which names may
be there.
"""

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import lru_cache
from re import compile
from typing import NamedTuple

from saltcart.mentions import mention
from saltcart.mentions.automaton import Automaton
from saltcart.mentions.groups import Ending, Group, Names, candidates, names_of
from saltcart.mentions.place_forms import (
    AFTER,
    DRIVE_PATH,
    FULL,
    HEAD,
    LETTER,
    PATH_SIGN,
    PICKLED,
    PIECE,
    Hit,
    PlaceForms,
    alike,
    begins,
    counted,
    counted_wide,
    ends,
    is_binary,
    lettered,
    stands_alone,
)
from saltcart.mentions.plain_forms import Plain, standing
from saltcart.mentions.readings import is_utf8, line_around, readings, told_by

FOLDERS = 64  # of which names are remembered
WITHIN = 3  # bytes, within which two anchors are of one mention
MOST_LINES = 4096  # of which is remembered what they name
MOST_SHAPES = 32  # of lines, by their lengths
# How something below a folder begins: with a sign that is itself, or the first byte of a letter in UTF-8, escaped.
BELOW = compile(rb"/(?:[^/.%\\& \t]|%[89A-Fa-f][0-9A-Fa-f])")
LONGEST_COUNTED = 1 << 14  # bytes of a text whose length may be before it


Together = list[tuple[int, int, int]]  # anchors that are near each other: their groups, and from and up to where
Key = tuple[object, ...]  # all that decides which folders are named somewhere in a text
Shape = tuple[int, int, int, int]  # of a line: the group and number of its spots, how much is before them, its length


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
        self.known: dict[Key, list[Hit]] = {}

    def names_in(self, folder: str | None) -> list[Names]:
        """For each group the names that files in `folder` may write."""
        return [names_of(group.places, folder) for group in self.groups]

    def named(self, text: "Text", together: Together) -> Iterator[Hit]:
        """The folders that are named around anchors that are near each other."""
        last: dict[int, int] = {}
        names = self.here(text.folder)
        for which, at, end in together:
            group = self.groups[which]
            if not group.goes_on(text.low, end):
                continue
            for hit in Spot(text, at, group, self.forms).hits(names[which]):
                if hit.form == PIECE or abs(at - last.get(hit.place, -WITHIN)) >= WITHIN:
                    yield hit  # else the same, of which an escape is escaped
                if hit.form != PIECE:
                    last[hit.place] = at

    def named_again(self, text: "Text", at: int, together: Together) -> list[Hit]:
        """As `named`, for a piece of a text that begins `at` some place: lists say the same on very many lines."""
        inside = [(which, spot - at, end - at) for which, spot, end in together]
        key = text.folder, text.data, text.near, *inside
        if (known := self.known.get(key)) is None:
            if len(self.known) >= MOST_LINES:
                self.known.clear()
            known = self.known[key] = list(self.named(text, inside))
        return [hit._replace(at=hit.at + at) for hit in known]


class Text(NamedTuple):
    """Bytes that are looked through, also in small letters, of a file in `folder`; some of them are `binary`.  Of a
    piece, whether what is `near` it is ASCII, and UTF-8.
    """

    data: bytes
    low: bytes
    folder: str | None
    binary: bool = False
    near: tuple[bool, bool] | None = None


@lru_cache(maxsize=8)
def finder_of(forms: tuple[PlaceForms, ...]) -> Finder:
    """What is looked for of some folders, made ready once."""
    return Finder(forms)


def find(
    data: bytes,
    forms: Sequence[PlaceForms],
    folder: str | None = None,
    binary: bool | None = None,
    part: tuple[int, int] | None = None,
) -> Iterator[Hit]:
    """Every spot in `data`, content of a file in `folder`, that names one of the folders; of many lines that say the
    same, up to what is in the folder, all but the first few as one hit that counts so many times.

    `binary` says what the file is, when this is not its beginning; only what begins in `part` is told.
    """
    finder = finder_of(tuple(forms))
    text = Text(data, data.lower(), folder, is_binary(data[:HEAD]) if binary is None else binary)
    first, last = part or (0, len(data))
    spots = clusters(finder.anchors.spots(text.low), first, last)
    if text.binary or b"\0" in data:
        for together in spots:
            yield from finder.named(text, together)
    else:
        yield from counted_once(finder, text, spots)
    for which, at, _end in finder.as_it_is.spots(data):
        for number, encoding in finder.literals[finder.as_it_is.runs[which]] if first <= at < last else ():
            yield Hit(at, number, FULL, encoding)


def clusters(spots: Iterable[tuple[int, int, int]], first: int, last: int) -> Iterator[Together]:
    """The spots, in their order, with those that are within some bytes of each other together; of these what begins
    from `first` on and before `last`.
    """
    together: Together = []
    for spot in spots:
        if together and spot[1] - together[-1][1] >= WITHIN:
            if first <= together[0][1] < last:
                yield together
            together = []
        together.append(spot)
    if together and first <= together[0][1] < last:
        yield together


class Line(NamedTuple):
    """What decides which folders are named on a line: the group and number of spots near each other, how much of the
    line is before them, what is told by what is near, and the line up to what is in the folder.
    """

    group: int
    lead: int
    spots: int
    near: tuple[bool, bool] | None
    piece: bytes


class Lines:
    """The lines of a text around spots: lists say the same on very many.

    A line that was met before is known again by its bytes, without looking for where it begins and ends.
    """

    def __init__(self, finder: Finder, data: bytes):
        self.data, self.plain = data, is_utf8(data)
        self.bounds = [(group.longest, [sign for sign in group.breaks if sign in data]) for group in finder.groups]
        self.known: dict[Shape, dict[bytes, Line]] = {}

    def around(self, together: Together) -> Line:
        """The line around spots that are near each other."""
        which, at, _end = together[0]
        for (group, spots, lead, length), pieces in self.known.items():
            first = at - lead
            alike = group == which and spots == len(together) and first >= 0
            if alike and (line := pieces.get(self.data[first : first + length])):
                return line
        return self.looked_for(together)

    def looked_for(self, together: Together) -> Line:
        """The same, by the signs at which lines break."""
        which, at, _end = together[0]
        (most, breaks), data = self.bounds[which], self.data
        first, last = line_around(data, at, most, breaks)
        slash = data.find(b"/", together[-1][1], last)
        below = BELOW.match(data, slash, last) if slash >= 0 else None
        if below:
            last = below.end()
        near = None if self.plain else told_by(data, at, most)
        line = Line(which, at - first, len(together), near, data[first:last])
        # Only what breaks at both ends, or ends in the folder, is a line by itself wherever it stands.
        if near is None and data[first : first + 1] in breaks and (below or data[last - 1 : last] in breaks):
            self.remember((which, len(together), at - first, last - first), line)
        return line

    def remember(self, shape: Shape, line: Line) -> None:
        """Know a line again; a few shapes at a time, because each is tried at every spot."""
        if len(self.known) >= MOST_SHAPES or len(self.known.get(shape, ())) >= MOST_LINES:
            self.known.clear()
        self.known.setdefault(shape, {})[line.piece] = line


def counted_once(finder: Finder, text: Text, spots: Iterable[Together]) -> Iterator[Hit]:
    """The hits in a text, of those that have the same line up to what is in the folder only the first ones singly."""
    lines = Lines(finder, text.data)
    met: dict[Line, list[Hit]] = {}
    times: dict[Line, int] = {}
    for together in spots:
        line = lines.around(together)
        count = times.get(line, 0) + 1
        if count == 1 and len(times) >= MOST_LINES:  # of a text that hardly says the same twice
            yield from counted_together(met, times)
            met.clear()
            times.clear()
        times[line] = count
        if count <= mention.MOST_SPOTS:
            first = together[0][1] - line.lead
            met[line] = finder.named_again(piece_of(text, line), first, together)
            yield from met[line]
    yield from counted_together(met, times)


def counted_together(met: Mapping[Line, Sequence[Hit]], times: Mapping[Line, int]) -> Iterator[Hit]:
    """What has been `met` more often than it was told singly."""
    for key, count in times.items():
        if (more := count - mention.MOST_SPOTS) > 0:
            yield from (hit._replace(times=more) for hit in met[key])


def piece_of(text: Text, line: Line) -> Text:
    """A line of a text, which is UTF-8 if it is not said what is near."""
    piece = line.piece
    return Text(piece, piece.lower(), text.folder, near=line.near or (piece.isascii(), True))


class Spot(NamedTuple):
    """One anchor in a text."""

    text: Text
    at: int
    group: Group
    forms: Sequence[PlaceForms]

    def hits(self, names: Names) -> Iterator[Hit]:
        """The folders that are named around it."""
        done: set[int] = set()
        if self.group.passes:  # names of new places
            done.update(one.number for one, _start, _end in standing(self.text.low, self.at, self.group.passes))
        open_ones = set().union(*(self.group.rivals.get(number, ()) for number in done)) if done else None
        for (number, encoding), start, end in standing(self.text.data, self.at, self.group.plain):
            if number in names.active and number not in done and self.is_named(self.forms[number], start, end):
                yield Hit(self.at, number, FULL, encoding)
                done.add(number)
                more = self.group.rivals.get(number, set())
                open_ones = open_ones | more if open_ones else more
        if open_ones is None or not open_ones <= done:
            yield from self.decoded(names, done)

    def is_named(self, one: PlaceForms, start: int, end: int) -> bool:
        """Whether what is there, which is the full path of a folder, is that and no longer path."""
        data, binary = self.text.data, self.text.binary
        if binary and end - start < LONGEST_COUNTED and counted(data, start, end - start):
            return True
        if not ends(data[end : end + AFTER].decode("utf-8", "replace"), one):
            return False
        if one.alone and not stands_alone(data[max(0, start - 8) : start], data[end : end + 8], binary):
            return False
        before = data[max(0, start - 5) : start].decode("latin-1")
        apart = before.endswith("//") or PICKLED.search(before)
        return not before or not PATH_SIGN.match(before[-1]) or bool(apart) or binary

    def decoded(self, names: Names, done: set[int]) -> Iterator[Hit]:
        """The folders that are named in some other way; those that are `done` are not asked about."""
        group, data = self.group, self.text.data
        pieces: dict[int, str] = {}
        near = self.text.near or told_by(data, self.at, group.longest)
        for encoding, before, after in readings(data, self.at, group, near):
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

    def is_counted(self, left: str, right: str) -> bool:
        """Whether the length of a text is before it, of which `right` begins with the anchor."""
        if self.group.wide:
            return counted_wide(self.text.data, self.at, left, right)
        first, end = (text.encode("utf-8", "surrogateescape") for text in (left, right))
        return counted(self.text.data, self.at - len(first), len(first + end))

    def is_one(self, one: Ending, before: str, after: str) -> bool:
        """Whether what is around the anchor is that name, and no longer path."""
        number, left, right, name = one
        place, wide = self.forms[number], self.group.wide
        folds = place.folds_case or name.form == LETTER
        if not alike(before[-len(left) :] if left else "", left, folds) or not alike(after[: len(right)], right, folds):
            return False
        rest, lead = after[len(right) :], before[: len(before) - len(left)]
        piece = name.form == PIECE
        if self.text.binary and (wide or piece) and self.is_counted(left, right):
            return True
        if not (ends(rest, place) and (piece or begins(lead, name, rest, self.text.binary))):
            return False
        sides = [text.encode("utf-8", "surrogatepass") for text in (lead[-8:], rest[:8])]
        return not (place.alone or piece) or stands_alone(sides[0], sides[1], self.text.binary)
