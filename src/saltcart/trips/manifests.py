"""Which manifests are ours: those whose content a trip has recorded before it gave them their name."""

from collections.abc import Iterator

from saltcart.safefile import digest_of, remove_if_there, sync_folder
from saltcart.shelves import manifest
from saltcart.system import os
from saltcart.trips import history
from saltcart.trips.trip import Trip


def recorded(trip: Trip) -> Iterator[tuple[int, str, str]]:
    """Shelf number, path and digest of each manifest that a trip has recorded."""
    for one in trip.shelves:
        if one.manifest:
            yield one.number, *one.manifest


def is_ours(path: str) -> bool:
    """Whether what lies at `path` is exactly a manifest that some trip wrote there."""
    if not os.path.isfile(path) or os.path.islink(path):
        return False
    digest = digest_of(path)
    return any((path, digest) == one[1:] for trip in history.readable() for one in recorded(trip))


def foreign(shelf: str) -> list[str]:
    """The manifests beside a shelf that no trip of ours wrote, or that somebody changed since."""
    there = [manifest.manifest_of(shelf, kind) for kind in manifest.SUFFIXES]
    return [path for path in there if os.path.lexists(path) and not is_ours(path)]


def remove_ours(shelf: str) -> None:
    """Remove the manifests beside a shelf that trips of ours wrote, as they wrote them."""
    for path in (manifest.manifest_of(shelf, kind) for kind in manifest.SUFFIXES):
        if is_ours(path):
            remove_if_there(path)
            sync_folder(os.path.dirname(path))
