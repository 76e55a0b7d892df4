"""The paths of sounds in a database whose folders stand in a tree: each row holds a name and the row of its folder.

Nothing in such a database is a path.  A tree is told by its numbers: each row has one of its own, and all that one
column holds are numbers of other rows, up to rows whose names begin a path.
"""

import re
import sqlite3
from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import islice
from typing import NamedTuple

from saltcart.ledgers.sqlite.opening import tables
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.shelves.audio import KINDS
from saltcart.system import os

MOST_ROWS, MOST_COLUMNS = 100_000, 30  # of a table that is looked at
DEEPEST = 100  # folders in each other
MOST_TRIES = 10  # columns that may be those of folders, or their names
SAMPLE = 200  # paths that are looked for on the drives
TOP = re.compile(r"/|[A-Za-z]:|$")  # how the first name of a full path begins; it may be that of a root, which is empty
NO_FOLDER = (None, 0, -1)
NAMED = " OR ".join(f"cell LIKE '%{suffix}'" for suffix in KINDS)


class Table(NamedTuple):
    """The columns of a table, by their names."""

    name: str
    columns: Mapping[str, Sequence[object]]

    def numbers(self) -> Iterator[tuple[str, Sequence[object]]]:
        """The columns that hold whole numbers, or nothing."""
        return ((name, cells) for name, cells in self.columns.items() if kinds(cells) <= {int, type(None)})

    def texts(self) -> Iterator[tuple[str, Sequence[object]]]:
        """The columns that hold texts, or nothing."""
        return ((name, cells) for name, cells in self.columns.items() if str in kinds(cells) <= {str, type(None)})


def kinds(cells: Iterable[object]) -> set[type]:
    """The types of some cells."""
    return set(map(type, cells))


def sounds_in(connection: sqlite3.Connection) -> tuple[list[str], bool]:
    """The full paths of the sounds that a database names by trees of folders, and whether all of it was looked at.

    Which column says the folder is only told by what comes of it: of several the one by which most sounds are there, or
    most are told apart.
    """
    every = [loaded(connection, *table) for table in tables(connection)] if has_bare_names(connection) else []
    found = [table for table in every if table]
    trees = [tree for table in found for tree in trees_of(table)]
    sounds: list[str] = []
    for table in found if trees else ():
        names = list(names_of(table))
        ways = (way for tree in trees for way in sounds_of(table, tree, names))
        best: list[str] = max((list(dict.fromkeys(way)) for way in islice(ways, MOST_TRIES)), key=likely, default=[])
        sounds += best
    return sounds, not trees or None not in every


def has_bare_names(connection: sqlite3.Connection) -> bool:
    """Whether a database holds the name of a sound, or a suffix of such, and no path before it."""
    cells = (
        f"SELECT {quoted(column)} AS cell FROM {quoted(name)}" for name, some in tables(connection) for column in some
    )
    where = f"typeof(cell) = 'text' AND cell NOT LIKE '%/%' AND ({NAMED})"
    return any(connection.execute(f"SELECT 1 FROM ({one}) WHERE {where} LIMIT 1").fetchone() for one in cells)


def likely(paths: list[str]) -> tuple[int, int]:
    """What tells which of several columns names the folders: how many sounds are there, and how many there are."""
    return sum(map(os.path.lexists, paths[:SAMPLE])), len(paths)


def loaded(connection: sqlite3.Connection, name: str, columns: Sequence[str]) -> Table | None:
    """A table with its content; None when it is too large to be looked at."""
    if len(columns) > MOST_COLUMNS:
        return None
    cells = ", ".join(map(quoted, columns))
    rows = connection.execute(f"SELECT {cells} FROM {quoted(name)} LIMIT {MOST_ROWS + 1}").fetchall()
    if len(rows) > MOST_ROWS:
        return None
    return Table(name, dict(zip(columns, zip(*rows, strict=True), strict=True)) if rows else {})


def trees_of(table: Table) -> Iterator[dict[object, str]]:
    """The full paths of the folders in a table, by their numbers, for each way in which it is a tree."""
    columns, tries = [(cells, set(cells)) for _name, cells in table.numbers()], 0
    for numbers, known in columns:
        if None in known or len(known) < len(numbers):
            continue
        for folders, used in columns:
            if folders is numbers or not leads_up(known, used):
                continue
            for titles in (cells for _name, cells in table.texts() if names_folders(folders, cells)):
                tries += 1
                if tries > MOST_TRIES:
                    return
                paths = full_paths(dict(zip(numbers, zip(folders, titles, strict=True), strict=True)))
                if any(one[:1] != "/" or (len(one) > 1 and os.path.isdir(one)) for one in paths.values() if one):
                    yield paths  # else it is no tree of this computer's folders, as bookmarks are none


def leads_up(numbers: set[object], folders: set[object]) -> bool:
    """Whether rows with these numbers name each other as their folders, and some of them none."""
    inside = folders.difference(NO_FOLDER)
    return 0 < len(inside) < len(numbers) and inside <= numbers and len(inside) < len(folders)


def names_folders(folders: Sequence[object], titles: Sequence[object]) -> bool:
    """Whether each title is a name, and those of rows in no folder begin full paths."""
    pairs = ((folder in NO_FOLDER, str(title or "")) for folder, title in zip(folders, titles, strict=True))
    return all(TOP.match(title) if top else "/" not in title for top, title in pairs)


def full_paths(rows: Mapping[object, tuple[object, object]]) -> dict[object, str]:
    """The full paths of folders of which each has the number of another and a name; not of those in a ring."""
    found: dict[object, str | None] = {}
    for number in rows:
        chain: list[object] = []
        one = number
        while one in rows and one not in found and one not in NO_FOLDER and len(chain) < DEEPEST:
            chain.append(one)
            found[one] = None  # as long as it is not known where it leads, and for good in a ring
            one = rows[one][0]
        path = "" if one in NO_FOLDER else found.get(one)
        for inner in reversed(chain if path is not None else ()):
            title = str(rows[inner][1] or "")
            path = title.rstrip("/") if rows[inner][0] in NO_FOLDER else f"{path}/{title}"
            found[inner] = path
    return {number: path for number, path in found.items() if path is not None}


def sounds_of(table: Table, tree: Mapping[object, str], names: Iterable[Sequence[str]]) -> Iterator[Iterator[str]]:
    """The full paths of the sounds that the rows of a table name, for each column that may hold their folders, or their
    names.
    """
    for _name, folders in table.numbers():
        if set(folders).difference(NO_FOLDER) <= tree.keys():
            for cells in names:
                rows = zip(folders, cells, strict=True)
                yield (f"{tree[folder]}/{name}" for folder, name in rows if folder in tree and name)


def names_of(table: Table) -> Iterator[list[str]]:
    """The columns of a table that hold names of sounds, "" where there is none; whose suffixes may be in another."""
    texts = [(name, ["" if cell is None else str(cell) for cell in cells]) for name, cells in table.texts()]
    for name, cells in texts:
        if any(map(is_sound, cells)):
            yield [cell if is_sound(cell) else "" for cell in cells]
        for other, suffixes in texts:
            if other != name and {one.lower() for one in suffixes if one} <= KINDS.keys() and any(suffixes):
                yield [cell + suffix if suffix else "" for cell, suffix in zip(cells, suffixes, strict=True)]


def is_sound(name: str) -> bool:
    """Whether a text is the name of a sound, and no path."""
    return "/" not in name and "\\" not in name and os.path.splitext(name)[1].lower() in KINDS
