"""Files that take the place of others in a switch: newer sounds, and what a collection held before."""

import shutil
from collections.abc import Sequence

from saltcart.carrying import turns
from saltcart.errors import Refused, Stopped, show
from saltcart.hauling.group_copy import may_replace
from saltcart.own_names import neighbour_of, staged_for, superseded
from saltcart.renaming import rename_new
from saltcart.safefile import copy_durably, digest_of, remove_if_there, sync_folder
from saltcart.shelves.digests import digest_file
from saltcart.switching.deed_kinds import Rename, Supersede, Swap, changed
from saltcart.switching.deeds import Deed, recorded
from saltcart.system import os
from saltcart.trips import manifests
from saltcart.trips.trip import Trip
from saltcart.waybills.collection import NAME, is_collection
from saltcart.waybills.collection_file import digests_before

PLAN = "repoint"


def updates(trip: Trip) -> list[Deed]:
    """The deeds that bring sounds, manifests and the record of a collection up to date; none for other trips."""
    deeds = newer_sounds(trip)
    if trip.waybill.settles:
        turns.note_settled(trip)
    earlier = digests_before(trip.waybill.collection)
    for number, path in trip.logbook.waiting():
        place = trip.waybill.shelves[number].place(path)
        if place not in earlier or not may_replace(place, [earlier[place]]):
            raise changed(place)
        deeds.append(Supersede(place, staged_for(place, trip.name), superseded(place, trip.name), earlier[place]))
    for number, path, digest in manifests.recorded(trip):
        if os.path.exists(staged := staged_for(path, trip.name)):
            deeds += own_file(trip, path, staged, digest, f"manifest-{number}")
        elif trip.waybill.collection and (not os.path.exists(path) or digest_of(path) != digest):
            raise Refused(f"The new manifest {show(path)} is gone", f"Write it anew: saltcart haul {trip.name}")
    top = trip.waybill.collection
    if top:
        turns.note_carried(trip)
    if top and is_collection(top):
        from saltcart.carrying.record import write_record  # which few trips need

        path = os.path.join(top, NAME)
        staged = staged_for(path, trip.name)
        deeds += own_file(trip, path, staged, write_record(trip, staged), "carried")
    return deeds


def newer_sounds(trip: Trip) -> list[Deed]:
    """The deeds that give single sounds newer content, of which the older is kept, and others another name."""
    deeds: list[Deed] = []
    for number, one in enumerate(trip.waybill.newer):
        staged, kept = staged_for(one.path, trip.name), trip.keep(number, "-sound")
        for source, copy, wanted in ((one.source, staged, one.digest), (one.path, kept, one.was)):
            copy_durably(source, copy)
            if digest_file(copy, one.kind) != wanted:
                raise changed(source)
        shutil.copystat(one.source, staged)
        deeds.append(Swap(one.path, staged, digest_of(kept), digest_of(staged), kept, sound=True))
    return deeds + [Rename(one.old, one.new) for one in trip.waybill.renamed]


def own_file(trip: Trip, path: str, staged: str, digest: str, name: str) -> list[Deed]:
    """The deed that lets a file of ours take the place of the one at `path`, of which a copy is kept; none when nothing
    changes.
    """
    before = digest_of(path)
    if before == digest:
        remove_if_there(staged)
        return []
    kept = os.path.join(trip.folder, "ledgers", f"{name}-before")
    copy_durably(path, kept)
    return [Swap(path, staged, before, digest, kept, own=True)]


def clear_updates(trip: Trip) -> None:
    """Remove what copies of a collection were before, or, of a trip that did not switch, the copies that waited."""
    earlier = {deed.path: deed.was for _n, deed, _d in recorded(trip, PLAN) if isinstance(deed, Supersede)}
    for number, path in trip.logbook.waiting():
        place = trip.waybill.shelves[number].place(path)
        remove_superseded(trip, place, earlier.get(place))
        remove_if_there(staged_for(place, trip.name))
        if os.path.isdir(os.path.dirname(place)):
            sync_folder(os.path.dirname(place))
            trip.logbook.waits_no_more(number, path)
    ours = [path for _number, path, _digest in manifests.recorded(trip)]
    ours += [os.path.join(trip.waybill.collection, NAME)] if trip.waybill.collection else []
    ledgers = {path for row in trip.logbook.ledgers() if row.rewrite for path in (row.place, row.path)}
    ours += [one.path for one in trip.waybill.newer]
    left = [neighbour_of(path) for path in (*ledgers, *ours)]  # by a program that was killed while it wrote
    for path in (*left, *(staged_for(path, trip.name) for path in ours)):
        if os.path.lexists(path):
            remove_if_there(path)


def remove_superseded(trip: Trip, place: str, was: Sequence[str] | None) -> None:
    """Remove what the file at `place` was before it was brought up to date, unless somebody edited it right before the
    switch: then that is kept beside it, for a person to look at.
    """
    aside = superseded(place, trip.name)
    if not os.path.lexists(aside):
        return
    if was and may_replace(aside, [(was[0], was[1])]):
        os.unlink(aside)
        return
    stem, suffix = os.path.splitext(place)
    kept = f"{stem} (before trip {trip.name}){suffix}"
    rename_new(aside, kept)
    trip.logbook.tell(f"edited right before the switch, and kept: {kept}")


def not_cleared(error: Refused, command: str) -> Stopped:
    """The error for a drive that went while ledgers were prepared on it: hidden files of ours are left there."""
    return Stopped(
        f"{error.what}; no ledger and no original was changed, but prepared files are left on that drive",
        f"{error.remedy} What was prepared is replaced then: {command}",
        error.details,
    )
