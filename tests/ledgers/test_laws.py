"""For each kind of container: any name that it can hold comes back, and what surrounds it does not change."""

import json
import os
import plistlib
import tempfile
import tomllib
import unittest
from contextlib import suppress
from itertools import chain
from pathlib import Path
from urllib.parse import quote
from xml.etree import ElementTree
from xml.sax.saxutils import escape

from hypothesis import example, given
from hypothesis import strategies as some

from saltcart.errors import CannotSpell
from saltcart.ledgers.base import NO_EDITS
from saltcart.ledgers.containers import records, xml
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.ledgers.rules import At, Matcher
from saltcart.ledgers.spans import Spans
from saltcart.rewriting.routes import Routes
from saltcart.spelling import Move, Moves, spelling_named
from tests.ledgers.cases import rewritten

NAMES = some.text(some.characters(exclude_characters="\0", exclude_categories=("Cs",)), min_size=1, max_size=20)
BEFORE = some.sampled_from(["/keel/a b.wav", "/keel/é & <x> 'q'.wav", '/keel/"q" \\ %41.wav', "/keel/ünï\t.wav"])


def xml_of(text):
    """An XML document with one value, as a careful writer writes it."""
    root = ElementTree.Element("r")
    ElementTree.SubElement(root, "p", {"file": text}).text = "x"
    return ElementTree.tostring(root, "utf-8", xml_declaration=True)


# Container: how its map points, a maker of documents, and an independent reader of the value.
KINDS = {
    "xml": ('at = "r/p/@file"', xml_of, lambda data: ElementTree.fromstring(data)[0].get("file")),
    "json": (
        'at = "a/*/file"',
        lambda text: json.dumps({"a": [{"file": text, "n": 1.50}], "b": text}).encode(),
        lambda data: json.loads(data)["a"][0]["file"],
    ),
    "toml": (
        'at = "t/file"',
        lambda text: f"# x\n[t]\nfile = {json.dumps(text)} # y\n".encode(),
        lambda data: tomllib.loads(data.decode())["t"]["file"],
    ),
    "csv": (
        'at = "file"',
        lambda text: 'n,file\r\n1,"{}"\r\n'.format(text.replace('"', '""')).encode(),
        lambda data: data.decode().split(",", 2)[2][1:-3].replace('""', '"'),
    ),
    "plist": (
        'at = "file"',
        lambda text: plistlib.dumps({"file": text, "n": 3}, fmt=plistlib.FMT_BINARY),
        lambda data: plistlib.loads(data)["file"],
    ),
}


# Tracks as plain as most, and as odd as any.
VALUES = some.sampled_from(
    [
        "file:///keel/a.wav",
        "x&amp;y",
        " b ",
        "",
        "<![CDATA[c]]>",
        "<!-- d -->e",
        "<location>f</location>",
        "location",
        "?!",
    ]
)
PLAIN = ["<title>a</title><location>file:///keel/a.wav</location>", "<e f='/'/>\n<location>b</location>"]
DEEP = "<m><m><m><m><location>g</location></m></m></m></m>"
PARTS = some.one_of(
    some.sampled_from(PLAIN),
    some.builds("<{0}>{1}</{0}>".format, some.sampled_from(["location", "x:location", "title", "locations"]), VALUES),
    some.sampled_from(
        [
            "<location a='1&gt;\"'>c</location>",
            "<location/>",
            "<location></location>",
            "<location> d </location>",
            "<more><location>g</location></more>",
            DEEP,
            "<!--a><location>h</location>-->",
            "<?location?>",
        ]
    ),
)
RULES = [
    At("l/t/location", spelling_named("uri")),
    At("**/location", spelling_named("uri")),
    At("l/t/location", spelling_named("uri"), base_at="l/@base"),
]


