"""A program sees after a move what it saw before, through every folder that it lists; else the move does not begin."""

import configparser
import json
import os
import plistlib
import re
import sqlite3
import struct
import tomllib
from contextlib import closing
from pathlib import Path
from urllib.parse import quote, unquote
from xml.etree import ElementTree
from xml.sax.saxutils import escape

from tests.world import WorldCase, cells, wav


def numbered(folders):
    """Lines with numbered keys."""
    return "".join(f"folder{at}={folder}\n" for at, folder in enumerate(folders, 1))


def joined(head, member, folders, end):
    """Text that holds a member for each folder, made of it and its number."""
    return (head + "".join(member.format(one, at) for at, one in enumerate(folders)) + end).encode()


def ini_numbers(folders):
    """A numbered list with its length, among other keys."""
    head = f"[View]\nzoom=2\n\n[Content]\nsize={len(folders)}\n"
    return f"{head}{numbered(folders)}\n[Window]\nwidth=2\n".encode()


def ini_numbers_read(raw):
    """What its program makes of it: so many as it says."""
    found = configparser.ConfigParser(interpolation=None)
    found.read_string(raw.decode())
    return [found["Content"][f"folder{at}"] for at in range(1, int(found["Content"]["size"]) + 1)]


def sections_read(raw):
    """The numbered folders of a file whose other sections are as they were."""
    found = configparser.ConfigParser(interpolation=None)
    found.read_string(raw.decode())
    same = found["Window"]["size"] == found["End"]["count"] == "2"
    return list(found["Content"].values()) if same else []


def as_counted(count, *members):
    """So many members as the first element says."""
    return [one.text for one in members][: int(count.text)]


def counted_read(root):
    """So many folders as their parent says, where what stands beside it is as it was."""
    dirs = root.find("dirs")
    return (
        [one.text for one in dirs][: int(dirs.get("count"))]
        if root[0].get("size") == root[2].get("size") == "2"
        else []
    )


def database(path, folders):
    """A table of folders, each with the same settings beside it."""
    with closing(sqlite3.connect(path)) as made:
        made.execute(
            "CREATE TABLE places (id INTEGER PRIMARY KEY, path TEXT UNIQUE, depth INTEGER, kind TEXT, rank INT)"
        )
        made.executemany(
            "INSERT INTO places (path, depth, kind, rank) VALUES (?, 9, 'sounds', ?)",
            [(str(folder), at) for at, folder in enumerate(folders)],
        )
        made.commit()


def database_read(path):
    """The folders in their order."""
    with closing(sqlite3.connect(path)) as found:
        return [one for (one,) in found.execute("SELECT path FROM places WHERE kind = 'sounds' ORDER BY rank")]


def lengths(folders):
    """A binary file: each text behind its length, and a mark before all."""
    raws = [str(folder).encode() for folder in folders]
    return b"VIEW\1\0\0\0" + b"".join(struct.pack("<I", len(raw)) + raw for raw in raws)


def lengths_read(raw):
    """The texts of such a file."""
    at, found = 8, []
    while at < len(raw):
        end = at + 4 + struct.unpack_from("<I", raw, at)[0]
        found.append(raw[at + 4 : end].decode())
        at = end
    return found


