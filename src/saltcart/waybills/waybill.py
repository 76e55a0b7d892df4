"""The waybill: the plan of one trip as a TOML file that people read and edit.  It holds decisions, not file lists."""

import os
import re
from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from fnmatch import fnmatchcase
from functools import lru_cache, partial
from glob import escape
from typing import Any
from urllib.parse import quote, unquote_to_bytes

from msgspec import Struct, field
from msgspec.structs import replace

from saltcart import tomlfile
from saltcart.errors import BadFile, show
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.base import NEW_THINGS
from saltcart.own_names import SET_ASIDE, STAGED
from saltcart.shelves import archive
from saltcart.shelves.audio import is_material
from saltcart.shelves.digests import BLAKE3, SHA256
from saltcart.shelves.walk import FILE, FOLDER, Item, Trouble, ignore, walk
from saltcart.spelling import Meanings, Move, Moves
from saltcart.spelling.moves import Aims
from saltcart.spelling.renames import Pairs, Renames, renames_of
from saltcart.waybills.relinks import ALL, DO, LEVEL, ONE, PLACE, WHAT, FolderLine, Relink

FORMAT = 1
CARE = ("own", "replaceable")
LEAVE = ("nothing", "signpost", "original")
ENTRIES = ("rewrite", "keep")
MOST_TOPS = 100  # folders that are searched for by their own names where their shelf is divided
MOST_SOUGHT = 20  # files that are searched for by their own names
RENAME = [{"!from": str, "!to": str}]
SHAPE: dict[str, Any] = {
    "!format": int,
    "draft": str,
    "maps": [str],
    "means": [str],
    "turn": [str],
    "search": [str],
    "not_searched": [str],
    "left_unread": [str],
    "digests": (BLAKE3, SHA256),
    "here": bool,
    "collection": str,
    "after": str,
    "settles": str,
    "arrange": str,
    "signpost": [{"!at": str, "!to": str}],
    "shelf": [
        {
            "!name": str,
            "!from": str,
            "!to": str,
            "care": CARE,
            "leave": LEAVE,
            "entries": ENTRIES,
            "!from_drive": str,
            "!to_drive": str,
            "stay": [str],
            "only": [str],
            "rename": RENAME,
            "files": bool,
            "archive": bool,
            "post": str,
        }
    ],
    "gather": [{"!from": str, "!to": str, "!from_drive": str, "!to_drive": str}],
    "ledger": [
        {
            "!path": str,
            "!map": str,
            "rewrite": bool,
            "front": bool,
            "digest": str,
            "like": str,
            "over": str,
            "over_digest": str,
            "merge": str,
            "asked": ("here", "there"),
        }
    ],
    "relink": [{"!from": str, "!to": str, "ledger": str, "what": WHAT, "rename": RENAME}],
    "folder": [{"!ledger": str, "!do": DO, "!folder": str}],
}


