"""What every ledger format must keep, over one table of samples."""

import copy
import os
import sqlite3
import zipfile
from contextlib import closing
from pathlib import Path
from unittest import mock

from hypothesis import given, settings
from hypothesis import strategies as some

from saltcart.errors import BadLedger, CannotSpell
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.formats import m3u
from saltcart.ledgers.kinds import open_ledger, recognised
from saltcart.ledgers.maps import load_map
from saltcart.ledgers.sqlite import cells as sqlite_cells
from saltcart.ledgers.sqlite.cells import text_of
from saltcart.ledgers.text_ledger import TextLedger
from saltcart.spelling import Move, Moves
from tests.ledgers.cases import THERE, FolderCase, content, rewritten
from tests.ledgers.samples import NAMED, formats_without_sample, samples
from tests.world import PLAYER_MAP, cells

PARTS = [
    "/keel/S",
    "file:///keel/S",
    "/",
    "/./",
    "/../",
    "a b",
    "%20",
    "%2e",
    "%2F",
    "?",
    "#",
    "é",
    "\0",
    "/KEEL/s",
    "//",
]


class Contract(FolderCase):
    def each(self):
        """Every sample, each as a sub-test."""
        for ledger in samples(self.folder):
            Path(self.target).unlink(missing_ok=True)
            with self.subTest(ledger.path):
                yield ledger

    def test_every_format_has_a_sample(self):
        self.assertEqual(formats_without_sample(self.folder), set())

    def test_rewriting_nothing_gives_the_same(self):
        for ledger in self.each():
            ledger.rewrite(self.target, {})
            self.assertEqual(content(self.target), content(ledger.path))

    def test_what_is_read_after_a_rewrite_is_what_was_asked(self):
        for ledger in self.each():
            before = {entry.key: entry.written for entry in ledger.entries()}
            changes = rewritten(ledger, THERE, self.target)
            if not os.path.basename(ledger.path).startswith("rel"):
                self.assertTrue(changes)
            again = copy.copy(ledger)
            again.path = self.target
            self.assertEqual({entry.key: entry.written for entry in again.entries()}, before | changes)
            self.assertEqual(again.remote(), ledger.remote())

    def test_there_and_back_gives_the_same(self):
        for ledger in self.each():
            if os.path.basename(ledger.path) == "bare.cue":
                continue  # a name that once needed quotes keeps them
            before = content(ledger.path)
            rewritten(ledger, THERE, self.target)
            os.replace(self.target, ledger.path)
            rewritten(ledger, THERE.reversed(), self.target)
            os.replace(self.target, ledger.path)
            self.assertEqual(content(ledger.path), before)

    def test_each_format_names_what_its_specification_says(self):
        for ledger in self.each():
            if wanted := NAMED.get(os.path.basename(ledger.path)):
                resolver = Resolver()
                named = [
                    os.path.normpath(resolver.path(entry.spelling, entry.written, resolver.start(entry, "/lists")))
                    for entry in ledger.entries()
                ]
                self.assertEqual(named, wanted)

    def test_a_zip_keeps_its_other_members(self):
        for ledger in self.each():
            if ledger.path.endswith(".dawproject"):
                rewritten(ledger, THERE, self.target)
                one, other = zipfile.ZipFile(ledger.path), zipfile.ZipFile(self.target)
                self.assertIsNone(other.testzip())
                self.assertEqual(one.comment, other.comment)
                for before, after in zip(one.infolist(), other.infolist(), strict=True):
                    self.assertEqual(
                        (before.filename, before.date_time, before.compress_type),
                        (after.filename, after.date_time, after.compress_type),
                    )
                    if before.filename != "project.xml":
                        self.assertEqual((before.CRC, before.compress_size), (after.CRC, after.compress_size))

    @given(
        some.lists(
            some.one_of(some.binary(max_size=30), some.sampled_from([b"/keel/S/a", b"#EXTM3U", b"file:///keel/S/%41"])),
            max_size=8,
        ),
        some.sampled_from([b"\n", b"\r\n"]),
    )
    def test_any_text_survives(self, lines, end):
        path = os.path.join(self.folder, "any.m3u")
        Path(path).write_bytes(end.join(lines))
        ledger = open_ledger(path, [])
        try:
            rewritten(ledger, THERE, self.target)
        except (BadLedger, CannotSpell):
            return
        one, other = Path(path).read_bytes(), Path(self.target).read_bytes()
        self.assertEqual(len(m3u.spans(one).inside), len(m3u.spans(other).inside))
        self.assertEqual(one.count(b"\n"), other.count(b"\n"))

    @settings(max_examples=40)
    @given(some.lists(some.lists(some.sampled_from(PARTS), max_size=5).map("".join), max_size=8))
    def test_any_cell_survives(self, texts):
        path, plan = os.path.join(self.folder, "any.db"), Path(self.folder, "any.toml")
        Path(path).unlink(missing_ok=True)
        plan.write_text(
            'name = "any"\ncontainer = "sqlite"\n'
            + "".join(
                f'[[entries]]\ntable = "t"\ncolumn = "{column}"\nspelling = "{spelling}"\nwhere = "n <> 1"\n'
                for column, spelling in [("a", "auto"), ("b", "uri")]
            )
        )
        with closing(sqlite3.connect(path)) as database, database:
            database.execute("CREATE TABLE t (n, a TEXT COLLATE NOCASE, b)")
            database.executemany(
                "INSERT INTO t VALUES (?, CAST(? AS TEXT), CAST(? AS TEXT))",
                ((number, text.encode(), text.encode()) for number, text in enumerate(texts)),
            )
        before = content(path)
        rewritten(open_ledger(path, [load_map(str(plan))]), THERE, self.target)
        left = [[row for row in rows["t"] if row[0] == 1] for rows in (before, content(self.target))]
        self.assertEqual(*left)

    @settings(max_examples=60)
    @given(
        some.dictionaries(
            some.one_of(some.integers(-5, 30), some.integers(-1 << 63, (1 << 63) - 1)),
            some.one_of(some.none(), some.integers(-9, 9), some.binary(max_size=4), some.text("/a\x1f\0é", max_size=4)),
        )
    )
    def test_cells_are_read_with_the_numbers_of_their_rows(self, rows):
        path, plan = os.path.join(self.folder, "rows.db"), Path(self.folder, "rows.toml")
        Path(path).unlink(missing_ok=True)
        plan.write_text(
            'name = "rows"\ncontainer = "sqlite"\n[[entries]]\ntable = "t"\ncolumn = "c"\nspelling = "native"\nwhere ='
            ' "c > 1"\n'
        )
        with closing(sqlite3.connect(path)) as database, database:
            database.execute("CREATE TABLE t (c)")
            database.execute("CREATE INDEX i ON t (c DESC)")
            database.executemany("INSERT INTO t (rowid, c) VALUES (?, ?)", rows.items())
        with mock.patch.object(sqlite_cells, "BATCH_ROWS", 3):
            read = [
                (batch.entry(at).key[1], text)
                for batch in open_ledger(path, [load_map(str(plan))]).batches()
                for at, text in enumerate(batch.texts)
            ]
        self.assertEqual(
            read, [(number, text_of(cell)) for number, cell in sorted(rows.items()) if text_of(cell) is not None]
        )


