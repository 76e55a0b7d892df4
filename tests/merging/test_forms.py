"""Ledgers of each form that were changed apart, as their programs see what they became."""

import json
import shutil
from pathlib import Path
from unittest import mock

from saltcart.judging.resolver import Resolver
from saltcart.ledgers import open_ledger
from saltcart.merging import copies
from saltcart.merging.forms import CannotMerge, Places
from saltcart.merging.history import History, look_at
from saltcart.merging.whole import WholeForm
from saltcart.standins import decks, player
from tests.merging.cases import MAPS, Apart


class Databases(Apart):
    def test_tracks_lists_and_cues_of_both(self):
        """Numbers given on both sides to other rows: what refers to them follows, named or not by the map."""
        self.start("library.db", self.library)
        cues = "CREATE TABLE cues (id INTEGER PRIMARY KEY, track_id INTEGER, at REAL);"
        self.sql(self.here, cues, "INSERT INTO cues VALUES (1, 1, 2.5);")
        shutil.copy(self.here, self.there)
        self.start_again()
        new = "INSERT INTO tracks (id, place, title, plays) VALUES (4, 'file:///s/{0}.wav', '{0}', 0);"
        list_of = "INSERT INTO lists VALUES (2, '{}'); INSERT INTO list_tracks VALUES (2, 0, 4), (2, 1, 1);"
        for path, name in ((self.here, "d"), (self.there, "e")):
            self.sql(
                path, new.format(name), list_of.format(f"of {name}"), f"INSERT INTO cues VALUES (2, 4, {ord(name)});"
            )
        self.sql(self.here, "UPDATE tracks SET plays = plays + 2 WHERE id = 1;")
        self.sql(self.there, "UPDATE tracks SET plays = plays + 1, rating = 5 WHERE id = 1;")
        self.assertEqual(self.together().conflicts, [])
        tracks = "SELECT title, rating, plays FROM tracks ORDER BY title"
        self.assertEqual(self.rows(tracks), [("a", 5, 8), ("b", 3, 5), ("c", 3, 5), ("d", None, 0), ("e", None, 0)])
        lists = "SELECT name, title FROM list_tracks JOIN lists ON list = lists.id JOIN tracks ON track = tracks.id"
        found = self.rows(f"{lists} ORDER BY name, position")
        wanted = [
            ("night", "a"),
            ("night", "b"),
            ("night", "c"),
            ("of d", "d"),
            ("of d", "a"),
            ("of e", "e"),
            ("of e", "a"),
        ]
        self.assertEqual(found, wanted)
        cues = self.rows("SELECT title, at FROM cues JOIN tracks ON track_id = tracks.id ORDER BY at")
        self.assertEqual(cues, [("a", 2.5), ("d", 100.0), ("e", 101.0)])

    def start_again(self):
        places = Places(self.top, Resolver(), str)
        ledger = open_ledger(self.here, MAPS)
        self.history = look_at(History(), copies.form_of(ledger, MAPS).read(ledger, places), "here").history

    def test_rows_without_a_key_and_texts_that_are_not_utf8(self):
        self.start("library.db", self.library)
        self.sql(
            self.here,
            "CREATE TABLE notes (word TEXT, extra BLOB); INSERT INTO notes VALUES ('x', x'00'), ('x', x'00');",
        )
        shutil.copy(self.here, self.there)
        self.start_again()
        self.sql(
            self.there, "INSERT INTO notes VALUES (CAST(x'ff41' AS TEXT), 1.5); DELETE FROM notes WHERE rowid = 1;"
        )
        self.sql(self.here, "INSERT INTO notes VALUES ('mine', NULL);")
        self.together()
        found = self.rows("SELECT hex(word), typeof(word), extra FROM notes ORDER BY 1")
        self.assertEqual(found, [("6D696E65", "text", None), ("78", "text", b"\0"), ("FF41", "text", 1.5)])

    def test_what_does_not_fit_together_is_refused(self):
        """A rule of the database speaks against it; or other rows would change than should."""
        self.start("library.db", self.library)
        self.sql(self.there, "INSERT INTO tracks (id, place, title, plays) VALUES (4, 'file:///s/e.wav', 'e', 0);")
        self.sql(self.here, "CREATE UNIQUE INDEX one ON tracks (artist) WHERE title > 'c';")
        meeting, _ledgers, _places = self.meeting()
        self.assertIsInstance(meeting.form, WholeForm)
        self.assertIn("other versions", meeting.why)
        self.sql(self.here, "DROP INDEX one;")
        self.sql(self.there, "UPDATE tracks SET rating = 1 WHERE id = 2;")
        broken = "saltcart.merging.sqlite_rows.Writing.change"
        with mock.patch(broken, lambda *_all: None), self.assertRaises(CannotMerge):
            self.together()


