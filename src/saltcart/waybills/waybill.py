"""The waybill: the plan of one trip, as data.  It holds decisions, not file lists."""

import os
from collections.abc import Iterator
from functools import partial

from msgspec import Struct, field
from msgspec.structs import replace

from saltcart.judging.resolver import Resolver
from saltcart.ledgers.base import NEW_THINGS
from saltcart.shelves.digests import BLAKE3
from saltcart.spelling import Meanings, Move, Moves
from saltcart.spelling.moves import Aims
from saltcart.spelling.renames import renames_of
from saltcart.waybills.newer import Newer, Renamed
from saltcart.waybills.relinks import ALL, LEVEL, ONE, PLACE, FolderLine, Relink
from saltcart.waybills.shelf import Shelf, taken


class LedgerLine(Struct, frozen=True):
    """One ledger of a trip.  `digest` is what it was when drafted; `rewrite` false leaves it as it is.

    With `front`, a list of content folders gets new ones in front of those of which a part moves. What entries name of
    the shelves is written in the manner of the text `like`: RELATIVE, so that it is found wherever the drive is
    mounted, or a full path; but for the texts `unlike` that.  The ledger is left as it is, and takes the place of that
    `over` which it goes. That one was `over_digest` when drafted. Or it is brought together with another copy of it, at
    `merge`; of what both changed in other ways, it was `asked` which of the two holds. A playlist that is `cut` goes
    without the lines that name what does not travel.
    """

    path: str
    map_name: str
    rewrite: bool = True
    digest: str | None = None
    why: str = ""
    front: bool = False
    like: str = ""
    over: str = ""
    over_digest: str = ""
    merge: str = ""
    asked: str = "here"
    unlike: tuple[str, ...] = ()
    cut: bool = False


class Waybill(Struct):
    """A whole plan.  `draft` names the list of files the draft saw, kept among our own data.

    The links in `turn` lead into moving shelves and will lead to the new places; entries through them stay.
    `search` are the places that are searched for what names the shelves, before and after, but for what lies in those
    `not_searched`; the files `left_unread` may go on naming the old places.  Without shelves nothing moves, and ledgers
    alone change: by `relinks`, and by the
    `folders` that come into their lists or go.  With `here` what is written as on another system gets this one's
    spelling.  The links at the first of each pair of `signposts` will lead to the second.
    The trip makes a `collection` in the folder of that path or brings it up to date: what an earlier one brought, and
    is as it was brought, is replaced by what is newer.  It comes `after` the trip of that id, which did the same.
    With `settles` it brings the collection that it `comes_from` home in that way.  What is renamed got its place by the
    pattern `arrange`.  Single sounds get the content of `newer` ones, and others are `renamed`.
    """

    shelves: list[Shelf]
    ledgers: list[LedgerLine] = field(default_factory=list)
    maps: list[str] = field(default_factory=list)
    draft: str = ""
    means: list[str] = field(default_factory=list)
    digests: str = BLAKE3
    turn: list[str] = field(default_factory=list)
    search: list[str] = field(default_factory=list)
    not_searched: list[str] = field(default_factory=list)
    left_unread: list[str] = field(default_factory=list)
    relinks: list[Relink] = field(default_factory=list)
    folders: list[FolderLine] = field(default_factory=list)
    here: bool = False
    signposts: list[tuple[str, str]] = field(default_factory=list)
    collection: str = ""
    after: str = ""
    settles: str = ""
    comes_from: str = ""
    arrange: str = ""
    newer: list[Newer] = field(default_factory=list)
    renamed: list[Renamed] = field(default_factory=list)

    @property
    def mends(self) -> bool:
        """Whether it links anew what is lost, and does nothing else."""
        return not (self.shelves or self.settles) and any(one.what in (ALL, ONE) for one in self.relinks)

    def resolver(self) -> Resolver:
        """What resolves entries on this trip."""
        return Resolver(Meanings(self.means))

    def moves(self) -> Moves:
        """Where paths go on this trip."""
        return Moves(move for shelf in self.shelves for move in self.moves_of(shelf))

    def moves_of(self, shelf: Shelf) -> Iterator[Move]:
        """What moves with one shelf.  Folders in a collection are named there, whatever of them stays at home."""
        for move in shelf.moves():
            yield replace(move, takes=partial(taken, shelf)) if self.collection and move.takes else move

    def entry_moves(self, travels: bool, ledger: str = "") -> Moves:
        """Where paths go as entries of a ledger shall follow them; one that itself `travels` follows every shelf."""
        moves = [
            move for shelf in self.shelves if travels or shelf.entries == "rewrite" for move in self.moves_of(shelf)
        ]
        relinks = [one for one in self.relinks if one.what == ALL and one.ledger in ("", ledger)]
        exact = {one.old: one.new for one in self.relinks if one.what == ONE and one.ledger in ("", ledger)}
        places = [
            Move(one.old, one.new, names=renames_of(one.renames) if one.renames else None)
            for one in self.relinks
            if one.what == PLACE and one.ledger in ("", ledger)
        ]
        return Moves([*places, *moves, *(Move(one.old, one.new, one.mends) for one in relinks)], exact)

    def aims(self, ledger: str) -> Aims:
        """What single folders in a ledger shall be."""
        mine = [one for one in self.relinks if one.ledger in ("", ledger)]
        return Aims(*({one.old: one.new for one in mine if one.what == what} for what in (LEVEL, NEW_THINGS)))

    def sought(self) -> list[tuple[str, str]]:
        """What is looked for by name wherever it may be named, with the new place of each."""
        return [pair for shelf in self.shelves for pair in shelf.sought()]

    def link_target(self, shelf: Shelf, path: str, target: str) -> str:
        """What a symbolic link at `path` in a shelf says at the new place: as written, unless it leads to something
        that moves and would not lead there any more.  A full path stays one, a relative one stays relative.
        """
        moves = self.moves()
        if target.startswith("/"):
            return moves.follow(target) or target
        led = os.path.normpath(os.path.join(os.path.dirname(f"{shelf.old}/{path}"), target))
        wanted, folder = moves.follow(led), os.path.dirname(shelf.place(path))
        if wanted is None or os.path.normpath(os.path.join(folder, target)) == wanted:
            return target
        return os.path.relpath(wanted, folder)
