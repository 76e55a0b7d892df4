"""How well lost sounds are found again: made-up worlds of each kind of loss, and how many links `mend` sets right,
wrong, and leaves though it could know.

    python -m bench.mend_worlds [SOUNDS [WORLD ...]]

Each world is judged by what its ledgers say afterwards, from a playlist (titles and lengths) and from a database (sizes
too), under `--yes` and under `--yes --by-name`.
"""

import json
import os
import random
import sqlite3
import struct
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing
from pathlib import Path
from typing import Any, NamedTuple

from bench.timing import COMPILED, PROGRAM

MAP = """name = "crates"
container = "sqlite"
[[entries]]
table = "crates"
column = "place"
spelling = "native"
title = "title"
artist = "artist"
length = "seconds"
size = "bytes"
"""
RATE = 8000
WORDS = [
    "amber",
    "anchor",
    "beacon",
    "bell",
    "bow",
    "brass",
    "brine",
    "buoy",
    "cable",
    "cape",
    "coil",
    "current",
    "deck",
    "drift",
    "ebb",
    "fog",
    "foil",
    "gale",
]


class Sound(NamedTuple):
    """One sound that a ledger names: where it was, where it is now (None: nowhere), and what is said of it."""

    old: str
    new: str | None
    title: str
    artist: str
    seconds: float
    size: int


def wave(frames: int, samples: bytes, title: str) -> bytes:
    """A WAV file, with title and artist in its RIFF INFO."""
    form = b"fmt " + struct.pack("<IHHIIHH", 16, 1, 1, RATE, 2 * RATE, 2, 16)
    body = form + b"data" + struct.pack("<I", 2 * frames) + samples
    if title:
        texts = [
            (name, text.encode() + bytes(2 - len(text) % 2)) for name, text in ((b"INAM", title), (b"IART", "Petrel"))
        ]
        info = b"INFO" + b"".join(name + struct.pack("<I", len(text)) + text for name, text in texts)
        body += b"LIST" + struct.pack("<I", len(info)) + info
    return b"RIFF" + struct.pack("<I", 4 + len(body)) + b"WAVE" + body


class World:
    """A folder with what is there now, and what the ledgers name."""

    def __init__(self, top: Path, count: int, tagged: bool):
        self.tagged = tagged  # whether the sounds say what they are
        self.top, self.count, self.random = top, count, random.Random(7)
        self.sounds: list[Sound] = []
        self.old, self.place = top / "keel" / "Sounds", top / "lighter"

    def write(self, path: Path, frames: int, title: str = "", part: float = 1.0) -> int:
        """A WAV file of so many frames; only the first part of it is there when it was half copied.  Its whole size."""
        path.parent.mkdir(parents=True, exist_ok=True)
        data = wave(frames, self.random.randbytes(2 * frames), title)
        path.write_bytes(data[: int(len(data) * part)])
        return len(data)

    def name(self, number: int) -> str:
        """A name of two words and a number."""
        return f"{WORDS[number % 17]} {WORDS[number // 17 % 17]} {number:03d}"

    def add(self, old: Path, new: Path | None, frames: int, now: int | None = None) -> None:
        """A sound of so many frames that lay at `old`; at `new` lies one of `now` frames, the same by default."""
        title = old.stem.title()
        text = title if self.tagged else ""
        if new is not None:
            self.write(new, frames if now is None else now, text)
        same = new is not None and now in (None, frames)
        size = len(wave(frames, bytes(2 * frames), text))
        self.sounds.append(Sound(str(old), str(new) if same else None, title, "Petrel", frames / RATE, size))

    def frames(self) -> int:
        """The length of a recording, of which hardly another has the same."""
        return self.random.randrange(900, 60_000)


def dragged(world: World) -> None:
    """The whole folder lies elsewhere."""
    for number in range(world.count):
        tail = f"Pack {number % 9}/{world.name(number)}.wav"
        world.add(world.old / tail, world.place / "Sounds" / tail, world.frames())


def regrouped(world: World) -> None:
    """By pack before, by kind now."""
    for number in range(world.count):
        name = f"{world.name(number)}.wav"
        world.add(world.old / f"Pack {number % 9}" / name, world.place / f"Kind {number % 7}" / name, world.frames())


def renamed(world: World) -> None:
    """Each name got a number before it and lost its blanks."""
    for number in range(world.count):
        name = world.name(number)
        new = world.place / "Sounds" / f"Pack {number % 9}" / f"{number:04d}_{name.replace(' ', '-')}.wav"
        world.add(world.old / f"Pack {number % 9}" / f"{name}.wav", new, world.frames())