class Shelf(Struct, frozen=True):
    """One shelf of a trip: from where to where, on which drives, and what is left at the old place.

    `stay` patterns name what does not travel and stays where it is; with `only` patterns just
    what they name travels.  A pattern is matched against a path from the shelf's top and against
    each folder on it, with `*` for anything.  `renames` are (old, new) paths from the shelf's
    top, for names the new drive cannot hold.  A `gathered` one is a single file from elsewhere
    that is copied along; its original stays.  Of a folder with chosen `files`, these alone move, each by itself, to
    stand among others in the new place.  With `entries` "keep", ledgers outside go on
    naming the old place, through the signpost.  Of an `archive` what is in it travels; a `post` is a place where a
    signpost to the new place is left.
    """

    name: str
    old: str
    new: str
    old_drive: str
    new_drive: str
    care: str = "own"
    leave: str = "nothing"
    stay: tuple[str, ...] = ()
    only: tuple[str, ...] = ()
    renames: tuple[tuple[str, str], ...] = ()
    gathered: bool = False
    entries: str = "rewrite"
    files: bool = False
    archive: bool = False
    post: str = ""

    @property
    def original_stays(self) -> bool:
        """Whether the originals are not set aside: what is at the new place is a copy of them."""
        return self.gathered or self.archive or self.leave == "original"

    @property
    def source(self) -> str:
        """What tells where its things come from; parts of one archive are told apart by where they go."""
        return self.new if self.archive else self.old

    @property
    def stays_at(self) -> str:
        """The folder that is there at the old place, whatever becomes of the shelf."""
        return self.old if self.files else os.path.dirname(self.old)

    def sought(self) -> list[tuple[str, str]]:
        """What is looked for by name where it may be named, with the new place of each: the shelf, or the chosen files
        while they are few.
        """
        if self.gathered or self.archive:
            return []  # whoever names the original goes on finding it
        if not self.files or len(self.only) > MOST_SOUGHT:
            return [(self.old, self.new)]
        return [(f"{self.old}/{name}", self.place(name)) for name in sorted(sorted_out(self.only)[0])]

    def takes(self, path: str) -> bool:
        """Whether what lies at `path`, from the shelf's top, travels."""
        if matches(path, self.stay) or is_set_aside(path) or STAGED.search(path):
            return False
        if self.files:  # a pattern would mean files of that name in any folder
            return path in sorted_out(self.only)[0]
        return not self.only or matches(path, self.only)

    def walk(self, trouble: Trouble = ignore) -> Iterator[Item]:
        """What travels of the shelf as it lies at its old place; folders only where something in them does."""
        return self.sift(self.everything(trouble))

    def everything(self, trouble: Trouble = ignore) -> Iterator[Item]:
        """All that lies in the shelf at its old place."""
        return archive.items(self.old) if self.archive else walk(self.old, trouble)

    def sift(self, items: Iterable[Item]) -> Iterator[Item]:
        """Of the things of a walk, those that travel; with `only`, a folder waits until something in it does."""
        names = renames_of(self.renames)
        if names.scattered:
            yield from without_emptied(self.sift_by_patterns(items), names)
        else:
            yield from self.sift_by_patterns(items)

    def sift_by_patterns(self, items: Iterable[Item]) -> Iterator[Item]:
        """The same before names change."""
        if not self.stay and not self.only:
            yield from (item for item in items if not is_set_aside(item.path))
            return
        waiting: dict[str, Item] = {}
        for item in items:
            if self.only and item.kind == FOLDER and not matches(item.path, self.stay):
                waiting[item.path] = item
            elif not item.path or self.takes(item.path):
                parts = item.path.split("/")
                above = ["", *("/".join(parts[:count]) for count in range(1, len(parts)))]
                yield from (waiting.pop(folder) for folder in above if folder in waiting)
                yield item

    def moves(self) -> Iterator[Move]:
        """The shelf itself as a move; nothing names what is still in an archive."""
        if self.archive:
            return
        takes = travelling(self) if self.stay or self.only else None
        yield Move(self.old, self.new, takes, renames_of(self.renames) if self.renames else None)

    def place(self, path: str) -> str:
        """Where what lies at `path`, from the shelf's top, comes to lie."""
        path = renames_of(self.renames).place(path) if self.renames else path
        return f"{self.new}/{path}" if path else self.new

    def home(self, path: str) -> str:
        """The opposite: the path from the shelf's top of what lies at `path` below its new place."""
        return renames_of(self.renames).home(path) if self.renames else path


@lru_cache(maxsize=64)
def travelling(shelf: Shelf) -> Callable[[str], bool]:
    """What tells of a path from the top of a divided shelf whether it travels.

    A folder does when all that lies in it does; else its name goes on meaning what stays there.
    """
    known: dict[str, bool] = {}

    def travels(path: str) -> bool:
        path = path.rstrip("/")
        if path not in known:
            folder_of_files = shelf.files and os.path.isdir(f"{shelf.old}/{path}")  # which others go on standing in
            known[path] = not folder_of_files and (shelf.takes(path) or not path) and not stays_in_part(shelf, path)
        return known[path]

    return travels


def without_emptied(items: Iterable[Item], names: Renames) -> Iterator[Item]:
    """The things of a walk without the folders of which everything goes into others: they are not made anew."""
    waiting: dict[str, Item] = {}
    emptied: set[str] = set()
    for item in items:
        if item.kind == FOLDER and item.path:
            waiting[item.path] = item
            continue
        parts = item.path.split("/")
        above = ["/".join(parts[:count]) for count in range(1, len(parts))]
        if item.path in names.scattered:
            emptied.update(above)
        else:
            yield from (waiting.pop(folder) for folder in above if folder in waiting)
        yield item
    yield from (waiting[path] for path in sorted(waiting.keys() - emptied))


def taken(shelf: Shelf, path: str) -> bool:
    """Whether what lies at `path` from the top of a shelf is taken along, or is a folder."""
    return not path or shelf.takes(path) or os.path.isdir(f"{shelf.old}/{path}")


def stays_in_part(shelf: Shelf, path: str) -> bool:
    """Whether something that programs look for stays in the folder at `path`, from the shelf's top; settings and litter
    that stay are no reason for its name not to follow the sounds.
    """
    place, lead = (f"{shelf.old}/{path}", path + "/") if path else (shelf.old, "")
    return os.path.isdir(place) and any(
        item.kind == FILE and is_material(item.path) and not shelf.takes(lead + item.path)
        for item in walk(place)
        if not is_set_aside(item.path)
    )


