"""A path is found however a program encodes it: in Base64 or figures, packed before that, or letter by letter."""

import base64
import gzip
import json
import plistlib
import sqlite3
import tempfile
import unittest
import zlib
from contextlib import closing
from pathlib import Path
from unittest import mock

from saltcart.mentions.content import mentions_in
from saltcart.mentions.packed import TooMuch
from saltcart.mentions.place_forms import PlaceForms
from saltcart.system import os

HOME = "/mnt/keel"
PLACE = f"{HOME}/Sounds/Cloches d'été"
PATHS = [f"{PLACE}/C{number}.wav" for number in range(1, 4)]
PLIST = plistlib.dumps({"paths": PATHS}, fmt=plistlib.FMT_BINARY)


def coded(raw):
    """Bytes in Base64."""
    return base64.b64encode(raw).decode()


TEXTS = {
    "Base64": "\n".join(f"f{n}={coded(path.encode())}" for n, path in enumerate(PATHS)),
    "Base64 of UTF-16": "".join(f"<f>{coded(path.encode('utf-16-le'))}</f>" for path in PATHS),
    "Base64 of zlib": json.dumps([coded(zlib.compress(path.encode())) for path in PATHS]),
    "Base64 for addresses": json.dumps(
        [base64.urlsafe_b64encode(zlib.compress(one.encode())).decode() for one in PATHS]
    ),
    "Base64 of gzip": json.dumps({"state": [coded(gzip.compress(path.encode(), mtime=1)) for path in PATHS]}),
    "data of a property list": plistlib.dumps({"marks": [PLIST]}).decode(),
    "figures": "\n".join(f"f{n}={path.encode().hex()}" for n, path in enumerate(PATHS)),
    "capital figures": "\n".join(f"f{n}={path.encode().hex().upper()}" for n, path in enumerate(PATHS)),
    "numbers of letters": "\n".join('- "' + path.replace("é", "\\xe9") + '"' for path in PATHS),
    "octal bytes": "\n".join(path.replace("é", "\\303\\251").replace(" ", "\\040") + " none bind" for path in PATHS),
    "from the top, without a slash": "\n".join(f"file={path[1:]}" for path in PATHS),
    "from home": "\n".join(f"file={path.removeprefix(HOME)[1:]}" for path in PATHS),
}
CELLS = {
    "Base64": lambda path: coded(path.encode()),
    "Base64 of zlib": lambda path: coded(zlib.compress(path.encode())),
    "figures": lambda path: path.encode().hex(),
    "zlib": lambda path: zlib.compress(path.encode()),
    "zlib with its length before it": lambda path: len(path).to_bytes(4, "big") + zlib.compress(path.encode()),
    "gzip": lambda path: gzip.compress(json.dumps({"path": path}).encode()),
}
OTHERS = {
    "other Base64": coded(zlib.compress(b"/mnt/keel/Sounds/Other/C1.wav")),
    "damaged gzip": coded(gzip.compress(PATHS[0].encode())[:30] + bytes(40)),
    "damaged": "<data>\n\t!!!\n</data> eJwAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA",
    "below something else": f"x/{PATHS[0][1:]}\nfile=Old{PATHS[0]}",
}


class Encoded(unittest.TestCase):
    def setUp(self):
        self.top = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ, {"HOME": HOME}))
        self.forms = [PlaceForms(PLACE, "/")]

    def count(self):
        """How often the file names the place."""
        return mentions_in(str(self.top / "file"), self.forms).count

    def test_in_a_text(self):
        for kind, text in TEXTS.items():
            with self.subTest(kind):
                (self.top / "file").write_text(text)
                self.assertEqual(self.count(), 3)

    def test_in_a_database(self):
        for kind, cell in CELLS.items():
            with self.subTest(kind), closing(sqlite3.connect(self.top / "file")) as database:
                database.executescript("DROP TABLE IF EXISTS slot; CREATE TABLE slot (state)")
                database.executemany("INSERT INTO slot VALUES (?)", [(cell(path),) for path in PATHS])
                database.commit()
                self.assertEqual(self.count(), 3)

    def test_what_only_looks_like_it(self):
        for kind, text in OTHERS.items():
            with self.subTest(kind):
                (self.top / "file").write_text(text)
                self.assertEqual(self.count(), 0)

    def test_what_goes_on_behind_a_piece_is_no_part_that_is_known(self):
        self.enterContext(mock.patch("saltcart.mentions.content.FIRST", 1 << 14))
        self.enterContext(mock.patch("saltcart.mentions.content.BLOCK", 1 << 14))
        (self.top / "file").write_text("eJx" + "A" * (1 << 16))
        with self.assertRaises(TooMuch):
            self.count()
