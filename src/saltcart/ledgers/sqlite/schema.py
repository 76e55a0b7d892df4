"""What a database keeps besides its rows: triggers, tables that are derived from others, definitions."""

import re
import sqlite3
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from typing import NamedTuple

from saltcart.ledgers.sqlite.quoting import quoted

WRITES = re.compile(
    r"(?i)\b(?:INSERT\s+(?:OR\s+\w+\s+)?INTO|REPLACE\s+INTO|UPDATE(?:\s+OR\s+\w+)?|DELETE\s+FROM)\s+"
    r"((?:\"[^\"]+\"|\[[^\]]+\]|`[^`]+`|\w+))"
)


class Sleeping(NamedTuple):
    """A trigger that must not run whole: its name and definition, and one that does only what keeps search tables in
    step, None when nothing in it does.
    """

    name: str
    sql: str
    part: str | None


# A statement of a trigger's body, up to its semicolon.
STATEMENT = re.compile(r"""((?:[^;'"]++|'[^']*'|"[^"]*")++);""")
# A full-text table whose content is another table's.
SEARCH_TABLE = re.compile(r"""(?is)\bUSING\s+fts([45])\s*\(.*\bcontent\s*=\s*(?!''|""|\s*[,)])""")


def sleeping_triggers(connection: sqlite3.Connection) -> list[Sleeping]:
    """The triggers that must not run: all that write to anything but full-text tables."""
    masters = connection.execute("SELECT name, sql, type FROM main.sqlite_master WHERE sql IS NOT NULL").fetchall()
    virtual = {name.lower() for name, sql, _type in masters if sql.upper().startswith("CREATE VIRTUAL")}
    return [
        Sleeping(name, sql, search_part(sql, virtual))
        for name, sql, kind in masters
        if kind == "trigger" and not set(written_by(sql)) <= virtual
    ]


@contextmanager
def triggers_asleep(copy: sqlite3.Connection) -> Iterator[None]:
    """Let those triggers sleep that record a doing; those that keep a full-text table in step run, because that is
    derived. What is derived is in step in the end.
    """
    asleep = sleeping_triggers(copy)
    for trigger in asleep:
        copy.execute(f"DROP TRIGGER main.{quoted(trigger.name)}")
        if trigger.part:
            copy.execute(trigger.part)
    yield
    for trigger in asleep:
        if trigger.part:
            copy.execute(f"DROP TRIGGER main.{quoted(trigger.name)}")
        copy.execute(trigger.sql)
    bring_in_step(copy)


def search_part(sql: str, virtual: set[str]) -> str | None:
    """A trigger with only those of its statements that write to `virtual` tables."""
    head, begin, body = sql.partition("BEGIN") if "BEGIN" in sql else sql.partition("begin")
    inside = body[: body.upper().rfind("END")]
    wanted = [one for one in STATEMENT.findall(inside) if set(written_by(f"BEGIN {one}")) <= virtual]
    return f"{head}{begin} {' '.join(f'{one.strip()};' for one in wanted)} END" if wanted else None


def bring_in_step(connection: sqlite3.Connection) -> None:
    """Build those full-text tables anew whose index says another thing than the tables that they are about.

    Raises sqlite3.DatabaseError when that cannot be done.  See sqlite.org/fts5.html, sections 6.7 and 6.12.
    """
    masters = connection.execute("SELECT name, sql FROM main.sqlite_master WHERE sql LIKE 'CREATE VIRTUAL%'").fetchall()
    for name, sql in masters:
        found = SEARCH_TABLE.search(sql)
        if found:
            table = quoted(name)
            check = (
                f"INSERT INTO main.{table} ({table}, rank) VALUES ('integrity-check', 1)"
                if found[1] == "5"
                else f"INSERT INTO main.{table} ({table}) VALUES ('integrity-check')"
            )
            try:
                connection.execute(check)
            except sqlite3.DatabaseError:
                connection.execute(f"INSERT INTO main.{table} ({table}) VALUES ('rebuild')")
                connection.execute(check)


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


def loose_ends(connection: sqlite3.Connection) -> Counter[str]:
    """How many rows of each table refer to one that is not there (sqlite.org/pragma.html, foreign_key_check); none
    where the references themselves make no sense.
    """
    try:
        return Counter(row[0] for row in connection.execute("PRAGMA main.foreign_key_check"))
    except sqlite3.OperationalError:
        return Counter()


def differing_schema(connection: sqlite3.Connection) -> str | None:
    """Whether tables, indexes or triggers differ from the attached original."""
    query = "SELECT type, name, tbl_name, sql FROM {}.sqlite_master ORDER BY 1, 2"
    before, after = (connection.execute(query.format(side)).fetchall() for side in ("before", "main"))
    return None if before == after else "its tables would differ"
