"""SQLite databases as ledgers, by a map: cells in place of spans.

A database is never changed in place.  It is copied page by page into a new file, the
mapped cells are changed there in one transaction, and the two files are compared cell
for cell before the new one may take the old one's name.
"""

import os
import re
import shutil
import sqlite3
import tempfile
from collections.abc import Hashable, Iterator, Mapping
from contextlib import closing, contextmanager
from urllib.parse import quote

from saltcart.errors import BadLedger, CannotSpell, show
from saltcart.ledgers.base import Entry
from saltcart.ledgers.maps import Map, Rule

MAGIC = b"SQLite format 3\0"
WRITES = re.compile(r"(?i)\b(?:INSERT\s+(?:OR\s+\w+\s+)?INTO|REPLACE\s+INTO|UPDATE(?:\s+OR\s+\w+)?|DELETE\s+FROM)\s+((?:\"[^\"]+\"|\[[^\]]+\]|`[^`]+`|\w+))")
SIDE_FILES = ("-wal", "-journal")
REMEDY_CELLS = "Leave this ledger out and use a signpost for its program."


def claims(head: bytes) -> bool:
    """Whether a file that begins with `head` is an SQLite database."""
    return head.startswith(MAGIC)


def quoted(name: str) -> str:
    """`name` as an SQL identifier."""
    return '"' + name.replace('"', '""') + '"'


def connect(path: str, options: str) -> sqlite3.Connection:
    """A connection that takes text as it is, valid UTF-8 or not."""
    uri = f"file:{quote(os.fsencode(path))}?{options}"
    connection = sqlite3.connect(uri, uri=True, timeout=1, isolation_level=None)
    connection.text_factory = lambda raw: raw.decode("utf-8", "surrogateescape")
    return connection


def unwritten(path: str) -> list[str]:
    """The side files that hold pages still to be written into the database at `path`."""
    return [path + suffix for suffix in SIDE_FILES if os.path.exists(path + suffix) and os.path.getsize(path + suffix)]


@contextmanager
def reading(path: str) -> Iterator[tuple[sqlite3.Connection, str]]:
    """A connection that reads the database with its unwritten pages and leaves no trace beside it, and its URI options.

    With pages unwritten the files are copied aside first, for SQLite would write them while it reads.
    """
    with open(path, "rb") as stream:
        head = stream.read(20)
    if not head.startswith(MAGIC):
        raise BadLedger(path, "is not an SQLite database", "Check the path, or use the map that fits this file.")
    with tempfile.TemporaryDirectory(prefix="saltcart-") as folder:
        options = "mode=ro"
        if side := unwritten(path):
            copy = os.path.join(folder, "database")
            shutil.copyfile(path, copy)
            for name in side:
                shutil.copyfile(name, copy + name[len(path) :])
            path, options = copy, "mode=rw"
        elif head[18:20] == b"\2\2":
            options = "mode=ro&immutable=1"  # in WAL mode even a reader would leave files beside it
        with closing(connect(path, options)) as connection:
            yield connection, f"file:{quote(os.fsencode(path))}?{options}"


