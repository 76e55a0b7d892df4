"""Backups of what a trip carried: folders of the same name and content on drives for backups, told by a manifest."""

from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from typing import NamedTuple

from saltcart.cart import Cart
from saltcart.drives import drive_of
from saltcart.drives.drive import Drive, mounts
from saltcart.drives.fit import for_backups
from saltcart.errors import SaltCartError
from saltcart.shelves import manifest
from saltcart.shelves.walk import FILE
from saltcart.system import os
from saltcart.trips import trip as trips
from saltcart.trips.records import VERIFIED
from saltcart.trips.trip import Trip
from saltcart.trips.trip_shelf import TripShelf
from saltcart.waybills.shelf import Shelf

DEEPEST, MOST_FOLDERS = 6, 50_000  # below the top of a drive for backups


class Backup(NamedTuple):
    """A folder on a drive for backups whose manifest agrees with what a shelf holds; `made` is when the manifest was,
    in ISO 8601.
    """

    path: str
    drive: str
    made: str


class Irreplaceable(NamedTuple):
    """A shelf that cannot be had again, its newest backup, how many drives for backups were looked at, and folders of
    its name there that no manifest proves.
    """

    shelf: Shelf
    backup: Backup | None
    drives: int
    unproven: list[str]


def irreplaceable(name: str, cart: Cart) -> list[Irreplaceable]:
    """The shelves of trip `name` whose originals would go and that cannot be had again."""
    with trips.opened(name) as trip:
        own = [
            one
            for one in trip.shelves
            if one.shelf.care == "own" and (one.shelf.packed or not one.shelf.original_stays)
        ]
        places = [*mounts(), *(drive.mount for drive in cart.drives if drive.mount and os.path.isdir(drive.mount))]
        known = {drive.identity: drive for drive in map(drive_of, places)} if own else {}
        drives = [drive for drive in known.values() if for_backups(drive, cart)[0]]
        return [backed_up(trip, one, drives) for one in own]


def backed_up(trip: Trip, here: TripShelf, drives: Sequence[Drive]) -> Irreplaceable:
    """What backups of a shelf there are on these drives."""
    shelf, backups, unproven = here.shelf, [], []
    name = os.path.basename(shelf.old)
    for drive, place in ((one, place) for one in drives for place in folders_called(name, one.mount)):
        if place in (shelf.new, shelf.old):
            continue
        if made := agrees(trip, here, place):
            backups.append(Backup(place, drive.name, made))
        else:
            unproven.append(place)
    newest = max(backups, key=lambda backup: backup.made, default=None)
    return Irreplaceable(shelf, newest, len(drives), unproven)


def folders_called(name: str, top: str) -> Iterator[str]:
    """The folders of that name on a drive, some levels deep, not those on other drives that are mounted there."""
    device, waiting, seen = os.stat(top).st_dev, [(top, 0)], 0
    while waiting and seen < MOST_FOLDERS:
        folder, depth = waiting.pop()
        seen += 1
        try:
            with os.scandir(folder) as entries:
                below = [entry for entry in entries if entry.is_dir(follow_symlinks=False)]
                below = [entry for entry in below if entry.stat(follow_symlinks=False).st_dev == device]
        except OSError:
            continue
        yield from (entry.path for entry in below if entry.name == name)
        if depth < DEEPEST:
            waiting += [(entry.path, depth + 1) for entry in below if entry.name != name]


def agrees(trip: Trip, one: TripShelf, place: str) -> str | None:
    """When the manifest of the folder at `place` was made, if it has every file of a shelf with the same digest, and
    these files are there; else None.
    """
    kind = trip.waybill.digests
    ledgers = {row.place for row in trip.logbook.ledgers()}  # may have been written to since the backup, or before
    try:
        there = dict(manifest.read(place, kind))
        state = os.stat(manifest.manifest_of(place, kind))
    except (OSError, SaltCartError):
        return None
    for row in one.rows(VERIFIED, kind=FILE):
        if one.place(row) in ledgers and row.item.path in there:
            continue
        if there.get(row.item.path) != row.digest or not is_as_long(os.path.join(place, row.item.path), row.item.size):
            return None
    return datetime.fromtimestamp(state.st_mtime, UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def is_as_long(path: str, size: int) -> bool:
    """Whether a file is there and has that size."""
    try:
        return os.stat(path).st_size == size
    except OSError:
        return False
