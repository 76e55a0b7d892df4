"""The way back from a trip whose originals are gone: a trip in the other direction."""

import os

from saltcart.cart import Cart
from saltcart.planning.draft import Draft, draft
from saltcart.planning.request import Request
from saltcart.progress import Progress, silent
from saltcart.trips import trip as trips
from saltcart.trips.trip import RELEASED


def way_back(name: str, cart: Cart, progress: Progress = silent) -> Draft:
    """The draft of a trip that brings the shelves of the released trip `name` home.  Raises Refused when it cannot be
    made.
    """
    with trips.opened(name) as trip:
        trip.require(RELEASED, step="drafting the way back")
        shelves = [shelf for shelf in trip.waybill.shelves if not shelf.gathered]
        request = Request(
            [shelf.new for shelf in shelves],
            [os.path.dirname(shelf.old) for shelf in shelves],
            [row.place for row in trip.logbook.ledgers() if os.path.exists(row.place)],
            [plan.path for plan in trip.maps()],
            means=trip.waybill.means,
            cart=cart,
            digests=trip.waybill.digests,
            turn_links=bool(trip.waybill.turn),
        )
        return draft(request, progress)
