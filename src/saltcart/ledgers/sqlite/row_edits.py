"""Rows that come into a table of folders, rows that go, and entries that start from another of them."""

import sqlite3
from collections.abc import Mapping, Sequence
from contextlib import closing, suppress
from typing import Any

from msgspec.structs import replace

from saltcart.errors import CannotSpell, show
from saltcart.ledgers.base import REMEDY_LIST, Key, ListEdits
from saltcart.ledgers.maps import Addition, FolderOf, Rule
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.ledgers.sqlite.tables import Rows, Table


class RowEdits:
    """The edits of a list in a database, as rows.  Raises CannotSpell where the map does not say how."""

    def __init__(self, copy: sqlite3.Connection, path: str, rules: Sequence[Rule], edits: ListEdits):
        self.copy, self.path, self.rules = copy, path, list(rules)
        self.added = [
            (key[0], text) for side in (edits.front, edits.behind) for key, texts in side.items() for text in texts
        ]
        self.gone = sorted(edits.gone)
        self.parted = edits.parted
        self.owners: dict[str, dict[str, dict[Key, object]]] = {}  # by table, column and row what is now in a cell
        self.known: dict[tuple[FolderOf, str], object] = {}  # by folder table and text what its row is referred to by
        self.listings: dict[tuple[str | None, str], Rule] = {}  # by table and column of folders, how a row is added
        self.come: dict[str, set[object]] = {}
        self.by_itself: dict[tuple[str, str], object] = {}  # by table and column, what a single row holds
        for number in {number for number, _text in self.added} | {key[0] for key in self.gone}:
            rule = rules[number]
            if rule.add is None and any(at == number for at, _text in self.added):
                self.rules[number] = replace(rule, add=self.addition(rule))
            if not Table(copy, rule.table).numbered:
                raise CannotSpell(f"{show(path)}: the rows of {show(rule.table)} have no numbers", REMEDY_LIST)

    def addition(self, rule: Rule) -> Addition:
        """What else is in a new row of a table of which the map does not say so, as the rows there show it: in each
        column the value that all of them have, or a number that is one higher in each.  With a single row, a column
        shows what its table fills in, which is seen when the new row is there.  Raises CannotSpell.
        """
        table, where = Table(self.copy, rule.table), rule.where or "1"
        values: dict[str, object] = {}
        counts: list[str] = []
        for column in table.columns:
            if column == rule.column or column in table.key:
                continue
            cell = quoted(column)
            query = f"SELECT {cell} FROM main.{quoted(rule.table)} AS t WHERE {where} ORDER BY {table.key[0]}"
            found = [value for (value,) in self.copy.execute(query)]
            if table.numbered and found == [key for (key,) in self.copy.execute(query.replace(cell, table.key[0], 1))]:
                continue  # another name of the row's number, which SQLite assigns
            numbers = [value for value in found if isinstance(value, int)]
            if len(found) == 1:
                self.by_itself[rule.table, column] = found[0]
            elif all(value == found[0] for value in found):
                values[column] = found[0]
            elif len(set(numbers)) == len(found) == max(numbers) - min(numbers) + 1:
                counts.append(column)
            else:
                raise self.unknown(rule, column)
        return Addition(values, counts)

    def unknown(self, rule: Rule, column: str) -> CannotSpell:
        """The error for a column of which the rows do not show what a new one needs."""
        return CannotSpell(
            f"{show(self.path)}: nothing shows what a new folder needs in the column {show(column)} of its table"
            f" {show(rule.table)}",
            "Add the folder in its program, or say it in the map: add = { values = {...} }",
        )

    def carry_out(self) -> None:
        """Add and remove the rows."""
        for number, key in self.gone:
            self.refuse_base(self.rules[number], key)
            table = Table(self.copy, self.rules[number].table)
            self.copy.execute(f"DELETE FROM main.{quoted(table.name)} WHERE {table.key[0]} = ?", (key,))
        for number, text in self.added:
            self.add(self.rules[number], text)
        for (number, *key), text in self.parted.items():
            self.part(self.rules[number], tuple(key), text)

    def part(self, rule: Rule, key: tuple[Any, ...], text: str) -> None:
        """Let the entry in a row start from the folder of that text.  Raises CannotSpell."""
        if rule.folder is None:
            raise CannotSpell(f"{show(self.path)}: the rows of {show(rule.table)} start from no folder", REMEDY_LIST)
        table, owner = Table(self.copy, rule.table), self.owner(rule.folder, text)
        match = " AND ".join(f"{column} = ?" for column in table.key)
        self.copy.execute(
            f"UPDATE main.{quoted(rule.table)} SET {quoted(rule.folder.by)} = ? WHERE {match}", (owner, *key)
        )
        self.owners.setdefault(rule.table, {}).setdefault(rule.folder.by, {})[key] = owner

    def owner(self, folder: FolderOf, text: str) -> object:
        """What a row refers to the folder of that text by, asked once for all that are in it."""
        if (folder, text) not in self.known:
            self.known[folder, text] = self.row_of(folder, text)
        return self.known[folder, text]

    def row_of(self, folder: FolderOf, text: str) -> object:
        """What the row of that folder is referred to by; one is made where there is none.  Raises CannotSpell."""
        name = folder.table or ""
        query = (
            f"SELECT {quoted(folder.key)} FROM main.{quoted(name)} WHERE {quoted(folder.column)} = CAST(? AS TEXT)"
            " LIMIT 1"
        )
        found = (Table(self.copy, name).raw(text),)
        if (row := self.copy.execute(query, found).fetchone()) is None:
            self.add(self.listing(folder), text)
            row = self.copy.execute(query, found).fetchone()
        if row is None or row[0] is None:
            raise CannotSpell(f"{show(self.path)}: a new row of {show(name)} would have no key", REMEDY_LIST)
        return row[0]

    def listing(self, folder: FolderOf) -> Rule:
        """How a row is added to a table of folders.  Raises CannotSpell."""
        name = folder.table or ""
        if (name, folder.column) not in self.listings:
            if not Table(self.copy, name).numbered:
                raise CannotSpell(f"{show(self.path)}: the rows of {show(name)} have no numbers", REMEDY_LIST)
            ours = (rule for rule in self.rules if (rule.table, rule.column) == (name, folder.column))
            rule = next(ours, Rule(name, folder.column, folder.spelling, "folder"))
            self.listings[name, folder.column] = replace(rule, add=rule.add or self.addition(rule))
        return self.listings[name, folder.column]

    def add(self, rule: Rule, text: str) -> None:
        """Add one row.  Raises CannotSpell when the map would not take it for a folder."""
        table, more = Table(self.copy, rule.table), rule.add
        values: dict[str, object] = dict(more.values) if more else {}
        for column in more.counts if more else ():
            query = f"SELECT coalesce(max({quoted(column)}), 0) + 1 FROM main.{quoted(rule.table)}"
            values[column] = self.copy.execute(query).fetchone()[0]
        if strange := [column for column in values if column not in table.columns]:
            raise CannotSpell(f"{show(self.path)}: {show(rule.table)} has no column {show(strange[0])}", REMEDY_LIST)
        columns = ", ".join(map(quoted, [rule.column, *values]))
        marks = ", ".join(["CAST(? AS TEXT)", *"?" * len(values)])
        row = f"INSERT INTO main.{quoted(rule.table)} ({columns}) VALUES ({marks})"
        try:
            made = self.copy.execute(row, (table.raw(text), *values.values())).lastrowid
        except sqlite3.IntegrityError as error:
            raise CannotSpell(f"{show(self.path)}: its table takes no such row ({error})", REMEDY_LIST) from error
        for (name, column), usual in self.by_itself.items():
            cell = f"SELECT {quoted(column)} FROM main.{quoted(rule.table)} WHERE {table.key[0]} = ?"
            if name == rule.table and self.copy.execute(cell, (made,)).fetchone()[0] != usual:
                raise self.unknown(rule, column)
        meets = f"SELECT 1 FROM main.{quoted(rule.table)} AS t WHERE {table.key[0]} = ? AND ({rule.where or 1})"
        if not self.copy.execute(meets, (made,)).fetchone():
            raise CannotSpell(
                f"{show(self.path)}: a new row of {show(rule.table)} would not be one of those the map means",
                f"Let add = {{ values = ... }} in the map agree with where = {rule.where}.",
            )
        self.come.setdefault(rule.table, set()).add(made)

    def refuse_base(self, rule: Rule, key: object) -> None:
        """Raise CannotSpell when entries start from the folder in a row."""
        for other in self.rules:
            folder = other.folder
            if folder and folder.table == rule.table and folder.column == rule.column:
                query = (
                    f"SELECT 1 FROM main.{quoted(other.table)} WHERE {quoted(folder.by)} ="
                    f" (SELECT {quoted(folder.key)} FROM main.{quoted(rule.table)} WHERE rowid = ?) LIMIT 1"
                )
                if self.copy.execute(query, (key,)).fetchone():
                    raise CannotSpell(
                        f"{show(self.path)}: entries start from that folder",
                        "Take them out in its program, or move what they name first.",
                    )

    def of(self, table: str) -> Rows:
        """What came into a table and went."""
        gone = frozenset(key for number, key in self.gone if self.rules[number].table == table)
        return Rows(frozenset(self.come.get(table, ())), gone, self.owners.get(table, {}))

    def counters(self) -> set[str]:
        """The tables in which SQLite itself counts the rows that were added (sqlite.org/autoinc.html)."""
        return {"sqlite_sequence"} if self.come else set()


