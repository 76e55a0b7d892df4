"""Files that hold paths in pieces: they are found and hold a move back; what only looks like it does not."""

import json
import sqlite3
import unittest
from contextlib import closing
from pathlib import Path

from tests.planning.folder_trees import SOUNDS, TreeCase, played, tree


class InPieces(TreeCase):
    def account(self):
        """By name, what the draft says of each file that refers to the shelf."""
        words = (self.shelf, "--to", self.lighter, "-o", self.top / "plan.toml", "--force")
        document = self.run_json("draft", *words, status=None)
        return {Path(one["path"]).name: one for one in document["account"]["mentions"]}

    def test_what_holds_a_path_in_pieces_holds_a_move_back(self):
        names = [self.shelf.parts[1:] + tuple(name.split("/")) for name in SOUNDS]
        tree(self.programs / "tree.db", self.shelf)
        tree(self.programs / "split.db", self.shelf, split=True)
        tree(
            self.programs / "opened.db",
            self.shelf,
            more=f"CREATE TABLE last (x); INSERT INTO last VALUES ('{self.shelf}')",
        )
        (self.programs / "parts.json").write_text(json.dumps([list(one) for one in names]))
        (self.programs / "colons.txt").write_text("\n".join(":".join(one) for one in names))
        (self.programs / "wide.bin").write_bytes("\0".join(part for one in names for part in one).encode("utf-16-le"))
        found = self.account()
        for name, count in (("tree.db", 4), ("split.db", 4), ("parts.json", 4), ("colons.txt", 4), ("wide.bin", 4)):
            self.assertEqual((found[name]["standing"], found[name]["left"]), ("not read", count), name)
        self.assertEqual((found["opened.db"]["standing"], found["opened.db"]["left"]), ("in part", 3))
        done = self.run_program("move", self.shelf, "--to", self.lighter, "--yes", status=3)
        self.assertIn("tree.db", done.stderr)
        self.assertTrue((self.shelf / SOUNDS[0]).is_file())
        self.run_program("move", self.shelf, "--to", self.lighter, "--yes", "--signpost")
        self.assertEqual(played(self.programs / "tree.db"), 4)

    def test_what_only_looks_like_it_does_not(self):
        tree(self.programs / "elsewhere.db", self.keel / "Other" / self.shelf.name)
        tree(self.programs / "others.db", self.shelf, ["other.wav", "C1.aif"])
        with closing(sqlite3.connect(self.programs / "shown.db")) as made:
            made.execute("CREATE TABLE sound (path TEXT, shelf TEXT, inside TEXT, title TEXT)")
            for name in SOUNDS:
                row = (str(self.shelf / name), self.shelf.name, self.shelf.parent.name, Path(name).name)
                made.execute("INSERT INTO sound VALUES (?, ?, ?, ?)", row)
            made.commit()
        (self.programs / "kinds.json").write_text(json.dumps({"kind": self.shelf.name, "file": "C1.wav"}))
        (self.programs / "title.txt").write_text(f"{self.shelf.parent.name}, {self.shelf.name}, and nothing else\n")
        cache = self.top / "user" / ".cache"
        cache.mkdir()
        tree(cache / "all files.db", self.shelf)
        found = self.account()
        self.assertEqual({name: one["left"] for name, one in found.items()}, {"shown.db": 0, "all files.db": 0})


if __name__ == "__main__":
    unittest.main()
