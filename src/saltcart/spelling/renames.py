"""Names that change below a moving folder: where each path from its top comes to lie, and the way back."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property

from msgspec import Struct

from saltcart.system import os

Pairs = tuple[tuple[str, str], ...]
KNOWN: dict[int, tuple[Pairs, Renames]] = {}


class Renames(Struct, frozen=True, dict=True):
    """Paths from the top of a folder, each with its new one.  What lies in a renamed folder goes with it, unless it is
    named itself.
    """

    new: dict[str, str]

    @cached_property
    def old(self) -> dict[str, str]:
        """The old path of each new one."""
        return {new: old for old, new in self.new.items()}

    @cached_property
    def scattered(self) -> dict[str, str]:
        """Those that leave the folder which they lie in, for another of the shelf."""
        return {old: new for old, new in self.new.items() if os.path.dirname(new) != self.place(os.path.dirname(old))}

    def folders(self) -> list[str]:
        """The folders that these come into, each after those above it."""
        found: set[str] = set()
        for new in self.scattered.values():
            while (new := os.path.dirname(new)) and new not in found:
                found.add(new)
        return sorted(found)

    def place(self, path: str) -> str:
        """Where what lies at `path` comes to lie."""
        return looked_up(self.new, path)

    def home(self, path: str) -> str:
        """The opposite: where what comes to lie at `path` lies now."""
        return looked_up(self.old, path)

    def back(self) -> Renames:
        """The same the other way."""
        return Renames(self.old)


def looked_up(known: dict[str, str], path: str) -> str:
    """What `known` says of a path, or of the deepest folder above it that it knows."""
    head, tail = path, ""
    while head and known:
        if head in known:
            return known[head] + tail
        head, _slash, name = head.rpartition("/")
        tail = f"/{name}{tail}"
    return path


def renames_of(pairs: Iterable[tuple[str, str]]) -> Renames:
    """The pairs as a table; known again by the very tuple, because hashing one of thousands takes long."""
    pairs = pairs if isinstance(pairs, tuple) else tuple(pairs)
    known = KNOWN.get(id(pairs))
    if known and known[0] is pairs:
        return known[1]
    if len(KNOWN) > 100:
        KNOWN.clear()
    KNOWN[id(pairs)] = pairs, Renames(dict(pairs))
    return KNOWN[id(pairs)][1]
