"""Works out an account: which files refer to the shelves, which of them are understood, and what can be learnt."""

from __future__ import annotations

from collections.abc import Container, Iterator, Mapping, Sequence
from contextlib import suppress
from itertools import islice
from typing import TYPE_CHECKING

from saltcart.errors import Refused, SaltCartError, show
from saltcart.home import made_home
from saltcart.ledgers.formats import cart_toml
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import Map, load_map
from saltcart.mentions.content import UNREADABLE, mentions_in
from saltcart.mentions.mention import MOST_SPOTS, Mention, Spot
from saltcart.mentions.packed import TooMuch
from saltcart.mentions.search import known_as, search
from saltcart.mentions.search_places import backups, forms_of, parent_forms, relative_forms, search_places
from saltcart.mentions.standings import (
    HISTORY,
    IN_FULL,
    IN_PART,
    LEFT,
    ORIGINALS,
    SAID,
    SERVED,
    SHOWS_LESS,
    UNCHANGEABLE,
    UNREAD,
)
from saltcart.own_names import short_name
from saltcart.planning.account import Account, Accounted
from saltcart.planning.links import links_into, through_links
from saltcart.planning.pieces import Pieces
from saltcart.planning.relative_references import relative_targets
from saltcart.planning.request import Request
from saltcart.planning.shelf_inspection import DraftedShelf, may_be_ledger
from saltcart.planning.trial_rewrite import DraftedLedger, Trial
from saltcart.planning.views import View, leaving, narrowed, views
from saltcart.progress import Progress
from saltcart.safefile import replacing
from saltcart.shelves.true_names import true_path
from saltcart.spelling.moves import outermost
from saltcart.system import os
from saltcart.waybills.waybill import Waybill

if TYPE_CHECKING:
    from saltcart.learning.lessons import Proof


MOST_ALONE = 200  # files that are learnt from one by one, when what others of their kind teach is not enough


