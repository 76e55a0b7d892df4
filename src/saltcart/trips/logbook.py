"""The logbook of one trip: an SQLite database that records each step before and after it is done.

Names and entry texts are stored as bytes, since not all of them are valid text.  Every
method that ends a step commits durably (`synchronous = FULL`) before it returns.
"""

import json
import sqlite3
import sys
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from typing import Any

from saltcart.errors import show
from saltcart.shelves.marks import Mark
from saltcart.system import os
from saltcart.trips.facts import Fact
from saltcart.trips.logbook_schema import ITEM_COLUMNS, STATE_COLUMNS, complete, known_format
from saltcart.trips.records import (
    ACCEPTED,
    PLACING,
    TROUBLE,
    VERIFIED,
    EntryRow,
    LedgerRow,
    Placed,
    Row,
    Trouble,
    now,
    unpacked,
)

NAMES = sys.getfilesystemencoding(), sys.getfilesystemencodeerrors()  # as `fsencode` writes them, which asks each time
RECORDED: Counter[str] = Counter()  # how often this program recorded facts, by the paths of logbooks


class Logbook:
    """The database of one trip, open."""

    def __init__(self, path: str):
        self.path = path
        self.database = sqlite3.connect(path, isolation_level=None, timeout=10)
        self.database.execute("PRAGMA journal_mode = WAL")
        self.database.execute("PRAGMA synchronous = FULL")
        if known_format(self.format()):
            complete(self.database)

    def format(self) -> Any:
        """The format it says it has; that of the first versions, which said none."""
        begun = self.database.execute("SELECT 1 FROM sqlite_master WHERE name = 'fact'").fetchone()
        return self.fact(Fact.FORMAT, 1) if begun else 1

    def close(self) -> None:
        """Close the database."""
        self.database.close()

    @contextmanager
    def together(self) -> Iterator[None]:
        """One transaction: all that happens inside is recorded, or nothing."""
        self.database.execute("BEGIN IMMEDIATE")
        try:
            yield
        except BaseException:
            self.database.execute("ROLLBACK")
            raise
        self.database.execute("COMMIT")

    # facts and events

    def fact(self, name: Fact, default: Any = None) -> Any:
        """A recorded fact about the whole trip."""
        return self.value(name, default)

    def value(self, name: str, default: Any = None) -> Any:
        """What is recorded under a name; see `facts`."""
        row = self.database.execute("SELECT value FROM fact WHERE name = ?", (name,)).fetchone()
        return json.loads(row[0]) if row else default

    def record(self, facts: Mapping[Fact, Any]) -> None:
        """Record facts about the whole trip."""
        self.put_values(facts)

    def put_values(self, values: Mapping[Any, Any]) -> None:
        """Record something under each of these names."""
        RECORDED[self.path] += 1
        rows = [(name, json.dumps(value)) for name, value in values.items()]
        self.database.executemany("INSERT OR REPLACE INTO fact VALUES (?, ?)", rows)

    def tell(self, what: str) -> None:
        """Add a line to the trip's history."""
        text = what.encode("utf-8", "backslashreplace").decode()
        self.database.execute("INSERT INTO event VALUES (?, ?)", (now(), text))

    def events(self) -> list[tuple[str, str]]:
        """Time and text of the history."""
        return self.database.execute("SELECT at, what FROM event ORDER BY rowid").fetchall()

    # files

    def rows(self, shelf: int, *states: str, kind: str | None = None) -> Iterator[Row]:
        """The things of a shelf in the order of their paths, folders before what is in them.

        Of all states and kinds by default.  Read page by page, so that rows may be marked meanwhile.
        """
        conditions = ["shelf = ?", "path >= ?"]
        if states:
            conditions.append(f"state IN ({', '.join('?' * len(states))})")
        if kind:
            conditions.append("kind = ?")
        query = (
            f"SELECT {ITEM_COLUMNS}, {STATE_COLUMNS} FROM file WHERE {' AND '.join(conditions)} ORDER BY path LIMIT"
            " 1000"
        )
        start = b""
        while page := self.database.execute(query, (shelf, start, *states, *([kind] if kind else []))).fetchall():
            yield from map(unpacked, page)
            start = page[-1][0] + b"\0"  # no name holds a NUL, so this is the next one possible

    def row(self, shelf: int, path: str) -> Row | None:
        """One thing of a shelf; None when it is not recorded."""
        query = f"SELECT {ITEM_COLUMNS}, {STATE_COLUMNS} FROM file WHERE shelf = ? AND path = ?"
        found = self.database.execute(query, (shelf, os.fsencode(path))).fetchone()
        return unpacked(found) if found else None

    def digest(self, shelf: int, path: str) -> str | None:
        """The recorded digest of one file of a shelf."""
        row = self.row(shelf, path)
        return row.digest if row else None

    def brief(self, shelf: int) -> Iterator[tuple[str, str, int, str | None]]:
        """Path, kind, size and digest of each thing of a shelf that is not gone without, in the order of their paths;
        nothing may be marked meanwhile.
        """
        for path, kind, size, digest in self.database.execute(
            f"SELECT path, kind, size, digest FROM file WHERE shelf = ? AND state <> '{ACCEPTED}' ORDER BY path",
            (shelf,),
        ):
            yield os.fsdecode(path), kind, size, digest

    def sizes(self, shelf: int) -> Iterator[list[tuple[bytes, int]]]:
        """Some at a time, in the order of their paths: path and size of each thing of a shelf that is not gone
        without; -1 for what is no file.
        """
        query = (
            "SELECT path, CASE kind WHEN 'file' THEN size ELSE -1 END FROM file WHERE shelf = ? AND state <>"
            f" '{ACCEPTED}' AND kind <> 'other' ORDER BY path"
        )
        rows = self.database.execute(query, (shelf,))
        while some := rows.fetchmany(10_000):
            yield some

    def hard_links(self, shelf: int) -> dict[str, str]:
        """Path to the first path, for every further name of a file that has several names in the shelf."""
        query = (
            "SELECT path, first FROM (SELECT path, min(path) OVER (PARTITION BY device, inode) AS first "
            "FROM file WHERE shelf = ? AND kind = 'file' AND links > 1) WHERE path <> first"
        )
        return {os.fsdecode(path): os.fsdecode(first) for path, first in self.database.execute(query, (shelf,))}

    def mark(self, shelf: int, marks: Iterable[tuple[str, str, str | None, str | None, bool]]) -> None:
        """Set state, digest, reason and whether it was there before, for paths of a shelf: (path, state, digest, why,
        existed).
        """
        self.database.executemany(
            "UPDATE file SET state = ?, digest = ?, why = ?, existed = ? WHERE shelf = ? AND path = ?",
            ((state, digest, why, existed, shelf, os.fsencode(path)) for path, state, digest, why, existed in marks),
        )

    def mark_trouble(self, shelf: int, troubles: Iterable[Trouble]) -> None:
        """Record what could not be copied; the digest of an older copy stays known."""
        self.database.executemany(
            f"UPDATE file SET state = '{TROUBLE}', why = ?, existed = ? WHERE shelf = ? AND path = ?",
            ((one.why, one.taken, shelf, os.fsencode(one.path)) for one in troubles),
        )

    def mark_placing(self, shelf: int, placed: Iterable[Placed]) -> None:
        """Record copies as proven and about to get their names, with what their originals were when they were read."""
        self.database.executemany(
            f"UPDATE file SET state = '{PLACING}', digest = ?, why = NULL, existed = 0, inode = coalesce(?, inode),"
            " ctime_ns = coalesce(?, ctime_ns), copy_inode = NULL, copy_ctime_ns = NULL WHERE shelf = ? AND path = ?",
            ((one.digest, *(one.source or (None, None)), shelf, os.fsencode(one.path)) for one in placed),
        )

    def mark_placed(self, shelf: int, copies: Iterable[tuple[str, Mark]]) -> None:
        """Record copies that have their names as `verified`, by their paths in the shelf, with what they are now."""
        self.database.executemany(
            f"UPDATE file SET state = '{VERIFIED}', copy_inode = ?, copy_ctime_ns = ? WHERE shelf = ? AND path = ?",
            ((*copy, shelf, os.fsencode(path)) for path, copy in copies),
        )

    def put_waiting(self, shelf: int, paths: Iterable[str]) -> None:
        """Record copies that wait for the switch, since what they replace has their names until then.

        Something was there before, so that they are never dropped.
        """
        rows = [(shelf, os.fsencode(path)) for path in paths]
        self.database.executemany("INSERT OR REPLACE INTO waiting VALUES (?, ?)", rows)
        self.database.executemany("UPDATE file SET existed = 1 WHERE shelf = ? AND path = ?", rows)

    def waiting(self, shelf: int | None = None) -> list[tuple[int, str]]:
        """Shelf and path of the copies that wait for the switch, of one shelf or of all."""
        found = self.database.execute("SELECT shelf, path FROM waiting WHERE ?1 IS NULL OR shelf = ?1", (shelf,))
        return [(number, os.fsdecode(path)) for number, path in found.fetchall()]

    def waits_no_more(self, shelf: int, path: str) -> None:
        """Record that a copy does not wait any more."""
        self.database.execute("DELETE FROM waiting WHERE shelf = ? AND path = ?", (shelf, os.fsencode(path)))

    def totals(self, shelf: int | None = None, *states: str) -> tuple[int, int]:
        """Number and bytes of the regular files of one shelf, or of all, in these states."""
        conditions, values = ["kind = 'file'"], []
        if shelf is not None:
            conditions.append("shelf = ?")
            values.append(shelf)
        if states:
            conditions.append(f"state IN ({', '.join('?' * len(states))})")
        query = f"SELECT count(*), coalesce(sum(size), 0) FROM file WHERE {' AND '.join(conditions)}"
        files, size = self.database.execute(query, (*values, *states)).fetchone()
        return files, size

    def room(self, shelf: int, unit: int, *states: str) -> int:
        """The bytes that the files of a shelf in these states take on a drive that gives room in units of `unit`
        bytes.
        """
        query = (
            "SELECT coalesce(sum((size + ?1 - 1) / ?1 * ?1), 0) FROM file WHERE kind = 'file' AND shelf = ?2 AND state"
            f" IN ({', '.join(map(repr, states))})"
        )
        return int(self.database.execute(query, (unit, shelf)).fetchone()[0])

    # ledgers and entries

    def put_ledger(self, row: LedgerRow) -> None:
        """Record a ledger, or what is now known of it."""
        self.database.execute(
            "INSERT OR REPLACE INTO ledger VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
            (
                row.number,
                os.fsencode(row.path),
                os.fsencode(row.place),
                row.map_name,
                row.rewrite,
                row.before,
                row.after,
                None if row.backup is None else os.fsencode(row.backup),
                row.changed,
            ),
        )

    def ledgers(self) -> list[LedgerRow]:
        """The ledgers of the trip."""
        rows = self.database.execute("SELECT * FROM ledger ORDER BY number").fetchall()
        return [
            LedgerRow(
                row[0],
                os.fsdecode(row[1]),
                os.fsdecode(row[2]),
                row[3],
                bool(row[4]),
                row[5],
                row[6],
                None if row[7] is None else os.fsdecode(row[7]),
                row[8],
            )
            for row in rows
        ]

    def put_entries(self, ledger: int, entries: Iterable[EntryRow]) -> None:
        """Record the entries of a ledger in place of those recorded before."""
        self.database.execute("DELETE FROM entry WHERE ledger = ?", (ledger,))
        self.database.executemany(
            "INSERT INTO entry (ledger, key, place, old, new, verdict, why) VALUES (?, ?, '', ?, ?, ?, ?)",
            (
                (ledger, row.key, row.old.encode(*NAMES), row.new.encode(*NAMES), row.verdict, show(row.why))
                for row in entries
            ),
        )

    def entries(self, ledger: int) -> Iterator[EntryRow]:
        """The recorded entries of a ledger."""
        query = "SELECT key, old, new, verdict, why, after FROM entry WHERE ledger = ?"
        for key, old, new, verdict, why, after in self.database.execute(query, (ledger,)):
            yield EntryRow(key, os.fsdecode(old), os.fsdecode(new), verdict, why, after)

    def changed_unfound(self, ledger: int, found: str) -> set[str]:
        """The keys of the entries of a ledger that were rewritten, and before that had another verdict than `found`."""
        query = "SELECT key FROM entry WHERE ledger = ? AND old <> new AND verdict <> ?"
        return {key for (key,) in self.database.execute(query, (ledger, found))}

    def record_after(self, ledger: int, keys: Iterable[str], verdict: str) -> None:
        """Record the verdict that the trip has left on entries of a ledger, where it is another than before."""
        query = "UPDATE entry SET after = ? WHERE ledger = ? AND key = ?"
        with self.together():
            self.database.executemany(query, ((verdict, ledger, key) for key in keys))

    # deeds

    def plan_deeds(self, plan: str, deeds: Iterable[str]) -> None:
        """Record what is going to be done, in order, in place of an earlier plan of that name."""
        self.database.execute("DELETE FROM deed WHERE plan = ?", (plan,))
        self.database.executemany(
            "INSERT INTO deed (plan, number, what) VALUES (?, ?, ?)",
            ((plan, number, deed) for number, deed in enumerate(deeds)),
        )

    def deeds(self, plan: str) -> list[tuple[int, str, bool]]:
        """Number, content and whether done, of each deed of a plan in order."""
        rows = self.database.execute("SELECT number, what, done FROM deed WHERE plan = ? ORDER BY number", (plan,))
        return [(number, what, bool(done)) for number, what, done in rows]

    def mark_deed(self, plan: str, number: int, done: bool) -> None:
        """Record that a deed is done, or undone again."""
        self.database.execute("UPDATE deed SET done = ? WHERE plan = ? AND number = ?", (done, plan, number))
