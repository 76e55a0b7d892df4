"""Record what the program does, and compare it with what it did: for changes that are to change nothing.

    python -m tests.recorder keep FILE       # before
    python -m tests.recorder compare FILE    # after; 1 when anything differs, and where

Each history is a few commands in a world that is made anew at the same path.  Kept of each command are its exit status
and its document; of each history, what lies on the drives and what the records of its trips say was done.
"""

import json
import os
import re
import shutil
import sqlite3
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import closing
from pathlib import Path
from unittest.mock import patch

import saltcart
from tests.carrying.machines import DECKS_MAP, TwoMachines
from tests.hauling.cases import ArchiveCase
from tests.mending.cases import MendCase
from tests.world import PLAYER_MAP, WorldCase, cells, tree, wav

TOP = Path(tempfile.gettempdir()) / "saltcart-recorded"
WAYS = {"move": (), "copy": ("--copy",), "signpost": ("--signpost",), "keep": ("--signpost", "--keep-entries")}
ENDS = {
    "undo": (("undo", "--drop-copies", "--yes"),),
    "release": (("check",), ("release", "--own", "--yes"), ("check",)),
}
PASSING = re.compile(
    r"(^free_.*|^freed_bytes|^files_\w+|disk_bytes|^search|_seconds|_at|_per_second|^at|^capacity|^time|^trip|^id)$"
)
RATE = re.compile(r" in [\d.]+ s \([\d.]+ .B/s\)")
WHAT_WAS_DONE = "SELECT what, done FROM deed ORDER BY plan, number"
HOUSE = str(Path(saltcart.__file__).parent)
TRIP = re.compile(
    r"(?<=[Tt]rip )[a-z0-9]{4}\b|(?<=trips/)[a-z0-9]{4}\b"
    r"|(?<=saltcart-)[a-z0-9]{4}\b|(?<=set-aside-)[a-z0-9]{4}\b"
)
NEXT = re.compile(r"\b(saltcart (?:\w+) )[a-z0-9]{4}\b")
MOMENT = re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d\S*")


class Folder(WorldCase):
    """The usual job; subclasses choose another kind of shelf."""

    more: tuple[str, ...] = ()

    def setUp(self) -> None:
        super().setUp()
        self.furnish()

    def words(self) -> list[str]:
        return ["move", *self.plan_words(*self.more, *self.searched(), "--yes")]

    def searched(self: WorldCase) -> list[str]:
        """What this machine has besides is not searched."""
        return ["--no-search", "/opt", "/srv", "/usr/local/share"]


class Part(Folder):
    more = ("--exclude", "high", "low/C1.wav")


class Chosen(Folder):
    def words(self) -> list[str]:
        chosen = self.keel / "chosen.m3u8"
        chosen.write_text(f"{self.shelf}/low/C1.wav\n{self.shelf}/high/it's & all.wav\n")
        return ["move", "--from-list", str(chosen), *self.plan_words(*self.searched(), "--yes")[1:]]


class Gathered(Folder):
    more = ("--gather", "--set-aside-gathered")

    def furnish(self) -> None:
        super().furnish()
        wav(self.keel / "Elsewhere" / "stray.wav", 20)
        with open(self.shelf / "inside.m3u8", "a") as stream:
            stream.write("../../Elsewhere/stray.wav\n")


class Archive(ArchiveCase):
    def words(self) -> list[str]:
        return ["move", str(self.pack("zip")), "--to", str(self.lighter / "Packs"), *Folder.searched(self), "--yes"]


class Split(Folder):
    more = ("--arrange", "{kind}/{name}")


class Mend(MendCase):
    def words(self) -> list[str]:
        self.shelf.rename(self.lighter / "Bells")
        ledgers = [str(path) for path in (self.full, self.near, self.library)]
        return ["mend", "--in", str(self.lighter), "--ledger", *ledgers, "--map", str(PLAYER_MAP), "--yes"]


class Carry(TwoMachines):
    def be(self, name: str) -> None:
        """Sit at the machine of one of them."""
        self.environment |= {"HOME": str(self.homes[name]), "SALTCART_HOME": str(self.top / "data" / name)}

    def words(self) -> list[str]:
        lists = str(self.homes["ann"] / "Playlists" / "full.m3u8")
        where = ["--ledger", self.library, lists, "--map", str(PLAYER_MAP), "--map", str(DECKS_MAP)]
        return ["carry", str(self.music), "--to", str(self.booth), *where, "--no-search", "--yes"]


KINDS = {"folder": Folder, "part": Part, "chosen": Chosen, "gathered": Gathered, "archive": Archive, "arranged": Split}


def histories() -> Iterator[str]:
    """The name of each history."""
    for kind in KINDS:
        for way in ("move",) if kind == "archive" else WAYS:
            if kind != "arranged" or way in ("move", "copy"):
                yield from (f"{kind} {way} {end}" for end in ENDS)
    yield from ("mend undo", "carry", "carry again", "settle", "settle here", "settle back", "settle in-place")


