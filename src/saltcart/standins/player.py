"""A stand-in for a music player with a library: an SQLite database of its own making, and playlists.

python -m saltcart.standins.player LIBRARY play-all
python -m saltcart.standins.player LIBRARY play TITLE
python -m saltcart.standins.player LIBRARY rate TITLE STARS
python -m saltcart.standins.player - play-list LIST...
"""

import os
import sqlite3
import sys
from collections.abc import Iterable, Iterator
from contextlib import closing
from pathlib import Path
from urllib.parse import quote, unquote

from saltcart.standins.sound import plays, report

SCHEMA = """
CREATE TABLE folders (id INTEGER PRIMARY KEY, path TEXT NOT NULL);
CREATE TABLE tracks (
    id INTEGER PRIMARY KEY, place TEXT NOT NULL UNIQUE, title TEXT NOT NULL, artist TEXT, seconds REAL,
    rating INTEGER, plays INTEGER NOT NULL DEFAULT 0, last_played TEXT, first_seen_at TEXT);
CREATE TABLE lists (id INTEGER PRIMARY KEY, name TEXT NOT NULL);
CREATE TABLE list_tracks (list INTEGER, position INTEGER, track INTEGER, PRIMARY KEY (list, position)) WITHOUT ROWID;
CREATE INDEX tracks_by_title ON tracks (title);
"""


def create(library: str) -> None:
    """A new, empty library."""
    with closing(sqlite3.connect(library)) as database:
        database.executescript(SCHEMA)


def add_folder(library: str, path: str) -> None:
    """Tell the library to watch a folder."""
    with closing(sqlite3.connect(library)) as database, database:
        database.execute("INSERT INTO folders (path) VALUES (?)", (path,))


def add_tracks(library: str, rows: Iterable[tuple[str, str, str, float, int, int, str | None]]) -> None:
    """Add tracks: path, title, artist, seconds, rating, plays, last played."""
    with closing(sqlite3.connect(library)) as database, database:
        database.executemany(
            "INSERT INTO tracks (place, title, artist, seconds, rating, plays, last_played, first_seen_at) VALUES (?,"
            " ?, ?, ?, ?, ?, ?, ?)",
            ((place_of(path), *rest, path) for path, *rest in rows),
        )


def add_list(library: str, name: str, tracks: Iterable[int]) -> None:
    """Add a playlist of track numbers."""
    with closing(sqlite3.connect(library)) as database, database:
        number = database.execute("INSERT INTO lists (name) VALUES (?)", (name,)).lastrowid
        database.executemany(
            "INSERT INTO list_tracks VALUES (?, ?, ?)", ((number, at, track) for at, track in enumerate(tracks))
        )


def place_of(path: str) -> str:
    """A path as the library keeps it: a URI, with a slash before the letter of a drive."""
    path = path.replace("\\", "/") if os.sep == "\\" else path
    return "file://" + quote(f"/{path}" if path[1:3] == ":/" else path, safe="/!$&'()*+,;=:@~")


def file_of(place: str) -> str:
    """The path that a place in the library means."""
    path = unquote(place.removeprefix("file://"), errors="surrogateescape")
    return path[1:] if os.sep == "\\" and path[2:4] == ":/" else path


def play_all(library: str) -> Iterator[tuple[str, str | None]]:
    """Every track and watched folder of the library, and why it does not play."""
    with closing(sqlite3.connect(library)) as database:
        tracks = database.execute("SELECT place FROM tracks ORDER BY id").fetchall()
        folders = database.execute("SELECT path FROM folders ORDER BY id").fetchall()
    for (place,) in tracks:
        yield file_of(place), plays(file_of(place))
    for (path,) in folders:
        yield path, None if Path(path).is_dir() else "not found"


def play(library: str, title: str) -> str | None:
    """Play one track and count it, as a player does; why it does not play."""
    with closing(sqlite3.connect(library)) as database, database:
        number, place = database.execute("SELECT id, place FROM tracks WHERE title = ?", (title,)).fetchone()
        why = plays(file_of(place))
        if why is None:
            database.execute(
                "UPDATE tracks SET plays = plays + 1, last_played = '2026-11-22T23:10:00Z' WHERE id = ?", (number,)
            )
    return why


def rate(library: str, title: str, stars: int) -> None:
    """Give a track stars, from 0 to 5."""
    with closing(sqlite3.connect(library)) as database, database:
        database.execute("UPDATE tracks SET rating = ? WHERE title = ?", (stars, title))


def play_list(path: str) -> Iterator[tuple[str, str | None]]:
    """Every track of a playlist file, and why it does not play."""
    raw = Path(path).read_bytes().removeprefix(b"\xef\xbb\xbf")
    try:
        text = raw.decode("utf-8")
    except UnicodeDecodeError:
        text = raw.decode("cp1252")
    for line in text.splitlines():
        if line.strip() and not line.startswith("#"):
            track = file_of(line) if line.startswith("file:") else str(Path(path).parent / line)
            yield track, plays(track)


def main(words: list[str]) -> int:
    """The stand-in's own command line."""
    library, verb, *rest = words
    if verb == "play-all":
        return report("player", play_all(library))
    if verb == "play":
        return report("player", [(title, play(library, title)) for title in rest])
    if verb == "rate":
        rate(library, rest[0], int(rest[1]))
        return 0
    return report("player, playlists", (row for path in rest for row in play_list(path)))


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
