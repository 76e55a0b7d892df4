"""A draft accounts for every mention, and so does a check after the switch: what will not follow is told before."""

import gzip
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
from xml.sax.saxutils import escape, unescape

from saltcart.standins import decks, player, sampler, workstation
from tests.world import WorldCase, build_studio, tree

KIT_MAP = """name = "kit"
container = "ini"
[recognise]
suffix = [".kit"]
"""


def texts_in(text, pattern):
    """What the group of a pattern matches."""
    return re.findall(pattern, text.decode())


def with_lengths(paths):
    """A binary session: each text with its length before it."""
    raws = [str(path).encode("utf-16-le") for path in paths]
    return b"RACK\1\0" + b"".join(struct.pack("<H", len(raw) // 2) + raw + b"\0\7" for raw in raws)


def lengths_read(raw):
    """The texts of such a session."""
    at = 6
    while at < len(raw):
        end = at + 2 + 2 * struct.unpack_from("<H", raw, at)[0]
        yield raw[at + 2 : end].decode("utf-16-le")
        at = end + 2


def packed(paths):
    """A rack of slots."""
    return json.dumps({"slots": [{"file": str(path), "gain": 1} for path in paths]}).encode()


# Made-up files: how some paths are written into each, and how its program would read them.
SHAPES = {
    "rack.json": (packed, lambda raw: [slot["file"] for slot in json.loads(raw)["slots"]]),
    "packed.rack": (
        lambda paths: gzip.compress(packed(paths)),
        lambda raw: [slot["file"] for slot in json.loads(gzip.decompress(raw))["slots"]],
    ),
    "list.plist": (
        lambda paths: plistlib.dumps(
            {"Tracks": {str(at): {"Location": f"file://{quote(str(path))}"} for at, path in enumerate(paths)}}
        ),
        lambda raw: [unquote(one["Location"])[7:] for one in plistlib.loads(raw)["Tracks"].values()],
    ),
    "song.xml": (
        lambda paths: b"<song>%b</song>" % "".join(f'<clip file="{escape(str(path))}"/>' for path in paths).encode(),
        lambda raw: map(unescape, texts_in(raw, 'file="([^"]*)"')),
    ),
    "split.xml": (
        lambda paths: (
            b"<song>%b</song>"
            % "".join(
                f'<c name="{escape(path.name)}"><at dir="{escape(str(path.parent))}"/></c>' for path in paths
            ).encode()
        ),
        lambda raw: [f"{unescape(at)}/{unescape(name)}" for name, at in texts_in(raw, 'name="(.*?)"><at dir="(.*?)"')],
    ),
    "split.json": (
        lambda paths: json.dumps([{"name": path.name, "n": 1, "folder": f"{path.parent}"} for path in paths]).encode(),
        lambda raw: [f"{one['folder']}/{one['name']}" for one in json.loads(raw)],
    ),
    "table.tsv": (
        lambda paths: "".join(["name\tfile\n", *(f"x\t{path}\n" for path in paths)]).encode(),
        lambda raw: texts_in(raw, r"x\t(.*)\n"),
    ),
    "split.csv": (
        lambda paths: "".join(["File,Plays,Folder\n", *(f"{path.name},3,{path.parent}\n" for path in paths)]).encode(),
        lambda raw: [f"{folder}/{name}" for name, folder in texts_in(raw, r"(.*\.wav),3,(.*)\n")],
    ),
    "levels.json": (
        lambda paths: json.dumps({"pads": [f"{path}|0.5|soft" for path in paths]}).encode(),
        lambda raw: [pad.split("|")[0] for pad in json.loads(raw)["pads"]],
    ),
    "store.json": (
        lambda paths: json.dumps({"refs": [f"store:{path}" for path in paths]}).encode(),
        lambda raw: [one.removeprefix("store:") for one in json.loads(raw)["refs"]],
    ),
    "ratings.json": (
        lambda paths: json.dumps({"ratings": {str(path): {"stars": 3} for path in paths}}).encode(),
        lambda raw: json.loads(raw)["ratings"],
    ),
    "quoted.ini": (
        lambda paths: "".join(f'[slot{at}]\nsample = "{path}"\n' for at, path in enumerate(paths)).encode(),
        lambda raw: texts_in(raw, 'sample = "(.*)"'),
    ),
    "patch.txt": (
        lambda paths: "".join(["! a patch\n", *(f'  file "{path}" vol=0.3\n' for path in paths), "end\n"]).encode(),
        lambda raw: texts_in(raw, 'file "(.*)" vol=0.3'),
    ),
    "state.rack": (with_lengths, lengths_read),
}


class Account(WorldCase):
    def setUp(self):
        super().setUp()
        self.furnish()
        shutil.rmtree(self.keel / "lists")
        self.settings = self.top / "user" / ".config" / "pads"
        self.settings.mkdir(parents=True)
        self.sounds = sorted(str(path) for path in self.shelf.rglob("*.wav"))
        self.words = (str(self.shelf), "--to", str(self.lighter / "Sounds"))

    def moved(self):
        """The sounds where they will lie."""
        return [path.replace(str(self.shelf), str(self.new)) for path in self.sounds]

    def kit(self, name="a.kit", pads=16):
        """A kit with numbered pads."""
        path = self.settings / name
        lines = [f"[pad{number}]\nwave={self.sounds[number % 5]}\nlevel=7\n" for number in range(pads)]
        path.write_text("".join(lines))
        return path

    def test_our_own_configuration_follows(self):
        cart = self.top / "cart.toml"
        cart.write_text(
            f'# {self.shelf} is the one\n[[shelf]]\npath = "{self.shelf}"  # {self.shelf}\nname = "Bells"\n'
        )
        report = self.run_json("move", self.shelf, "--to", self.new.parent, "--yes")
        self.assertIn(f'path = "{self.new}"  # {self.shelf}', cart.read_text())
        self.run_program("undo", report["trip"], "--yes")
        self.assertIn(f'path = "{self.shelf}"  # {self.shelf}', cart.read_text())

    def test_what_nobody_described_is_learnt_and_follows(self):
        """Files of every container, none of them known: all of them name the new place after one command."""
        for name, (write, _read) in SHAPES.items():
            (self.settings / name).write_bytes(write([Path(path) for path in self.sounds]))
        with closing(sqlite3.connect(self.settings / "pool.db")) as database, database:
            database.execute("CREATE TABLE sound (id INTEGER PRIMARY KEY, place TEXT, note TEXT)")
            rows = [(path, f"clip:{path}|0.5|x") for path in self.sounds]
            database.executemany("INSERT INTO sound (place, note) VALUES (?, ?)", rows)
        self.kit()
        refused = self.run_program("move", *self.words, "--yes", status=3).stderr
        self.assertIn("state.rack: cannot be changed, 5 left", refused)
        self.assertEqual(len(re.findall(r", \d+ left", refused)), 1, "of all others enough is known")
        done = self.run_json("move", *self.words, "--trust-map", "--yes")
        self.assertEqual((done["check"]["ok"], done["check"]["left"]), (True, []))
        for name, (_write, read) in SHAPES.items():
            with self.subTest(name):
                raw = (self.settings / name).read_bytes()
                self.assertEqual(list(map(str, read(raw))), self.moved(), raw)
        with closing(sqlite3.connect(self.settings / "pool.db")) as database:
            rows = database.execute("SELECT place, note FROM sound ORDER BY id").fetchall()
        self.assertEqual(rows, [(path, f"clip:{path}|0.5|x") for path in self.moved()])
        self.assertEqual((self.settings / "a.kit").read_text().count(str(self.new)), 16)

    def test_a_map_that_reaches_only_some_places_is_found_out(self):
        kit = self.kit()
        places = "".join(f'[[entries]]\nat = "pad{number}/wave"\nspelling = "native"\n' for number in range(6))
        plan = self.top / "kit.toml"
        plan.write_text(KIT_MAP + places)
        draft = ("draft", *self.words, "--ledger", str(kit), "--map", str(plan), "-o", str(self.top / "w.toml"))
        (one,) = [one for one in self.run_json(*draft, status=1)["account"]["mentions"] if one["path"] == str(kit)]
        self.assertEqual((one["standing"], one["count"], one["left"]), ("in part", 16, 10))
        before = tree(self.top, "home", "w.toml")
        refused = self.run_program("move", *draft[1:-2], "--yes", status=3).stderr
        self.assertIn("a.kit: can be updated only in part, 10 left", refused)
        self.assertEqual(tree(self.top, "home", "w.toml"), before)
        done = self.run_json("move", *draft[1:-2], "--yes", "--ignore", str(kit))
        (left,) = done["check"]["left"]
        self.assertEqual((left["standing"], left["count"]), ("left on purpose", 10))
        self.assertEqual(kit.read_text().count(str(self.new)), 6)

    def test_what_cannot_be_read_stops_the_trip_or_is_served_by_a_signpost(self):
        state = self.settings / "state.bin"
        raw = [path.encode() for path in self.sounds]
        state.write_bytes(b"\x7fRACK\0" + b"".join(path.ljust(300, b"\0") for path in raw))
        self.assertIn(
            "state.bin: cannot be read yet, 5 left", self.run_program("move", *self.words, "--yes", status=3).stderr
        )
        self.assertTrue(self.shelf.is_dir())
        done = self.run_program("move", *self.words, "--yes", "--signpost")
        self.assertIn("kept working by the signpost", done.stdout)
        self.assertTrue(all(os.path.exists(path) for path in raw))

    def test_what_a_program_adds_later_is_seen(self):
        kit = self.kit()
        trip = self.run_json("move", *self.words, "--yes")["trip"]
        self.assertIn("Everything that worked before works now", self.run_program("check", trip).stdout)
        note = self.settings / "late.cfg"
        note.write_text(f"kit={self.sounds[0]}\n")
        said = self.run_program("check", trip, status=1).stdout
        self.assertIn("1 entry still points to the old place in 1 file", said)
        self.assertNotIn("Everything that worked before works now", said)
        self.assertIn("late.cfg", self.run_program("release", trip, "--yes", "--own", status=3).stderr)
        note.unlink()
        self.run_program("release", trip, "--yes", "--own")
        self.assertTrue(kit.read_text().count(str(self.new)), 16)

    def test_a_label_is_no_path(self):
        """A title that happens to be the shelf's name, in a file where it would resolve: only the path follows."""
        pack = self.keel / "Sounds" / "packs.json"
        pack.write_text(json.dumps([{"name": "Bell Tones", "file": "Bell Tones/low/C1.wav"}]))
        self.run_program("move", *self.words, "--yes")
        (row,) = json.loads(pack.read_text())
        self.assertEqual((row["name"], row["file"]), ("Bell Tones", "../../lighter/Sounds/Bell Tones/low/C1.wav"))

    def test_places_and_files_that_are_not_there_are_refused_or_told(self):
        for words in (("--search", "nowhere"), ("--ignore", "nothing.cfg")):
            self.assertIn(
                f"{words[1]} is not there", self.run_program("move", *self.words, *words, "--yes", status=3).stderr
            )
        single = self.top / "é elsewhere.cfg"
        single.write_text(f"kit={self.sounds[0]}\n")
        (self.top / "cart.toml").write_text('places = ["unplugged"]\n')
        said = self.run_program("draft", *self.words, "-o", "w.toml", status=1).stdout
        self.assertIn("Not searched, because it is not there: unplugged", said)
        self.run_program("move", *self.words, "--search", str(single), "--yes")
        self.assertEqual(single.read_text(), f"kit={self.moved()[0]}\n")

    def test_histories_may_stay_and_are_no_alarm(self):
        (self.settings / "pads.out").write_text(
            "".join(f"2026-11-0{day} 22:10:0{day} opened {self.sounds[0]}\n" for day in range(1, 5))
        )
        done = self.run_json("move", *self.words, "--yes")
        self.assertEqual({one["standing"] for one in done["check"]["left"]}, {"history"})
        (self.settings / "old times.cfg").write_text(f"kit={self.sounds[0]}\n")
        self.run_program("check", done["trip"], status=1)  # a name is no proof of a history

    def test_what_a_draft_did_not_search_the_check_does(self):
        self.kit()
        said = self.run_program("move", *self.words, "--yes", "--no-search", status=1).stdout
        self.assertIn("16 entries still point to the old place in 1 file", said)
        self.assertNotIn("Everything that worked before works now", said)
        self.run_program("release", "--yes", "--own", status=3)

    def test_a_zip_and_what_is_broken_never_end_the_search(self):
        with zipfile.ZipFile(self.settings / "bundle.rack", "w") as archive:
            archive.writestr("inner/preset.cfg", f"w={self.sounds[0]}\n")
        (self.settings / "broken.gz").write_bytes(b"\x1f\x8b\x08" + bytes(20))
        (self.settings / "broken.zip").write_bytes(b"PK\3\4" + bytes(20))
        (self.settings / "broken.db").write_bytes(b"SQLite format 3\0" + bytes(100))
        locked = bytearray((self.settings / "bundle.rack").read_bytes())
        for header in (locked.index(b"PK\3\4") + 6, locked.index(b"PK\1\2") + 8):
            locked[header] |= 1  # says that a member is encrypted
        (self.settings / "locked.zip").write_bytes(locked)
        os.mkfifo(self.settings / "pipe")
        account = self.run_json("draft", *self.words, "-o", str(self.top / "w.toml"), status=1)["account"]
        self.assertEqual(
            {Path(one["path"]).name: one["standing"] for one in account["mentions"]},
            {"inside.m3u8": "in full", "bundle.rack": "not read"},
        )
        self.assertEqual(
            {Path(one["path"]).name: one["why"] for one in account["not_searched"]},
            dict.fromkeys(("broken.gz", "broken.zip", "broken.db", "locked.zip"), "could not be read"),
        )


class Demo(WorldCase):
    def test_the_studio_moves_without_a_map_or_a_list_of_its_ledgers(self):
        place = self.top / "petrel"
        build_studio(place)
        shutil.rmtree(place / "maps")
        (place / "cart.toml").unlink()
        for number, shelf in enumerate(("Sounds/Bell Tones", "Sounds/Fog Voices", "Music/Collection")):
            words = ("move", f"keel/{shelf}", "--to", "lighter/Sounds", "--yes", *(["--signpost"] if number else []))
            self.run_program(*words, cwd=place)
        rows = [
            *player.play_all(str(place / "keel/player/library.db")),
            *decks.play_all(str(place / "lighter/Sounds/Collection/portable.decks")),
            *workstation.play_all(str(place / "keel/workstation")),
            *sampler.play_all(str(place / "keel/sampler/sampler.ini")),
        ]
        self.assertEqual([os.path.basename(path) for path, why in rows if why], ["07 Lost at Sea.flac"])
