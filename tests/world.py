"""A small world to test in: two simulated drives, a shelf, ledgers of each kind, and the real program."""

import atexit
import hashlib
import json
import os
import random
import shutil
import sqlite3
import sys
import tempfile
import unittest
from contextlib import closing
from functools import lru_cache, partial
from pathlib import Path
from typing import ClassVar

import soundfile

from saltcart.demo import studio, tones
from saltcart.standins import player
from tests.advice import printed, understood
from tests.launcher import launch

PROGRAM = os.path.join(os.path.dirname(sys.executable), "saltcart")
ROOT = hasattr(os, "geteuid") and os.geteuid() == 0  # who may mount, and give files away
WORDS = [PROGRAM] if os.name == "posix" else [sys.executable, "-m", "saltcart"]
SOUNDS = Path(tempfile.gettempdir(), f"saltcart-sounds-{os.getpid()}")  # of the process that others are forked from
atexit.register(shutil.rmtree, SOUNDS, ignore_errors=True)
PLAYER_MAP = Path(player.__file__).parents[1] / "demo" / "maps" / "player.toml"


def noise(path, frames, seed=0, rate=44100):
    """Write a real sound file of so many frames of hiss; another seed, another sound."""
    Path(path).parent.mkdir(parents=True, exist_ok=True)
    kind = "FLAC" if str(path).endswith(".flac") else "WAV"  # of whatever other name
    with open(path, "w+b") as raw, soundfile.SoundFile(raw, "w", rate, 1, "PCM_16", format=kind) as stream:
        stream.buffer_write(random.Random(seed).randbytes(2 * frames), "int16")


def wav(path, seed=0):
    """Write a short real WAV file; another seed, another sound."""
    noise(path, 400 + seed, seed)


def tree(top, *ignored):
    """Every name below `top` with what it is: digest of a file, target of a link, None for a folder."""
    found = {}
    for folder, folders, files in os.walk(os.fsencode(top)):
        for name in folders + files:
            path = os.path.join(folder, name)
            key = os.path.relpath(path, os.fsencode(top))
            if any(word.encode() in key for word in ignored):
                continue
            if os.path.islink(path):
                found[key] = os.readlink(path)
            else:
                found[key] = (
                    hashlib.sha256(Path(os.fsdecode(path)).read_bytes()).hexdigest() if os.path.isfile(path) else None
                )
    return found


def cells(path):
    """Every row of every table of a database."""
    with closing(sqlite3.connect(path)) as database:
        database.text_factory = lambda raw: raw.decode("utf-8", "surrogateescape")
        names = [name for (name,) in database.execute("SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY 1")]
        return {name: sorted(database.execute(f'SELECT * FROM "{name}"'), key=repr) for name in names}


