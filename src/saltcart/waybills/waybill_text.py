"""Writing a waybill as TOML with a comment on each choice."""

import json
import os
from collections.abc import Sequence

import tomlkit

from saltcart.errors import show, typed
from saltcart.home import made_home
from saltcart.ledgers.base import NEW_THINGS
from saltcart.own_names import short_name
from saltcart.safefile import replacing
from saltcart.shelves.digests import BLAKE3
from saltcart.spelling.renames import Pairs
from saltcart.waybills.newer import Newer, Renamed
from saltcart.waybills.relinks import ALL, LEVEL, ONE, PLACE, RELATIVE, FolderLine, Relink
from saltcart.waybills.shelf import Shelf
from saltcart.waybills.waybill import LedgerLine, Waybill
from saltcart.waybills.waybill_file import FORMAT, as_toml_path

HEAD = """\
Salt Cart waybill: what one trip will do. Read it, change what you like, then:
    saltcart haul {place}
Nothing has been touched yet. A path that is not valid text stands here as a file: URI.
"""


PROPOSED = """\
# What follows is not applied, because only names speak for it, or something speaks against it. To apply a part of
# it, remove the # before its lines."""
RELINKED = {
    ALL: "what is lost there and is at the new place is named there; nothing moves",
    LEVEL: "only this folder entry; what starts from it starts from the new one",
    ONE: "only this one; nothing moves",
    PLACE: "the same on another computer: everything that refers to the one refers to the other",
    NEW_THINGS: "where a program puts what comes next; what is there already stays",
}


def render(waybill: Waybill, place: str) -> str:
    """The waybill as commented TOML; `place` is the name it will have, for the hint at its top."""
    document = tomlkit.document()
    head = HEAD if waybill.shelves else HEAD.replace("haul {place}", "mend {place}").replace("one trip", "mending")
    for line in head.format(place=typed(place)).splitlines():
        document.add(tomlkit.comment(line))
    document.add("format", tomlkit.item(FORMAT))
    if waybill.draft:
        document.add("draft", tomlkit.item(waybill.draft).comment("the list of files seen then, kept by Salt Cart"))
    if waybill.maps:
        document.add("maps", tomlkit.item([as_toml_path(path) for path in waybill.maps]).multiline(True))
    if waybill.means:
        document.add("means", tomlkit.item(waybill.means).comment("what paths of other systems stand for here"))
    add_places(document, waybill)
    if waybill.here:
        document.add(
            "here", tomlkit.item(True).comment("paths in the style of another system get the style of this one")
        )
    for key, word in (
        ("settles", "the way in which a collection comes home"),
        ("arrange", "what the places of single sounds below were made from; each can be changed"),
        ("after", "the trip that did the same before"),
    ):
        if text := getattr(waybill, key):
            document.add(key, tomlkit.item(text).comment(word))
    if waybill.digests != BLAKE3:
        document.add(
            "digests",
            tomlkit.item(waybill.digests).comment(
                "the kind of digest that copies are compared by, and the manifest holds"
            ),
        )
    for key, tables in (
        ("shelf", [shelf_table(one) for one in waybill.shelves if not one.gathered]),
        ("gather", [shelf_table(one) for one in waybill.shelves if one.gathered]),
        ("relink", list(map(relink_table, waybill.relinks))),
        ("folder", list(map(folder_table, waybill.folders))),
        ("newer", list(map(newer_table, waybill.newer))),
        ("renamed", list(map(renamed_table, waybill.renamed))),
        ("signpost", [signpost_table(*pair) for pair in waybill.signposts]),
        ("ledger", list(map(ledger_table, waybill.ledgers))),
    ):
        if tables:
            document.add(key, tomlkit.aot())
        for table in tables:
            document[key].append(table)
    return tomlkit.dumps(document)


