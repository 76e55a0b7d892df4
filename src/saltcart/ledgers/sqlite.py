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
from collections.abc import Hashable, Iterator, Mapping, Sequence
from contextlib import closing, contextmanager
from dataclasses import replace
from itertools import groupby, islice
from operator import methodcaller
from urllib.parse import quote

from saltcart.errors import BadLedger, CannotSpell, show
from saltcart.ledgers.base import Batch, Batched, Entry
from saltcart.ledgers.maps import Map, Rule
from saltcart.ledgers.rules import parted
from saltcart.spelling.swaps import Swap

MAGIC = b"SQLite format 3\0"
WRITES = re.compile(r"(?i)\b(?:INSERT\s+(?:OR\s+\w+\s+)?INTO|REPLACE\s+INTO|UPDATE(?:\s+OR\s+\w+)?|DELETE\s+FROM)\s+((?:\"[^\"]+\"|\[[^\]]+\]|`[^`]+`|\w+))")
BATCH_ROWS = 10_000
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
    connection.text_factory = methodcaller("decode", "utf-8", "surrogateescape")
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


class SqliteLedger(Batched):
    """A database read through a map.  Entry keys are (rule number, primary key of the row)."""

    def __init__(self, path: str, plan: Map):
        self.path = path
        self.plan = plan
        self.map_name = plan.name
        self.program = plan.program

    def batches(self, besides: Sequence[Swap] = ()) -> Iterator[Batch]:
        """See Ledger.batches: every mapped cell that holds text, or UTF-16 text in a blob."""
        with self.guarded(), reading(self.path) as (connection, _uri):
            for number, rule in enumerate(self.plan.rules):
                folders = self.folders(connection, rule)
                for columns in fetched(connection, Table(connection, rule.table).select(rule, besides)):
                    owners = columns.pop() if rule.folder else ()
                    cells = columns.pop()
                    if rule.folder and not rule.folder.table:
                        folders = {text: Entry(text, "", text, rule.folder.spelling, "folder") for text in owners if isinstance(text, str)}
                    if rule.separator:
                        columns, cells = in_parts(columns, cells, rule.separator)
                    yield from batches_of(number, rule, columns, cells, owners, folders, self.content)

    def folders(self, connection: sqlite3.Connection, rule: Rule) -> dict[object, Entry]:
        """The rows of the folder table of a rule, by the key that its entries refer to.

        None are listed where the folder stands in the entry's own row.
        """
        if not rule.folder or not rule.folder.table:
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
                if rule.folder and (rule.folder.table or rule.table) not in tables:
                    return f'has no table "{rule.folder.table}", which the map {self.plan.path} names'
                beside = rule.folder.column if rule.folder and not rule.folder.table else rule.folder and rule.folder.by
                for column in filter(None, (rule.column, beside, rule.plays, rule.last_played)):
                    if column not in columns:
                        return f'table "{rule.table}" has no column "{column}", which the map {self.plan.path} names; it has: {", ".join(columns)}'
        return None

    def rewrite(self, target: str, changes: Mapping[Hashable, str], swaps: Sequence[Swap] = ()) -> None:
        """See Ledger.rewrite."""
        with self.guarded(), reading(self.path) as (source, uri):
            with closing(connect(target, "mode=rwc")) as copy:
                source.backup(copy)
                copy.execute("PRAGMA synchronous = OFF")  # the file is flushed as a whole before it takes its name
                if copy.execute("PRAGMA journal_mode").fetchone() != ("wal",):
                    copy.execute("PRAGMA journal_mode = OFF")  # one that fails is thrown away
                changes = self.whole_cells(copy, changes)
                try:
                    self.change(copy, changes, swaps)
                except sqlite3.IntegrityError as error:
                    raise CannotSpell(f"{show(self.path)}: the new paths break a rule of this database ({error})", REMEDY_CELLS) from error
                copy.execute("ATTACH ? AS before", (uri,))
                self.prove(copy, changes, swaps)
                copy.execute("DETACH before")

    def whole_cells(self, copy: sqlite3.Connection, changes: Mapping[Hashable, str]) -> Mapping[Hashable, str]:
        """`changes` with those to parts of lists put together into whole cells."""
        whole = {key: text for key, text in changes.items() if not self.plan.rules[key[0]].separator}
        parts: dict[tuple[object, ...], dict[int, str]] = {}
        for key, text in changes.items():
            if key not in whole:
                parts.setdefault(key[:-1], {})[key[-1]] = text
        for (number, *key), texts in parts.items():
            rule = self.plan.rules[number]
            cell = copy.execute(Table(copy, rule.table).cell_query(rule.column), key).fetchone()[0]
            whole[number, *key] = put_together(text_of(cell) or "", rule.separator or "", texts)
        return whole

    def change(self, copy: sqlite3.Connection, changes: Mapping[Hashable, str], swaps: Sequence[Swap]) -> None:
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
            if covered := covers(rule, swaps):
                copy.execute(f"UPDATE main.{quoted(rule.table)} AS t SET {quoted(rule.column)} = {swapped(rule, swaps)} WHERE {covered}")
            if mine and any("blob" in kind for kind in table.kinds(copy, rule.column)):
                blobs = {tuple(key) for *key, kind in copy.execute(table.kinds_query(rule.column)) if kind == "blob"}
                copy.executemany(table.update(rule.column, "?"), ((mine[key].encode("utf-16-le", "surrogatepass"), *key) for key in mine.keys() & blobs))
                mine = {key: text for key, text in mine.items() if key not in blobs}
            copy.executemany(table.update(rule.column, "CAST(? AS TEXT)"), ((os.fsencode(text), *key) for key, text in mine.items()))
        for _name, sql in asleep:
            copy.execute(sql)
        copy.execute("COMMIT")

    def prove(self, copy: sqlite3.Connection, changes: Mapping[Hashable, str], swaps: Sequence[Swap]) -> None:
        """Raise CannotSpell unless exactly the wanted cells differ between `copy` and the attached original."""
        trouble = differing_schema(copy)
        names = {name for (name,) in copy.execute("SELECT name FROM main.sqlite_master WHERE type = 'table'")}
        for name in sorted(names - derived(copy)):
            rules = {number: rule for number, rule in enumerate(self.plan.rules) if rule.table == name}
            wanted = {key: text for key, text in changes.items() if key[0] in rules}
            trouble = trouble or Table(copy, name).difference(copy, rules, swaps, wanted)
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
        self.untyped = {fact[1] for fact in facts if untyped(fact[2].upper())}
        names = {column.lower() for column in self.columns}
        hidden = next((word for word in ("rowid", "_rowid_", "oid") if word not in names), None)
        primary = [quoted(fact[1]) for fact in sorted(facts, key=lambda fact: fact[5]) if fact[5]]
        self.key = [hidden] if hidden and has_rowid(connection, name, hidden) else primary

    def keys(self, alias: str) -> str:
        """The key columns as SQL."""
        return ", ".join(f"{alias}.{column}" for column in self.key)

    def select(self, rule: Rule, besides: Sequence[Swap]) -> str:
        """The query for key, content and folder key of every cell of a rule that holds something, in the order of the keys."""
        column, owner = f"t.{quoted(rule.column)}", f", t.{quoted(rule.folder.by or rule.folder.column)}" if rule.folder else ""
        condition = f" AND ({rule.where})" if rule.where else ""
        if covered := covers(rule, besides):
            condition += f" AND ({covered}) IS NOT TRUE"
        keys = self.keys("t")
        return f"SELECT {keys}, {column}{owner} FROM main.{quoted(self.name)} AS t WHERE {column} IS NOT NULL{condition} ORDER BY {keys}"

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

    def difference(self, connection: sqlite3.Connection, rules: Mapping[int, Rule], swaps: Sequence[Swap], wanted: Mapping[Hashable, str]) -> str | None:
        """Where the table differs from the attached original in anything but what swaps and the texts `wanted` say, or None."""
        counts = [connection.execute(f"SELECT count(*) FROM {side}.{quoted(self.name)}").fetchone() for side in ("before", "main")]
        if counts[0] != counts[1]:
            return f"{self.name} would have other rows"
        asked = dict(wanted)
        for number, key, value in self.unlike(connection, rules, swaps):
            text = text_of(value)
            if number is None or text is None or asked.pop((number, *key), None) != text:
                return f"other cells of {self.name} would change"
        for (number, *key), text in asked.items():
            cell = connection.execute(self.cell_query(rules[number].column), key).fetchone()[0]
            if text_of(cell) != text:
                return f"cells of {self.name} would not change"
        return None

    def cell_query(self, column: str) -> str:
        """The query for one cell; its parameters are the key."""
        match = " AND ".join(f"{key} = ?" for key in self.key)
        return f"SELECT {quoted(column)} FROM main.{quoted(self.name)} WHERE {match}"

    def unlike(self, connection: sqlite3.Connection, rules: Mapping[int, Rule], swaps: Sequence[Swap]) -> Iterator[tuple[int | None, tuple[object, ...], object]]:
        """Rule, key and content of every cell that is not what it was, or what a swap makes of it; no rule for a cell that has none."""
        mapped = {rule.column: number for number, rule in rules.items()}
        differ = [self.differs(column, {number: rule for number, rule in rules.items() if rule.column == column}, swaps) for column in self.columns]
        match = " AND ".join(f"t.{key} = y.{key}" for key in self.key)
        tests = ", ".join(f"{test}, y.{quoted(column)}" for column, test in zip(self.columns, differ))
        query = (
            f"SELECT {self.keys('t')}, {tests} FROM {self.before(rules)} AS t LEFT JOIN main.{quoted(self.name)} AS y ON {match} "
            f"WHERE {' OR '.join(differ)}"
        )
        for row in connection.execute(query):
            key, cells = row[: len(self.key)], row[len(self.key) :]
            for column, differing, content in zip(self.columns, cells[::2], cells[1::2]):
                if differing:
                    yield mapped.get(column), key, content


    def before(self, rules: Mapping[int, Rule]) -> str:
        """The attached original, and in it whether each row meets the conditions of the rules, which would be ambiguous beside the new table."""
        meets = [f'({rule.where}) AS "where {number}"' for number, rule in rules.items() if rule.where]
        if not meets:
            return f"before.{quoted(self.name)}"
        hidden = [f"t.{key} AS {key}" for key in self.key if not key.startswith('"')]
        return f"(SELECT {', '.join([*hidden, *meets, 't.*'])} FROM before.{quoted(self.name)} AS t)"

    def differs(self, column: str, rules: Mapping[int, Rule], swaps: Sequence[Swap]) -> str:
        """The condition that a new cell (of `y`) is not the old one (of `t`), or what a swap of its rules makes of that."""
        x, y = f"t.{quoted(column)}", f"y.{quoted(column)}"
        unlike = f"{x} COLLATE BINARY IS NOT {y}" + (f" OR typeof({x}) <> typeof({y})" if column in self.untyped else "")
        for number, rule in rules.items():
            if covered := covers(replace(rule, where=rule.where and f't."where {number}"'), swaps):
                made = " OR ".join(f"{begins(rule, swap)} AND {y} COLLATE BINARY = {swapped(rule, [swap])}" for swap in usable(rule, swaps))
                unlike = f"({made}) IS NOT TRUE AND ({unlike} OR {covered})"
        return f"({unlike})"


