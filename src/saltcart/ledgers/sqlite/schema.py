"""What a database keeps besides its rows: triggers, tables that are derived from others, definitions."""

import re
import sqlite3
from collections.abc import Iterator

WRITES = re.compile(
    r"(?i)\b(?:INSERT\s+(?:OR\s+\w+\s+)?INTO|REPLACE\s+INTO|UPDATE(?:\s+OR\s+\w+)?|DELETE\s+FROM)\s+"
    r"((?:\"[^\"]+\"|\[[^\]]+\]|`[^`]+`|\w+))"
)


def sleeping_triggers(connection: sqlite3.Connection) -> list[tuple[str, str]]:
    """Name and definition of the triggers that must not run: all that write to anything but full-text tables."""
    masters = connection.execute("SELECT name, sql, type FROM main.sqlite_master WHERE sql IS NOT NULL").fetchall()
    virtual = {name.lower() for name, sql, _type in masters if sql.upper().startswith("CREATE VIRTUAL")}
    return [(name, sql) for name, sql, kind in masters if kind == "trigger" and not set(written_by(sql)) <= virtual]


def written_by(sql: str) -> Iterator[str]:
    """The tables that a trigger's body writes to, in small letters; an odd name when it cannot be told."""
    _head, begin, body = sql.partition("BEGIN") if "BEGIN" in sql else sql.partition("begin")
    found = WRITES.findall(body)
    yield from (name.strip("\"'`[]").lower() for name in found)
    if not begin or not found:
        yield "?"


def derived(connection: sqlite3.Connection) -> set[str]:
    """The tables a database keeps for itself: full-text tables, and the shadow tables that hold them."""
    virtual = [
        name for (name,) in connection.execute("SELECT name FROM main.sqlite_master WHERE sql LIKE 'CREATE VIRTUAL%'")
    ]
    names = [name for (name,) in connection.execute("SELECT name FROM main.sqlite_master WHERE type = 'table'")]
    return {name for name in names if any(name == one or name.startswith(f"{one}_") for one in virtual)}


def differing_schema(connection: sqlite3.Connection) -> str | None:
    """Whether tables, indexes or triggers differ from the attached original."""
    query = "SELECT type, name, tbl_name, sql FROM {}.sqlite_master ORDER BY 1, 2"
    before, after = (connection.execute(query.format(side)).fetchall() for side in ("before", "main"))
    return None if before == after else "its tables would differ"
