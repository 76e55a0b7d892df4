"""A law over made-up ledgers of every container: after a move each mention leads to the new place, or it is told."""

import csv
import gzip
import io
import json
import os
import plistlib
import re
import shutil
import sqlite3
import struct
import zipfile
from contextlib import closing
from pathlib import Path
from urllib.parse import quote, unquote
from xml.etree import ElementTree
from xml.sax.saxutils import quoteattr

from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from tests.world import WorldCase, wav

NAMES = ("low/C1.wav", "low/D1 #2.wav", "high/Été 50%.wav", "high/it's & all.wav", "Ünder/Ko\u0308rper; 2.wav")
# How a text holds a path, and the path in such a text; `here` is the folder of its file.
WRAPS = {
    "plain": (lambda path, here: path, lambda text, here: text),
    "uri": (lambda path, here: f"file://{quote(path)}", lambda text, here: unquote(text.removeprefix("file://"))),
    "relative": (lambda path, here: os.path.relpath(path, here), lambda text, here: os.path.join(here, text)),
    "with levels": (lambda path, here: f"{path}|0.5|soft", lambda text, here: text.rsplit("|", 2)[0]),
    "marked": (lambda path, here: f"store:{path}", lambda text, here: text.removeprefix("store:")),
    "called": (lambda path, here: f'play "{path}" once', lambda text, here: text[6:-6]),
    "inner JSON": (lambda path, here: json.dumps({"file": path}), lambda text, here: json.loads(text)["file"]),
}


def database(values):
    """A table of texts."""
    with closing(sqlite3.connect(":memory:")) as made:
        made.execute("CREATE TABLE cue (n INTEGER PRIMARY KEY, what TEXT)")
        made.executemany("INSERT INTO cue (what) VALUES (?)", [(value,) for value in values])
        made.commit()
        return made.serialize()


def rows(raw):
    """The texts of such a table."""
    with closing(sqlite3.connect(":memory:")) as made:
        made.deserialize(raw)
        return [what for (what,) in made.execute("SELECT what FROM cue ORDER BY n")]


