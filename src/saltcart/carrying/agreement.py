"""What a collection and a home agreed on, the last time that one came from the other."""

from collections.abc import Container, Iterable, Iterator
from contextlib import suppress

from msgspec import Struct, field

from saltcart.carrying.identity import whoami
from saltcart.carrying.own_record import mark_of_row, note, noted
from saltcart.errors import SaltCartError, show
from saltcart.safefile import digest_of
from saltcart.spelling.moves import tail_below
from saltcart.system import os
from saltcart.trips import history
from saltcart.trips import trip as trips
from saltcart.trips.trip import UNDONE, Trip
from saltcart.waybills import collection_file
from saltcart.waybills.collection import Collection, Known
from saltcart.waybills.shelf import ChosenFiles

HERE, IN_PLACE, BACK = "here", "in place", "back"  # the ways in which a collection settles


def undone_trips() -> set[str]:
    """The ids of trips that were undone: what was agreed by one of them holds no more."""
    return {trip.name for trip in history.readable() if trip.state == UNDONE}


def agreed(found: Collection, undone: Container[str]) -> dict[str, Known]:
    """What is known of each place for this user at this machine, from the last trip that was not undone."""
    return {one.place: one for one in mine(found) if one.trip not in undone}


def mine(found: Collection) -> list[Known]:
    """What a collection says of this user at this machine, if this machine wrote it itself."""
    who, ours = whoami(), noted()
    return [one for one in found.known if one.who == who and mark_of_row(one) in ours]


class Then(Struct):
    """What the files of a collection were, by their places, the last time that this user and it agreed; `whole` are the
    shelves of which all files were part of that.
    """

    digests: dict[str, tuple[str, str]] = field(default_factory=dict)
    whole: set[str] = field(default_factory=set)

    def names(self, place: str) -> set[str] | None:
        """The files of the shelf at a place, by their names in it; None where it was not known as a whole."""
        if place not in self.whole:
            return None
        return {tail for one in self.digests if (tail := tail_below(f"/{one}", f"/{place}"))}


def known_then(found: Collection, undone: Container[str]) -> Then:
    """What this user knew of the files of a collection after the last trips with it, as far as their records are
    there.
    """
    then, ours = Then(), mine(found)
    for name in dict.fromkeys(one.trip for one in reversed(ours) if one.trip and one.trip not in undone):
        with suppress(SaltCartError), trips.opened(name) as trip:
            for place, known in files_of(trip):
                then.digests.setdefault(place, known)
            if trip.waybill.collection or trip.waybill.settles == HERE:
                then.whole |= set(shelves_of(trip))
    then.whole &= {one.place for one in ours}
    return then


def shelves_of(trip: Trip) -> Iterator[str]:
    """The places in a collection of the shelves that a trip brought there, or from there, whole."""
    for shelf in trip.waybill.shelves:
        top, path = top_of(trip), shelf.new if trip.waybill.collection else shelf.old
        if shelf.along or (isinstance(shelf, ChosenFiles) and not trip.waybill.collection):
            continue
        if place := tail_below(path, top):
            yield place


def files_of(trip: Trip) -> Iterator[tuple[str, tuple[str, str]]]:
    """The files that were part of a trip, by their places in the collection, with kind and digest; the newest first."""
    top, kind = top_of(trip), trip.waybill.digests
    for newer in trip.waybill.newer:
        path = newer.path if tail_below(newer.path, top) else newer.source
        yield (tail_below(path, top) or ""), (newer.kind, newer.digest)
    coming = bool(trip.waybill.collection)
    for one in trip.shelves:
        for path, _size, digest in one.digests():
            place = tail_below(one.shelf.place(path) if coming else f"{one.shelf.old}/{path}".rstrip("/"), top)
            if place:
                yield place, (kind, digest)


def top_of(trip: Trip) -> str:
    """The folder of the collection that a trip brings something into, or home from."""
    return trip.waybill.collection or trip.waybill.comes_from


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
        collection_file.write(found)
    except OSError as error:
        return (
            f"What is known here could not be noted in {show(found.top)} ({error.strerror}): --back cannot tell later"
            " what changed since"
        )
    return ""