def steps(name: str, world: WorldCase) -> Iterator[list[str]]:
    """The commands of one history, and what happens between them."""
    kind, *rest = name.split()
    if kind in KINDS:
        yield [*world.words(), *WAYS[rest[0]]]  # type: ignore[attr-defined]
        yield from map(list, ENDS[rest[1]])
    elif kind == "mend":
        yield world.words()  # type: ignore[attr-defined]
        yield ["undo", "--yes"]
    elif isinstance(world, Carry):
        world.be("ann")
        yield world.words()
        yield from journeys(name, world)


def journeys(name: str, world: Carry) -> Iterator[list[str]]:
    """What follows on a first `carry`."""
    if name == "carry again":
        wav(world.music / "new.wav", 70)
        world.sql(world.library, "UPDATE tracks SET plays = 40 WHERE id = 1")
        yield world.words()
    elif name == "settle back":
        wav(world.booth / "Music" / "new.wav", 70)
        world.sql(world.booth / "Ledgers" / "library.db", "UPDATE tracks SET plays = 40 WHERE id = 1")
        yield ["settle", str(world.booth), "--back", "--yes"]
    elif name.startswith("settle"):
        world.be("bo")
        yield ["settle", str(world.booth), *(f"--{word}" for word in name.split()[1:]), "--yes"]
        yield ["undo", "--yes", "--drop-copies"]


def plain(value: object, key: str = "") -> object:
    """A document without what differs from run to run."""
    if isinstance(value, dict):
        return {name: plain(some, name) for name, some in value.items()}
    if isinstance(value, list):
        return [plain(some) for some in value]
    if PASSING.search(key):
        return "…"
    if isinstance(value, str):
        return RATE.sub("", MOMENT.sub("…", NEXT.sub(r"\1…", TRIP.sub("…", value.replace(HOUSE, "…")))))
    return value


def deeds(top: Path) -> list[object]:
    """What the records say was done, in order."""
    found: list[object] = []
    for path in sorted(top.glob("**/trips/*/logbook.sqlite"), key=lambda path: path.stat().st_ctime_ns):
        with closing(sqlite3.connect(path)) as database:
            found.append([[json.loads(what), done] for what, done in database.execute(WHAT_WAS_DONE)])
            found.append([event for (event,) in database.execute("SELECT what FROM event ORDER BY rowid")])
    return found


def things(top: Path) -> dict[str, object]:
    """What lies on the drives; a database by its cells."""
    found: dict[str, object] = {}
    for name, what in tree(top, "home/", "data/", "carried.toml", ".saltcart-histories/", ".zip").items():
        path = top / os.fsdecode(name)
        database = path.suffix == ".db" and path.is_file() and not path.is_symlink()
        found[TRIP.sub("…", os.fsdecode(name))] = repr(cells(path)) if database else os.fsdecode(what) if what else what
    return dict(sorted(found.items()))


def play(name: str) -> object:
    """One history, recorded."""
    top = TOP / name.replace(" ", "-")
    shutil.rmtree(top, ignore_errors=True)
    top.mkdir(parents=True)
    kind = {"mend": Mend, **KINDS}.get(name.split()[0], Carry)
    world, documents = kind("run_program"), []
    with patch("tempfile.mkdtemp", return_value=str(top)):
        world.setUp()
    for words in steps(name, world):
        done = world.run_program(*words, "--json", status=None)
        documents.append([words, done.returncode, json.loads(done.stdout or "null")])
    return plain(json.loads(json.dumps([documents, deeds(top), things(top)])))


def differences(old: object, new: object, where: str = "") -> Iterator[str]:
    """Where two recordings differ."""
    if isinstance(old, dict) and isinstance(new, dict):
        for key in {**old, **new}:
            yield from differences(old.get(key, "(nothing)"), new.get(key, "(nothing)"), f"{where}/{key}")
    elif isinstance(old, list) and isinstance(new, list) and len(old) == len(new):
        for number, (one, other) in enumerate(zip(old, new, strict=True)):
            yield from differences(one, other, f"{where}/{number}")
    elif old != new:
        yield f"{where}\n  - {old}\n  + {new}"


def main(action: str, file: str) -> int:
    """Keep or compare; the exit status."""
    with ProcessPoolExecutor() as pool:
        names = list(histories())
        recorded = dict(zip(names, pool.map(play, names), strict=True))
    if action == "keep":
        Path(file).write_text(json.dumps(recorded, ensure_ascii=True, indent=1))
        return 0
    found = list(differences(json.loads(Path(file).read_text()), recorded))
    print(*found, f"{len(names)} histories, {len(found)} differences", sep="\n")
    return int(bool(found))


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:]))
