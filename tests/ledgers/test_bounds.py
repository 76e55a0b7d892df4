"""No file, however it was made, keeps the program from telling what it is and what it refers to."""

import os
import signal
import unittest
from contextlib import suppress
from io import BytesIO
from itertools import product

from saltcart.errors import CannotSpell, SaltCartError
from saltcart.learning.containers import EVERY
from saltcart.learning.learn import learn
from saltcart.ledgers.containers import json, lines, xml
from saltcart.ledgers.kinds import OUR_FORMATS
from saltcart.ledgers.numbered import is_plain
from saltcart.mentions.free_text import is_free
from saltcart.mentions.history import is_log
from saltcart.planning.relative_references import texts
from saltcart.spelling import spelling_named
from saltcart.spelling.swaps import swap_for
from tests.world import WorldCase, wav

SECONDS = 20  # far more than any of them needs: a machine may be busy
ODD = {
    "comments": b"<!-- a -->\n" * 400,
    "instructions": b"<?a b?> " * 500,
    "unfinished": b"<!-- a --><?a " * 300,
    "blanks": b" \t" * 2048,
    "quotes": b'"' * 4096,
    "backslashes": b"\\" * 4096,
    "pairs": b"a=b " * 1000,
    "words": b"word " * 800,
    "slashes": b"/" * 4096,
    "dots": b"../" * 1300,
    "numbers": b"1:" * 2048,
    "keys": b"a.b.c " * 600 + b"=",
    "colons": b"a: " * 1300,
    "parentheses": b"f(" * 2000,
    "quoted words": b'"a" ' * 1000 + b"(",
    "headers": b"A-b: c\n d\n" * 400,
    "tags": b"<a b='" * 600,
    "stamps": b"2026-11-30 " * 370,
    "letters": b"x" * 4096,
    "tabs": b"\t" * 4096,
    "lines": b"\n" * 4096,
}
LONGEST = {"letters": 250, "tabs": 250}  # times as long, where little else would show it
# How a file of a kind may begin, so that what is odd stands where a path would.
BEFORE = {
    "m3u": b"#EXTM3U\n", "pls": b"[playlist]\nFile1=", "cue": b'FILE "', "sfz": b"<region> sample=a",
    "xspf": b'<?xml version="1.0"?><playlist version="1" xmlns="http://xspf.org/ns/0/"><trackList><track><location>',
    "json": b'{"a": "', "xml": b'<a b="', "toml": b'a = "', "ini": b"[a]\nb=", "csv": b"a,b\nc,", "tsv": b"a\tb\nc\t",
    "free text": b"(a word or two) ",
}  # fmt: skip
LONG = 50  # times as long as what tells files apart: what takes the square of that never ends


class Timed(unittest.TestCase):
    def setUp(self):
        super().setUp()

        def stop(_number, _frame):
            raise AssertionError("takes for ever")  # which nothing catches, as it does what a drive says

        before = signal.signal(signal.SIGALRM, stop)
        self.addCleanup(signal.signal, signal.SIGALRM, before)
        self.addCleanup(signal.alarm, 0)


class Bounds(Timed):
    def test_what_tells_files_apart_comes_to_an_end(self):
        tellers = {form.NAME: lambda head, form=form: form.claims("x.dat", head) for form in OUR_FORMATS}
        tellers |= {
            "free text": lambda head: is_free(head, True),
            "free text, not whole": lambda head: is_free(head, False),
            "one line": lambda head: is_free(head.replace(b"\n", b" "), True),
            "log": is_log,
            "relative": lambda head: len(list(texts(BytesIO(head + b"x.wav")))),
        }
        for name, tell in tellers.items():
            for kind, head in ODD.items():
                with self.subTest(name, kind=kind):
                    signal.alarm(SECONDS)
                    tell(head)
                    signal.alarm(0)

    def test_what_finds_paths_in_a_file_comes_to_an_end(self):
        finders = {form.NAME: form.spans for form in OUR_FORMATS}
        finders |= {"xml": lambda data: xml.spans(data, EVERY), "json": lambda data: json.spans(data, EVERY)}
        for kind in ("toml", "ini", "csv", "tsv"):
            finders[kind] = lambda data, kind=kind: lines.spans(kind, data, EVERY)
        finders |= {"joint": is_plain, "free text": lambda data: is_free(data, True)}
        for name, find in finders.items():
            for kind, odd in ODD.items():
                with self.subTest(name, kind=kind):
                    signal.alarm(SECONDS)
                    with suppress(ValueError, CannotSpell):
                        find(BEFORE.get(name, b"") + b"x" + odd * LONGEST.get(kind, LONG) + b"x")
                    signal.alarm(0)

    def test_what_a_text_shows_of_others_comes_to_an_end(self):
        for name in ("native", "uri", "windows", "auto"):
            for kind in ("slashes", "dots", "letters"):
                with self.subTest(name, kind=kind):
                    signal.alarm(SECONDS)
                    swap_for(spelling_named(name), "/" + (ODD[kind] * LONG).decode(), "/old", "/new")
                    signal.alarm(0)


class Learnt(Timed, WorldCase):
    def test_a_path_behind_a_very_long_text(self):
        wav(self.shelf / "one.wav")
        file, path = self.top / "odd.txt", os.fsencode(self.shelf / "one.wav")
        for kind, more in product(("letters", "quotes", "parentheses", "tabs"), (b"", path + b"\n")):
            with self.subTest(kind, more=more):
                file.write_bytes(ODD[kind] * LONG + b'"' + path + b"\n" + more)
                signal.alarm(SECONDS)
                self.assertLess(len(learn([str(file)], [str(self.shelf)]).map_text), 10_000)
                signal.alarm(0)

    def test_many_places(self):
        """As many as there are bytes in a tag, in a key, or in a table."""
        path = self.shelf / "one.wav"
        wav(path)
        for name, text in {
            "tag.xml": "<r " + " ".join(f'a{number}="{path}"' for number in range(20_000)) + "/>",
            "key.toml": ".".join("a" * 100_000) + f' = "{path}"\n',
            "row.csv": ",".join(f"c{number}" for number in range(12_000))
            + "\n"
            + ",".join([str(path)] * 12_000)
            + "\n",
        }.items():
            with self.subTest(name):
                (self.top / name).write_text(text)
                signal.alarm(SECONDS)
                with suppress(SaltCartError):
                    learn([str(self.top / name)], [str(self.shelf)])
                signal.alarm(0)
