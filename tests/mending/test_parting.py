"""Databases with folders in a table of their own, of which the sounds were sorted into several: each finds its own."""

import shutil
import sqlite3
from contextlib import closing
from unittest.mock import patch

from saltcart.errors import CannotSpell
from saltcart.ledgers.base import ListEdits
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.ledgers.sqlite.row_edits import RowEdits
from tests.world import WorldCase, cells, wav

NAMES = ("one.wav", "two.wav", "three.wav", "four ä.wav")


class Parting(WorldCase):
    def setUp(self):
        super().setUp()
        self.loops, self.a, self.b = (self.keel / name for name in ("Loops", "By kind/Dry", "By kind/Wet"))
        for number, name in enumerate(NAMES):
            wav(self.loops / name, number)
        self.pool = self.top / "user" / "pool.db"
        self.pool.parent.mkdir()
        self.plan = self.top / "pool.toml"
        self.plan.write_text(
            'name = "pool"\ncontainer = "sqlite"\n[[entries]]\ntable = "folder"\ncolumn = "path"\nnames = "folder"\n'
            '[[entries]]\ntable = "sample"\ncolumn = "name"\nsize = "size"\n'
            'folder = { column = "path", table = "folder", key = "id", by = "folder_id" }\n'
        )

    def make(self, folder="CREATE TABLE folder (id INTEGER PRIMARY KEY, path TEXT UNIQUE)", row="(2, ?)", more=""):
        """The database, when all is still well; then the sounds are sorted into two folders."""
        with closing(sqlite3.connect(self.pool)) as made, made:
            made.execute(folder)
            made.execute("CREATE TABLE sample (id INTEGER PRIMARY KEY, folder_id INT, name TEXT, size INT, stars INT)")
            made.execute(f"INSERT INTO folder VALUES {row}", (str(self.loops),))
            made.executescript(more)
            rows = [(at, name, (self.loops / name).stat().st_size, at) for at, name in enumerate(NAMES, 1)]
            made.executemany("INSERT INTO sample VALUES (?, 2, ?, ?, ?)", rows)
        for number, name in enumerate(NAMES):
            folder = (self.a, self.b)[number % 2]
            folder.mkdir(parents=True, exist_ok=True)
            shutil.move(self.loops / name, folder / name)
        self.loops.rmdir()

    def lost(self):
        """What its program does not find."""
        with closing(sqlite3.connect(self.pool)) as found:
            rows = found.execute("SELECT path, name FROM sample JOIN folder ON folder.id = folder_id").fetchall()
        return [name for folder, name in rows if not (self.top / folder / name).is_file()]

    @staticmethod
    def but_folders(found):
        """The rows of sounds without what says their folder."""
        return [(row[0], *row[2:]) for row in found["sample"]]

    def mend(self, status=0):
        words = ("mend", "--ledger", self.pool, "--map", self.plan, "--in", self.keel, "--by-name", "--yes")
        return self.run_program(*words, status=status)

    def test_each_finds_its_own_and_all_else_stays(self):
        self.make()
        before = cells(self.pool)
        self.mend()
        self.assertEqual(self.lost(), [])
        after = cells(self.pool)
        self.assertEqual(
            [(row[0], *row[2:]) for row in after["sample"]], [(row[0], *row[2:]) for row in before["sample"]]
        )
        self.assertLessEqual({str(self.a), str(self.b)}, {row[1] for row in after["folder"]})
        self.run_program("check", status=0)
        self.run_program("undo", "--yes")
        self.assertEqual(cells(self.pool), before)

    def test_nothing_else_in_their_rows_may_change(self):
        """A slip of ours in what lets them part is noticed before the ledger is written."""
        self.make()
        parted = {(1, 1): str(self.a)}

        def slipped(rows, rule, key, text):
            part(rows, rule, key, text)
            rows.copy.execute("UPDATE main.sample SET stars = 0 WHERE id = 2")

        part, target = RowEdits.part, self.top / "new.db"
        with patch.object(RowEdits, "part", slipped), self.assertRaisesRegex(CannotSpell, "other cells of sample"):
            ledger = open_ledger(str(self.pool), [load_map(str(self.plan))])
            ledger.rewrite(str(target), {}, edits=ListEdits(parted=parted))
        target.unlink()
        ledger.rewrite(str(target), {}, edits=ListEdits(parted=parted))
        self.assertEqual(cells(target)["sample"][0][:3], (1, 3, "one.wav"))

    def test_a_folder_that_is_still_there_stays_listed(self):
        self.make()
        wav(self.loops / "new.wav", 9)
        self.mend()
        self.assertEqual(self.lost(), [])
        self.assertEqual({row[1] for row in cells(self.pool)["folder"]}, {str(self.loops), str(self.a), str(self.b)})

    def test_another_table_may_list_the_same_folder(self):
        """What a program watches is not what its sounds start from."""
        self.plan.write_text(
            self.plan.read_text() + '[[entries]]\ntable = "watched"\ncolumn = "at"\nnames = "folder"\n'
        )
        watched = (
            f"CREATE TABLE watched (id INTEGER PRIMARY KEY, at TEXT); INSERT INTO watched VALUES (1, '{self.loops}')"
        )
        self.make(more=watched)
        self.mend(status=1)
        self.assertEqual(self.lost(), [])
        self.assertEqual(cells(self.pool)["watched"], [(1, str(self.loops))])
        self.assertEqual({row[1] for row in cells(self.pool)["folder"]}, {str(self.a), str(self.b)})

    def test_what_is_lost_again_later_is_told(self):
        """That it was lost once is no excuse."""
        self.make()
        self.mend()
        (self.b / "two.wav").unlink()
        self.assertIn("two.wav", self.run_program("check", "--all", status=1).stdout)

    def test_undo_after_the_program_wrote_gives_each_its_folder_back(self):
        self.make()
        before = cells(self.pool)
        self.mend()
        with closing(sqlite3.connect(self.pool)) as changed, changed:
            changed.execute("UPDATE sample SET stars = 5 WHERE id = 3")
        self.run_program("undo", "--yes")
        after = cells(self.pool)
        self.assertEqual([row[:4] for row in after["sample"]], [row[:4] for row in before["sample"]])
        self.assertEqual(after["sample"][2][4], 5)
        self.assertLessEqual(set(before["folder"]), set(after["folder"]), "the row that was added stays, unused")

    def test_where_nothing_shows_what_a_new_folder_needs_they_stay_lost(self):
        self.make(
            "CREATE TABLE folder (id INTEGER PRIMARY KEY, path TEXT, mark TEXT)",
            "(2, ?, 'x')",
            "INSERT INTO folder VALUES (3, '/elsewhere', 'y')",
        )
        before = cells(self.pool)
        self.mend(status=None)
        self.assertEqual(len(cells(self.pool)["folder"]), 2)
        self.assertIn(self.lost(), (["one.wav", "three.wav"], ["two.wav", "four ä.wav"]))
        self.assertEqual(self.but_folders(cells(self.pool)), self.but_folders(before))