class Laws(unittest.TestCase):
    @given(
        some.tuples(
            some.lists(some.sampled_from(PLAIN), max_size=2),
            some.lists(PARTS, max_size=2),
            some.lists(some.sampled_from(PLAIN), max_size=2),
        ).map(lambda parts: [*chain(*parts)]),
        some.sampled_from(RULES),
        some.sampled_from(["", "\ufeff", "<?xml version='1.0'?>\n", "<!DOCTYPE l>"]),
        some.sampled_from(["", " base='/'"]),
    )
    @example([PLAIN[0], DEEP, PLAIN[0]], RULES[1], "", "")
    def test_a_cut_document_says_what_its_tags_say(self, parts, rule, start, base):
        data = f"{start}<l xmlns:x='x'{base}>{''.join(f'<t>{part}</t>' for part in parts)}</l>".encode()
        try:
            slow = Spans.of(data, xml.read_spans(xml.read(data), Matcher([rule])))
        except ValueError:
            slow = None
        try:
            quick = records.spans(data, Matcher([rule]))
        except ValueError:
            self.assertIsNone(slow)
            return
        if quick and slow:
            columns = [
                (one.inside, one.outside, one.kinds, [one.where(number) for number in range(len(one.inside))])
                for one in (quick, slow)
            ]
            self.assertEqual(*columns)
        self.assertTrue(slow or not quick)
        self.assertTrue(quick or base or not parts or not set(parts) <= set(PLAIN))

    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        cls.maps = {}
        for kind, (at, _make, _read) in KINDS.items():
            path = cls.folder / f"{kind}.toml"
            path.write_text(
                f'name = "{kind}"\ncontainer = "{kind}"\n[recognise]\nsuffix = [".{kind}"]\n[[entries]]\n{at}\nspelling'
                ' = "native"\n'
            )
            cls.maps[kind] = load_map(str(path))

    @example("plist", "/keel/a b.wav", "072")  # as many bytes as follow it
    @given(some.sampled_from(sorted(KINDS)), BEFORE, NAMES)
    def test_what_is_written_is_what_an_independent_reader_reads(self, kind, before, name):
        _at, make, read = KINDS[kind]
        if kind in ("toml", "csv") and "\t" in before:
            before = before.replace("\t", "")
        path, target = self.folder / f"x.{kind}", self.folder / "out"
        path.write_bytes(make(before))
        ledger = open_ledger(str(path), [self.maps[kind]])
        (entry,) = ledger.entries()
        self.assertEqual(entry.written, before)
        wanted = f"/lighter/{name}"
        try:
            ledger.rewrite(str(target), {entry.key: wanted})
        except CannotSpell:
            self.assertTrue(
                any(
                    sign < " " or sign in '"\x7f\x85\u2028\ufffe\uffff\ufdd0' or not sign.isprintable() for sign in name
                ),
                repr(name),
            )
            return
        self.assertEqual(read(target.read_bytes()), wanted)
        path.write_bytes(target.read_bytes())
        again = open_ledger(str(path), [self.maps[kind]])
        again.rewrite(str(target), {next(again.entries()).key: before})
        self.assertEqual(read(target.read_bytes()), before)


# What stands in real names, and what some format or spelling gives a meaning.
SIGNS = some.sampled_from([*"aB0 éÜ&#?%'\"; |<$[]{}~.\\", "\u0308", "鐘", "🔔", "%41", "//", "/../", "/", "\udce9"])
TAILS = some.lists(SIGNS, min_size=1, max_size=8).map("".join)
HEADS = some.lists(some.sampled_from([*"aZ é&'%#", "\u0308", "鐘"]), min_size=1, max_size=4).map(
    lambda signs: "x" + "".join(signs) + "y"
)
# Ledgers of many lines, each writer with its own manner.
WRITERS = {
    "list.m3u8": lambda paths: "".join(f"{path}\n" for path in paths),
    "uris.m3u8": lambda paths: "".join(f"file://{quote(path, errors='surrogateescape')}\n" for path in paths),
    "list.xspf": lambda paths: xspf(quote(path, "/&'()", errors="surrogateescape").lower() for path in paths),
    "raw.xspf": lambda paths: xspf(path.replace("%", "%25").replace("#", "%23") for path in paths),
    "list.jspf": lambda paths: json.dumps({"playlist": {"track": [{"location": [path]} for path in paths]}}),
    "wide.jspf": lambda paths: json.dumps(
        {"playlist": {"track": [{"location": [path]} for path in paths]}}, ensure_ascii=False
    ),
}