class Accountant:
    """Searches for files that refer to the shelves of a waybill, and tries to understand what it finds."""

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
        self.above: dict[str, set[str]] = {}  # of files, the folders that hold shelves and that they name
        self.unseen: dict[str, str] = {}  # files that could not be looked into for that, and why
        self.parting: dict[str, list[str]] = {}  # of files, what they would not find from their folder any more
        self.pieces: dict[str, Mention] = {}  # files that hold paths of what moves in pieces
        self.learnt: set[str] = set()
        self.counted: set[str] = set()
        self.reasons: dict[str, str] = {}  # why files that are understood cannot be rewritten

    def account(self, ledgers: list[DraftedLedger]) -> Account:
        """The account; ledgers that were found and understood are added to `ledgers`, their maps to the waybill."""
        for path in (*self.request.search, *self.request.leave_unread, *self.request.not_searched):
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
        left_out = {true_path(path) for path in (*self.request.not_searched, *self.request.cart.not_searched)}
        places = [place for place in places if place not in left_out]
        self.waybill.search, self.waybill.not_searched = places, sorted(left_out)
        away = [place for place in self.request.cart.places if not os.path.exists(place)]
        gone = [old for shelf in leaving(self.waybill.shelves) for old, _new in shelf.sought()]
        forms = forms_of(self.olds, self.waybill.means) + parent_forms(gone, self.waybill.means)
        seen = search(forms, places, self.progress, self.waybill.not_searched, originals=True)
        if aliases := through_links(seen.links, self.olds):
            gone += [alias for old in gone for alias in aliases.get(old, ())]
            forms = forms_of(self.olds, self.waybill.means, aliases) + parent_forms(gone, self.waybill.means)
            seen = search(forms, places, self.progress, self.waybill.not_searched, originals=True)
        result = Account(seen, away, backups(self.request.cart))
        # What an interrupted haul has copied already does not count: it is compared, and replaced or refused.
        coming = {one.shelf.place(item) for one in self.drafted for item in one.items}
        mentions = {true_path(mention.path): mention for mention in result.search.found if mention.path not in coming}
        self.note_pieces(seen.pieces, coming)
        result.files = self.files(mentions, ledgers) + links_into(self.request, self.waybill, seen.links)
        self.waybill.maps = [plan.path for plan in self.maps]
        return result

    def across(self, ledgers: list[DraftedLedger]) -> list[Accounted]:
        """What becomes of the files in divided shelves that name what parts from them; see `account`."""
        return self.files({}, ledgers)

    def files(self, mentions: dict[str, Mention], ledgers: list[DraftedLedger]) -> list[Accounted]:
        """What becomes of the files with these mentions, and of those in divided shelves; see `account`."""
        known = {one.line.path: one for one in ledgers}
        for mention in self.across_the_cut(set(known)):
            mentions.setdefault(mention.path, mention)
        self.parting = dict(self.parted_from(set(known)))
        for path, targets in self.parting.items():
            spots = [
                Spot("from its folder", "relative", show(os.path.relpath(one, os.path.dirname(path))))
                for one in targets
            ]
            mentions.setdefault(path, Mention(path, len(targets), spots=spots[:MOST_SPOTS]))
        for path, mention in self.pieces.items():
            mentions.setdefault(path, mention)
        # The trip's own ledgers were tried already; only for the others it has to be found out what they are.
        unknown = [path for path in mentions if path not in known]
        self.above = {path: {folder for folder, _spot in one.above} for path, one in mentions.items() if one.above}
        present = {path for path, one in mentions.items() if one.live() or one.above}
        found = self.understood(unknown, present)
        ledgers += found.values()
        unseen = [
            Accounted(path, LEFT if path in self.waybill.left_unread else UNREAD, 1, 1, why=why)
            for path, why in self.unseen.items()
        ]
        return unseen + [
            self.standing(path, one, known.get(path) or found.get(path))
            for path, one in mentions.items()
            if path not in self.unseen and (one.count or self.views(one, known.get(path) or found.get(path)))
        ]

    def across_the_cut(self, known: set[str]) -> Iterator[Mention]:
        """Files in divided shelves that are no known ledgers, and name from their own folders what parts from them."""
        for one in self.drafted:
            leaving = (f"{one.shelf.old}/{item}" for item in one.items if may_be_ledger(item)) if one.kept else ()
            staying_forms, leaving_forms = (relative_forms(some, one.shelf.old) for some in (one.tops, one.kept))
            pairs = [(path, staying_forms) for path in one.left] + [(path, leaving_forms) for path in leaving]
            for path, forms in ((path, forms) for path, forms in pairs if forms and path not in known):
                with suppress(*UNREADABLE):
                    if (mention := mentions_in(path, forms)).count:
                        yield mention

    def note_pieces(self, found: Mapping[str, Sequence[str]], coming: Container[str]) -> None:
        """Note which files hold paths of what moves in pieces, of those that have the names of folders as values."""
        pieces = Pieces({one.shelf.old: one.items for one in self.drafted if one.shelf.in_folder})
        mentions = (pieces.mention(path, folders) for path, folders in found.items() if path not in coming)
        self.pieces = {true_path(mention.path): mention for mention in mentions if mention}

    def parted_from(self, known: set[str]) -> Iterator[tuple[str, list[str]]]:
        """Files in or beside what moves that are no known ledgers, with what they refer to from their own folders and
        will not find from there any more: one of the two moves, and the other stays or goes elsewhere.
        """
        moves = self.waybill.moves()

        def new(path: str) -> str:
            return moves.follow(path) or path

        for one in self.drafted:
            if not one.shelf.in_folder:
                continue
            going = (f"{one.shelf.old}/{item}" for item in one.items if may_be_ledger(item))
            for path in (path for path in (*going, *one.left) if path not in known and os.path.isfile(path)):
                folder = os.path.dirname(path)
                try:
                    targets = sorted(relative_targets(path))
                except OSError:  # a shelf moves whole, and the search reports what is beside it
                    continue
                except TooMuch as error:
                    self.unseen[path] = str(error)
                    continue
                there = os.path.dirname(new(path))
                parting = [one for one in targets if os.path.relpath(one, folder) != os.path.relpath(new(one), there)]
                if parting:
                    yield path, parting

    def understood(self, paths: Sequence[str], present: set[str]) -> dict[str, DraftedLedger]:
        """Those files that are ledgers, through maps that are there or that are learnt: from all of a kind together,
        then from each that these do not reach whole.  What speaks only of the past, and is not `present`, need not be
        learnt.
        """
        found: dict[str, DraftedLedger] = {}
        for path in paths:
            own = self.request.cart.path and path == true_path(self.request.cart.path)
            name = cart_toml.NAME if own else known_as(path, self.maps)
            if name and (one := self.tried(path, name)):
                found[path] = one
                one.uncovered = 0 if own else one.uncovered  # what is left there are comments
        wanting = [path for path in paths if path in present and self.is_wanting(path, found)]
        if not wanting:
            return found
        from saltcart.learning.learn import kinds_of  # seldom needed, and takes long to load

        groups = kinds_of(wanting)
        for group in groups:
            self.teach(group, found)
        for path in islice((path for group in groups if len(group) > 1 for path in group), MOST_ALONE):
            if self.is_wanting(path, found):
                self.teach([path], found)
        return found

    def is_wanting(self, path: str, found: Mapping[str, DraftedLedger]) -> bool:
        """Whether a file is no ledger that was `found`, or one that does not reach all that it names."""
        return path not in found or bool(self.unreached(found[path]))

    def unreached(self, one: DraftedLedger) -> int:
        """How much of what a file names no entry of it reaches: mentions of the shelves, and folders that hold them."""
        named = set(map(os.path.realpath, one.folders))
        return one.uncovered + len(self.above.get(one.line.path, set()) - named) + self.not_followed(one)

    def not_followed(self, one: DraftedLedger) -> int:
        """How much of what a file names without a full path no entry of it accounts for."""
        pieces, moves = self.pieces.get(one.line.path), self.waybill.moves()
        if pieces is None:
            return len(self.still_parted(one))
        reached = {judgement.resolved for judgement in one.state.judgements() if moves.covers(judgement.resolved)}
        return len(self.still_parted(one)) + max(0, pieces.count - len(reached))

    def still_parted(self, one: DraftedLedger) -> set[str]:
        """What a file refers to from its folder, would not find any more, and has no entry for that follows."""
        parting = set(self.parting.get(one.line.path, ()))
        if not parting or not one.line.rewrite:
            return parting
        return parting - {os.path.normpath(judgement.resolved) for judgement in one.state.judgements()}

    def leads_out(self, path: str, one: DraftedLedger | None) -> bool:
        """Whether a file that moves names from its folder what does not come along; no link at its old place helps."""
        parting = self.still_parted(one) if one else path in self.parting
        return bool(parting) and self.waybill.moves().covers(path)

    def views(self, mention: Mention, one: DraftedLedger | None) -> list[View]:
        """The folders that a file names and that will show less; of a ledger, those that it lists so."""
        if one and one.line.map_name == cart_toml.NAME:
            return []
        reached = set(map(os.path.realpath, one.folders)) if one else set()
        named = [folder for folder in dict.fromkeys(folder for folder, _spot in mention.above) if folder not in reached]
        less = narrowed(named, self.waybill.shelves)
        return views([*(one.narrowed if one else ()), *less], self.waybill.shelves)

    def tried(self, path: str, map_name: str) -> DraftedLedger | None:
        """A ledger rewritten on trial, if that can be done."""
        with suppress(SaltCartError):
            ledger = open_ledger(path, self.maps, map_name)
            if ledger.lists and leaving(self.waybill.shelves):
                self.trial.look_for_lists(ledger)
            return self.trial.run(ledger)
        return None

    def teach(self, paths: Sequence[str], found: dict[str, DraftedLedger]) -> None:
        """Learn a map for some files, and take it for those of which it makes more than what was `found` before."""
        from saltcart.learning.learn import learn

        stem = os.path.splitext(os.path.basename(paths[0]))[0]
        try:
            lesson = learn(paths, self.against(paths), self.waybill.means, f"{show(stem)} {short_name(paths[0], 4)}")
        except UNREADABLE:
            return
        better: dict[str, DraftedLedger] = {}
        trusted = "trusted = true\n" if self.request.trust_map and lesson.container == "counted" else ""
        plan = keep_map(trusted + lesson.map_text) if any(map(worth, lesson.proofs)) else None
        self.maps += [plan] if plan else []
        self.reasons |= {proof.path: proof.trouble for proof in lesson.proofs if proof.trouble and proof.refused}
        if not plan:
            return
        for proof in filter(worth, lesson.proofs):
            one, best = self.tried(proof.path, plan.name), found.get(proof.path)
            # A map that reaches no more than what was there before is no gain, and one more thing to go wrong.
            if one and (best is None or self.unreached(one) < self.unreached(best)):
                better[proof.path] = one
        if not better:
            self.maps.remove(plan)
        found |= better
        self.learnt |= better.keys()
        if plan.counting:
            self.counted |= better.keys()

    def against(self, paths: Sequence[str]) -> Sequence[str]:
        """The folders whose sounds tell which values of some files are paths: the shelves, and what is named beside."""
        above = [folder for path in paths for folder in self.above.get(path, ())]
        above += [os.path.dirname(place) for path in paths for place in self.parting.get(path, ())]
        return outermost([*above, *self.sought]) if above else self.sought

    def standing(self, path: str, mention: Mention, one: DraftedLedger | None) -> Accounted:
        """What becomes of one file that names the shelves."""
        uncovered = one.uncovered + self.not_followed(one) if one else mention.live()
        spots, less = one.spots if one else mention.spots or mention.said, self.views(mention, one)
        if less and not uncovered:
            spots = spots or [spot for _folder, spot in mention.above]
            word = LEFT if path in self.waybill.left_unread else SHOWS_LESS
        elif not uncovered:
            word = IN_FULL if one else HISTORY if mention.history else SAID
        else:
            word = self.not_reached(path, one)
        name, why = (one.line.map_name, one.line.why) if one else ("", self.reasons.get(path, ""))
        return Accounted(
            mention.path,
            word,
            mention.count,
            uncovered,
            name,
            path in self.learnt,
            path in self.counted,
            spots,
            why,
            less,
            leads_out=self.leads_out(path, one),
        )

    def not_reached(self, path: str, one: DraftedLedger | None) -> str:
        """The word for a file of which something names the shelves and does not follow them."""
        if all(shelf.leave == "signpost" for shelf in self.waybill.shelves) and not self.leads_out(path, one):
            return SERVED  # all that matters is whether it is found at the old place
        if all(shelf.original_stays for shelf in self.waybill.shelves):
            return ORIGINALS
        if path in self.waybill.left_unread:
            return LEFT
        if (one and not one.line.rewrite) or (not one and path in self.reasons):
            return UNCHANGEABLE
        return IN_PART if one and one.changes else UNREAD


def worth(proof: Proof) -> bool:
    """Whether a map does something for a file."""
    return bool(proof.rewritten) and not proof.trouble


def keep_map(text: str) -> Map:
    """Keep a map that was learnt among our own data, in a file named by its content: none is ever changed."""
    place = os.path.join(made_home("maps"), f"{short_name(text)}.toml")
    if not os.path.exists(place):
        with replacing(place) as neighbour, open(neighbour, "w", encoding="utf-8") as stream:
            stream.write(text)
    return load_map(place)