# Made-up settings files that list folders: how they are written, and how their program reads them.
LISTS = {
    "a.json": (
        lambda some: json.dumps({"content": [str(one) for one in some], "volume": 3}, indent=1).encode(),
        lambda raw: json.loads(raw)["content"],
    ),
    "uris.json": (
        lambda some: json.dumps({"roots": [f"file://{quote(str(one))}/" for one in some]}).encode(),
        lambda raw: [unquote(one)[7:] for one in json.loads(raw)["roots"]],
    ),
    "numbers.ini": (ini_numbers, ini_numbers_read),
    "again.conf": (
        lambda some: "".join(["theme = dark\n", *(f"root = {one}\n" for one in some), "x = 1\n"]).encode(),
        lambda raw: re.findall("root = (.*)", raw.decode()),
    ),
    "a.plist": (
        lambda some: plistlib.dumps({"Folders": [str(one) for one in some], "Open": True}),
        lambda raw: plistlib.loads(raw)["Folders"],
    ),
    "a.xml": (
        lambda some: ("<s>" + "".join(f"\n <dir>{escape(str(one))}</dir>" for one in some) + "\n</s>").encode(),
        lambda raw: [one.text for one in ElementTree.fromstring(raw)],
    ),
    "marks.xml": (
        lambda some: ("<s>" + "".join(f'\n <dir at="{escape(str(one))}"/>' for one in some) + "\n</s>").encode(),
        lambda raw: [one.get("at") for one in ElementTree.fromstring(raw)],
    ),
    "a.toml": (
        lambda some: f"[library]\npaths = {json.dumps([str(one) for one in some])}\n".encode(),
        lambda raw: tomllib.loads(raw.decode())["library"]["paths"],
    ),
    "places.db": (database, database_read),
    "counted.json": (
        lambda some: json.dumps({"count": len(some), "dirs": [str(one) for one in some], "open": [1, 2]}).encode(),
        lambda raw: json.loads(raw)["dirs"][: json.loads(raw)["count"]],
    ),
    "behind.json": (
        lambda some: json.dumps({"dirs": {str(at): str(one) for at, one in enumerate(some)}, "dirCount": 2}).encode(),
        lambda raw: [json.loads(raw)["dirs"][str(at)] for at in range(json.loads(raw)["dirCount"])],
    ),
    "rows, counted.json": (
        lambda some: json.dumps({"total": 2, "at": [{"dir": str(one)} for one in some]}, indent=1).encode(),
        lambda raw: [found["dir"] for found in json.loads(raw)["at"]][: json.loads(raw)["total"]],
    ),
    "counted.plist": (
        lambda some: plistlib.dumps({"Count": len(some), "Folders": [str(one) for one in some]}),
        lambda raw: plistlib.loads(raw)["Folders"][: plistlib.loads(raw)["Count"]],
    ),
    "counted.toml": (
        lambda some: f"[library]\ncount = 2\npaths = {json.dumps([str(one) for one in some])}\n".encode(),
        lambda raw: tomllib.loads(raw.decode())["library"]["paths"][: tomllib.loads(raw.decode())["library"]["count"]],
    ),
    "element.xml": (
        lambda some: joined("<s><dirs><count>2</count>", "<dir>{0}</dir>", some, "</dirs></s>"),
        lambda raw: [one.text for one in ElementTree.fromstring(raw)[0][1:]][
            : int(ElementTree.fromstring(raw)[0][0].text)
        ],
    ),
    "window.json": (  # the length of something else by chance
        lambda some: json.dumps(
            {"window": {"size": 2}, "dirs": [str(one) for one in some], "x": {"count": 2}}
        ).encode(),
        lambda raw: json.loads(raw)["dirs"] if raw.count(b": 2}") == 2 else [],
    ),
    "counted.xml": (
        lambda some: joined('<s><w size="2"/><dirs count="2">', "<dir>{0}</dir>", some, '</dirs><w size="2"/></s>'),
        lambda raw: counted_read(ElementTree.fromstring(raw)),
    ),
    "stem.ini": (
        lambda some: f"[Content]\n{numbered(some)}folderCount={len(some)}\n".encode(),
        lambda raw: ini_numbers_read(raw.replace(b"folderCount", b"size")),
    ),
    "sections.ini": (  # another section has a length by chance
        lambda some: f"[Window]\nsize=2\n[Content]\n{numbered(some)}[End]\ncount=2\n".encode(),
        lambda raw: sections_read(raw),
    ),
    "rows.json": (
        lambda some: json.dumps({"at": [{"id": at, "dir": str(one)} for at, one in enumerate(some, 1)]}).encode(),
        lambda raw: [found["dir"] for at, found in enumerate(json.loads(raw)["at"], 1) if found["id"] == at],
    ),
    "plain.json": (
        lambda some: json.dumps({"at": [{"dir": str(one)} for one in some]}).encode(),
        lambda raw: [found["dir"] for found in json.loads(raw)["at"]],
    ),
    "rows.xml": (
        lambda some: joined("<s>", "<d n='{1}'>{0}</d>", some, "</s>"),
        lambda raw: [one.text for at, one in enumerate(ElementTree.fromstring(raw)) if one.get("n") == str(at)],
    ),
}
# Files that hold one folder, or of which nobody knows how one more would stand in them.
OTHERS = {
    "one.json": (
        lambda some: json.dumps({"browser": {"root": str(some[0])}}).encode(),
        lambda raw: [json.loads(raw)["browser"]["root"]],
    ),
    "one.conf": (lambda some: f"root={some[0]}\n".encode(), lambda raw: [raw.decode().split("=")[1].strip()]),
    "lengths.bin": (lengths, lengths_read),
    "names.json": (  # what another folder is called is nobody's name for the new one
        lambda some: json.dumps(
            [{"dir": str(one), "called": f"Mine {chr(65 + at)}"} for at, one in enumerate(some)]
        ).encode(),
        lambda raw: [one["dir"] for one in json.loads(raw)],
    ),
    "keys.xml": (
        lambda some: joined("<s>", "<d key='{0.name}' at='{0}'/>", some, "</s>"),
        lambda raw: [one.get("at") for one in ElementTree.fromstring(raw)],
    ),
    "one.ini": (
        lambda some: f"[Content]\ndir={some[0]}\n".encode(),
        lambda raw: re.findall("dir=(.*)", raw.decode())[-1:],
    ),
    "one.xml": (
        lambda some: f"<set>\n <root>{escape(str(some[0]))}</root>\n</set>\n".encode(),
        lambda raw: [ElementTree.fromstring(raw).find("root").text],
    ),
    "apart.xml": (
        lambda some: joined("<set>", "<s{1}><root>{0}</root></s{1}>", some, "</set>"),
        lambda raw: [one.text for one in ElementTree.fromstring(raw).iter("root")],
    ),
    "gaps.ini": (
        lambda some: f"[Content]\nfolder1={some[0]}\nfolder7={some[1]}\n".encode(),
        lambda raw: re.findall("folder[17]=(.*)", raw.decode()),
    ),
    "two.ini": (  # which of the two is the length?
        lambda some: f"[Content]\nsize=2\ncount=2\n{numbered(some)}".encode(),
        lambda raw: re.findall("folder[12]=(.*)", raw.decode()),
    ),
    "font.ini": (
        lambda some: f"[Content]\nfontSize=2\n{numbered(some)}".encode(),
        lambda raw: re.findall("folder[12]=(.*)", raw.decode()),
    ),
}
# Lists of one folder that show how a second one is written, and such that do not.
GO_ON = ("numbers.ini", "a.plist", "a.toml", "counted.json", "counted.plist", "stem.ini", "sections.ini", "plain.json")
DO_NOT = ("again.conf", "a.xml", "rows.json", "places.db")
HARMLESS = {
    "letter.txt": "I put all of it in {}, you will find it. Then I went to {}\nand had tea.\n",
    "work.sh": "cd {} && ls\n",
    "page.html": "<p>My sounds are in {} since May.</p>\n",
    "player.log": "2026-11-01 22:10:01 {}\n2026-11-01 22:10:05 {}\n2026-11-02 09:00:00 {}\n",
    "below.json": '{{"songs": ["{}/Other/x.wav"]}}\n',
}


