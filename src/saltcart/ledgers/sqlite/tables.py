"""Tables as SQL: their keys, their cells, and how a changed one is held against the original."""

import sqlite3
from collections.abc import Iterator, Mapping, Sequence
from itertools import chain
from typing import Any, NamedTuple

from msgspec.structs import replace

from saltcart.errors import CannotSpell, show
from saltcart.ledgers.base import Key
from saltcart.ledgers.maps import Rule
from saltcart.ledgers.sqlite.cells import REMEDY_CELLS, blob_of, fetched, fetched_at_once, text_of
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.ledgers.sqlite.swaps import SqlSwaps
from saltcart.spelling.swaps import Swap
from saltcart.system import os


class Rows(NamedTuple):
    """The numbers of the rows of one table that have come and that have gone; by column and key the cells that refer to
    another row now, and by what.
    """

    come: frozenset[object] = frozenset()
    gone: frozenset[object] = frozenset()
    owners: Mapping[str, Mapping[Key, object]] = {}


class Table:
    """One table and, in `key`, the columns that tell its rows apart, as SQL.

    SQLite's own row number stays unquoted there: in double quotes it may pass for a text.
    """

    def __init__(self, connection: sqlite3.Connection, name: str):
        self.name = name
        facts = connection.execute(f"PRAGMA main.table_info({quoted(name)})").fetchall()
        self.columns = [fact[1] for fact in facts]
        self.untyped = {fact[1] for fact in facts if untyped(fact[2].upper())}
        names = {column.lower() for column in self.columns}
        hidden = next((word for word in ("rowid", "_rowid_", "oid") if word not in names), None)
        primary = [quoted(fact[1]) for fact in sorted(facts, key=lambda fact: fact[5]) if fact[5]]
        self.numbered = bool(hidden and has_rowid(connection, name, hidden))
        self.key = [hidden] if hidden and self.numbered else primary
        self.encoding = connection.execute("PRAGMA encoding").fetchone()[0].lower()

    def tells_rows(self, column: str) -> bool:
        """Whether the values of that column identify the rows."""
        return quoted(column) in self.key

    def sql_swaps(self, rule: Rule, swaps: Sequence[Swap]) -> SqlSwaps:
        """The swaps as SQL; none on what tells the rows apart, because that changes row by row."""
        return SqlSwaps(rule, () if self.tells_rows(rule.column) else swaps, self.encoding == "utf-8")

    def raw(self, text: str) -> bytes:
        """A text as the database holds it, by a cast: names that are not UTF-8 cannot be bound as text."""
        if self.encoding == "utf-8":
            return os.fsencode(text)
        try:
            return text.encode("utf-16-be" if self.encoding.endswith("be") else "utf-16-le")
        except UnicodeEncodeError as error:
            raise CannotSpell(f"a database in UTF-16 cannot hold the name {show(text)}", REMEDY_CELLS) from error

    def keys(self, alias: str) -> str:
        """The key columns as SQL."""
        return ", ".join(f"{alias}.{column}" for column in self.key)

    def fetch(
        self, connection: sqlite3.Connection, rule: Rule, besides: Sequence[Swap]
    ) -> Iterator[list[Sequence[Any]]]:
        """Key columns, contents and folder keys of all cells of a rule that hold something, in the order of the keys,
        some rows at a time.
        """
        column, owner = (
            f"t.{quoted(rule.column)}",
            (f", t.{quoted(rule.folder.by or rule.folder.column)}" if rule.folder else ""),
        )
        condition = f"{column} IS NOT NULL" + (f" AND ({rule.where})" if rule.where else "")
        if covered := self.sql_swaps(rule, besides).covers():
            condition += f" AND ({covered}) IS NOT TRUE"
        keys, table = self.keys("t"), f"main.{quoted(self.name)} AS t"
        if self.numbered and not owner and not covered:
            return fetched_at_once(
                connection, keys, column, table + " NOT INDEXED", condition
            )  # an index would bring another order
        query = f"SELECT {keys}, {column}{owner} FROM {table} WHERE {condition} ORDER BY {keys}"
        return (list(zip(*rows, strict=True)) for rows in fetched(connection, query))

    def fetch_beside(
        self, connection: sqlite3.Connection, rule: Rule, columns: Sequence[str | None], alike: bool = False
    ) -> Iterator[tuple[str, object, tuple[Any, ...], tuple[object, ...]]]:
        """Content, folder key and row key of each cell of a rule that holds text, and the cells in other columns of
        its row; of `alike` rows one, with how many they are in place of their keys.
        """
        owner = rule.folder and (rule.folder.by or rule.folder.column)
        beside = [f"t.{quoted(column)}" if column else "NULL" for column in (rule.column, owner, *columns)]
        condition = f"typeof(t.{quoted(rule.column)}) = 'text'" + (f" AND ({rule.where})" if rule.where else "")
        query = (
            f"SELECT {', '.join(beside)}, {'count(*)' if alike else self.keys('t')} FROM main.{quoted(self.name)} AS t"
            f" WHERE {condition}"
        )
        if alike:
            query += f" GROUP BY {', '.join(f'{one} COLLATE BINARY' for one in beside if one != 'NULL')}"
        end = 2 + len(columns)
        for row in chain.from_iterable(fetched(connection, query)):
            yield row[0], row[1], row[end:], row[2:end]

    def blobs_query(self, column: str) -> str:
        """The query for key and content of every cell of `column` that is a blob."""
        cell = f"t.{quoted(column)}"
        return f"SELECT {self.keys('t')}, {cell} FROM main.{quoted(self.name)} AS t WHERE typeof({cell}) = 'blob'"

    def kinds(self, connection: sqlite3.Connection, column: str) -> set[str]:
        """The storage classes that are in `column`."""
        return {
            kind
            for (kind,) in connection.execute(f"SELECT DISTINCT typeof({quoted(column)}) FROM main.{quoted(self.name)}")
        }

    def put(self, copy: sqlite3.Connection, column: str, texts: Mapping[Key, str]) -> None:
        """Set the cells of one column in the rows with those keys."""
        match = " AND ".join(f"{column} = ?" for column in self.key)
        update = f"UPDATE main.{quoted(self.name)} SET {quoted(column)} = {{}} WHERE {match}"
        blobs = {}
        if "blob" in self.kinds(copy, column):
            for *key, cell in copy.execute(self.blobs_query(column)).fetchall():
                if tuple(key) in texts and (blob := blob_of(cell)):
                    blobs[tuple(key)] = blob.holding(texts[tuple(key)])
        copy.executemany(update.format("?"), ((cell, *key) for key, cell in blobs.items()))
        # Bound as bytes and cast, since names that are not UTF-8 cannot be bound as text.
        others = ((self.raw(text), *key) for key, text in texts.items() if key not in blobs)
        copy.executemany(update.format("CAST(? AS TEXT)"), others)

    def difference(
        self,
        connection: sqlite3.Connection,
        rules: Mapping[int, Rule],
        swaps: Sequence[Swap],
        wanted: Mapping[Key, str],
        rows: Rows,
    ) -> str | None:
        """Where the table differs from the attached original in anything but what swaps, the texts `wanted` and `rows`
        say, or None.
        """
        mapped = {rule.column: number for number, rule in rules.items()}
        # What comes below starts from the old rows, so a row too many would not be met there.
        counts = [
            connection.execute(f"SELECT count(*) FROM {side}.{quoted(self.name)}").fetchone()
            for side in ("before", "main")
        ]
        if counts[0][0] + len(rows.come) - len(rows.gone) != counts[1][0]:
            return f"{self.name} would have other rows"
        asked = dict(wanted)
        keys = self.new_keys(connection, rules, wanted)
        for column, key, old, value in self.unlike(connection, rules, swaps, keys):
            if key[0] in rows.gone or (value is not None and rows.owners.get(column, {}).get(key) == value):
                continue
            number, text = mapped.get(column), text_in_place_of(old, value)
            if number is None or text is None or asked.pop((number, *key), None) != text:
                return f"other cells of {self.name} would change"
        # What was to change and is not unlike: it must say so already, or the rewrite has missed it.
        for (rule, *key), text in asked.items():
            cell = connection.execute(self.cell_query(rules[rule].column), key).fetchone()
            if not cell or text_of(cell[0]) != text:
                return f"cells of {self.name} would not change"
        return None

    def new_keys(self, connection: sqlite3.Connection, rules: Mapping[int, Rule], wanted: Mapping[Key, str]) -> bool:
        """Note, in a temporary table, the old and the new keys of rows that are identified by paths; whether there
        are any.
        """
        changed: dict[tuple[object, ...], list[object]] = {}
        for (number, *key), text in wanted.items():
            if self.tells_rows(rules[number].column):
                fresh = changed.setdefault(tuple(key), list(key))
                fresh[self.key.index(quoted(rules[number].column))] = text
        if changed:
            width = range(len(self.key))
            columns = ", ".join([*(f"o{at}" for at in width), *(f"n{at}" for at in width)])
            connection.execute("DROP TABLE IF EXISTS temp.new_keys")
            connection.execute(f"CREATE TEMP TABLE new_keys ({columns}, PRIMARY KEY ({columns}))")
            marks = ", ".join("?" * 2 * len(self.key))
            connection.executemany(
                f"INSERT INTO temp.new_keys VALUES ({marks})", ((*old, *new) for old, new in changed.items())
            )
        return bool(changed)

    def cell_query(self, column: str) -> str:
        """The query for one cell; its parameters are the key."""
        match = " AND ".join(f"{key} = ?" for key in self.key)
        return f"SELECT {quoted(column)} FROM main.{quoted(self.name)} WHERE {match}"

    def unlike(
        self, connection: sqlite3.Connection, rules: Mapping[int, Rule], swaps: Sequence[Swap], keys: bool
    ) -> Iterator[tuple[str, tuple[Any, ...], object, object]]:
        """Column, old key, old and new content of every cell that is not what it was, or what a swap makes of it.  With
        `keys` some rows have new keys.
        """
        differ = [
            self.differs(column, {number: rule for number, rule in rules.items() if rule.column == column}, swaps)
            for column in self.columns
        ]
        match = " AND ".join(f"t.{key} = y.{key}" for key in self.key)
        renamed = ""
        if keys:
            olds = " AND ".join(f"t.{key} = k.o{at}" for at, key in enumerate(self.key))
            renamed = f" LEFT JOIN temp.new_keys AS k ON {olds}"
            match = " AND ".join(
                f"y.{key} = CASE WHEN k.o{at} IS NULL THEN t.{key} ELSE k.n{at} END" for at, key in enumerate(self.key)
            )
        tests = ", ".join(
            f"{test}, t.{quoted(column)}, y.{quoted(column)}" for column, test in zip(self.columns, differ, strict=True)
        )
        query = (
            f"SELECT {self.keys('t')}, {tests} FROM {self.before(rules)} AS t{renamed}"
            f" LEFT JOIN main.{quoted(self.name)} AS y ON {match} "
            f"WHERE {' OR '.join(sorted(differ, key=len))}"  # what is seen at once comes first
        )
        for row in connection.execute(query):
            key, cells = row[: len(self.key)], row[len(self.key) :]
            for column, differing, old, new in zip(self.columns, cells[::3], cells[1::3], cells[2::3], strict=True):
                if differing:
                    yield column, key, old, new

    def before(self, rules: Mapping[int, Rule]) -> str:
        """The attached original, and in it whether each row meets the conditions of the rules, which would be
        ambiguous beside the new table.
        """
        meets = [f'({rule.where}) AS "where {number}"' for number, rule in rules.items() if rule.where]
        if not meets:
            return f"before.{quoted(self.name)}"
        hidden = [f"t.{key} AS {key}" for key in self.key if not key.startswith('"')]
        return f"(SELECT {', '.join([*hidden, *meets, 't.*'])} FROM before.{quoted(self.name)} AS t)"

    def differs(self, column: str, rules: Mapping[int, Rule], swaps: Sequence[Swap]) -> str:
        """The condition that a new cell (of `y`) is not the old one (of `t`), or what a swap of its rules makes of
        that.
        """
        x, y = f"t.{quoted(column)}", f"y.{quoted(column)}"
        unlike = f"{x} COLLATE BINARY IS NOT {y}" + (
            f" OR typeof({x}) <> typeof({y})" if column in self.untyped else ""
        )
        for number, rule in rules.items():
            found = self.sql_swaps(replace(rule, where=rule.where and f't."where {number}"'), swaps)
            if covered := found.covers():
                unlike = f"({found.made(y)}) IS NOT TRUE AND ({unlike} OR {covered})"
        return f"({unlike})"


def text_in_place_of(old: object, value: object) -> str | None:
    """The text that a cell holds now, written as it was before; None when there is none, or it is written otherwise."""
    text = text_of(value)
    if isinstance(old, bytes) and text is not None and (blob := blob_of(old)):
        return text if value == blob.holding(text) else None
    return text


def untyped(declared: str) -> bool:
    """Whether a column of that declared type may hold 1 and 1.0 as different values (sqlite.org/datatype3.html,
    section 3.1).
    """
    return declared in ("", "ANY") or (
        "BLOB" in declared and not any(word in declared for word in ("INT", "CHAR", "CLOB", "TEXT"))
    )


def has_rowid(connection: sqlite3.Connection, name: str, word: str) -> bool:
    """Whether the rows of the table have SQLite's own number."""
    try:
        connection.execute(f"SELECT {word} FROM main.{quoted(name)} LIMIT 0")
    except sqlite3.OperationalError:
        return False
    return True
