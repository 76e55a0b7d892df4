"""The tables of a logbook, the number of their format, and what those of older versions lack."""

import sqlite3
from typing import Any

SCHEMA = """
CREATE TABLE IF NOT EXISTS fact (name TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS event (at TEXT NOT NULL, what TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS file (
    shelf INTEGER NOT NULL, path BLOB NOT NULL, kind TEXT NOT NULL, size INTEGER NOT NULL, disk_bytes INTEGER NOT NULL,
    mtime_ns INTEGER NOT NULL, mode INTEGER NOT NULL, device INTEGER NOT NULL, inode INTEGER NOT NULL,
    links INTEGER NOT NULL,
    target BLOB, ctime_ns INTEGER NOT NULL DEFAULT 0, digest TEXT, state TEXT NOT NULL, why TEXT,
    existed INTEGER NOT NULL DEFAULT 0, copy_inode INTEGER, copy_ctime_ns INTEGER,
    PRIMARY KEY (shelf, path)) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS waiting (
    shelf INTEGER NOT NULL, path BLOB NOT NULL, PRIMARY KEY (shelf, path)) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS ledger (
    number INTEGER PRIMARY KEY, path BLOB NOT NULL, place BLOB NOT NULL, map TEXT NOT NULL, rewrite INTEGER NOT NULL,
    before TEXT, after TEXT, backup BLOB, changed INTEGER NOT NULL DEFAULT 0);
CREATE TABLE IF NOT EXISTS entry (
    ledger INTEGER NOT NULL, key TEXT NOT NULL, place TEXT NOT NULL, old BLOB NOT NULL, new BLOB NOT NULL,
    verdict TEXT NOT NULL, why TEXT NOT NULL, after TEXT NOT NULL DEFAULT '', PRIMARY KEY (ledger, key)) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS deed (
    plan TEXT NOT NULL, number INTEGER NOT NULL, what TEXT NOT NULL, done INTEGER NOT NULL DEFAULT 0,
    PRIMARY KEY (plan, number)) WITHOUT ROWID;
"""
ITEM_COLUMNS = "path, kind, size, disk_bytes, mtime_ns, mode, device, inode, links, target, ctime_ns"
STATE_COLUMNS = "digest, state, why, existed, copy_inode, copy_ctime_ns"
FORMAT = 1  # of the logbook; raised when an older version would misread it
# What older versions did not record: a 0 or NULL proves nothing, so that contents are compared.
LATER_COLUMNS = {
    "file": ("ctime_ns INTEGER NOT NULL DEFAULT 0", "copy_inode INTEGER", "copy_ctime_ns INTEGER"),
    "entry": ("after TEXT NOT NULL DEFAULT ''",),
}


def known_format(kind: Any) -> bool:
    """Whether this version reads logbooks of a format, and may complete them."""
    return isinstance(kind, int) and kind <= FORMAT


def complete(database: sqlite3.Connection) -> None:
    """Make what a new logbook, or one of an older version, lacks."""
    database.executescript(SCHEMA)
    for table, columns in LATER_COLUMNS.items():
        known = {name for _number, name, *_rest in database.execute(f"PRAGMA table_info({table})")}
        for column in columns:
            if column.split()[0] not in known:
                database.execute(f"ALTER TABLE {table} ADD COLUMN {column}")
