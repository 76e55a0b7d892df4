"""What a collection and a home agreed on, the last time that one came from the other."""

import os
from collections.abc import Container, Iterable
from contextlib import suppress

from saltcart.carrying.identity import whoami
from saltcart.carrying.own_record import mark_of_row, note, noted
from saltcart.errors import SaltCartError, show
from saltcart.safefile import digest_of
from saltcart.trips import history
from saltcart.trips import trip as trips
from saltcart.trips.trip import UNDONE, Trip
from saltcart.waybills import collection
from saltcart.waybills.collection import Collection, Known

HERE, IN_PLACE, BACK = "here", "in place", "back"  # the ways in which a collection settles


def undone_trips() -> set[str]:
    """The ids of trips that were taken back: what was agreed by one of them holds no more."""
    return {trip.name for trip in history.readable() if trip.state == UNDONE}


def agreed(found: Collection, place: str, undone: Container[str]) -> Known | None:
    """What is known of a place for this user at this machine, from the last trip that was not taken back."""
    rows = [one for one in mine(found) if one.place == place and one.trip not in undone]
    return rows[-1] if rows else None


def mine(found: Collection) -> list[Known]:
    """What a collection says of this user at this machine, as far as this machine wrote it itself."""
    who, ours = whoami(), noted()
    return [one for one in found.known if one.who == who and mark_of_row(one) in ours]


def names_then(found: Collection, place: str, undone: Container[str]) -> set[str] | None:
    """The files, by their paths in the shelf at `place`, that this user knew of after the last trips with it; None
    where the record of the trip that brought all of them is gone.
    """
    names: set[str] = set()
    for one in reversed(mine(found)):
        if one.place != place or one.trip in undone:
            continue
        with suppress(SaltCartError), trips.opened(one.trip) as trip:
            names |= names_of(trip, place)
            if trip.waybill.collection or trip.waybill.settles == HERE:
                return names
    return None


def names_of(trip: Trip, place: str) -> set[str]:
    """The files of the shelf at a place of the collection that were part of a trip, by their names there."""
    coming = bool(trip.waybill.collection)
    return {
        shelf.place(row.item.path)[len(shelf.new) + 1 :] if coming else row.item.path
        for number, shelf in enumerate(trip.waybill.shelves)
        if not shelf.gathered and (shelf.new if coming else shelf.old).endswith(f"/{place}")
        for row in trip.logbook.rows(number)
    }


def remember(
    found: Collection, trip: str, homes: Iterable[tuple[str, str]], ledgers: Iterable[tuple[str, str]], taken: bool
) -> str:
    """Note in the collection where its shelves and files are here, by pairs of place and path, and what its `ledgers`
    and those here, by such pairs, are now that the two agree; what is to be told when nothing can be written there.
    What was `taken` home may be written over from here.
    """
    who = whoami()
    fresh = [Known(who, place, path, trip=trip) for place, path in homes]
    for place, path in ledgers:
        there = found.at(place)
        if os.path.isfile(there) and os.path.isfile(path):
            fresh.append(Known(who, place, path, digest_of(there), digest_of(path), trip))
    note(fresh)
    found.learn(fresh)
    if taken:
        found.agree({one.place: one.digest for one in fresh if one.digest})
    try:
        collection.write(found)
    except OSError as error:
        return (
            f"What is known here could not be noted in {show(found.top)} ({error.strerror}): --back cannot tell later"
            " what changed since"
        )
    return ""
