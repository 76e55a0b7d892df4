"""Laws of spelling: what is written reads back, there and back is nothing, and only whole components count."""

import os
import unittest

from hypothesis import given
from hypothesis import strategies as some

from saltcart.spelling import Meanings, Move, Moves
from saltcart.spelling.forms import ABSOLUTE, RELATIVE, URI, spelling_of

RAW = some.binary(min_size=1, max_size=12).filter(
    lambda raw: b"/" not in raw and b"\0" not in raw and raw not in (b".", b"..")
)
NAMES = some.one_of(
    RAW.map(os.fsdecode),
    some.sampled_from(["a b", "Été", "E\u0301te\u0301", "#1", "50%25", "x&y", "it's", "%41", "?", "~", " end "]),
)
PATHS = some.lists(NAMES, min_size=1, max_size=4).map(lambda parts: "/" + "/".join(parts))
MANNERS = some.sampled_from(
    [
        (ABSOLUTE, "/x"),
        (RELATIVE, "x"),
        (URI, "file:///x%20y%c3%a9"),
        (URI, "file:/x yé"),
        (URI, "file://localhost/%C3%A9"),
    ]
)


# A URI, what is declared, the path it means here; a new path, and the URI for that.
URIS = (
    ("file:///a/b#1.wav", (), "/a/b#1.wav", "/n m/b#1.wav", "file:///n%20m/b#1.wav"),
    ("file:///a/b?.wav", (), "/a/b?.wav", "/n/b?.wav", "file:///n/b?.wav"),
    ("file:///a/b.wav#t=10,20", (), "/a/b.wav", "/n/b.wav", "file:///n/b.wav#t=10,20"),
    ("file://localhost/a/b.wav", (), "/a/b.wav", "/n/b.wav", "file://localhost/n/b.wav"),
    ("file:///d:/S/x%20y.wav", ["D:=/media/l"], "/media/l/S/x y.wav", "/media/l/N/x y.wav", "file:///d:/N/x%20y.wav"),
    ("file:///D:/S/x.wav", ["D:=/media/l"], "/media/l/S/x.wav", "/media/l/N/x.wav", "file:///D:/N/x.wav"),
    ("file://harbour/s/x.wav", ["\\\\harbour\\s=/mnt/h"], "/mnt/h/x.wav", "/mnt/h/N/x.wav", "file://harbour/s/N/x.wav"),
)


class Laws(unittest.TestCase):
    def test_raw_signs_fragments_hosts_and_letters_of_uris(self):
        for text, means, path, new, wanted in URIS:
            with self.subTest(text):
                meanings, read = Meanings(means), URI.read(text, "/")
                self.assertEqual(meanings.here(read), path)
                self.assertEqual(URI.write(text, meanings.there(new, read), "/"), wanted)
        for text in ("file://host", "file:x.wav", "http://radio.example/x"):
            self.assertIsNone(URI.read(text, "/"))

    @given(MANNERS, PATHS, PATHS)
    def test_what_is_written_reads_back(self, manner, path, base):
        spelling, text = manner
        read = spelling.read(spelling.write(text, path, base), base)
        self.assertEqual(os.path.normpath(read), path)

    @given(MANNERS, PATHS, PATHS, PATHS, some.lists(NAMES, max_size=3))
    def test_there_and_back_is_the_same_text(self, manner, base, old, new, tail):
        spelling, specimen = manner
        here, there = ("/".join([top, *tail]) for top in (old, new))
        text = spelling.write(specimen, here, base)
        back = spelling.write(spelling.write(text, there, base), here, base)
        self.assertEqual(spelling.read(back, base), spelling.read(text, base))
        if spelling is not URI:
            self.assertEqual(back, text)

    @given(PATHS, NAMES, NAMES)
    def test_only_whole_components_move(self, old, more, name):
        moves = Moves([Move(old, "/elsewhere")])
        self.assertIsNone(moves.follow(f"{old}{more}/{name}"))
        self.assertEqual(moves.follow(f"{old}/{name}"), f"/elsewhere/{name}")
        self.assertEqual(moves.follow(old), "/elsewhere")
        self.assertIsNone(moves.follow(f"{old}/../{name}"))


class Cases(unittest.TestCase):
    def test_uri_keeps_its_writers_escapes(self):
        cases = [
            ("file:///k/a%20b/caf%c3%a9%20x.wav", "/l i/a b/café x.wav", "file:///l%20i/a%20b/caf%c3%a9%20x.wav"),
            ("file:///k/a%20b/café%20x.wav", "/lü/a b/café x.wav", "file:///lü/a%20b/café%20x.wav"),
            ("file:///k/%41.wav", "/new/A.wav", "file:///new/%41.wav"),
            ("FILE://localhost/k/s/", "/new/s", "FILE://localhost/new/s/"),
            ("file:///k/it%27s.wav", "/q'q/it's.wav", "file:///q%27q/it%27s.wav"),
        ]
        for text, path, wanted in cases:
            self.assertEqual(URI.write(text, path, "/"), wanted)

    def test_what_is_no_file_has_no_path(self):
        for text in ["", "  ", "http://radio.example/x.mp3"]:
            self.assertIsNone(spelling_of(text))
        for text in ["file://other", "file:////x", "file:x"]:
            self.assertIsNone(spelling_of(text).read(text, "/"))
