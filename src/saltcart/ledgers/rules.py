"""Where in a container the entries lie: paths of names, matched against the place of each value."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import AnyStr

from saltcart.spelling import Spelling, spelling_named


@dataclass(frozen=True, slots=True)
class At:
    """Values at one place are entries.

    `at` is a path of names with `/` between them, `*` for any one name and `**` for any number
    of them.  `base_at` is the place, above or beside it, of the folder the entries start from.
    With a `separator` one value is a list of paths.
    """

    at: str
    spelling: Spelling
    names: str = "file"
    base_at: str | None = None
    separator: str | None = None


def must_match(pattern: re.Pattern[AnyStr], text: AnyStr, place: int) -> re.Match[AnyStr]:
    """The match of a pattern that fits anywhere (it may be empty) or of which a parser has seen that it fits here."""
    found = pattern.match(text, place)
    if found is None:
        raise ValueError(f"cannot be read at {place}")
    return found


class Matcher:
    """Finds the rule for a place; each place is matched once, for there are few kinds of them."""

    def __init__(self, rules: Sequence[At]):
        bases = [At(rule.base_at, base_spelling(rule.spelling), "folder") for rule in rules if rule.base_at]
        self.rules = [(pattern_of(rule.at), rule) for rule in [*bases, *rules]]
        self.known: dict[str, At | None] = {}

    def __call__(self, place: str) -> At | None:
        """The first rule that names `place`."""
        if place not in self.known:
            self.known[place] = next((rule for pattern, rule in self.rules if pattern.fullmatch(place)), None)
        return self.known[place]


def base_spelling(spelling: Spelling) -> Spelling:
    """How a folder is spelt that paths of that spelling start from: a URI for URIs, else by its looks."""
    return spelling if spelling.name.startswith("uri") else spelling_named("auto")


def pattern_of(path: str) -> re.Pattern[str]:
    """The pattern for places that a path of names means."""
    parts = [".*" if part == "**" else re.escape(part).replace(r"\*", "[^/]*") for part in path.strip("/").split("/")]
    return re.compile("/".join(parts).replace(".*/", "(?:.*/)?").replace("/.*", "(?:/.*)?"), re.DOTALL)


def parted(value: str, separator: str | None) -> list[tuple[int, int]]:
    """Start and end of each path in a value, blanks around list parts left out."""
    if not separator:
        return [(0, len(value))]
    spans, start = [], 0
    for part in value.split(separator):
        lead = len(part) - len(part.lstrip())
        if part.strip():
            spans.append((start + lead, start + lead + len(part.strip())))
        start += len(part) + len(separator)
    return spans
