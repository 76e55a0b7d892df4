"""Where histories of ledgers are kept: those of this computer among our own data, those of a collection in it.

A history belongs to what a trip made.  Both places hold the last few by trip, and the one that counts is that of the
last trip which was not undone: so an undo needs nothing more, and a crash leaves the one before.
"""

import re
from collections.abc import Mapping
from contextlib import suppress

from saltcart.errors import Refused, SaltCartError, show
from saltcart.home import home, made_home
from saltcart.merging.history import History
from saltcart.merging.history_file import LARGEST, Damaged, damaged, pack, unpack
from saltcart.own_names import short_name
from saltcart.safefile import PRIVATE_FILE, make_folders, remove_if_there, replacing
from saltcart.system import os
from saltcart.trips import trip as trips
from saltcart.trips.trip import RELEASED, SWITCHED
from saltcart.waybills.collection import Collection

FOLDER, HIDDEN = "histories", ".saltcart-histories"
SEEN = "-seen"  # ends the file of what happened in a collection since that trip, as far as it was seen on the way
OURS = re.compile(r"[a-z0-9]{4}")  # the ids of trips, by which histories are called
KEPT = 4  # trips may be undone, the last first
# How many bytes the histories of a collection have at most, unpacked: a few, and of each ledger a multiple of its own.
SMALL, TIMES = 16 << 20, 8
NO_TRIP = "none"  # of what was agreed on without a trip, since nothing had to be written


def folder_of(path: str) -> str:
    """The folder for the histories of the ledger at a path on this computer."""
    return os.path.join(home(), FOLDER, short_name(path, 16))


def known_here(path: str) -> History:
    """The history of the ledger at a path on this computer, up to the last trip that holds; an empty one where there is
    none that can be read.
    """
    for name in reversed(names_in(folder_of(path))):
        if holds(name.partition("-")[2]):
            with suppress(Damaged):
                return read(os.path.join(folder_of(path), name), LARGEST).get("", History())
            break
    return History()


def note_here(path: str, history: History, trip: str) -> None:
    """Keep the history of the ledger at a path, which counts once that trip has switched; without one, from now on."""
    made_home(FOLDER, short_name(path, 16))
    folder = folder_of(path)
    known = names_in(folder)
    for name in known:
        if name.endswith(f"-{trip}") and trip != NO_TRIP:  # of a switch that was interrupted
            remove_if_there(os.path.join(folder, name))
    number = int(known[-1].partition("-")[0]) + 1 if known else 0
    write(os.path.join(folder, f"{number:06}-{trip}"), {"": history}, PRIVATE_FILE)
    for name in names_in(folder)[:-KEPT]:
        remove_if_there(os.path.join(folder, name))


def names_in(folder: str) -> list[str]:
    """The files of histories in a folder, the oldest first."""
    with suppress(OSError):
        return sorted(name for name in os.listdir(folder) if name[:6].isdigit() and name[6:7] == "-")
    return []


def holds(trip: str) -> bool:
    """Whether a trip has switched and was not undone; one of which the record is gone has."""
    if trip == NO_TRIP or trip not in trips.names():
        return True
    with suppress(SaltCartError), trips.opened(trip) as record:
        return record.state in (SWITCHED, RELEASED)
    return False


def refuse_link(folder: str) -> None:
    """Raise Refused when a link is in place of a folder of a collection: on a stranger's stick it may lead anywhere."""
    if os.path.islink(folder):
        raise Refused(
            f"{show(folder)} is a link, and nothing is written or removed through a link in a collection",
            "Delete that link, then run the same command again.",
        )


def folder_there(top: str) -> str:
    """The folder of histories in a collection.  Raises Refused for a link."""
    folder = os.path.join(top, HIDDEN)
    refuse_link(folder)
    return folder


def known_there(found: Collection) -> Mapping[str, History]:
    """The histories of the ledgers of a collection, by their places in it; none before its first carry.  Raises Damaged
    for one that is not there, cannot be read, or tells of more than its ledgers can hold.
    """
    if not found.trip:
        return {}
    path = os.path.join(folder_there(found.top), found.trip)
    if not found.trip.isalnum() or not os.path.isfile(path) or os.path.islink(path):
        raise damaged(path)
    return read(path, most_in(found))


def seen_there(found: Collection) -> Mapping[str, History]:
    """The histories of ledgers of a collection as they were when it last settled somewhere, since its last carry: none
    where that cannot be read, as what happened since the carry is then seen as one.
    """
    path = os.path.join(folder_there(found.top), f"{found.trip}{SEEN}")
    if found.trip.isalnum() and os.path.isfile(path) and not os.path.islink(path):
        with suppress(Damaged, OSError):
            return read(path, most_in(found))
    return {}


def most_in(found: Collection) -> int:
    """How many bytes the histories of a collection may have."""
    sizes = (os.path.getsize(path) for path in (found.at(one.place) for one in found.ledgers) if os.path.isfile(path))
    return SMALL + TIMES * sum(sizes)


def note_seen(found: Collection, histories: Mapping[str, History]) -> None:
    """Keep in a collection what happened to its ledgers up to now.  What is seen once is an event of its own, so that
    what happens after it is held against this and not against the last carry.
    """
    if found.trip.isalnum() and histories:
        write(os.path.join(folder_there(found.top), f"{found.trip}{SEEN}"), {**seen_there(found), **histories})


def note_there(found: Collection, histories: Mapping[str, History], trip: str) -> None:
    """Keep the histories of a collection, which count once it says that this trip was the last."""
    folder = folder_there(found.top)
    make_folders(folder, inside=found.top)
    write(os.path.join(folder, trip), histories)


def clear_there(top: str, *trips_kept: str) -> None:
    """Remove the histories of a collection but those of some trips.  OSError when the drive fails."""
    folder = folder_there(top)
    for name in os.listdir(folder) if os.path.isdir(folder) else ():
        path = os.path.join(folder, name)
        trip = name.removesuffix(SEEN)
        if OURS.fullmatch(trip) and trip not in trips_kept and not os.path.isdir(path):
            remove_if_there(path)


def read(path: str, most: int) -> dict[str, History]:
    """The histories in a file, of `most` so many bytes.  Raises BadFile."""
    if os.path.getsize(path) > most:
        raise damaged(path)
    with open(path, "rb") as stream:
        return unpack(stream.read(), path, most)


def write(path: str, histories: Mapping[str, History], mode: int = 0o666) -> None:
    """Write histories, whole or not at all."""
    with replacing(path, mode) as neighbour, open(neighbour, "wb") as stream:
        stream.write(pack(histories))
