"""The record of a collection as a file."""

import os
from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from functools import lru_cache
from typing import Any

import tomlkit

from saltcart import tomlfile
from saltcart.errors import BadFile, SaltCartError, show
from saltcart.safefile import digest_of, replacing
from saltcart.shelves import manifest
from saltcart.shelves.digests import BLAKE3, SHA256
from saltcart.waybills.collection import (
    NAME,
    CarriedFile,
    CarriedLedger,
    CarriedList,
    CarriedShelf,
    Collection,
    Gone,
    Known,
    is_collection,
)
from saltcart.waybills.waybill_file import absolute, as_toml_path, below, from_toml_path

FORMAT = 1
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


def refuse_links(path: str, found: Collection) -> None:
    """Raise BadFile when a place of the collection leads out of it through a link."""
    top = os.path.realpath(found.top)
    rows: Sequence[CarriedShelf | CarriedLedger | CarriedFile] = [*found.shelves, *found.ledgers, *found.files]
    for row in rows:
        real = os.path.realpath(found.at(row.place))
        if not real.startswith(top.rstrip("/") + "/"):
            raise BadFile(path, None, f'place = "{show(row.place)}" leads out of the collection', "Carry it anew.")


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


def at_top(top: str) -> Collection:
    """The collection in the folder `top`; one of which nothing is known where none is there yet."""
    return read(os.path.join(top, NAME)) if is_collection(top) else Collection(top, "", "", "", "", "", "")


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


def digests_before(top: str) -> Mapping[str, tuple[str, str]]:
    """Kind and digest of each file that the collection in the folder `top` brought, by its full path; none where there
    is no collection yet.
    """
    path = os.path.join(top, NAME) if top else ""
    return known_digests(path, os.stat(path).st_mtime_ns) if path and os.path.exists(path) else {}
