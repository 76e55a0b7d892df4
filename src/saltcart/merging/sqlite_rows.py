"""A database as rows, by the keys of its tables; rows that refer to each other are told by what they refer to.

What refers to what is taken from FOREIGN KEY clauses, from the lists of the map, and from columns that are named for a
table and hold nothing but keys of it.
"""

import sqlite3
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing
from functools import cached_property
from typing import Any

from msgspec import Struct, field

from saltcart.errors import show
from saltcart.ledgers import Ledger
from saltcart.ledgers.facts import LAST_PLAYED, PLAYS
from saltcart.ledgers.maps import Lists, Map
from saltcart.ledgers.sqlite.ledger import SqliteLedger
from saltcart.ledgers.sqlite.opening import connect, reading, tables
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.ledgers.sqlite.schema import derived, differing_schema, triggers_asleep
from saltcart.ledgers.sqlite.tables import Table
from saltcart.merging.forms import REMEDY, CannotMerge, Places, places_of
from saltcart.merging.history import Uid
from saltcart.merging.merged import Merged, Wanted
from saltcart.merging.rows import MOST_PLAYS, NEWEST, SUM, Cell, Content, Key, Row, Spot, digest


class Plan(Struct):
    """How the rows of one table are told apart and what they refer to.

    `key` are the columns of its primary key, none where it has none; `refers` gives table and column by column.  A
    table of members of lists has its `lists`.
    """

    name: str
    columns: list[str]
    key: list[str]
    numbered: bool
    refers: dict[str, tuple[str, str]] = field(default_factory=dict)
    lists: Lists | None = None

    @property
    def own(self) -> list[str]:
        """The columns that are cells: neither references, nor numbers of rows or of members of lists."""
        left_out = {*self.refers, *(self.key if self.numbered else ())}
        if self.lists:
            left_out |= {self.lists.by, self.lists.order}
        return [one for one in self.columns if one not in left_out]


