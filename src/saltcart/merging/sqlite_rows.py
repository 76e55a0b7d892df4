"""A database as rows, by the keys of its tables; rows that refer to each other are identified by what they refer to.

What refers to what is taken from FOREIGN KEY clauses, from the lists of the map, and from columns that are named for a
table and hold nothing but keys of it.
"""

import sqlite3
from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from contextlib import closing
from functools import cached_property
from typing import Any

from saltcart.errors import show
from saltcart.ledgers.base import Ledger
from saltcart.ledgers.sqlite.ledger import SqliteLedger
from saltcart.ledgers.sqlite.opening import connect, reading
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.ledgers.sqlite.schema import differing_schema, triggers_asleep
from saltcart.ledgers.sqlite.tables import Table
from saltcart.merging.forms import REMEDY, CannotMerge, Places, places_of
from saltcart.merging.history import Uid
from saltcart.merging.merged import Merged, Wanted
from saltcart.merging.rows import Cell, Content, Key, Row, Spot
from saltcart.merging.sqlite_content import Database, Plan


class SqliteForm:
    """Databases as rows."""

    def read(self, ledger: Ledger, places: Places) -> Content:
        """See Form.read."""
        assert isinstance(ledger, SqliteLedger)
        with ledger.guarded(), reading(ledger.path) as (connection, _uri):
            found = Database(connection, ledger.plan)
            rows = [row for row, _finder in found.rows(self.places(ledger, places))]
            roles = {name: found.roles(plan) for name, plan in found.plans.items()}
            alike = {name: told for name, plan in found.plans.items() if (told := found.alike(plan))}
            query = "SELECT type, name, sql FROM sqlite_master WHERE name NOT LIKE 'sqlite_%' ORDER BY 1, 2"
            return Content(rows, roles, alike, repr(connection.execute(query).fetchall()))

    @staticmethod
    def places(ledger: SqliteLedger, places: Places) -> dict[tuple[str, str, Key], str]:
        """The places that paths mean, by table, column and what SQLite finds the row by."""
        found = {}
        for (number, *key), _where, place in places_of(ledger, places):
            rule = ledger.plan.rules[number]
            if place is not None and not rule.parts:
                found[rule.table, rule.column, tuple(key)] = place
        return found

    def write(self, ledger: Ledger, target: str, merged: Merged, ours: Mapping[Uid, Row]) -> dict[Spot, Uid]:
        """See Form.write; the file is a copy of ours already."""
        assert isinstance(ledger, SqliteLedger)
        with ledger.guarded(), closing(connect(target, "mode=rw")) as copy, reading(ledger.path) as (_before, uri):
            copy.execute("PRAGMA synchronous = OFF")  # the file is flushed as a whole before it takes its name
            copy.execute("BEGIN")
            work = Writing(Database(copy, ledger.plan), merged, ours)
            try:
                with triggers_asleep(copy):
                    spots = work.run()
            except (sqlite3.IntegrityError, OverflowError) as error:
                raise CannotMerge(
                    f"{show(ledger.path)}: the rows of both do not fit together ({error})", REMEDY
                ) from error
            copy.execute("COMMIT")
            copy.execute("ATTACH ? AS before", (uri,))
            if trouble := differing_schema(copy):
                raise CannotMerge(f"{show(ledger.path)}: {trouble}", REMEDY)
            copy.execute("DETACH before")
        return spots


