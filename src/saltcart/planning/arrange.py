"""Giving each sound of a shelf a place from what its tags say, by a pattern such as `{artist}/{album}/{title}`."""

import re
import string
from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Sequence

from msgspec import Struct, field
from msgspec.structs import replace

from saltcart.drives.limits import Limits, allowed, folded, unique, units
from saltcart.errors import UsageError, show
from saltcart.judging.judgements import FOUND, LedgerState
from saltcart.ledgers.formats import cue, jspf, m3u, pls, xspf
from saltcart.ledgers.maps import Map
from saltcart.planning.trial_rewrite import DraftedLedger
from saltcart.progress import Progress, Tick, silent
from saltcart.rewriting.routes import starts_somewhere
from saltcart.shelves.audio import kind_of
from saltcart.shelves.headers import READERS
from saltcart.shelves.tags import FILMS, NAMES, recording_kind, tags_of
from saltcart.shelves.walk import FILE, FOLDER, LINK, Item
from saltcart.spelling.moves import tail_below
from saltcart.system import os
from saltcart.waybills.new_place import landing_drive
from saltcart.waybills.shelf import Shelf

AS_IT_IS = "{folder}/{name}"
FIELDS = ("kind", *(name for name in NAMES if name != "tempo"), "folder", "name")
LISTS = {one.NAME for one in (m3u, pls, xspf, jspf, cue)}
WIDTH = re.compile(r"0?[1-9]")


class Arranged(Struct):
    """What became of one shelf: how many sounds come into each folder of the pattern, from the shelf's new place, what
    keeps its place and why, and which got another name than the pattern gives, because that was taken.
    """

    name: str
    folders: Counter[str] = field(default_factory=Counter)
    kept: Counter[str] = field(default_factory=Counter)
    clashes: list[tuple[str, str]] = field(default_factory=list)


UNKNOWN = "because tags or headers lack something that the pattern needs"
HELD = "for an instrument, a session, a link or a program's content folder in the shelf goes by where these lie"
TOO_LONG = "because their paths would be too long for that drive"


class Pattern:
    """A pattern, read once."""

    def __init__(self, text: str):
        """UsageError when it is none."""
        try:
            self.parts = [
                (literal, name, width or "") for literal, name, width, _conversion in string.Formatter().parse(text)
            ]
        except ValueError as error:
            raise UsageError(f"--arrange {show(text)} is no pattern: {error}", EXAMPLE) from None
        for _literal, name, width in self.parts:
            if name is not None and name not in FIELDS:
                raise UsageError(f"--arrange knows no {{{show(name)}}}", f"It knows: {', '.join(FIELDS)}.")
            if width and not WIDTH.fullmatch(width):
                raise UsageError(f"--arrange: {{{name}:{show(width)}}} is no width", "Write it like {track:02}.")
        literals = "".join(literal for literal, _name, _width in self.parts)
        if not any(name for _literal, name, _width in self.parts):
            raise UsageError(f"--arrange {show(text)} holds nothing that tells sounds apart", EXAMPLE)
        if text.startswith("/") or text.endswith("/") or "//" in text or ".." in literals.split("/"):
            raise UsageError(f"--arrange {show(text)} is no path from the shelf's top", EXAMPLE)

    def place(self, path: str, known: dict[str, str]) -> str | None:
        """Where what lies at `path` and of which this is `known` belongs, without its suffix; None when something that
        is asked for is not.
        """
        folder, name = os.path.split(path)
        values = known | {"folder": folder, "name": os.path.splitext(name)[0]}
        made = ""
        for literal, wanted, width in self.parts:
            value = values.get(wanted, "") if wanted else ""
            if width:
                number = re.match(r"\d+", value)
                value = number[0].zfill(int(width)) if number else ""
            if wanted and not value and wanted != "folder":
                return None
            made += literal + (value if wanted == "folder" else as_part(value))
        return "/".join(part for part in made.split("/") if part.strip())


EXAMPLE = "Write it like '{kind}/{artist}/{album}/{track:02} {title}'."


def as_part(value: str) -> str:
    """A text as a part of a path: no separator, nothing that cannot be seen, and not hidden."""
    value = " ".join("".join("_" if sign in "/\0" or sign < " " or sign == "\x7f" else sign for sign in value).split())
    return f"_{value[1:]}" if value.startswith(".") else value


