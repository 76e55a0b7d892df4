"""Containers through maps: what is found, that nothing else changes, and that hostile files end in a clear word."""

import csv
import gzip
import io
import json
import os
import plistlib
import re
import sqlite3
import struct
import tempfile
import time
import warnings
import zipfile
from collections import Counter
from contextlib import closing
from pathlib import Path

from saltcart.carrying.lists import lists_in
from saltcart.errors import BadFile, BadLedger, CannotSpell
from saltcart.judging.judge import Judge
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.base import ListEdits
from saltcart.ledgers.facts import facts
from saltcart.ledgers.kinds import mapped, open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.rewriting.routes import Routes
from saltcart.spelling import Meanings, Move, Moves
from tests.ledgers.cases import THERE, FolderCase, rewritten
from tests.ledgers.chunk_files import chunk


def chunk_file(encoding, order=">"):
    """A kit of EA IFF 85, or of RIFF where lengths are little-endian: three pads with their places and levels."""
    end = b"\0\0" if encoding.startswith("utf-16") else b"\0"

    def pad(name):
        return chunk(
            b"PADS", chunk(b"PATH", name.encode(encoding) + end, order) + chunk(b"LVLS", b"\1\2\3", order), order
        )

    pads = pad("/keel/S/é 1.wav") + pad("/keel/S/b.wav") + pad("/keel/T/c.wav")
    return chunk(b"RIFF" if order == "<" else b"FORM", b"KITS" + chunk(b"HEAD", b"v1", order) + pads, order)