def template_packs(world: World) -> None:
    """Vol 1 is gone; Vol 2 of the same maker has the same names, all cut to one of two lengths."""
    for number in range(world.count):
        name, frames = f"{world.name(number)}.wav", (8000, 16000)[number % 2]
        world.add(world.old / "Loops Vol 1" / name, None, frames)
        world.write(world.place / "Sounds" / "Loops Vol 2" / name, frames)


def nested_volumes(world: World) -> None:
    """As before, with folders of the same names in each volume, and eight lengths."""
    for number in range(world.count):
        name, frames = f"Drums/Kit {number % 5}/{world.name(number)}.wav", 4000 * (1 + number % 8)
        world.add(world.old / "Loops I" / name, None, frames)
        world.write(world.place / "Sounds" / "Loops II" / name, frames)


def alike_pack(world: World) -> None:
    """A pack is gone; another one, of another name, has the same names and four lengths."""
    for number in range(world.count):
        name, frames = f"{world.name(number)}.wav", 4000 * (1 + number % 4)
        world.add(world.old / "Tide Loops" / name, None, frames)
        world.write(world.place / "Sounds" / "Harbour Loops" / name, frames)


def older_version(world: World) -> None:
    """An older edition of the library lies elsewhere: the same names, a part of them recorded anew."""
    for number in range(world.count):
        name, frames = f"Part {number % 9}/{world.name(number)}.wav", world.frames()
        now = frames if number % 5 else world.frames()
        world.add(world.old / "Library 2" / name, world.place / "Library 1" / name, frames, now)


def stale_backup(world: World) -> None:
    """All moved; an old backup has the same names, of which a part was recorded anew since."""
    for number in range(world.count):
        name, frames = f"Pack {number % 9}/{world.name(number)}.wav", world.frames()
        world.add(world.old / name, world.place / "Sounds" / name, frames)
        world.write(world.place / "Backup" / "Sounds" / name, frames if number % 3 else world.frames())


def half_copied(world: World) -> None:
    """The copying was cut off: a half lies beside each whole one that somebody copied again elsewhere."""
    for number in range(world.count):
        name, frames = f"Pack {number % 9}/{world.name(number)}.wav", world.frames()
        world.add(world.old / name, world.place / "Again" / name, frames)
        world.write(world.place / "Sounds" / name, frames, part=0.5)


def only_halves(world: World) -> None:
    """Only halves are there."""
    for number in range(world.count):
        name, frames = f"Pack {number % 9}/{world.name(number)}.wav", world.frames()
        world.add(world.old / name, None, frames)
        world.write(world.place / "Sounds" / name, frames, part=0.5)


def strangers(world: World) -> None:
    """All is gone; elsewhere lie other sounds, each as large as one of these by chance."""
    for number in range(world.count):
        frames = world.frames()
        world.add(world.old / f"Pack {number}" / f"{world.name(number)}.wav", None, frames)
        world.write(world.place / f"Folder {number % 50}" / f"stranger {number}.wav", frames)


def twins(world: World) -> None:
    """Each was converted to another kind of file; the others are nowhere."""
    for number in range(world.count):
        name, frames = f"Pack {number % 9}/{world.name(number)}", world.frames()
        world.add(world.old / f"{name}.flac", None, frames)
        world.write(world.place / "Sounds" / f"{name}.wav", frames)


def shifted(world: World) -> None:
    """Albums whose numbering shifted by one: the name of each track is that of its neighbour now."""
    lengths = [world.frames() for _number in range(world.count)]
    for number in range(world.count):
        album, track = divmod(number, 10)
        old = world.old / f"Album {album}" / f"Track {track:02d}.wav"
        new = world.place / "Sounds" / f"Album {album}" / f"Track {(track + 1) % 10:02d}.wav"
        world.add(old, new, lengths[number])


def other_user(world: World) -> None:
    """From the home of another user, as it was on another computer."""
    for number in range(world.count):
        tail = f"Music/Pack {number % 9}/{world.name(number)}.wav"
        world.add(Path("/home/ann-who-was") / tail, world.top / "user" / tail, world.frames())


def partly_offline(world: World) -> None:
    """A half moved; the other half was deleted."""
    for number in range(world.count):
        tail = f"Pack {number % 9}/{world.name(number)}.wav"
        world.add(world.old / tail, world.place / "Sounds" / tail if number % 9 < 5 else None, world.frames())


