"""A folder is found in bytes in whatever form programs write it, and nothing else is taken for it."""

import base64
import json
import os
import re
import unicodedata
import unittest
from collections import Counter
from contextlib import suppress
from itertools import product
from unittest.mock import patch
from urllib.parse import quote
from xml.sax.saxutils import escape

from hypothesis import example, given
from hypothesis import strategies as st

from saltcart.ledgers.legacy import LEGACY
from saltcart.mentions import finder, mention
from saltcart.mentions.finder import find
from saltcart.mentions.place_forms import PIECE, Beside, PlaceForms

WORDS = "&'<>\""
NAMES = ("été", "Äbc 0", "Café", "日本 音", "é", "FX", "B 2", "Звуки 1", "ñ & Ø", "\U0001f941 kit")
PLACE, BESIDE = "/mnt/keel/Sounds/Cloches d'été & co", "/mnt/keel/lists"
TAIL = "/low/C1.wav"
# What a line may be made of: the place in some forms, and what may follow so that it is named no more.
PIECES = [
    PLACE.encode(), quote(PLACE).encode(), PLACE.encode("latin-1"), PLACE.replace("/", "\\").encode(), b"Sounds",
    b" 2", b"/", b"//", b"/.", b"/..", b"/a/../..", b"/%2e%2e/", b"/a/%2E%2e/%2e.", b"/&#46;&#46;/", b"/&period;./",
    b"/a/\\u002e./", b"\\..", b" ", b"/a", b"a", b'"', b"file://", b"S:/", b"\r", b"\xe9", b"/\xc3\xa9.wav",
    b"/%C3%A9.wav", b"/low &amp; high.wav", b"../",
]  # fmt: skip


def written(place):
    """A path as programs write it, by the name of the form."""
    forms = {
        "as it is": f"path={place}{TAIL}\n".encode(),
        "its end": place.encode(),
        "quoted": f'"{place}"'.encode(),
        "decomposed": unicodedata.normalize("NFD", f"x={place}{TAIL}").encode(),
        "UTF-16": f"x={place}{TAIL}".encode("utf-16-le"),
        "UTF-16, the other order": f"x={place}{TAIL}".encode("utf-16-be"),
        "a URI": b"file://" + quote(place + TAIL).encode(),
        "a URI with its host": b"file://localhost" + quote(place + TAIL).encode(),
        "a URI in small letters": b"file://" + re.sub("%..", lambda one: one[0].lower(), quote(place + TAIL)).encode(),
        "every sign percent-encoded": "".join(f"%{byte:02X}" for byte in (place + TAIL).encode()).encode(),
        "JSON": json.dumps(place + TAIL).encode(),
        "JSON with escaped slashes": json.dumps(place + TAIL).replace("/", "\\/").encode(),
        "XML": f'<file at="{escape(place + TAIL)}"/>'.encode(),
        "XML with numbers": "".join(
            f"&#{ord(sign)};" if ord(sign) > 126 or sign in WORDS else sign for sign in place
        ).encode(),
        "backslashes": place.replace("/", "\\").encode() + b"\\low",
        "a drive letter": f"S:\\{place[10:]}\\low".replace("/", "\\").encode(),
        "from the drive": f'"/{place[10:]}{TAIL}"'.encode(),
        "from the file's folder": f"../{place[10:]}{TAIL}".encode(),
        "its length before it": b"\0\0\0" + bytes([len(place.encode())]) + place.encode() + b"\0",
        "a length that looks like a letter": b"\1\0pathA" + place.encode() + b"\0",
        "two slashes": f"x={place[:9]}/{place[9:]}{TAIL}".encode(),
        "a folder's name for itself": f"x={place[:9]}/./{place[10:]}{TAIL}".encode(),
        "a detour": f"x={place[:9]}/Old/../{place[10:]}{TAIL}".encode(),
        "a detour in a URI": b"file:///mnt/keel/Old/%2e%2E/" + quote(place[10:] + TAIL).encode(),
        "for a shell": b"play " + re.sub("([ '&])", r"\\\1", place).encode() + b"/x",
        "bytes in figures": "".join(f"\\x{byte:02x}" if byte > 126 else chr(byte) for byte in place.encode()).encode(),
        "JSON in JSON": json.dumps({"state": json.dumps({"file": place + TAIL})}).encode(),
        "a URI in JSON in JSON": json.dumps(json.dumps("file://" + quote(place + TAIL))).replace("/", "\\/").encode(),
        "Base64": base64.b64encode(f"<{place}{TAIL}>".encode()),
        "Base64 one byte on": base64.b64encode(f"=<{place}{TAIL}>".encode()),
        "UTF-32": f"x={place}{TAIL}".encode("utf-32-le"),
        "UTF-32, the other order": f"x={place}{TAIL}".encode("utf-32-be"),
        "a blank after it": f"open {place} My bells\n".encode(),
        "a word after it": f"player --dir {place} --loud --out /tmp/x\n".encode(),
        "a control sign after it": f"dir\2{place}\1next\0\0".encode(),
        "a letter that nobody declared": f"Q:\\{place[10:]}\\low".replace("/", "\\").encode(),
        "a letter and a folder above": f"Q:\\Music\\{place[10:]}\\low".replace("/", "\\").encode(),
        "through a variable": f"$BELLS/{os.path.basename(place)}{TAIL}".encode(),
        "through a second mount": f"/srv/again/{place[10:]}{TAIL}".encode(),
        "a long UTF-16 text": b"\1\2" + place.encode("utf-16-le") + b"\0\0",
    }
    for encoding in LEGACY:
        with suppress(UnicodeEncodeError):
            forms[encoding] = unicodedata.normalize("NFC", f"x={place}{TAIL}").encode(encoding)
            relative = unicodedata.normalize("NFC", f"../{place[10:]}{TAIL}")
            forms[f"{encoding}, from the file's folder"] = relative.encode(encoding)
    return forms