def divided(shelf: Shelf) -> tuple[list[str], list[str]]:
    """Of a shelf of which a part stays, when it lies at its new place: folders that something has left, and those at
    the new place which never came there.
    """
    left: list[str] = []
    vain: list[str] = []
    waiting = [""] if shelf.stay or shelf.only else []
    while waiting and len(left) + len(vain) < MOST_TOPS:
        inner = waiting.pop()
        went, stayed = folders_in(shelf.place(inner)), folders_in(f"{shelf.old}/{inner}".rstrip("/"))
        gone = {shelf.home(f"{inner}/{name}".lstrip("/")) for name in went}
        for path in sorted(gone | {f"{inner}/{name}".lstrip("/") for name in stayed}):
            old, new = f"{shelf.old}/{path}", shelf.place(path)
            if os.path.isdir(old) and os.path.isdir(new) and not os.path.islink(old):
                waiting.append(path)
            (left if os.path.isdir(new) else vain).append(old if os.path.isdir(new) else new)
    return left, vain


def folders_in(place: str) -> list[str]:
    """The names of the folders in a place; none when it is not there."""
    with suppress(OSError), os.scandir(place) as entries:
        return [entry.name for entry in entries if entry.is_dir(follow_symlinks=False)]
    return []


def is_set_aside(path: str) -> bool:
    """Whether something lies in a folder of originals that a trip has set aside: these never travel."""
    return ".set-aside-" in path and any(SET_ASIDE.search(part) for part in path.split("/"))


def matches(path: str, patterns: Iterable[str]) -> bool:
    """Whether `path`, or a folder on it, matches one of `patterns`."""
    patterns = patterns if isinstance(patterns, tuple) else tuple(patterns)
    if not patterns:
        return False
    literal, others = sorted_out(patterns)
    parts = path.split("/")
    steps = {parts[-1], *("/".join(parts[: count + 1]) for count in range(len(parts)))}
    return not literal.isdisjoint(steps) or any(fnmatchcase(step, pattern) for pattern in others for step in steps)


SORTED: dict[int, tuple[tuple[str, ...], frozenset[str], tuple[str, ...]]] = {}


def sorted_out(patterns: tuple[str, ...]) -> tuple[frozenset[str], tuple[str, ...]]:
    """Of patterns, the names that those mean which match one alone, and the others; known again by the very tuple, for
    to hash one of thousands takes long.
    """
    known = SORTED.get(id(patterns))
    if known and known[0] is patterns:
        return known[1:]
    plain = {pattern: re.sub(r"\[([*?[])\]", r"\1", pattern) for pattern in patterns}
    literal = {pattern: name for pattern, name in plain.items() if escape(name) == pattern}
    if len(SORTED) > 100:
        SORTED.clear()
    found = frozenset(literal.values()), tuple(pattern for pattern in patterns if pattern not in literal)
    SORTED[id(patterns)] = (patterns, *found)
    return found


class LedgerLine(Struct, frozen=True):
    """One ledger of a trip.  `digest` is what it was when drafted; `rewrite` false leaves it as it is.

    With `front`, a list of content folders gets new ones in front of those of which a part moves.
    What entries name of the shelves is written in the manner of the text `like`: RELATIVE, so that it is found wherever
    the drive hangs, or a full path.  The ledger is left as it is, and takes the place of that `over` which it goes.
    That one was `over_digest` when drafted.
    Or what another copy of it, at `merge`, counts is brought together with what this one does; where the map says to
    ask, it was `asked` which of the two holds.
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


class Waybill(Struct):
    """A whole plan.  `draft` names the list of files the draft saw, kept among our own data.

    The links in `turn` lead into moving shelves and will lead to the new places; entries through them stay.
    `search` are the places that are searched for what names the shelves, before and after, but for what lies in those
    `not_searched`; the files `left_unread` may go on naming the old places.  Without shelves nothing moves, and ledgers
    alone change: by `relinks`, and by the
    `folders` that come into their lists or go.  With `here` what is spelt as on another system gets this one's
    spelling.  The links at the first of each pair of `signposts` will lead to the second.
    The trip makes a `collection` in the folder of that path or brings it up to date: what an earlier one brought, and
    is as it was brought, is replaced by what is newer.  It comes `after` the trip of that id, which did the same.
    With `settles` it brings a collection home in that way.  What is renamed got its place by the pattern `arrange`.
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
    arrange: str = ""

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


def as_toml_path(path: str) -> str:
    """`path` as TOML can hold it: as it is, or as a URI when it is not valid UTF-8."""
    try:
        path.encode("utf-8")
    except UnicodeEncodeError:
        return "file://" + quote(os.fsencode(path))
    return path


def from_toml_path(text: str) -> str:
    """The path meant by `as_toml_path`'s text, or by a person's with `~`."""
    if text.startswith("file://"):
        return os.fsdecode(unquote_to_bytes(text.removeprefix("file://")))
    return os.path.expanduser(text)


