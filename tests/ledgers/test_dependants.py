"""What depends on a path follows it, or its file is left as it is: lengths, sums, digests, tables of places."""

import base64
import gzip
import hashlib
import json
import sqlite3
import struct
import unittest
import zipfile
import zlib
from contextlib import closing
from functools import partial

from hypothesis import given, settings
from hypothesis import strategies as st

from saltcart.ledgers.dependants import Change, dependant, digest_of_member
from tests.world import WorldCase, wav

FIGURES = st.text("abcdef0123456789", min_size=1, max_size=40)
NAMES = ["low/C1.wav", "low/D1 #2.wav", "high/Été 50%.wav", "it's & all.wav"]


def as_json(value):
    """JSON with letters beyond ASCII as they are."""
    return json.dumps(value, ensure_ascii=False).encode()


def summed(body, name, at_end=True):
    """A text with a sum of the rest of it in a line of its own."""
    line = b"sum: " + hashlib.new(name, body).hexdigest().encode() + b"\n"
    return body + line if at_end else line + body


def lines(paths, form):
    """A text with a line for each path."""
    return "".join(form.format(path=path, size=len(path.encode()), signs=len(path)) for path in paths).encode()


def binary(paths, kind):
    """A binary session with lengths of two bytes and, of that kind, something that depends on the whole."""
    body = b"".join(
        struct.pack("<H", len(path.encode())) + path.encode() + bytes([7, at, 0]) for at, path in enumerate(paths)
    )
    starts, place = [], 4
    for path in paths:
        starts.append(place)
        place += 5 + len(path.encode())
    ends = {
        "crc at its end": body + struct.pack("<I", zlib.crc32(body)),
        "crc of all before": body + struct.pack(">I", zlib.crc32(b"SESS" + body)),
        "adler at its end": body + struct.pack("<I", zlib.adler32(body)),
        "crc at its beginning": struct.pack("<I", zlib.crc32(body)) + body,
        "sha1 at its beginning": hashlib.sha1(body).digest() + body,
        "sha256 at its end": body + hashlib.sha256(b"SESS" + body).digest(),
        "table of places": body + struct.pack(f"<{len(starts)}I", *starts),
        "table in the other order": body + struct.pack(f">{len(starts)}I", *starts),
        "digest of a path": body + b"\0" + hashlib.md5(paths[1].encode()).digest(),
    }
    return b"SESS" + ends[kind]


BINARIES = ("crc at its end", "crc of all before", "adler at its end", "crc at its beginning", "sha1 at its beginning",
            "sha256 at its end", "table of places", "table in the other order", "digest of a path")  # fmt: skip
# Made-up files: what depends on the paths in each.
TEXTS = {
    "bytes before each": partial(lines, form='s:{size}:"{path}";\n'),
    "signs before each": partial(lines, form='str({signs}) "{path}"\n'),
    "counted strings": partial(lines, form="{size}:{path}\n"),
    "lengths in records": lambda paths: as_json(
        [{"gain": 7, "pathLength": len(path), "path": path, "key": 60} for path in paths]
    ),
    "lengths behind": partial(lines, form='<clip file="{path}" len="{size}"/>'),
    "md5 at its end": lambda paths: summed(lines(paths, "clip={path}\n"), "md5"),
    "sha256 at its beginning": lambda paths: summed(lines(paths, "clip={path}\n"), "sha256", False),
    "crc in figures": lambda paths: (body := lines(paths, "clip={path}\n")) + b"crc=%d\n" % zlib.crc32(body),
    "crc in letters": lambda paths: (body := lines(paths, "clip={path}\n")) + b"crc=%08X\n" % zlib.crc32(body),
    "digest of a path": lambda paths: as_json(
        {hashlib.sha1(path.encode()).hexdigest(): {"file": path} for path in paths}
    ),
    "digest in base64": lambda paths: as_json(
        [{"file": path, "id": base64.b64encode(hashlib.md5(path.encode()).digest()).decode()} for path in paths]
    ),
    "digest of its folder": lambda paths: lines(
        [f"{path}\nfolder {hashlib.md5(path.rsplit('/', 1)[0].encode()).hexdigest()}" for path in paths],
        "clip={path}\n",
    ),
    "its own size": lambda paths: (body := lines(paths, "clip={path}\n")) and b"size=%d\n" % len(body) + body,
}
HARMLESS = {
    "other numbers": partial(lines, form='<clip file="{path}" gain="7" id="1234"/>\n'),
    "other digests": lambda paths: lines(paths, "clip={path}\nid 0123456789abcdef0123456789abcdef\n"),
    "sums of sounds": lambda paths: as_json(
        [{"file": path, "sha256": hashlib.sha256(path.encode() * 3).hexdigest()} for path in paths]
    ),
    "times": partial(lines, form="1762035001 {path} 20261130\n"),
}


def changes_in(data, paths):
    """The places of the paths in a file, as what is to change."""
    raws = [(path.encode(), path) for path in paths]
    return [Change(data.index(raw), raw, path) for raw, path in raws]