OTHERS = (
    f"{PLACE} Extra/low",
    f"{PLACE} Extra",
    f"{PLACE} gone/low",
    f"Q:/{os.path.basename(PLACE)}/low",
    f"Q:/Other/{os.path.basename(PLACE)}/low",
    f"{PLACE}.set-aside-x1",
    f"/backup{PLACE}{TAIL}",
    f"/mnt/lighter/{PLACE[10:]}{TAIL}",
    "a title: Cloches d'été & co",
    f"/mnt/keel/sounds/{os.path.basename(PLACE)}{TAIL}",
)


def hits(data, folder=BESIDE, new=None, place=PLACE):
    """How often the place is found."""
    others = [f"$BELLS/{os.path.basename(place)}", f"/srv/again/{place[10:]}"]
    longer = [f"{os.path.basename(place)} Extra"]
    forms = PlaceForms(place, "/mnt/keel", ["S:/" + place[10:]], others=others, beside=Beside(longer=longer))
    if new:
        forms.pass_over(PlaceForms(new, "/mnt/lighter"))
    return sum(hit.times for hit in find(data, [forms], folder) if hit.form != PIECE)


def each_by_itself(finder, text, spots):
    """The hits in a text, each looked at where it is."""
    for together in spots:
        yield from finder.named(text, together)