class Playlists(Apart):
    def make(self, path):
        with open(path, "w", encoding="utf-8", newline="") as stream:
            stream.write("#EXTM3U\r\n#EXTINF:1,a\r\na.wav\r\nÉté/b.wav\r\nc.wav\r\n")

    def edit(self, path, old, new):
        with open(path, encoding="utf-8", newline="") as stream:
            text = stream.read()
        self.assertIn(old, text)
        with open(path, "w", encoding="utf-8", newline="") as stream:
            stream.write(text.replace(old, new))

    def test_lines_of_both_in_their_order(self):
        self.start("set.m3u8", self.make)
        self.edit(self.here, "c.wav", "c.wav\r\nhere.wav")
        self.edit(self.there, "Été/b.wav", "Été/b.wav\r\n#EXTINF:2,t\r\nthere.wav")
        self.edit(self.there, "#EXTINF:1,a\r\na.wav\r\n", "")
        self.together()
        with open(self.here, encoding="utf-8", newline="") as stream:
            wanted = "#EXTM3U\r\nÉté/b.wav\r\n#EXTINF:2,t\r\nthere.wav\r\nc.wav\r\nhere.wav\r\n"
            self.assertEqual(stream.read(), wanted)

    def test_the_same_track_twice(self):
        self.start("set.m3u8", self.make)
        self.edit(self.there, "c.wav", "c.wav\r\na.wav")
        self.edit(self.here, "c.wav", "c.wav\r\na.wav")
        self.together()
        self.assertEqual(
            [path[-5:] for path, _why in player.play_list(self.here)], ["a.wav", "b.wav", "c.wav", "a.wav"]
        )

    def test_one_in_an_old_code_is_taken_as_a_whole(self):
        self.start("set.m3u", self.make)
        with open(self.here, "ab") as stream:
            stream.write(b"\xc9t\xe9.wav\r\n")
        self.assertFalse(self.meeting()[0].by_rows)


class Documents(Apart):
    encoding, ends = "utf-8", "\n"

    def make(self, path):
        decks.write(path, [("s/a.wav", "a", [10]), ("s/b.wav", "b", [20])], {"one": [0, 1]})
        with open(path, encoding="utf-8") as stream:
            document = json.load(stream)
        self.put(path, document)

    def put(self, path, document):
        with open(path, "w", encoding=self.encoding, newline=self.ends) as stream:
            stream.write(json.dumps(document, indent=1, ensure_ascii=False) + "\n")

    def read(self, path):
        with open(path, encoding=self.encoding) as stream:
            return json.load(stream)

    def change(self, path, work):
        document = self.read(path)
        work(document)
        self.put(path, document)

    def test_cues_tracks_and_sets_of_both(self):
        self.start("set.decks", self.make)
        new = {"file": "s/{}.wav", "title": "n", "cues": [1]}

        def at_home(document):
            document["tracks"][0]["cues"].append(30)
            document["tracks"].append({**new, "file": "s/here.wav"})
            document["sets"]["mine"] = [2, 0]

        def on_the_way(document):
            document["tracks"][0]["cues"].insert(0, 5)
            document["tracks"].insert(0, {**new, "file": "s/there.wav"})
            document["sets"] = {"one": [2, 1], "theirs": [0]}
            document["colour"] = "blue"

        self.change(self.here, at_home)
        self.change(self.there, on_the_way)
        self.together()
        document = self.read(self.here)
        self.assertEqual({one["file"]: one["cues"] for one in document["tracks"]},
                         {"s/a.wav": [5, 10, 30], "s/b.wav": [20], "s/here.wav": [1], "s/there.wav": [1]})  # fmt: skip
        raw = Path(self.here).read_bytes()
        self.put(self.here, document)
        self.assertEqual(raw, Path(self.here).read_bytes(), "in the manner of its program")
        tracks = document["tracks"]
        sets = {
            name: [tracks[number]["file"][2:-4] for number in numbers] for name, numbers in document["sets"].items()
        }
        self.assertEqual(sets, {"one": ["b", "a"], "mine": ["here", "a"], "theirs": ["there"]})
        self.assertEqual(document["colour"], "blue")

    def test_one_that_is_written_in_a_manner_of_its_own_is_refused(self):
        self.start("set.decks", self.make)
        self.change(self.there, lambda document: document["tracks"].pop())
        with open(self.here) as stream:
            text = stream.read()
        with open(self.here, "w") as stream:
            stream.write(text.replace("[\n", "[ \n", 1))
        with self.assertRaises(CannotMerge):
            self.together()


class DocumentsOfAnotherSystem(Documents):
    """The same, with the line ends that its program writes there."""

    ends = "\r\n"


class MarkedDocuments(Documents):
    """The same, after a byte-order mark."""

    encoding = "utf-8-sig"
