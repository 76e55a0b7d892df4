"""A trip on which nothing moves: ledgers alone change, and are checked."""

from saltcart.hauling.haul import haul_waybill
from saltcart.progress import Progress, silent
from saltcart.proving.check import check_trip
from saltcart.proving.results import CheckReport
from saltcart.switching.repoint import RepointReport, repoint
from saltcart.trips import trip as trips
from saltcart.trips.trip import HAULED
from saltcart.waybills import waybill_text
from saltcart.waybills.waybill import Waybill


def change_ledgers(
    waybill: Waybill, wait: bool = False, progress: Progress = silent
) -> tuple[str, RepointReport, CheckReport]:
    """Carry out a waybill without shelves: the trip's id, what was rewritten, and how it stands then.

    Raises Refused with nothing changed.  With `wait` programs in the way are waited for.
    """
    name, _hauled = haul_waybill(waybill_text.keep(waybill), progress=progress)
    try:
        switched = repoint(name, wait=wait, progress=progress)
    except BaseException:
        discard_untouched(name)
        raise
    return name, switched, check_trip(name, progress=progress)


def discard_untouched(name: str) -> None:
    """Remove the record of a trip that changed nothing: there is nothing to go on with, or to take back."""
    with trips.held(name) as trip:
        if trip.state == HAULED:
            trips.discard(trip)
