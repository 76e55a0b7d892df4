"""What still names the old places of a trip after its switch, and why that may be.

The places that the draft searched are searched again: a program may have written since, or keep more than its map says.
"""

from collections.abc import Mapping, Sequence

from saltcart.cart import Cart
from saltcart.errors import show
from saltcart.judging.judgements import LedgerState
from saltcart.ledgers.formats import cart_toml
from saltcart.mentions.content import naming
from saltcart.mentions.mention import Mention, Spot
from saltcart.mentions.search import Search, search
from saltcart.mentions.search_places import forms_after, relative_forms, search_places
from saltcart.mentions.standings import HISTORY, LEFT, ORIGINALS, SAID, SERVED, UNACCOUNTED
from saltcart.progress import Progress
from saltcart.proving.left_unnamed import allowed, in_pieces, parted, showing_less, still_work, view_forms
from saltcart.proving.results import LeftMentions
from saltcart.shelves.true_names import true_path, without_detours
from saltcart.spelling.moves import tail_below
from saltcart.system import os
from saltcart.trips.trip import Trip
from saltcart.waybills.parts import divided
from saltcart.waybills.waybill import Waybill


def left_mentions(
    trip: Trip, states: Sequence[LedgerState], progress: Progress
) -> tuple[list[LeftMentions], Search | None, list[str]]:
    """The files that still name an old place, what was searched, and which places are not there to be searched; no
    search where nothing moved.

    `states` are the trip's ledgers as they are now: what they name at an old place stayed there on purpose, or is
    judged missing separately.
    """
    plan = trip.waybill
    if not plan.sought() or plan.collection:  # whose originals all stay
        return [], None, []
    olds, news = zip(*plan.sought(), strict=True)
    wanted = plan.search or search_places(olds, Cart(), [state.path for state in states])  # the draft did not search
    places = [place for place in wanted if os.path.lexists(place)]
    forms = forms_after(olds, news, plan.means)
    for shelf in plan.shelves:
        left, vain = divided(shelf)
        forms += relative_forms(left, shelf.old) + relative_forms(vain, shelf.new)
    found = search(forms + view_forms(plan), places, progress, plan.not_searched, originals=True)
    known = {state.path: state for state in states}
    mentions = {true_path(mention.path): mention for mention in found.found if mention.count}
    for mention in mentions.values():  # what records the past, as its map says, may go on doing so
        if state := known.get(mention.path):
            mention.history += naming(state.past, forms, os.path.dirname(mention.path))
    for mention in in_pieces(trip, found.pieces, known):
        mentions.setdefault(mention.path, mention)
    still = {path: standing(mention, known.get(path), plan) for path, mention in mentions.items()}
    for one in (*parted(plan, known), *showing_less(plan, found.found), *links_left(trip, found.links)):
        still.setdefault(one.path, one)
    return sorted(still.values(), key=lambda one: one.path), found, [one for one in wanted if one not in places]


def links_left(trip: Trip, links: Mapping[str, str]) -> list[LeftMentions]:
    """The links that lead to where something was, and where nothing is."""
    plan, moves = trip.waybill, trip.waybill.moves()
    dead = [link for link, place in links.items() if moves.follow(place) is not None and not os.path.exists(link)]
    word = {link: LEFT if link in plan.left_unread else UNACCOUNTED for link in dead}
    return [LeftMentions(link, word[link], 1, [Spot("leads to", "link", show(links[link]))]) for link in dead]


def standing(mention: Mention, state: LedgerState | None, plan: Waybill) -> LeftMentions:
    """How one file is that still names an old place."""
    count = mention.live(known=state is not None)
    if count and state:
        olds = [shelf.old for shelf in plan.shelves]
        paths = (without_detours(one.resolved) for one in state.judgements())
        count -= sum(any(tail_below(path, old) is not None for old in olds) for path in paths)
    ours = state is not None and state.map_name == cart_toml.NAME  # what is left in it are comments
    if count <= 0 or ours:
        said = mention.prose + mention.free
        return LeftMentions(mention.path, SAID if said else HISTORY, mention.count, mention.said)
    if still_work(plan):
        word = ORIGINALS if all(shelf.original_stays for shelf in plan.shelves) else SERVED
    else:
        word = LEFT if mention.path in allowed(plan) else UNACCOUNTED
    return LeftMentions(mention.path, word, count, mention.spots)
