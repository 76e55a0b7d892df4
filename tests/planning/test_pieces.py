"""Files that hold paths in pieces: they are found and hold a move back; what only looks like it does not."""

import json
import sqlite3
import unittest
import zlib
from contextlib import closing
from pathlib import Path

from tests.planning.folder_trees import SOUNDS, TreeCase, played, tree


def message_pack(names):
    """A short array of short texts, and a number, in MessagePack: the length of each is in the byte before it."""
    texts = [name.encode() for name in names]
    return bytes([0x91 + len(texts)]) + b"".join(bytes([0xA0 + len(one)]) + one for one in texts) + b"\x05"


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
        with closing(sqlite3.connect(self.programs / "cells.db")) as made:
            made.execute("CREATE TABLE sound (said TEXT, packed BLOB)")
            rows = [(json.dumps(one), None) for one in names[:2]] + [
                (None, zlib.compress(json.dumps(names[2:]).encode()))
            ]
            made.executemany("INSERT INTO sound VALUES (?, ?)", rows)
            made.commit()
        (self.programs / "packed.bin").write_bytes(b"SET1\0\0" + zlib.compress(json.dumps(names).encode()) + b"END.")
        (self.programs / "counted.bin").write_bytes(b"\x94" + b"".join(message_pack(one) for one in names))
        (self.programs / "colons.txt").write_text("\n".join(":".join(one) for one in names))
        (self.programs / "wide.bin").write_bytes("\0".join(part for one in names for part in one).encode("utf-16-le"))
        found = self.account()
        kinds = ("tree.db", "split.db", "parts.json", "colons.txt", "wide.bin", "cells.db", "packed.bin", "counted.bin")
        for name, count in ((name, 4) for name in kinds):
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
