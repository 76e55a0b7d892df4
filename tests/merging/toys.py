"""Copies of a small library in memory, that are changed and brought together in any order."""

import os
import shutil
import sqlite3
from contextlib import closing
from functools import partial

from msgspec import Struct, field
from msgspec.structs import replace

from saltcart.judging.resolver import Resolver
from saltcart.ledgers.maps import Map, load_map
from saltcart.ledgers.sqlite.ledger import SqliteLedger
from saltcart.merging import copies
from saltcart.merging.combine import Combining
from saltcart.merging.forms import Places
from saltcart.merging.history import History, look_at
from saltcart.merging.merged import HERE, THERE, Merged, history_of
from saltcart.merging.rows import NEWEST, SUM, Content, Row
from saltcart.standins import player
from tests.world import PLAYER_MAP

ROLES = {"tracks": {"plays": SUM, "last": NEWEST}}
COLUMNS = ("path", "rating", "plays", "last", "cues")
LARGER = "larger"
ALIKE = {"tracks": ("path",), "lists": ("name",)}


class Track(Struct):
    """One track."""

    path: str
    rating: int | None = None
    plays: int = 0
    last: str | None = None
    cues: str = "[]"


class Library(Struct):
    """One copy: tracks and lists by their numbers here."""

    who: str
    tracks: dict[int, Track] = field(default_factory=dict)
    lists: dict[int, tuple[str, list[int]]] = field(default_factory=dict)
    history: History = field(default_factory=History)

    def content(self) -> Content:
        """Its rows."""
        rows = [
            Row("tracks", (number,), {column: getattr(one, column) for column in COLUMNS})
            for number, one in self.tracks.items()
        ]
        for number, (name, members) in self.lists.items():
            rows.append(Row("lists", (number,), {"name": name}))
            times: dict[int, int] = {}
            for track in members:
                times[track] = times.get(track, 0) + 1
                refs = {"track": ("tracks", (track,))}
                rows.append(Row("members", (number, track, times[track]), {}, refs, within=("lists", (number,))))
        return Content(rows, ROLES, ALIKE)

    def told(self):
        """What a person sees: tracks by their paths, and lists by their names with the paths in them."""
        tracks = {one.path: (one.rating, one.plays, one.last, one.cues) for one in self.tracks.values()}
        lists = {name: [self.tracks[one].path for one in members] for name, members in self.lists.values()}
        return tracks, lists

    def counted(self):
        """How many rows there are of each kind, so that nothing doubled hides behind its name."""
        return len(self.tracks), len(self.lists)


def larger(conflicts) -> dict:
    """The choice of a person who always decides alike, whichever side is here: for the larger."""
    return {(one.uid, one.column): THERE if repr(one.there) > repr(one.here) else HERE for one in conflicts}


def merge(ours: Library, theirs: Library, holds: str = HERE) -> Merged:
    """Bring into one copy what happened in another; what was merged."""
    mine, other = look_at(ours.history, ours.content(), ours.who), look_at(theirs.history, theirs.content(), theirs.who)
    merged = Combining(mine, other, ours.content(), holds=holds).run()
    if holds == LARGER:
        merged = Combining(mine, other, ours.content(), larger(merged.conflicts)).run()
    spots = {merged.aliases.get(uid, uid): row.spot for uid, row in mine.rows.items() if row.within is None}
    for one in merged.rows.values():
        if one.within is None and one.uid not in spots:
            free = max((key for table, (key,) in spots.values() if table == one.table), default=0) + 1
            spots[one.uid] = one.table, (free,)
    number = {uid: key for uid, (_table, (key,)) in spots.items() if uid in merged.rows}
    tracks = {number[one.uid]: one for one in merged.rows.values() if one.table == "tracks"}
    ours.tracks = {key: Track(*map(one.cells.get, COLUMNS)) for key, one in tracks.items()}
    ours.lists = {}
    for one in merged.rows.values():
        if one.table == "lists":
            members = merged.orders.get(one.uid, (b"", []))[1]
            ours.lists[number[one.uid]] = (
                one.cells["name"],
                [number[merged.rows[each].refs["track"]] for each in members],
            )
    ours.history = history_of(merged, ours.content(), {spots[uid]: uid for uid in number})
    return merged


def carry(ours: Library, theirs: Library) -> bool:
    """Let the other copy be this one; False when something happened there that is not known here."""
    mine, other = look_at(ours.history, ours.content(), ours.who), look_at(theirs.history, theirs.content(), theirs.who)
    if not other.history.seen() <= mine.history.seen():
        return False
    ours.history = theirs.history = mine.history
    theirs.tracks = {number: replace(one) for number, one in ours.tracks.items()}
    theirs.lists = {number: (name, list(members)) for number, (name, members) in ours.lists.items()}
    return True


