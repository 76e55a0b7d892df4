"""One shelf of a trip: what of a folder travels, and where to."""

import re
from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from fnmatch import fnmatchcase
from functools import lru_cache
from glob import escape
from typing import Annotated

from msgspec import Struct

from saltcart.own_names import SET_ASIDE, STAGED
from saltcart.shelves import archive
from saltcart.shelves.audio import is_material
from saltcart.shelves.walk import FILE, FOLDER, Item, Trouble, ignore, walk
from saltcart.spelling import Move
from saltcart.spelling.renames import Renames, renames_of
from saltcart.system import os
from saltcart.toml.kinds import OUTSIDE_FILE, AnyPath, FullPath, Pair, Shown, one_of

MOST_TOPS = 100  # folders that are searched for by their own names where their shelf is divided
MOST_SOUGHT = 20  # files that are searched for by their own names
# How a waybill calls what is called otherwise here.
IN_FILES = {"old": "from", "new": "to", "old_drive": "from_drive", "new_drive": "to_drive", "renames": "rename"}


class Shelf(Struct, frozen=True, rename=IN_FILES):
    """One shelf of a trip.  A pattern is compared with the path from the shelf's top and with each folder on it; `*`
    stands for anything.
    """

    name: Shown
    old: FullPath  # the folder, the file, or the archive
    new: FullPath
    old_drive: str  # identity
    new_drive: str
    care: Annotated[str, one_of("own", "replaceable")] = "own"
    leave: Annotated[str, one_of("nothing", "signpost", "original")] = "nothing"  # at the old place
    stay: tuple[AnyPath, ...] = ()  # patterns of what does not travel
    only: tuple[AnyPath, ...] = ()  # patterns of what alone travels
    renames: tuple[Pair, ...] = ()  # old and new paths, for names that the new drive cannot hold
    gathered: Annotated[bool, OUTSIDE_FILE] = False  # a single file from elsewhere, which is copied; its original stays
    entries: Annotated[str, one_of("rewrite", "keep")] = "rewrite"  # keep: ledgers still refer to the old place
    files: bool = False  # only the files in `only` travel, each separately, to join others at the new place
    archive: bool = False  # what is in it travels
    post: FullPath = ""  # another place that gets a link to the new one

    @property
    def original_stays(self) -> bool:
        """Whether the originals are not set aside: what is at the new place is a copy of them."""
        return self.gathered or self.archive or self.leave == "original"

    @property
    def source(self) -> str:
        """Identifies where its things come from; parts of one archive differ by where they go."""
        return self.new if self.archive else self.old

    @property
    def stays_at(self) -> str:
        """The folder that is there at the old place, whatever becomes of the shelf."""
        return self.old if self.files else os.path.dirname(self.old)

    def sought(self) -> list[tuple[str, str]]:
        """What is looked for by name where it may be named, with the new place of each: the shelf, or the chosen files
        while they are few.
        """
        if self.gathered or self.archive:
            return []  # whoever names the original goes on finding it
        if not self.files or len(self.only) > MOST_SOUGHT:
            return [(self.old, self.new)]
        return [(f"{self.old}/{name}", self.place(name)) for name in sorted(sorted_out(self.only)[0])]

    def takes(self, path: str) -> bool:
        """Whether what lies at `path`, from the shelf's top, travels."""
        if matches(path, self.stay) or is_set_aside(path) or STAGED.search(path):
            return False
        if self.files:  # a pattern would mean files of that name in any folder
            return path in sorted_out(self.only)[0]
        return not self.only or matches(path, self.only)

    def walk(self, trouble: Trouble = ignore) -> Iterator[Item]:
        """What travels of the shelf as it lies at its old place; folders only where something in them does."""
        return self.sift(self.everything(trouble))

    def everything(self, trouble: Trouble = ignore) -> Iterator[Item]:
        """All that lies in the shelf at its old place."""
        return archive.items(self.old) if self.archive else walk(self.old, trouble)

    def sift(self, items: Iterable[Item]) -> Iterator[Item]:
        """Of the things of a walk, those that travel; with `only`, a folder waits until something in it does."""
        names = renames_of(self.renames)
        if names.scattered:
            yield from without_emptied(self.sift_by_patterns(items), names)
        else:
            yield from self.sift_by_patterns(items)

    def sift_by_patterns(self, items: Iterable[Item]) -> Iterator[Item]:
        """The same before names change."""
        if not self.stay and not self.only:
            yield from (item for item in items if not is_set_aside(item.path))
            return
        waiting: dict[str, Item] = {}
        for item in items:
            if self.only and item.kind == FOLDER and not matches(item.path, self.stay):
                waiting[item.path] = item
            elif not item.path or self.takes(item.path):
                parts = item.path.split("/")
                above = ["", *("/".join(parts[:count]) for count in range(1, len(parts)))]
                yield from (waiting.pop(folder) for folder in above if folder in waiting)
                yield item

    def moves(self) -> Iterator[Move]:
        """The shelf itself as a move; nothing names what is still in an archive."""
        if self.archive:
            return
        takes = travelling(self) if self.stay or self.only else None
        yield Move(self.old, self.new, takes, renames_of(self.renames) if self.renames else None)

    def place(self, path: str) -> str:
        """Where what lies at `path`, from the shelf's top, comes to lie."""
        path = renames_of(self.renames).place(path) if self.renames else path
        return f"{self.new}/{path}" if path else self.new

    def home(self, path: str) -> str:
        """The opposite: the path from the shelf's top of what lies at `path` below its new place."""
        return renames_of(self.renames).home(path) if self.renames else path