class Views(WorldCase):
    def setUp(self):
        super().setUp()
        self.sounds = self.top / "user" / "My Sounds"
        for place in ("Bells/a.wav", "Bells/deep/b.wav", "Drums/c.wav"):
            wav(self.sounds / place, len(place))
        self.other = self.top / "user" / "Other"
        wav(self.other / "x.wav", 7)
        self.settings = self.top / "user" / ".settings"
        self.settings.mkdir()

    def write(self, name, shapes, folders):
        """A settings file that lists these folders, and what reads it."""
        make, read = shapes[name]
        path = self.settings / name
        if name.endswith(".db"):
            make(path, folders)
            return path, lambda: read(path)
        path.write_bytes(make(folders))
        return path, lambda: read(path.read_bytes())

    def seen(self, folders):
        """The names of all sounds that a program finds which looks through these folders."""
        return sorted({path.name for folder in folders for path in Path(folder).rglob("*.wav")})

    def move(self, *more, what="Bells", status=None):
        """Move a folder of sounds to the other drive, without a question."""
        words = ("move", self.sounds / what, "--to", self.lighter / "My Sounds", "--yes", *more)
        return self.run_program(*words, status=status)

    def test_a_list_gets_the_new_folder(self):
        """Whatever the list is written in, its program sees all sounds afterwards, and undo takes the folder out."""
        lists = {name: self.write(name, LISTS, [self.other, self.sounds]) for name in LISTS}
        before = self.seen([self.other, self.sounds])
        raw = {name: path.read_bytes() for name, (path, _read) in lists.items()}
        self.assertIn("and 19 more list folders of which a part moves", self.move(status=0).stdout)
        for name, (_path, read) in lists.items():
            with self.subTest(name):
                self.assertEqual(self.seen(read()), before)
        self.run_program("undo", "--yes", status=0)
        for name, (path, read) in lists.items():
            with self.subTest(name, undone=True):
                self.assertEqual([os.path.normpath(one) for one in read()], [str(self.other), str(self.sounds)])
                if not name.endswith(".db"):
                    self.assertEqual(path.read_bytes(), raw[name])

    def test_the_second_folder_of_a_list(self):
        """What shows by itself how it goes on takes one; what does not is refused by name, and stays as it is."""
        more = self.top / "user" / "More"
        wav(more / "m.wav", 9)
        single = self.settings / "single.db"
        with closing(sqlite3.connect(single)) as made, made:
            made.execute("CREATE TABLE places (id INTEGER PRIMARY KEY, path TEXT, seen TEXT, rank INT DEFAULT 7)")
            made.execute("INSERT INTO places (path) VALUES (?)", (str(self.sounds),))
        lists = {name: self.write(name, LISTS, [self.sounds]) for name in (*GO_ON, *DO_NOT)}
        self.run_program("start", self.sounds, "--yes", status=None)
        ledgers = [lists[name][0] for name in GO_ON]
        self.run_program("folders", "add", more, "--ledger", *ledgers, single, "--yes", status=0)
        for name in GO_ON:
            with self.subTest(name):
                self.assertEqual([os.path.normpath(one) for one in lists[name][1]()], [str(self.sounds), str(more)])
        rows = [(1, str(self.sounds), None, 7), (2, str(more), None, 7)]
        self.assertEqual(cells(single)["places"], rows)
        for name in DO_NOT:
            with self.subTest(name):
                path = lists[name][0]
                raw = path.read_bytes()
                said = self.run_program("folders", "add", more, "--ledger", path, "--yes", status=3).stderr
                self.assertIn(name, said)
                self.assertIn("in its program", said)
                self.assertEqual(path.read_bytes(), raw)

    def test_what_can_list_no_more_holds_the_move_back(self):
        """One folder alone, or a file of unknown make: nothing moves, and the answer says how much would be seen."""
        for name in OTHERS:
            with self.subTest(name):
                self.setUp()
                _path, read = self.write(name, OTHERS, [self.sounds, self.other])
                before = self.seen(read())
                done = self.move(status=3)
                self.assertEqual(self.seen(read()), before)
                self.assertIn(name, done.stderr)
                self.assertIn("3 sounds", done.stderr)

    def test_a_signpost_keeps_what_is_seen(self):
        _path, read = self.write("one.json", OTHERS, [self.sounds])
        before = self.seen(read())
        self.move("--signpost", status=0)
        found = {
            name for folder in read() for _top, _dirs, names in os.walk(folder, followlinks=True) for name in names
        }
        self.assertEqual(sorted(found), before)

    def test_a_person_may_say_that_it_may_be_so(self):
        path, _read = self.write("one.conf", OTHERS, [self.sounds])
        raw = path.read_bytes()
        self.move("--ignore", path, status=0)
        self.assertEqual(path.read_bytes(), raw)

    def test_folders_further_up_and_the_top_of_a_drive(self):
        """A listed folder two levels up, and a whole drive."""
        for listed in ("Audio", "."):
            with self.subTest(listed):
                self.setUp()
                deep = self.keel / "Audio" / "Packs" / "Bells"
                wav(deep / "a.wav", 1)
                _path, read = self.write("a.json", LISTS, [self.keel / listed])
                before = self.seen(read())
                self.run_program("move", deep, "--to", self.lighter, "--yes", status=0)
                self.assertEqual(self.seen(read()), before)

    def test_one_file_of_a_listed_folder(self):
        _path, read = self.write("numbers.ini", LISTS, [self.sounds / "Bells", self.other])
        before = self.seen(read())
        self.move(what="Bells/a.wav", status=0)
        self.assertEqual(self.seen(read()), before)

    def test_within_a_listed_folder_nothing_is_lost(self):
        """What moves to another place below the same folder is seen as before, so nothing is added to the list."""
        path, read = self.write("one.json", OTHERS, [self.sounds])
        raw, before = path.read_bytes(), self.seen(read())
        self.run_program("move", self.sounds / "Bells", "--to", self.sounds / "Old", "--yes", status=0)
        self.assertEqual((path.read_bytes(), self.seen(read())), (raw, before))

    def test_a_list_that_shows_the_new_place_already_stays(self):
        path, _read = self.write("a.toml", LISTS, [self.sounds, self.lighter])
        raw = path.read_bytes()
        self.move(status=0)
        self.assertEqual(path.read_bytes(), raw)

    def test_a_sentence_and_a_log_are_no_lists(self):
        """What names the folder in prose or in a log, and what lies elsewhere in it: no alarm, nothing written."""
        for name, text in HARMLESS.items():
            with self.subTest(name):
                self.setUp()
                path = self.settings / name
                path.write_text(text.format(*[self.sounds] * text.count("{}")))
                raw = path.read_bytes()
                self.move(status=0)
                self.assertEqual(path.read_bytes(), raw)
