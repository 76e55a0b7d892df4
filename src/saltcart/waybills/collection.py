"""A collection that travels: what its `carried.toml` says of where everything in it came from.

It lies at the top of the collection, and all places in it start from there, so that it holds wherever the drive hangs.
"""

import os
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from functools import lru_cache
from typing import Any

import tomlkit
from msgspec import Struct, field
from msgspec.structs import replace

from saltcart import tomlfile
from saltcart.errors import BadFile, SaltCartError, show
from saltcart.own_names import neighbour_of
from saltcart.safefile import digest_of, remove_if_there, replacing
from saltcart.shelves import manifest
from saltcart.shelves.digests import BLAKE3, SHA256
from saltcart.waybills.waybill_file import absolute, as_toml_path, below, from_toml_path

NAME = "carried.toml"
READ_ME = "READ ME.txt"
FORMAT = 1
MOST_KNOWN = 3
SHAPE: dict[str, Any] = {
    "!format": int,
    "!made": str,
    "!machine": str,
    "!user": str,
    "!who": str,
    "!home": str,
    "!trip": str,
    "shelf": [
        {
            "!name": str,
            "!place": str,
            "!from": str,
            "!from_drive": str,
            "!files": int,
            "!bytes": int,
            "rename": [{"!from": str, "!to": str}],
        }
    ],
    "ledger": [
        {
            "!place": str,
            "!from": str,
            "!map": str,
            "!digest": str,
            "!relative": bool,
            "like": str,
            "!entries": int,
            "!found": int,
            "facts": {"*": int},
            "unlike": [str],
        }
    ],
    "file": [{"!place": str, "!from": str, "!kind": (BLAKE3, SHA256), "!digest": str}],
    "map": [{"!name": str, "!place": str}],
    "list": [{"!place": str, "!from": str, "!name": str, "!digest": str}],
    "known": [{"!who": str, "!place": str, "!path": str, "digest": str, "home_digest": str, "trip": str}],
    "means": [str],
    "homes": [str],
    "unread": [str],
    "arrange": str,
    "read_me": str,
    "gone": [{"!place": str, "!kind": (BLAKE3, SHA256), "!digest": str}],
}
HEAD = """\
Salt Cart: what this collection is and where everything in it came from. Places start from this folder.
To make it at home on a computer: saltcart settle FOLDER   (this folder). To bring it up to date: the same carry again.
"""


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

    `relative` when its entries are found wherever the drive hangs; `like` is one as it was written at home, where that
    was a full path; those of the texts `unlike` it were none.  Of its `entries`, `found` were found at home.  `facts`
    are sums of what its map knows.
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
        """Remember where things are at home for someone; the last few times, for a trip may be taken back."""
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


def at_top(top: str) -> Collection:
    """The collection in the folder `top`; one of which nothing is known where none is there yet."""
    return read(os.path.join(top, NAME)) if is_collection(top) else Collection(top, "", "", "", "", "", "")


def clear_unfinished(top: str) -> None:
    """Remove what an interrupted `write` left in the folder of a collection, which is ours alone just now."""
    with suppress(OSError):
        remove_if_there(neighbour_of(os.path.join(top, NAME)))
        remove_if_there(neighbour_of(os.path.join(top, READ_ME)))


def read(path: str) -> Collection:
    """The collection whose `carried.toml` is at `path`.  Raises BadFile with file, line and key."""
    tables = tomlfile.read(path, SHAPE)
    if tables["format"] != FORMAT:
        what = f"is of format {tables['format']}; this version knows {FORMAT}"
        raise BadFile(path, None, what, "Use the version that wrote it.")
    found = Collection(
        os.path.dirname(os.path.abspath(path)),
        tables["made"],
        tables["machine"],
        tables["user"],
        tables["who"],
        absolute(path, "home", tables["home"]),
        tables["trip"],
        means=list(tables.get("means", [])),
        arrange=tables.get("arrange", ""),
        read_me=tables.get("read_me", ""),
        homes=[absolute(path, "homes", text) for text in tables.get("homes", [])],
        unread=[below(path, text) for text in tables.get("unread", [])],
    )
    add_rows(found, path, tables)
    if not found.shelves and not found.files:
        raise BadFile(path, None, "names no shelf and no file", "Carry the collection anew.")
    refuse_links(path, found)
    return found