def xspf(locations):
    """A playlist of locations."""
    tracks = "".join(f"<track><location>{escape(one)}</location></track>" for one in locations)
    return f'<playlist xmlns="http://xspf.org/ns/0/"><trackList>{tracks}</trackList></playlist>'


class Swapped(unittest.TestCase):
    @given(some.sampled_from(sorted(WRITERS)), HEADS, HEADS, some.lists(TAILS, min_size=2, max_size=6))
    def test_what_goes_in_part_gets_the_texts_that_each_would(self, name, old, new, tails):
        """Of some paths of a folder only, and one of them somewhere else: as one by one."""
        paths = [f"/keel/{old}/{tail}" for tail in [*tails, "plain.wav", "other.wav"]]
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, name)
            if name in ("raw.xspf", "wide.jspf"):
                paths = [path.replace("\udce9", "e") for path in paths]  # no text holds that raw
            path.write_bytes(WRITERS[name](paths).encode("utf-8", "surrogateescape"))
            ledger = open_ledger(str(path), [])
            move = Move(f"/keel/{old}", f"/lighter/{new}", takes=lambda tail: len(tail) % 2 == 1)
            routes = Routes(Moves([move], exact={paths[0]: "/elsewhere/one.wav"}))
            with suppress(CannotSpell):
                each = routes.texts(ledger.entries(), folder, folder)
                self.assertEqual((*routes.changes(ledger, folder, folder),), (each, [], NO_EDITS))

    def test_a_library_of_many_folders_is_swapped_by_folders_in_whatever_order_it_is(self):
        """One after the other, and in turn."""
        moves = Moves([Move(f"/keel/{number}", f"/lighter/{number} ä") for number in range(40)])
        paths = [f"/keel/{number % 40}/{number}.wav" for number in range(4000)]
        for order in (paths, sorted(paths)):
            with tempfile.NamedTemporaryFile("w", suffix=".m3u8") as library:
                library.write("\n".join(order))
                library.flush()
                changes = Routes(moves).changes(open_ledger(library.name, []), "/", "/")
            self.assertEqual((len(changes.swaps), changes.texts), (40, {}), order[1])

    def test_what_lies_in_a_folder_that_moves_and_goes_elsewhere_is_not_swapped_with_it(self):
        """A folder in it that moves by itself, and a file that has a place of its own."""
        paths = [f"/keel/S ä/{name}{number}.wav" for name in ("", "in/", "in/er/") for number in range(30)]
        outer, inner = Move("/keel/S ä", "/lighter/S"), Move("/keel/S ä/in", "/bank/in")
        for moves in (Moves([outer, inner]), Moves([outer], exact={paths[3]: "/bank/one.wav"})):
            with tempfile.NamedTemporaryFile("w", suffix=".m3u8") as library:
                library.write("\n".join(paths))
                library.flush()
                ledger = open_ledger(library.name, [])
                changes = Routes(moves).changes(ledger, "/", "/")
                news = [new for batch in ledger.batches() for new in changes.news(batch)]
            self.assertEqual(news, list(map(moves.follow, paths)))

    @given(some.sampled_from(sorted(WRITERS)), HEADS, HEADS, some.lists(TAILS, min_size=1, max_size=6))
    def test_many_at_once_are_what_each_would_be(self, name, old, new, tails):
        paths = [f"/keel/{old}/{tail}" for tail in [*tails, "plain.wav"]]
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, name)
            if name in ("raw.xspf", "wide.jspf"):
                paths = [path.replace("\udce9", "e") for path in paths]  # no text holds that raw
            path.write_bytes(WRITERS[name](paths).encode("utf-8", "surrogateescape"))
            ledger = open_ledger(str(path), [])
            moves = Moves([Move(f"/keel/{old}", f"/lighter/{new}")])
            with suppress(CannotSpell):  # what the one cannot write the other does not write either: see `rewritten`
                rewritten(ledger, moves, os.path.join(folder, "out"))