WORLDS: tuple[Callable[[World], None], ...] = (
    dragged, regrouped, renamed, template_packs, nested_volumes, alike_pack, older_version, stale_backup, half_copied,
    only_halves, strangers, twins, shifted, other_user, partly_offline,
)  # fmt: skip
COLUMNS: tuple[tuple[str, Sequence[str]], ...] = (
    ("list", ()), ("list", ["--by-name"]), ("tagged", ()), ("tagged", ["--by-name"]), ("database", ()),
    ("database", ["--by-name"]), ("undescribed", ()), ("undescribed", ["--by-name"]),
)  # fmt: skip
BASES = ("database", "undescribed")


def ledger(world: World, kind: str) -> Path:
    """The list or database of all that was."""
    path = world.top / "user" / ".config" / "crates" / ("crates.db" if kind in BASES else "all.m3u8")
    path.parent.mkdir(parents=True, exist_ok=True)
    if kind not in BASES:
        lines = [f"#EXTINF:{round(one.seconds)},{one.artist} - {one.title}\n{one.old}\n" for one in world.sounds]
        path.write_text("#EXTM3U\n" + "".join(lines))
        return path
    with closing(sqlite3.connect(path)) as made:
        made.execute(
            "CREATE TABLE crates (id INTEGER PRIMARY KEY, place TEXT, title TEXT, artist TEXT, seconds REAL, bytes INT)"
        )
        rows = [(one.old, one.title, one.artist, one.seconds, one.size) for one in world.sounds]
        made.executemany("INSERT INTO crates (place, title, artist, seconds, bytes) VALUES (?, ?, ?, ?, ?)", rows)
        made.commit()
    return path


def named(path: Path) -> list[str]:
    """What a ledger names, in order."""
    if path.suffix == ".m3u8":
        return [line for line in path.read_text().splitlines() if line and line[0] != "#"]
    with closing(sqlite3.connect(path)) as made:
        return [place for (place,) in made.execute("SELECT place FROM crates ORDER BY id")]


def started(words: Sequence[str], environment: dict[str, str]) -> "subprocess.CompletedProcess[str]":
    """Run the program to its end."""
    return subprocess.run(
        [PROGRAM, *words], env={**os.environ, **COMPILED, **environment}, capture_output=True, text=True
    )


def judged(
    make: Callable[[World], None], kind: str, count: int, more: Sequence[str], run: Callable[..., Any] = started
) -> tuple[int, int, int]:
    """How many links of one world came right, wrong, and were left though the sound is there; `run` runs the program,
    given its words and what its environment has besides.
    """
    with tempfile.TemporaryDirectory(prefix="saltcart-world-") as folder:
        world = World(Path(os.path.realpath(folder)), count, kind == "tagged")
        make(world)
        path = ledger(world, kind)
        (world.top / "map.toml").write_text(MAP)
        home = {"HOME": str(world.top / "user"), "SALTCART_HOME": str(world.top / "data")}
        (world.top / "user").mkdir(exist_ok=True)
        places = [str(place) for place in (world.place, world.top / "user") if place.is_dir() and any(place.iterdir())]
        known = [] if kind == "undescribed" else ["--ledger", str(path), "--map", str(world.top / "map.toml")]
        words = ["mend", "--in", *places, *known, "--yes", *more]
        done = run([*words, "--json"], home)
        if done.returncode not in (0, 1) or not json.loads(done.stdout):
            raise RuntimeError(done.stderr)
        right = wrong = left = 0
        for one, now in zip(world.sounds, named(path), strict=True):
            right += now == one.new
            wrong += now not in (one.new, one.old)
            left += now == one.old and one.new is not None
        return right, wrong, left


def table(count: int, names: list[str]) -> Iterator[str]:
    """A row for each world: right / wrong / left."""
    for make in WORLDS:
        if names and make.__name__ not in names:
            continue
        cells = [" / ".join(map(str, judged(make, kind, count, more))) for kind, more in COLUMNS]
        yield f"| {make.__name__.replace('_', ' ')} | {' | '.join(cells)} |"


if __name__ == "__main__":
    print(
        "| world | list | by name | list, tagged | by name | database | by name | undescribed | by name |\n|"
        + " --- |" * 9
    )
    for row in table(int(sys.argv[1]) if sys.argv[1:] else 500, sys.argv[2:]):
        print(row, flush=True)