def partable(
    connection: sqlite3.Connection, path: str, rules: Sequence[Rule], parted: Mapping[Key, str]
) -> dict[Key, str]:
    """Those of some entries that can start from another folder: it is tried on a copy of its table in memory."""
    able: set[tuple[int, str]] = set()
    for number in {key[0] for key in parted}:
        folder = rules[number].folder
        if folder and folder.table:
            with closing(sqlite3.connect(":memory:")) as copy, suppress(sqlite3.Error, CannotSpell):
                copy_table(connection, copy, folder.table)
                rows = RowEdits(copy, path, rules, ListEdits())
                for text in dict.fromkeys(text for key, text in parted.items() if key[0] == number):
                    rows.owner(folder, text)
                    able.add((number, text))
    return {key: text for key, text in parted.items() if (key[0], text) in able}


def copy_table(connection: sqlite3.Connection, copy: sqlite3.Connection, name: str) -> None:
    """Make a table anew, with its rows, in another database."""
    query = "SELECT sql FROM main.sqlite_master WHERE type = 'table' AND name = ?"
    copy.execute(connection.execute(query, (name,)).fetchone()[0])
    table = Table(connection, name)
    columns = ", ".join([*(key for key in table.key if table.numbered), *map(quoted, table.columns)])
    marks = ", ".join("?" * (len(table.columns) + (len(table.key) if table.numbered else 0)))
    rows = connection.execute(f"SELECT {columns} FROM main.{quoted(name)}")
    copy.executemany(f"INSERT INTO {quoted(name)} ({columns}) VALUES ({marks})", rows)