MAP = load_map(str(PLAYER_MAP))
TABLE = "CREATE TABLE tracks (place TEXT{}, title TEXT, rating INT, plays INT, last_played TEXT, cues TEXT)"
KEYLESS = {
    "no key": TABLE.format(""),
    "the path is the key": TABLE.format(" PRIMARY KEY"),
    "nothing else": f"{TABLE.format(' PRIMARY KEY')} WITHOUT ROWID",
}


def made(path: str) -> str:
    """The path of a database, which is not there any more."""
    if os.path.exists(path):
        os.remove(path)
    return path


def keyless(top: str) -> Map:
    """A map of databases whose tracks have no numbers."""
    path = f"{top}/map.toml"
    with open(path, "w", encoding="utf-8") as stream:
        stream.write('name = "k"\ncontainer = "sqlite"\n[[entries]]\ntable = "tracks"\ncolumn = "place"\n')
    return load_map(path)


def written(top: str, one: Library, tables: str = "") -> str:
    """The copy as a database of the player, or with other `tables`, which have no lists; its path."""
    path = made(f"{top}/{one.who}.db")
    if tables:
        with closing(sqlite3.connect(path)) as database, database:
            database.execute(tables)
            database.executemany(
                "INSERT INTO tracks VALUES (?, ?, ?, ?, ?, ?)",
                [(f"/s/{each.path}", *map(partial(getattr, each), COLUMNS)) for each in one.tracks.values()],
            )
        return path
    player.create(path)
    with closing(sqlite3.connect(path)) as database, database:
        database.execute("ALTER TABLE tracks ADD COLUMN cues TEXT")
        for number, track in one.tracks.items():
            row = (number, f"file:///s/{track.path}", track.path, track.rating, track.plays, track.last, track.cues)
            database.execute(
                "INSERT INTO tracks (id, place, title, rating, plays, last_played, cues) VALUES (?, ?, ?, ?, ?, ?, ?)",
                row,
            )
        for number, (name, members) in one.lists.items():
            database.execute("INSERT INTO lists VALUES (?, ?)", (number, name))
            database.executemany(
                "INSERT INTO list_tracks VALUES (?, ?, ?)", [(number, at, track) for at, track in enumerate(members)]
            )
    return path


def read_back(path: str, one: Library, tables: str = "") -> None:
    """Let a copy hold what its database does."""
    with closing(sqlite3.connect(path)) as database:
        if tables:
            rows = database.execute("SELECT title, rating, plays, last_played, cues FROM tracks ORDER BY title")
            one.tracks = {number: Track(*cells) for number, cells in enumerate(rows)}
            return
        rows = database.execute("SELECT id, title, rating, plays, last_played, cues FROM tracks ORDER BY id").fetchall()
        one.tracks = {number: Track(*cells) for number, *cells in rows}
        one.lists = {
            number: (name, [track for (track,) in database.execute(MEMBERS, (number,))])
            for number, name in database.execute("SELECT id, name FROM lists ORDER BY id").fetchall()
        }


MEMBERS = "SELECT track FROM list_tracks WHERE list = ? ORDER BY position"


def meeting_of(
    top: str, home: Library, stick: Library, tables: str = ""
) -> tuple[copies.Meeting, SqliteLedger, SqliteLedger]:
    """Two databases that meet."""
    plan = keyless(top) if tables else MAP
    here, there = (SqliteLedger(written(top, one, tables), plan) for one in (home, stick))
    histories, who = (home.history, stick.history), (home.who, stick.who)
    return copies.meet((here, there), [plan], (PLACES, PLACES), histories, who), here, there


PLACES = Places("/s", Resolver(), str)


def merge_files(top: str, home: Library, stick: Library, tables: str = "") -> int:
    """Bring into one database what happened in another; how many conflicts there were."""
    meeting, here, there = meeting_of(top, home, stick, tables)
    if not meeting.news_there:
        return 0
    target = f"{top}/both.db"
    shutil.copy(here.path, target)
    choices = larger(meeting.merged().conflicts)
    merged, home.history = copies.write(meeting, here, there, target, PLACES, choices)
    read_back(target, home, tables)
    return len(merged.conflicts)


def carry_files(top: str, home: Library, stick: Library, tables: str = "") -> bool:
    """Let the other database be this one; False when something happened there that is not known here."""
    meeting, here, _there = meeting_of(top, home, stick, tables)
    if meeting.news_there:
        return False
    home.history = stick.history = meeting.ours.history
    read_back(here.path, stick, tables)
    return True
