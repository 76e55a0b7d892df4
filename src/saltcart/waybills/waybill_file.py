"""Reading a waybill, a TOML file that people edit."""

import os
from typing import Any
from urllib.parse import quote, unquote_to_bytes

from saltcart import tomlfile
from saltcart.errors import BadFile, show
from saltcart.shelves.digests import BLAKE3, SHA256
from saltcart.spelling.renames import Pairs
from saltcart.waybills.newer import Newer, Renamed
from saltcart.waybills.relinks import ALL, DO, WHAT, FolderLine, Relink
from saltcart.waybills.shelf import Shelf, sorted_out
from saltcart.waybills.waybill import LedgerLine, Waybill

FORMAT = 1
CARE = ("own", "replaceable")
LEAVE = ("nothing", "signpost", "original")
ENTRIES = ("rewrite", "keep")
RENAME = [{"!from": str, "!to": str}]
SHAPE: dict[str, Any] = {
    "!format": int,
    "draft": str,
    "maps": [str],
    "means": [str],
    "turn": [str],
    "search": [str],
    "not_searched": [str],
    "left_unread": [str],
    "digests": (BLAKE3, SHA256),
    "here": bool,
    "collection": str,
    "after": str,
    "settles": str,
    "comes_from": str,
    "arrange": str,
    "signpost": [{"!at": str, "!to": str}],
    "shelf": [
        {
            "!name": str,
            "!from": str,
            "!to": str,
            "care": CARE,
            "leave": LEAVE,
            "entries": ENTRIES,
            "!from_drive": str,
            "!to_drive": str,
            "stay": [str],
            "only": [str],
            "rename": RENAME,
            "files": bool,
            "archive": bool,
            "post": str,
        }
    ],
    "gather": [{"!from": str, "!to": str, "!from_drive": str, "!to_drive": str}],
    "ledger": [
        {
            "!path": str,
            "!map": str,
            "rewrite": bool,
            "front": bool,
            "digest": str,
            "like": str,
            "over": str,
            "over_digest": str,
            "merge": str,
            "asked": ("here", "there"),
            "unlike": [str],
            "cut": bool,
        }
    ],
    "relink": [{"!from": str, "!to": str, "ledger": str, "what": WHAT, "rename": RENAME}],
    "folder": [{"!ledger": str, "!do": DO, "!folder": str}],
    "newer": [{"!path": str, "!source": str, "!kind": (BLAKE3, SHA256), "!digest": str, "!was": str}],
    "renamed": [{"!from": str, "!to": str}],
}


def as_toml_path(path: str) -> str:
    """`path` as TOML can hold it: as it is, or as a URI when it is not valid UTF-8."""
    try:
        path.encode("utf-8")
    except UnicodeEncodeError:
        return "file://" + quote(os.fsencode(path))
    return path


def from_toml_path(text: str) -> str:
    """The path meant by `as_toml_path`'s text, or by a person's with `~`."""
    if text.startswith("file://"):
        return os.fsdecode(unquote_to_bytes(text.removeprefix("file://")))
    return os.path.expanduser(text)


def read(path: str) -> Waybill:
    """The waybill in the file at `path`.  Raises BadFile with file, line and key."""
    tables = tomlfile.read(path, SHAPE)
    if tables["format"] != FORMAT:
        raise BadFile(
            path, None, f"is a waybill of format {tables['format']}; this version knows {FORMAT}", "Draft it anew."
        )
    if not any(tables.get(key) for key in ("shelf", "relink", "folder", "here", "signpost")):
        raise BadFile(
            path, None, "says nothing to do", "Remove the # before each line that you want, or make the plan anew."
        )
    shelves = shelves_in(path, tables)
    ledgers = [ledger_of(path, row) for row in tables.get("ledger", [])]
    relinks = [relink_of(path, row) for row in tables.get("relink", [])]

    def full(key: str) -> list[str]:
        return [absolute(path, key, text) for text in tables.get(key, [])]

    def one(key: str) -> str:
        return absolute(path, key, tables[key]) if key in tables else ""

    return Waybill(
        shelves,
        ledgers,
        [from_toml_path(text) for text in tables.get("maps", [])],
        tables.get("draft", ""),
        list(tables.get("means", [])),
        tables.get("digests", BLAKE3),
        turn=full("turn"),
        search=full("search"),
        not_searched=full("not_searched"),
        left_unread=full("left_unread"),
        relinks=relinks,
        folders=[folder_of(path, row) for row in tables.get("folder", [])],
        here=tables.get("here", False),
        collection=one("collection"),
        after=tables.get("after", ""),
        settles=tables.get("settles", ""),
        comes_from=one("comes_from"),
        arrange=tables.get("arrange", ""),
        newer=[newer_of(path, row) for row in tables.get("newer", [])],
        renamed=[Renamed(*absolutes(path, row, "from", "to")) for row in tables.get("renamed", [])],
        signposts=[absolutes(path, row, "at", "to") for row in tables.get("signpost", [])],
    )