def add_rows(found: Collection, path: str, tables: Mapping[str, Any]) -> None:
    """Add what the tables of a `carried.toml` list.  BadFile for a place outside it, or a path that is not full."""

    def rows(key: str) -> Iterator[tuple[str, Mapping[str, Any]]]:
        return ((below(path, row["place"], "place"), row) for row in tables.get(key, []))

    def source(row: Mapping[str, Any]) -> str:
        return absolute(path, "from", row["from"])

    found.shelves = [shelf_in(path, place, source(row), row) for place, row in rows("shelf")]
    found.ledgers = [ledger_in(place, source(row), row) for place, row in rows("ledger")]
    found.files = [CarriedFile(place, source(row), row["kind"], row["digest"]) for place, row in rows("file")]
    found.maps = [(row["name"], place) for place, row in rows("map")]
    found.gone = [Gone(place, row["kind"], row["digest"]) for place, row in rows("gone")]
    found.lists = [CarriedList(place, source(row), row["name"], row["digest"]) for place, row in rows("list")]
    found.known = [
        Known(row["who"], place, absolute(path, "path", row["path"]), *agreement_in(row))
        for place, row in rows("known")
    ]


def shelf_in(path: str, place: str, source: str, row: Mapping[str, Any]) -> CarriedShelf:
    """One shelf as its table tells of it."""
    renames = tuple((below(path, one["from"]), below(path, one["to"])) for one in row.get("rename", []))
    return CarriedShelf(row["name"], place, source, row["from_drive"], row["files"], row["bytes"], renames)


def ledger_in(place: str, source: str, row: Mapping[str, Any]) -> CarriedLedger:
    """One ledger as its table tells of it."""
    return CarriedLedger(
        place,
        source,
        row["map"],
        row["digest"],
        row["relative"],
        row.get("like", ""),
        row["entries"],
        row["found"],
        row.get("facts", {}),
        tuple(map(from_toml_path, row.get("unlike", []))),
    )


def agreement_in(row: Mapping[str, Any]) -> tuple[str, str, str]:
    """The digests and the trip that a row of what is known holds; empty ones where it holds none."""
    return row.get("digest", ""), row.get("home_digest", ""), row.get("trip", "")


def collections_on(mount: str) -> list[Collection]:
    """The collections at the top of a drive and in the folders there; those that cannot be read are passed over."""
    places = [mount]
    with suppress(OSError), os.scandir(mount) as entries:
        places += sorted(entry.path for entry in entries if entry.is_dir(follow_symlinks=False))
    found = []
    for path in (os.path.join(place, NAME) for place in places):
        with suppress(SaltCartError):
            found += [read(path)] if os.path.isfile(path) else []
    return found


def refuse_links(path: str, found: Collection) -> None:
    """Raise BadFile when a place of the collection leads out of it through a link."""
    top = os.path.realpath(found.top)
    rows: Sequence[CarriedShelf | CarriedLedger | CarriedFile] = [*found.shelves, *found.ledgers, *found.files]
    for row in rows:
        real = os.path.realpath(found.at(row.place))
        if not real.startswith(top.rstrip("/") + "/"):
            raise BadFile(path, None, f'place = "{show(row.place)}" leads out of the collection', "Carry it anew.")


def digests_before(top: str) -> Mapping[str, tuple[str, str]]:
    """Kind and digest of each file that the collection in the folder `top` brought, by its full path; none where there
    is no collection yet.
    """
    path = os.path.join(top, NAME) if top else ""
    return known_digests(path, os.stat(path).st_mtime_ns) if path and os.path.exists(path) else {}


@lru_cache(maxsize=4)
def known_digests(path: str, _stamp: int) -> Mapping[str, tuple[str, str]]:
    """As `digests_before`."""
    found = read(path)
    known: dict[str, tuple[str, str]] = {}
    for shelf in found.shelves:
        top = found.at(shelf.place)
        kind = manifest.kind_of_manifest(top)
        if kind:
            known |= {f"{top}/{tail}": (kind, digest) for tail, digest in manifest.read(top, kind)}
    known |= {found.at(one.place): (one.kind, one.digest) for one in found.gone}
    known |= {found.at(one.place): (BLAKE3, one.digest) for one in found.ledgers}
    return known | {found.at(one.place): (one.kind, one.digest) for one in found.files}


