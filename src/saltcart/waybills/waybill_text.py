"""Writing a waybill as TOML with a comment on each choice."""

from collections.abc import Mapping, Sequence

import tomlkit
from msgspec import Struct

from saltcart.errors import show, typed
from saltcart.home import made_home
from saltcart.ledgers.base import NEW_THINGS
from saltcart.own_names import short_name
from saltcart.safefile import replacing
from saltcart.system import os
from saltcart.toml.writing import document_of, table_of
from saltcart.waybills.newer import Newer
from saltcart.waybills.relinks import ALL, LEVEL, ONE, PLACE, RELATIVE, FolderLine, Relink
from saltcart.waybills.waybill import LedgerLine, Waybill
from saltcart.waybills.waybill_file import ShelfTable, apart

HEAD = """\
Salt Cart waybill: what one trip will do. Read it, change what you like, then:
    saltcart haul {place}
Nothing has been touched yet. A path that is not valid text stands here as a file: URI.
"""
PROPOSED = """\
# What follows is not applied, because only names speak for it, or something speaks against it. To apply a part of
# it, remove the # before its lines."""
PATTERNS = 'patterns such as "*.ini" or "Old Packs/*"'
SAID_OF_PLANS = {
    "draft": "the list of files seen then, kept by Salt Cart",
    "means": "what paths of other systems stand for here",
    "collection": "the folder that will play anywhere",
    "comes_from": "the collection that comes home",
    "turn": "links that will lead to the new place; entries that go through them stay as they are",
    "search": "searched for what refers to the shelves, now and in every check after the switch",
    "not_searched": "left out of the search: so you decided",
    "left_unread": "may still point to the old place, as you allowed",
    "here": "paths in the style of another system get the style of this one",
    "settles": "the way in which a collection comes home",
    "arrange": "what the places of single sounds below were made from; each can be changed",
    "after": "the trip that did the same before",
    "digests": "the kind of digest that copies are compared by, and the manifest holds",
}
SAID_OF_SHELVES = {
    "care": '"own": cannot be replaced; "replaceable": can be downloaded again',
    "leave": 'left at the old place: "nothing", "signpost" (a link to the new place), or "original" (it is copied)',
    "entries": '"rewrite": ledgers refer to the new place; "keep": they still work through the signpost',
    "stay": f"{PATTERNS}: does not travel and stays where it is",
    "only": f"{PATTERNS}: nothing else travels",
    "files": "only these files move, and join others",
    "archive": "what is in it is unpacked; the archive stays until its release",
    "post": "a link to the new place is left there",
}
SAID_OF_LEDGERS = {
    "front": "where a part of a content folder moves, a new one comes in front of it",
    "cut": "is copied without the lines for what does not travel",
    "over": "takes the place of this one, which is kept",
    "merge": "what this copy counts is brought together",
    "prefer": "which of the two holds where both changed the same thing",
}
LIKE = {True: "found wherever the drive is mounted", False: "what shows how entries are written"}
RELINKED = {
    ALL: "entries for what is gone from there refer to the new place; nothing moves",
    LEVEL: "only this folder entry; what starts from it starts from the new one",
    ONE: "only this one; nothing moves",
    PLACE: "the same on another computer: everything that refers to the one refers to the other",
    NEW_THINGS: "where a program puts what comes next; what is there already stays",
}


def notes(struct: Struct) -> Mapping[str, str]:
    """The comments on the keys of one table of a waybill."""
    match struct:
        case Waybill():
            return SAID_OF_PLANS
        case ShelfTable():
            return SAID_OF_SHELVES
        case LedgerLine():
            return {**SAID_OF_LEDGERS, "like": LIKE[struct.like == RELATIVE], **in_line("rewrite", struct.why)}
        case Relink():
            return in_line("from", struct.why or RELINKED[struct.what])
        case FolderLine():
            return {"do": "a list of folders; nothing moves"}
        case Newer():
            return {"path": "gets the content of the newer one, and is kept"}
    return {}


def choices(struct: Struct) -> Sequence[str]:
    """What is written of a table even where it is as usual."""
    match struct:
        case ShelfTable():
            return ("care", "leave", "entries", "stay")
        case LedgerLine():
            return ("rewrite", "prefer") if struct.merge else ("rewrite",)
    return ()


def in_line(key: str, why: str) -> Mapping[str, str]:
    """A reason as a comment of one line; none where there is no reason."""
    return {key: " ".join(show(why).split())} if why else {}


def render(waybill: Waybill, place: str) -> str:
    """The waybill as commented TOML; `place` is the name it will have, for the hint at its top."""
    return head(waybill, place) + tables(waybill)


def head(waybill: Waybill, place: str) -> str:
    """What stands at the top of a waybill of that name."""
    words = HEAD if waybill.shelves else HEAD.replace("haul {place}", "mend {place}").replace("one trip", "mending")
    return "".join(f"# {line}\n" for line in words.format(place=typed(place)).splitlines())


def tables(waybill: Waybill) -> str:
    """What the waybill says, whatever its name."""
    return tomlkit.dumps(document_of(apart(waybill), notes=notes, always=choices))


def ledger_table(line: LedgerLine) -> tomlkit.items.Table:
    """One [[ledger]] table."""
    return table_of(line, notes, choices)


def keep(waybill: Waybill) -> str:
    """Write the waybill among our own data, because nobody asked for a file; its path.

    The same plan gets the same file, so that the same command, interrupted and typed again, continues its trip.
    """
    said = tables(waybill)
    path = os.path.join(made_home("waybills"), f"{short_name(head(waybill, '') + said)}.toml")
    put(head(waybill, path) + said, path)
    return path


def write(waybill: Waybill, path: str, mode: int = 0o666, proposed: Sequence[Relink] = ()) -> None:
    """Write the waybill to `path`, whole or not at all; what is only `proposed` is in it as comments."""
    put(render(waybill, path) + in_comments(proposed), path, mode)


def put(text: str, path: str, mode: int = 0o666) -> None:
    """Write the text of a waybill to `path`, whole or not at all."""
    with replacing(path, mode) as neighbour, open(neighbour, "w", encoding="utf-8") as stream:
        stream.write(text)


def in_comments(proposed: Sequence[Relink]) -> str:
    """Tables that mean something when a person takes the marks before them away."""
    if not proposed:
        return ""
    document, tables = tomlkit.document(), tomlkit.aot()
    for relink in proposed:
        tables.append(table_of(relink, notes))
    document.add("relink", tables)
    lines = tomlkit.dumps(document).splitlines()
    return "\n".join(["", PROPOSED, *(f"# {line}".rstrip() for line in lines), ""])
