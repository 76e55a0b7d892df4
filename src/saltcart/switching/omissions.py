"""Leaving files out of a trip that is under way, or going on without files that cannot be copied."""

import os
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import replace

from saltcart.errors import UsageError, show
from saltcart.shelves.walk import FILE, FOLDER, LINK
from saltcart.switching.undo import can_go, untouched
from saltcart.trips.records import ACCEPTED, TROUBLE, VERIFIED
from saltcart.trips.trip import HAULED, HAULING, Trip, held
from saltcart.waybills.waybill import Shelf, matches


def leave_out(name: str, patterns: Sequence[str]) -> None:
    """Let things that match stay where they are after all; copies of them go.  UsageError without such a trip,
    Refused once it has switched.
    """
    with held(name) as trip:
        trip.require(HAULING, HAULED, step="leaving something out")
        for number, shelf in enumerate(trip.waybill.shelves):
            if not shelf.gathered:
                drop_copies(trip, number, shelf, patterns)
        trip.replan(
            [
                shelf if shelf.gathered else replace(shelf, stay=(*shelf.stay, *patterns))
                for shelf in trip.waybill.shelves
            ]
        )
        trip.enter(HAULING, f"left out: {', '.join(patterns)}")


def accept(name: str, patterns: Sequence[str]) -> None:
    """Go without files that match and could not be copied.  UsageError without such a trip or such files, Refused
    once it has switched.
    """
    with held(name) as trip:
        trip.require(HAULING, step="going without files")
        failed = [
            (number, row) for number in range(len(trip.waybill.shelves)) for row in trip.logbook.rows(number, TROUBLE)
        ]
        others = [
            pattern for pattern in patterns if not any(matches(row.item.path, [pattern]) for _number, row in failed)
        ]
        if others:
            raise UsageError(
                f"No file that could not be copied matches {', '.join(map(show, others))}",
                f"What could not: saltcart trips {name}",
            )
        with trip.logbook.together():
            for number, row in failed:
                if matches(row.item.path, patterns):
                    trip.logbook.mark(number, [(row.item.path, ACCEPTED, None, row.why, False)])
                    trip.logbook.tell(f"goes without, as accepted: {row.item.path}: {row.why}")


def drop_copies(trip: Trip, number: int, shelf: Shelf, patterns: Sequence[str]) -> None:
    """Remove the copies that this trip made of things that match, as far as nobody has changed them and their
    originals are there.
    """
    for row in reversed(
        [
            row
            for row in trip.logbook.rows(number, VERIFIED)
            if matches(row.item.path, patterns) and not row.existed and can_go(shelf, row.item)
        ]
    ):
        place = shelf.place(row.item.path)
        with suppress(OSError):
            if row.item.kind == FOLDER:
                os.rmdir(place)
            elif row.item.kind == LINK or (row.item.kind == FILE and untouched(place, row.item)):
                os.unlink(place)
