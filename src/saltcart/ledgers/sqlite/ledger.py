"""A database as a ledger.

It is never changed in place.  It is copied page by page into a new file, the mapped cells
are changed there in one transaction, and the two files are compared cell for cell before the
new one may take the old one's name.
"""

import sqlite3
from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing, contextmanager
from typing import Any

from saltcart.errors import BadLedger, CannotSpell, show
from saltcart.ledgers.base import NO_EDITS, REMEDY_DEPENDANT, REMEDY_LIST, Batch, Batched, Entry, Key, ListEdits
from saltcart.ledgers.facts import Facts, facts
from saltcart.ledgers.maps import Map, Rule
from saltcart.ledgers.rules import Parts
from saltcart.ledgers.sqlite.cells import REMEDY_CELLS, Rows, batches_of, in_parts, put_together, text_of
from saltcart.ledgers.sqlite.opening import connect, reading, unwritten
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.ledgers.sqlite.row_edits import RowEdits, partable
from saltcart.ledgers.sqlite.schema import derived, differing_schema, loose_ends, triggers_asleep
from saltcart.ledgers.sqlite.tables import Table
from saltcart.ledgers.where import Where
from saltcart.spelling.swaps import Swap
from saltcart.system import os


class SqliteLedger(Batched):
    """A database read through a map.  Entry keys are (rule number, primary key of the row)."""

    def __init__(self, path: str, plan: Map):
        self.path = path
        self.plan = plan
        self.map_name = plan.name
        self.program = plan.program
        self.adds = any(rule.add for rule in plan.rules)

    def batches(self, besides: Sequence[Swap] = ()) -> Iterator[Batch]:
        """See Ledger.batches: every mapped cell that holds text, in a blob too."""
        with self.guarded(), reading(self.path) as (connection, _uri):
            for number, rule in enumerate(self.plan.rules):
                folders = self.folders(connection, rule)
                for columns in Table(connection, rule.table).fetch(connection, rule, besides):
                    owners = columns.pop() if rule.folder else ()
                    cells = columns.pop()
                    if rule.folder and not rule.folder.table:
                        folders = {
                            text: Entry(text, Where(), text, rule.folder.spelling, "folder")
                            for text in owners
                            if isinstance(text, str)
                        }
                    if rule.parts:
                        columns, cells = in_parts(columns, cells, rule.parts)
                    yield from batches_of(number, rule, Rows(columns, cells, owners), folders, self.content)

    def folders(self, connection: sqlite3.Connection, rule: Rule) -> dict[object, Entry]:
        """The rows of the folder table of a rule, by the key that its entries refer to.

        None are listed where the folder is in the entry's own row.
        """
        if not rule.folder or not rule.folder.table:
            return {}
        query = f"SELECT {quoted(rule.folder.key)}, {quoted(rule.folder.column)} FROM {quoted(rule.folder.table)}"
        return {
            key: Entry(key, Where(), text, rule.folder.spelling, "folder")
            for key, text in connection.execute(query)
            if isinstance(text, str)
        }

    def partable(self, parted: Mapping[Key, str]) -> dict[Key, str]:
        """Those of some entries that can start from another folder, whose text is given with each: its table has that
        one, or shows what a new row needs.
        """
        with self.guarded(), reading(self.path) as (connection, _uri):
            return partable(connection, self.path, self.plan.rules, parted)

    def facts(self) -> Iterator[Facts]:
        """See Ledger.facts."""
        with self.guarded(), reading(self.path) as (connection, _uri):
            for number, rule in enumerate(self.plan.rules):
                if any(rule.facts) and not rule.parts:
                    for key, path, cells in self.beside(connection, rule, rule.facts):
                        yield facts((number, *key), path, cells, any(rule.facts[:2]), rule.milliseconds)

    def said(self) -> Iterator[tuple[Facts, int]]:
        """See Ledger.said: the database counts, which is quicker."""
        with self.guarded(), reading(self.path) as (connection, _uri):
            for rule in self.plan.rules:
                if any(rule.facts) and not rule.parts:
                    for (times,), path, cells in self.beside(connection, rule, rule.facts, alike=True):
                        yield facts(None, path, cells, any(rule.facts[:2]), rule.milliseconds), times

    def beside(
        self, connection: sqlite3.Connection, rule: Rule, columns: Sequence[str | None], alike: bool = False
    ) -> Iterator[tuple[tuple[Any, ...], str, tuple[object, ...]]]:
        """Row key, path and the cells in other columns, of each cell of a rule that leads somewhere; None where a
        column is None.  `alike` as in Table.fetch_beside.
        """
        folders = {key: entry.written for key, entry in self.folders(connection, rule).items()}
        home = os.path.dirname(self.path)
        for text, owner, key, cells in Table(connection, rule.table).fetch_beside(connection, rule, columns, alike):
            start: str | None = home
            if rule.folder:
                start = rule.folder.spelling.read(str(folders.get(owner, "") if rule.folder.table else owner), home)
            if start and (path := rule.spelling.read(text, start)):
                yield key, path, cells

    @contextmanager
    def guarded(self) -> Iterator[None]:
        """Turn SQLite's errors into ours."""
        try:
            yield
        except sqlite3.OperationalError as error:
            if error.sqlite_errorcode & 0xFF in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED):
                raise BadLedger(
                    self.path, "is locked by another program", "Close the program that uses it and try again."
                ) from error
            raise BadLedger(self.path, f"cannot be read with the map {self.plan.path} ({error})") from error
        except (sqlite3.DatabaseError, UnicodeError) as error:  # names and messages may be damaged too
            raise BadLedger(
                self.path, f"is damaged, or is not a database ({error})", "Restore it from a backup, or leave it out."
            ) from error

    def misfit(self) -> str | None:
        """What the map asks for that this database lacks, or None when they fit."""
        with self.guarded(), reading(self.path) as (connection, _uri):
            tables = [name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
            for rule in self.plan.rules:
                if rule.table not in tables:
                    return (
                        f'has no table "{rule.table}", which the map {self.plan.path} expects; its tables:'
                        f" {', '.join(tables) or 'none'}"
                    )
                columns = Table(connection, rule.table).columns
                if rule.folder and (rule.folder.table or rule.table) not in tables:
                    return f'has no table "{rule.folder.table}", which the map {self.plan.path} expects'
                beside = rule.folder.column if rule.folder and not rule.folder.table else rule.folder and rule.folder.by
                for column in filter(None, (rule.column, beside, *rule.facts)):
                    if column not in columns:
                        return (
                            f'table "{rule.table}" has no column "{column}", which the map {self.plan.path} expects; it'
                            f" has: {', '.join(columns)}"
                        )
        return None

    def rewrite(
        self, target: str, changes: Mapping[Key, str], swaps: Sequence[Swap] = (), edits: ListEdits = NO_EDITS
    ) -> None:
        """See Ledger.rewrite; rows are added where the map says what else is in one."""
        with self.guarded(), reading(self.path) as (source, uri), closing(connect(target, "mode=rwc")) as copy:
            source.backup(copy)
            copy.execute("PRAGMA synchronous = OFF")  # the file is flushed as a whole before it takes its name
            if copy.execute("PRAGMA journal_mode").fetchone() != ("wal",):
                copy.execute("PRAGMA journal_mode = OFF")  # one that fails is thrown away
            changes = self.whole_cells(copy, changes, edits)
            rows = RowEdits(copy, self.path, self.plan.rules, edits)
            try:
                self.change(copy, changes, swaps, rows)
            except sqlite3.IntegrityError as error:
                raise CannotSpell(
                    f"{show(self.path)}: the new paths break a rule of this database ({error})", REMEDY_CELLS
                ) from error
            copy.execute("ATTACH ? AS before", (uri,))
            self.prove(copy, changes, swaps, rows)
            from saltcart.ledgers.sqlite.dependent_cells import dependent  # needed only by what is rewritten

            if why := dependent(copy, self.plan.rules):
                raise CannotSpell(f"{show(os.path.basename(self.path))}: {why}", REMEDY_DEPENDANT)
            copy.execute("DETACH before")

    def whole_cells(self, copy: sqlite3.Connection, changes: Mapping[Key, str], edits: ListEdits) -> Mapping[Key, str]:
        """`changes` with those to parts of lists put together into whole cells."""
        whole = {key: text for key, text in changes.items() if not self.plan.rules[key[0]].parts}
        parts: dict[tuple[Any, ...], dict[int, str]] = {}
        for key, text in changes.items():
            if key not in whole:
                parts.setdefault(key[:-1], {})[key[-1]] = text
        for key in (*edits.front, *edits.behind, *edits.gone):
            if self.plan.rules[key[0]].parts:
                raise CannotSpell(f"{show(self.path)}: a list in a cell gets no new folders from us", REMEDY_LIST)
        for (number, *key), texts in parts.items():
            rule = self.plan.rules[number]
            cell = copy.execute(Table(copy, rule.table).cell_query(rule.column), key).fetchone()[0]
            whole[number, *key] = put_together(text_of(cell) or "", rule.parts or Parts(), texts)
        return whole

    def change(
        self, copy: sqlite3.Connection, changes: Mapping[Key, str], swaps: Sequence[Swap], rows: RowEdits
    ) -> None:
        """Write the new texts into `copy` in one transaction.

        Triggers that record a doing (stamps, change logs, counters) do not run; those that keep
        a full-text table in step with its content do, because that is derived.
        """
        loose = loose_ends(copy)
        copy.execute("BEGIN")
        with triggers_asleep(copy):
            last = sorted(
                enumerate(self.plan.rules), key=lambda pair: Table(copy, pair[1].table).tells_rows(pair[1].column)
            )
            for number, rule in last:  # whose rows are identified by their paths use those until then
                table = Table(copy, rule.table)
                if covered := (ours := table.sql_swaps(rule, swaps)).covers():
                    copy.execute(
                        f"UPDATE main.{quoted(rule.table)} AS t SET {quoted(rule.column)} = {ours.swapped()} WHERE"
                        f" {covered}"
                    )
                if mine := {key[1:]: text for key, text in changes.items() if key[0] == number}:
                    table.put(copy, rule.column, mine)
            rows.carry_out()
        copy.execute("COMMIT")
        if torn := [name for name, count in loose_ends(copy).items() if count > loose.get(name, 0)]:
            raise CannotSpell(
                f"{show(self.path)}: rows of {', '.join(torn)} refer to others by their paths, and the map does not"
                " say so",
                "Add those columns to the map, or leave this ledger out.",
            )

    def prove(
        self, copy: sqlite3.Connection, changes: Mapping[Key, str], swaps: Sequence[Swap], rows: RowEdits
    ) -> None:
        """Raise CannotSpell unless exactly the wanted cells differ between `copy` and the attached original."""
        trouble = differing_schema(copy)
        names = {name for (name,) in copy.execute("SELECT name FROM main.sqlite_master WHERE type = 'table'")}
        for name in sorted(names - derived(copy) - rows.counters()):
            rules = {number: rule for number, rule in enumerate(self.plan.rules) if rule.table == name}
            wanted = {key: text for key, text in changes.items() if key[0] in rules}
            trouble = trouble or Table(copy, name).difference(copy, rules, swaps, wanted, rows.of(name))
        if trouble:
            raise CannotSpell(
                f"{show(self.path)}: rewriting would change more than its entries ({trouble})", REMEDY_CELLS
            )

    def past(self) -> Iterator[str]:
        """See Ledger.past."""
        with self.guarded(), reading(self.path) as (connection, _uri):
            for rule in self.plan.past_rules:
                query = f"SELECT {quoted(rule.column)} FROM {quoted(rule.table)} AS t WHERE {rule.where or 1}"
                yield from (text for (text,) in connection.execute(query) if isinstance(text, str))

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
