"""Rows that come into a table of folders, and rows that go."""

import sqlite3
from collections.abc import Sequence

from saltcart.errors import CannotSpell, show
from saltcart.ledgers.base import REMEDY_LIST, ListEdits
from saltcart.ledgers.maps import Rule
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.ledgers.sqlite.tables import Rows, Table


class RowEdits:
    """The edits of a list in a database, as rows.  Raises CannotSpell where the map does not say how."""

    def __init__(self, copy: sqlite3.Connection, path: str, rules: Sequence[Rule], edits: ListEdits):
        self.copy, self.path, self.rules = copy, path, rules
        self.added = [
            (key[0], text) for side in (edits.front, edits.behind) for key, texts in side.items() for text in texts
        ]
        self.gone = sorted(edits.gone)
        self.come: dict[str, set[object]] = {}
        for number in {number for number, _text in self.added} | {key[0] for key in self.gone}:
            rule = rules[number]
            if rule.add is None:
                raise CannotSpell(
                    f"{show(path)}: the map does not say what else stands in a row of {show(rule.table)}",
                    "Say so in the map: add = { values = {...} }, or add the folder in its program.",
                )
            if not Table(copy, rule.table).numbered:
                raise CannotSpell(f"{show(path)}: the rows of {show(rule.table)} have no numbers", REMEDY_LIST)

    def carry_out(self) -> None:
        """Add and remove the rows."""
        for number, key in self.gone:
            self.refuse_base(self.rules[number], key)
            table = Table(self.copy, self.rules[number].table)
            self.copy.execute(f"DELETE FROM main.{quoted(table.name)} WHERE {table.key[0]} = ?", (key,))
        for number, text in self.added:
            self.add(self.rules[number], text)

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
        made = self.copy.execute(
            f"INSERT INTO main.{quoted(rule.table)} ({columns}) VALUES ({marks})", (table.raw(text), *values.values())
        ).lastrowid
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
        return Rows(frozenset(self.come.get(table, ())), gone)

    def counters(self) -> set[str]:
        """The tables in which SQLite itself counts the rows that were added (sqlite.org/autoinc.html)."""
        return {"sqlite_sequence"} if self.come else set()
