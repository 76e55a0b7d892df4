"""Databases whose folders stand in a tree: what they have lost is told, though nothing rewrites them."""

import os
import sqlite3
import unittest
from contextlib import closing

from tests.planning.folder_trees import TreeCase, played, tree


class Trees(TreeCase):
    def mended(self):
        """What a look at what is lost says, and its status."""
        done = self.run_program("mend", "--in", self.lighter, "--yes", status=None)
        return done.stdout + done.stderr, done.returncode

    def test_what_a_tree_has_lost_is_told_until_a_link_leads_there(self):
        tree(self.programs / "tree.db", self.shelf)
        tree(self.programs / "split.db", self.shelf, split=True)
        self.assertNotIn("tree.db", self.mended()[0])
        self.shelf.rename(self.lighter / "Bells")
        said, status = self.mended()
        for name in ("tree.db", "split.db"):
            self.assertRegex(said, rf"{name} lists 4 sounds that are gone")
        self.assertEqual((status, played(self.programs / "tree.db")), (1, 0))
        os.symlink(self.lighter / "Bells", self.shelf)
        self.assertNotIn("tree.db", self.mended()[0])
        self.assertEqual(played(self.programs / "tree.db"), 4)

    def test_a_tree_with_more_sounds_than_are_looked_at_is_told(self):
        path = self.programs / "tree.db"
        tree(path, self.shelf)
        with closing(sqlite3.connect(path)) as made:
            made.execute(
                "WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 100001)"
                " INSERT INTO sound SELECT 1, i || '.wav', NULL, 0 FROM n"
            )
            made.commit()
        said, status = self.mended()
        self.assertIn("tree.db", said)
        self.assertRegex(" ".join(said.split()), "more than 100,000 rows: .*tree.db")
        self.assertEqual(status, 1)

    def test_numbers_that_are_no_folders_and_other_trees_raise_no_alarm(self):
        """How often a sound was played may be the number of a folder; bookmarks stand in a tree, too."""
        tree(self.programs / "tree.db", self.shelf)
        with closing(sqlite3.connect(self.programs / "tree.db")) as made:
            made.executescript(
                "CREATE TABLE heard AS SELECT (SELECT max(id) FROM folder) AS plays, folder, title FROM sound;"
                "DROP TABLE sound"
            )
        ring = [(4, 4, "itself.mp3"), (5, 6, "a"), (6, 5, "b.wav"), (0, 0, "")]
        for name, rows in (("marks", [(1, 0, ""), (2, 1, "Menu"), (3, 2, "song.mp3")]), ("rings", ring)):
            with closing(sqlite3.connect(self.programs / f"{name}.db")) as made:
                made.execute("CREATE TABLE mark (id INTEGER PRIMARY KEY, above INT, title TEXT)")
                made.executemany("INSERT INTO mark VALUES (?, ?, ?)", rows)
                made.commit()
        self.assertIn("found no file that lists sounds that are gone", self.mended()[0])


if __name__ == "__main__":
    unittest.main()
