"""Which files were edited although their size and time are as recorded.

Programs that write tags may keep both.  On file systems that keep them, inode and change time tell that something
happened to a file; its content then tells what.  Elsewhere only the content does.
"""

from collections.abc import Sequence

from msgspec import Struct, field

from saltcart.hauling.workers import Reading, read_all
from saltcart.progress import Progress, Tick, silent
from saltcart.system import os
from saltcart.trips.records import Row
from saltcart.trips.stock import Stock
from saltcart.trips.trip import Trip


class Altered(Struct):
    """The `paths`, from the shelf's top, of files with other content than was copied; and how many `files` of how many
    `bytes` had to be read to know.
    """

    paths: list[str] = field(default_factory=list)
    files: int = 0
    bytes: int = 0


def altered_since(trip: Trip, stock: Stock, top: str, progress: Progress = silent) -> Altered:
    """Of the files in the stock of a shelf, below `top`, with recorded size and time, those with other content.  For
    drives whose inodes and change times prove something.  What is as copied is recorded so.
    """
    shelf = stock.on_trip.shelf
    rows = [row for row in stock.doubtful() if row.digest]
    same = {row.item.path for row in rows if is_one_file(f"{top}/{row.item.path}", shelf.place(row.item.path))}
    found = read_again([row for row in rows if row.item.path not in same], top, trip.waybill.digests, progress)
    stock.proven([row.item.path for row in rows if row.item.path not in found.paths])
    return found


def read_again(rows: Sequence[Row], top: str, kind: str, progress: Progress) -> Altered:
    """Those of the files of rows below `top` that do not hold what their digests say; a file that cannot be read counts
    as one.
    """
    readings = [Reading(row.item.path, f"{top}/{row.item.path}".rstrip("/"), row.item.size, kind) for row in rows]
    size = sum(reading.size for reading in readings)
    done = 0

    def tell(_step: str, path: str, count: int) -> None:
        nonlocal done
        done += count
        progress(Tick("read originals again", path, done, size, "", in_bytes=True))

    outcomes = read_all(readings, tell) if readings else []
    paths = [row.item.path for row, outcome in zip(rows, outcomes, strict=True) if outcome.digest != row.digest]
    return Altered(paths, len(readings), size)


def is_one_file(one: str, other: str) -> bool:
    """Whether two paths are names of one file, so that either holds what the other does."""
    try:
        return os.path.samestat(os.lstat(one.rstrip("/")), os.lstat(other))
    except OSError:
        return False
