"""What in a database depends on a path: digests of it, its length, itself in small letters, a search table without its
texts.  What is found so in the rows as they were would be untrue beside a new path.
"""

import sqlite3
from collections.abc import Iterable, Sequence
from contextlib import suppress

from saltcart.ledgers.dependants import SHORT_SUMS, digests_of_text
from saltcart.ledgers.maps import Rule
from saltcart.ledgers.sqlite.cells import text_of
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.ledgers.sqlite.tables import Table

SAMPLE, SOUGHT = 40, 8  # rows that are looked at; paths whose digests are looked for in all other tables

Row = tuple[str, str, tuple[object, ...], tuple[object, ...]]  # path before and after, the cells beside it both times


def dependent(copy: sqlite3.Connection, rules: Iterable[Rule]) -> str | None:
    """What would be untrue in `copy`, to which the original is attached as `before`, in words; None for nothing."""
    mapped = {(rule.table, rule.column) for rule in rules} | {
        (rule.folder.table or rule.table, rule.folder.column) for rule in rules if rule.folder
    }
    changed: list[str] = []
    for rule in rules:
        table = Table(copy, rule.table)
        beside = [one for one in table.columns if (rule.table, one) not in mapped]
        rows = [] if rule.parts or table.tells_rows(rule.column) else rows_changed(copy, table, rule, beside)
        for number, column in enumerate(beside):
            if all_depend([(old, row[number]) for old, _new, row, _then in rows]) and not all_depend(
                [(new, row[number]) for _old, new, _now, row in rows]
            ):
                return f"{rule.table}.{column} depends on the path in {rule.table}.{rule.column}"
        changed += [old for old, _new, _now, _then in rows[:SOUGHT]]
    return elsewhere(copy, changed, mapped) or in_search_table(copy, changed)


def rows_changed(copy: sqlite3.Connection, table: Table, rule: Rule, beside: Sequence[str]) -> list[Row]:
    """Some rows in which the path changed."""
    cells = [f"{side}.{quoted(column)}" for side in ("b", "m") for column in (rule.column, *beside)]
    same = " AND ".join(f"b.{key} IS m.{key}" for key in table.key)
    column = quoted(rule.column)
    query = (
        f"SELECT {', '.join(cells)} FROM before.{quoted(rule.table)} b JOIN main.{quoted(rule.table)} m ON {same}"
        f" WHERE b.{column} IS NOT m.{column} LIMIT {SAMPLE}"
    )
    width = 1 + len(beside)
    found = ((row[:width], row[width:]) for row in copy.execute(query))
    return [
        (text_of(now[0]) or "", text_of(then[0]) or "", now[1:], then[1:]) for now, then in found if text_of(now[0])
    ]


def all_depend(pairs: Sequence[tuple[str, object]]) -> bool:
    """Whether in every row the cell is the same thing made of the path: a digest, the path in small letters; or, in
    enough rows of different lengths, its length.
    """
    if not pairs:
        return False
    if all(is_made_of(path, cell) for path, cell in pairs):
        return True
    lengths = {len(path) for path, _cell in pairs}
    return len(pairs) > 2 and len(lengths) > 1 and all(
        cell in (len(path), len(path.encode("utf-8", "surrogateescape"))) and not isinstance(cell, bool)
        for path, cell in pairs
    )  # fmt: skip


def is_made_of(path: str, cell: object) -> bool:
    """Whether a cell is a digest of a path, or the path in small letters."""
    raw = path.encode("utf-8", "surrogateescape")
    if isinstance(cell, int):
        return any(cell in (short(raw), short(raw) - (1 << 32)) for short in SHORT_SUMS)
    if isinstance(cell, str):
        low = cell.lower()
        sums = {f"{short(raw):08x}" for short in SHORT_SUMS}
        return (cell == path.lower() != path) or low in sums | {one.hex() for one in digests_of_text(path)}
    return isinstance(cell, bytes) and cell in digests_of_text(path)


def elsewhere(copy: sqlite3.Connection, paths: Sequence[str], mapped: set[tuple[str, str]]) -> str | None:
    """Whether a digest of one of these paths is in any table."""
    known = [one for path in paths for one in digests_of_text(path)]
    values: list[object] = [*known, *(one.hex() for one in known), *(one.hex().upper() for one in known)]
    tables = copy.execute("SELECT name FROM main.sqlite_master WHERE type = 'table' AND sql NOT LIKE '%VIRTUAL%'")
    copy.execute("CREATE TEMP TABLE IF NOT EXISTS sought (value PRIMARY KEY) WITHOUT ROWID")  # once for all columns
    copy.execute("DELETE FROM temp.sought")
    copy.executemany("INSERT OR IGNORE INTO temp.sought VALUES (?)", ((value,) for value in values))
    for (name,) in tables.fetchall() if values else ():
        for column in Table(copy, name).columns:
            if (name, column) in mapped:
                continue
            query = f"SELECT 1 FROM main.{quoted(name)} WHERE {quoted(column)} IN temp.sought LIMIT 1"
            with suppress(sqlite3.Error):
                if copy.execute(query).fetchone():
                    return f"{name}.{column} holds digests of the paths"
    return None


def in_search_table(copy: sqlite3.Connection, paths: Sequence[str]) -> str | None:
    """Whether a full-text table that keeps no texts of its own, and so cannot be given new ones, finds the paths
    (sqlite.org/fts5.html, contentless tables).
    """
    query = "SELECT name FROM main.sqlite_master WHERE sql LIKE 'CREATE VIRTUAL TABLE%fts%content=%'"
    for (name,) in copy.execute(query).fetchall() if paths else ():
        for path in paths[:SOUGHT]:
            phrase = '"' + " ".join(word for word in path.replace('"', " ").split("/") if word) + '"'
            with suppress(sqlite3.Error):
                found = copy.execute(f"SELECT 1 FROM main.{quoted(name)} WHERE {quoted(name)} MATCH ?", (phrase,))
                if found.fetchone():
                    return f"the search table {name} finds the old paths, and cannot learn new ones"
    return None
