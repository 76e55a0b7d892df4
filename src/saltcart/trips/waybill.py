"""The waybill: the plan of one trip as a TOML file that people read and edit.  It holds decisions, not file lists."""

import os
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import quote, unquote_to_bytes

import tomlkit

from saltcart import tomlfile
from saltcart.errors import BadFile, show
from saltcart.safefile import replacing
from saltcart.spelling import Move, Moves

FORMAT = 1
CARE = ("own", "replaceable")
LEAVE = ("nothing", "signpost")
SHAPE: dict[str, Any] = {
    "!format": int,
    "draft": str,
    "maps": [str],
    "!shelf": [
        {
            "!name": str,
            "!from": str,
            "!to": str,
            "care": CARE,
            "leave": LEAVE,
            "!from_drive": str,
            "!to_drive": str,
        }
    ],
    "ledger": [{"!path": str, "!map": str, "rewrite": bool, "digest": str}],
}
HEAD = """\
Salt Cart waybill: what one trip will do. Read it, change what you like, then:
    saltcart haul {place}
Nothing has been touched yet. A path that is not valid text stands here as a file: URI.
"""


@dataclass(frozen=True, slots=True)
class Shelf:
    """One shelf of a trip: from where to where, on which drives, and what is left at the old place."""

    name: str
    old: str
    new: str
    old_drive: str
    new_drive: str
    care: str = "own"
    leave: str = "nothing"


@dataclass(frozen=True, slots=True)
class LedgerLine:
    """One ledger of a trip.  `digest` is what it was when drafted; `rewrite` false leaves it as it is."""

    path: str
    map_name: str
    rewrite: bool = True
    digest: str | None = None
    why: str = ""


@dataclass(slots=True)
class Waybill:
    """A whole plan.  `draft` names the list of files the draft saw, kept among our own data."""

    shelves: list[Shelf]
    ledgers: list[LedgerLine] = field(default_factory=list)
    maps: list[str] = field(default_factory=list)
    draft: str = ""

    def moves(self) -> Moves:
        """Where paths go on this trip."""
        return Moves(Move(shelf.old, shelf.new) for shelf in self.shelves)

    def link_target(self, target: str) -> str:
        """What a symbolic link in a shelf says at the new place: as written, but a full path into a moving shelf follows it."""
        return (self.moves().follow(target) if target.startswith("/") else None) or target


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


def render(waybill: Waybill, place: str) -> str:
    """The waybill as commented TOML; `place` is the name it will have, for the hint at its top."""
    document = tomlkit.document()
    for line in HEAD.format(place=show(place)).splitlines():
        document.add(tomlkit.comment(line))
    document.add("format", tomlkit.item(FORMAT))
    if waybill.draft:
        document.add("draft", tomlkit.item(waybill.draft).comment("the list of files seen then, kept by Salt Cart"))
    if waybill.maps:
        document.add("maps", tomlkit.item([as_toml_path(path) for path in waybill.maps]).multiline(True))
    shelves = tomlkit.aot()
    for shelf in waybill.shelves:
        shelves.append(shelf_table(shelf))
    document.add("shelf", shelves)
    if waybill.ledgers:
        ledgers = tomlkit.aot()
        for line in waybill.ledgers:
            ledgers.append(ledger_table(line))
        document.add("ledger", ledgers)
    return tomlkit.dumps(document)


def shelf_table(shelf: Shelf) -> tomlkit.items.Table:
    """One [[shelf]] table."""
    table = tomlkit.table()
    table.add("name", shelf.name.encode("utf-8", "surrogateescape").decode("utf-8", "replace"))
    table.add("from", as_toml_path(shelf.old))
    table.add("to", as_toml_path(shelf.new))
    table.add("from_drive", shelf.old_drive)
    table.add("to_drive", shelf.new_drive)
    table.add("care", tomlkit.item(shelf.care).comment('"own": cannot be had again; "replaceable": its maker offers it'))
    table.add("leave", tomlkit.item(shelf.leave).comment('left at the old place: "nothing", or "signpost" (a link to the new place)'))
    return table


def ledger_table(line: LedgerLine) -> tomlkit.items.Table:
    """One [[ledger]] table."""
    table = tomlkit.table()
    table.add("path", as_toml_path(line.path))
    table.add("map", line.map_name)
    rewrite = tomlkit.item(line.rewrite)
    table.add("rewrite", rewrite.comment(" ".join(show(line.why).split())) if line.why else rewrite)
    if line.digest:
        table.add("digest", line.digest)
    return table


def write(waybill: Waybill, path: str) -> None:
    """Write the waybill to `path`, whole or not at all."""
    with replacing(path) as neighbour, open(neighbour, "w", encoding="utf-8") as stream:
        stream.write(render(waybill, path))


def read(path: str) -> Waybill:
    """The waybill in the file at `path`.  Raises BadFile with file, line and key."""
    tables = tomlfile.read(path, SHAPE)
    if tables["format"] != FORMAT:
        raise BadFile(path, None, f"is a waybill of format {tables['format']}; this version knows {FORMAT}", "Draft it anew.")
    if not tables["shelf"]:
        raise BadFile(path, None, "names no shelf", "Add a [[shelf]] or draft it anew.")
    shelves = [
        Shelf(
            row["name"],
            absolute(path, "from", row["from"]),
            absolute(path, "to", row["to"]),
            row["from_drive"],
            row["to_drive"],
            row.get("care", "own"),
            row.get("leave", "nothing"),
        )
        for row in tables["shelf"]
    ]
    ledgers = [
        LedgerLine(absolute(path, "path", row["path"]), row["map"], row.get("rewrite", True), row.get("digest"))
        for row in tables.get("ledger", [])
    ]
    return Waybill(shelves, ledgers, [from_toml_path(text) for text in tables.get("maps", [])], tables.get("draft", ""))


def absolute(waybill: str, key: str, text: str) -> str:
    """The full path that `text` of a waybill means; BadFile for a relative one or a NUL sign."""
    path = from_toml_path(text)
    if not path.startswith("/") or "\0" in path:
        raise BadFile(waybill, None, f'{key} = "{show(text)}" is not a full path', "Write it from the top: /...")
    return os.path.normpath(path)