def write(found: Collection, path: str = "") -> str:
    """Write the `carried.toml` of a collection, whole or not at all, in its place or at `path`; its digest."""
    document = head_of(found)
    for key, rows in rows_of(found).items():
        if rows:
            document.add(key, tomlkit.aot())
        for row in rows:
            document[key].append(tomlkit.item(row))
    path = path or os.path.join(found.top, NAME)
    with replacing(path) as neighbour, open(neighbour, "w", encoding="utf-8") as stream:
        stream.write(tomlkit.dumps(document))
    return digest_of(path)


def head_of(found: Collection) -> tomlkit.TOMLDocument:
    """What a collection says of itself as a whole."""
    document = tomlkit.document()
    for line in HEAD.splitlines():
        document.add(tomlkit.comment(line))
    for key in ("made", "machine", "user", "who"):
        document.add(key, getattr(found, key))
    document.add("home", as_toml_path(found.home))
    document.add("trip", found.trip)
    document.add("format", FORMAT)
    homes, unread = (list(map(as_toml_path, paths)) for paths in (found.homes, found.unread))
    for key, value in (("means", found.means), ("homes", homes), ("unread", unread)):
        if value:
            document.add(key, value)
    for key, text in (("arrange", found.arrange), ("read_me", found.read_me)):
        if text:
            document.add(key, text)
    return document


def rows_of(found: Collection) -> dict[str, list[dict[str, Any]]]:
    """The tables of everything that a collection lists."""
    return {
        "shelf": list(map(shelf_row, found.shelves)),
        "ledger": list(map(ledger_row, found.ledgers)),
        "file": [{**place_and_source(one), "kind": one.kind, "digest": one.digest} for one in found.files],
        "map": [{"name": name, "place": as_toml_path(place)} for name, place in found.maps],
        "gone": [{"place": as_toml_path(one.place), "kind": one.kind, "digest": one.digest} for one in found.gone],
        "list": [{**place_and_source(one), "name": shown_name(one.name), "digest": one.digest} for one in found.lists],
        "known": list(map(known_row, found.known)),
    }


def place_and_source(one: CarriedShelf | CarriedLedger | CarriedFile | CarriedList) -> dict[str, Any]:
    """Where something lies in a collection, and where it came from."""
    return {"place": as_toml_path(one.place), "from": as_toml_path(one.source)}


def shown_name(name: str) -> str:
    """The name of a list, without what is no text."""
    return name.encode("utf-8", "surrogateescape").decode("utf-8", "replace")


def known_row(one: Known) -> dict[str, Any]:
    """The table of what is known to someone."""
    digests = {"digest": one.digest, "home_digest": one.home_digest} if one.digest else {}
    place, path = as_toml_path(one.place), as_toml_path(one.path)
    return {"who": one.who, "place": place, "path": path, **digests, "trip": one.trip}


def shelf_row(one: CarriedShelf) -> dict[str, Any]:
    """The table of one shelf."""
    sizes = {"from_drive": one.source_drive, "files": one.files, "bytes": one.bytes}
    return {"name": show(one.name), **place_and_source(one), **sizes, **renames_of(one)}


def renames_of(shelf: CarriedShelf) -> dict[str, Any]:
    """The table of names that the drive could not keep; nothing where there are none."""
    pairs = [{"from": as_toml_path(old), "to": as_toml_path(new)} for old, new in shelf.renames]
    return {"rename": pairs} if pairs else {}


def ledger_row(one: CarriedLedger) -> dict[str, Any]:
    """The table of one ledger."""
    row: dict[str, Any] = {
        **place_and_source(one),
        "map": one.map_name,
        "digest": one.digest,
        "relative": one.relative,
        "entries": one.entries,
        "found": one.found,
    }
    if one.like:
        row["like"] = as_toml_path(one.like)
    if one.unlike:
        row["unlike"] = [as_toml_path(text) for text in one.unlike]
    if one.facts:
        row["facts"] = dict(one.facts)
    return row
