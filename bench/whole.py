"""The figures of whole commands: a studio of many shelves moves, is checked, and comes back.

    python -m bench.whole [FROM TO [SHELVES]]

FROM and TO are folders on two drives (the system's temporary folder and /dev/shm by default).  Processor time of each
command, against what the operating system's own commands take for the same: copying, flushing, reading back, `sed` on
two texts, and an UPDATE.  What else is on this machine is not searched.
"""

import os
import shutil
import sqlite3
import struct
import subprocess
import sys
import tempfile
from contextlib import closing
from pathlib import Path
from urllib.parse import quote
from xml.sax.saxutils import escape

from bench.timing import COMPILED, PROGRAM, Run, show

SHELVES, FILES, SIZE, ENTRIES = 20, 30_000, 33_000, 100_000
MEMORY = 300_000_000
PLACES = """
import sys
from saltcart.cart import Cart
from saltcart.mentions.search_places import search_places
folders, news = sys.argv[1:-1], [sys.argv[-1] + "/Sounds"]
print(*search_places(folders, Cart(), (), (), news), sep="\\0", end="")
"""
MAP = 'name = "bench"\ncontainer = "sqlite"\n[[entries]]\ntable = "tracks"\ncolumn = "place"\nspelling = "native"\n'


def spent(words: list[str] | str, environment: dict[str, str]) -> Run:
    """Processor time of a command and all it starts, and the largest memory of one of them.  RuntimeError when it
    fails.
    """
    quiet = subprocess.DEVNULL
    child = subprocess.Popen(
        words, shell=isinstance(words, str), stdin=quiet, stdout=quiet, env={**os.environ, **COMPILED, **environment}
    )
    _pid, status, usage = os.wait4(child.pid, 0)
    child.returncode = os.waitstatus_to_exitcode(status)
    if child.returncode:
        raise RuntimeError(f"{words} ended with {child.returncode}")
    return Run(usage.ru_utime + usage.ru_stime, usage.ru_maxrss * (1 if sys.platform == "darwin" else 1024))


def name_of(number: int, shelves: int) -> str:
    """Shelf and name of a file; a third with accents."""
    stem = ("Été", "sound", "Glocke")[number % 3]
    return f"Pack {number % shelves} ä/{stem} {number}.wav"


def wave_head(size: int) -> bytes:
    """What stands before that many bytes of sound in a WAV file."""
    form = struct.pack("<IHHIIHH", 16, 1, 1, 44100, 88200, 2, 16)
    return b"RIFF" + struct.pack("<I", 36 + size) + b"WAVEfmt " + form + b"data" + struct.pack("<I", size)


def make(top: Path, shelves: int) -> list[str]:
    """The sounds, and three ledgers of them; the shelves."""
    sounds, lists = top / "Sounds", top / "lists"
    lists.mkdir()
    for number in range(shelves):
        (sounds / f"Pack {number} ä").mkdir(parents=True)
    noise, head = os.urandom(SIZE + FILES), wave_head(SIZE)
    for number in range(FILES):
        (sounds / name_of(number, shelves)).write_bytes(head + noise[number : number + SIZE])
    paths = [f"{sounds}/{name_of(number % FILES, shelves)}" for number in range(ENTRIES)]
    (lists / "all.m3u8").write_text("#EXTM3U\n" + "".join(f"{path}\n" for path in paths))
    tracks = "".join(f"<track><location>file://{escape(quote(path, '/'))}</location></track>\n" for path in paths)
    (lists / "all.xspf").write_text(
        f'<?xml version="1.0"?>\n<playlist version="1" xmlns="http://xspf.org/ns/0/"><trackList>\n{tracks}'
        "</trackList></playlist>"
    )
    with closing(sqlite3.connect(lists / "library.db")) as made:
        made.execute("CREATE TABLE tracks (id INTEGER PRIMARY KEY, place TEXT, plays INT)")
        made.executemany("INSERT INTO tracks (place, plays) VALUES (?, 7)", ((path,) for path in paths))
        made.commit()
    (top / "map.toml").write_text(MAP)
    return sorted(str(path) for path in sounds.iterdir())


