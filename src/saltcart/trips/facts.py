"""The names under which facts are recorded, all in one place: no name says two things."""

from enum import StrEnum, unique


@unique
class Fact(StrEnum):
    """A fact of a whole trip."""

    FORMAT = "format"  # of its record
    SOURCE = "source"  # the path of the waybill it was made of
    PLAN = "plan"  # the digest of that
    STATE = "state"  # where it is
    STARTED = "started"
    FINISHED = "finished"  # when it ended; the first builds wrote True there at the end of a carry
    REMARKS = "remarks"  # of the haul, for its page
    ROOM = "room"  # the drives before the haul: by identity name, place, all bytes and free ones
    PACE = "pace"  # of the haul: seconds and bytes, point by point
    LEDGER_DRIVES = "ledger_drives"  # the identity of the drive of each ledger, by its number
    STAMPS = "stamps"  # time and size of each ledger after the switch, by its number
    PARTED = "parted"  # by ledger and entry: the texts of the folder that it parts from, and of the one it gets
    TIMES_BEFORE = "folder_times"  # of folders whose names the switch changes, before it
    TIMES_AFTER = "folder_times_after"  # the same, as the switch left them
    TIMES_GIVEN_BACK = "folder_times_back"  # those that an undo gives back
    UNDO_FROM = "undo_from"  # the state in which an undo began
    DROPPING = "dropping"  # that the copies of an undone trip are being removed
    FREED_BYTES = "freed_bytes"
    COLLECTION_WRITTEN = "collection written"  # that all stands beside the sounds; then others may carry there too
    NOTED = "noted"  # that what was agreed on is known on both sides of a collection


@unique
class ShelfFact(StrEnum):
    """A fact of one shelf of a trip."""

    MADE = "made"  # the folders at its new place that the haul made, the outer ones first
    MANIFEST = "manifest"  # path and digest of the manifest beside its copy
    SETTLED = "settled"  # that what lay at its new place before was looked at
    SIGNPOST = "signpost"  # what the link led to that lay at its new place


def archive_fact(path: str) -> str:
    """The name for size, time and mark of an archive, of which several shelves may be unpacked."""
    return f"archive {path}"


def shelf_fact(name: ShelfFact, number: int) -> str:
    """The name for a fact of the shelf with that number."""
    return f"{name} {number}"
