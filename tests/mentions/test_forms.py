"""A folder is found in bytes in whatever form programs write it, and nothing else is taken for it."""

import base64
import json
import os
import re
import unittest
from urllib.parse import quote
from xml.sax.saxutils import escape

from hypothesis import given
from hypothesis import strategies as st

from saltcart.mentions.finder import find
from saltcart.mentions.place_forms import PlaceForms

PLACE, BESIDE = "/mnt/keel/Sounds/Cloches d'été & co", "/mnt/keel/lists"
TAIL = "/low/C1.wav"
FORMS = {
    "as it is": f"path={PLACE}{TAIL}\n".encode(),
    "its end": PLACE.encode(),
    "quoted": f'"{PLACE}"'.encode(),
    "decomposed": f"x={PLACE}{TAIL}".replace("é", "e\u0301").encode(),
    "8-bit": f"x={PLACE}{TAIL}".encode("cp1252"),
    "UTF-16": f"x={PLACE}{TAIL}".encode("utf-16-le"),
    "UTF-16, the other order": f"x={PLACE}{TAIL}".encode("utf-16-be"),
    "a URI": b"file://" + quote(PLACE + TAIL).encode(),
    "a URI with its host": b"file://localhost" + quote(PLACE + TAIL).encode(),
    "a URI in small letters": b"file://" + re.sub("%..", lambda one: one[0].lower(), quote(PLACE + TAIL)).encode(),
    "every sign percent-encoded": "".join(f"%{byte:02X}" for byte in (PLACE + TAIL).encode()).encode(),
    "JSON": json.dumps(PLACE + TAIL).encode(),
    "JSON with escaped slashes": json.dumps(PLACE + TAIL).replace("/", "\\/").encode(),
    "XML": f'<file at="{escape(PLACE + TAIL)}"/>'.encode(),
    "XML with numbers": "".join(
        f"&#{ord(sign)};" if ord(sign) > 126 or sign in "&'" else sign for sign in PLACE
    ).encode(),
    "backslashes": PLACE.replace("/", "\\").encode() + b"\\low",
    "a drive letter": f"S:\\{PLACE[10:]}\\low".replace("/", "\\").encode(),
    "from the drive": f'"/{PLACE[10:]}{TAIL}"'.encode(),
    "from the file's folder": f"../{PLACE[10:]}{TAIL}".encode(),
    "its length before it": b"\0\0\0" + bytes([len(PLACE.encode())]) + PLACE.encode() + b"\0",
    "a length that looks like a letter": b"\1\0pathA" + PLACE.encode() + b"\0",
    "two slashes": f"x={PLACE[:9]}/{PLACE[9:]}{TAIL}".encode(),
    "a folder's name for itself": f"x={PLACE[:9]}/./{PLACE[10:]}{TAIL}".encode(),
    "a detour": f"x={PLACE[:9]}/Old/../{PLACE[10:]}{TAIL}".encode(),
    "a detour in a URI": b"file:///mnt/keel/Old/%2e%2E/" + quote(PLACE[10:] + TAIL).encode(),
    "for a shell": b"play " + re.sub("([ '&])", r"\\\1", PLACE).encode() + b"/x",
    "bytes in figures": "".join(f"\\x{byte:02x}" if byte > 126 else chr(byte) for byte in PLACE.encode()).encode(),
    "JSON in JSON": json.dumps({"state": json.dumps({"file": PLACE + TAIL})}).encode(),
    "a URI in JSON in JSON": json.dumps(json.dumps("file://" + quote(PLACE + TAIL))).replace("/", "\\/").encode(),
    "Base64": base64.b64encode(f"<{PLACE}{TAIL}>".encode()),
    "Base64 one byte on": base64.b64encode(f"=<{PLACE}{TAIL}>".encode()),
    "UTF-32": f"x={PLACE}{TAIL}".encode("utf-32-le"),
    "UTF-32, the other order": f"x={PLACE}{TAIL}".encode("utf-32-be"),
    "a blank after it": f"open {PLACE} My bells\n".encode(),
    "a word after it": f"player --dir {PLACE} --loud --out /tmp/x\n".encode(),
    "a control sign after it": f"dir\2{PLACE}\1next\0\0".encode(),
    "a letter that nobody declared": f"Q:\\{PLACE[10:]}\\low".replace("/", "\\").encode(),
    "a letter and a folder above": f"Q:\\Music\\{PLACE[10:]}\\low".replace("/", "\\").encode(),
    "through a variable": f"$BELLS/{os.path.basename(PLACE)}{TAIL}".encode(),
    "through a second mount": f"/srv/again/{PLACE[10:]}{TAIL}".encode(),
    "a long UTF-16 text": b"\1\2" + PLACE.encode("utf-16-le") + b"\0\0",
}
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


def hits(data, folder=BESIDE, new=None):
    """How often the place is found."""
    others = [f"$BELLS/{os.path.basename(PLACE)}", f"/srv/again/{PLACE[10:]}"]
    longer = [f"{os.path.basename(PLACE)} Extra"]
    forms = PlaceForms(PLACE, "/mnt/keel", ["S:/" + PLACE[10:]], others=others, longer=longer)
    if new:
        forms.pass_over(PlaceForms(new, "/mnt/lighter"))
    return len(list(find(data, [forms], folder)))


class Forms(unittest.TestCase):
    def test_each_form_is_found_once(self):
        for name, data in FORMS.items():
            with self.subTest(name):
                self.assertEqual(hits(data), 1, data)
                self.assertEqual(hits(b"one\n" + data + b"\nand\n" + data), 2, "in a text, twice")

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

    @given(st.binary(max_size=200), st.binary(max_size=200))
    def test_no_bytes_around_it_upset_the_search(self, before, after):
        self.assertEqual(hits(before + b"\n" + PLACE.encode() + b"\n" + after), 1)
