"""Where in a container the entries lie: paths of names, matched against the place of each value."""

import re
from bisect import bisect_left
from collections.abc import Mapping, Sequence
from typing import AnyStr

from msgspec import Struct

from saltcart.ledgers.codings import Escape
from saltcart.patterns import Pattern
from saltcart.spelling import Spelling, spelling_named

XML_BASE = "@xml:base"
NUMBER = "<number>"  # digits in a name of a path


class Parts(Struct, frozen=True):
    """Where in a value the paths are: between separators, or where the group `path` of a pattern matches."""

    separator: str = ""
    piece: Pattern | None = None

    def spans(self, value: str) -> list[tuple[int, int]]:
        """Start and end of each path, blanks around those of a list left out."""
        if self.piece:
            return list(self.piece.spans(value))
        spans, start = [], 0
        for part in value.split(self.separator):
            lead = len(part) - len(part.lstrip())
            if part.strip():
                spans.append((start + lead, start + lead + len(part.strip())))
            start += len(part) + len(self.separator)
        return spans

    def of(self, value: str) -> list[str]:
        """The paths in a value."""
        return [value[start:end] for start, end in self.spans(value)]


class At(Struct, frozen=True):
    """Values at one place are entries.

    `at` is a path of names with `/` between them, `*` for any one name and `**` for any number
    of them.  `base_at` is the place, above or beside it, of the folder the entries start from.
    With `parts` one value holds several paths, or a path is a piece of it.  With `keys` the paths are the
    names of what is at that place, not its values.  With `any_case` the names of places may be written in any.
    """

    at: str
    spelling: Spelling
    names: str = "file"
    base_at: str | None = None
    parts: Parts | None = None
    keys: bool = False
    any_case: bool = False


def must_match(pattern: re.Pattern[AnyStr], text: AnyStr, place: int) -> re.Match[AnyStr]:
    """The match of a pattern that fits anywhere (it may be empty) or of which a parser has seen that it fits here."""
    found = pattern.match(text, place)
    if found is None:
        raise ValueError(f"cannot be read at {place}")
    return found


class Matcher:
    """Finds the rule for a place; each place is matched once, because there are few kinds of them."""

    def __init__(self, rules: Sequence[At]):
        bases = [
            At(rule.base_at, base_spelling(rule.spelling), "folder", any_case=rule.any_case)
            for rule in rules
            if rule.base_at
        ]
        # What a map says of a folder itself goes before what its being a base says.
        self.rules = [(pattern_of(rule.at, rule.any_case), rule) for rule in [*rules, *bases]]
        self.named = [one for one in self.rules if one[1].keys]
        self.rules = [one for one in self.rules if not one[1].keys]
        self.bases = {rule.base_at for rule in rules if rule.base_at}
        self.known: dict[str, At | None] = {}

    def __call__(self, place: str) -> At | None:
        """The first rule that names `place`."""
        if place not in self.known:
            self.known[place] = next((rule for pattern, rule in self.rules if pattern.fullmatch(place)), None)
        return self.known[place]

    def key(self, place: str) -> At | None:
        """The first rule that wants the name of what is at `place`."""
        return next((rule for pattern, rule in self.named if pattern.fullmatch(place)), None)


def base_spelling(spelling: Spelling) -> Spelling:
    """How a folder is written that paths of that spelling start from: a URI for URIs, else by its looks."""
    return spelling if spelling.name.startswith("uri") else spelling_named("auto")


def pattern_of(path: str, any_case: bool = False) -> re.Pattern[str]:
    """The pattern for places that a path of names means."""
    parts = [
        ".*" if part == "**" else re.escape(part).replace(r"\*", "[^/]*").replace(NUMBER, "[0-9]+")
        for part in path.strip("/").split("/")
    ]
    flags = re.DOTALL | (re.IGNORECASE if any_case else 0)
    return re.compile("/".join(parts).replace(".*/", "(?:.*/)?").replace("/.*", "(?:/.*)?"), flags)


def parted(raw: str, parts: Parts | None, escape: Escape) -> list[tuple[int, int]]:
    """Start and end in `raw` of each path in a value, which is parted as it reads without escapes."""
    if parts is None:
        return [(0, len(raw))]
    if not any(mark in raw for mark in escape.marks):
        return parts.spans(raw)
    signs = escape.signs.findall(raw)
    places = [0]
    for sign in signs:
        places += [places[-1] + len(sign)] * max(1, len(escape.mean(sign)))
    return [(places[start], places[end]) for start, end in parts.spans("".join(map(escape.mean, signs)))]


class Bases:
    """Which folder each path starts from, when folders are in places of their own.

    Of the values at `base_at` it is the one that shares the innermost holder with the path: its record, its section,
    the whole file; of several there the one before it, else the first.  `holders` are numbers of what a value is
    in, from the outermost.  An `xml:base` holds only for its own element, and may start from one further out (XML
    Base 1.1, section 4).
    """

    def __init__(self, rule_for: Matcher):
        self.wanted = rule_for.bases
        self.folders: dict[str, dict[int, list[int]]] = {base: {} for base in self.wanted}
        self.waiting: list[tuple[int, str, tuple[int, ...]]] = []

    def note(self, number: int, rule: At, holders: tuple[int, ...]) -> None:
        """Take up the value with that number."""
        if rule.at in self.wanted:
            for holder in holders[-1:] if rule.at.endswith(XML_BASE) else (0, *holders):
                self.folders[rule.at].setdefault(holder, []).append(number)
        if rule.base_at:
            self.waiting.append((number, rule.base_at, holders[:-1] if rule.at == rule.base_at else holders))

    def settled(self) -> dict[int, int]:
        """The number of the base of each value that has one."""
        return {
            number: base
            for number, base_at, holders in self.waiting
            if (base := self.nearest(number, self.folders[base_at], (0, *holders))) is not None
        }

    @staticmethod
    def nearest(number: int, folders: Mapping[int, Sequence[int]], holders: tuple[int, ...]) -> int | None:
        """The base of one value."""
        for holder in reversed(holders):
            if some := folders.get(holder):
                return some[max(0, bisect_left(some, number) - 1)]
        return None
