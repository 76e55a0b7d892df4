"""Links of others that lead into what moves: which are turned, and what becomes of the rest."""

from collections.abc import Mapping, Sequence

from saltcart.errors import show
from saltcart.mentions.mention import Spot
from saltcart.mentions.standings import LEFT, LINKED, ORIGINALS, SERVED
from saltcart.planning.account import Accounted
from saltcart.planning.request import Request
from saltcart.rewriting.links import turned
from saltcart.spelling.moves import tail_below
from saltcart.trips.signposts import leading_to
from saltcart.waybills.waybill import Waybill


def links_into(request: Request, waybill: Waybill, found: Mapping[str, str]) -> list[Accounted]:
    """What becomes of the links that lead into what moves; those that can be turned are, where that was asked."""
    moves = waybill.moves()
    posts = {post for shelf in waybill.shelves for old, _new in shelf.sought() for post in leading_to(old)}
    inner = [link for link, place in found.items() if moves.follow(place) is not None and moves.follow(link) is None]
    inner = [link for link in inner if link not in posts]
    if request.turn_links:
        waybill.turn += [link for link in inner if turned(moves, link) and link not in waybill.turn]
    staying = [link for link in inner if link not in waybill.turn]
    return [standing_of_link(waybill, link, found[link]) for link in staying]


def standing_of_link(waybill: Waybill, link: str, place: str) -> Accounted:
    """What becomes of one link into what moves, when it is not turned."""
    if all(shelf.leave == "signpost" for shelf in waybill.shelves):
        word = SERVED
    elif all(shelf.original_stays for shelf in waybill.shelves):
        word = ORIGINALS
    else:
        word = LEFT if link in waybill.left_unread else LINKED
    return Accounted(link, word, 1, 1, spots=[Spot("leads to", "link", show(place))])


def through_links(links: Mapping[str, str], olds: Sequence[str]) -> dict[str, list[str]]:
    """The paths through links at which the old places are found too, by place."""
    found: dict[str, list[str]] = {}
    for link, place in links.items():
        for old in olds:
            if (tail := tail_below(old, place)) is not None:
                found.setdefault(old, []).append(f"{link}/{tail}".rstrip("/"))
    return found