def zipped(values):
    """A zip with a member of JSON and another."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("look.txt", "blue\n")
        archive.writestr("state.json", json.dumps({"v": 1, "refs": values}))
    return out.getvalue()


def table(values):
    """CSV with a header."""
    out = io.StringIO()
    csv.writer(out).writerows([["Title", "Where"], *(("x", value) for value in values)])
    return out.getvalue().encode()


def counted(values):
    """Texts with their length before them."""
    raws = [value.encode() for value in values]
    return b"SET\0\1" + b"".join(struct.pack(">I", len(raw)) + raw + b"\0\7" for raw in raws)


def counted_texts(raw):
    """The texts of such a file."""
    at = 5
    while at < len(raw):
        (length,) = struct.unpack_from(">I", raw, at)
        yield raw[at + 4 : at + 4 + length].decode()
        at += length + 6


# How a file holds texts, and the texts in such a file.
FILES = {
    "a.json": (lambda texts: json.dumps({"refs": texts}).encode(), lambda raw: json.loads(raw)["refs"]),
    "b.json": (lambda texts: json.dumps({text: 1 for text in texts}, ensure_ascii=False).encode(), json.loads),
    "a.xml": (
        lambda texts: "".join(["<s>", *(f"<c at={quoteattr(text)}/>" for text in texts), "</s>"]).encode(),
        lambda raw: [one.get("at") for one in ElementTree.fromstring(raw)],
    ),
    "b.xml": (
        lambda texts: "".join(["<s>", *(f"<c><![CDATA[{text}]]></c>" for text in texts), "</s>"]).encode(),
        lambda raw: [one.text for one in ElementTree.fromstring(raw)],
    ),
    "a.ini": (
        lambda texts: "".join(f"[p{at}]\nw={text}\n" for at, text in enumerate(texts)).encode(),
        lambda raw: re.findall("(?m)^w=(.*)$", raw.decode()),
    ),
    "a.lines": (lambda texts: "".join(f"{text}\n" for text in texts).encode(), lambda raw: raw.decode().splitlines()),
    "wide.lines": (
        lambda texts: "".join(f"w={text}\r\n" for text in texts).encode("utf-16"),
        lambda raw: re.findall("w=([^\r\n]*)", raw.decode("utf-16")),
    ),
    "a.csv": (table, lambda raw: [row[1] for row in csv.reader(io.StringIO(raw.decode()))][1:]),
    "a.plist": (lambda texts: plistlib.dumps({"T": texts}), lambda raw: plistlib.loads(raw)["T"]),
    "b.plist": (
        lambda texts: plistlib.dumps({"T": texts}, fmt=plistlib.FMT_BINARY),
        lambda raw: plistlib.loads(raw)["T"],
    ),
    "a.gz": (lambda texts: gzip.compress(json.dumps(texts).encode()), lambda raw: json.loads(gzip.decompress(raw))),
    "a.rack": (zipped, lambda raw: json.loads(zipfile.ZipFile(io.BytesIO(raw)).read("state.json"))["refs"]),
    "a.db": (database, rows),
    "a.set": (counted, counted_texts),
    "a.bin": (
        lambda texts: b"\1\2\0" + b"".join(text.encode().ljust(400, b"\0") for text in texts),
        lambda raw: [raw[at : at + 400].rstrip(b"\0").decode() for at in range(3, len(raw), 400)],
    ),
}
LEDGERS = st.dictionaries(st.sampled_from(sorted(FILES)), st.sampled_from(sorted(WRAPS)), min_size=8, max_size=15)


class Law(WorldCase):
    # Not made smaller: each try is a whole move.
    @settings(
        max_examples=int(os.environ.get("SALTCART_EXAMPLES", "4")),
        deadline=None,
        suppress_health_check=list(HealthCheck),
        derandomize=True,
        database=None,
        phases=[Phase.generate],
    )
    @given(LEDGERS, st.permutations(NAMES), st.booleans())
    def test_after_a_move_each_mention_leads_to_the_new_place_or_is_told(self, ledgers, names, other):
        for top in (self.keel, self.lighter, self.top / "user", self.top / "home"):
            shutil.rmtree(top, ignore_errors=True)
        (self.top / "w.toml").unlink(missing_ok=True)
        for drive in ("keel", "lighter"):
            self.drive(drive)
        for number, name in enumerate(NAMES):
            wav(self.shelf / name, number)
        wav(self.keel / "other.wav", 9)
        here = self.top / "user" / ".config" / "desk"
        here.mkdir(parents=True)
        paths = [str(self.shelf / name) for name in names] + [str(self.keel / "other.wav")] * other
        for name, wrap in ledgers.items():
            texts = [WRAPS[wrap][0](path, str(here)) for path in paths]
            (here / name).write_bytes(FILES[name][0](texts))
        words = (str(self.shelf), "--to", str(self.lighter / "Sounds"))
        drafted = self.run_json("draft", *words, "-o", str(self.top / "w.toml"), status=None)["account"]["mentions"]
        standings = {Path(one["path"]).name: one["standing"] for one in drafted}
        self.assertEqual(standings.keys(), ledgers.keys(), "each file is found")
        left = [str(here / name) for name, standing in standings.items() if standing != "in full"]
        leave = ["--ignore", *left] if left else []
        done = self.run_program("move", *words, *leave, "--yes", status=None)
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        for name, wrap in ledgers.items():
            texts = list(FILES[name][1]((here / name).read_bytes()))
            found = [os.path.normpath(WRAPS[wrap][1](text, str(here))) for text in texts]
            moved = [path.replace(str(self.shelf), str(self.new)) for path in paths]
            if standings[name] == "in full":
                self.assertEqual(found, moved, f"{name}, {wrap}")
            else:  # what is not understood whole keeps its other texts, each old or new
                pairs = zip(found, paths, moved, strict=True)
                self.assertTrue(all(one in pair for one, *pair in pairs), f"{name}, {wrap}: {found}")
