"""The account of a draft: every file that names the shelves, and whether what it says of them will follow.

Unknown files are learnt on the way, and are updated when the learnt map reaches every mention.
"""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct, field

from saltcart.mentions.mention import Spot
from saltcart.mentions.search import Search
from saltcart.mentions.standings import IN_PART, LINKED, SHOWS_LESS, UNCHANGEABLE, UNREAD
from saltcart.planning.trial_rewrite import DraftedLedger
from saltcart.planning.views import View, views
from saltcart.waybills.waybill import Waybill


class Accounted(Struct):
    """One file that names the shelves: how often, how much of that its map does not reach, and what becomes of it.

    `spots` are some of what is not reached; `learnt`: its map was made just now, for a file of which nothing is
    known but lengths when `counted`; `why` a ledger stays as it is.  `views` are folders that it names and that will
    show less.  In an `archive`, the path is that of the archive and that in it.  What `leads_out` moves, and names from
    its folder what stays.
    """

    path: str
    standing: str
    count: int
    uncovered: int = 0
    map_name: str = ""
    learnt: bool = False
    counted: bool = False
    spots: Sequence[Spot] = ()
    why: str = ""
    views: Sequence[View] = ()
    archive: str = ""
    leads_out: bool = False

    @property
    def open(self) -> bool:
        """Whether something in it would lead nowhere after the trip, and nobody has agreed to that."""
        return self.standing in (IN_PART, UNREAD, UNCHANGEABLE, SHOWS_LESS, LINKED)


class Account(Struct):
    """All files that name the shelves, in the places that were searched; `away` ones of cart.toml are not there, and
    those for `backups` are not meant.
    """

    search: Search
    away: list[str] = field(default_factory=list)
    backups: list[str] = field(default_factory=list)
    files: list[Accounted] = field(default_factory=list)

    def open(self) -> list[Accounted]:
        """The files that need a decision."""
        return [one for one in self.files if one.open]

    @property
    def complete(self) -> bool:
        """Whether nothing was left unseen that may name the shelves."""
        return not self.away and not self.search.gap_counts


def without_search(one: DraftedLedger, waybill: Waybill) -> Accounted | None:
    """What becomes of a ledger that no search found, when it would lose something: entries, or what it shows."""
    served = all(shelf.leave == "signpost" or shelf.original_stays for shelf in waybill.shelves)
    losing = one.uncovered if not one.line.rewrite else 0
    if served or one.line.path in waybill.left_unread or not (losing or one.narrowed):
        return None
    less = views(one.narrowed, waybill.shelves)
    word = UNCHANGEABLE if losing else SHOWS_LESS
    return Accounted(one.line.path, word, losing, losing, one.line.map_name, why=one.line.why, views=less)
