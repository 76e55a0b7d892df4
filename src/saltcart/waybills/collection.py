"""A collection that travels: what its `carried.toml` says of where everything in it came from.

It lies at the top of the collection, and all places in it start from there, so that it holds wherever the drive is
mounted.
"""

from collections import Counter
from collections.abc import Mapping, Sequence
from contextlib import suppress
from typing import Annotated

from msgspec import Struct, field
from msgspec.structs import replace

from saltcart.own_names import neighbour_of
from saltcart.safefile import remove_if_there
from saltcart.shelves.digests import BLAKE3, SHA256
from saltcart.system import os
from saltcart.toml.kinds import OUTSIDE_FILE, AnyPath, FullPath, InnerPath, Pair, Shown, keys, one_of

NAME = "carried.toml"
READ_ME = "READ ME.txt"
MOST_KNOWN = 3
# How `carried.toml` calls what is called otherwise here.
IN_FILES = {"source": "from", "source_drive": "from_drive", "renames": "rename", "map_name": "map"}
TABLES = {"shelves": "shelf", "ledgers": "ledger", "files": "file", "maps": "map", "lists": "list"}
NamedMap = Annotated[tuple[str, InnerPath], keys("name", "place")]


class CarriedShelf(Struct, frozen=True, rename=IN_FILES):
    """One shelf: where it lies in the collection, and where it came from on which drive; `renames` are as of Shelf."""

    name: Shown
    place: InnerPath
    source: FullPath
    source_drive: str
    files: int
    bytes: int
    renames: tuple[Pair, ...] = ()


class CarriedLedger(Struct, frozen=True, rename=IN_FILES):
    """One ledger: where it lies, where it came from, and its digest in the collection when it was carried.

    `relative` when its entries are found wherever the drive is mounted; `like` is one as it was written at home, where
    that was a full path; those of the texts `unlike` it were none.  Of its `entries`, `found` were found at home.
    `facts` are sums of what its map knows.
    """

    place: InnerPath
    source: FullPath
    map_name: str
    digest: str
    relative: bool
    entries: int
    found: int
    like: AnyPath = ""
    facts: Mapping[str, int] = field(default_factory=dict)
    unlike: tuple[AnyPath, ...] = ()


class CarriedFile(Struct, frozen=True, rename=IN_FILES):
    """A single file that was gathered."""

    place: InnerPath
    source: FullPath
    kind: Annotated[str, one_of(BLAKE3, SHA256)]
    digest: str


class CarriedList(Struct, frozen=True, rename=IN_FILES):
    """A named list of a database, written as a file: where it lies, whose it is, its name there, its digest."""

    place: InnerPath
    source: FullPath
    name: Shown
    digest: str


class Known(Struct, frozen=True):
    """Where a shelf, a ledger or a single file of the collection is at home for `who`, a user at a machine.

    Of a ledger, `digest` and `home_digest` are what it was in the collection and at home when the two agreed.
    `trip` is the id, at that machine, of what made them agree.
    """

    who: str
    place: InnerPath
    path: FullPath
    digest: str = ""
    home_digest: str = ""
    trip: str = ""


class Gone(Struct, frozen=True):
    """A file of the collection that had vanished at home when it was last brought up to date."""

    place: InnerPath
    kind: Annotated[str, one_of(BLAKE3, SHA256)]
    digest: str


class Collection(Struct, rename=TABLES):
    """All that `carried.toml` says.  `top` is the folder it lies in; `who` made it, user and
    machine, and `home` is the home folder of that user.  Sounds in it have their places by the pattern `arrange`.
    `read_me` is the digest of the words that were written for who finds it.  Others who carried into it before had the
    home folders `homes`.  Files at the places `unread` name sounds where they were when they were carried.
    """

    made: str
    machine: str
    user: str
    who: str
    home: FullPath
    trip: str
    shelves: list[CarriedShelf] = field(default_factory=list)
    ledgers: list[CarriedLedger] = field(default_factory=list)
    files: list[CarriedFile] = field(default_factory=list)
    maps: list[NamedMap] = field(default_factory=list)
    gone: list[Gone] = field(default_factory=list)
    known: list[Known] = field(default_factory=list)
    means: list[str] = field(default_factory=list)
    lists: list[CarriedList] = field(default_factory=list)
    arrange: str = ""
    read_me: str = ""
    homes: list[FullPath] = field(default_factory=list)
    unread: list[InnerPath] = field(default_factory=list)
    top: Annotated[str, OUTSIDE_FILE] = ""

    def at(self, place: str) -> str:
        """The full path of a place in the collection."""
        return os.path.join(self.top, place)

    def learn(self, fresh: Sequence[Known]) -> None:
        """Remember where things are at home for someone; the last few times, because a trip may be undone."""
        times: Counter[tuple[str, str]] = Counter()
        last = []
        for one in reversed([*self.known, *fresh]):
            times[one.who, one.place] += 1
            last += [one] if times[one.who, one.place] <= MOST_KNOWN else []
        self.known = last[::-1]

    def agree(self, digests: Mapping[str, str]) -> None:
        """Let the digests of ledgers, by their places, be those of what may be written over."""
        self.ledgers = [replace(one, digest=digests.get(one.place, one.digest)) for one in self.ledgers]

    def who_knows(self) -> list[str]:
        """The users and machines that it is known to, the one that made it last first."""
        return list(dict.fromkeys([self.who, *(one.who for one in reversed(self.known))]))

    def sources(self) -> list[tuple[str, str]]:
        """Place and origin of each shelf and gathered file."""
        return [(one.place, one.source) for one in self.shelves] + [(one.place, one.source) for one in self.files]

    def map_files(self) -> list[str]:
        """The paths of the maps that travel along."""
        return [self.at(place) for _name, place in self.maps]


def is_collection(top: str) -> bool:
    """Whether a collection lies in the folder `top`."""
    return os.path.lexists(os.path.join(top, NAME))


def clear_unfinished(top: str) -> None:
    """Remove what an interrupted `write` left in the folder of a collection, which only we use just now."""
    with suppress(OSError):
        remove_if_there(neighbour_of(os.path.join(top, NAME)))
        remove_if_there(neighbour_of(os.path.join(top, READ_ME)))
