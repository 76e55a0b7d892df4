"""Files that took the place of others in a trip, on their way back."""

from saltcart.errors import show
from saltcart.own_names import staged_for_undo
from saltcart.safefile import copy_durably, digest_of
from saltcart.switching import superseding
from saltcart.switching.deed_kinds import Swap
from saltcart.switching.deeds import Deed, recorded, standing
from saltcart.switching.one_deed import DONE, UNDONE, UNSEEN
from saltcart.switching.undo_ledger import UndoReport
from saltcart.system import os
from saltcart.trips.trip import Trip
from saltcart.waybills import collection, collection_file


def own_files_back(trip: Trip) -> list[Deed]:
    """The deeds that let manifests and the record of a collection say what they said before a half-done switch."""
    deeds: list[Deed] = []
    for _number, deed, _done in recorded(trip, superseding.PLAN):
        if isinstance(deed, Swap) and deed.own and standing(deed) == DONE:
            staged = staged_for_undo(deed.path, trip.name)
            copy_durably(deed.backup, staged)
            kept = f"{deed.backup}-after"
            copy_durably(deed.path, kept)
            deeds.append(Swap(deed.path, staged, deed.after, deed.before, kept))
    return deeds


def sounds_back(trip: Trip, report: UndoReport) -> list[Deed]:
    """The deeds that give single sounds their older content back; one that was edited since stays."""
    deeds: list[Deed] = []
    for _number, deed, _done in recorded(trip, superseding.PLAN):
        if not isinstance(deed, Swap) or not deed.sound or standing(deed) == UNDONE:
            continue
        if standing(deed) == UNSEEN:
            report.remarks.append(f"{show(deed.path)} was edited since; what it was before is at {deed.backup}")
            continue
        staged, kept = staged_for_undo(deed.path, trip.name), f"{deed.backup}-after"
        copy_durably(deed.backup, staged)
        copy_durably(deed.path, kept)
        deeds.append(Swap(deed.path, staged, deed.after, deed.before, kept))
    return deeds


def record_back(trip: Trip) -> list[Deed]:
    """The deed that lets a collection say of itself what it said before a carry, when that was the last; sounds that
    were brought up to date stay so, and what it says of them.
    """
    top, kept = trip.waybill.collection, os.path.join(trip.folder, "ledgers", "carried-before")
    path = os.path.join(top, collection.NAME)
    if not top or not os.path.isfile(kept) or not os.path.isfile(path):
        return []
    now, before = collection_file.read(path), collection_file.read(kept)
    if now.trip != trip.name:
        return []
    newer = {one.place: one for one in now.files}
    before.top, before.files = top, [newer.get(one.place, one) for one in before.files]
    staged, after = staged_for_undo(path, trip.name), f"{kept}-after"
    digest = collection_file.write(before, staged)
    copy_durably(path, after)
    return [Swap(path, staged, digest_of(path), digest, after)]
