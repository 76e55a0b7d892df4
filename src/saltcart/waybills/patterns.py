"""Patterns of what travels and what stays: each is compared with a path from a shelf's top, and with each folder on
it; `*` stands for anything.
"""

import re
from collections.abc import Iterable
from fnmatch import fnmatchcase
from glob import escape

from saltcart.own_names import SET_ASIDE


def is_set_aside(path: str) -> bool:
    """Whether something lies in a folder of originals that a trip has set aside: these never travel."""
    return ".set-aside-" in path and any(SET_ASIDE.search(part) for part in path.split("/"))


def matches(path: str, patterns: Iterable[str]) -> bool:
    """Whether `path`, or a folder on it, matches one of `patterns`."""
    patterns = patterns if isinstance(patterns, tuple) else tuple(patterns)
    if not patterns:
        return False
    literal, others = sorted_out(patterns)
    parts = path.split("/")
    steps = {parts[-1], *("/".join(parts[: count + 1]) for count in range(len(parts)))}
    return not literal.isdisjoint(steps) or any(fnmatchcase(step, pattern) for pattern in others for step in steps)


SORTED: dict[int, tuple[tuple[str, ...], frozenset[str], tuple[str, ...]]] = {}


def sorted_out(patterns: tuple[str, ...]) -> tuple[frozenset[str], tuple[str, ...]]:
    """Of patterns, the names of those that match only one, and the others; known again by the very tuple, because
    hashing one of thousands takes long.
    """
    known = SORTED.get(id(patterns))
    if known and known[0] is patterns:
        return known[1:]
    plain = {pattern: re.sub(r"\[([*?[])\]", r"\1", pattern) for pattern in patterns}
    literal = {pattern: name for pattern, name in plain.items() if escape(name) == pattern}
    if len(SORTED) > 100:
        SORTED.clear()
    found = frozenset(literal.values()), tuple(pattern for pattern in patterns if pattern not in literal)
    SORTED[id(patterns)] = (patterns, *found)
    return found