class Recognition(FolderCase):
    def test_a_playlist_is_known_by_its_root_and_not_by_a_mention(self):
        root = b'<playlist version="1" xmlns="http://xspf.org/ns/0/">'
        cases = {
            "tool.py": (b'NAMESPACE = "http://xspf.org/ns/0/"\nroot = "<playlist>"\n', False),
            "page.html": (b"<html><body>&lt;playlist&gt; " + root + b"</playlist></body></html>", False),
            "list.xml": (b'<?xml version="1.0"?>\n<!-- a <list> -->' + root + b"<trackList/></playlist>", True),
            "named.xml": (b'<x:playlist xmlns:x="http://xspf.org/ns/0/"/>', True),
        }
        for name, (data, known) in cases.items():
            with self.subTest(name):
                path = os.path.join(self.folder, name)
                Path(path).write_bytes(data)
                self.assertEqual(recognised(path, []) is not None, known)


class Detours(FolderCase):
    def test_a_path_through_a_shelf_and_out_again_is_written_to_where_it_leads(self):
        """Once the shelf is gone, such a path leads nowhere; also the other way, and beside what only looks alike."""
        top = os.path.realpath(self.folder)
        for name in ("Kits", "Loops", "lists"):
            os.makedirs(os.path.join(top, name))
        Path(top, "Loops", "x.wav").touch()
        texts = (
            f"{top}/Kits/../Loops/x.wav",
            "../Kits/../Loops/x.wav",
            f"file://{top}/Kits/../Loops/x.wav",
            f"{top}/lists/../Loops/x.wav",
            "../Loops/x.wav",
        )
        path = os.path.join(top, "lists", "l.m3u8")
        Path(path).write_text("".join(f"{text}\n" for text in texts))
        rewritten(open_ledger(path, []), Moves([Move(f"{top}/Kits", f"{top}/new/Kits")]), self.target, f"{top}/lists")
        # What is a URI loses its steps before a file system is asked, so it leads there still.
        straight = (f"{top}/Loops/x.wav", "../Loops/x.wav", *texts[2:])
        self.assertEqual(Path(self.target).read_text(), "".join(f"{text}\n" for text in straight))