def known_of(path: str) -> dict[str, str]:
    """What tags and header of a file say, by the names of FIELDS."""
    tags = tags_of(path) if kind_of(path) else {}
    kind = recording_kind(path, tags)
    if "albumartist" not in tags and "artist" in tags:
        tags["albumartist"] = tags["artist"]
    return tags | ({"kind": kind} if kind else {})


class Taken:
    """The names that are given in a place, folder by folder, as its drive compares them."""

    def __init__(self, limits: Limits):
        self.limits = limits
        self.names: dict[str, dict[str, tuple[str, bool]]] = {}

    def folder(self, path: str) -> str:
        """The folder at `path` under the name that it has or gets there: a neighbour that differs only in case is the
        same folder, and a file that has its name is not.
        """
        made = ""
        for part in filter(None, path.split("/")):
            names = self.names.setdefault(folded(made, self.limits), {})
            part = allowed(part, self.limits).name
            spelt, is_folder = names.get(folded(part, self.limits), (part, True))
            if not is_folder:
                spelt = unique(part, set(names), self.limits)
            names[folded(spelt, self.limits)] = spelt, True
            made = f"{made}/{spelt}" if made else spelt
        return made

    def file(self, path: str) -> tuple[str, bool]:
        """The place that a file wanted at `path` gets, and whether it is another for that was taken."""
        folder, name = os.path.split(path)
        folder, name = self.folder(folder), allowed(name, self.limits).name
        names = self.names.setdefault(folded(folder, self.limits), {})
        got = unique(name, set(names), self.limits) if folded(name, self.limits) in names else name
        names[folded(got, self.limits)] = got, False
        return os.path.join(folder, got), got != name


class Arranger:
    """Arranges one shelf, and then what is gathered into it."""

    def __init__(self, shelf: Shelf, pattern: Pattern):
        self.shelf, self.pattern = shelf, pattern
        self.limits = landing_drive(shelf.new).limits
        self.taken = Taken(self.limits)
        self.told = Arranged(shelf.name)
        self.strays: dict[str, str | None] = {}

    def pairs(self, held: Collection[str], progress: Progress = silent) -> Iterator[tuple[str, str]]:
        """The old and the new path, from the shelf's top, of each file that gets another place.  What lies at or below
        one of the full paths `held` keeps it.
        """
        items = list(self.shelf.walk())
        links = (f"{self.shelf.old}/{item.path}" for item in items if item.kind == LINK)
        held = {*held, *map(os.path.realpath, links)}  # links go on leading there
        wanted = dict(self.wanted(items, held, progress))
        beside = dict(go_along(items, wanted))
        lead = len(self.shelf.new) + 1
        # What keeps its place takes its name first; only then the others, so that none of them gets it.
        for item in items:
            place = self.shelf.place(item.path)[lead:]
            if item.kind == FOLDER:
                self.taken.folder(place)
            elif item.path not in wanted and item.path not in beside:
                self.taken.file(place)
        stems: dict[str, str] = {}
        for path, place in wanted.items():
            got, other = self.taken.file(place)
            stems[path] = os.path.splitext(got)[0]
            self.told.folders[os.path.dirname(got)] += 1
            self.told.clashes += [(path, got)] if other else []
            yield from self.pair(path, got)
        # Pictures and notes of the same name follow their sound, whatever name that got.
        for path, (sound, ending) in beside.items():
            yield from self.pair(path, self.taken.file(stems[sound] + ending)[0])

    def pair(self, path: str, got: str) -> Iterator[tuple[str, str]]:
        """One file, unless it lies there already."""
        if self.shelf.place(path) != f"{self.shelf.new}/{got}":
            yield path, got

    def wanted(self, items: Sequence[Item], held: Collection[str], progress: Progress) -> Iterator[tuple[str, str]]:
        """Each file of which enough is known, with the place that the pattern gives it."""
        from concurrent.futures import ThreadPoolExecutor

        files = [item.path for item in items if item.kind == FILE and may_be_arranged(item.path)]
        free = [path for path in files if not is_held(f"{self.shelf.old}/{path}", held)]
        self.told.kept[HELD] += len(files) - len(free)
        with ThreadPoolExecutor(READERS) as pool:
            places = pool.map(known_of, (f"{self.shelf.old}/{path}" for path in free))
            for number, (path, known) in enumerate(zip(free, places, strict=True)):
                progress(Tick("read tags", os.path.basename(path), number + 1, len(free)))
                place = self.pattern.place(path, known)
                suffix = os.path.splitext(path)[1]
                if place is None:
                    self.told.kept[UNKNOWN] += 1
                elif units(f"{self.shelf.new}/{place}{suffix}", self.limits.utf16) > self.limits.path_units - 8:
                    self.told.kept[TOO_LONG] += 1
                else:
                    yield path, place + suffix

    def placed(self, strays: Sequence[Shelf]) -> list[Shelf]:
        """Files from elsewhere that come along, those of which enough is known with a place in this shelf."""
        return [replace(one, new=self.gathered(one.old) or one.new) if one.along else one for one in strays]

    def gathered(self, path: str) -> str | None:
        """The full place of one; None when too little is known of it."""
        if path not in self.strays:
            known = known_of(path) if may_be_arranged(path) else {}
            place = self.pattern.place(os.path.basename(path), known) if known else None
            got = self.taken.file(place + os.path.splitext(path)[1])[0] if place else ""
            self.told.folders.update([os.path.dirname(got)] if got else [])
            self.strays[path] = f"{self.shelf.new}/{got}" if got else None
        return self.strays[path]


