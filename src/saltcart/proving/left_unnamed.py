"""What still leads to the old places of a trip and names none of them: paths in pieces, folders listed that show less
now, and paths from a file's own folder.  The draft told them, and the trip went on by a signpost or by consent.
"""

import sqlite3
from collections.abc import Container, Iterable, Iterator, Mapping, Sequence
from contextlib import suppress

from saltcart.errors import show
from saltcart.ledgers.sqlite.opening import claims, reading
from saltcart.mentions.content import UNREADABLE
from saltcart.mentions.folder_trees import sounds_in
from saltcart.mentions.mention import MOST_SPOTS, Mention, Spot
from saltcart.mentions.nested_names import LARGEST, nested_sounds
from saltcart.mentions.packed import TooMuch
from saltcart.mentions.place_forms import PlaceForms
from saltcart.mentions.search_places import parent_forms
from saltcart.mentions.standings import LEFT, SHOWS_LESS
from saltcart.mentions.whole_values import comparable, whole_values
from saltcart.planning.pieces import Pieces
from saltcart.planning.relative_references import relative_texts
from saltcart.planning.views import leaving, narrowed
from saltcart.proving.results import LeftMentions
from saltcart.shelves.true_names import true_path
from saltcart.shelves.walk import FILE
from saltcart.spelling.moves import Moves, tail_below
from saltcart.system import os
from saltcart.trips.trip import Trip
from saltcart.waybills.waybill import Waybill


def allowed(plan: Waybill) -> dict[str, str]:
    """The files that may go on leading to the old places, as they lie now, with where each lay."""
    moves = plan.moves()
    return {moves.follow(path) or path: path for path in plan.left_unread}


def still_work(plan: Waybill) -> bool:
    """Whether all the old places still lead to the sounds."""
    signposts = all(shelf.leave == "signpost" and os.path.islink(shelf.old) for shelf in plan.shelves)
    return bool(plan.shelves) and (signposts or all(shelf.original_stays for shelf in plan.shelves))


def in_pieces(trip: Trip, found: Mapping[str, Sequence[str]], known: Container[str]) -> Iterator[Mention]:
    """The files that hold old paths in pieces, of those `found` that have the names of folders as values; the entries
    of what is `known` are judged.

    Both places may have the same names.  Then only what was left on purpose, or still works, is held to mean the old.
    """
    plan = trip.waybill
    moves, left, works = plan.moves(), allowed(plan), still_work(plan)
    pieces = Pieces(moved(trip)) if found else Pieces({})
    for path, folders in ((true_path(one), found[one]) for one in found):
        if path in known and path not in left:
            continue
        sure = leads_back(path, folders, moves, works)
        mention = pieces.mention(path, folders) if sure or (sure is None and (works or path in left)) else None
        if mention:
            yield mention


def moved(trip: Trip) -> dict[str, list[str]]:
    """The paths of the files that came along, by the folder they came with."""
    shelves = [one for one in trip.shelves if one.shelf.in_folder]
    rows = {one.shelf.old: one.log.brief(one.number) for one in shelves}
    return {old: [path for path, kind, *_rest in some if kind == FILE] for old, some in rows.items()}


def leads_back(path: str, folders: Sequence[str], moves: Moves, works: bool) -> bool | None:
    """Whether the pieces in a file make paths at the old places that lead nowhere, or by what still `works`; None where
    nobody can tell.
    """
    news = [moves.follow(one) or one for one in folders]
    with suppress(*UNREADABLE, sqlite3.Error):
        if sounds := in_tree(path):
            if any(moves.covers(one) and (works or not os.path.lexists(one)) for one in sounds):
                return True
            shown = [one for one in sounds if any(tail_below(one, new) is not None for new in news)]
            return False if any(map(os.path.lexists, shown)) else None  # other names of the old places are none of ours
        told = {name for old, new in zip(folders, news, strict=True) for name in names_of(new) - names_of(old)}
        return True if told and told.isdisjoint(whole_values(path)) else None
    return None


def names_of(folder: str) -> set[str]:
    """The names of a folder and of that which holds it, as values are compared."""
    return {comparable(name) for name in folder.rstrip("/").split("/")[-2:]}


def in_tree(path: str) -> list[str]:
    """The sounds that a file names by folders in each other: a database by a tree of them, a document by records."""
    with open(path, "rb") as stream:
        head = stream.read(100)
        if not claims(head):
            return nested_sounds(head + stream.read(LARGEST))[0]
    with reading(path) as (connection, _uri):
        return sounds_in(connection)[0]


def view_forms(plan: Waybill) -> list[PlaceForms]:
    """What is looked for to tell which folders a file lists that was left on purpose: those that hold old places, and
    those in which it would see the new ones.
    """
    pairs = [pair for shelf in leaving(plan.shelves) for pair in shelf.sought()] if plan.left_unread else []
    return parent_forms([place for old, new in pairs for place in (old, f"{new}/any")], plan.means)


def showing_less(plan: Waybill, found: Iterable[Mention]) -> Iterator[LeftMentions]:
    """Of the files left on purpose those whose programs look through a folder that has lost sounds."""
    left = allowed(plan)
    for one in found:
        if one.path in left and (less := narrowed([folder for folder, _spot in one.above], plan.shelves)):
            spots = [spot for folder, spot in one.above if folder in less]
            yield LeftMentions(one.path, SHOWS_LESS, len(less), spots)


def parted(plan: Waybill, known: Container[str]) -> Iterator[LeftMentions]:
    """Of the files left on purpose those that do not find from their folders what they found there: one of the two has
    moved.
    """
    moves = plan.moves()
    for path, then in allowed(plan).items():
        if path in known or not os.path.isfile(path):
            continue
        try:
            lost = sorted({text for text in relative_texts(path) if is_lost(text, path, then, moves)})
        except TooMuch as error:  # as the draft said
            yield LeftMentions(path, LEFT, 1, [Spot("from its folder", "relative", str(error))])
        except OSError:  # which the search has reported
            continue
        else:
            spots = [Spot("from its folder", "relative", show(text)) for text in lost[:MOST_SPOTS]]
            if lost:
                yield LeftMentions(path, LEFT, len(lost), spots)


def is_lost(text: str, path: str, then: str, moves: Moves) -> bool:
    """Whether a text in the file at `path`, which lay at `then`, led from there to what is now not found from it."""
    was = os.path.normpath(f"{os.path.dirname(then)}/{text}")
    now = os.path.normpath(f"{os.path.dirname(path)}/{text}")
    return not os.path.lexists(now) and was != then and os.path.lexists(moves.follow(was) or was)