class WorldCase(unittest.TestCase):
    """A fresh world for each test: `self.keel`, `self.lighter`, and `self.run_program`."""

    folder = None
    kinds: ClassVar[dict[str, str]] = {}  # file systems that drives say they have

    def setUp(self):
        self.top = Path(tempfile.mkdtemp(prefix="saltcart-test-", dir=self.folder)).resolve()
        self.addCleanup(shutil.rmtree, self.top, ignore_errors=True)
        self.environment = {
            **os.environ,
            "SALTCART_HOME": str(self.top / "home"),
            "HOME": str(self.top / "user"),
            "COLUMNS": "120",
        }
        for name in ("XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_MUSIC_DIR"):
            self.environment.pop(name, None)
        self.keel, self.lighter = self.drive("keel"), self.drive("lighter")
        self.shelf = self.keel / "Sounds" / "Bell Tones"
        self.new = self.lighter / "Sounds" / "Bell Tones"

    def drive(self, name, capacity=50_000_000):
        """A folder that stands for a drive."""
        mount = self.top / name
        mount.mkdir()
        (mount / ".saltcart-drive.toml").write_text(
            f'name = "{name}"\nidentity = "test-{name}"\ncapacity_bytes = {capacity}\n' + self.kind_line(name)
        )
        return mount

    def kind_line(self, name):
        """What the marker of a drive says of its file system."""
        return f'filesystem = "{self.kinds[name]}"\n' if name in self.kinds else ""

    def furnish(self):
        """Fill the shelf, and write ledgers that name it in every manner; the ledgers given by hand."""
        for number, name in enumerate(
            ["low/C1.wav", "low/D1 #2.wav", "high/Été 50%.wav", "high/it's & all.wav", "Ünder/Ko\u0308rper.wav"]
        ):
            wav(self.shelf / name, number)
        wav(self.keel / "Sounds" / "Bell Tones Extra" / "spare.wav", 9)
        (self.shelf / "empty").mkdir()
        os.utime(self.shelf / "low" / "C1.wav", ns=(10**18 + 123456789, 10**18 + 123456789))
        os.chmod(self.shelf / "low" / "C1.wav", 0o640)
        inside = f"#EXTM3U\nlow/C1.wav\n{self.shelf}/high/Été 50%.wav\n../Bell Tones Extra/spare.wav\n"
        (self.shelf / "inside.m3u8").write_text(inside)
        lists = self.keel / "lists"
        lists.mkdir()
        full = (
            f"\ufeff#EXTM3U\r\n#EXTINF:1,x\r\n{self.shelf}/low/C1.wav\r\n{self.shelf}"
            f" Extra/spare.wav\r\n{self.shelf}/gone.wav\r\n"
        )
        (lists / "full.m3u8").write_bytes(full.encode())
        (lists / "near.m3u8").write_text(
            "../Sounds/Bell Tones/low/D1 #2.wav\n./../Sounds/../Sounds/Bell Tones/low/C1.wav\nhttp://radio.example/x\n"
        )
        (lists / "old.m3u").write_bytes(f"{self.shelf}/high/Été 50%.wav\r\n".encode("cp1252"))
        library = lists / "library.db"
        player.create(str(library))
        player.add_folder(str(library), str(self.shelf) + "/")
        names = sorted(str(path) for path in self.shelf.rglob("*.wav"))
        player.add_tracks(
            str(library),
            [(path, f"t{number}", "a", 1.0, number, number * 3, None) for number, path in enumerate(names)],
        )
        self.library = str(library)
        self.ledgers = [str(lists / "full.m3u8"), str(lists / "near.m3u8"), str(lists / "old.m3u"), self.library]

    def plan_words(self, *more):
        """The words of the usual job after `move` or `draft`."""
        return [
            str(self.shelf),
            "--to",
            str(self.lighter / "Sounds"),
            "--ledger",
            *self.ledgers,
            "--map",
            str(PLAYER_MAP),
            *more,
        ]

    def run_program(self, *words, status=0, cwd=None):
        """Run the installed program; its exit status must be `status` (None: any) and it must not show a traceback."""
        done = launch(
            [*WORDS, *(os.fsdecode(os.fsencode(str(word))) for word in words)], self.environment, str(cwd or self.top)
        )
        if status is not None:
            self.assertEqual(done.returncode, status, done.stdout + done.stderr)
        self.assertNotIn("Traceback", done.stderr)
        for command in printed(done.stdout + done.stderr) if "--json" not in words else ():
            understood(command)
        return done

    def run_json(self, *words, status=0, cwd=None):
        """Run the program with --json; the one document."""
        return json.loads(self.run_program(*words, "--json", status=status, cwd=cwd).stdout)

    def assert_all_play(self, missing=()):
        """The player stand-in finds everything its library names, but for `missing` names."""
        lost = [os.path.basename(path) for path, why in player.play_all(self.library) if why]
        self.assertEqual(sorted(lost), sorted(missing))


@lru_cache(maxsize=1)
def remembering_tones():
    """Let each of the demo's sounds be reckoned and encoded once for all processes of a run: a studio is built for
    many tests.
    """
    for name in ("bell", "horn", "track"):
        setattr(tones, name, partial(partial, getattr(tones, name)))  # reckoned when it is written
    write = tones.write

    def remembered(path, reckon, depth=16):
        said = reckon.func.__name__, reckon.args, reckon.keywords, os.path.splitext(path)[1], depth
        kept = SOUNDS / hashlib.sha256(repr(said).encode()).hexdigest()
        if not kept.exists():
            write(path, reckon(), depth)
            SOUNDS.mkdir(exist_ok=True)
            shutil.copyfile(path, f"{kept}.{os.getpid()}")
            os.replace(f"{kept}.{os.getpid()}", kept)
        shutil.copyfile(kept, path)

    tones.write = remembered


def build_studio(place):
    """The demo's studio in the new folder `place`."""
    remembering_tones()
    studio.build(str(place))
