"""The waybill: the plan of one trip, as data.  It holds decisions, not file lists."""

from collections.abc import Iterator
from functools import partial
from typing import Annotated

from msgspec import Struct, field
from msgspec.structs import replace

from saltcart.judging.resolver import Resolver
from saltcart.ledgers.base import NEW_THINGS
from saltcart.shelves.digests import BLAKE3, SHA256
from saltcart.spelling import Meanings, Move, Moves
from saltcart.spelling.moves import Aims
from saltcart.spelling.renames import renames_of
from saltcart.system import os
from saltcart.toml.kinds import OUTSIDE_FILE, AnyPath, FullPath, keys, one_of
from saltcart.waybills.newer import Newer, Renamed
from saltcart.waybills.parts import taken
from saltcart.waybills.relinks import ALL, LEVEL, ONE, PLACE, FolderLine, Relink
from saltcart.waybills.shelf import Shelf

LinkPair = Annotated[tuple[FullPath, FullPath], keys("at", "to")]
# How a waybill calls its tables, one a row.
IN_FILES = {"shelves": "shelf", "ledgers": "ledger", "relinks": "relink", "folders": "folder", "signposts": "signpost"}


class LedgerLine(Struct, frozen=True, rename={"map_name": "map"}):
    """One ledger of a trip, and what is done to it."""

    path: FullPath
    map_name: str
    rewrite: bool = True  # else it is left as it is, for the reason `why`
    digest: str | None = None  # of its content when the plan was made
    why: Annotated[str, OUTSIDE_FILE] = ""
    front: bool = False  # its list gets the new folder before the old one, where part of a folder moves
    like: AnyPath = ""  # the path style of its entries: RELATIVE, or a full path as an example
    over: FullPath = ""  # the ledger that it replaces; it is itself left as it is
    over_digest: str = ""  # of the content of that one when the plan was made
    merge: FullPath = ""  # another copy of it, which is combined with it
    prefer: Annotated[str, one_of("here", "there")] = "here"  # which wins where both changed the same thing
    unlike: tuple[AnyPath, ...] = ()  # texts that do not get the style `like`
    cut: bool = False  # a playlist that loses the lines for what does not travel


class Waybill(Struct, rename=IN_FILES):
    """A whole plan.  Without shelves nothing moves: only ledgers change, by `relinks` and `folders`."""

    shelves: list[Shelf] = field(default_factory=list)
    ledgers: list[LedgerLine] = field(default_factory=list)
    maps: list[AnyPath] = field(default_factory=list)
    draft: str = ""  # the list of the files that the draft saw, among our own data
    means: list[str] = field(default_factory=list)  # `D:=/media/lighter`: paths of other systems
    digests: Annotated[str, one_of(BLAKE3, SHA256)] = BLAKE3
    turn: list[FullPath] = field(default_factory=list)  # links that will lead to the new places; entries by them stay
    search: list[FullPath] = field(default_factory=list)  # where files that refer to the shelves are searched for
    not_searched: list[FullPath] = field(default_factory=list)
    left_unread: list[FullPath] = field(default_factory=list)  # files that may still refer to the old places
    relinks: list[Relink] = field(default_factory=list)
    folders: list[FolderLine] = field(default_factory=list)  # that are added to lists, or removed
    here: bool = False  # paths of another system are written as paths of this one
    signposts: list[LinkPair] = field(default_factory=list)  # links, and where they will lead
    collection: FullPath = ""  # the folder of the collection that the trip makes or updates
    after: str = ""  # the id of the trip that did so before
    settles: str = ""  # how it brings a collection home (see `carrying.agreement`)
    comes_from: FullPath = ""  # the folder of that collection
    arrange: str = ""  # the pattern that gave the sounds their places
    newer: list[Newer] = field(default_factory=list)  # single sounds that get other content
    renamed: list[Renamed] = field(default_factory=list)  # single sounds that get another name

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
        if os.path.isabs(target):
            return moves.follow(target) or target
        led = os.path.normpath(os.path.join(os.path.dirname(f"{shelf.old}/{path}"), target))
        wanted, folder = moves.follow(led), os.path.dirname(shelf.place(path))
        if wanted is None or os.path.normpath(os.path.join(folder, target)) == wanted:
            return target
        return os.path.relpath(wanted, folder)