class Refusals(FolderCase):
    def database(self, *statements):
        """A new library after these statements, open through the player's map."""
        path = os.path.join(self.folder, "x.db")
        with closing(sqlite3.connect(path)) as database, database:
            database.execute("CREATE TABLE folders (path TEXT)")
            for statement in statements:
                database.execute(statement)
        plain = Path(self.folder, "plain.toml")
        plain.write_text(
            "".join(
                line
                for line in PLAYER_MAP.read_text().splitlines(True)
                if not line.startswith(("plays", "last_played", "title", "artist", "length", "rating", "merge"))
            )
        )
        return open_ledger(path, [load_map(str(plain))])

    def test_a_letter_the_encoding_lacks(self):
        path = os.path.join(self.folder, "l.m3u")
        Path(path).write_bytes("/keel/S/é.wav".encode("cp1252"))
        with self.assertRaisesRegex(CannotSpell, "has no letter"):
            rewritten(open_ledger(path, []), Moves([Move("/keel/S", "/łódź")]), self.target)

    def test_a_name_that_would_be_a_comment(self):
        ledger = TextLedger(os.path.join(self.folder, "c.m3u"), "m3u", m3u.spans)
        Path(ledger.path).write_bytes(b"x.wav\n")
        ledger.rewrite(self.target, {0: "#1.wav"})
        self.assertEqual(Path(self.target).read_bytes(), b"./#1.wav\n")
        with self.assertRaises(CannotSpell):
            ledger.rewrite(self.target, {0: "a\nb"})

    def test_what_records_a_doing_sleeps_and_what_is_derived_follows(self):
        ledger = self.database(
            "CREATE TABLE tracks (id INTEGER PRIMARY KEY, place TEXT COLLATE NOCASE, changed INTEGER DEFAULT 0, name"
            " TEXT GENERATED ALWAYS AS (substr(place, 8)) STORED)",
            "CREATE INDEX by_place ON tracks (place)",
            "CREATE VIRTUAL TABLE words USING fts5 (place, content='tracks', content_rowid='id')",
            "CREATE TRIGGER stamp AFTER UPDATE ON tracks BEGIN UPDATE tracks SET changed = changed + 1; END",
            "CREATE TRIGGER follow AFTER UPDATE ON tracks BEGIN INSERT INTO words (words, rowid, place) VALUES"
            " ('delete', old.id, old.place); INSERT INTO words (rowid, place) VALUES (new.id, new.place); END",
            "INSERT INTO tracks (place) VALUES ('file:///keel/S/a'), ('file:///KEEL/S/b')",
            "INSERT INTO words (rowid, place) SELECT id, place FROM tracks",
        )
        rewritten(ledger, THERE, self.target)
        with closing(sqlite3.connect(self.target)) as database:
            rows = database.execute("SELECT place, changed, name FROM tracks").fetchall()
            self.assertEqual(
                rows,
                [("file:///lighter/New%20Place/a", 0, "/lighter/New%20Place/a"), ("file:///KEEL/S/b", 0, "/KEEL/S/b")],
            )
            self.assertEqual(database.execute("SELECT rowid FROM words WHERE words MATCH 'lighter'").fetchall(), [(1,)])
            self.assertEqual(database.execute("PRAGMA integrity_check").fetchall(), [("ok",)])
            database.execute("UPDATE tracks SET place = place WHERE id = 1")
            self.assertEqual(
                database.execute("SELECT changed FROM tracks WHERE id = 1").fetchone(),
                (1,),
                "the trigger is awake again",
            )

    def test_search_tables_follow_whatever_keeps_them(self):
        """A trigger that also stamps, no trigger at all, and a table with its own content: all find the new folder."""
        words = "CREATE VIRTUAL TABLE words USING {} (place{})"
        stamped = (
            "CREATE TRIGGER follow AFTER UPDATE OF place ON tracks BEGIN {}"
            " UPDATE tracks SET changed = 'x;y' WHERE id = new.id; INSERT INTO words (rowid, place) VALUES (new.id,"
            " new.place); END"
        )
        gone = "INSERT INTO words (words, rowid, place) VALUES ('delete', old.id, old.place);"
        cases = {
            "stamps too": (words.format("fts5", ", content='tracks', content_rowid='id'"), stamped.format(gone)),
            "no trigger": (words.format("fts5", ", content=tracks, content_rowid=id"), None),
            "the older kind": (words.format("fts4", ', content="tracks"'), None),
            "its own content": (words.format("fts5", ""), stamped.format("DELETE FROM words WHERE rowid = old.id;")),
        }
        for name, (table, trigger) in cases.items():
            with self.subTest(name):
                ledger = self.database(
                    "CREATE TABLE tracks (id INTEGER PRIMARY KEY, place TEXT, changed TEXT)",
                    table,
                    *([trigger] if trigger else []),
                    "INSERT INTO tracks (place) VALUES ('file:///keel/S/a'), ('file:///else/S/b')",
                    "INSERT INTO words (rowid, place) SELECT id, place FROM tracks",
                )
                rewritten(ledger, THERE, self.target)
                with closing(sqlite3.connect(self.target)) as database:
                    found = "SELECT rowid FROM words WHERE words MATCH ?"
                    self.assertEqual(database.execute(found, ("lighter",)).fetchall(), [(1,)])
                    self.assertEqual(database.execute(found, ("keel",)).fetchall(), [])
                    self.assertEqual(database.execute("SELECT changed FROM tracks").fetchall(), [(None,), (None,)])
                os.unlink(ledger.path)
                os.unlink(self.target)
                os.unlink(f"{self.target}1")

    def test_a_unique_clash(self):
        ledger = self.database(
            "CREATE TABLE tracks (place TEXT UNIQUE)",
            "INSERT INTO tracks VALUES ('file:///keel/S/a'), ('file:///lighter/New%20Place/a')",
        )
        with self.assertRaisesRegex(CannotSpell, "UNIQUE"):
            rewritten(ledger, THERE, self.target)

    def test_rows_without_number_and_pages_unwritten(self):
        ledger = self.database(
            "PRAGMA journal_mode = WAL",
            "CREATE TABLE tracks (name TEXT, part BLOB, place TEXT, PRIMARY KEY (name, part)) WITHOUT ROWID",
        )
        with closing(sqlite3.connect(ledger.path)) as database:
            with database:
                database.execute(
                    "INSERT INTO tracks VALUES ('a', x'ff', 'file:///keel/S/a'), ('b', x'00', 'file:///x')"
                )
            self.assertIn("has pages", ledger.busy())
            before = os.listdir(self.folder)
            changes = rewritten(ledger, THERE, self.target)
            self.assertEqual(set(os.listdir(self.folder)) - set(before), {"target", "target1"})
        self.assertEqual(changes, {(0, "a", b"\xff"): "file:///lighter/New%20Place/a"})
        self.assertEqual(cells(self.target)["tracks"][0][2], changes[0, "a", b"\xff"])
        self.assertIsNone(ledger.busy())

    def test_files_that_are_not_what_they_claim(self):
        for name, data, words in [
            ("b.m3u", b"\x00\x01binary", "binary data"),
            ("t.db", b"just text", "not an SQLite database"),
            ("d.db", b"SQLite format 3\0" + b"\xff" * 200, "damaged|cannot be read"),
        ]:
            path = os.path.join(self.folder, name)
            Path(path).write_bytes(data)
            with self.subTest(name), self.assertRaisesRegex(BadLedger, words):
                list(open_ledger(path, [load_map(str(PLAYER_MAP))]).entries())
        with self.assertRaisesRegex(BadLedger, 'no table "tracks"'):
            self.database()
