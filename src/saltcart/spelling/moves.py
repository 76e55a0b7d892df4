"""Where a path goes when shelves move: prefixes compared by component, never by character."""

from collections.abc import Callable, Container, Iterable, Iterator, Mapping
from functools import cached_property, partial
from itertools import islice
from types import MappingProxyType
from typing import NamedTuple

from msgspec import Struct

from saltcart.spelling.renames import Renames


class Move(Struct, frozen=True):
    """One folder (or file) that goes from the absolute path `old` to the absolute path `new`.

    `takes` says of a path below it whether it goes along; by default everything does.  Some `names` below it change on
    the way.
    """

    old: str
    new: str
    takes: Callable[[str], bool] | None = None
    names: Renames | None = None

    @property
    def whole(self) -> bool:
        """Whether each folder below it goes along with all that is in it."""
        return self.takes is None and not (self.names and self.names.scattered)

    def place(self, tail: str) -> str | None:
        """The new place of the path `tail` below it; None when that stays."""
        if self.takes and not self.takes(tail):
            return None
        return joined(self.new, self.names.place(tail) if self.names else tail)

    def reversed(self) -> "Move":
        """The same folder, the other way."""
        if self.names is None:
            return Move(self.new, self.old, self.takes)
        back = self.names.back()
        return Move(self.new, self.old, self.takes and partial(takes_home, self.takes, back), back)


def plain(path: str) -> str:
    """`path` without doubled slashes, `.` parts and a slash at its end; `..` stays, because only the drive knows where
    it leads.
    """
    if "//" not in path and "/." not in path and path[:1] == "/" != path[-1:]:
        return path  # as nearly all are
    parts = [part for part in path.split("/") if part not in ("", ".")]
    lead = "/" if path.startswith("/") else ""
    return lead + "/".join(parts) or "."


def tail_below(path: str, folder: str) -> str | None:
    """What follows `folder` in `path`: "" for the folder itself, None when it is not in there.

    Both are absolute.  A path that climbs with `..` is never taken as inside.
    """
    path, folder = plain(path), plain(folder).rstrip("/")
    if path == (folder or "/"):
        return ""
    if not path.startswith(folder + "/"):
        return None
    tail = path[len(folder) + 1 :]
    return None if ".." in tail.split("/") else tail


def above(path: str) -> Iterator[str]:
    """A path without detours and the folders that it lies in, the deepest first; to find one among very many."""
    while path not in ("", "/"):
        yield path
        path = path.rpartition("/")[0] or "/" * path.startswith("/")
    yield from ("/",) * (path == "/")


def holder(path: str, folders: Container[str]) -> str | None:
    """Which of the folders a path without detours is, or lies in: the deepest."""
    return next((one for one in above(path) if one in folders), None)


def lies_in(path: str, folders: Container[str]) -> bool:
    """Whether a path without detours is one of the folders, or lies in one."""
    return holder(path, folders) is not None


def joined(folder: str, tail: str) -> str:
    """`tail` below `folder`; the folder itself for an empty tail."""
    return f"{folder.rstrip('/')}/{tail}" if tail else folder


def takes_home(takes: Callable[[str], bool], back: Renames, tail: str) -> bool:
    """Whether what lies at the path `tail` below a new place came there by the move."""
    return takes(back.place(tail))


class Aims(NamedTuple):
    """Folders that entries of one ledger shall name from now on, by those that they name: `levels` take what starts
    from there with them, `new_things` are where a program puts what comes next.
    """

    levels: Mapping[str, str] = MappingProxyType({})
    new_things: Mapping[str, str] = MappingProxyType({})


class Moves:
    """Several folders that move together; for a path below two of them the deeper one counts that takes it, and before
    them all what is said of `exact` paths.
    """

    def __init__(self, moves: Iterable[Move], exact: Mapping[str, str] = MappingProxyType({})):
        self.exact = exact
        self.moves = sorted(moves, key=lambda move: len(move.old), reverse=True)
        self.by_top: dict[str, list[Move]] = {}
        for move in self.moves:
            self.by_top.setdefault(plain(move.old).rstrip("/") or "/", []).append(move)
        self.tops = tuple(self.by_top)
        self.last: tuple[str, str | None] = "", None  # one path is asked for several times, one after the other

    def covers(self, path: str) -> bool:
        """Whether `path`, as it is written, is one of the moving folders or lies below one."""
        return self.follow(path) is not None

    def follow(self, path: str) -> str | None:
        """The new place of the absolute `path`, or None when it does not move."""
        if path != self.last[0]:
            self.last = path, self.new_place(plain(path))
        return self.last[1]

    def new_place(self, path: str) -> str | None:
        """The same, looked for."""
        if path in self.exact:
            return self.exact[path]
        if not path.startswith(self.tops):
            return None
        for move, tail in self.holding(path):
            if (place := move.place(tail)) is not None:
                return place
        return None

    def holding(self, path: str) -> Iterator[tuple[Move, str]]:
        """The moves of folders at or above a path, the deepest first, with the rest of the path."""
        for top in above(plain(path).rstrip("/") or "/"):
            for move in self.by_top.get(top, ()):
                if (tail := tail_below(path, move.old)) is not None:
                    yield move, tail

    def reaches(self, path: str) -> bool:
        """Whether the absolute `path` is one of the folders, or lies in one, even if it stays there."""
        return path in self.exact or any(True for _one in self.holding(path))

    def alone(self, path: str) -> Move | None:
        """The only move that says what becomes of the absolute `path` and of everything else below its folder, all
        names kept, but for `exact` paths if it `takes` not all; None when there is no such.
        """
        if path in self.exact:
            return None
        for move, tail in self.holding(path):
            if tail:
                top = plain(move.old).rstrip("/") or "/"
                others = len(self.by_top[top]) > 1 or top in self.divided
                return None if move.names or others or (not move.takes and top in self.partly) else move
        return None

    @cached_property
    def divided(self) -> set[str]:
        """The folders in which one lies that moves by itself."""
        return {folder for top in self.tops for folder in islice(above(top), 1, None)}

    @cached_property
    def partly(self) -> set[str]:
        """The folders in which something has a place of its own."""
        return {folder for path in self.exact for folder in above(plain(path))}

    def reversed(self) -> "Moves":
        """The same folders, the other way."""
        return Moves(move.reversed() for move in self.moves)


def outermost(folders: Iterable[str]) -> list[str]:
    """The folders without those that lie in others, in the order of their names."""
    found: list[str] = []
    for folder in sorted(set(folders), key=lambda one: one.split("/")):  # in this order, what a folder holds follows it
        if not (found and tail_below(folder, found[-1]) is not None):
            found.append(folder)
    return found