class Database:
    """An opened database with the plans of its tables."""

    def __init__(self, connection: sqlite3.Connection, plan: Map):
        self.connection, self.map = connection, plan
        skipped = derived(connection)
        names = [(name, columns) for name, columns in tables(connection) if name not in skipped]
        self.plans = {name: self.plan_of(name, columns) for name, columns in names}
        for one in self.plans.values():
            one.refers = self.references(one)
            where = plan.lists
            if isinstance(where, Lists) and where.members == one.name and where.order in one.columns:
                known = one.refers.get(where.by), one.refers.get(where.track)
                one.lists = where if None not in known else None

    def plan_of(self, name: str, columns: list[str]) -> Plan:
        """One table without its references.  CannotMerge where its rows are told apart by a path and nothing else."""
        facts = self.connection.execute(f"PRAGMA main.table_info({quoted(name)})").fetchall()
        key = [fact[1] for fact in sorted(facts, key=lambda fact: fact[5]) if fact[5]]
        types = {fact[1]: fact[2].upper() for fact in facts}
        numbered = len(key) == 1 and types[key[0]] == "INTEGER"
        paths = {rule.column for rule in self.map.rules if rule.table == name}
        if paths & set(key):
            key = []  # a row whose name is a path is told by its content
        return Plan(name, columns, key, numbered)

    def references(self, plan: Plan) -> dict[str, tuple[str, str]]:
        """What columns of a table refer to."""
        found: dict[str, tuple[str, str]] = {}
        for fact in self.connection.execute(f"PRAGMA main.foreign_key_list({quoted(plan.name)})").fetchall():
            _number, order, table, column, to = fact[:5]
            target = self.plans.get(table)
            if target and order == 0 and target.numbered and (to or target.key[0]) == target.key[0]:
                found[column] = table, target.key[0]
        for column, (table, to) in self.told(plan):
            found.setdefault(column, (table, to))
        for column in plan.columns:
            if column not in found and plan.key != [column] and (target := self.named_for(plan, column)):
                found[column] = target.name, target.key[0]
        return found

    def told(self, plan: Plan) -> Iterator[tuple[str, tuple[str, str]]]:
        """What the map says of columns that refer to others."""
        where = self.map.lists
        if isinstance(where, Lists) and where.members == plan.name:
            for column, table, key in (
                (where.by, where.table, where.key),
                (where.track, where.entries, where.entry_key),
            ):
                target = self.plans.get(table)
                if target and target.numbered and target.key == [key]:
                    yield column, (table, key)
        for rule in self.map.rules:
            if rule.table == plan.name and rule.folder and rule.folder.table:
                target = self.plans.get(rule.folder.table)
                if target and target.numbered and target.key == [rule.folder.key]:
                    yield rule.folder.by, (target.name, target.key[0])

    def named_for(self, plan: Plan, column: str) -> Plan | None:
        """The table that a column is named for, when all it holds are keys of it."""
        stem = column.lower().removesuffix("_id").removesuffix("id")
        for target in self.plans.values():
            name = target.name.lower()
            if stem and target.numbered and stem in (name, name.removesuffix("s")):
                query = (
                    f"SELECT count(*), sum(t.{quoted(column)} IN (SELECT {quoted(target.key[0])} FROM"
                    f" main.{quoted(target.name)})) FROM main.{quoted(plan.name)} AS t WHERE t.{quoted(column)} NOTNULL"
                )
                count, known = self.connection.execute(query).fetchone()
                if count == (known or 0):
                    return target
        return None

    def alike(self, plan: Plan) -> tuple[str, ...]:
        """The columns that make two new rows of a table one: its path, the name of a list, or what must be unique."""
        paths = [rule.column for rule in self.map.rules if rule.table == plan.name and not rule.folder]
        if paths:
            return (paths[0],)
        where = self.map.lists
        if isinstance(where, Lists) and where.table == plan.name:
            return (where.name,)
        for _number, name, unique, origin, *_rest in self.connection.execute(
            f"PRAGMA main.index_list({quoted(plan.name)})"
        ):
            columns = [fact[2] for fact in self.connection.execute(f"PRAGMA main.index_info({quoted(name)})")]
            if unique and origin != "pk" and all(one in plan.own for one in columns):
                return tuple(columns)
        return ()

    def roles(self, plan: Plan) -> dict[str, str]:
        """Which columns are counted, and which are dated: as the map says, else as their names do."""
        found = {column: NEWEST for column in plan.own if LAST_PLAYED.search(column)}
        found |= {column: SUM for column in plan.own if PLAYS.search(column) and column not in found}
        for rule in self.map.rules:
            if rule.table == plan.name:
                plays, last = rule.facts[:2]
                found |= ({plays: SUM} if plays else {}) | ({last: NEWEST} if last else {})
        return {column: role for column, role in found.items() if role != SUM or self.is_counted(plan, column)}

    def is_counted(self, plan: Plan, column: str) -> bool:
        """Whether a column holds whole numbers only, so that what was added to it can be told."""
        cell = quoted(column)
        odd = f"typeof({cell}) NOT IN ('integer', 'null') OR {cell} < 0 OR {cell} >= {MOST_PLAYS}"
        query = f"SELECT 1 FROM main.{quoted(plan.name)} WHERE {odd} LIMIT 1"
        return self.connection.execute(query).fetchone() is None

    def rows(self, places: Mapping[tuple[str, str, Key], str]) -> Iterator[tuple[Row, Key]]:
        """Every row, and what SQLite finds it by."""
        for plan in self.plans.values():
            yield from self.rows_of(plan, places)

    def rows_of(self, plan: Plan, places: Mapping[tuple[str, str, Key], str]) -> Iterator[tuple[Row, Key]]:
        """The rows of a table; members of lists in the order of these."""
        table = Table(self.connection, plan.name)
        order = f"{quoted(plan.lists.by)}, {quoted(plan.lists.order)}" if plan.lists else table.keys("t")
        cells = ", ".join(f"t.{quoted(one)}" for one in plan.columns)
        query = f"SELECT {table.keys('t')}, {cells} FROM main.{quoted(plan.name)} AS t ORDER BY {order}"
        counts: Counter[Key] = Counter()
        for found in self.connection.execute(query):
            finder, values = found[: len(table.key)], dict(zip(plan.columns, found[len(table.key) :], strict=True))
            refs: dict[str, Spot] = {
                column: (target, (values[column],))
                for column, (target, _key) in plan.refers.items()
                if values[column] is not None
            }
            own = {column: values[column] for column in plan.own}
            own |= {column: None for column in plan.refers if column not in refs}
            told = {column: path for column in own if (path := places.get((plan.name, column, finder)))}
            row = Row(plan.name, (), own, refs, told)
            if plan.lists:
                row.within = refs.pop(plan.lists.by, None)
                row.key = values[plan.lists.by], values[plan.lists.track]
            elif plan.key:
                row.key = tuple(values[column] for column in plan.key)
            else:
                row.key = (digest([(column, row.says(column)) for column in own], sorted(refs.items())).hex(),)
            if plan.lists or not plan.key:
                counts[row.key] += 1
                row.key = (*row.key, counts[row.key])
            yield row, finder


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
        self.finders = {row.spot: finder for row, finder in database.rows({})} if self.keyless else {}
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
        return {(one.table, self.keys[one.uid]): one.uid for one in plain}

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