def may_be_arranged(path: str) -> bool:
    """Whether a file is a recording by its name."""
    return kind_of(path) is not None or os.path.splitext(path)[1].lower() in FILMS


def is_held(path: str, held: Collection[str]) -> bool:
    """Whether a path is one of those `held`, or lies below one."""
    while len(path) > 1 and path not in held:
        path = os.path.dirname(path)
    return path in held


def go_along(items: Iterable[Item], wanted: dict[str, str]) -> Iterator[tuple[str, tuple[str, str]]]:
    """The files that have the name of a sound which gets a place, and more after a dot: each with that sound and its
    own ending.
    """
    stems: dict[str, str] = {}
    for path in wanted:
        stems.setdefault(os.path.splitext(path)[0], path)
    for item in items:
        folder, name = os.path.split(item.path)
        dot = name.find(".", 1)
        while item.kind == FILE and not may_be_arranged(item.path) and dot > 0:
            stem = os.path.join(folder, name[:dot])
            if stem in stems:
                yield item.path, (stems[stem], name[dot:])
                break
            dot = name.find(".", dot + 1)


def arranged(
    shelves: Sequence[Shelf], text: str, ledgers: Sequence[DraftedLedger], maps: Iterable[Map], progress: Progress
) -> tuple[list[Shelf], list[Arranger]]:
    """The shelves with the places that the pattern gives, and what has arranged each.  UsageError for no pattern."""
    pattern = Pattern(text)
    flat = LISTS | {plan.name for plan in maps if plan.container == "sqlite"}
    shelves, makers = list(shelves), []
    for at, shelf in enumerate(shelves):
        if shelf.in_folder:
            maker = Arranger(shelf, pattern)
            pairs = tuple(maker.pairs(held_places(shelf, ledgers, flat), progress))
            shelves[at] = replace(shelf, renames=(*shelf.renames, *pairs))
            makers.append(maker)
    return shelves, makers


def held_places(shelf: Shelf, ledgers: Iterable[DraftedLedger], flat: Collection[str]) -> set[str]:
    """The full paths in a shelf that keep their places: what instruments and sessions in it name, because these go by
    where things lie, and folders below its top that programs look into.  Those of the maps `flat` are neither.
    """
    held: set[str] = set()
    for one in ledgers:
        for part in one.state.judged:
            if part.batch.texts and part.batch.entry(0).is_folder:
                held.update(resolved for resolved, _verdict, _why in part.all() if tail_below(resolved, shelf.old))
        if one.travels and one.line.map_name not in flat:
            held |= {os.path.realpath(path) for path in named_from_itself(one.state)}
    return held


def named_from_itself(state: LedgerState) -> Iterator[str]:
    """The files that a ledger names by where they lie from it, or from its program's content folders."""
    for one in state.judgements():
        spelling = one.entry.spelling
        found = one.verdict == FOUND and not one.entry.is_folder and spelling.start != "drive"
        if found and starts_somewhere(spelling, one.entry.written):
            yield one.resolved
