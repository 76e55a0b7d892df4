"""The shelves of a trip: what of a folder, a list of files or an archive travels, and where to.

There are four kinds, which differ in what travels, what becomes of the originals, and whom the new place belongs to.
Where code does one thing for one kind and another for the next it is a `match` over `Shelf` that ends in
`assert_never`; what can be asked of any kind is here.
"""

from collections.abc import Callable, Iterable, Iterator
from functools import lru_cache
from typing import Annotated, ClassVar, Self

from msgspec import Struct
from msgspec.structs import replace

from saltcart.own_names import STAGED
from saltcart.shelves import archive
from saltcart.shelves.audio import is_material
from saltcart.shelves.walk import FILE, FOLDER, Item, Trouble, ignore, walk
from saltcart.spelling import Move
from saltcart.spelling.renames import Renames, renames_of
from saltcart.system import os
from saltcart.toml.kinds import AnyPath, FullPath, Pair, Shown, one_of
from saltcart.waybills.patterns import is_set_aside, matches, sorted_out

MOST_SOUGHT = 20  # files that are searched for by their own names
# How a waybill calls what is called otherwise here.
IN_FILES = {"old": "from", "new": "to", "old_drive": "from_drive", "new_drive": "to_drive", "renames": "rename"}


class Decided(Struct, frozen=True, rename=IN_FILES):
    """What a plan decides of a shelf, whatever its kind."""

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
    entries: Annotated[str, one_of("rewrite", "keep")] = "rewrite"  # keep: ledgers still refer to the old place
    post: FullPath = ""  # another place that gets a link to the new one


class AnyShelf(Decided, frozen=True):
    """What every kind of shelf answers."""

    in_folder: ClassVar[bool] = True  # whether it lies in a folder of its own at the old place, and is searched for
    along: ClassVar[bool] = False  # whether it only comes along with what a person chose
    packed: ClassVar[bool] = False  # whether what travels is in an archive, so that no file of it has been there

    @property
    def original_stays(self) -> bool:
        """Whether the originals are not set aside: what is at the new place is a copy of them."""
        return self.leave == "original"

    @property
    def divided(self) -> bool:
        """Whether something in its folder may stay there, so that it goes piece by piece."""
        return bool(self.stay or self.only)

    @property
    def source(self) -> str:
        """Identifies where its things come from; parts of one archive differ by where they go."""
        return self.old

    @property
    def stays_at(self) -> str:
        """The folder that is there at the old place, whatever becomes of the shelf."""
        return os.path.dirname(self.old)

    @property
    def own_folder(self) -> str:
        """The folder at the new place in which nothing but the shelf is expected; "" where it joins others."""
        return self.new

    @property
    def landing_folder(self) -> str:
        """The folder at the new place that its things are put into."""
        return self.new

    def is_there(self) -> bool:
        """Whether there is something of its kind at the old place."""
        return os.path.isdir(self.old)

    def sought(self) -> list[tuple[str, str]]:
        """What is looked for by name where it may be named, with the new place of each."""
        return [(self.old, self.new)]

    def takes(self, path: str) -> bool:
        """Whether what lies at `path`, from the shelf's top, travels."""
        return self.may_travel(path) and (not self.only or matches(path, self.only))

    def may_travel(self, path: str) -> bool:
        """Whether nothing keeps what lies at `path` where it is."""
        return not (matches(path, self.stay) or is_set_aside(path) or STAGED.search(path))

    def without(self, patterns: Iterable[str]) -> Self:
        """The shelf, of which what matches the patterns stays."""
        return replace(self, stay=(*self.stay, *patterns))

    def parts_with(self, path: str) -> bool:
        """Whether something that programs look for stays in the folder at `path`; settings and litter that stay are no
        reason for its name not to follow the sounds.
        """
        place, lead = (f"{self.old}/{path}", path + "/") if path else (self.old, "")
        return os.path.isdir(place) and any(
            item.kind == FILE and is_material(item.path) and not self.takes(lead + item.path)
            for item in walk(place)
            if not is_set_aside(item.path)
        )

    def walk(self, trouble: Trouble = ignore) -> Iterator[Item]:
        """What travels of the shelf as it lies at its old place; folders only where something in them does."""
        return self.sift(self.everything(trouble))

    def everything(self, trouble: Trouble = ignore) -> Iterator[Item]:
        """All that lies in the shelf at its old place."""
        return walk(self.old, trouble)

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
        """The shelf itself as a move."""
        takes = travelling(self) if self.stay or self.only else None
        yield Move(self.old, self.new, takes, renames_of(self.renames) if self.renames else None)

    def place(self, path: str) -> str:
        """Where what lies at `path`, from the shelf's top, comes to lie."""
        path = renames_of(self.renames).place(path) if self.renames else path
        return f"{self.new}/{path}" if path else self.new

    def home(self, path: str) -> str:
        """The opposite: the path from the shelf's top of what lies at `path` below its new place."""
        return renames_of(self.renames).home(path) if self.renames else path