def shelves_in(path: str, tables: dict[str, Any]) -> list[Shelf]:
    """All shelves of a waybill, those last that are single files gathered from elsewhere."""
    shelves = [shelf_of(path, row) for row in tables.get("shelf", [])]
    for shelf in shelves:
        if shelf.files and (not shelf.only or sorted_out(shelf.only)[1]):
            raise BadFile(
                path,
                None,
                f'"{show(shelf.name)}" has files = true, and only = [...] does not name each of them',
                "Name them, or take files = true out.",
            )
    for row in tables.get("gather", []):
        old, new = absolute(path, "from", row["from"]), absolute(path, "to", row["to"])
        shelves.append(Shelf(os.path.basename(new), old, new, row["from_drive"], row["to_drive"], gathered=True))
    return shelves


def ledger_of(path: str, row: dict[str, Any]) -> LedgerLine:
    """The ledger that one table of the waybill at `path` says."""
    return LedgerLine(
        absolute(path, "path", row["path"]),
        row["map"],
        row.get("rewrite", True),
        row.get("digest"),
        front=row.get("front", False),
        like=from_toml_path(row["like"]) if "like" in row else "",
        over=absolute(path, "over", row["over"]) if "over" in row else "",
        over_digest=row.get("over_digest", ""),
        merge=absolute(path, "merge", row["merge"]) if "merge" in row else "",
        asked=row.get("asked", "here"),
        unlike=tuple(map(from_toml_path, row.get("unlike", []))),
        cut=row.get("cut", False),
    )


def folder_of(path: str, row: dict[str, Any]) -> FolderLine:
    """One row of `folder`."""
    ledger, folder = absolutes(path, row, "ledger", "folder")
    return FolderLine(ledger, row["do"], folder)


def newer_of(path: str, row: dict[str, Any]) -> Newer:
    """One row of `newer`."""
    return Newer(*absolutes(path, row, "path", "source"), row["kind"], row["digest"], row["was"])


def relink_of(path: str, row: dict[str, Any]) -> Relink:
    """What one table of the waybill at `path` links anew."""
    return Relink(
        absolute(path, "from", row["from"]),
        absolute(path, "to", row["to"]),
        absolute(path, "ledger", row["ledger"]) if "ledger" in row else "",
        row.get("what", ALL),
        renames=renames_in(path, row),
    )


def shelf_of(path: str, row: dict[str, Any]) -> Shelf:
    """The shelf that one table of the waybill at `path` says."""
    return Shelf(
        row["name"],
        absolute(path, "from", row["from"]),
        absolute(path, "to", row["to"]),
        row["from_drive"],
        row["to_drive"],
        row.get("care", "own"),
        row.get("leave", "nothing"),
        tuple(map(from_toml_path, row.get("stay", []))),
        tuple(map(from_toml_path, row.get("only", []))),
        renames_in(path, row),
        entries=row.get("entries", "rewrite"),
        files=row.get("files", False),
        archive=row.get("archive", False),
        post=absolute(path, "post", row["post"]) if "post" in row else "",
    )


def renames_in(waybill: str, row: dict[str, Any]) -> Pairs:
    """The paths with other names that one table of a waybill says."""
    return tuple((below(waybill, pair["from"]), below(waybill, pair["to"])) for pair in row.get("rename", []))


def below(waybill: str, text: str, key: str = "rename") -> str:
    """The path from a shelf's top that `text` of a waybill means; BadFile for one that leads out of it."""
    path = from_toml_path(text)
    if path.startswith("/") or "\0" in path or any(part in ("", ".", "..") for part in path.split("/")):
        raise BadFile(
            waybill, None, f'{key}: "{show(text)}" is not a path from the shelf\'s top', "Write it like: Pack/name.wav"
        )
    return path


def absolute(waybill: str, key: str, text: str) -> str:
    """The full path that `text` of a waybill means; BadFile for a relative one or a NUL."""
    path = from_toml_path(text)
    if not path.startswith("/") or "\0" in path:
        raise BadFile(waybill, None, f'{key} = "{show(text)}" is not a full path', "Write it from the top: /...")
    return os.path.normpath(path)


def absolutes(waybill: str, row: dict[str, Any], one: str, other: str) -> tuple[str, str]:
    """Two paths of a row; BadFile unless each begins at the top."""
    return absolute(waybill, one, row[one]), absolute(waybill, other, row[other])
