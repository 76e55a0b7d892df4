"""The rows of a logbook as objects: things of a shelf, ledgers, entries."""

import json
from collections.abc import Hashable
from datetime import UTC, datetime
from typing import Any, NamedTuple

from msgspec import Struct

from saltcart.shelves.marks import Mark
from saltcart.shelves.walk import Item
from saltcart.system import os

LISTED, PLACING, VERIFIED, TROUBLE = "listed", "placing", "verified", "trouble"
# What could not be copied, and someone accepts that the trip goes without.
ACCEPTED = "accepted"


def key_text(key: Hashable) -> str:
    """An entry's key as the logbook holds it: JSON."""
    if type(key) is int:
        return str(key)
    if isinstance(key, tuple) and all(type(part) is int for part in key):  # as of most databases
        return f"[{', '.join(map(str, key))}]"
    return json.dumps(key, default=repr)


def now() -> str:
    """The present moment, ISO 8601 in UTC."""
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


class Row(Struct, frozen=True):
    """One thing of a shelf with what the trip has done about it.

    `digest` is of its content as copied.  `copy` is what the file system said of the copy once it had its name; None
    when nothing was noted.  In `item`, inode and change time are those of the original when it was read.
    """

    item: Item
    digest: str | None
    state: str
    why: str | None
    existed: bool
    copy: Mark | None = None


class LedgerRow(Struct):
    """One ledger of the trip: home path, present place, digests before and after the switch, kept original."""

    number: int
    path: str
    place: str
    map_name: str
    rewrite: bool
    before: str | None
    after: str | None
    backup: str | None
    changed: int


class EntryRow(Struct, frozen=True):
    """One entry as it was before the switch and as it was rewritten; `key` in JSON.

    `verdict` and `why` are from before the switch, `after` is the verdict that the switch left, "" for the same.
    """

    key: str
    old: str
    new: str
    verdict: str
    why: str
    after: str = ""


class Trouble(NamedTuple):
    """A thing that could not be copied: its path in the shelf, why, and whether its name at the new place is `taken` by
    something that is not ours.
    """

    path: str
    why: str
    taken: bool = False


class Placed(NamedTuple):
    """A copy that is about to get its name: its path in the shelf, its digest, and the mark of what was read."""

    path: str
    digest: str
    source: Mark | None


def packed(item: Item) -> tuple[Any, ...]:
    """An item as its columns."""
    target = None if item.target is None else os.fsencode(item.target)
    return (
        os.fsencode(item.path),
        item.kind,
        item.size,
        item.disk_bytes,
        item.mtime_ns,
        item.mode,
        item.device % 2**63,
        item.inode % 2**63,
        item.links,
        target,
        item.ctime_ns,
    )


def unpacked(row: tuple[Any, ...]) -> Row:
    """A row of the file table as an object."""
    path, kind, size, disk_bytes, mtime_ns, mode, device, inode, links, target, ctime_ns = row[:11]
    leads = None if target is None else os.fsdecode(target)
    item = Item(os.fsdecode(path), kind, size, disk_bytes, mtime_ns, mode, device, inode, links, leads, ctime_ns)
    digest, state, why, existed, copy_inode, copy_ctime_ns = row[11:17]
    copy = None if copy_inode is None else Mark(copy_inode, copy_ctime_ns)
    return Row(item, digest, state, why, bool(existed), copy)
