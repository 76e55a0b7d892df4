"""Settings that nobody described: `start` learns which folders are a list, and which is the one for new content."""

import json
import plistlib
import re
import sqlite3
from contextlib import closing
from xml.etree import ElementTree

from tests.world import WorldCase, wav


def database(path, folders, new):
    """A table of folders, and one row of settings."""
    with closing(sqlite3.connect(path)) as made, made:
        made.execute("CREATE TABLE roots (id INTEGER PRIMARY KEY, path TEXT, depth INT)")
        made.executemany("INSERT INTO roots (path, depth) VALUES (?, 9)", [(folder,) for folder in folders])
        made.execute("CREATE TABLE state (id INTEGER PRIMARY KEY, zoom INT, record_folder TEXT)")
        made.execute("INSERT INTO state VALUES (1, 2, ?)", (new,))


def database_read(path):
    """Both."""
    with closing(sqlite3.connect(path)) as found:
        roots = [one for (one,) in found.execute("SELECT path FROM roots")]
        return sorted(roots), found.execute("SELECT record_folder FROM state").fetchone()[0]


def ini(some, new):
    """Numbered keys."""
    return "[Content]\n" + "".join(f"folder{at}={one}\n" for at, one in enumerate(some, 1)) + f"newContent={new}\n"


def xml(some, new):
    """Elements in a list, and one beside it."""
    return "<s>" + "".join(f"<dir>{one}</dir>" for one in some) + f"<exports>{new}</exports></s>"


def xml_read(text):
    """Both."""
    tree = ElementTree.fromstring(text)
    return [one.text for one in tree.findall("dir")], tree.findtext("exports")


# Made-up settings: how they are written, and how their program reads the list and the folder for new content.
SETTINGS = {
    "a.ini": (ini, lambda text: (re.findall(r"folder\d=(.*)", text), re.search("newContent=(.*)", text)[1])),
    "a.conf": (
        lambda some, new: "".join(f"root = {one}\n" for one in some) + f"record = {new}\nzoom = 2\n",
        lambda text: (re.findall("root = (.*)", text), re.search("record = (.*)", text)[1]),
    ),
    "a.json": (
        lambda some, new: json.dumps({"roots": some, "saveTo": new, "zoom": 2}),
        lambda text: (json.loads(text)["roots"], json.loads(text)["saveTo"]),
    ),
    "a.plist": (
        lambda some, new: plistlib.dumps({"Roots": some, "DownloadFolder": new}).decode(),
        lambda text: (plistlib.loads(text.encode())["Roots"], plistlib.loads(text.encode())["DownloadFolder"]),
    ),
    "a.xml": (xml, xml_read),
}


class NewContent(WorldCase):
    def prepare(self, name):
        """A studio of its own with one settings file; its path, and what reads it."""
        self.setUp()
        user = self.top / "user"
        packs = [str(user / "Sounds" / pack) for pack in ("Pack A", "Pack B")]
        for pack in packs:
            wav(f"{pack}/x.wav", 1)
        self.more, self.new = self.lighter / "More", self.lighter / "New"
        self.more.mkdir()
        self.new.mkdir()
        path = user / ".config" / "bench" / name
        path.parent.mkdir(parents=True)
        if name.endswith(".db"):
            database(path, packs, packs[0])
            return path, lambda: database_read(path)
        make, read = SETTINGS[name]
        path.write_text(make(packs, packs[0]))
        return path, lambda: read(path.read_text())

    def test_both_are_changed_without_a_map_by_hand(self):
        for name in (*SETTINGS, "a.db"):
            with self.subTest(name):
                path, read = self.prepare(name)
                folders, new = read()
                self.run_program("start", self.top / "user" / "Sounds", "--yes", status=None)
                self.run_program("folders", "add", self.more, "--ledger", path, "--yes", status=0)
                self.assertEqual((sorted(read()[0]), read()[1]), (sorted([*folders, str(self.more)]), new))
                self.run_program("folders", "new-things", self.new, "--ledger", path, "--yes", status=0)
                self.assertEqual((sorted(read()[0]), read()[1]), (sorted([*folders, str(self.more)]), str(self.new)))

    def test_new_content_goes_along_with_a_move(self):
        path, read = self.prepare("a.json")
        self.run_program("start", self.top / "user" / "Sounds", "--yes", status=None)
        pack = self.top / "user" / "Sounds" / "Pack B"
        self.run_program("move", pack, "--to", self.lighter, "--new-things", self.new, "--yes", status=0)
        self.assertEqual(read()[1], str(self.new))
        path.unlink()
        words = (
            "move",
            self.top / "user" / "Sounds" / "Pack A",
            "--to",
            self.lighter,
            "--new-things",
            self.new,
            "--yes",
        )
        self.assertIn("is not known of any program", self.run_program(*words, status=3).stderr)
