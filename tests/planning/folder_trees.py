"""Libraries whose folders stand in a tree, and the stand-in that plays them."""

import sqlite3
from contextlib import closing
from pathlib import Path

from tests.world import WorldCase, wav

SOUNDS = ("low/C1.wav", "low/D1.wav", "high/Été 50%.wav", "鐘.wav")


def tree(path, folder, names=SOUNDS, split=False, more=""):
    """A library whose folders stand in a tree; names and suffixes in separate columns when `split`."""
    with closing(sqlite3.connect(path)) as made:
        made.executescript(
            "CREATE TABLE folder (id INTEGER PRIMARY KEY, inside INT, title TEXT);"
            f"CREATE TABLE sound (folder INT, title TEXT, kind TEXT, plays INT); {more}"
        )
        known: dict[str, int] = {}

        def number(place):
            if str(place) not in known:
                above = number(place.parent) if place.name else None
                known[str(place)] = made.execute(
                    "INSERT INTO folder (inside, title) VALUES (?, ?)", (above, place.name or "/")
                ).lastrowid
            return known[str(place)]

        for name in names:
            place = Path(folder, name)
            title, kind = (place.stem, place.suffix) if split else (place.name, None)
            made.execute("INSERT INTO sound VALUES (?, ?, ?, 5)", (number(place.parent), title, kind))
        made.commit()


def played(path):
    """The stand-in of that library's program: how many sounds it finds."""
    with closing(sqlite3.connect(path)) as made:
        rows = made.execute("SELECT folder, title FROM sound").fetchall()
        folders = {one: (above, title) for one, above, title in made.execute("SELECT * FROM folder")}

    def place(one):
        above, title = folders[one]
        return place(above) / title if above else Path(title)

    return sum((place(folder) / title).is_file() for folder, title in rows)


class TreeCase(WorldCase):
    """A shelf of those sounds, and a folder of programs."""

    def setUp(self):
        super().setUp()
        self.shelf = self.keel / "Sounds" / "Bell Tones Été"
        for at, name in enumerate(SOUNDS):
            wav(self.shelf / name, 400 + at)
        self.programs = self.top / "user" / "programs"
        self.programs.mkdir(parents=True)
