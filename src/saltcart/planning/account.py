"""The account of a draft: every file that names the shelves, and whether what it says of them will follow.

What nobody has described is learnt on the way, and taken along when the map that was learnt reaches every mention.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from contextlib import suppress
from typing import TYPE_CHECKING

from msgspec import Struct, field

from saltcart.errors import Refused, SaltCartError, show
from saltcart.home import made_home
from saltcart.ledgers import Map, load_map, open_ledger
from saltcart.ledgers.formats import cart_toml
from saltcart.mentions.content import UNREADABLE, Mention, Spot, mentions_in
from saltcart.mentions.search import Search, known_as, search
from saltcart.mentions.search_places import forms_of, relative_forms, search_places
from saltcart.mentions.standings import HISTORY, IN_FULL, IN_PART, LEFT, ORIGINALS, SERVED, UNCHANGEABLE, UNREAD
from saltcart.own_names import short_name
from saltcart.planning.request import Request
from saltcart.planning.shelf_inspection import DraftedShelf, may_be_ledger
from saltcart.planning.trial_rewrite import DraftedLedger, Trial
from saltcart.progress import Progress
from saltcart.safefile import replacing
from saltcart.shelves.true_names import true_path
from saltcart.waybills.waybill import Waybill

if TYPE_CHECKING:
    from saltcart.learning.lessons import Proof


class Accounted(Struct):
    """One file that names the shelves: how often, how much of that its map does not reach, and what becomes of it.

    `spots` are some of what is not reached; `learnt`: its map was made just now, for a file of which nothing is
    known but lengths when `counted`; `why` a ledger stays as it is.
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

    @property
    def open(self) -> bool:
        """Whether something in it would lead nowhere after the trip, and nobody has agreed to that."""
        return self.standing in (IN_PART, UNREAD, UNCHANGEABLE)


class Account(Struct):
    """All files that name the shelves, in the places that were searched; `away` ones of cart.toml are not there."""

    search: Search
    away: list[str] = field(default_factory=list)
    files: list[Accounted] = field(default_factory=list)

    def open(self) -> list[Accounted]:
        """The files that need a decision."""
        return [one for one in self.files if one.open]


