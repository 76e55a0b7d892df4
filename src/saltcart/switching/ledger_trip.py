"""A trip on which nothing moves: only ledgers change, and are checked."""

from saltcart.hauling.haul import haul_waybill
from saltcart.home import made_home
from saltcart.progress import Progress, silent
from saltcart.proving.check import check_trip
from saltcart.proving.results import CheckReport
from saltcart.spelling.moves import tail_below
from saltcart.switching.repoint import RepointReport, clear_staged, repoint
from saltcart.system import os
from saltcart.trips import history
from saltcart.trips import trip as trips
from saltcart.trips.facts import Fact
from saltcart.trips.holding import held
from saltcart.trips.trip import HAULED, HAULING, SWITCHING
from saltcart.waybills import waybill_text
from saltcart.waybills.waybill import Waybill


def change_ledgers(
    waybill: Waybill, wait: bool = False, progress: Progress = silent
) -> tuple[str, RepointReport, CheckReport]:
    """Carry out a waybill without shelves: the trip's id, what was rewritten, and how it is then.

    Raises Refused with nothing changed.  With `wait` programs in the way are waited for.
    """
    name, _hauled = haul_waybill(waybill_text.keep(waybill), progress=progress)
    try:
        switched = repoint(name, wait=wait, progress=progress)
    except BaseException:
        discard_untouched(name)
        raise
    return name, switched, check_trip(name, progress=progress)


def finish_cut_off(wait: bool = False, progress: Progress = silent) -> list[str]:
    """Carry on trips of this kind whose switch was interrupted; their ids.  Records of what had changed nothing go."""
    ours = str(made_home("waybills"))
    cut_off = [
        (trip.name, trip.state)
        for trip in history.readable()
        if not trip.waybill.shelves and tail_below(str(trip.logbook.fact(Fact.SOURCE, "")), os.path.realpath(ours))
    ]
    for name, state in cut_off:
        if state == SWITCHING:
            repoint(name, wait=wait, progress=progress)
        elif state in (HAULING, HAULED):
            discard_untouched(name)
    return [name for name, state in cut_off if state == SWITCHING]


def discard_untouched(name: str) -> None:
    """Remove the record of a trip that changed nothing: there is nothing to continue or to undo."""
    with held(name) as trip:
        if trip.state in (HAULING, HAULED) and clear_staged(trip):  # else what was prepared would stay for good
            trips.discard(trip)