def fetched(connection: sqlite3.Connection, query: str) -> Iterator[list[tuple[object, ...]]]:
    """The columns of the rows a query gives, some rows at a time.

    They are taken for valid UTF-8, which is quick, until one is not.
    """
    tolerant, done = connection.text_factory, 0
    connection.text_factory = str
    try:
        for some in batched(connection, query):
            yield list(zip(*some))
            done += 1
    except sqlite3.OperationalError:
        connection.text_factory = tolerant
        for some in islice(batched(connection, query), done, None):
            yield list(zip(*some))
    finally:
        connection.text_factory = tolerant


def batched(connection: sqlite3.Connection, query: str) -> Iterator[list[tuple[object, ...]]]:
    """The rows a query gives, some at a time."""
    rows = connection.execute(query)
    while some := rows.fetchmany(BATCH_ROWS):
        yield some


def batches_of(number: int, rule: Rule, keys: Sequence[tuple[object, ...]], cells: Sequence[str | bytes], owners: Sequence[object], folders: Mapping[object, Entry], content: tuple[Entry, ...]) -> Iterator[Batch]:
    """Some rows as batches: by the folder they belong to, blobs that hold no text left out."""
    looks_around = rule.spelling.start == "content"
    texts = cells if set(map(type, cells)) == {str} else list(map(text_of, cells))
    runs = groupby(range(len(texts)), owners.__getitem__) if rule.folder else [(None, range(len(texts)))]
    for owner, run in runs:
        rows = [row for row in run if texts[row] is not None] if texts is not cells or rule.folder else run
        base = folders.get(owner)

        def entry(at: int, rows: Sequence[int] = rows, base: Entry | None = base) -> Entry:
            key = tuple(column[rows[at]] for column in keys)
            where = f"{rule.table}.{rule.column}, row {'/'.join(map(str, key))}"
            return Entry((number, *key), where, texts[rows[at]], rule.spelling, rule.names, base=base, tried=content if looks_around else ())

        yield Batch(texts if len(rows) == len(texts) else [texts[row] for row in rows], rule.spelling, base, not looks_around, entry)


