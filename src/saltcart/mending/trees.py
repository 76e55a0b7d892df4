"""The paths of sounds in a database whose folders stand in a tree: each row holds a name and the row of its folder.

Nothing in such a database is a path.  A tree is told by its numbers: each row has one of its own, and all that one
column holds are numbers of other rows, up to rows whose names begin a path.
"""

import re
import sqlite3
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

from saltcart.ledgers.sqlite.opening import tables
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.shelves.audio import KINDS
from saltcart.system import os

MOST_ROWS, MOST_COLUMNS = 100_000, 30  # of a table that is looked at
DEEPEST = 100  # folders in each other
SAMPLE = 200  # paths that are looked for on the drives
TOP = re.compile(r"/|[A-Za-z]:|$")  # how the first name of a full path begins; it may be that of a root, which is empty
NO_FOLDER = (None, 0, -1)


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


def sounds_in(connection: sqlite3.Connection) -> list[str]:
    """The full paths of the sounds that a database names by trees of folders.

    Which column says the folder is only told by what comes of it: of several the one by which most sounds are there, or
    most are told apart.
    """
    found = [table for name, columns in tables(connection) if (table := loaded(connection, name, columns))]
    trees = [tree for table in found for tree in trees_of(table)]
    sounds: list[str] = []
    for table in found if trees else ():
        ways: list[list[str]] = [[*dict.fromkeys(way)] for tree in trees for way in sounds_of(table, tree)]
        best: list[str] = max(ways, key=likely, default=[])
        sounds += best
    return sounds


def likely(paths: list[str]) -> tuple[int, int]:
    """What tells which of several columns names the folders: how many sounds are there, and how many there are."""
    return sum(map(os.path.lexists, paths[:SAMPLE])), len(paths)


def loaded(connection: sqlite3.Connection, name: str, columns: Sequence[str]) -> Table | None:
    """A table with its content; None when it is too large to be looked at."""
    if not 2 <= len(columns) <= MOST_COLUMNS:
        return None
    cells = ", ".join(map(quoted, columns))
    rows = connection.execute(f"SELECT {cells} FROM {quoted(name)} LIMIT {MOST_ROWS + 1}").fetchall()
    if not 0 < len(rows) <= MOST_ROWS:
        return None
    return Table(name, dict(zip(columns, zip(*rows, strict=True), strict=True)))


def trees_of(table: Table) -> Iterator[dict[object, str]]:
    """The full paths of the folders in a table, by their numbers, for each way in which it is a tree."""
    for key, numbers in table.numbers():
        if None in numbers or len(set(numbers)) < len(numbers):
            continue
        for above, folders in table.numbers():
            if above == key or not leads_up(numbers, folders):
                continue
            for _name, titles in table.texts():
                paths = full_paths(dict(zip(numbers, zip(folders, titles, strict=True), strict=True)))
                if any(one[:1] != "/" or (len(one) > 1 and os.path.isdir(one)) for one in paths.values() if one):
                    yield paths  # else it is no tree of this computer's folders, as bookmarks are none


def leads_up(numbers: Sequence[object], folders: Sequence[object]) -> bool:
    """Whether each of some rows names another one as its folder, or none."""
    inside = set(folders).difference(NO_FOLDER)
    return bool(inside) and inside <= set(numbers) and any(one in NO_FOLDER for one in folders)


def full_paths(rows: Mapping[object, tuple[object, object]]) -> dict[object, str]:
    """The full paths of folders of which each has the number of another and a name; of those that begin one."""
    found: dict[object, str] = {}
    for number in rows:
        names: list[str] = []
        one = number
        while one in rows and one not in NO_FOLDER and len(names) < DEEPEST:
            one, title = rows[one]
            names.append(title if isinstance(title, str) else "")
        if names and one in NO_FOLDER and TOP.match(names[-1]) and not any("/" in name for name in names[:-1]):
            found[number] = "/".join([names[-1].rstrip("/"), *reversed(names[:-1])])
    return found


def sounds_of(table: Table, tree: Mapping[object, str]) -> Iterator[Iterator[str]]:
    """The full paths of the sounds that the rows of a table name, for each column that may hold their folders."""
    for _name, folders in table.numbers():
        if set(folders).difference(NO_FOLDER) <= tree.keys():
            for names in names_of(table):
                rows = zip(folders, names, strict=True)
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
