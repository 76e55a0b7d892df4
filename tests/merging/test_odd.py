"""What programs write and hardly anybody expects: it stays as it is, or the ledger is taken as a whole."""

import json

from saltcart.merging.forms import CannotMerge
from saltcart.merging.whole import WholeForm
from saltcart.standins import decks
from tests.merging.cases import Apart

EVERY_SIGN = {"a|b": 1, "a/b": 2, "": {"": 3, "x": 4}, "~1": 5, "~": {"0": 6}, "x": 7, "Été": [8], "on/off|": {}}


class Odd(Apart):
    def assert_whole(self):
        self.assertIsInstance(self.meeting()[0].form, WholeForm)


class Documents(Odd):
    def start_with(self, more):
        """A collection in which more stands than its program writes."""

        def make(path):
            decks.write(path, [("s/a.wav", "a", [1]), ("s/b.wav", "b", [2])], {"one": [0, 1]})
            self.change(path, lambda document: document.update(more))

        self.start("set.decks", make)

    def change(self, path, work):
        document = self.read(path)
        work(document)
        with open(path, "w", encoding="utf-8") as stream:
            json.dump(document, stream, ensure_ascii=False, indent=1)
        return document

    def read(self, path):
        with open(path, encoding="utf-8") as stream:
            return json.load(stream)

    def test_names_with_every_sign(self):
        for more in ({"settings": EVERY_SIGN}, EVERY_SIGN):
            with self.subTest(list(more)):
                self.start_with(more)
                wanted = self.change(self.there, lambda one: (one["tracks"][0].update(title="new"), one.update(x=70)))
                self.together()
                self.assertEqual(self.read(self.here), wanted)

    def test_a_stream_among_the_sounds(self):
        """It has no place on a drive; what comes after it is still told by its own place."""
        stream = {"file": "https://radio.example/tide", "title": "tide", "cues": [1]}
        sounds = [{"file": f"s/{name}.wav", "title": name, "cues": [1]} for name in "ab"]
        self.start_with({"tracks": [sounds[0], stream, sounds[1]], "sets": {}})
        self.change(self.here, lambda one: one["tracks"][2].update(cues=[1, 2]))
        self.change(self.there, lambda one: (one["tracks"].pop(1), one["tracks"][1].update(title="new")))
        self.assertEqual(self.together().conflicts, [])
        self.assertEqual(
            self.read(self.here)["tracks"], [sounds[0], {"file": "s/b.wav", "title": "new", "cues": [1, 2]}]
        )

    def test_what_cannot_be_taken_apart(self):
        deep = json.loads('{"x":' * 400 + "1" + "}" * 400)
        for name, more in (
            ("no number", {"gain": float("nan")}),
            ("a number without end", {"gain": float("inf")}),
            ("no array of sounds", {"tracks": {"one": "s/a.wav"}}),
            ("a number where the sounds should be", {"tracks": 7, "sets": {}}),
            ("an element that names no sound", {"tracks": [{"title": "a"}]}),
            ("no members", {"sets": {"one": 5}}),
            ("a member that is no track", {"sets": {"one": [7]}}),
        ):
            with self.subTest(name):
                self.start_with(more)
                self.change(self.there, lambda one: one.update(colour="blue"))
                self.assert_whole()
        self.start_with({"deep": deep})
        wanted = self.change(self.there, lambda one: one.update(colour="blue"))
        self.together()
        self.assertEqual(self.read(self.here), wanted)

    def test_a_number_that_nobody_can_write_again(self):
        self.start_with({})
        for path in (self.here, self.there):
            with open(path, "rb+") as stream:
                text = stream.read().replace(b'"decks": 1', b'"decks": 1e999')
                stream.seek(0)
                stream.write(text)
        self.assert_whole()


class Databases(Odd):
    def test_plays_that_are_no_counts(self):
        """They are a column like any other, in both copies, and a person says which holds."""
        for odd in ("'many'", "2.5", "-1", "9223372036854775807", "1e308 * 10"):
            for holds in ("here", "there"):
                with self.subTest(odd, holds=holds):
                    self.start("library.db", self.library)
                    self.sql(self.there, f"UPDATE tracks SET plays = {odd} WHERE id = 1;")
                    merged, _history, _form = self.written(holds)
                    self.assertEqual([one.column for one in merged.conflicts], ["plays"])
                    wanted = self.rows("SELECT 5, 5" if holds == "here" else f"SELECT {odd}, 5")[0]
                    found = self.rows("SELECT plays FROM tracks ORDER BY id LIMIT 2")
                    self.assertEqual(tuple(plays for (plays,) in found), wanted)

    def test_the_highest_number_is_taken(self):
        self.start("library.db", self.library)
        new = "INSERT INTO tracks (id, place, title, plays) VALUES ({}, 'file:///s/{}.wav', '{}', 0);"
        self.sql(self.here, new.format(4, "d", "d"), new.format(2**63 - 1, "z", "z"))
        self.sql(self.there, new.format(4, "e", "e"))
        with self.assertRaises(CannotMerge):
            self.together()

    def test_many_numbers_that_both_gave(self):
        self.start("library.db", self.library)
        new = "INSERT INTO tracks (id, place, title, plays) VALUES ({0}, 'file:///s/{1}{0}.wav', '{1}{0}', 0);"
        for path, name in ((self.here, "h"), (self.there, "t")):
            self.sql(path, *(new.format(number, name) for number in (4, 5, 6, 9)))
        self.sql(self.there, new.format(10, "t"), "INSERT INTO lists VALUES (2, 't'); "
                 "INSERT INTO list_tracks VALUES (2, 0, 4), (2, 1, 10), (2, 2, 9);")  # fmt: skip
        self.together()
        tracks = self.rows("SELECT id, title FROM tracks WHERE id > 3")
        self.assertEqual(len({number for number, _title in tracks}), 9)
        wanted = {f"{name}{number}" for name in "ht" for number in (4, 5, 6, 9)} | {"t10"}
        self.assertEqual({title for _number, title in tracks}, wanted)
        found = self.rows("SELECT title FROM list_tracks JOIN tracks ON track = id WHERE list = 2 ORDER BY position")
        self.assertEqual([title for (title,) in found], ["t4", "t10", "t9"])


class Playlists(Odd):
    def test_lines_end_where_the_file_says(self):
        """Signs that end lines elsewhere belong to a comment; an old file ends its lines with CR alone."""
        for end, comment in (("\n", "# two\u2028parts\x0bof\x85one"), ("\r", "# one"), ("\r\n", "# one")):
            with self.subTest(repr(end)):
                lines = ["#EXTM3U", comment, "a.wav", "# its own", "b.wav", "c.wav", "# the end"]
                self.start("set.m3u8", lambda path, lines=lines, end=end: self.write(path, lines, end))
                self.write(self.there, [*lines[:3], "# new\u2028there", "new.wav", *lines[3:]], end)
                self.write(self.here, [*lines[:5], "here.wav", *lines[5:]], end)
                self.together()
                both = [*lines[:3], "# new\u2028there", "new.wav", *lines[3:5], "here.wav", *lines[5:]]
                self.assertEqual(self.read(), end.join([*both, ""]))

    def write(self, path, lines, end):
        with open(path, "w", encoding="utf-8", newline="") as stream:
            stream.write(end.join([*lines, ""]))

    def read(self):
        with open(self.here, encoding="utf-8", newline="") as stream:
            return stream.read()
