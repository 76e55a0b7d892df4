"""Deeds: the single steps of a switch as plain data, with how each is done, undone and looked at (see
`all_or_nothing`); and the record of them.
"""

import json
from collections.abc import Iterable
from typing import TypeAlias

from msgspec import convert, to_builtins

from saltcart.switching.deed_kinds import BringBack, Rename, Supersede, Swap
from saltcart.switching.deeds_on_places import Link, Make, Remove, Unlink
from saltcart.switching.one_deed import UNSEEN
from saltcart.trips.trip import Trip

Deed: TypeAlias = Swap | Rename | Link | Unlink | Make | Remove | Supersede | BringBack


def text_of(deed: Deed) -> str:
    """A deed as it is recorded.  Not only by msgspec: a name may be no text, and JSON of its own escapes that."""
    return json.dumps(to_builtins(deed))


def record(trip: Trip, plan: str, deeds: Iterable[Deed]) -> None:
    """Record what is going to be done, in order, in place of an earlier plan of that name."""
    trip.logbook.plan_deeds(plan, map(text_of, deeds))


def recorded(trip: Trip, plan: str) -> list[tuple[int, Deed, bool]]:
    """Number, content and whether done, of each deed of a plan in order."""
    return [(number, convert(json.loads(text), Deed), done) for number, text, done in trip.logbook.deeds(plan)]


def inverse(deeds: Iterable[Deed]) -> list[Deed]:
    """The deeds that take renames, links and folders back, the last first; swaps are not among them."""
    return [back for deed in reversed(list(deeds)) if (back := deed.inverse())]


def perform(deed: Deed) -> None:
    """Do one deed, or see that it is done."""
    deed.do()


def revert(deed: Deed) -> None:
    """Undo one deed, or see that it is not done."""
    deed.undo()


def standing(deed: Deed) -> str:
    """How a deed is in the world: DONE, UNDONE or UNSEEN."""
    try:
        return deed.look()
    except OSError:
        return UNSEEN
