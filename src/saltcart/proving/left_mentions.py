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
from saltcart.mentions.place_forms import PlaceForms
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
    still = standings(trip, found, states, forms)
    return still, found, [place for place in wanted if place not in places]


def standings(
    trip: Trip, found: Search, states: Sequence[LedgerState], forms: Sequence[PlaceForms]
) -> list[LeftMentions]:
    """How each file is that still leads to an old place, whether it names one or not."""
    plan, known = trip.waybill, {state.path: state for state in states}
    mentions = {true_path(mention.path): mention for mention in found.found if mention.count}
    for mention in mentions.values():  # what records the past, as its map says, may go on doing so
        if state := known.get(mention.path):
            mention.history += naming(state.past, forms, os.path.dirname(mention.path))
    for mention in in_pieces(trip, found.pieces, known):
        mentions.setdefault(mention.path, mention)
    tops, served, left = [shelf.old for shelf in plan.shelves], service(plan), allowed(plan)
    words = {path: served or (LEFT if path in left else UNACCOUNTED) for path in mentions}
    still = {path: standing(mention, known.get(path), tops, words[path]) for path, mention in mentions.items()}
    for one in (*parted(plan, known), *showing_less(plan, found.found), *links_left(trip, found.links)):
        still.setdefault(one.path, one)
    return sorted(still.values(), key=lambda one: one.path)


def links_left(trip: Trip, links: Mapping[str, str]) -> list[LeftMentions]:
    """The links that lead to where something was, and where nothing is."""
    plan, moves = trip.waybill, trip.waybill.moves()
    dead = [link for link, place in links.items() if moves.follow(place) is not None and not os.path.exists(link)]
    word = {link: LEFT if link in plan.left_unread else UNACCOUNTED for link in dead}
    return [LeftMentions(link, word[link], 1, [Spot("leads to", "link", show(links[link]))]) for link in dead]


def service(plan: Waybill) -> str:
    """What keeps all that names the old places working, as a standing; "" when nothing does."""
    if not still_work(plan):
        return ""
    return ORIGINALS if all(shelf.original_stays for shelf in plan.shelves) else SERVED


def standing(mention: Mention, state: LedgerState | None, olds: Sequence[str], word: str) -> LeftMentions:
    """How one file is that still names an old place: by that word, when what it says of it is no mere text, nor of the
    past.
    """
    live = count = mention.live(known=state is not None)
    if count and state:
        paths = (without_detours(one.resolved) for one in state.judgements())
        count -= sum(any(tail_below(path, old) is not None for old in olds) for path in paths)
    if count <= 0 < live and word == LEFT:  # its entries are judged, and a person agreed to what they are
        return LeftMentions(mention.path, LEFT, live, mention.spots)
    ours = state is not None and state.map_name == cart_toml.NAME  # what is left in it are comments
    if count <= 0 or ours:
        said = mention.prose + mention.free
        return LeftMentions(mention.path, SAID if said else HISTORY, mention.count, mention.said)
    return LeftMentions(mention.path, word, count, mention.spots)