@lru_cache(maxsize=64)
def travelling(shelf: Shelf) -> Callable[[str], bool]:
    """What tells of a path from the top of a divided shelf whether it travels.

    A folder does when all that lies in it does; else its name goes on meaning what stays there.
    """
    known: dict[str, bool] = {}

    def travels(path: str) -> bool:
        path = path.rstrip("/")
        if path not in known:
            folder_of_files = shelf.files and os.path.isdir(f"{shelf.old}/{path}")  # which others go on standing in
            known[path] = not folder_of_files and (shelf.takes(path) or not path) and not stays_in_part(shelf, path)
        return known[path]

    return travels


def without_emptied(items: Iterable[Item], names: Renames) -> Iterator[Item]:
    """The things of a walk without the folders of which everything goes into others: they are not made anew."""
    waiting: dict[str, Item] = {}
    emptied: set[str] = set()
    for item in items:
        if item.kind == FOLDER and item.path:
            waiting[item.path] = item
            continue
        parts = item.path.split("/")
        above = ["/".join(parts[:count]) for count in range(1, len(parts))]
        if item.path in names.scattered:
            emptied.update(above)
        else:
            yield from (waiting.pop(folder) for folder in above if folder in waiting)
        yield item
    yield from (waiting[path] for path in sorted(waiting.keys() - emptied))


def taken(shelf: Shelf, path: str) -> bool:
    """Whether what lies at `path` from the top of a shelf is taken along, or is a folder."""
    return not path or shelf.takes(path) or os.path.isdir(f"{shelf.old}/{path}")


def stays_in_part(shelf: Shelf, path: str) -> bool:
    """Whether something that programs look for stays in the folder at `path`, from the shelf's top; settings and litter
    that stay are no reason for its name not to follow the sounds.
    """
    place, lead = (f"{shelf.old}/{path}", path + "/") if path else (shelf.old, "")
    return os.path.isdir(place) and any(
        item.kind == FILE and is_material(item.path) and not shelf.takes(lead + item.path)
        for item in walk(place)
        if not is_set_aside(item.path)
    )


def divided(shelf: Shelf) -> tuple[list[str], list[str]]:
    """Of a shelf of which a part stays, when it lies at its new place: folders that something has left, and those at
    the new place which never came there.
    """
    left: list[str] = []
    vain: list[str] = []
    waiting = [""] if shelf.stay or shelf.only else []
    while waiting and len(left) + len(vain) < MOST_TOPS:
        inner = waiting.pop()
        went, stayed = folders_in(shelf.place(inner)), folders_in(f"{shelf.old}/{inner}".rstrip("/"))
        gone = {shelf.home(f"{inner}/{name}".lstrip("/")) for name in went}
        for path in sorted(gone | {f"{inner}/{name}".lstrip("/") for name in stayed}):
            old, new = f"{shelf.old}/{path}", shelf.place(path)
            if os.path.isdir(old) and os.path.isdir(new) and not os.path.islink(old):
                waiting.append(path)
            (left if os.path.isdir(new) else vain).append(old if os.path.isdir(new) else new)
    return left, vain


def folders_in(place: str) -> list[str]:
    """The names of the folders in a place; none when it is not there."""
    with suppress(OSError), os.scandir(place) as entries:
        return [entry.name for entry in entries if entry.is_dir(follow_symlinks=False)]
    return []


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
    """Of patterns, the names that those mean which match one alone, and the others; known again by the very tuple, for
    to hash one of thousands takes long.
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
