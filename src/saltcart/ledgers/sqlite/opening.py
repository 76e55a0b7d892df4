"""Opening databases so that nothing beside them changes."""

import shutil
import sqlite3
import tempfile
from collections.abc import Iterator
from contextlib import ExitStack, closing, contextmanager
from operator import methodcaller
from urllib.parse import quote

from saltcart.errors import BadLedger
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.system import os

MAGIC = b"SQLite format 3\0"
SIDE_FILES = ("-wal", "-journal")


def claims(head: bytes) -> bool:
    """Whether a file that begins with `head` is an SQLite database."""
    return head.startswith(MAGIC)


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

    With pages unwritten the files are copied aside first, because SQLite would write them while it reads.
    """
    with open(path, "rb") as stream:
        head = stream.read(20)
    if not head.startswith(MAGIC):
        raise BadLedger(path, "is not an SQLite database", "Check the path, or use the map that fits this file.")
    with ExitStack() as stack:
        options = "mode=ro"
        if side := unwritten(path):
            copy = os.path.join(stack.enter_context(tempfile.TemporaryDirectory(prefix="saltcart-")), "database")
            shutil.copyfile(path, copy)
            for name in side:
                shutil.copyfile(name, copy + name[len(path) :])
            path, options = copy, "mode=rw"
        elif head[18:20] == b"\2\2":
            options = "mode=ro&immutable=1"  # in WAL mode even a reader would leave files beside it
        with closing(connect(path, options)) as connection:
            yield connection, f"file:{quote(os.fsencode(path))}?{options}"


def tables(connection: sqlite3.Connection) -> list[tuple[str, list[str]]]:
    """The ordinary tables of a database and their columns."""
    names = connection.execute(
        "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%' AND sql NOT LIKE 'CREATE"
        " VIRTUAL%'"
    )
    return [
        (name, [fact[1] for fact in connection.execute(f"PRAGMA table_info({quoted(name)})")])
        for (name,) in names.fetchall()
    ]
