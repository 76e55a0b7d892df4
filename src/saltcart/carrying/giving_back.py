"""Back into a collection that is used in place: what happened to the ledgers here that name the sounds there.

They are written as the collection has them, from where they lie or in full as the one who carried it had them, so that
everybody who knows the collection still finds its sounds.
"""

from collections.abc import Sequence

from saltcart.carrying.stands import AS_IT_WAS, CHANGED, LedgerStand
from saltcart.safefile import digest_of
from saltcart.spelling.moves import tail_below
from saltcart.system import os
from saltcart.waybills.collection import Collection
from saltcart.waybills.relinks import PLACE, RELATIVE, Relink
from saltcart.waybills.waybill import LedgerLine, Waybill


def giving_back(found: Collection, stands: Sequence[LedgerStand]) -> Waybill | None:
    """The plan that writes into the collection what happened to ledgers only here; None when nothing did."""
    lines = [line_of(one) for one in stands if gives_back(found, one)]
    if not lines:
        return None
    waybill = Waybill([], lines, found.map_files(), means=found.means, collection=found.top, after=found.trip)
    full = [line.path for line in lines if not line.like]
    for place, source in found.sources():
        there = found.at(place)
        waybill.relinks += [Relink(there, source, ledger=path, what=PLACE) for path in full]
        waybill.relinks += [Relink(there, there, ledger=line.path, what=PLACE) for line in lines if line.like]
    return waybill


def gives_back(found: Collection, one: LedgerStand) -> bool:
    """Whether a ledger here, which names the sounds there, has news that the collection has not."""
    inside = any(tail_below(one.there, found.at(shelf.place)) for shelf in found.shelves)
    return not inside and one.stands_here == CHANGED and one.stands_there == AS_IT_WAS and os.path.isfile(one.there)


def line_of(one: LedgerStand) -> LedgerLine:
    """The line of a ledger that goes back."""
    like = RELATIVE if one.carried.relative else ""
    digests = digest_of(one.here), digest_of(one.there)
    name = one.carried.map_name
    return LedgerLine(one.here, name, True, digests[0], like=like, over=one.there, over_digest=digests[1])
