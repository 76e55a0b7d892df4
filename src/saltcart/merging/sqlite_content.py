"""A database as rows: its tables, what refers to what, and which columns are counts."""

import sqlite3
from collections import Counter
from collections.abc import Iterator, Mapping

from msgspec import Struct, field

from saltcart.ledgers.facts import LAST_PLAYED, PLAYS
from saltcart.ledgers.maps import Lists, Map
from saltcart.ledgers.sqlite.opening import tables
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.ledgers.sqlite.schema import derived
from saltcart.ledgers.sqlite.tables import Table
from saltcart.merging.rows import MOST_PLAYS, NEWEST, SUM, Cell, Key, Row, Spot, digest


class Plan(Struct):
    """What identifies the rows of one table, and what they refer to.

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

    def refs(self, values: Mapping[str, Cell]) -> dict[str, Spot]:
        """The rows that a row with these values refers to."""
        return {
            column: (target, (values[column],))
            for column, (target, _key) in self.refers.items()
            if values[column] is not None
        }

    def content_key(self, values: Mapping[str, Cell], told: Mapping[str, str]) -> str:
        """What finds a row without a key: all that it says; of paths, the place that is `told`."""
        refs = self.refs(values)
        own = {column: values[column] for column in self.own}
        own |= {column: None for column in self.refers if column not in refs}
        return digest([(column, told.get(column, value)) for column, value in own.items()], sorted(refs.items())).hex()


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
        """One table without its references.  CannotMerge where only a path identifies its rows."""
        facts = self.connection.execute(f"PRAGMA main.table_info({quoted(name)})").fetchall()
        key = [fact[1] for fact in sorted(facts, key=lambda fact: fact[5]) if fact[5]]
        types = {fact[1]: fact[2].upper() for fact in facts}
        numbered = len(key) == 1 and types[key[0]] == "INTEGER"
        paths = {rule.column for rule in self.map.rules if rule.table == name}
        if paths & set(key):
            key = []  # a row whose key is a path is identified by its content
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
        """The columns that make two new rows of a table one: its path, the name of a list, what must be unique, or all
        that a row without a key refers to, where no two refer to the same.
        """
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
        return tuple(plan.refers) if not plan.key and not plan.lists and self.each_refers_to_another(plan) else ()

    def each_refers_to_another(self, plan: Plan) -> bool:
        """Whether no two rows of a table refer to the same."""
        columns = ", ".join(map(quoted, plan.refers))
        query = f"SELECT 1 FROM main.{quoted(plan.name)} GROUP BY {columns} HAVING count(*) > 1 LIMIT 1"
        return bool(plan.refers) and self.connection.execute(query).fetchone() is None

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
            refs = plan.refs(values)
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
                row.key = (plan.content_key(values, told),)
            if plan.lists or not plan.key:
                counts[row.key] += 1
                row.key = (*row.key, counts[row.key])
            yield row, finder