def reference(top: Path, to: Path, environment: dict[str, str]) -> Run:
    """What the same takes with the operating system's own commands."""
    old, new = f"{top}/Sounds/", f"{to}/Reference/"
    update = (
        "import sqlite3,shutil,sys; shutil.copyfile(*sys.argv[1:3]); d = sqlite3.connect(sys.argv[2]);"
        " d.execute('UPDATE tracks SET place = replace(place, ?, ?)', sys.argv[3:]); d.commit()"
    )
    lists, other = f"{top}/lists", f"{top}/other"
    os.mkdir(other)
    run = spent(
        f"cp -a '{old}' '{new}' && sync -f '{new}' && find '{new}' -type f -exec cat {{}} + > /dev/null"
        f" && sed 's|{old}|{new}|' '{lists}/all.m3u8' > '{other}/all.m3u8'"
        f" && sed 's|{quote(old)}|{quote(new)}|' '{lists}/all.xspf' > '{other}/all.xspf'"
        f" && '{sys.executable}' -c \"{update}\" '{lists}/library.db' '{other}/library.db' '{old}' '{new}'",
        environment,
    )
    for place in (new, other):  # of which this studio knows nothing
        shutil.rmtree(place)
    return run


def elsewhere(top: Path, to: Path, folders: list[str], environment: dict[str, str]) -> list[str]:
    """The places that a search would go through and that hold nothing of this studio."""
    words = [sys.executable, "-c", PLACES, *folders, str(to)]
    found = subprocess.run(words, capture_output=True, text=True, check=True, env={**os.environ, **environment}).stdout
    studio = (str(top), str(to))
    return [one for one in found.split("\0") if not any(f"{place}/".startswith(f"{one}/") for place in studio)]


def measure(top: Path, to: Path, shelves: int) -> tuple[Run, dict[str, Run]]:
    """The reference, and each command on the same content in so many shelves."""
    folders = make(top, shelves)
    environment = {"HOME": str(top), "SALTCART_HOME": str(top / "data")}
    theirs = reference(top, to, environment)
    words = [*folders, "--to", str(to / "Sounds"), "--map", str(top / "map.toml"), "--yes"]
    others = elsewhere(top, to, folders, environment)
    commands = {
        "move": ["move", *words, "--search", str(top), *(["--no-search", *others] if others else [])],
        "check": ["check"],
        "check --digests": ["check", "--digests"],
        "undo --drop-copies": ["undo", "--drop-copies", "--yes"],
    }
    return theirs, {name: spent([PROGRAM, *command], environment) for name, command in commands.items()}


def main(at: str, to: str, shelves: int) -> int:
    """Measure many shelves and two; 0 when all is as wanted."""
    found: list[tuple[Run, dict[str, Run]]] = []
    for count in (shelves, 2):
        with tempfile.TemporaryDirectory(dir=at) as place, tempfile.TemporaryDirectory(dir=to) as there:
            found.append(measure(Path(os.path.realpath(place)), Path(os.path.realpath(there)), count))
    (theirs, ours), (_same, few) = found
    kept = show("move", ours["move"], theirs, 3, MEMORY)
    kept &= show("check", ours["check"], Run(3, 0), 1, MEMORY)
    kept &= show("undo --drop-copies", ours["undo --drop-copies"], theirs, 1.5, MEMORY)
    for name, run in ours.items():
        kept &= show(f"{name}, {shelves} shelves against 2", run, few[name], 1.3, MEMORY)
    return 0 if kept else 1


if __name__ == "__main__":
    at, to, *number = sys.argv[1:] or (tempfile.gettempdir(), "/dev/shm")
    sys.exit(main(at, to, int(number[0]) if number else SHELVES))
