"""Histories as files.  One that lies on a drive may have been written by anybody: nothing in it is used before it is
known to be sound.
"""

import zlib
from collections.abc import Mapping

import msgspec

from saltcart.errors import BadFile
from saltcart.merging.history import FORMAT, History, Mark, TableMarks
from saltcart.merging.rows import DIGEST, MOST_PLAYS

LARGEST = 512 << 20  # bytes of a history, unpacked


class Damaged(BadFile):
    """A file that holds no sound history."""


def pack(histories: Mapping[str, History]) -> bytes:
    """Histories by the names of their ledgers, as a file holds them."""
    return zlib.compress(msgspec.msgpack.encode(dict(histories)), 3)


def unpack(data: bytes, path: str, most: int = LARGEST) -> dict[str, History]:
    """The histories in a file, of `most` so many bytes unpacked.  Raises Damaged for what is none, BadFile for those of
    another version.
    """
    try:
        plain = zlib.decompressobj().decompress(data, most)
        found = msgspec.msgpack.decode(plain, type=dict[str, History])
    except (zlib.error, msgspec.MsgspecError, UnicodeError, RecursionError) as error:
        raise damaged(path) from error
    if any(one.format != FORMAT for one in found.values()):
        raise BadFile(path, None, "was written by another version of Salt Cart", "Use that version.")
    for one in found.values():
        if not is_sound(one):
            raise damaged(path)
    return found


def damaged(path: str) -> Damaged:
    """The error for a file that is no sound history."""
    return Damaged(path, None, "is missing, damaged or too large", "")


def is_sound(history: History) -> bool:
    """Whether everything that a history refers to is in it."""
    last = len(history.events)
    uids = [mark.uid for table in history.tables.values() for mark in table.rows]
    numbers = [*(order.stamp for order in history.orders.values()), *history.gone.values()]
    return (
        len(set(history.events)) == last
        and all(len(event) == DIGEST for event in history.events)
        and len(set(uids)) == len(uids)
        and all(0 <= number < last for number in numbers)
        and all(uid > known for uid, known in history.aliases.items())  # so none leads back to itself
        and all(is_sound_table(table, last) for table in history.tables.values())
    )


def is_sound_table(table: TableMarks, last: int) -> bool:
    """Whether a table has every column once, and each of its rows is sound."""
    width = len(table.columns)
    return len(set(table.columns)) == width and all(is_sound_mark(mark, width, last) for mark in table.rows)


def is_sound_mark(mark: Mark, width: int, last: int) -> bool:
    """Whether a row has something for each of so many columns, by events with numbers below the last."""
    return (
        len(mark.digests) == DIGEST * width
        and len(mark.stamps) == width
        and all(0 <= number < last for number in (mark.made, *mark.stamps))
        and all(0 <= column < width for column in mark.counts)
        and all(
            0 <= event < last and abs(more) < MOST_PLAYS
            for found in mark.counts.values()
            for event, more in found.items()
        )
    )
