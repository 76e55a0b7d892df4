"""What a collection holds and is not here any more."""

import stat
from collections.abc import Callable
from contextlib import suppress

from saltcart.carrying.agreement import known_then, mine, undone_trips
from saltcart.carrying.carry_plan import CarryPlan
from saltcart.shelves.digests import digest_file
from saltcart.shelves.removal import Removal
from saltcart.spelling.moves import lies_in
from saltcart.system import os
from saltcart.waybills import collection_file
from saltcart.waybills.collection import Gone
from saltcart.waybills.shelf import ChosenFiles


def vanished(plan: CarryPlan) -> list[Gone]:
    """The files that an earlier carry from here brought and that nothing at home stands for any more: of the shelves
    that are carried now, of what was chosen, and single ones.  What others brought stays, and is noted as `strange`.
    """
    if plan.before is None:
        return []
    coming, then = places_of(plan), known_then(plan.before, undone_trips())
    tops = whole_places(plan)
    homes = {plan.before.at(one.place): one.path for one in mine(plan.before)}
    away = {place for place in plan.offline if os.path.isdir(place)}
    ledgers = {plan.before.at(one.place) for one in plan.before.ledgers}
    gone = []
    for place, known in collection_file.digests_before(plan.top).items():
        offline = place in plan.offline or lies_in(place, away)  # which is not gone
        if place in coming or offline or not os.path.isfile(place):
            continue
        tail = place[len(plan.top) + 1 :]
        inside = lies_in(place, tops)
        # It came after the last carry that this computer knows of: of that nothing here can be missing.
        if inside and tail not in then.digests and place not in ledgers:
            plan.strange.append(tail)
        elif inside or (place in homes and not os.path.lexists(homes[place])):
            gone.append(Gone(tail, *known))
    return gone


def whole_places(plan: CarryPlan) -> set[str]:
    """The places there of the shelves of which all that is not brought now has gone: not of files that were chosen by
    something else than this carry.
    """
    shelves = [one.shelf for one in plan.draft.shelves if not one.shelf.along]
    return {shelf.new for shelf in shelves if plan.chosen or not isinstance(shelf, ChosenFiles)}


def note_gone(plan: CarryPlan) -> None:
    """Write into the collection what has vanished at home, before its manifests are written anew."""
    if plan.before and plan.gone:
        plan.before.gone = plan.gone
        collection_file.write(plan.before)


def drop_gone(plan: CarryPlan) -> list[str]:
    """Remove from the collection what has vanished at home and is as it was brought; the places of what stays, since it
    was changed there or its drive refused.
    """
    left = []
    for one in plan.gone:
        place, went = os.path.join(plan.top, one.place), None
        with suppress(OSError), Removal(plan.top) as removal:
            went = removal.unlink(one.place, as_it_was_brought(place, one))
        if went is None:  # not by a look: what is not seen may be on a drive that has gone
            left.append(one.place)
    return left


def as_it_was_brought(place: str, one: Gone) -> Callable[[os.stat_result], bool]:
    """What tells whether a file of a collection still holds what was brought there."""
    return lambda state: stat.S_ISREG(state.st_mode) and digest_file(place, one.kind) == one.digest


def places_of(plan: CarryPlan) -> set[str]:
    """Where everything comes that a plan carries."""
    return {one.shelf.place(path) for one in plan.draft.shelves for path in one.items}
