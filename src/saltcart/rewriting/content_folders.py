"""Content folders added in front of old ones: where a program tries its folders in turn, the first that has a file
counts.

So when only a part of a content folder moves, nothing that is looked for needs another text: the
folder from which the same text leads to the new place comes in front of the old one in the list.
One that moves whole is written anew like any other entry, because nothing is left to be found in it.
"""

import re
from collections import Counter
from collections.abc import Hashable, Iterable, Sequence
from typing import TYPE_CHECKING, NamedTuple

from saltcart.errors import Refused, UsageError, show
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.base import Entry, Ledger, ListEdits
from saltcart.ledgers.sqlite.ledger import SqliteLedger
from saltcart.shelves.oddities import litter
from saltcart.shelves.walk import FILE, walk
from saltcart.spelling.moves import joined, tail_below
from saltcart.system import os

if TYPE_CHECKING:
    from saltcart.waybills.relinks import FolderLine
    from saltcart.waybills.shelf import Shelf


class AddedFolder(NamedTuple):
    """What moves is found from the folder `new` by the same texts as from the content folder `old`."""

    old: str
    new: str

    def finds(self, folder: str, text: str, wanted: str) -> bool:
        """Whether `text`, which was looked for in `folder`, leads to `wanted` once the new folder is in front: from
        there, or still from the old one.
        """
        return folder == self.old and wanted in (joined(top, text.removeprefix("./")) for top in self)


def added_folders(ledgers: Iterable[Ledger], shelves: "Sequence[Shelf]", resolver: Resolver) -> list[AddedFolder]:
    """What must come in front of the folders that ledgers list, so that these shelves can move.  UsageError when one
    lists none.
    """
    pairs: list[AddedFolder] = []
    for ledger in ledgers:
        folders = [folder for _entry, folder in listed(ledger, resolver)]
        if not folders:
            raise UsageError(
                f"{show(ledger.path)} lists no content folders",
                "Leave it out of --folder-first; its entries are rewritten anyway.",
            )
        pairs += [
            AddedFolder(folder, new) for folder in folders for shelf in shelves if (new := new_root(folder, shelf))
        ]
    return list(dict.fromkeys(pairs))


def divides(ledger: Ledger, shelves: "Sequence[Shelf]", resolver: Resolver) -> list[str]:
    """The content folders that a ledger lists of which a part moves and a part stays."""
    divided = [shelf for shelf in shelves if shelf.divided and shelf.own_folder]
    if not divided:
        return []
    return [
        folder
        for _entry, folder in listed(ledger, resolver)
        for shelf in divided
        if tail_below(folder, shelf.old) is not None and parted(shelf, folder)
    ]


def parted(shelf: "Shelf", folder: str) -> bool:
    """Whether of the files in a folder of a shelf some travel and some stay, litter apart."""
    taken = {
        shelf.takes(os.path.relpath(f"{folder}/{item.path}", shelf.old))
        for item in walk(folder)
        if item.kind == FILE and not litter(os.path.basename(item.path))
    }
    return len(taken) > 1


def in_lists(ledger: Ledger, resolver: Resolver) -> list[tuple[Entry, str]]:
    """Of the folders that a ledger names, those that are in a list by all looks, so that one more is no surprise to
    its program: rows of a table, in an array, several at one place or at numbered ones, or as its map says.
    """
    found = listed(ledger, resolver)
    if ledger.adds or isinstance(ledger, SqliteLedger):  # rows of a table come and go; the table says what is in one
        return found
    places = [entry.where.place for entry, _folder in found]
    counts = Counter(re.sub(r"\d+", "#", place) for place in places)
    first = re.compile(r"\D[01]\Z")  # `folder1` is the first of a list, even if it is the only one
    return [
        one
        for one, place in zip(found, places, strict=True)
        if counts[re.sub(r"\d+", "#", place)] > 1 or "*" in place or first.search(place)
    ]


def list_edits(ledger: Ledger, lines: "Sequence[FolderLine]", resolver: Resolver) -> ListEdits:
    """The edits that put folders into the list of a ledger, or take them out.  Refused when one is there already, or is
    not there.
    """
    found, base = listed(ledger, resolver), os.path.dirname(ledger.path)
    if not found:
        raise Refused(
            f"{show(ledger.path)} lists no folders, so nobody knows where one would go",
            "Add the first one in its program.",
        )
    front: dict[Hashable, list[str]] = {}
    behind: dict[Hashable, list[str]] = {}
    members, gone = in_lists(ledger, resolver) or found, set()
    for line in lines:
        there = [entry for entry, folder in members if same_place(folder, line.folder)]
        if line.do == "remove":
            if not there:
                raise Refused(f"{show(ledger.path)} does not list {show(line.folder)}", "See saltcart folders.")
            gone |= {entry.key for entry in there}
            continue
        if there:
            raise Refused(f"{show(ledger.path)} lists {show(line.folder)} already", "There is nothing to do.")
        at, side = (members[0][0], front) if line.do == "add first" else (members[-1][0], behind)
        text = resolver.text(at, at.written, line.folder, resolver.start(at, base))
        side.setdefault(at.key, []).append(text)
    return ListEdits(front, behind, frozenset(gone))


def same_place(one: str, other: str) -> bool:
    """Whether two folders are one, however they are written."""
    return os.path.normpath(one) == os.path.normpath(other) or os.path.realpath(one) == os.path.realpath(other)


def listed(ledger: Ledger, resolver: Resolver) -> list[tuple[Entry, str]]:
    """The entries of a ledger that list folders, and what they mean; not those that others start from."""
    place, entries = os.path.dirname(ledger.path), list(ledger.entries())
    starts = [entry.base for entry in entries if entry.base]
    bases = {base.key for base in starts}
    rows = {base.written for base in starts if not base.where}  # of a database, which are entries under other keys
    folders = [
        entry for entry in entries if entry.names == "folder" and entry.key not in bases and entry.written not in rows
    ]
    return [
        (entry, path)
        for entry in folders
        if (path := resolver.path(entry.spelling, entry.written, resolver.start(entry, place)))
    ]


def new_root(folder: str, shelf: "Shelf") -> str | None:
    """The folder from which texts that start from `folder` lead into the shelf's new place, where a part of it moves;
    None when there is none.
    """
    if shelf.along or shelf.entries == "keep":
        return None
    inside, above = tail_below(folder, shelf.old), tail_below(shelf.old, folder)
    if inside is not None:
        return shelf.place(inside) if shelf.divided else None
    root = shelf.new.removesuffix(f"/{above}") if above and shelf.new.endswith(f"/{above}") else ""
    return root if root and not os.path.ismount(root) else shelf.new if above else None
