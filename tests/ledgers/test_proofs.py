"""The proof that nothing but entries changed is no formality: it refuses a rewriter that changes one thing too many."""

import sqlite3
from contextlib import closing
from pathlib import Path
from unittest import mock

from msgspec.structs import replace

from saltcart.errors import CannotSpell
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.ledgers.sqlite.ledger import SqliteLedger
from saltcart.ledgers.text_ledger import TextLedger
from saltcart.rewriting.routes import Routes
from saltcart.spelling import Move, Moves
from tests.ledgers.cases import THERE, FolderCase
from tests.ledgers.samples import samples

SCHEMA = """
CREATE TABLE track (id INTEGER PRIMARY KEY, path TEXT UNIQUE, rating, plays INTEGER DEFAULT 0, cover BLOB);
CREATE INDEX by_rating ON track (rating);
CREATE TABLE list (name TEXT PRIMARY KEY, tracks TEXT) WITHOUT ROWID;
CREATE TRIGGER stamp AFTER INSERT ON list BEGIN UPDATE track SET plays = plays + 1; END;
INSERT INTO track VALUES (1, '/keel/S/a.wav', 5, 12, x'00ff'), (2, '/keel/S/b.wav', NULL, 0, NULL);
INSERT INTO track VALUES (3, '/else', 1, 1, '');
INSERT INTO list VALUES ('Été', '1,2');
"""
TAMPERING = {
    "a cell": "UPDATE track SET rating = 4 WHERE id = 1",
    "a type": "UPDATE track SET rating = '5' WHERE id = 1",
    "a whole number to one with a point": "UPDATE track SET rating = 5.0 WHERE id = 1",
    "nothing to something": "UPDATE track SET rating = '' WHERE id = 2",
    "a blob to a text": "UPDATE track SET cover = CAST(cover AS TEXT) WHERE id = 1",
    "an empty text to an empty blob": "UPDATE track SET cover = x'' WHERE id = 3",
    "a key": "UPDATE track SET id = 9 WHERE id = 3",
    "a path that stays": "UPDATE track SET path = '/elsewhere' WHERE id = 3",
    "a path that should have changed": "UPDATE track SET path = '/keel/S/b.wav' WHERE id = 2",
    "a path to another place": "UPDATE track SET path = '/lighter/New Place/c.wav' WHERE id = 2",
    "a row too few": "DELETE FROM track WHERE id = 3",
    "a row too many": "INSERT INTO track (path) VALUES ('/x')",
    "a row for another": "DELETE FROM track WHERE id = 3; INSERT INTO track VALUES (4, '/else', 1, 1, '')",
    "another table": "UPDATE list SET tracks = '2,1'",
    "the key of another table": "UPDATE list SET name = 'Ete'",
    "an index too few": "DROP INDEX by_rating",
    "an index too many": "CREATE INDEX by_plays ON track (plays)",
    "a trigger too few": "DROP TRIGGER stamp",
    "a table too many": "CREATE TABLE more (x)",
    "a column too many": "ALTER TABLE track ADD COLUMN more",
}


class Proofs(FolderCase):
    def test_a_byte_too_many_in_a_text(self):
        """At the beginning, in the middle, at the end; changed, added, taken away."""
        for ledger in samples(self.folder):
            if not isinstance(ledger, TextLedger):
                continue
            changes = Routes(THERE).changes(ledger, "/lists", "/lists")
            if not (changes.texts or changes.swaps):
                continue
            real = ledger.shape
            for where in (0, 2, -1):
                for how in ("changed", "added", "taken"):
                    with self.subTest(f"{ledger.path}: {how} at {where}"):
                        ledger.shape = replace(real, splice=tampering(real.splice, where, how))
                        with self.assertRaises(CannotSpell):
                            ledger.rewrite(self.target, *changes)

    def test_a_cell_too_many_in_a_database(self):
        path, plan = str(Path(self.folder, "x.db")), Path(self.folder, "x.toml")
        plan.write_text('name = "x"\ncontainer = "sqlite"\n[[entries]]\ntable = "track"\ncolumn = "path"\n')
        with closing(sqlite3.connect(path)) as database, database:
            database.executescript(SCHEMA)
        ledger = open_ledger(path, [load_map(str(plan))])
        changes = Routes(Moves([Move("/keel/S", "/lighter/New Place")])).changes(ledger, "/", "/")
        ledger.rewrite(self.target, *changes)  # left alone, it does what it should
        real = SqliteLedger.change
        for what, words in TAMPERING.items():

            def change(ledger, copy, *rest, words=words):
                real(ledger, copy, *rest)
                for word in words.split("; "):
                    copy.execute(word)

            Path(self.target).unlink()
            with self.subTest(what), mock.patch.object(SqliteLedger, "change", change), self.assertRaises(CannotSpell):
                ledger.rewrite(self.target, *changes)


def tampering(splice, where, how):
    """A splicer that changes, adds or takes away one byte of what it makes."""

    def tampered(*spans):
        data = splice(*spans)
        at = where % len(data)
        more = {"changed": bytes([data[at] ^ 1]), "added": data[at : at + 1] + b" ", "taken": b""}[how]
        return data[:at] + more + data[at + 1 :]

    return tampered