def in_parts(keys: Sequence[tuple[object, ...]], cells: Sequence[object], separator: str) -> tuple[list[tuple[object, ...]], list[str]]:
    """Cells that hold lists, as their parts: the columns of the keys, the number of the part as the last of them, and the parts."""
    parts = [(row, number, text[start:end]) for row, cell in enumerate(cells) if (text := text_of(cell)) for number, (start, end) in enumerate(parted(text, separator))]
    return [*(tuple(column[row] for row, _number, _text in parts) for column in keys), tuple(number for _row, number, _text in parts)], [text for *_at, text in parts]


def put_together(cell: str, separator: str, changes: Mapping[int, str]) -> str:
    """A cell that holds a list, with new texts for some parts of it.  Raises CannotSpell for one that would fall apart."""
    pieces, position = [], 0
    for number, (start, end) in enumerate(parted(cell, separator)):
        if separator in changes.get(number, "") or changes.get(number, "x") != changes.get(number, "x").strip():
            raise CannotSpell(f"a list whose parts stand between {separator} cannot hold {show(changes[number])}", REMEDY_CELLS)
        pieces += [cell[position:start], changes.get(number, cell[start:end])]
        position = end
    return "".join([*pieces, cell[position:]])


def covers(rule: Rule, swaps: Sequence[Swap]) -> str:
    """The SQL condition that one of the swaps covers a cell of a rule, in the table `t`; "" when none can."""
    one_of = " OR ".join(covers_cell(rule, swap) for swap in usable(rule, swaps))
    where = f"({rule.where}) AND " if rule.where else ""
    return f"{where}({one_of})" if one_of else ""