class Forms(unittest.TestCase):
    def test_each_form_is_found_once(self):
        for name, data in written(PLACE).items():
            with self.subTest(name):
                self.assertEqual(hits(data), 1, data)
                self.assertEqual(hits(b"one\n" + data + b"\nand\n" + data), 2, "in a text, twice")

    def test_each_form_of_names_with_hardly_a_letter_of_ascii_is_found_once(self):
        for name, form in product(NAMES, ("NFC", "NFD")):
            place = unicodedata.normalize(form, f"/mnt/keel/Sounds/{name}")
            for way, data in written(place).items():
                with self.subTest(name=name, on_disk=form, way=way):
                    self.assertEqual(hits(data, place=place), 1, data)

    @given(st.text(st.characters(categories=("L", "N", "Zs", "P", "S", "M")), min_size=1, max_size=12))
    def test_any_name_is_found_as_most_programs_write_it(self, name):
        name = unicodedata.normalize("NFC", re.sub(r"[/\\]", "x", name).strip())
        place = f"/mnt/keel/Sounds/x{name}" if name in ("", ".", "..") else f"/mnt/keel/Sounds/{name}"
        for way in ("as it is", "decomposed", "UTF-16", "a URI", "JSON", "XML with numbers"):
            self.assertEqual(hits(written(place)[way], place=place), 1, (way, name))

    def test_what_only_looks_like_it_is_not(self):
        for text in OTHERS:
            with self.subTest(text):
                self.assertEqual([hits(f"x={text}\n".encode(coding)) for coding in ("utf-8", "utf-16-le")], [0, 0])

    def test_the_new_place_is_no_mention_of_the_old(self):
        new = PLACE.replace("keel", "lighter")
        for data in (new.encode(), quote(new).encode(), new.encode("utf-16-le"), f'"/{PLACE[10:]}/x"'.encode()):
            with self.subTest(data):
                self.assertEqual(hits(data, new=new), 0)
        self.assertEqual(hits(PLACE.encode(), new=new), 1)

    @given(st.lists(st.lists(st.sampled_from(PIECES), max_size=7).map(b"".join), min_size=1, max_size=6))
    @example([f"{PLACE}{more}/a".encode() for more in ("", " 2", "x", "/b")])
    @example([f"{PLACE}/{name}{number}".encode() for name in "ab" for number in range(9)])
    @example([f"../{quote(PLACE[10:] + more)}/a".encode() for more in ("", " 2", "x", "/b", "/b/../..")])
    @example([f"{lead}{PLACE}/a".encode() for lead in ("", "/srv", "x", "", "//", "=") * 3])
    def test_what_is_remembered_of_a_line_is_what_is_there(self, lines):
        self.assert_remembered(b"\n".join(lines))

    def test_what_is_remembered_of_a_line_is_how_its_letters_are_read_there(self):
        """UTF-8 beside another encoding may be that encoding, in which the same bytes are another name."""
        other = PlaceForms(f"/mnt/keel/Sounds/{'Звук'.encode().decode('cp1251')} kit", "/mnt/keel")
        line = "\n../Sounds/Звук kit/a\n".encode()
        self.assert_remembered(line + b"-" * 999 + line + "жжж 1, 2, 3\n".encode("cp1251"), [other])

    def assert_remembered(self, data, more=()):
        places = [
            PlaceForms(PLACE, "/mnt/keel"),
            PlaceForms(f"{PLACE} 2", "/mnt/keel", beside=Beside(longer=["Cloches d'été & co 2"])),
        ]
        places += [PlaceForms("/mnt/keel/Sounds", "/mnt/keel", alone=True), *more]

        def counted():
            return Counter((hit.place, hit.form, hit.encoding) for hit in found() for _time in range(hit.times))

        def found():
            return sorted(find(data, places, BESIDE))

        with patch.object(finder, "counted_once", each_by_itself):
            wanted, numbers = found(), counted()
        for time in ("the first time", "the second time"):
            with patch.object(mention, "MOST_SPOTS", len(data)):
                self.assertEqual(found(), wanted, time)
        for most, shapes in ((2, 32), (4096, 32), (4096, 1)):
            with patch.object(mention, "MOST_SPOTS", 1), patch.multiple(finder, MOST_LINES=most, MOST_SHAPES=shapes):
                self.assertEqual(counted(), numbers, (most, shapes))

    @given(st.binary(max_size=200), st.binary(max_size=200))
    def test_no_bytes_around_it_upset_the_search(self, before, after):
        self.assertEqual(hits(before + b"\n" + PLACE.encode() + b"\n" + after), 1)
