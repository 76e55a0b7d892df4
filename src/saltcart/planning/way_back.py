"""The way back from a trip whose originals are gone: a trip in the other direction."""

from collections.abc import Sequence
from typing import assert_never

from saltcart.cart import Cart
from saltcart.errors import Refused
from saltcart.ledgers.formats import cart_toml
from saltcart.ledgers.maps import load_map
from saltcart.planning.draft import Draft, draft
from saltcart.planning.request import Request
from saltcart.progress import Progress, silent
from saltcart.spelling.renames import Pairs
from saltcart.system import os
from saltcart.trips import trip as trips
from saltcart.trips.trip import RELEASED
from saltcart.waybills.shelf import ChosenFiles, CopiedFile, Folder, Shelf, UnpackedArchive


def ways_home(shelf: Shelf) -> list[tuple[str, str]]:
    """What is carried home of a shelf, with the folders to put it into: itself, or the files that were chosen."""
    match shelf:
        case CopiedFile():
            return []
        case ChosenFiles():
            return [(shelf.place(name), os.path.dirname(f"{shelf.old}/{name}")) for name in shelf.names()]
        case Folder() | UnpackedArchive():
            return [(shelf.new, os.path.dirname(shelf.old))]
    assert_never(shelf)


def names_home(shelves: Sequence[Shelf]) -> dict[str, Pairs]:
    """The names that things had at home and do not have now, by the folder that is carried there."""
    names: dict[str, Pairs] = {}
    for shelf in shelves:
        if not isinstance(shelf, ChosenFiles):
            names[shelf.new] = tuple((new, old) for old, new in shelf.renames)
            continue
        for path in shelf.names():
            folder, name = os.path.split(shelf.place(path))
            if name != os.path.basename(path):
                names[folder] = (*names.get(folder, ()), (name, os.path.basename(path)))
    return names


def way_back(
    name: str, cart: Cart, progress: Progress = silent, signpost: bool = False, leave_unread: Sequence[str] = ()
) -> Draft:
    """The draft of a trip that brings the shelves of the released trip `name` home.  With `signpost` a link is left
    where they were; the files `leave_unread` may go on pointing there.  Raises Refused when it cannot be made.
    """
    with trips.opened(name) as trip:
        trip.require(RELEASED, step="drafting the way back")
        if any(shelf.packed for shelf in trip.waybill.shelves):
            raise Refused(
                f"The archive of trip {name} is gone, and nothing is packed again",
                "What was in it lies at its new place; to have it elsewhere, move that.",
            )
        pairs = [pair for shelf in trip.waybill.shelves for pair in ways_home(shelf)]
        # Our own configuration follows in any case, and no map reads it.
        ledgers = [row.place for row in trip.logbook.ledgers() if row.map_name != cart_toml.NAME]
        known = {load_map(path).name for path in cart.maps}  # which may have been mended since
        request = Request(
            shelves=[place for place, _home in pairs],
            to=[home for _place, home in pairs],
            ledgers=[place for place in ledgers if os.path.exists(place)],
            maps=[plan.path for plan in trip.maps() if plan.name not in known],
            means=trip.waybill.means,
            cart=cart,
            digests=trip.waybill.digests,
            turn_links=bool(trip.waybill.turn),
            names=names_home(trip.waybill.shelves),
            signpost=signpost,
            leave_unread=leave_unread,
            not_searched=[place for place in trip.waybill.not_searched if os.path.lexists(place)],
        )
        return draft(request, progress)