class SqliteLedger:
    """A database read through a map.  Entry keys are (rule number, primary key of the row)."""

    def __init__(self, path: str, plan: Map):
        self.path = path
        self.plan = plan
        self.map_name = plan.name
        self.program = plan.program

    def entries(self) -> Iterator[Entry]:
        """See Ledger.entries."""
        for entry in self.cells():
            if entry.spelling.read(entry.written, "/") is not None:
                yield entry

    def remote(self) -> int:
        """See Ledger.remote."""
        return sum(bool(entry.written) and entry.spelling.read(entry.written, "/") is None for entry in self.cells())

    def cells(self) -> Iterator[Entry]:
        """Every mapped cell that holds text, or UTF-16 text in a blob.  Raises BadLedger."""
        with self.guarded(), reading(self.path) as (connection, _uri):
            for number, rule in enumerate(self.plan.rules):
                folders = self.folders(connection, rule)
                table = Table(connection, rule.table)
                by = quoted(rule.folder.by) if rule.folder else "NULL"
                for *key, cell, owner in connection.execute(table.select(rule.column, by, rule.where)):
                    text = cell if isinstance(cell, str) else utf16(cell)
                    if text is not None:
                        where = f"{rule.table}.{rule.column}, row {'/'.join(map(str, key))}"
                        yield Entry((number, *key), where, text, rule.spelling, rule.names, base=folders.get(owner))

    def folders(self, connection: sqlite3.Connection, rule: Rule) -> dict[object, Entry]:
        """The rows of the folder table of a rule, by the key that its entries refer to.

        Its cells are entries only where another rule maps that column too.
        """
        if not rule.folder:
            return {}
        query = f"SELECT {quoted(rule.folder.key)}, {quoted(rule.folder.column)} FROM {quoted(rule.folder.table)}"
        return {key: Entry(key, "", text, rule.folder.spelling, "folder") for key, text in connection.execute(query) if isinstance(text, str)}

    def played(self) -> Iterator[tuple[str, int | None, str | None]]:
        """Path, number of plays and last-played time of each file, where the map says which columns hold them (None: unknown)."""
        with self.guarded(), reading(self.path) as (connection, _uri):
            for rule in self.plan.rules:
                if not (rule.plays or rule.last_played):
                    continue
                extra = [quoted(column) if column else "NULL" for column in (rule.plays, rule.last_played)]
                query = f"SELECT {quoted(rule.column)}, {', '.join(extra)} FROM {quoted(rule.table)} WHERE typeof({quoted(rule.column)}) = 'text'"
                for text, plays, last in connection.execute(query):
                    if path := rule.spelling.read(text, os.path.dirname(self.path)):
                        yield path, plays, last

    @contextmanager
    def guarded(self) -> Iterator[None]:
        """Turn SQLite's errors into ours."""
        try:
            yield
        except sqlite3.OperationalError as error:
            if "locked" in str(error):
                raise BadLedger(self.path, "is locked by another program", "Close the program that uses it and try again.") from error
            raise BadLedger(self.path, f"cannot be read with the map {self.plan.path} ({error})") from error
        except sqlite3.DatabaseError as error:
            raise BadLedger(self.path, f"is damaged or no database ({error})", "Restore it from a backup, or leave it out.") from error

    def misfit(self) -> str | None:
        """What the map asks for that this database lacks, or None when they fit."""
        with self.guarded(), reading(self.path) as (connection, _uri):
            tables = [name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
            for rule in self.plan.rules:
                if rule.table not in tables:
                    return f'has no table "{rule.table}", which the map {self.plan.path} names; its tables: {", ".join(tables) or "none"}'
                columns = Table(connection, rule.table).columns
                if rule.folder and rule.folder.table not in tables:
                    return f'has no table "{rule.folder.table}", which the map {self.plan.path} names'
                for column in filter(None, (rule.column, rule.plays, rule.last_played)):
                    if column not in columns:
                        return f'table "{rule.table}" has no column "{column}", which the map {self.plan.path} names; it has: {", ".join(columns)}'
        return None

    def rewrite(self, target: str, changes: Mapping[Hashable, str]) -> None:
        """See Ledger.rewrite."""
        with self.guarded(), reading(self.path) as (source, uri):
            with closing(connect(target, "mode=rwc")) as copy:
                source.backup(copy)
                copy.execute("PRAGMA synchronous = OFF")  # the file is flushed as a whole before it takes its name
                try:
                    self.change(copy, changes)
                except sqlite3.IntegrityError as error:
                    raise CannotSpell(f"{show(self.path)}: the new paths break a rule of this database ({error})", REMEDY_CELLS) from error
                copy.execute("ATTACH ? AS before", (uri,))
                self.prove(copy, changes)
                copy.execute("DETACH before")

    def change(self, copy: sqlite3.Connection, changes: Mapping[Hashable, str]) -> None:
        """Write the new texts into `copy` in one transaction.

        Triggers that record a doing (stamps, change logs, counters) do not run; those that keep
        a full-text table in step with its content do, for that is derived.
        """
        copy.execute("BEGIN")
        asleep = sleeping_triggers(copy)
        for name, _sql in asleep:
            copy.execute(f"DROP TRIGGER main.{quoted(name)}")
        for number, rule in enumerate(self.plan.rules):
            # Bound as bytes and cast, since names that are not UTF-8 cannot be bound as text.
            mine = {key[1:]: text for key, text in changes.items() if key[0] == number}
            table = Table(copy, rule.table)
            if mine and any("blob" in kind for kind in table.kinds(copy, rule.column)):
                blobs = {tuple(key) for *key, kind in copy.execute(table.kinds_query(rule.column)) if kind == "blob"}
                copy.executemany(table.update(rule.column, "?"), ((mine[key].encode("utf-16-le", "surrogatepass"), *key) for key in mine.keys() & blobs))
                mine = {key: text for key, text in mine.items() if key not in blobs}
            copy.executemany(table.update(rule.column, "CAST(? AS TEXT)"), ((os.fsencode(text), *key) for key, text in mine.items()))
        for _name, sql in asleep:
            copy.execute(sql)
        copy.execute("COMMIT")

    def prove(self, copy: sqlite3.Connection, changes: Mapping[Hashable, str]) -> None:
        """Raise CannotSpell unless exactly the wanted cells differ between `copy` and the attached original."""
        trouble = differing_schema(copy)
        names = {name for (name,) in copy.execute("SELECT name FROM main.sqlite_master WHERE type = 'table'")}
        for name in sorted(names - derived(copy)):
            table = Table(copy, name)
            mapped = {rule.column: number for number, rule in enumerate(self.plan.rules) if rule.table == name}
            trouble = trouble or table.difference(copy, [column for column in table.columns if column not in mapped])
            for column, number in mapped.items():
                wanted = {key[1:]: text for key, text in changes.items() if key[0] == number}
                if {key: cell if isinstance(cell, str) else utf16(cell) for key, cell in table.changed(copy, column).items()} != wanted:
                    trouble = trouble or f"{name}.{column} differs in other rows than asked"
        if trouble:
            raise CannotSpell(f"{show(self.path)}: rewriting would change more than its entries ({trouble})", REMEDY_CELLS)

    def busy(self) -> str | None:
        """See Ledger.busy."""
        if side := unwritten(self.path):
            return f"has pages its program has not written yet ({show(os.path.basename(side[0]))})"
        try:
            with closing(connect(self.path, "mode=rw")) as connection:
                connection.execute("PRAGMA busy_timeout = 0")
                connection.execute("BEGIN EXCLUSIVE")
                connection.execute("ROLLBACK")
        except sqlite3.OperationalError as error:
            return f"cannot be locked ({error})"
        return None


class Table:
    """One table and, in `key`, the columns that tell its rows apart, as SQL.

    SQLite's own row number stays unquoted there: in double quotes it may pass for a text.
    """

    def __init__(self, connection: sqlite3.Connection, name: str):
        self.name = name
        facts = connection.execute(f"PRAGMA main.table_info({quoted(name)})").fetchall()
        self.columns = [fact[1] for fact in facts]
        names = {column.lower() for column in self.columns}
        hidden = next((word for word in ("rowid", "_rowid_", "oid") if word not in names), None)
        primary = [quoted(fact[1]) for fact in sorted(facts, key=lambda fact: fact[5]) if fact[5]]
        self.key = [hidden] if hidden and has_rowid(connection, name, hidden) else primary

    def keys(self, alias: str) -> str:
        """The key columns as SQL."""
        return ", ".join(f"{alias}.{column}" for column in self.key)

    def select(self, column: str, extra: str, where: str | None) -> str:
        """The query for key, content and something `extra` of every cell of `column` that holds text or a blob, in the order of the keys."""
        condition = f" AND ({where})" if where else ""
        return (
            f"SELECT {self.keys('t')}, t.{quoted(column)}, {extra} FROM main.{quoted(self.name)} AS t "
            f"WHERE typeof(t.{quoted(column)}) IN ('text', 'blob'){condition} ORDER BY {self.keys('t')}"
        )

    def kinds_query(self, column: str) -> str:
        """The query for key and storage class of every cell of `column`."""
        return f"SELECT {self.keys('t')}, typeof(t.{quoted(column)}) FROM main.{quoted(self.name)} AS t"

    def kinds(self, connection: sqlite3.Connection, column: str) -> set[str]:
        """The storage classes that stand in `column`."""
        return {kind for (kind,) in connection.execute(f"SELECT DISTINCT typeof({quoted(column)}) FROM main.{quoted(self.name)}")}

    def update(self, column: str, value: str) -> str:
        """The statement that sets one cell to the SQL `value`: its parameter first, then the key."""
        match = " AND ".join(f"{column} = ?" for column in self.key)
        return f"UPDATE main.{quoted(self.name)} SET {quoted(column)} = {value} WHERE {match}"

    def both(self) -> str:
        """The FROM clause that pairs each old row with the new one of the same key."""
        match = " AND ".join(f"x.{column} = y.{column}" for column in self.key)
        return f"FROM before.{quoted(self.name)} AS x LEFT JOIN main.{quoted(self.name)} AS y ON {match}"

    def difference(self, connection: sqlite3.Connection, columns: list[str]) -> str | None:
        """Where the table differs from the attached original in rows or in these columns, or None."""
        counts = [connection.execute(f"SELECT count(*) FROM {side}.{quoted(self.name)}").fetchone() for side in ("before", "main")]
        if counts[0] != counts[1]:
            return f"{self.name} would have other rows"
        for column in columns:
            if connection.execute(f"SELECT 1 {self.both()} WHERE {differs(column)} LIMIT 1").fetchone():
                return f"{self.name}.{column} would change"
        return None

    def changed(self, connection: sqlite3.Connection, column: str) -> dict[tuple[object, ...], object]:
        """Key and new value of every cell of `column` that differs from the attached original."""
        query = f"SELECT {self.keys('x')}, y.{quoted(column)} {self.both()} WHERE {differs(column)}"
        return {tuple(key): value for *key, value in connection.execute(query)}


def utf16(blob: bytes) -> str | None:
    """The UTF-16 text (little-endian, as databases that hold such keep it) in a blob, or None when it is none."""
    if not blob or len(blob) % 2:
        return None
    try:
        return blob.decode("utf-16-le")
    except UnicodeDecodeError:
        return None


def differs(column: str) -> str:
    """The condition that a cell differs in type or value, whatever the column's own idea of equality."""
    x, y = f"x.{quoted(column)}", f"y.{quoted(column)}"
    return f"({x} COLLATE BINARY IS NOT {y} OR typeof({x}) <> typeof({y}))"


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
    virtual = [name for (name,) in connection.execute("SELECT name FROM main.sqlite_master WHERE sql LIKE 'CREATE VIRTUAL%'")]
    names = [name for (name,) in connection.execute("SELECT name FROM main.sqlite_master WHERE type = 'table'")]
    return {name for name in names if any(name == one or name.startswith(f"{one}_") for one in virtual)}


def has_rowid(connection: sqlite3.Connection, name: str, word: str) -> bool:
    """Whether the rows of the table have SQLite's own number."""
    try:
        connection.execute(f"SELECT {word} FROM main.{quoted(name)} LIMIT 0")
    except sqlite3.OperationalError:
        return False
    return True


def differing_schema(connection: sqlite3.Connection) -> str | None:
    """Whether tables, indexes or triggers differ from the attached original."""
    query = "SELECT type, name, tbl_name, sql FROM {}.sqlite_master ORDER BY 1, 2"
    before, after = (connection.execute(query.format(side)).fetchall() for side in ("before", "main"))
    return None if before == after else "its tables would differ"