def counted_texts(texts, encoding, width, order, of):
    """Texts with their length before them, each with a number behind it."""
    unit = 2 if of == "characters" and encoding.startswith("utf-16") else 1
    raws = [text.encode(encoding) for text in texts]
    return b"".join((len(raw) // unit).to_bytes(width, order) + raw + b"\0\7\0" for raw in raws)


def shared_arrays(depth):
    """A small binary list of arrays, each of which holds the next one twice: 2 ** depth places of one string."""
    objects = [bytes([0xA2, at + 1, at + 1]) for at in range(depth)] + [b"\x51x"]
    offsets = bytes(8 + sum(map(len, objects[:at])) for at in range(depth + 1))
    body = b"bplist00" + b"".join(objects)
    return body + offsets + struct.pack(">6xBBQQQ", 1, 1, depth + 1, 0, len(body))


PLIST = {
    "Tracks": {
        "1": {"Place": "file:///keel/S/a%20b.wav", "Name": "x", "Art": "file:///keel/S/a.png"},
        "2": {"Place": "file:///keel/S/" + "é" * 200 + ".wav"},
    },
    "Folders": ["/keel/S", "/keel/T"],
}
SESSION = (
    '<?xml version="1.0"?>\n<Session root="/keel/S/"><Clip file="sub/a &amp; b.wav"/><Clip file=\'c.wav\'/><Cover'
    ' file="x"/></Session>'
)
CASES = {
    "xml.x": (
        'container = "xml"',
        ['at = "Session/Clip/@file"\nbase_at = "Session/@root"\nspelling = "relative"'],
        SESSION.encode(),
        ["/keel/S", "/keel/S/sub/a & b.wav", "/keel/S/c.wav"],
    ),
    "gz.x": (
        'container = "xml"\ngzip = true',
        ['at = "**/Clip/@file"\nbase_at = "Session/@root"\nspelling = "relative"'],
        gzip.compress(SESSION.encode(), mtime=7),
        ["/keel/S", "/keel/S/sub/a & b.wav", "/keel/S/c.wav"],
    ),
    "json.x": (
        'container = "json"',
        ['at = "content/folders/*"\nnames = "folder"', 'at = "**/file"'],
        (
            b'{"content": {"folders": ["/keel/S", "/keel/T"], "x": [{"file": "/keel/S/\\u00e9.wav", "files":'
            b' "/keel/S/n"}]}}\n'
        ),
        ["/keel/S", "/keel/T", "/keel/S/é.wav"],
    ),
    "ini.x": (
        'container = "ini"',
        ['at = "content/folder"\nnames = "folder"\nseparator = ";"'],
        (
            b"; folder = /keel/S\r\n[content]\r\nFolder=/keel/no\r\nfolder = /keel/S ;"
            b' /keel/T\r\nfolder="/keel/S/sub"\r\n[x]\r\nfolder=/keel/S\r\n'
        ),
        ["/keel/S", "/keel/T", "/keel/S/sub"],
    ),
    "anycase.x": (
        'container = "ini"',
        ['at = "Content/Folder"\nnames = "folder"\nany_case = true'],
        b"[CONTENT]\nfolder: /keel/S\n[x]\nfolder=/keel/S\n[content]\nFOLDER=/keel/T",
        ["/keel/S", "/keel/T"],
    ),
    "csv.x": (
        'container = "csv"',
        ['at = "Place"'],
        b'Title,"Place",Art\r\n"a ""q""","/keel/S/a, ""b"".wav",/keel/S/a.png\r\nx,/keel/S/c.wav,\r\n',
        ['/keel/S/a, "b".wav', "/keel/S/c.wav"],
    ),
    "tsv.x": ('container = "tsv"', ['at = "p"'], b"p\tq\n/keel/S/a b.wav\t/keel/S/no\n", ["/keel/S/a b.wav"]),
    "toml.x": (
        'container = "toml"',
        ['at = "player/folders/*"\nnames = "folder"', 'at = "player/last"'],
        (
            b'# x\n[player]\nlast = \'/keel/S/it.wav\' # /keel/S\nfolders = [\n  "/keel/S", # "no"\n '
            b' "/keel/\\u00e9",\n]\n[other]\nlast = "/keel/S"\n'
        ),
        ["/keel/S/it.wav", "/keel/S", "/keel/é"],
    ),
    "text.x": (
        'container = "text"',
        ['at = \'^load "(?P<path>[^"]+)"\''],
        b'load "/keel/S/a b.wav" now\nnot load "/keel/S/no.wav"\nload "/keel/S/c.wav"',
        ["/keel/S/a b.wav", "/keel/S/c.wav"],
    ),
    "plist.x": (
        'container = "plist"',
        ['at = "Tracks/*/Place"\nspelling = "uri"', 'at = "Folders/*"\nnames = "folder"'],
        plistlib.dumps(PLIST),
        None,
    ),
    "records.x": (
        'container = "json"',
        ['at = "*/file"\nbase_at = "*/dir"\nspelling = "relative"'],
        (
            b'[{"file": "a.wav", "dir": "/keel/S"}, {"dir": "/keel/T", "file": "sub/c.wav"},'
            b' {"file": "b.wav", "dir": "/keel/S/sub"}]'
        ),
        ["/keel/S/a.wav", "/keel/S", "/keel/T", "/keel/T/sub/c.wav", "/keel/S/sub/b.wav", "/keel/S/sub"],
    ),
    "three.x": (
        'container = "xml"',
        [
            'at = "s/pad/name"\nbase_at = "s/pad/@dir"\nspelling = "relative"',
            'at = "s/pad/@dir"\nbase_at = "s/@disk"\nspelling = "relative"\nnames = "folder"',
        ],
        b'<s disk="/keel"><pad dir="S"><name>a.wav</name></pad><pad dir="T"><name>c.wav</name></pad></s>',
        ["/keel", "/keel/S", "/keel/S/a.wav", "/keel/T", "/keel/T/c.wav"],
    ),
    "rows.x": (
        'container = "csv"',
        ['at = "Name"\nbase_at = "Folder"\nspelling = "relative"'],
        b'Name,Plays,Folder\r\na.wav,3,/keel/S\r\n"b, c.wav",1,/keel/T\r\n',
        ["/keel/S/a.wav", "/keel/S", "/keel/T/b, c.wav", "/keel/T"],
    ),
    "sections.x": (
        'container = "ini"',
        ['at = "*/wave"\nbase_at = "*/folder"\nspelling = "relative"'],
        b"[pad1]\nwave=a.wav\nfolder=/keel/S\n[pad2]\nfolder=/keel/T\nwave=c.wav\n",
        ["/keel/S/a.wav", "/keel/S", "/keel/T", "/keel/T/c.wav"],
    ),
    "colons.x": (
        'container = "ini"',
        ['at = "s/file"', 'at = "s/a:b"'],
        b"[s]\nfile: /keel/S/a=1.wav\nfile = /keel/S/b: c.wav\na:b=/keel/T/d.wav\n; file: /keel/S/no.wav\nfile:\n",
        ["/keel/S/a=1.wav", "/keel/S/b: c.wav", "/keel/T/d.wav"],
    ),
    "piece.x": (
        'container = "json"',
        ['at = "*"\npiece = \'^file "(?P<path>[^"]+)"\''],
        b'["file \\"/keel/S/a.wav\\" vol=1", "file \\"/keel/S/\\u00e9.wav\\" vol=0", "say \\"/keel/S/x\\""]',
        ["/keel/S/a.wav", "/keel/S/é.wav"],
    ),
    "keys.x": (
        'container = "json"',
        ['at = "ratings/*"\nkeys = true'],
        b'{"ratings": {"/keel/S/a.wav": 3, "/keel/S/\\u00e9.wav": {"stars": 4}}, "x": {"/keel/S/no.wav": 1}}',
        ["/keel/S/a.wav", "/keel/S/é.wav"],
    ),
    **{
        f"counted-{number}.x": (
            f'container = "counted"\ntrusted = true\nencoding = "{encoding}"\n'
            f'counted = {{ width = {width}, order = "{order}", of = "{of}" }}',
            ['at = "text"'],
            b"RACK\1\0" + counted_texts(["/keel/S/é 1.wav", "Pad / One", "/keel/T/c.wav"], encoding, width, order, of),
            ["/keel/S/é 1.wav", "/keel/T/c.wav"],
        )
        for number, (encoding, width, order, of) in enumerate(
            [
                ("utf-8", 1, "little", "bytes"),
                ("utf-16-le", 2, "little", "characters"),
                ("utf-16-be", 4, "big", "bytes"),
            ]
        )
    },
    "bplist.x": (
        'container = "plist"',
        ['at = "Tracks/*/Place"\nspelling = "uri"', 'at = "Folders/*"\nnames = "folder"'],
        plistlib.dumps(PLIST, fmt=plistlib.FMT_BINARY),
        None,
    ),
    **{
        name: (
            f'container = "chunks"\nencoding = "{encoding}"',
            [f'at = "{"RIFF" if order == "<" else "FORM"}/PADS/PATH"'],
            chunk_file(encoding, order),
            ["/keel/S/é 1.wav", "/keel/S/b.wav", "/keel/T/c.wav"],
        )
        for name, encoding, order in (
            ("chunks.x", "utf-16-be", ">"),
            ("riff.x", "utf-8", "<"),
            ("form.x", "utf-8", ">"),
            ("wide.x", "utf-16-le", "<"),
        )
    },
}


BLOBS = [("utf-8", b""), ("utf-8", b"\0"), ("utf-16-le", b""), ("utf-16-le", b"\0\0"), ("utf-16-be", b"\0\0")]


class MapCase(FolderCase):
    def map(self, head, entries, name="x"):
        """A map with this head and these entries, loaded."""
        path = os.path.join(self.folder, f"{name}.toml")
        Path(path).write_text(
            f'name = "{name}"\n{head}\n[recognise]\nsuffix = [".x"]\n'
            + "".join(f"[[entries]]\n{entry}\n" for entry in entries)
        )
        return load_map(path)

    def open(self, name):
        """The sample of that name, open through its map."""
        head, entries, data, _named = CASES[name]
        path = os.path.join(self.folder, name)
        Path(path).write_bytes(data)
        return open_ledger(path, [self.map(head, entries, name)])


class Containers(MapCase):
    def test_each_container(self):
        for name, (_head, _entries, data, wanted) in CASES.items():
            with self.subTest(name):
                ledger, resolver = self.open(name), Resolver()
                named = [
                    os.path.normpath(resolver.path(entry.spelling, entry.written, resolver.start(entry, "/lists")))
                    for entry in ledger.entries()
                ]
                if wanted:
                    self.assertEqual(named, wanted)
                ledger.rewrite(self.target, {})
                self.assertEqual(Path(self.target).read_bytes(), data)
                changes = rewritten(ledger, THERE, self.target)
                self.assertTrue(changes)
                os.replace(self.target, ledger.path)
                self.assertEqual(
                    [entry.written for entry in ledger.entries() if entry.key in changes], list(changes.values())
                )
                rewritten(ledger, THERE.reversed(), self.target)
                self.assertEqual(ledger.wrapper.peel(Path(self.target).read_bytes()), ledger.wrapper.peel(data))

    def test_property_lists_read_back_as_their_makers_read_them(self):
        for name in ("plist.x", "bplist.x"):
            ledger = self.open(name)
            rewritten(ledger, THERE, self.target)
            after = plistlib.loads(Path(self.target).read_bytes())
            self.assertEqual(after["Folders"], ["/lighter/New Place", "/keel/T"])
            self.assertEqual(
                (after["Tracks"]["1"]["Place"], after["Tracks"]["1"]["Art"]),
                ("file:///lighter/New%20Place/a%20b.wav", "file:///keel/S/a.png"),
            )
            self.assertEqual(after["Tracks"]["2"]["Place"], "file:///lighter/New%20Place/" + "é" * 200 + ".wav")

    def test_a_string_that_serves_twice_in_a_binary_list_is_read_but_not_changed(self):
        path, plan = os.path.join(self.folder, "shared.p"), self.map('container = "plist"', ['at = "Folders/*"'])
        Path(path).write_bytes(
            plistlib.dumps({"Folders": ["/keel/S", "/keel/U/x"], "Last": "/keel/S"}, fmt=plistlib.FMT_BINARY)
        )
        ledger = mapped(path, plan)
        self.assertEqual([entry.written for entry in ledger.entries()], ["/keel/S", "/keel/U/x"])
        rewritten(ledger, Moves([Move("/keel/U", "/l")]), self.target)
        self.assertEqual(
            plistlib.loads(Path(self.target).read_bytes()), {"Folders": ["/keel/S", "/l/x"], "Last": "/keel/S"}
        )
        with self.assertRaisesRegex(CannotSpell, "so it cannot be changed"):
            rewritten(ledger, THERE, self.target)

    def test_chunk_lengths_are_mended(self):
        rewritten(self.open("chunks.x"), Moves([Move("/keel/S", "/a")]), self.target)
        data = Path(self.target).read_bytes()
        self.assertEqual(struct.unpack_from(">I", data, 4)[0] + 8, len(data))
        self.assertIn("/a/é 1.wav".encode("utf-16-be"), data)
        self.assertEqual(data.count(b"LVLS\0\0\0\3\1\2\3"), 3)

    def test_gzip_keeps_the_members_that_stay(self):
        path = os.path.join(self.folder, "gz.x")
        members = [gzip.compress(part.encode(), mtime=7) for part in re.split("(?<=>)(?=<)", SESSION)]
        Path(path).write_bytes(b"".join(members) + bytes(20))
        rewritten(open_ledger(path, [self.map(*CASES["gz.x"][:2])]), THERE, self.target)
        after = Path(self.target).read_bytes()
        self.assertTrue(after.endswith(members[-1] + bytes(20)) and after.startswith(members[0][:10]))
        self.assertIn(b'root="/lighter/New Place/"', gzip.decompress(after))

    def test_gzip_keeps_its_header(self):
        path = os.path.join(self.folder, "gz.x")
        with open(path, "wb") as raw, gzip.GzipFile("session name", "wb", fileobj=raw, mtime=99) as stream:
            stream.write(SESSION.encode())
        ledger = open_ledger(path, [self.map(*CASES["gz.x"][:2])])
        rewritten(ledger, THERE, self.target)
        before, after = Path(path).read_bytes(), Path(self.target).read_bytes()
        head = before.index(b"session name\0") + 13
        self.assertEqual(before[:head], after[:head])
        self.assertIn(b'root="/lighter/New Place/"', gzip.decompress(after))

    def test_zips_of_every_make(self):
        class Stream(io.BytesIO):
            def seekable(self):
                return False

            def tell(self):
                raise OSError

        entries = ['at = "Session/Clip/@file"\nbase_at = "Session/@root"\nspelling = "relative"']
        plan = self.map('container = "xml"\nmember = "a/session.xml"', entries)
        for make, prefix in ((Stream, b""), (io.BytesIO, b""), (io.BytesIO, b"#!/bin/sh a stub before the zip\n")):
            raw = make()
            with zipfile.ZipFile(raw, "w", zipfile.ZIP_DEFLATED) as archive:
                archive.writestr("first.bin", os.urandom(5000), zipfile.ZIP_STORED)
                archive.writestr("a/session.xml", SESSION)
                archive.writestr("é.txt", "after" * 99)
            path = os.path.join(self.folder, "z.x")
            Path(path).write_bytes(prefix + raw.getvalue())
            with self.subTest(make=make, prefix=prefix):
                ledger = mapped(path, plan)
                rewritten(ledger, THERE, self.target)
                with zipfile.ZipFile(path) as before, zipfile.ZipFile(self.target) as after:
                    self.assertIsNone(after.testzip())
                    self.assertEqual(before.namelist(), after.namelist())
                    self.assertEqual(
                        [before.read(name) for name in ("first.bin", "é.txt")],
                        [after.read(name) for name in ("first.bin", "é.txt")],
                    )
                    self.assertIn(b'root="/lighter/New Place/"', after.read("a/session.xml"))
                self.assertTrue(Path(self.target).read_bytes().startswith(prefix))

    def test_a_folder_table_and_a_condition(self):
        path = os.path.join(self.folder, "f.db")
        with closing(sqlite3.connect(path)) as database, database:
            database.executescript(
                """
                CREATE TABLE places (id INTEGER PRIMARY KEY, path TEXT);
                INSERT INTO places VALUES (1, '/keel/S/a/'), (2, '/keel/T/');
                CREATE TABLE files (place INTEGER, name TEXT, kind TEXT, raw BLOB);
                INSERT INTO files VALUES (1, 'x.wav', 'local', NULL),
                (2, 'y.wav', 'local', NULL), (1, 'z', 'web', NULL);"""
            )
            database.execute(
                "INSERT INTO files VALUES (NULL, NULL, 'local', ?)", ("/keel/S/é.wav".encode("utf-16-le"),)
            )
        entries = [
            'table = "places"\ncolumn = "path"\nnames = "folder"',
            (
                'table = "files"\ncolumn = "name"\nwhere = "kind = \'local\'"\nfolder = { table = "places", column ='
                ' "path", key = "id", by = "place" }'
            ),
            'table = "files"\ncolumn = "raw"',
        ]
        plan = self.map('container = "sqlite"', entries)
        ledger, resolver = open_ledger(path, [plan]), Resolver()
        named = [resolver.path(entry.spelling, entry.written, resolver.start(entry, "/")) for entry in ledger.entries()]
        self.assertEqual(named, ["/keel/S/a", "/keel/T", "/keel/S/a/x.wav", "/keel/T/y.wav", "/keel/S/é.wav"])
        rewritten(ledger, THERE, self.target)
        with closing(sqlite3.connect(self.target)) as database:
            self.assertEqual(
                database.execute("SELECT path FROM places").fetchall(), [("/lighter/New Place/a/",), ("/keel/T/",)]
            )
            self.assertEqual(
                database.execute("SELECT name FROM files").fetchall(), [("x.wav",), ("y.wav",), ("z",), (None,)]
            )
            self.assertEqual(
                database.execute("SELECT raw FROM files WHERE raw NOT NULL").fetchone()[0].decode("utf-16-le"),
                "/lighter/New Place/é.wav",
            )
        with self.assertRaisesRegex(CannotSpell, "other entries need that folder too"):
            rewritten(ledger, Moves([Move("/keel/S/a/x.wav", "/lighter/x.wav")]), self.target)

    def test_errors_in_maps_name_file_and_line(self):
        for head, entry, words in [
            ('container = "zip"', 'at = "x"', "line 2.*is not one of"),
            ('container = "xml"', 'table = "x"', 'line 5.*"at" is missing'),
            ('container = "sqlite"', 'table = "x"\ncolumn = "y"\nat = "z"', 'line 8.*"at" has no meaning'),
            ('container = "text"', 'at = "(.*)"', "line 6.*group named path"),
            ('container = "json"', 'at = "x"\n[lists]\nentries = "x"', "lacks at"),
            ('container = "json"', 'at = "x"\n[lists]\nat = "s"\nentries = "y"', "no table or place"),
            ('container = "xml"', 'at = "x"\n[lists]\nat = "s"\nentries = "x"', "has no meaning"),
        ]:
            with self.subTest(words), self.assertRaisesRegex(BadFile, words):
                self.map(head, [entry])


class OtherSystems(MapCase):
    def test_paths_of_other_systems_where_their_drives_are_declared(self):
        lists = os.path.join(self.folder, "list.m3u8")
        text = (
            "D:\\S\\Sub\\a"
            " b.wav\r\nd:/s/C.WAV\r\n\\\\Host\\Share\\S\\x.wav\r\n/Volumes/Keel/S/y.wav\r\nE:\\other.wav\r\n"
        )
        Path(lists).write_text(text, newline="")
        keel, lighter = os.path.join(self.folder, "keel"), os.path.join(self.folder, "lighter")
        for name in ("S/Sub/a b.wav", "S/c.wav", "S/x.wav", "S/y.wav"):
            os.makedirs(os.path.dirname(os.path.join(keel, name)), exist_ok=True)
            Path(keel, name).touch()
        meanings = Meanings([f"D:={keel}", f"\\\\Host\\Share={keel}", f"/Volumes/Keel={keel}", f"L:={lighter}"])
        resolver = Resolver(meanings)
        ledger = open_ledger(lists, [])
        self.assertEqual(
            [resolver.path(entry.spelling, entry.written, "/") for entry in ledger.entries()],
            [f"{keel}/S/Sub/a b.wav", f"{keel}/S/c.wav", f"{keel}/S/x.wav", f"{keel}/S/y.wav", "/E:/other.wav"],
        )
        routes = Routes(Moves([Move(f"{keel}/S", f"{lighter}/New")]), resolver)
        changes = {entry.key: routes.new_text(entry, "/", "/") for entry in ledger.entries()}
        self.assertEqual(
            list(changes.values()),
            ["L:\\New\\Sub\\a b.wav", "l:/New/c.wav", "L:\\New\\x.wav", f"{lighter}/New/y.wav", None],
        )
        with self.assertRaisesRegex(CannotSpell, "no drive letter"):
            Routes(Moves([Move(f"{keel}/S", "/elsewhere")]), resolver).new_text(next(ledger.entries()), "/", "/")

    def test_variables_and_home(self):
        os.environ["SC_TEST"] = f"{self.folder}/keel"
        self.addCleanup(os.environ.pop, "SC_TEST")
        lists = os.path.join(self.folder, "v.m3u8")
        Path(lists).write_text("$SC_TEST/S/a.wav\n${SC_TEST}/S/b.wav\n~/c.wav\n")
        routes = Routes(
            Moves([Move(f"{self.folder}/keel/S", f"{self.folder}/keel/T"), Move(os.path.expanduser("~"), "/h")])
        )
        changes = [routes.new_text(entry, "/", "/") for entry in open_ledger(lists, []).entries()]
        self.assertEqual(changes, ["$SC_TEST/T/a.wav", "${SC_TEST}/T/b.wav", "/h/c.wav"])


class Databases(MapCase):
    def setUp(self):
        super().setUp()
        self.path = os.path.join(self.folder, "kits.db")
        with closing(sqlite3.connect(self.path)) as database, database:
            database.execute("CREATE TABLE sound (dir TEXT, file TEXT, rating INTEGER)")
            database.execute("CREATE TABLE kit (name TEXT PRIMARY KEY, layers TEXT) WITHOUT ROWID")
            database.executemany(
                "INSERT INTO sound VALUES (?, ?, 3)",
                [("/keel/S/Sub/", "a b.wav"), ("/keel/S", "c.wav"), ("/else", "x.wav")],
            )
            database.executemany(
                "INSERT INTO kit VALUES (?, ?)",
                [("one", "/keel/S/x.wav; /else/y.wav ;/keel/S/z.wav"), ("two", ""), ("three", "/else/q.wav")],
            )
        entries = (
            'table = "sound"\ncolumn = "file"\nfolder = {column = "dir"}\nplays = "rating"',
            'table = "kit"\ncolumn = "layers"\nseparator = ";"',
        )
        self.plan = Path(self.folder, "kits.toml")
        self.plan.write_text(
            'name = "kits"\ncontainer = "sqlite"\n' + "".join(f"[[entries]]\n{entry}\n" for entry in entries)
        )
        self.ledger = open_ledger(self.path, [load_map(str(self.plan))])

    def rows(self, path):
        """The rows of both tables."""
        with closing(sqlite3.connect(path)) as database:
            return [database.execute(f"SELECT * FROM {table}").fetchall() for table in ("sound", "kit")]

    def test_what_rows_say_alike_is_counted_and_nothing_else(self):
        with closing(sqlite3.connect(self.path)) as database, database:
            database.execute("DROP TABLE sound")
            database.execute("CREATE TABLE sound (dir TEXT COLLATE NOCASE, file TEXT COLLATE NOCASE, rating INTEGER)")
            some = [
                ("/S", "a.wav", 1),
                ("/S", "A.wav", 1),
                ("/s", "a.wav", 1),
                ("/S", "a.wav", 2),
                ("/S", "b\udcff", 1),
            ]
            rows = [(os.fsencode(folder), os.fsencode(name), plays) for folder, name, plays in some]
            insert = "INSERT INTO sound VALUES (CAST(? AS TEXT), CAST(? AS TEXT), ?)"
            database.executemany(insert, [row for number, row in enumerate(rows) for _time in range(number + 1)])
        each = Counter(found._replace(key=None) for found in self.ledger.facts())
        self.assertEqual(sorted(each.values()), [1, 2, 3, 4, 5])
        self.assertEqual(dict(self.ledger.said()), each)

    def test_paths_split_over_columns_and_lists_in_cells(self):
        resolver = Resolver()
        named = [
            resolver.path(entry.spelling, entry.written, resolver.start(entry, "/"))
            for entry in self.ledger.entries()
            if entry.names == "file"
        ]
        self.assertEqual(
            named,
            [
                "/keel/S/Sub/a b.wav",
                "/keel/S/c.wav",
                "/else/x.wav",
                "/keel/S/x.wav",
                "/else/y.wav",
                "/keel/S/z.wav",
                "/else/q.wav",
            ],
        )
        self.assertEqual(
            [(found.path, found.plays, found.size) for found in self.ledger.facts()],
            [("/keel/S/Sub/a b.wav", 3, None), ("/keel/S/c.wav", 3, None), ("/else/x.wav", 3, None)],
        )
        self.ledger.rewrite(self.target, *Routes(Moves([Move("/keel/S", "/lighter/T")])).changes(self.ledger, "/", "/"))
        sound, kit = self.rows(self.target)
        self.assertEqual(sound, [("/lighter/T/Sub/", "a b.wav", 3), ("/lighter/T", "c.wav", 3), ("/else", "x.wav", 3)])
        self.assertEqual(
            kit, [("one", "/lighter/T/x.wav; /else/y.wav ;/lighter/T/z.wav"), ("three", "/else/q.wav"), ("two", "")]
        )
        with self.assertRaisesRegex(CannotSpell, "read as these paths"):
            self.ledger.rewrite(self.target + "2", {(1, "one", 0): "/a;b.wav"})

    def test_fields_get_quotes_when_they_need_them(self):
        plain = 'n,file\r\n1,/keel/S/a.wav\r\n2,"/keel/S/b, ""c"".wav"\r\n3,/keel/S/12" mix.wav'
        for kind, data, shelf, delimiter in [
            ("csv", plain, "/l/One, Two", ","),
            ("csv", plain, '/l/"q"', ","),
            ("csv", plain, "/l/T", ","),
            ("tsv", 'n\tfile\r1\t/keel/S/a.wav\r2\t"/keel/S/b ""c"".wav"\r3\t/keel/S/12" mix.wav', '/l/1" x', "\t"),
        ]:
            path = os.path.join(self.folder, f"x.{kind}")
            Path(path).write_bytes(data.encode())
            plan = self.map(f'container = "{kind}"', ['at = "file"\nspelling = "native"'])
            rewritten(open_ledger(path, [plan]), Moves([Move("/keel/S", shelf)]), self.target)
            rows = csv.reader(io.StringIO(Path(self.target).read_bytes().decode(), newline=""), delimiter=delimiter)
            old = csv.reader(io.StringIO(data, newline=""), delimiter=delimiter)
            self.assertEqual(list(rows), [[cell.replace("/keel/S", shelf) for cell in row] for row in old])

    def test_a_swap_takes_what_begins_so_in_every_encoding(self):
        plan = Path(self.folder, "t.toml")
        plan.write_text(
            'name = "t"\ncontainer = "sqlite"\n[[entries]]\ntable = "t"\ncolumn = "c"\nspelling = "native"\n'
        )
        # Of the second, each UTF-16 sign has a slash for its lower or upper half; blobs hold text in any coding.
        cells = [
            "/keel/S/a.wav",
            "/keel/S\u012fa.wav",
            "/keel/S\u2f00a.wav",
            "/keel/S0/a.wav",
            "/keel/S/\u012f.wav",
            5,
            None,
            b"/keel/\xff\0\1",
            "/keel/S/\u00e9\U0001f514.wav",
            *("/keel/S/ab.wav".encode(coding) + end for coding, end in BLOBS),
        ]
        for encoding in ("UTF-8", "UTF-16le", "UTF-16be"):
            path, target = os.path.join(self.folder, f"{encoding}.db"), os.path.join(self.folder, f"{encoding} new.db")
            with closing(sqlite3.connect(path)) as database, database:
                database.execute(f"PRAGMA encoding = '{encoding}'")
                database.execute("CREATE TABLE t (c COLLATE NOCASE)")
                database.executemany("INSERT INTO t VALUES (?)", ((cell,) for cell in cells))
            ledger = open_ledger(path, [load_map(str(plan))])
            ledger.rewrite(target, *Routes(Moves([Move("/keel/S", "/l/\u00dc")])).changes(ledger, "/", "/"))
            with closing(sqlite3.connect(target)) as database:
                self.assertEqual(
                    [cell for (cell,) in database.execute("SELECT c FROM t ORDER BY rowid")],
                    [
                        "/l/\u00dc/a.wav",
                        *cells[1:4],
                        "/l/\u00dc/\u012f.wav",
                        *cells[5:8],
                        "/l/\u00dc/\u00e9\U0001f514.wav",
                        *("/l/\u00dc/ab.wav".encode(coding) + end for coding, end in BLOBS),
                    ],
                )

    def test_rows_that_are_told_apart_by_their_paths(self):
        plan = self.map(
            'container = "sqlite"',
            [f'table = "{table}"\ncolumn = "path"\nspelling = "native"' for table in ("t", "cue")],
        )
        path, one = os.path.join(self.folder, "k.db"), os.path.join(self.folder, "one.toml")
        with closing(sqlite3.connect(path)) as database, database:
            database.executescript(
                """
                CREATE TABLE t (path TEXT COLLATE NOCASE, deck INTEGER, note, PRIMARY KEY (path, deck)) WITHOUT ROWID;
                INSERT INTO t VALUES ('/keel/S/é.wav', 1, 'x'), ('/keel/S/é.wav', 2, '/keel/S/é.wav'), ('/z', 1, NULL);
                CREATE TABLE cue (path TEXT, deck INTEGER, at REAL, FOREIGN KEY (path, deck) REFERENCES t (path, deck));
                INSERT INTO cue VALUES ('/keel/S/é.wav', 1, 1.5), ('/keel/S/é.wav', 2, 2.5), ('/z', 1, 0);"""
            )
        rewritten(open_ledger(path, [plan]), THERE, self.target)
        there = "/lighter/New Place/é.wav"
        with closing(sqlite3.connect(self.target)) as database:
            rows = [database.execute(f"SELECT * FROM {table}").fetchall() for table in ("t", "cue")]
        self.assertEqual(rows[0], [(there, 1, "x"), (there, 2, "/keel/S/é.wav"), ("/z", 1, None)])
        self.assertEqual(rows[1], [(there, 1, 1.5), (there, 2, 2.5), ("/z", 1, 0)])
        text = Path(plan.path).read_text()
        Path(one).write_text(text[: text.rindex("[[entries]]")])
        with self.assertRaisesRegex(CannotSpell, "rows of cue refer to others by their paths"):
            rewritten(open_ledger(path, [load_map(one)]), THERE, self.target)

    def test_lists_in_json_by_number_by_name_and_by_key(self):
        a, b = {"id": 7, "file": "a.wav"}, {"id": "x", "file": "b.wav"}
        for document, where, wanted in (
            ({"t": [a, b], "s": {"one": [1, 0, 9, None, [0]]}}, ("s/*", "t/*/file"), [("one", ["b", "a"])]),
            ({"t": {"k/1": a, "k2": b}, "s": [["k2"], ["k/1"]]}, ("s/*", "t/*/file"),
             [("list 1", ["b"]), ("list 2", ["a"])]),
            ({"t": [a, b], "s": [{"n": "N", "m": ["x", 7]}, 3]}, ("s/*", "t/*/file", "n", "m", "id"),
             [("N", ["b", "a"]), ("list 2", [])]),
            ({"t": ["a.wav", "b.wav"], "s": {"p": [1]}}, ("s/*", "t/*"), [("p", ["b"])]),
        ):  # fmt: skip
            with self.subTest(where), tempfile.TemporaryDirectory() as folder:
                at = "t/*" if where[1] == "t/*" else "t/*/file"
                path, plan = os.path.join(folder, "x.json"), os.path.join(folder, "m.toml")
                Path(path).write_text(json.dumps(document))
                keys = zip(("at", "entries", "name", "members", "entry_key"), where, strict=False)
                lines = "\n".join(f"{key} = {json.dumps(value)}" for key, value in keys)
                Path(plan).write_text(f'name = "m"\ncontainer = "json"\n[[entries]]\nat = "{at}"\n[lists]\n{lines}\n')
                made = load_map(plan)
                found = lists_in(open_ledger(path, [made], "m"), made.lists, Resolver(Meanings([])))
                got = [(one.name, [os.path.basename(track.path)[0] for track in one.tracks]) for one in found]
                self.assertEqual(got, wanted)

    def test_playlists_tell_titles_and_lengths(self):
        track = "<track><title>{}</title>{}<duration>{}</duration></track>"
        place = "<location>{}.wav</location>"
        for name, text in [
            ("a.m3u8", "#EXTM3U\n#EXTINF:3,Été &amp; x\na.wav\nb.wav\n#EXTINF:-1 key=1,Zwei\nc.wav\n"),
            (
                "a.xspf",
                '<playlist xmlns="http://xspf.org/ns/0/"><trackList>'
                + track.format("Été &amp;amp; x", place.format("a"), 3000)
                + f"<track>{place.format('b')}</track><track>{place.format('c')}<title>Zwei</title></track>"
                + "</trackList></playlist>",
            ),
            (
                "a.jspf",
                json.dumps(
                    {
                        "playlist": {
                            "track": [
                                {"location": ["a.wav"], "title": "Été &amp; x", "duration": 3000},
                                {"location": "b.wav"},
                                {"title": "no place"},
                                {"location": ["c.wav"], "title": "Zwei"},
                            ]
                        }
                    }
                ),
            ),
        ]:
            with self.subTest(name):
                path = os.path.join(self.folder, name)
                Path(path).write_text(text)
                told = {os.path.basename(one.path): (one.title, one.length) for one in open_ledger(path, []).facts()}
                told.pop("b.wav", None)
                self.assertEqual(told, {"a.wav": ("Été &amp; x", 3.0), "c.wav": ("Zwei", None)})

    def test_cue_sheets_tell_the_titles_of_files_that_are_one_track(self):
        sheet = (
            'TITLE "All"\nFILE "a.wav" WAVE\n  TRACK 01 AUDIO\n    TITLE "Été"\n    INDEX 01 00:00:00\n'
            'FILE "b.wav" WAVE\n  TRACK 02 AUDIO\n    TITLE "x"\n  TRACK 03 AUDIO\n    TITLE "y"\n'
            'FILE "c.wav" WAVE\n  TRACK 04 AUDIO\n    INDEX 01 00:00:00\n'
        )
        path = os.path.join(self.folder, "a.cue")
        for coding in ("utf-8", "cp1252"):
            Path(path).write_bytes(sheet.replace("\n", "\r\n").encode(coding))
            told = {os.path.basename(one.path): one.title for one in open_ledger(path, []).facts()}
            self.assertEqual(told, {"a.wav": "Été"})

    def test_facts_are_taken_from_cells_of_any_kind(self):
        cells = [
            (3, 1_700_000_000, 10.0, 90_500, "T", b"\xab", "é", 4, "03/12"),
            ("4", 1_700_000_000_000, "11", "1e3", "", "AB", "", "3.5", 7),
            (-1.5, "yesterday", 1 << 70, "inf", 7, None, 7, "", "B2"),
            (None, -1, "x", b"1", None, 2, None, None, None),
        ]
        found = [facts(0, "/p", row, milliseconds=True)[2:11] for row in cells]
        when = "2023-11-14T22:13:20Z"
        self.assertEqual(
            found,
            [
                (3, when, 10, 90.5, "T", "ab", "é", 4.0, 3),
                (4, when, 11, 1.0, None, "AB", None, 3.5, 7),
                (None, "yesterday", 1 << 70, None, None, None, None, None, None),
                (None,) * 9,
            ],
        )

    def test_content_folders_are_tried_in_turn(self):
        for name in ("One/a.wav", "Two/a.wav", "Two/b.wav"):
            os.makedirs(os.path.dirname(os.path.join(self.folder, name)), exist_ok=True)
            Path(self.folder, name).touch()
        Path(self.folder, "settings.json").write_text(
            json.dumps({"folders": [f"{self.folder}/{name}" for name in ("None", "One", "Two")]})
        )
        Path(self.folder, "settings.toml").write_text(
            'name = "s"\ncontainer = "json"\n[[entries]]\nat = "folders/*"\nnames = "folder"\n'
        )
        plan, path = Path(self.folder, "finds.toml"), os.path.join(self.folder, "x.finds")
        plan.write_text(
            'name = "f"\ncontainer = "csv"\ncontent = { file = "settings.json", map = "settings.toml"'
            ' }\n[recognise]\nsuffix = [".finds"]\n[[entries]]\nat = "find"\nspelling = "content"\n'
        )
        Path(path).write_text("find\na.wav\nb.wav\ngone.wav\n")
        ledger = open_ledger(path, [load_map(str(plan))])
        state = Judge(headers=False).ledger(ledger)
        found = [(os.path.relpath(one.resolved, self.folder), one.verdict) for one in state.judgements()]
        self.assertEqual(found, [("One/a.wav", "found"), ("Two/b.wav", "found"), ("None/gone.wav", "missing")])
        changes = Routes(Moves([Move(f"{self.folder}/Two", "/lighter/Two")])).changes(ledger, self.folder, self.folder)
        self.assertEqual(
            (changes.texts, changes.swaps),
            ({}, []),
            "what is looked for stays as it is, for the folder itself is written anew",
        )
        with self.assertRaisesRegex(CannotSpell, "in none of the content folders"):
            Routes(Moves([Move(f"{self.folder}/Two/b.wav", "/lighter/b.wav")])).changes(
                ledger, self.folder, self.folder
            )

    def test_new_folders_come_in_front_as_each_list_writes_its_own(self):
        wider = '{"a": {"folders": ["/keel"]}, "b": {"folders": ["/else"]}}'
        for container, at, before, after in [
            ("json", "*/folders/*", wider, wider.replace('"/keel"', '"/new", "/keel"')),
            ("json", "f/*", '{"f": [\n"/keel",\n"/else"]}', '{"f": [\n"/new",\n"/keel",\n"/else"]}'),
            ("json", "f", '{"f": "/keel"}', None),
            ("toml", "f/*", "f = ['/keel']", None),
            ("toml", "f/*", 'f = ["/else", "/keel"]', 'f = ["/else", "/new", "/keel"]'),
            (
                "xml",
                "s/f",
                "<s>\n <f>/keel</f>\n <f>/else</f></s>",
                "<s>\n <f>/new</f>\n <f>/keel</f>\n <f>/else</f></s>",
            ),
            ("xml", "s/f", "<s><f>/keel</f><f>/else</f></s>", "<s><f>/new</f><f>/keel</f><f>/else</f></s>"),
            ("xml", "s/f", "<s><f>/keel</f></s>", None),
            ("xml", "s/@f", "<s f='/keel'/>", None),
            ("ini", "s/f", "[s]\nf=/else\nf=/keel\nx=1\n", "[s]\nf=/else\nf=/new\nf=/keel\nx=1\n"),
            ("ini", "s/f", "[s]\nf=/keel\nx=1\n", None),
            ("ini", 's/f"\nseparator = ";', "[s]\nf = /else; /keel\n", "[s]\nf = /else; /new; /keel\n"),
            ("csv", "f", "f\n/keel\n", None),
        ]:
            with self.subTest(before):
                path, plan = os.path.join(self.folder, "list.x"), Path(self.folder, "list.toml")
                Path(path).write_text(before)
                plan.write_text(
                    f'name = "list"\ncontainer = "{container}"\n[recognise]\nsuffix = [".x"]\n[[entries]]\nat ='
                    f' "{at}"\nnames = "folder"\n'
                )
                ledger = open_ledger(path, [load_map(str(plan))])
                key = next(entry.key for entry in ledger.entries() if entry.written == "/keel")
                if after is None:
                    with self.assertRaises(CannotSpell):
                        ledger.rewrite(self.target, {}, edits=ListEdits({key: ["/new"]}))
                    continue
                ledger.rewrite(self.target, {}, edits=ListEdits({key: ["/new"]}))
                self.assertEqual(Path(self.target).read_text(), after)
                added = open_ledger(self.target, [load_map(str(plan))])
                new = frozenset(entry.key for entry in added.entries() if entry.written == "/new")
                added.rewrite(path, {}, edits=ListEdits(gone=new))
                self.assertEqual(Path(path).read_text(), before, "and goes again")


BOUND = 30  # seconds of processor; what has no bound takes minutes


class Hostile(MapCase):
    def refused(self, name, data, words):
        """The sample's map refuses this content with these words, soon."""
        path = os.path.join(self.folder, name)
        Path(path).write_bytes(data)
        ledger = open_ledger(path, [self.map(*CASES[name][:2], name)] if name in CASES else [])
        began = time.process_time()
        with self.subTest(words), self.assertRaisesRegex(BadLedger, words):
            list(ledger.entries())
        self.assertLess(time.process_time() - began, BOUND)

    def test_bombs_and_damage(self):
        bomb = b'<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;">]><Session root="&b;"/>'
        outer = b'<!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/passwd">]><Session>&a;</Session>'
        archive = io.BytesIO()
        with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as stream:
            stream.writestr("project.xml", bytes(600 << 20))
        twice = io.BytesIO()
        with zipfile.ZipFile(twice, "w") as stream, warnings.catch_warnings():
            warnings.simplefilter("ignore")
            for text in ("<a/>", "<b/>"):
                stream.writestr("project.xml", text)
        for name, data, words in [
            ("xml.x", bomb, "declares entities"),
            ("xml.x", outer, "declares entities"),
            ("xml.x", b"<a>" * 100_000, "nested too deeply|well-formed"),
            ("xml.x", b"<Session root='/keel'", "not well-formed"),
            ("json.x", b"[" * 100_000, "nested too deeply"),
            ("json.x", b'{"file": "/keel', "not valid JSON"),
            ("gz.x", gzip.compress(SESSION.encode())[:-20], "ends too early"),
            ("gz.x", gzip.compress(b"x") * 1001, "more than 1,000 gzip members"),
            ("e.dawproject", twice.getvalue(), "several members"),
            ("gz.x", gzip.compress(bytes(600 << 20), 1), "more than 512 MB"),
            ("gz.x", b"\x1f\x8b" + b"\xff" * 50, "damaged gzip"),
            ("toml.x", b"a = [", "not valid TOML"),
            ("csv.x", b'Place\n"a"b,c\n', "does not end with its field"),
            ("plist.x", b"bplist00" + b"\xff" * 60, "not a property list"),
            ("bplist.x", shared_arrays(40), "in more than 100,000 places again"),
            ("csv.x", b'Place\n"' + b"x" * 20_000_000, "does not end with its field"),
            ("json.x", b'["' + b"\\" * 5_000_001, "not valid JSON"),
            ("chunks.x", b"FORM\xff\xff\xff\xff1234", "does not fit|too short"),
            ("b.dawproject", archive.getvalue(), "larger than 512 MB"),
            ("c.dawproject", b"PK\x03\x04" + bytes(40), "damaged zip"),
        ]:
            self.refused(name, data, words)

    def test_what_can_be_no_path_is_left_alone(self):
        xspf = (
            b'<playlist xmlns="http://xspf.org/ns/0/"'
            b' xml:base="%b"><trackList><track><location>a.wav</location></track></trackList></playlist>'
        )
        for name, data, count in [
            (
                "half.jspf",
                rb'{"playlist": {"track": [{"location": ["\ud83d.wav", "/keel/S/\ud83d.wav", "/keel/S/a.wav"]}]}}',
                1,
            ),
            ("web.xspf", xspf % b"http://radio.example/S/", 0),
            ("local.xspf", xspf % b"/keel/S/", 2),
            (
                "odd.ttl",
                (
                    rb'<> <urn:p> "/keel/S/a.wav"^^<http://lv2plug.in/ns/ext/atom#Path> ,'
                    rb' "/keel/S/\UFFFFFFFF"^^<http://lv2plug.in/ns/ext/atom#Path> .'
                ),
                2,
            ),
        ]:
            path = os.path.join(self.folder, name)
            Path(path).write_bytes(data)
            ledger = open_ledger(path, [])
            self.assertEqual(sum(1 for _entry in ledger.entries()), count, name)
            ledger.rewrite(self.target, *Routes(Moves([Move("/keel/S", "/l/T")])).changes(ledger, "/keel", "/keel"))
            wanted = {
                "half.jspf": data.replace(b"S/a.wav", b"T/a.wav").replace(b"/keel/T", b"/l/T"),
                "web.xspf": data,
            }.get(name, data.replace(b"/keel/S/", b"/l/T/"))
            self.assertEqual(Path(self.target).read_bytes(), wanted, name)

    def test_long_lines_and_strange_entries_end(self):
        path = os.path.join(self.folder, "l.m3u8")
        Path(path).write_bytes(
            b"/x" * 5_000_000
            + b"\n/dev/zero\nC:"
            + b"\\x" * 2000
            + b"\n/"
            + b"/".join(b"%d" % number for number in range(800))
            + b"\n/proc/self/mem\n"
        )
        began = time.process_time()
        state = Judge().ledger(open_ledger(path, []))
        self.assertLess(time.process_time() - began, BOUND)
        self.assertEqual(
            [one.verdict for one in state.judgements()][:4], ["unreadable", "unreadable", "offline", "missing"]
        )
