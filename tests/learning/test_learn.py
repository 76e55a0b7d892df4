"""Every stand-in plays after a move, an undo and a move back; every ledger of theirs is learnt without help; traces
are found.
"""

import gzip
import hashlib
import json
import os
import re
import shutil
import sqlite3
from contextlib import closing
from pathlib import Path

import soundfile

from saltcart.standins import decks, player, sampler, workstation
from tests.ledgers.chunk_files import chunk
from tests.world import WorldCase, build_studio, cells, tree

SHELVES = ("keel/Sounds/Bell Tones", "keel/Sounds/Fog Voices", "keel/Music/Collection")
LEDGERS = {
    "keel/player/library.db": "player",
    "keel/Music/Collection/portable.decks": "decks",
    "keel/workstation/night ferry.passage": "sessions",
    "keel/workstation/settings.json": "settings",
    "keel/workstation/index.db": "index",
    "keel/sampler/sampler.ini": "sampler",
}


class Petrel(WorldCase):
    def setUp(self):
        super().setUp()
        self.studio = self.top / "petrel"
        build_studio(self.studio)
        self.environment["HOME"] = str(self.studio)

    def lost(self, collection="keel/Music/Collection"):
        """Everything that any stand-in cannot play."""
        rows = [
            *player.play_all(str(self.studio / "keel/player/library.db")),
            *decks.play_all(str(self.studio / collection / "portable.decks")),
            *workstation.play_all(str(self.studio / "keel/workstation")),
            *sampler.play_all(str(self.studio / "keel/sampler/sampler.ini")),
        ]
        return [os.path.basename(path) for path, why in rows if why]

    def learnt(self, *words, status=0):
        """The one kind that was learnt."""
        (kind,) = self.run_json("learn", *words, cwd=self.studio, status=status)["kinds"]
        return kind

    def test_all_play_after_a_move_an_undo_and_a_move_back(self):
        before, libraries = (
            tree(self.studio / "keel", ".db", "monitor feed", ".saltcart.b3"),
            cells(self.studio / "keel/workstation/index.db"),
        )
        self.assertEqual(self.lost(), ["07 Lost at Sea.flac"])
        words = ("move", *SHELVES, "--to", "lighter/Sounds", "--signpost", "--yes")
        trip = self.run_json(*words, cwd=self.studio)["trip"]
        self.assertEqual(self.lost("lighter/Sounds/Collection"), ["07 Lost at Sea.flac"])
        self.run_program("undo", trip, "--yes", "--drop-copies", cwd=self.studio)
        self.assertEqual(self.lost(), ["07 Lost at Sea.flac"])
        self.assertEqual(tree(self.studio / "keel", ".db", "monitor feed", ".saltcart.b3"), before)
        self.assertEqual(cells(self.studio / "keel/workstation/index.db"), libraries)
        trip = self.run_json(*words[:-2], "--map", "maps/sampler.toml", "--yes", cwd=self.studio)["trip"]
        self.run_program("release", trip, "--yes", "--own", cwd=self.studio)
        for shelf, target in zip(SHELVES, ("keel/Sounds", "keel/Sounds", "keel/Music"), strict=True):
            self.run_program(
                "move",
                f"lighter/Sounds/{os.path.basename(shelf)}",
                "--to",
                target,
                "--yes",
                "--ledger",
                *LEDGERS_OUTSIDE,
                "--map",
                "maps/sampler.toml",
                cwd=self.studio,
            )
        self.assertEqual(self.lost(), ["07 Lost at Sea.flac"])
        after = tree(self.studio / "keel", ".db", "monitor feed", ".saltcart.b3")
        session = b"workstation/night ferry.passage"
        self.assertEqual(
            {name for name in {**after, **before} if after.get(name) != before.get(name)} - {session}, set()
        )

    def test_every_ledger_is_learnt_without_help(self):
        for ledger, name in LEDGERS.items():
            with self.subTest(ledger):
                out = self.top / f"{name}.toml"
                learnt = self.learnt(ledger, "--against", *SHELVES, "-o", str(out))
                by_hand = self.run_json(
                    "ledgers",
                    ledger,
                    "--map",
                    f"maps/{name}.toml",
                    "--cart",
                    str(self.no_cart()),
                    status=None,
                    cwd=self.studio,
                )
                by_map = self.run_json(
                    "ledgers", ledger, "--map", str(out), "--cart", str(self.no_cart()), status=None, cwd=self.studio
                )
                key = lambda one: (one["resolved"], one["verdict"])  # noqa: E731
                listing = [one for one in by_map["listing"] if "first_seen_at" not in one["where"]]
                self.assertEqual(sorted(map(key, listing)), sorted(map(key, by_hand["listing"])))
                (proof,) = learnt["files"]
                self.assertEqual((proof["trouble"], proof["entries"]), (None, len(by_map["listing"])))
        decoy = next(
            one
            for one in self.learnt("keel/player/library.db", "--against", *SHELVES)["lessons"]
            if "first" in one["place"]
        )
        self.assertEqual((decoy["sure"], decoy["resolved"]), (True, 22), "it leads somewhere, so it follows")

    def test_kits_of_chunks_are_learnt(self):
        sounds = sorted(path.resolve() for path in self.studio.joinpath("keel/Sounds").rglob("*.wav"))[:9]
        for encoding, order in (("utf-8", "<"), ("utf-16-be", ">")):
            pads = b"".join(chunk(b"PATH", str(sound).encode(encoding), order) for sound in sounds)
            kit = self.top / f"a.{encoding}"
            kit.write_bytes(chunk(b"RIFF" if order == "<" else b"FORM", b"KITS" + pads, order))
            learnt = self.learnt(str(kit), "--against", "keel/Sounds")
            self.assertEqual((learnt["container"], learnt["files"][0]["entries"]), ("chunks", 9))

    def test_paths_in_two_columns_and_lists_are_learnt(self):
        paths = sorted(path.resolve() for path in self.studio.joinpath("keel/Sounds").rglob("*.wav"))[:30]
        with closing(sqlite3.connect(self.top / "kits.db")) as database, database:
            database.executescript("CREATE TABLE sound (dir TEXT, file TEXT); CREATE TABLE kit (layers TEXT)")
            database.executemany("INSERT INTO sound VALUES (?, ?)", [(str(path.parent), path.name) for path in paths])
            database.executemany(
                "INSERT INTO kit VALUES (?)", [("|".join(map(str, paths[at : at + 3])),) for at in range(0, 30, 3)]
            )
        learnt = self.learnt(str(self.top / "kits.db"), "--against", "keel/Sounds", "-o", str(self.top / "kits.toml"))
        self.assertEqual(
            {one["place"]: (one["sure"], one["resolved"]) for one in learnt["lessons"]},
            dict.fromkeys(["sound.file", "sound.dir", "kit.layers"], (True, 30)),
        )
        listed = self.run_json(
            "ledgers", str(self.top / "kits.db"), "--map", str(self.top / "kits.toml"), cwd=self.studio
        )
        self.assertEqual(
            [os.path.normpath(one["resolved"]) for one in listed["listing"] if one["names"] == "file"],
            [*map(str, paths)] * 2,
        )

    def test_what_stands_beside_the_paths_is_told_by_the_files(self):
        paths = sorted(self.studio.joinpath("keel/Sounds").rglob("*.wav"))[:12]
        for number, path in enumerate(paths):
            soundfile.write(path, [0.0] * (800 + 80 * number), 8000)
        with closing(sqlite3.connect(self.top / "found.db")) as database, database:
            database.execute(
                "CREATE TABLE sound (id INTEGER PRIMARY KEY, place TEXT, ms INTEGER, stars INTEGER, sum TEXT, name"
                " TEXT, bytes INTEGER, play_count INTEGER)"
            )
            rows = [
                (
                    str(path),
                    100 + 10 * number,
                    1,
                    hashlib.sha256(path.read_bytes()).hexdigest(),
                    path.stem,
                    path.stat().st_size,
                    5,
                )
                for number, path in enumerate(paths)
            ]
            database.executemany(
                "INSERT INTO sound (place, ms, stars, sum, name, bytes, play_count) VALUES (?, ?, ?, ?, ?, ?, ?)", rows
            )
        learnt = self.learnt(str(self.top / "found.db"), "--against", "keel/Sounds", "-o", str(self.top / "found.toml"))
        beside = {one["fact"]: (one["column"], one["sure"]) for one in learnt["lessons"][0]["beside"]}
        self.assertEqual(
            beside,
            {
                "length": ("ms", True),
                "digest": ("sum", True),
                "title": ("name", True),
                "size": ("bytes", True),
                "plays": ("play_count", False),
                "rating": ("stars", False),
            },
        )
        known = self.run_json(
            "ledgers", str(self.top / "found.db"), "--map", str(self.top / "found.toml"), cwd=self.studio
        )["listing"][3]["known"]
        self.assertEqual(
            known,
            {
                "artist": None,
                "track": None,
                "rating": None,
                "title": rows[3][4],
                "length_seconds": 0.13,
                "size_bytes": rows[3][5],
                "digest": rows[3][3],
                "plays": None,
                "last_played": None,
            },
        )

    def test_an_array_of_sounds_is_json_however_it_is_laid_out(self):
        sounds = [str(self.studio / "keel" / name) for name in ("été 1.wav", "été 2.wav", "a.wav")]
        for path in sounds:
            shutil.copy(next(self.studio.joinpath("keel/Sounds").rglob("*.wav")), path)
        document = [{"id": number, "file": path} for number, path in enumerate(sounds)]
        for text in (json.dumps(document), json.dumps(document, indent=1), json.dumps(sounds, indent="\t")):
            (self.studio / "pads").write_text(text)
            kind = self.learnt("pads", "--against", "keel")
            self.assertEqual((kind["container"], kind["files"][0]["entries"]), ("json", 3), text)

    def test_many_files_of_several_kinds_are_learnt_together_and_kept(self):
        """What any file of a kind shows counts for all; the maps then read a file that nobody has seen before."""
        sounds = sorted(str(path.resolve()) for path in self.studio.joinpath("keel/Sounds").rglob("*.wav"))[:12]
        rigs = self.studio / "keel" / "rigs"
        rigs.mkdir()
        for number, sound in enumerate(sounds[:6]):
            (rigs / f"{number}.kit").write_text(f"[kit]\nname=Fog {number}\n[pad{number}]\nwave={sound}\n")
            (rigs / f"{number}.rig").write_text(json.dumps({"chain": [{"file": sound}] if number else [], "v": 1}))
        (rigs / "note.txt").write_text("nothing is named here\n")
        words = ("learn", "keel/rigs", "--against", "keel/Sounds", "--keep", "--cart", "own/cart.toml")
        (self.studio / "own").mkdir()
        (self.studio / "own" / "cart.toml").write_text("# mine\n")
        kinds = {one["container"]: one for one in self.run_json(*words, cwd=self.studio)["kinds"]}
        self.assertEqual(
            {name: (len(one["files"]), sum(file["entries"] for file in one["files"])) for name, one in kinds.items()},
            {"ini": (6, 6), "json": (5, 5)},
        )
        self.assertIn("pad<number>/wave", kinds["ini"]["map_text"])
        (rigs / "late.kit").write_text(f"[kit]\nname=Late\n[pad77]\nwave={sounds[9]}\n")
        (rigs / "odd name").write_text(f"[pad1]\nwave={sounds[9]}\n")
        seen = self.run_json("survey", "keel/Sounds", "--cart", "own/cart.toml", cwd=self.studio)["ledgers"]
        self.assertEqual([one["entries"]["found"] for one in seen if "/rigs/" in one["path"]], [1] * 11)
        late = self.run_json("ledgers", "keel/rigs/late.kit", "--cart", "own/cart.toml", cwd=self.studio)
        self.assertEqual([one["resolved"] for one in late["listing"]], [sounds[9]])
        one_each = ("--map", kinds["ini"]["map"], "--cart", str(self.no_cart()))
        odd = self.run_json("ledgers", "keel/rigs/odd name", *one_each, cwd=self.studio)
        self.assertEqual([one["resolved"] for one in odd["listing"]], [sounds[9]])
        (rigs / "odd name").unlink()
        said = self.run_program(*words, cwd=self.studio).stdout  # again: nothing is written twice
        self.assertIn("no unknown file", said)
        text = (self.studio / "own" / "cart.toml").read_text()
        self.assertEqual((text[:6], text.count('.kit"'), text.count('.toml"')), ("# mine", 6, 2))
        self.run_program(*words[:-3], "-o", "one.toml", cwd=self.studio, status=3)

    def test_paths_of_another_system_get_the_words_that_make_them_lead_here(self):
        sounds = sorted(self.studio.joinpath("keel/Sounds").rglob("*.wav"))[:5]
        rows = [str(sound.relative_to(self.studio / "keel")).replace("/", "\\") for sound in sounds]
        path = self.top / "deck.tsv"
        path.write_text("".join(["name\tfile\n", *(f"x\tE:\\{row}\n" for row in rows)]))
        words = (str(path), "--against", "keel/Sounds")
        learnt = self.learnt(*words, status=1)
        self.assertEqual(learnt["means"], [f"E:={self.studio / 'keel'}"])
        again = self.learnt(*words, "--drive", learnt["means"][0])
        self.assertEqual(again["files"][0]["entries"], 5)

    def test_a_start_asks_once_and_the_move_after_it_needs_no_other_word(self):
        self.environment["XDG_CONFIG_HOME"] = str(self.top / "config")
        (self.studio / "cart.toml").unlink()
        self.run_program("start", "keel", status=2, cwd=self.studio)  # nobody is there to be asked
        (self.top / "bare").mkdir()
        for words in (("nowhere",), (str(self.top / "bare"),)):
            self.run_program("start", *words, "--yes", status=3, cwd=self.studio)
        self.assertFalse((self.top / "config").exists())
        started = self.run_json("start", "keel", "--yes", cwd=self.studio, status=None)
        self.assertEqual(started["cart"], str(self.top / "config" / "saltcart" / "cart.toml"))
        self.assertEqual(
            sorted(Path(one).suffix for one in started["ledgers"]),
            sorted([".db", ".db", ".decks", ".ini", ".json", ".passage"]),
        )
        seen = self.run_json("survey", "keel", cwd=self.studio, status=None)
        self.assertEqual(seen["undescribed"]["files"], [])
        other = self.studio / "keel" / "desk" / "library.db"  # another kind of the same name
        other.parent.mkdir()
        with closing(sqlite3.connect(other)) as database, database:
            database.execute("CREATE TABLE cue (path TEXT)")
            database.execute(
                "INSERT INTO cue VALUES (?)", (str(next(self.studio.glob("keel/Sounds/Bell Tones/*/*.wav"))),)
            )
        again = self.run_json("start", "keel", "--yes", cwd=self.studio)
        self.assertEqual([Path(one).name for one in again["maps"]], ["library 2.toml"])
        text = Path(started["cart"]).read_text()
        self.assertEqual(len(set(re.findall("identity = .*", text))), text.count("[[drive]]"))
        self.run_program("move", "keel/Sounds/Bell Tones", "--to", "lighter/Sounds", "--yes", cwd=self.studio)
        self.assertEqual(self.lost(), ["07 Lost at Sea.flac"])

    def no_cart(self):
        """A configuration that says nothing."""
        path = self.top / "none.toml"
        path.touch()
        return path

    def test_what_is_no_text_around_the_paths_is_no_part_of_a_map(self):
        """In one column of a database, each path is in a value with bytes that are not UTF-8."""
        path = self.studio / "odd.db"
        sounds = sorted((self.studio / "keel/Sounds/Bell Tones").rglob("*.wav"))[:12]
        with closing(sqlite3.connect(path)) as database, database:
            database.execute("CREATE TABLE takes (id INTEGER PRIMARY KEY, note TEXT)")
            values = ((b"\xff note (" + os.fsencode(str(sound)) + b") \xfe",) for sound in sounds)
            database.executemany("INSERT INTO takes (note) VALUES (CAST(? AS TEXT))", values)
        done = self.run_program("learn", path, "--against", "keel/Sounds", cwd=self.studio, status=None)
        self.assertNotIn("Internal error", done.stdout + done.stderr)
        self.assertIn(done.returncode, (0, 1))

    def test_what_cannot_be_learnt(self):
        for name, data in (
            ("noise.bin", bytes(range(256)) * 20),
            ("words.txt", b"no path here\n" * 9),
            ("bad.gz", b"\x1f\x8bxx"),
            ("tone.wav", (self.studio / "keel/Downloads/fog bank (take 2).wav").read_bytes()),
            ("after.txt", b"\xff\xfe|" + str(self.studio / "keel/Sounds/Bell Tones").encode() + b"\n"),
        ):
            path = self.top / name
            path.write_bytes(data)
            done = self.run_program("learn", str(path), "--against", SHELVES[0], status=None, cwd=self.studio)
            self.assertIn(done.returncode, (1, 3), done.stderr)
        self.run_program("learn", "keel/player/library.db", "--against", "nowhere", status=3, cwd=self.studio)

    def test_traces_of_the_old_place(self):
        place = str(self.studio / SHELVES[0])
        config = self.top / "config"
        config.mkdir()
        (config / "a.cfg").write_text(f"x={place}/y\nz={place} Extra/no\n")
        (config / "b.bin").write_bytes(b"\1\2" + place.encode("utf-16-le") + b"\\\0" + b"\3")
        (config / "c.gz").write_bytes(gzip.compress(place.replace(" ", "%20").encode() + b"/a"))
        (config / "d.json").write_text('"' + place.replace("/", "\\/") + '"')
        (config / "e.m3u8").write_text(f"{place}/low.wav\n")
        (config / "f.txt").write_text(place + " Extra")
        trip = self.run_json("move", SHELVES[0], "--to", "lighter/Sounds", "--yes", cwd=self.studio)["trip"]
        found = {
            os.path.basename(one["path"]): one
            for one in self.run_json("check", trip, "--traces", str(config), cwd=self.studio)["traces"]
        }
        self.assertEqual(
            {name: (one["count"], one["forms"][0], one["ledger"]) for name, one in found.items()},
            {
                "a.cfg": (1, "UTF-8", None),
                "b.bin": (1, "UTF-16", None),
                "c.gz": (1, "percent-encoded", None),
                "d.json": (1, "UTF-8", None),
                "e.m3u8": (1, "UTF-8", "m3u"),
            },
        )
        self.run_program("check", "--ledger", str(config / "e.m3u8"), "--traces", str(config), status=2)
        shutil.rmtree(config)
        self.assertFalse(Path(config).exists())


LEDGERS_OUTSIDE = (
    "keel/player/library.db",
    "keel/lists/saturday night.m3u8",
    "keel/lists/mooring.m3u8",
    "keel/lists/old glasses.m3u",
    "keel/workstation/settings.json",
    "keel/workstation/index.db",
    "keel/workstation/night ferry.passage",
    "keel/sampler/sampler.ini",
)
