"""A collection that travels: what its `carried.toml` says of where everything in it came from.

It lies at the top of the collection, and all places in it start from there, so that it holds wherever the drive is
mounted.
"""

import os
from collections import Counter
from collections.abc import Mapping, Sequence
from contextlib import suppress

from msgspec import Struct, field
from msgspec.structs import replace

from saltcart.own_names import neighbour_of
from saltcart.safefile import remove_if_there

NAME = "carried.toml"
READ_ME = "READ ME.txt"
MOST_KNOWN = 3


class CarriedShelf(Struct, frozen=True):
    """One shelf: where it lies in the collection, and where it came from on which drive; `renames` are as of Shelf."""

    name: str
    place: str
    source: str
    source_drive: str
    files: int
    bytes: int
    renames: tuple[tuple[str, str], ...] = ()


class CarriedLedger(Struct, frozen=True):
    """One ledger: where it lies, where it came from, and its digest in the collection when it was carried.

    `relative` when its entries are found wherever the drive is mounted; `like` is one as it was written at home, where
    that was a full path; those of the texts `unlike` it were none.  Of its `entries`, `found` were found at home.
    `facts` are sums of what its map knows.
    """

    place: str
    source: str
    map_name: str
    digest: str
    relative: bool
    like: str
    entries: int
    found: int
    facts: Mapping[str, int] = field(default_factory=dict)
    unlike: tuple[str, ...] = ()


class CarriedFile(Struct, frozen=True):
    """A single file that was gathered."""

    place: str
    source: str
    kind: str
    digest: str


class CarriedList(Struct, frozen=True):
    """A named list of a database, written as a file: where it lies, whose it is, its name there, its digest."""

    place: str
    source: str
    name: str
    digest: str


class Known(Struct, frozen=True):
    """Where a shelf, a ledger or a single file of the collection is at home for `who`, a user at a machine.

    Of a ledger, `digest` and `home_digest` are what it was in the collection and at home when the two agreed.
    `trip` is the id, at that machine, of what made them agree.
    """

    who: str
    place: str
    path: str
    digest: str = ""
    home_digest: str = ""
    trip: str = ""


class Gone(Struct, frozen=True):
    """A file of the collection that had vanished at home when it was last brought up to date."""

    place: str
    kind: str
    digest: str


class Collection(Struct):
    """All that `carried.toml` says.  `top` is the folder it lies in; `who` made it, user and
    machine, and `home` is the home folder of that user.  Sounds in it have their places by the pattern `arrange`.
    `read_me` is the digest of the words that were written for who finds it.  Others who carried into it before had the
    home folders `homes`.  Files at the places `unread` name sounds where they were when they were carried.
    """

    top: str
    made: str
    machine: str
    user: str
    who: str
    home: str
    trip: str
    shelves: list[CarriedShelf] = field(default_factory=list)
    ledgers: list[CarriedLedger] = field(default_factory=list)
    files: list[CarriedFile] = field(default_factory=list)
    maps: list[tuple[str, str]] = field(default_factory=list)
    gone: list[Gone] = field(default_factory=list)
    known: list[Known] = field(default_factory=list)
    means: list[str] = field(default_factory=list)
    lists: list[CarriedList] = field(default_factory=list)
    arrange: str = ""
    read_me: str = ""
    homes: list[str] = field(default_factory=list)
    unread: list[str] = field(default_factory=list)

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
    """Remove what an interrupted `write` left in the folder of a collection, which is ours alone just now."""
    with suppress(OSError):
        remove_if_there(neighbour_of(os.path.join(top, NAME)))
        remove_if_there(neighbour_of(os.path.join(top, READ_ME)))
