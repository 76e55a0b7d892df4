"""Places on this computer that a collection proposes, and those that a person chose."""

from collections.abc import Container, Mapping, Sequence

from saltcart.carrying.agreement import BACK, IN_PLACE
from saltcart.carrying.own_record import may_be_proposed
from saltcart.carrying.stands import NONE, SettlePlan
from saltcart.errors import Refused, UsageError, counted, show, typed
from saltcart.shelves.true_names import true_path
from saltcart.spelling.moves import tail_below
from saltcart.system import os
from saltcart.waybills.collection import Collection


def proposals(plan: SettlePlan, ours: Container[str]) -> dict[str, str]:
    """The places here that only the collection itself speaks for, by those in it: neither our own record nor the person
    does.  On the way back that is every such place; else those that must not be taken over unasked.
    """
    found = {} if plan.way == IN_PLACE else {place: home for place, home in plan.homes.items() if place not in ours}
    tops = [place for place, _source in plan.found.sources()]
    for one in plan.ledgers:
        inside = any(tail_below(f"/{one.carried.place}", f"/{top}") for top in tops)
        if one.carried.place not in ours and not inside and one.stands_there != NONE:
            found[one.carried.place] = one.here
    return {place: home for place, home in found.items() if plan.way == BACK or not may_be_proposed(home)}


def refuse_proposals(found: Mapping[str, str]) -> None:
    """Raise Refused for places that a collection proposes and that must not be taken over unasked: what is on a drive
    may have been edited by anybody.
    """
    if found:
        count = counted(len(found), "place", "places")
        given = " ".join(f"--place {typed(f'{place}={home}')}" for place, home in found.items())
        raise Refused(
            f"The collection proposes {count} outside your home folder, or hidden in it",
            f"A drive never decides on its own where files are written. If these places are right, add: {given}",
            [f"{show(place)}: {show(home)}" for place, home in list(found.items())[:20]],
        )


def chosen(found: Collection, places: Sequence[str]) -> dict[str, str]:
    """The places here that were asked for, by those in the collection.  UsageError for what is none."""
    known = {place for place, _source in found.sources()} | {one.place for one in found.ledgers}
    result = {}
    for text in places:
        place, sign, home = text.partition("=")
        if not sign or not home or place.strip("/") not in known:
            raise UsageError(
                f"{show(text)} does not say where something of the collection goes",
                f"Write it like PLACE=FOLDER, with one of: {', '.join(map(show, sorted(known)))}",
            )
        result[place.strip("/")] = true_path(os.path.expanduser(home))
    return result


def is_unasked(plan: SettlePlan, place: str) -> bool:
    """Whether only the collection says where a place of it, or what it lies in, is here."""
    return any(tail_below(f"/{place}", f"/{top}") is not None for top in plan.unasked)