def read(path: str) -> Waybill:
    """The waybill in the file at `path`.  Raises BadFile with file, line and key."""
    tables = tomlfile.read(path, SHAPE)
    if tables["format"] != FORMAT:
        raise BadFile(
            path, None, f"is a waybill of format {tables['format']}; this version knows {FORMAT}", "Draft it anew."
        )
    if not any(tables.get(key) for key in ("shelf", "relink", "folder", "here", "signpost")):
        raise BadFile(path, None, "names no shelf", "Add a [[shelf]] or draft it anew.")
    shelves = [shelf_of(path, row) for row in tables.get("shelf", [])]
    for shelf in shelves:
        if shelf.files and (not shelf.only or sorted_out(shelf.only)[1]):
            raise BadFile(
                path,
                None,
                f'"{show(shelf.name)}" has files = true, and only = [...] does not name each of them',
                "Name them, or take files = true out.",
            )
    for row in tables.get("gather", []):
        old, new = absolute(path, "from", row["from"]), absolute(path, "to", row["to"])
        shelves.append(Shelf(os.path.basename(new), old, new, row["from_drive"], row["to_drive"], gathered=True))
    ledgers = [
        LedgerLine(
            absolute(path, "path", row["path"]),
            row["map"],
            row.get("rewrite", True),
            row.get("digest"),
            front=row.get("front", False),
            like=from_toml_path(row["like"]) if "like" in row else "",
            over=absolute(path, "over", row["over"]) if "over" in row else "",
            over_digest=row.get("over_digest", ""),
            merge=absolute(path, "merge", row["merge"]) if "merge" in row else "",
            asked=row.get("asked", "here"),
        )
        for row in tables.get("ledger", [])
    ]

    def full(key: str) -> list[str]:
        return [absolute(path, key, text) for text in tables.get(key, [])]

    relinks = [
        Relink(
            absolute(path, "from", row["from"]),
            absolute(path, "to", row["to"]),
            absolute(path, "ledger", row["ledger"]) if "ledger" in row else "",
            row.get("what", ALL),
            renames=renames_in(path, row),
        )
        for row in tables.get("relink", [])
    ]
    folders = [
        FolderLine(absolute(path, "ledger", row["ledger"]), row["do"], absolute(path, "folder", row["folder"]))
        for row in tables.get("folder", [])
    ]
    return Waybill(
        shelves,
        ledgers,
        [from_toml_path(text) for text in tables.get("maps", [])],
        tables.get("draft", ""),
        list(tables.get("means", [])),
        tables.get("digests", BLAKE3),
        turn=full("turn"),
        search=full("search"),
        not_searched=full("not_searched"),
        left_unread=full("left_unread"),
        relinks=relinks,
        folders=folders,
        here=tables.get("here", False),
        collection=absolute(path, "collection", tables["collection"]) if "collection" in tables else "",
        after=tables.get("after", ""),
        settles=tables.get("settles", ""),
        arrange=tables.get("arrange", ""),
        signposts=[
            (absolute(path, "at", row["at"]), absolute(path, "to", row["to"])) for row in tables.get("signpost", [])
        ],
    )


def shelf_of(path: str, row: dict[str, Any]) -> Shelf:
    """The shelf that one table of the waybill at `path` says."""
    return Shelf(
        row["name"],
        absolute(path, "from", row["from"]),
        absolute(path, "to", row["to"]),
        row["from_drive"],
        row["to_drive"],
        row.get("care", "own"),
        row.get("leave", "nothing"),
        tuple(map(from_toml_path, row.get("stay", []))),
        tuple(map(from_toml_path, row.get("only", []))),
        renames_in(path, row),
        entries=row.get("entries", "rewrite"),
        files=row.get("files", False),
        archive=row.get("archive", False),
        post=absolute(path, "post", row["post"]) if "post" in row else "",
    )


def renames_in(waybill: str, row: dict[str, Any]) -> Pairs:
    """The paths with other names that one table of a waybill says."""
    return tuple((below(waybill, pair["from"]), below(waybill, pair["to"])) for pair in row.get("rename", []))


def below(waybill: str, text: str, key: str = "rename") -> str:
    """The path from a shelf's top that `text` of a waybill means; BadFile for one that leads out of it."""
    path = from_toml_path(text)
    if path.startswith("/") or "\0" in path or any(part in ("", ".", "..") for part in path.split("/")):
        raise BadFile(
            waybill, None, f'{key}: "{show(text)}" is not a path from the shelf\'s top', "Write it like: Pack/name.wav"
        )
    return path


def absolute(waybill: str, key: str, text: str) -> str:
    """The full path that `text` of a waybill means; BadFile for a relative one or a NUL sign."""
    path = from_toml_path(text)
    if not path.startswith("/") or "\0" in path:
        raise BadFile(waybill, None, f'{key} = "{show(text)}" is not a full path', "Write it from the top: /...")
    return os.path.normpath(path)
