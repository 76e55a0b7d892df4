"""Databases that keep folders in a table of their own: a file that leaves a folder others stay in."""

import sqlite3
from contextlib import closing

from tests.world import WorldCase, cells, wav


class FolderTables(WorldCase):
    def setUp(self):
        super().setUp()
        self.loops = self.keel / "Loops"
        for number, name in enumerate(("one.wav", "two.wav", "three.wav")):
            wav(self.loops / name, number)
        wav(self.keel / "Coll" / "a.wav", 4)
        (self.keel / "Coll" / "list.m3u8").write_text("#EXTM3U\na.wav\n../Loops/one.wav\n")
        self.pool = self.top / "user" / "pool.db"
        self.pool.parent.mkdir()
        with closing(sqlite3.connect(self.pool)) as made, made:
            made.execute("CREATE TABLE folder (id INTEGER PRIMARY KEY, path TEXT)")
            made.execute("CREATE TABLE sample (id INTEGER PRIMARY KEY, folder_id INT, name TEXT)")
            made.execute("INSERT INTO folder VALUES (2, ?)", (str(self.loops),))
            made.executemany("INSERT INTO sample VALUES (?, 2, ?)", enumerate(("one.wav", "two.wav", "three.wav"), 1))

    def lost(self):
        """What its program does not find."""
        with closing(sqlite3.connect(self.pool)) as found:
            rows = found.execute("SELECT path, name FROM sample JOIN folder ON folder.id = folder_id").fetchall()
        return [name for folder, name in rows if not (self.top / folder / name).is_file()]

    def test_a_file_that_leaves_its_folder_holds_the_trip_back_by_name(self):
        """A single file, a part of the folder, and one that is gathered and set aside: nothing moves."""
        to = ("--to", self.lighter, "--yes")
        before = cells(self.pool)
        for words in (
            (self.loops / "one.wav", *to),
            (self.loops, "--only", "t*.wav", *to),
            (self.loops, "--exclude", "one.wav", *to),
            (self.keel / "Coll", "--set-aside-gathered", *to),
        ):
            with self.subTest(words):
                self.assertIn("pool.db", self.run_program("move", *words, status=3).stderr)
                self.assertEqual((cells(self.pool), self.lost()), (before, []))

    def test_a_row_that_leads_there_through_a_link_holds_it_back_too(self):
        """No text in the database names the place; its entries lead there all the same."""
        (self.keel / "current").symlink_to(self.loops)
        with closing(sqlite3.connect(self.pool)) as made, made:
            made.execute("UPDATE folder SET path = ?", (str(self.keel / "current"),))
        before = cells(self.pool)
        words = (self.loops / "one.wav", "--to", self.lighter, "--yes")
        self.assertIn("pool.db", self.run_program("move", *words, status=3).stderr)
        self.assertEqual((cells(self.pool), self.lost()), (before, []))

    def test_a_row_that_takes_a_detour_holds_it_back_too(self):
        """Its database is known by a map; the text is that of another folder, and leads to this one."""
        plan = self.top / "pool.toml"
        plan.write_text(
            'name = "pool"\ncontainer = "sqlite"\n[[entries]]\ntable = "sample"\ncolumn = "name"\n'
            'folder = { column = "path", table = "folder", key = "id", by = "folder_id" }\n'
        )
        (self.keel / "deep" / "er").mkdir(parents=True)
        (self.keel / "near").symlink_to("deep/er")
        with closing(sqlite3.connect(self.pool)) as made, made:
            made.execute("UPDATE folder SET path = ?", (f"{self.keel}/near/../../Loops",))
        before = cells(self.pool)
        words = (self.loops / "one.wav", "--to", self.lighter, "--ledger", self.pool, "--map", plan, "--yes")
        self.assertIn("pool.db", self.run_program("move", *words, status=3).stderr)
        self.assertEqual((cells(self.pool), self.lost()), (before, []))

    def test_the_whole_folder_moves_and_its_row_follows(self):
        self.run_program("move", self.loops, "--to", self.lighter, "--yes", status=0)
        self.assertEqual(self.lost(), [])
        self.assertEqual(cells(self.pool)["folder"], [(2, str(self.lighter / "Loops"))])