def add_places(document: tomlkit.TOMLDocument, waybill: Waybill) -> None:
    """The keys that hold places."""
    for key, paths, word in (
        ("collection", [waybill.collection] * bool(waybill.collection), "the folder that will play anywhere"),
        ("comes_from", [waybill.comes_from] * bool(waybill.comes_from), "the collection that comes home"),
        ("turn", waybill.turn, "links that will lead to the new place; entries that go through them stay as they are"),
        ("search", waybill.search, "searched for what refers to the shelves, now and in every check after the switch"),
        ("not_searched", waybill.not_searched, "left out of the search: so you decided"),
        ("left_unread", waybill.left_unread, "may still point to the old place, as you allowed"),
    ):
        if paths and key in ("collection", "comes_from"):
            document.add(key, tomlkit.item(as_toml_path(paths[0])).comment(word))
        elif paths:
            document.add(key, tomlkit.item([as_toml_path(path) for path in paths]).multiline(True).comment(word))


def shelf_table(shelf: Shelf) -> tomlkit.items.Table:
    """One [[shelf]] or [[gather]] table."""
    table = tomlkit.table()
    if not shelf.gathered:
        table.add("name", shelf.name.encode("utf-8", "surrogateescape").decode("utf-8", "replace"))
    table.add("from", as_toml_path(shelf.old))
    table.add("to", as_toml_path(shelf.new))
    table.add("from_drive", shelf.old_drive)
    table.add("to_drive", shelf.new_drive)
    if shelf.gathered:
        return table
    table.add(
        "care", tomlkit.item(shelf.care).comment('"own": cannot be replaced; "replaceable": can be downloaded again')
    )
    table.add(
        "leave",
        tomlkit.item(shelf.leave).comment(
            'left at the old place: "nothing", "signpost" (a link to the new place), or "original" (it is copied)'
        ),
    )
    table.add(
        "entries",
        tomlkit.item(shelf.entries).comment(
            '"rewrite": ledgers refer to the new place; "keep": they still work through the signpost'
        ),
    )
    for key, patterns, word in (
        ("stay", shelf.stay, "does not travel and stays where it is"),
        ("only", shelf.only, "nothing else travels"),
    ):
        if patterns or key == "stay":
            table.add(key, texts(patterns).comment(f'patterns such as "*.ini" or "Old Packs/*": {word}'))
    if shelf.files:
        table.add("files", tomlkit.item(True).comment("only these files move, and join others"))
    if shelf.archive:
        table.add(
            "archive", tomlkit.item(True).comment("what is in it is unpacked; the archive stays until its release")
        )
    if shelf.post:
        table.add("post", tomlkit.item(as_toml_path(shelf.post)).comment("a link to the new place is left there"))
    add_renames(table, shelf.renames)
    return table


def add_renames(table: tomlkit.items.Table, pairs: Pairs) -> None:
    """A [[rename]] table for each path that has another name."""
    if pairs:
        renames = tomlkit.aot()
        for old, new in pairs:
            row = tomlkit.table()
            row.add("from", as_toml_path(old))
            row.add("to", as_toml_path(new))
            renames.append(row)
        table.add("rename", renames)


def relink_table(relink: Relink) -> tomlkit.items.Table:
    """One [[relink]] table."""
    table = tomlkit.table()
    why = " ".join(show(relink.why).split()) or RELINKED[relink.what]
    table.add("from", tomlkit.item(as_toml_path(relink.old)).comment(why))
    table.add("to", as_toml_path(relink.new))
    if relink.ledger:
        table.add("ledger", as_toml_path(relink.ledger))
    if relink.what != ALL:
        table.add("what", relink.what)
    add_renames(table, relink.renames)
    return table


def newer_table(one: Newer) -> tomlkit.items.Table:
    """One [[newer]] table."""
    table = tomlkit.table()
    table.add("path", tomlkit.item(as_toml_path(one.path)).comment("gets the content of the newer one, and is kept"))
    table.add("source", as_toml_path(one.source))
    for key in ("kind", "digest", "was"):
        table.add(key, getattr(one, key))
    return table


