"""What a ledger itself says of the sounds it names: how often each was played, and what tells it from others."""

import re
from collections.abc import Hashable, Sequence
from datetime import UTC, datetime
from math import inf, isfinite
from typing import NamedTuple

# The keys of a map that name columns of such facts, in the order of the fields below.
COLUMNS = ("plays", "last_played", "size", "length", "title", "digest", "artist", "rating", "track")
# How columns are called that count plays, that say when, and that rate.
LAST_PLAYED = re.compile(r"(?i)last.*play|play.*(?:last|time|date|at$)")
PLAYS = re.compile(r"(?i)plays|play.*count|count.*play")
RATING = re.compile(r"(?i)rating|rated|stars")
# Unix times from here on count milliseconds: as seconds they would lie beyond the year 5000.
MILLISECONDS = 100_000_000_000


class Facts(NamedTuple):
    """The facts beside one entry; None where its map names no column, or nothing fit is there.

    `path` is where the entry leads.  `counted` says whether its map names a column for plays at
    all, so that none means never.  `last_played` is an ISO 8601 time, or what its program wrote
    if that is another text; `size` counts bytes, `length` seconds; `digest` is in hexadecimal digits,
    `rating` as its program counts, `track` the number on its disc.
    """

    key: Hashable
    path: str
    plays: int | None = None
    last_played: str | None = None
    size: int | None = None
    length: float | None = None
    title: str | None = None
    digest: str | None = None
    artist: str | None = None
    rating: float | None = None
    track: int | None = None
    counted: bool = False


def facts(
    key: Hashable, path: str, cells: Sequence[object], counted: bool = False, milliseconds: bool = False
) -> Facts:
    """The facts in the cells of one row, which are in the order of COLUMNS; lengths may count milliseconds there."""
    plays, last, size, length, title, digest, artist, rating, track = cells
    seconds = None if length is None else number(length)
    return Facts(
        key,
        path,
        None if plays is None else whole(plays),
        None if last is None else time_text(last),
        None if size is None else whole(size),
        seconds / 1000 if seconds is not None and milliseconds else seconds,
        None if title is None else text(title),
        None if digest is None else text(digest),
        None if artist is None else text(artist),
        None if rating is None else number(rating),
        None if track is None else whole(str(track).partition("/")[0]),
        counted,
    )


def number(cell: object) -> float | None:
    """A cell as a number."""
    try:
        found = float(cell) if isinstance(cell, int | float | str) else inf
    except (ValueError, OverflowError):
        return None
    return found if isfinite(found) else None


def whole(cell: object) -> int | None:
    """A cell as a whole number."""
    found = cell if isinstance(cell, int) else number(cell)
    return int(found) if found is not None and found == int(found) else None


def text(cell: object) -> str | None:
    """A cell as a text with something in it."""
    return cell if isinstance(cell, str) and cell else cell.hex() if isinstance(cell, bytes) and cell else None


def time_text(cell: object) -> str | None:
    """A time as ISO 8601: numbers count from 1970, in seconds or milliseconds."""
    if isinstance(cell, str) or not isinstance(cell, int | float) or cell <= 0:
        return text(cell) if isinstance(cell, str) else None
    try:
        return datetime.fromtimestamp(cell / 1000 if cell >= MILLISECONDS else cell, UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
    except (ValueError, OverflowError, OSError):
        return None