class Accountant:
    """Searches for what names the shelves of a waybill, and tries to understand what it finds."""

    def __init__(
        self,
        request: Request,
        waybill: Waybill,
        drafted: Sequence[DraftedShelf],
        trial: Trial,
        maps: list[Map],
        progress: Progress,
    ):
        self.request, self.waybill, self.trial, self.maps, self.progress = request, waybill, trial, maps, progress
        self.olds = [old for shelf in waybill.shelves for old, _new in shelf.sought()]
        # In what lies in a shelf and stays, its parts are named and not the shelf.
        self.drafted = drafted
        self.sought = [*self.olds, *(part for one in drafted for part in (*one.tops, *one.kept))]
        self.learnt: set[str] = set()
        self.counted: set[str] = set()

    def account(self, ledgers: list[DraftedLedger]) -> Account:
        """The account; ledgers that were found and understood are added to `ledgers`, their maps to the waybill."""
        for path in (*self.request.search, *self.request.leave_unread):
            if not os.path.lexists(os.path.expanduser(path)):
                raise Refused(
                    f"{show(path)} is not there", "Check the path; if its drive is not connected, plug it in."
                )
        more = [os.path.expanduser(path) for path in self.request.search]
        places = search_places(
            [shelf.old for shelf in self.waybill.shelves],
            self.request.cart,
            [one.line.path for one in ledgers],
            more,
            [shelf.new for shelf in self.waybill.shelves],
        )
        self.waybill.search = places
        away = [place for place in self.request.cart.places if not os.path.exists(place)]
        result = Account(search(forms_of(self.olds, self.waybill.means), places, self.progress), away)
        known = {one.line.path: one for one in ledgers}
        # What an interrupted haul has copied already is no file of its own: it is compared, and replaced or refused.
        coming = {one.shelf.place(item) for one in self.drafted for item in one.items}
        mentions = {true_path(mention.path): mention for mention in result.search.found if mention.path not in coming}
        for mention in self.across_the_cut(set(known)):
            mentions.setdefault(mention.path, mention)
        unknown = [path for path in mentions if path not in known]
        found = self.understood(unknown, {path for path, one in mentions.items() if one.count > one.history})
        ledgers += found.values()
        result.files = [self.standing(path, one, known.get(path) or found.get(path)) for path, one in mentions.items()]
        self.waybill.maps = [plan.path for plan in self.maps]
        return result

    def across_the_cut(self, known: set[str]) -> Iterator[Mention]:
        """Files in divided shelves that are no known ledgers, and name from their own folders what parts from them."""
        for one in self.drafted:
            leaving = (f"{one.shelf.old}/{item}" for item in one.items if may_be_ledger(item)) if one.kept else ()
            for paths, forms in (
                (one.left, relative_forms(one.tops, one.shelf.old)),
                (leaving, relative_forms(one.kept, one.shelf.old)),
            ):
                for path in paths if forms else ():
                    with suppress(*UNREADABLE):
                        mention = Mention(path) if path in known else mentions_in(path, forms)
                        if mention.count:
                            yield mention

    def understood(self, paths: Sequence[str], present: set[str]) -> dict[str, DraftedLedger]:
        """Those files that are ledgers, through maps that are there or that are learnt: from all of a kind together,
        then from each that these do not reach whole.  What speaks of the past alone, and is not `present`, need not be
        learnt.
        """
        found: dict[str, DraftedLedger] = {}
        for path in paths:
            own = self.request.cart.path and path == true_path(self.request.cart.path)
            name = cart_toml.NAME if own else known_as(path, self.maps)
            if name and (one := self.tried(path, name)):
                found[path] = one
                one.uncovered = 0 if own else one.uncovered  # what is left there are comments
        wanting = [path for path in paths if path in present and (path not in found or found[path].uncovered)]
        if not wanting:
            return found
        from saltcart.learning.learn import kinds_of  # seldom needed, and takes long to load

        groups = kinds_of(wanting)
        for group in groups:
            self.teach(group, found)
        for path in (path for group in groups if len(group) > 1 for path in group):
            if path not in found or found[path].uncovered:
                self.teach([path], found)
        return found

    def tried(self, path: str, map_name: str) -> DraftedLedger | None:
        """A ledger rewritten on trial, if that can be done."""
        with suppress(SaltCartError):
            return self.trial.run(open_ledger(path, self.maps, map_name))
        return None

    def teach(self, paths: Sequence[str], found: dict[str, DraftedLedger]) -> None:
        """Learn a map for some files, and take it for those of which it makes more than what was `found` before."""
        from saltcart.learning.learn import learn

        try:
            stem = os.path.splitext(os.path.basename(paths[0]))[0]
            lesson = learn(paths, self.sought, self.waybill.means, f"{show(stem)} {short_name(paths[0], 4)}")
        except UNREADABLE:
            return
        better: dict[str, DraftedLedger] = {}
        plan = keep_map(lesson.map_text) if any(map(worth, lesson.proofs)) else None
        self.maps += [plan] if plan else []
        for proof in lesson.proofs if plan else ():
            best = found.get(proof.path)
            one = self.tried(proof.path, plan.name) if plan and worth(proof) else None
            if one and (best is None or one.uncovered < best.uncovered):
                better[proof.path] = one
        if plan and not better:
            self.maps.remove(plan)
        found |= better
        self.learnt |= better.keys()
        if plan and plan.counting:
            self.counted |= better.keys()

    def standing(self, path: str, mention: Mention, one: DraftedLedger | None) -> Accounted:
        """What becomes of one file that names the shelves."""
        uncovered = one.uncovered if one else mention.count - mention.history
        spots = one.spots if one else mention.spots
        if not uncovered:
            word = IN_FULL if one else HISTORY
        elif all(shelf.leave == "signpost" for shelf in self.waybill.shelves):
            word = SERVED
        elif all(shelf.original_stays for shelf in self.waybill.shelves):
            word = ORIGINALS
        elif path in self.waybill.left_unread:
            word = LEFT
        elif one and not one.line.rewrite:
            word = UNCHANGEABLE
        else:
            word = IN_PART if one and one.changes else UNREAD
        name = one.line.map_name if one else ""
        learnt, counted, why = path in self.learnt, path in self.counted, one.line.why if one else ""
        return Accounted(mention.path, word, mention.count, uncovered, name, learnt, counted, spots, why)


def worth(proof: Proof) -> bool:
    """Whether a map does something for a file."""
    return bool(proof.rewritten) and not proof.trouble


def keep_map(text: str) -> Map:
    """Keep a map that was learnt among our own data, in a file named by its content: none is ever changed."""
    place = os.path.join(made_home("maps"), f"{short_name(text)}.toml")
    with replacing(place) as neighbour, open(neighbour, "w", encoding="utf-8") as stream:
        stream.write(text)
    return load_map(place)
