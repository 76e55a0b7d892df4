"""Two copies of one database that both changed since they agreed: cells brought together as the map says.

A row of the one is that of the other when both have its key and its path leads to the same file.  What is merged are
cells that count or date a doing; rows that only one of them has stay where they are.
"""

import sqlite3
from collections.abc import Callable, Mapping, Sequence
from contextlib import closing
from typing import Any, NamedTuple

from saltcart.errors import CannotSpell, Refused, show
from saltcart.ledgers.facts import COLUMNS
from saltcart.ledgers.maps import ASK, Map
from saltcart.ledgers.sqlite.cells import REMEDY_CELLS
from saltcart.ledgers.sqlite.ledger import SqliteLedger
from saltcart.ledgers.sqlite.opening import connect, reading
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.ledgers.sqlite.schema import derived, differing_schema, triggers_asleep
from saltcart.ledgers.sqlite.tables import Table


class Merge(NamedTuple):
    """One cell that differs: of which rule, row and column, for which file, what it holds here and there, and what it
    will hold; where `how` is to ask, what it holds here unless the other is wanted.
    """

    rule: int
    key: tuple[object, ...]
    column: str
    how: str
    path: str
    ours: object
    theirs: object

    def value(self, theirs_where_asked: bool = False) -> object:
        """What the cell will hold."""
        if self.how == ASK:
            return self.theirs if theirs_where_asked else self.ours
        known = [cell for cell in (self.ours, self.theirs) if cell is not None]
        numbers = all(isinstance(cell, int | float) for cell in known)
        return max(known, key=float if numbers else str, default=None)  # type: ignore[arg-type]


class Comparison(NamedTuple):
    """The cells that differ, and how many rows only one of the two has."""

    cells: list[Merge]
    only_theirs: int
    only_ours: int


def merges(plan: Map) -> bool:
    """Whether a map says how to merge anything."""
    return any(rule.merge for rule in plan.rules)


def compare(ours: SqliteLedger, theirs: SqliteLedger, leads: Callable[[str], str]) -> Comparison:
    """What differs in the columns that the map merges; `leads` says where a path of theirs leads here.  Refused when
    the two have other tables.
    """
    refuse_other_tables(ours, theirs)
    cells: list[Merge] = []
    only = [0, 0]
    for number, rule in enumerate(ours.plan.rules):
        if not rule.merge:
            continue
        known = rows_of(ours, number)
        others = rows_of(theirs, number)
        same = {key for key in known.keys() & others.keys() if known[key][0] == leads(others[key][0])}
        only[0] += len(others) - len(same)
        only[1] += len(known) - len(same)
        for key in sorted(same, key=repr):
            path, here = known[key]
            for at, (column, how) in enumerate(columns_of(rule.facts, rule.merge)):
                if here[at] != others[key][1][at]:
                    cells.append(Merge(number, key, column, how, path, here[at], others[key][1][at]))
    return Comparison([one for one in cells if one.how == ASK or one.value() != one.ours], only[0], only[1])


def columns_of(facts: Sequence[str | None], merge: Mapping[str, str]) -> list[tuple[str, str]]:
    """The columns that are merged, and how."""
    named = dict(zip(COLUMNS, facts, strict=True))
    return [(column, how) for fact, how in merge.items() if (column := named[fact])]


def rows_of(ledger: SqliteLedger, number: int) -> dict[tuple[object, ...], tuple[str, tuple[object, ...]]]:
    """Path and merged cells of each row of a rule, by its key."""
    rule = ledger.plan.rules[number]
    columns = [column for column, _how in columns_of(rule.facts, rule.merge)]
    with ledger.guarded(), reading(ledger.path) as (connection, _uri):
        return {key: (path, cells) for key, path, cells in ledger.beside(connection, rule, columns)}


def refuse_other_tables(ours: SqliteLedger, theirs: SqliteLedger) -> None:
    """Raise Refused when the two databases have other tables: another version of their program wrote one of them."""
    query = "SELECT type, name, sql FROM sqlite_master WHERE name NOT LIKE 'sqlite_%' ORDER BY 1, 2"
    found = []
    for ledger in (ours, theirs):
        with ledger.guarded(), reading(ledger.path) as (connection, _uri):
            found.append(connection.execute(query).fetchall())
    if found[0] != found[1]:
        raise Refused(
            f"{show(ours.path)} and {show(theirs.path)} have other tables, as other versions of a program make them",
            "Bring both to the same version of their program first.",
        )


def put(target: str, plan: Map, cells: Sequence[Merge], theirs_where_asked: bool, before: str) -> int:
    """Write merged cells into the database at `target`, a copy of the one at `before`; how many changed.

    Raises CannotSpell, with nothing of use in `target`, when anything else would change.
    """
    wanted = [(one, value) for one in cells if (value := one.value(theirs_where_asked)) != one.ours]
    with closing(connect(target, "mode=rw")) as copy:
        copy.execute("PRAGMA synchronous = OFF")  # the file is flushed as a whole before it takes its name
        copy.execute("BEGIN")
        with triggers_asleep(copy):
            for one, value in wanted:
                table = Table(copy, plan.rules[one.rule].table)
                match = " AND ".join(f"{key} = ?" for key in table.key)
                copy.execute(
                    f"UPDATE main.{quoted(table.name)} SET {quoted(one.column)} = ? WHERE {match}", (value, *one.key)
                )
        copy.execute("COMMIT")
        prove(copy, plan, wanted, before)
    return len(wanted)


def prove(copy: sqlite3.Connection, plan: Map, wanted: Sequence[tuple[Merge, object]], before: str) -> None:
    """Raise CannotSpell unless exactly the wanted cells differ from the database at `before`."""
    with reading(before) as (_connection, uri):
        copy.execute("ATTACH ? AS before", (uri,))
        trouble = differing_schema(copy)
        names = [name for (name,) in copy.execute("SELECT name FROM main.sqlite_master WHERE type = 'table'")]
        for name in sorted(set(names) - derived(copy)):
            mine = [(one, value) for one, value in wanted if plan.rules[one.rule].table == name]
            trouble = trouble or difference(copy, Table(copy, name), mine)
        copy.execute("DETACH before")
    if trouble:
        raise CannotSpell(f"merging would change more than it should ({trouble})", REMEDY_CELLS)


def difference(copy: sqlite3.Connection, table: Table, wanted: Sequence[tuple[Merge, Any]]) -> str | None:
    """Where a table differs from the original in anything but the wanted cells."""
    merged = {one.column for one, _value in wanted}
    columns = ", ".join([*table.key, *(quoted(column) for column in table.columns if column not in merged)])
    for sides in (("main", "before"), ("before", "main")):
        first, second = (f"SELECT {columns} FROM {side}.{quoted(table.name)}" for side in sides)
        if copy.execute(f"{first} EXCEPT {second} LIMIT 1").fetchone():
            return f"other cells of {table.name} would change"
    asked = {(one.column, *one.key): value for one, value in wanted}
    match = " AND ".join(f"a.{key} = b.{key}" for key in table.key)
    for column in merged:
        query = (
            f"SELECT {table.keys('a')}, a.{quoted(column)} FROM main.{quoted(table.name)} AS a JOIN"
            f" before.{quoted(table.name)} AS b ON {match} WHERE a.{quoted(column)} IS NOT b.{quoted(column)}"
        )
        for *key, cell in copy.execute(query):
            if asked.pop((column, *key), None) != cell:
                return f"other cells of {table.name} would change"
    return f"cells of {table.name} would not change" if asked else None