class Folder(AnyShelf, frozen=True):
    """A folder: all that is in it, or what patterns leave of that."""


class ChosenFiles(AnyShelf, frozen=True):
    """Only the files of a folder that `only` names, each separately; they join others at the new place."""

    @property
    def divided(self) -> bool:
        """See AnyShelf."""
        return True

    @property
    def stays_at(self) -> str:
        """See AnyShelf."""
        return self.old

    @property
    def own_folder(self) -> str:
        """See AnyShelf."""
        return ""

    def names(self) -> frozenset[str]:
        """The paths of the files from the top of their folder; a pattern would mean files of that name in any."""
        return sorted_out(self.only)[0]

    def sought(self) -> list[tuple[str, str]]:
        """Its folder, or the files themselves while they are few."""
        if len(self.only) > MOST_SOUGHT:
            return super().sought()
        return [(f"{self.old}/{name}", self.place(name)) for name in sorted(self.names())]

    def takes(self, path: str) -> bool:
        """See AnyShelf."""
        return self.may_travel(path) and path in self.names()

    def parts_with(self, path: str) -> bool:
        """See AnyShelf: other files go on lying in every folder."""
        return os.path.isdir(f"{self.old}/{path}") or super().parts_with(path)


class StayingFile(AnyShelf, frozen=True):
    """A file that lies somewhere and stays there."""

    in_folder = False

    @property
    def original_stays(self) -> bool:
        """See AnyShelf."""
        return True

    def is_there(self) -> bool:
        """See AnyShelf."""
        return os.path.isfile(self.old)

    def sought(self) -> list[tuple[str, str]]:
        """Nothing: whoever refers to the original still finds it."""
        return []


class CopiedFile(StayingFile, frozen=True):
    """A single file from elsewhere that comes along; its original stays."""

    along = True

    @property
    def own_folder(self) -> str:
        """See AnyShelf."""
        return ""

    @property
    def landing_folder(self) -> str:
        """See AnyShelf."""
        return os.path.dirname(self.new)

    def without(self, patterns: Iterable[str]) -> Self:
        """Itself: patterns mean what lies in folders."""
        return self


class UnpackedArchive(StayingFile, frozen=True):
    """What is in an archive, which stays until its release; nobody refers to what is still packed."""

    packed = True

    @property
    def source(self) -> str:
        """See AnyShelf."""
        return self.new

    def everything(self, trouble: Trouble = ignore) -> Iterator[Item]:
        """See AnyShelf."""
        return archive.items(self.old)

    def moves(self) -> Iterator[Move]:
        """None, since nothing names what is still packed."""
        return iter(())


Shelf = Folder | ChosenFiles | CopiedFile | UnpackedArchive


@lru_cache(maxsize=64)
def travelling(shelf: AnyShelf) -> Callable[[str], bool]:
    """What tells of a path from the top of a divided shelf whether it travels.

    A folder does when all that lies in it does; else its name still means what stays there.
    """
    known: dict[str, bool] = {}

    def travels(path: str) -> bool:
        path = path.rstrip("/")
        if path not in known:
            known[path] = (shelf.takes(path) or not path) and not shelf.parts_with(path)
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