def covers_cell(rule: Rule, swap: Swap) -> str:
    """`Swap.covers` in SQL; a text with a NUL in it is never covered, since SQLite cuts there."""
    column = f"t.{quoted(rule.column)}"
    tail = f"substr({column}, {len(swap.old)})" if any(mark in swap.old for mark in swap.odd) else column
    lasts: dict[str, str] = {}
    for mark in swap.odd:
        lasts[mark[:-1]] = lasts.get(mark[:-1], "") + mark[-1]
    groups = [f"{tail} NOT GLOB {literal(f'*{first}[{last}]*')}" for first, last in lasts.items() if first]
    signs = [f"instr({tail}, {literal(sign)}) = 0" for sign in lasts.get("", "")]
    return " AND ".join([begins(rule, swap), *groups, *signs, f"instr({column}, char(0)) = 0"])


def begins(rule: Rule, swap: Swap) -> str:
    """Whether a cell of a rule begins as the swap says, in SQL."""
    return f"substr(t.{quoted(rule.column)}, 1, {len(swap.old)}) = {literal(swap.old)}"


def swapped(rule: Rule, swaps: Sequence[Swap]) -> str:
    """The SQL for a cell of a rule that one of the swaps covers."""
    column = f"t.{quoted(rule.column)}"
    texts = {swap: f"{literal(swap.new)} || substr({column}, {len(swap.old) + 1})" for swap in usable(rule, swaps)}
    if len(texts) == 1:
        return next(iter(texts.values()))
    return f"CASE {' '.join(f'WHEN {begins(rule, swap)} THEN {text}' for swap, text in texts.items())} END"


def usable(rule: Rule, swaps: Sequence[Swap]) -> list[Swap]:
    """The swaps that SQL can make on the cells of a rule."""
    return [swap for swap in swaps if swap.spelling is rule.spelling and not rule.folder and not rule.separator and (swap.old + swap.new).isascii()]


def literal(text: str) -> str:
    """`text` as an SQL string."""
    return "'" + text.replace("'", "''") + "'"


def untyped(declared: str) -> bool:
    """Whether a column of that declared type may hold 1 and 1.0 as different values (sqlite.org/datatype3.html, section 3.1)."""
    return declared in ("", "ANY") or "BLOB" in declared and not any(word in declared for word in ("INT", "CHAR", "CLOB", "TEXT"))


def text_of(cell: object) -> str | None:
    """The text in a cell, or the UTF-16 text (little-endian, as databases that hold such keep it) in a blob; None for anything else."""
    if isinstance(cell, str):
        return cell
    if not isinstance(cell, bytes) or not cell or len(cell) % 2:
        return None
    try:
        return cell.decode("utf-16-le")
    except UnicodeDecodeError:
        return None


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