def renamed_table(one: Renamed) -> tomlkit.items.Table:
    """One [[renamed]] table."""
    table = tomlkit.table()
    table.add("from", as_toml_path(one.old))
    table.add("to", as_toml_path(one.new))
    return table


def signpost_table(path: str, target: str) -> tomlkit.items.Table:
    """One [[signpost]] table."""
    table = tomlkit.table()
    table.add("at", tomlkit.item(as_toml_path(path)).comment("a link that leads nowhere, under its very name"))
    table.add("to", as_toml_path(target))
    return table


def folder_table(line: FolderLine) -> tomlkit.items.Table:
    """One [[folder]] table."""
    table = tomlkit.table()
    table.add("ledger", as_toml_path(line.ledger))
    table.add("do", tomlkit.item(line.do).comment("a list of folders; nothing moves"))
    table.add("folder", as_toml_path(line.folder))
    return table


def texts(paths: Sequence[str]) -> tomlkit.items.Array:
    """Paths as an array.  It is read from TOML, for to add thousands of items takes the square of their number."""
    quoted = (json.dumps(as_toml_path(path), ensure_ascii=False).replace("\x7f", "\\u007f") for path in paths)
    return tomlkit.array(f"[{', '.join(quoted)}]")


def ledger_table(line: LedgerLine) -> tomlkit.items.Table:
    """One [[ledger]] table."""
    table = tomlkit.table()
    table.add("path", as_toml_path(line.path))
    table.add("map", line.map_name)
    rewrite = tomlkit.item(line.rewrite)
    table.add("rewrite", rewrite.comment(" ".join(show(line.why).split())) if line.why else rewrite)
    if line.front:
        table.add(
            "front",
            tomlkit.item(True).comment("where a part of a content folder moves, a new one comes in front of it"),
        )
    if line.like:
        word = "found wherever the drive is mounted" if line.like == RELATIVE else "what shows how entries are written"
        table.add("like", tomlkit.item(as_toml_path(line.like)).comment(word))
    if line.unlike:
        table.add("unlike", tomlkit.item([as_toml_path(text) for text in line.unlike]).multiline(True))
    if line.cut:
        table.add("cut", tomlkit.item(True).comment("is copied without the lines for what does not travel"))
    if line.over:
        table.add("over", tomlkit.item(as_toml_path(line.over)).comment("takes the place of this one, which is kept"))
        table.add("over_digest", line.over_digest)
    if line.merge:
        table.add("merge", tomlkit.item(as_toml_path(line.merge)).comment("what this copy counts is brought together"))
        table.add("asked", tomlkit.item(line.asked).comment("which of the two holds where both changed the same thing"))
    if line.digest:
        table.add("digest", line.digest)
    return table


def keep(waybill: Waybill) -> str:
    """Write the waybill among our own data, because nobody asked for a file; its path.

    The same plan gets the same file, so that the same command, interrupted and typed again, continues its trip.
    """
    path = os.path.join(made_home("waybills"), f"{short_name(render(waybill, ''))}.toml")
    write(waybill, path)
    return path


def write(waybill: Waybill, path: str, mode: int = 0o666, proposed: Sequence[Relink] = ()) -> None:
    """Write the waybill to `path`, whole or not at all; what is only `proposed` is in it as comments."""
    with replacing(path, mode) as neighbour, open(neighbour, "w", encoding="utf-8") as stream:
        stream.write(render(waybill, path) + in_comments(proposed))


def in_comments(proposed: Sequence[Relink]) -> str:
    """Tables that mean something when a person takes the marks before them away."""
    if not proposed:
        return ""
    document, tables = tomlkit.document(), tomlkit.aot()
    for relink in proposed:
        tables.append(relink_table(relink))
    document.add("relink", tables)
    lines = tomlkit.dumps(document).splitlines()
    return "\n".join(["", PROPOSED, *(f"# {line}".rstrip() for line in lines), ""])