class Seen(unittest.TestCase):
    paths = tuple(f"/keel/Sounds/Bell Tones/{name}" for name in NAMES)

    def test_what_depends_on_paths_is_seen(self):
        for name, make in TEXTS.items():
            data = make(self.paths)
            with self.subTest(name):
                self.assertIsNotNone(dependant(data, changes_in(data, self.paths), True))
        for kind in BINARIES:
            data = binary(self.paths, kind)
            with self.subTest(kind):
                self.assertIsNotNone(dependant(data, changes_in(data, self.paths), True))

    def test_what_does_not_is_no_alarm(self):
        for name, make in HARMLESS.items():
            data = make(self.paths)
            with self.subTest(name):
                self.assertIsNone(dependant(data, changes_in(data, self.paths), True))

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(
            st.tuples(st.integers(0, 10**9), st.text("abcdef0123456789", min_size=1, max_size=40)),
            min_size=4,
            max_size=4,
        )
    )
    def test_numbers_and_words_by_chance_are_no_alarm(self, said):
        """Any numbers and figures beside the paths, as long as no number is the length of its path."""
        parts = [
            f"x{number * 1000}y {word}z\nclip={path}\n" for (number, word), path in zip(said, self.paths, strict=True)
        ]
        data = "".join(parts).encode()
        self.assertIsNone(dependant(data, changes_in(data, self.paths), True))

    def test_the_digest_of_a_member(self):
        content = b"<song/>" * 9
        for said in (hashlib.sha256(content).hexdigest(), base64.b64encode(hashlib.sha1(content).digest()).decode(),
                     f"{zlib.crc32(content):08x} song.xml"):  # fmt: skip
            self.assertTrue(digest_of_member(content, said.encode()), said)
        self.assertFalse(digest_of_member(content, b"song.xml 12345678"))


class Left(WorldCase):
    """Whole moves: what is refused is as it was, and says why; what follows is right for its program."""

    def setUp(self):
        super().setUp()
        for number, name in enumerate(NAMES):
            wav(self.shelf / name, number)
        self.desk = self.top / "user" / "desk"
        self.desk.mkdir(parents=True)
        self.paths = [str(self.shelf / name) for name in NAMES]

    def refused(self, path, words, *more):
        """Move the shelf; the file at `path` holds that back, and is as it was."""
        before = path.read_bytes()
        done = self.run_program("move", self.shelf, "--to", self.new.parent, "--yes", *more, status=3)
        self.assertIn(words, " ".join(done.stderr.split()))
        self.assertEqual(path.read_bytes(), before)
        self.assertTrue(self.shelf.is_dir())

    def test_texts(self):
        for name in ("bytes before each", "lengths behind", "md5 at its end", "digest in base64", "its own size"):
            with self.subTest(name):
                path = self.desk / "a.ses"
                path.write_bytes(TEXTS[name](self.paths))
                self.refused(path, path.name)
                path.unlink()

    def test_binary_files_even_where_their_map_is_trusted(self):
        for kind in ("crc at its end", "sha1 at its beginning", "table of places", "digest of a path"):
            with self.subTest(kind):
                path = self.desk / "a.ses"
                path.write_bytes(binary(self.paths, kind))
                self.refused(path, path.name, "--trust-map")
                path.unlink()

    def test_a_package_that_lists_the_digest_of_its_song(self):
        song = json.dumps({"clips": [{"file": path} for path in self.paths]}).encode()
        path = self.desk / "a.song"
        with zipfile.ZipFile(path, "w") as package:
            package.writestr("song.json", song)
            package.writestr("list.txt", hashlib.sha256(song).hexdigest() + "  song.json\n")
        self.refused(path, "in another of its parts")

    def test_databases(self):
        digest = "CREATE TABLE t (id INTEGER PRIMARY KEY, path TEXT, h {})"
        for name, schema, cell in (
            ("md5", digest.format("TEXT UNIQUE"), lambda path: hashlib.md5(path.encode()).hexdigest()),
            ("sha1", digest.format("BLOB"), lambda path: hashlib.sha1(path.encode()).digest()),
            ("crc", digest.format("INT"), lambda path: zlib.crc32(path.encode())),
            ("length", digest.format("INT"), len),
            ("small letters", digest.format("TEXT"), str.lower),
        ):
            with self.subTest(name):
                path = self.desk / "a.db"
                with closing(sqlite3.connect(path)) as made, made:
                    made.execute(schema)
                    made.executemany("INSERT INTO t (path, h) VALUES (?, ?)", [(one, cell(one)) for one in self.paths])
                self.refused(path, "t.h depends on the path in t.path")
                path.unlink()

    def test_digests_in_another_table_and_a_search_table_without_texts(self):
        for words, statements in (
            ("seen.h holds digests", ["CREATE TABLE seen (h TEXT, times INT)"]),
            ("the search table words", ["CREATE VIRTUAL TABLE words USING fts5(path, content='')"]),
        ):
            with self.subTest(words):
                path = self.desk / "a.db"
                with closing(sqlite3.connect(path)) as made, made:
                    made.execute("CREATE TABLE t (id INTEGER PRIMARY KEY, path TEXT)")
                    made.execute(statements[0])
                    for number, one in enumerate(self.paths, 1):
                        made.execute("INSERT INTO t VALUES (?, ?)", (number, one))
                        if "seen" in words:
                            made.execute("INSERT INTO seen VALUES (?, 3)", (hashlib.md5(one.encode()).hexdigest(),))
                        else:
                            made.execute("INSERT INTO words (rowid, path) VALUES (?, ?)", (number, one))
                self.refused(path, words)
                path.unlink()

    def test_what_keeps_nothing_of_the_kind_follows(self):
        (self.desk / "a.json").write_text(json.dumps({"clips": [{"file": path, "id": 7} for path in self.paths]}))
        (self.desk / "b.gz").write_bytes(gzip.compress(lines(self.paths, '<clip file="{path}" gain="7"/>\n')))
        self.run_program("move", self.shelf, "--to", self.new.parent, "--yes", status=0)
        moved = [path.replace(str(self.shelf), str(self.new)) for path in self.paths]
        self.assertEqual([one["file"] for one in json.loads((self.desk / "a.json").read_text())["clips"]], moved)
