"""The folders that are looked for by one anchor, and by what is around it their names."""

import unicodedata
from collections.abc import Iterator, Sequence
from itertools import islice
from re import Pattern, compile
from typing import NamedTuple

from saltcart.mentions.place_forms import Name, PlaceForms, in_small_letters
from saltcart.mentions.plain_forms import plain_forms, tables
from saltcart.spelling.moves import tail_below

MOST_RESTS = 40  # what may follow one anchor; of more, one after the other takes longer than it saves
BREAKS = (b"\0", b"\n", b"\r")  # at which a path ends, unless a folder has one in its name


class Ending(NamedTuple):
    """A name of folder `number`, cut where its anchor begins."""

    number: int
    left: str
    right: str
    name: Name


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


def candidates(endings: Endings, before: str, after: str) -> Iterator[Ending]:
    """The names that may be around an anchor, by the texts before it and from it on."""
    for length, table in endings.items():
        lefts = table.get(after[:length].casefold())
        for width, by_left in lefts.items() if lefts else ():
            yield from by_left.get(before[-width:].casefold() if width else "", ())
