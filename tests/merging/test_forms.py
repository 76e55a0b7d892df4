"""Ledgers of each form that were changed apart, as their programs see what they became."""

import json
import shutil
from pathlib import Path
from unittest import mock

from saltcart.judging.resolver import Resolver
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.merging import copies
from saltcart.merging.forms import CannotMerge, Places
from saltcart.merging.history import History, look_at
from saltcart.merging.whole import WholeForm
from saltcart.standins import decks, player
from tests.merging.cases import Apart


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
        ledger = open_ledger(self.here, self.maps)
        self.history = look_at(History(), copies.form_of(ledger, self.maps).read(ledger, places), "here").history

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


class OddTables(Apart):
    """Libraries of which no column with a number tells the rows apart, or not for long."""

    def begin(self, tables, fill, rules=(("sound", "path"),)):
        """A library made by some statements, with four sounds of 0 to 3 plays."""
        path = f"{self.top}/odd.toml"
        entries = "".join(f'[[entries]]\ntable = "{table}"\ncolumn = "{one}"\n' for table, one in rules)
        Path(path).write_text(f'name = "odd"\ncontainer = "sqlite"\n[recognise]\nsuffix = [".odd"]\n{entries}')
        self.maps = [load_map(path)]

        def make(place):
            self.sql(place, *tables, *(fill.format(f"'/s/{name}.wav'", at) for at, name in enumerate("abcd")))

        self.start("library.odd", make)

    def test_however_a_program_tells_its_sounds_apart_plays_are_added_up_and_each_is_there_once(self):
        plain = "INSERT INTO sound (path, plays, note) VALUES ({}, {}, 'x')"
        for more, end in (("path TEXT PRIMARY KEY", ""), ("path TEXT PRIMARY KEY", "WITHOUT ROWID"), ("path TEXT", ""),
                          ("id INTEGER PRIMARY KEY, path TEXT UNIQUE", ""), ("uid TEXT, path TEXT", "")):  # fmt: skip
            with self.subTest(f"{more} {end}"):
                self.begin([f"CREATE TABLE sound ({more}, plays INT, note TEXT) {end}"], plain)
                self.sql(self.here, "UPDATE sound SET plays = plays + 100 WHERE path LIKE '%/a.wav'",
                         "UPDATE sound SET note = 'here' WHERE path LIKE '%/b.wav'")  # fmt: skip
                self.sql(self.there, "UPDATE sound SET plays = plays + 10 WHERE path LIKE '%/a.wav'",
                         "UPDATE sound SET note = 'there', plays = 7 WHERE path LIKE '%/c.wav'",
                         "DELETE FROM sound WHERE path LIKE '%/d.wav'")  # fmt: skip
                self.assertEqual(self.together().conflicts, [])
                found = self.rows("SELECT path, plays, note FROM sound ORDER BY path")
                wanted = [("/s/a.wav", 110, "x"), ("/s/b.wav", 1, "here"), ("/s/c.wav", 7, "there")]
                self.assertEqual(found, wanted)

    def test_numbers_that_are_given_anew_are_no_new_sounds(self):
        self.begin(["CREATE TABLE sound (id INTEGER PRIMARY KEY, path TEXT, plays INT, note TEXT)"],
                   "INSERT INTO sound (path, plays, note) VALUES ({}, {}, 'x')")  # fmt: skip
        self.sql(self.there, "CREATE TEMP TABLE old AS SELECT * FROM sound; DELETE FROM sound;"
                 "INSERT INTO sound SELECT 50 - id, path, plays + 1, note FROM old")  # fmt: skip
        self.sql(self.here, "UPDATE sound SET plays = plays + 100")
        self.together()
        self.assertEqual(self.rows("SELECT plays FROM sound ORDER BY path"), [(101,), (102,), (103,), (104,)])

    def test_counts_in_a_table_of_their_own_without_a_key(self):
        made = "CREATE TABLE sound (id INTEGER PRIMARY KEY, path TEXT); CREATE TABLE count (sound INT, plays INT);"
        self.begin([made], "INSERT INTO sound (path) VALUES ({}); INSERT INTO count VALUES (last_insert_rowid(), {})")
        for path, more in ((self.here, 100), (self.there, 10)):
            self.sql(path, f"UPDATE count SET plays = plays + {more} WHERE sound < 3")
        self.together()
        self.assertEqual(self.rows("SELECT * FROM count ORDER BY sound"), [(1, 110), (2, 111), (3, 2), (4, 3)])

    def test_members_without_a_key_follow_a_list_that_gets_another_number(self):
        made = ("CREATE TABLE sound (id INTEGER PRIMARY KEY, path TEXT); CREATE TABLE crate (id INTEGER PRIMARY KEY,"
                " name TEXT); CREATE TABLE inside (crate INT, place INT, sound INT);")  # fmt: skip
        self.begin([made], "INSERT INTO sound (path) VALUES ({}); INSERT INTO inside SELECT 1, {}, 1 WHERE 0")
        for path, name, sound in ((self.here, "mine", 2), (self.there, "theirs", 3)):
            self.sql(path, f"INSERT INTO crate VALUES (1, '{name}'); INSERT INTO inside VALUES (1, 0, {sound})")
        self.together()
        found = self.rows("SELECT name, sound FROM inside JOIN crate ON crate.id = crate ORDER BY name")
        self.assertEqual(found, [("mine", 2), ("theirs", 3)])


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

    def test_plays_are_added_up_and_what_one_side_changed_in_a_named_thing_does_not_come_back(self):
        def make(path):
            self.make(path)
            document = self.read(path)
            document["tracks"][0]["plays"], document["tracks"][1]["plays"] = 5, 0
            self.put(path, {**document, "pads": [{"name": "A", "to": 1}, {"name": "B", "to": 2}]})

        self.start("set.decks", make)
        for path, more, pads in ((self.here, 100, {"name": "C", "to": 3}), (self.there, 10, None)):
            document = self.read(path)
            for one in document["tracks"]:
                one["plays"] += more
            document["pads"][0]["to"] = 1 if pads else 9
            document["pads"] += [pads] if pads else []
            self.put(path, document)
        merged = self.together()
        document = self.read(self.here)
        self.assertEqual([one["plays"] for one in document["tracks"]], [115, 110])
        self.assertEqual([one["name"] for one in document["pads"]], ["A", "B", "C"])
        self.assertEqual([one.column for one in merged.conflicts], ["value"])

    def test_sounds_that_have_names_in_an_object(self):
        def make(path):
            self.make(path)
            document = self.read(path)
            tracks = {f"t{number}": {**one, "plays": 1} for number, one in enumerate(document["tracks"], 1)}
            self.put(path, {**document, "tracks": tracks, "sets": {"one": ["t1", "t2"]}})

        self.start("set.decks", make)
        new = {"title": "n", "cues": [], "plays": 3}

        def change(more, name, key):
            return lambda document: (
                document["tracks"]["t1"].update(plays=document["tracks"]["t1"]["plays"] + more),
                document["tracks"].update({key: {"file": f"s/{name}.wav", **new}}),
                document["sets"].update({name: [key, "t2"]}),
            )

        self.change(self.here, change(100, "here", "h"))
        self.change(self.there, change(10, "there", "t"))
        self.assertEqual(self.together().conflicts, [])
        document = self.read(self.here)
        self.assertEqual({key: (one["file"], one["plays"]) for key, one in document["tracks"].items()},
                         {"t1": ("s/a.wav", 111), "t2": ("s/b.wav", 1), "h": ("s/here.wav", 3),
                          "t": ("s/there.wav", 3)})  # fmt: skip
        self.assertEqual(document["sets"], {"one": ["t1", "t2"], "here": ["h", "t2"], "there": ["t", "t2"]})
        self.start("set.decks", make)
        for path, name in ((self.here, "here"), (self.there, "there")):
            self.change(path, change(1, name, "t3"))
        with self.assertRaises(CannotMerge):
            self.together()

    def test_a_document_that_is_an_array_of_sounds(self):
        path = f"{self.top}/array.toml"
        Path(path).write_text('name = "array"\ncontainer = "json"\n[recognise]\nsuffix = [".array"]\n[[entries]]\n'
                              'at = "*/file"\n')  # fmt: skip
        self.maps = [load_map(path)]
        self.start("set.array", lambda path: self.put(path, [{"file": f"/s/{one}.wav", "plays": 5} for one in "ab"]))
        for path, more in ((self.here, 100), (self.there, 10)):
            self.change(path, lambda one, more=more: one[0].update(plays=one[0]["plays"] + more))
        self.together()
        self.assertEqual([one["plays"] for one in self.read(self.here)], [115, 5])

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
