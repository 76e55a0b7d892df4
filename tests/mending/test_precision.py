"""A made-up world of sounds (20,000 with SALTCART_PACKS=400) with twins of name and size: no link is wrong, and nearly
all is found.
"""

import os
import random
import shutil
import sqlite3
import struct
import tempfile
import unittest
from contextlib import closing
from pathlib import Path

from saltcart.cart import Cart
from saltcart.judging.judge import Judge
from saltcart.ledgers.maps import load_map
from saltcart.mending.findings import find
from saltcart.mending.rules import PROVEN

PACKS, IN_PACK = int(os.environ.get("SALTCART_PACKS", "100")), 50
NAMES = [f"{kind} {number:02}.wav" for kind in ("Kick", "Snare", "Hat", "Übung", "Loop") for number in range(10)]
MAP = (
    'name = "t"\ncontainer = "sqlite"\n[[entries]]\ntable = "t"\ncolumn = "path"\nspelling = "native"\nsize = "size"\n'
    'length = "seconds"\n'
)


def sound(path, frames, value):
    """Write a WAV of so many frames of one value."""
    data = struct.pack("<h", value) * frames
    head = struct.pack(
        "<4sI4s4sIHHIIHH4sI",
        b"RIFF",
        36 + len(data),
        b"WAVE",
        b"fmt ",
        16,
        1,
        1,
        8000,
        16000,
        2,
        16,
        b"data",
        len(data),
    )
    os.makedirs(os.path.dirname(path), exist_ok=True)
    Path(path).write_bytes(head + data)


class World:
    """Packs below `old` as a library names them, and what became of each; `truth` has the place of each sound now, None
    where it is gone or nobody can know, `hard` those that are hard to know.
    """

    def __init__(self, top, seed):
        self.top, self.dice = top, random.Random(seed)
        self.truth, self.rows, self.hard = {}, [], set()
        for number in range(PACKS):
            self.pack(number)
        # A kit that is gone, and others that nobody has named: all of one length, and with the same names.
        # In each there is one more, of another length and name: what is likely by names leads no renamed one anywhere.
        for number in range(12):
            name, frames = (f"Été {number}.wav", 2000) if number < 11 else ("Rim.wav", 2700)
            self.rows.append((f"{top}/old/Kits/Kit 1/{name}", 44 + 2 * frames, frames / 8000))
            self.truth[self.rows[-1][0]] = None
            sound(f"{top}/new/Kits/Kit 2/{'Bell.wav' if number == 11 else name}", frames, number)
        # And one whose sounds are of one length too, which was moved as it is.
        for number in range(8):
            self.rows.append((f"{top}/old/Waves/Basic/Saw {number}.wav", 44 + 2 * 600, 600 / 8000))
            self.truth[self.rows[-1][0]] = f"{top}/new/Waves/Basic/Saw {number}.wav"
            sound(f"{top}/new/Waves/Basic/Saw {number}.wav", 600, number)
        with closing(sqlite3.connect(f"{top}/t.db")) as database:
            database.execute("CREATE TABLE t (path TEXT, size INTEGER, seconds REAL)")
            database.executemany("INSERT INTO t VALUES (?, ?, ?)", self.rows)
            database.commit()
        Path(top, "t.toml").write_text(MAP)

    def pack(self, number):
        """One pack: where it went."""
        fate = self.dice.choices(["moved", "renamed", "elsewhere", "gone", "twice", "torn"], [60, 15, 10, 5, 5, 5])[0]
        group = f"Group {number % 7}"
        old = f"{self.top}/old/{group}/Pack {number}"
        new = {
            "moved": f"{self.top}/new/{group}/Pack {number}",
            "torn": f"{self.top}/new/{group}/Pack {number}",
            "twice": f"{self.top}/new/{group}/Pack {number}",
            "renamed": f"{self.top}/new/{group}/Pack {number} (old)",
            "elsewhere": f"{self.top}/new/Sorted/{number % 3}/Pack {number}",
            "gone": None,
        }[fate]
        for at, name in enumerate(NAMES):
            # A third of all sounds have the size of the one of the same name in every pack.
            frames = 200 + at if self.dice.random() < 0.33 else 300 + self.dice.randrange(3000)
            self.place(old, new, name, frames, (number * 53 + at) % 30000, fate)
        if fate == "moved" and number % 20 == 0:  # two of one length, of which one is gone and one was renamed
            for name in ("Twin A.wav", "Twin B.wav"):
                self.rows.append((f"{old}/{name}", 44 + 2 * 4000, 4000 / 8000))
                self.truth[f"{old}/{name}"] = None
            sound(f"{new}/Twin.wav", 4000, number)
            for name in ("Bars A.wav", "Bars B.wav"):  # cut to one length, as is the new one that nobody has named
                self.rows.append((f"{old}/{name}", 44 + 2 * 5000, 5000 / 8000))
                self.truth[f"{old}/{name}"] = None
            self.truth[f"{old}/Bars A.wav"] = f"{new}/Bars A.wav"
            sound(f"{new}/Bars A.wav", 5000, number)
            sound(f"{new}/Bars C.wav", 5000, number + 1)

    def place(self, old, new, name, frames, value, fate):
        """One sound: where it is now."""
        path, size, seconds = f"{old}/{name}", 44 + 2 * frames, frames / 8000
        self.rows.append((path, size, seconds))
        self.truth[path] = None
        if new is None:
            return
        there, luck = f"{new}/{name}", self.dice.random()
        if fate == "torn" and luck < 0.5:
            return
        if luck < 0.02:  # replaced by another sound of that name
            sound(there, frames + 777, value)
        elif luck < 0.05:  # renamed by itself
            there = f"{new}/{name[:-4]} (1).wav"
            sound(there, frames, value)
            self.truth[path] = there
            self.hard.add(path)
        else:
            sound(there, frames, value)
            self.truth[path] = there
            if fate == "twice":
                shutil.copy(there, there.replace("/new/", "/copy/")) if os.path.isdir(
                    os.path.dirname(there.replace("/new/", "/copy/"))
                ) else shutil.copytree(os.path.dirname(there), os.path.dirname(there.replace("/new/", "/copy/")))


class Precision(unittest.TestCase):
    def test_no_wrong_link_and_nearly_all_is_found(self):
        top = tempfile.mkdtemp(prefix="saltcart-test-")
        self.addCleanup(shutil.rmtree, top)
        world = World(top, seed=5)
        places = [f"{top}/{name}" for name in ("new", "copy") if os.path.isdir(f"{top}/{name}")]

        found = find([f"{top}/t.db"], [load_map(f"{top}/t.toml")], Cart(), Judge(headers=False), places)
        links = {path: file for path, (rule, file) in found.mended.items() if rule.sure == PROVEN}
        links |= {one.lost.path: one.chosen for one in found.singles if one.chosen}
        wrong = {
            path: file
            for path, file in links.items()
            if world.truth[path] is None or Path(file).read_bytes() != Path(world.truth[path]).read_bytes()
        }
        self.assertEqual(wrong, {})
        knowable = [path for path, there in world.truth.items() if there and path not in world.hard]
        self.assertGreater(len(world.truth), PACKS * IN_PACK)
        missed = [path for path in knowable if path not in links]
        self.assertLess(len(missed), 0.01 * len(knowable), missed[:10])
        renamed = [path for path in world.hard if path in links]
        self.assertGreater(
            len(renamed), 0.8 * len(world.hard), "of those renamed by themselves most are told by size and length"
        )