class Writing:
    """The work of writing what was merged into a copy of ours."""

    def __init__(self, database: Database, merged: Merged, ours: Mapping[Uid, Row]):
        self.database, self.copy, self.merged, self.ours = database, database.connection, merged, ours
        self.finders: dict[Spot, Key] = {}
        if self.keyless:  # the copy has the rows of ours in the same order
            found = (finder for _row, finder in database.rows({}))
            self.finders = {row.spot: finder for row, finder in zip(ours.values(), found, strict=True)}
        self.keys: dict[Uid, Key] = {uid: row.key for uid, row in ours.items() if row.within is None}
        self.taken: dict[str, set[Key]] = defaultdict(set)
        for uid, key in self.keys.items():
            self.taken[ours[uid].table].add(key)
        self.free: dict[str, int] = {}

    @cached_property
    def keyless(self) -> bool:
        """Whether any table has rows without a key."""
        return any(not plan.key and not plan.lists for plan in self.database.plans.values())

    def run(self) -> dict[Spot, Uid]:
        """Remove, change and add rows, then bring the lists in order; where each row is found."""
        plain = [one for one in self.merged.rows.values() if one.within is None]
        for one in plain:
            if one.comes:
                self.keys[one.uid] = self.new_key(one)
        for uid in self.merged.goes:
            if self.ours[uid].within is None:
                self.remove(self.ours[uid])
        touched: dict[Uid, list[str]] = defaultdict(list)
        for uid, column in self.merged.changed:
            touched[uid].append(column)
        for one in plain:
            if one.comes:
                self.add(one)
            elif one.uid in touched:
                self.change(one, touched[one.uid])
        self.write_lists()
        counts: Counter[tuple[str, str]] = Counter()
        return {(one.table, self.final_key(one, counts)): one.uid for one in plain}

    def final_key(self, one: Wanted, counts: Counter[tuple[str, str]]) -> Key:
        """The key by which a row is found where it was written; of one that has none, by what is in it now."""
        plan = self.database.plans[one.table]
        if plan.key:
            return self.keys[one.uid]
        values = {column: self.value(one, column) for column in plan.columns}
        content = plan.content_key(values, one.row.places)
        counts[one.table, content] += 1
        return content, counts[one.table, content]

    def new_key(self, one: Wanted) -> Key:
        """The key of a row that comes: as it was there, or a number that is free here."""
        plan = self.database.plans[one.table]
        if not plan.key:
            return one.row.key
        if not plan.numbered:
            return tuple(
                self.keys[one.refs[column]][0] if column in one.refs else one.cells[column] for column in plan.key
            )
        taken, key = self.taken[one.table], one.row.key
        if key in taken:
            if one.table not in self.free:
                self.free[one.table] = max(int(known[0] or 0) for known in taken)
            while key in taken:
                self.free[one.table] += 1
                key = (self.free[one.table],)
        taken.add(key)
        return key

    def value(self, one: Wanted, column: str) -> Cell:
        """What a column of a row shall hold."""
        if column in one.refs:
            return self.keys[one.refs[column]][0] if one.refs[column] in self.keys else one.row.refs[column][1][0]
        plan = self.database.plans[one.table]
        return self.keys[one.uid][0] if plan.numbered and plan.key == [column] else one.cells.get(column)

    def match(self, table: Table, row: Row) -> tuple[str, Sequence[Any]]:
        """The condition that finds a row of ours."""
        plan = self.database.plans[row.table]
        if not plan.key:
            return " AND ".join(f"{one} = ?" for one in table.key), self.finders[row.spot]
        return " AND ".join(f"{quoted(one)} = ?" for one in plan.key), row.key

    def remove(self, row: Row) -> None:
        """Take a row out."""
        where, key = self.match(Table(self.copy, row.table), row)
        self.copy.execute(f"DELETE FROM main.{quoted(row.table)} WHERE {where}", key)

    def change(self, one: Wanted, columns: Sequence[str]) -> None:
        """Change cells of a row that is here."""
        table = Table(self.copy, one.table)
        where, key = self.match(table, self.ours[one.uid])
        for column in dict.fromkeys(columns):
            value = self.value(one, column)
            self.copy.execute(
                f"UPDATE main.{quoted(one.table)} SET {quoted(column)} = {mark(value)} WHERE {where}",
                (bound(table, value), *key),
            )

    def add(self, one: Wanted, more: Mapping[str, Cell] | None = None) -> None:
        """Add a row."""
        table, plan = Table(self.copy, one.table), self.database.plans[one.table]
        number = plan.key if plan.numbered and not plan.lists else []
        wanted = [*number, *plan.own, *(plan.refers if not plan.lists else [plan.lists.track])]
        values = {column: self.value(one, column) for column in dict.fromkeys(wanted)} | dict(more or {})
        columns, marks = ", ".join(map(quoted, values)), ", ".join(map(mark, values.values()))
        self.copy.execute(
            f"INSERT INTO main.{quoted(one.table)} ({columns}) VALUES ({marks})",
            [bound(table, value) for value in values.values()],
        )

    def write_lists(self) -> None:
        """Write the members of each list that is not as it was."""
        plan = next((plan for plan in self.database.plans.values() if plan.lists), None)
        if plan is None or plan.lists is None:
            return
        before: dict[Uid, list[Uid]] = defaultdict(list)
        spots = {self.ours[uid].spot: uid for uid in self.ours}
        for uid, row in self.ours.items():
            if row.within in spots:
                before[spots[row.within]].append(uid)
        touched = {self.merged.rows[uid].within for uid, _column in self.merged.changed if uid in self.merged.rows}
        first = self.first_place(plan)
        for parent in dict.fromkeys([*before, *self.merged.orders]):
            members = self.merged.orders.get(parent, (b"", []))[1]
            if members == before.get(parent) and parent not in touched:
                continue
            number = self.keys[parent][0]
            self.copy.execute(f"DELETE FROM main.{quoted(plan.name)} WHERE {quoted(plan.lists.by)} = ?", (number,))
            for place, uid in enumerate(members, first):
                self.add(self.merged.rows[uid], {plan.lists.by: number, plan.lists.order: place})

    def first_place(self, plan: Plan) -> int:
        """The number that the first member of a list has."""
        assert plan.lists is not None
        query = f"SELECT min({quoted(plan.lists.order)}) FROM main.{quoted(plan.name)}"
        found = self.copy.execute(query).fetchone()[0]
        return found if isinstance(found, int) else 0


def mark(value: Cell) -> str:
    """The parameter for a value: a text that is not UTF-8 is bound as bytes."""
    return "CAST(? AS TEXT)" if isinstance(value, str) else "?"


def bound(table: Table, value: Cell) -> Cell:
    """A value as it is bound."""
    return table.raw(value) if isinstance(value, str) else value
