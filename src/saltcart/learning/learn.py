"""Deriving a map for a ledger nobody described: try every value against what is really on disk.

A value is taken for a path when it resolves in some spelling; a place (column, attribute, key,
chunk) is taken for one of entries when most of its values do and some lie in the shelves that
were named.  What merely looks like a path (artwork, where a track was first imported from, log
lines) is reported, and stands in the map commented out.
"""

import os
import re
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, field

from saltcart.errors import BadLedger, SaltCartError
from saltcart.judging.resolver import Resolver
from saltcart.learning.containers import Content, FolderJoin, contents, folder_joins
from saltcart.learning.identifying_columns import column_facts
from saltcart.learning.lessons import Learnt, Lesson, map_text
from saltcart.ledgers import load_map, open_ledger
from saltcart.ledgers.maps import column_rule
from saltcart.mentions.content import mentions_in
from saltcart.mentions.search_places import forms_of
from saltcart.shelves.audio import kind_of
from saltcart.shelves.true_names import true_path
from saltcart.spelling import Meanings, Move, Moves, encodable, spelling_named
from saltcart.spelling.moves import tail_below
from saltcart.waybills.routes import Routes

TRIED = ("native", "uri", "windows", "drive", "relative", "windows-relative", "uri-reference", "auto")
SEPARATORS = (";", "|", ",", ":")
# Words in the name of a place that speak of history rather than of where a file is now.
HISTORY = {
    "first",
    "import",
    "imported",
    "origin",
    "original",
    "added",
    "source",
    "previous",
    "old",
    "log",
    "history",
    "backup",
    "cover",
    "art",
    "artwork",
    "image",
    "picture",
    "icon",
    "thumb",
    "thumbnail",
}
SURE = 0.5  # more than this share of the values must resolve


@dataclass(slots=True)
class Ground:
    """What values are tried against: the shelves, what paths of other systems mean, and what was found on disk so
    far.
    """

    folder: str
    shelves: list[str]
    resolver: Resolver
    means: Sequence[str] = ()
    seen: dict[str, str | None] = field(default_factory=dict)

    def kind(self, path: str) -> str | None:
        """Whether `path` is there: file, folder, or None."""
        if path not in self.seen:
            self.seen[path] = "folder" if os.path.isdir(path) else "file" if os.path.isfile(path) else None
        return self.seen[path]

    def in_shelves(self, path: str) -> bool:
        """Whether `path` lies in one of the shelves."""
        real = self.resolver.true.path(os.path.realpath(os.path.dirname(path)))
        return any(tail_below(os.path.join(real, os.path.basename(path)), shelf) is not None for shelf in self.shelves)

    def leads_on(self, folder: str) -> bool:
        """Whether a shelf lies in `folder`, or it in a shelf; the top of all is no place to start from."""
        real = self.resolver.true.path(os.path.realpath(folder))
        return real != "/" and any(
            tail_below(shelf, real) is not None or tail_below(real, shelf) is not None for shelf in self.shelves
        )

    def resolve(self, spelling: str, text: str, base: str | None = None) -> str | None:
        """The path that `text` means in that spelling, if something is there."""
        if not nameable(text):
            return None
        form = spelling_named(spelling)
        start = base or (self.drive() if form.start == "drive" else self.folder)
        read = form.read(text, start)
        if read is None:
            return None
        path = self.resolver.meanings.here(read)
        path = self.resolver.exact(path) if form.folds_case else path
        return path if self.kind(path) and os.path.normpath(path) != os.path.normpath(start) else None

    def drive(self) -> str:
        """The top of the drive the ledger lies on."""
        from saltcart.drives.drive import mount_of

        return mount_of(self.folder)


def nameable(text: str) -> bool:
    """Whether a text could be a file's name at all: what is no path may hold anything."""
    return "\0" not in text and encodable(text)


def learn(path: str, against: Sequence[str], means: Sequence[str] = (), name: str | None = None) -> Learnt:
    """Derive a map for the file at `path`, trying its values against the shelves `against`.

    Raises BadLedger when it is no container that is known.
    """
    path = true_path(path)
    shelves = [true_path(shelf) for shelf in against]
    ground = Ground(os.path.dirname(path), shelves, Resolver(Meanings(means)), means)
    best: tuple[int, Content, list[Lesson]] | None = None
    for content in contents(path):
        lessons = list(lessons_of(content, ground, path))
        weight = sum(lesson.resolved for lesson in lessons if lesson.sure)
        if best is None or weight > best[0]:
            best = (weight, content, lessons)
    if best is None:
        raise BadLedger(
            path,
            "is no container that is known here",
            "A signpost can serve its program; see also saltcart check --traces.",
        )
    _weight, content, lessons = best
    for lesson in lessons:
        if (
            content.container == "sqlite"
            and lesson.sure
            and lesson.entry.get("names") != "folder"
            and "separator" not in lesson.entry
        ):
            with suppress(OSError):  # a sound that cannot be read tells nothing
                lesson.beside = column_facts(path, column_rule(lesson.entry))
    learnt = Learnt(path, content.container, lessons, map_text(path, content, lessons, name))
    if any(lesson.sure for lesson in lessons):
        prove(learnt, shelves, ground)
    return learnt


def lessons_of(content: Content, ground: Ground, path: str) -> Iterator[Lesson]:
    """What each place of the content teaches; places whose values never look like paths are passed over."""
    bases = {
        place: value
        for place, values in content.values.items()
        if len(values) == 1 and (value := folder_value(values[0], ground))
    }
    done: set[str] = set()
    for join in folder_joins(path, content):
        found = [os.path.join(folder, text) for folder, text in join.pairs]
        resolved = [one for one in found if ground.kind(one)]
        if found and len(resolved) > SURE * len(found) and any(map(ground.in_shelves, resolved)):
            done.add(f"{join.table}.{join.column}")
            yield joined_lesson(join, found, resolved)
    for place, values in content.values.items():
        if place not in done and (lesson := lesson_of(place, values, content, ground, bases)):
            yield lesson


def folder_value(text: str, ground: Ground) -> str | None:
    """The folder that a single value names, if it does, and paths into the shelves may start from there."""
    paths = (ground.resolve(spelling, text) for spelling in ("native", "uri", "windows"))
    return next((path for path in paths if path and ground.kind(path) == "folder" and ground.leads_on(path)), None)


def joined_lesson(join: FolderJoin, found: Sequence[str], resolved: Sequence[str]) -> Lesson:
    """A column of names whose folders stand in another table."""
    apart = {"table": join.folders, "column": join.path, "key": join.key, "by": join.by}
    entry: dict[str, object] = {
        "table": join.table,
        "column": join.column,
        "folder": apart if join.key else {"column": join.path},
    }
    sounds = sum(kind_of(one) is not None for one in resolved)
    why = f"names in the folders of {join.folders}.{join.path}, " + (
        f"found by {join.table}.{join.by}" if join.key else "in the same row"
    )
    return Lesson(f"{join.table}.{join.column}", "name", len(found), len(resolved), sounds, entry, True, why)


def lesson_of(
    place: str, values: Sequence[str], content: Content, ground: Ground, bases: dict[str, str]
) -> Lesson | None:
    """The lesson of one place, or None when nothing in it is, or looks like, a path."""
    tried = [(trial, *count(values, ground, *trial)) for trial in trials(place, values, content, bases)]
    trial, resolved, inside, sounds, folders = max(
        tried, key=lambda one: (one[1], one[2])
    )  # the first, when several do as well
    spelling, base_place, separator, _base = trial
    total = len(values) if not separator else sum(len(parts_of(value, separator)) for value in values)
    if not resolved:
        looks = sum((nameable(value) and "/" in value) or "\\" in value for value in values)
        if 2 * looks < len(values) or not looks:
            return None
        return Lesson(place, "", total, 0, 0, content.entry(place), False, "looks like paths, but none is there")
    entry = {**content.entry(place), "spelling": spelling}
    if folders * 2 > resolved:
        entry["names"] = "folder"
    if base_place:
        entry["base_at"] = base_place
    if separator:
        entry["separator"] = separator
    sure, why = judged(place, total, resolved, inside, sounds, folders)
    if sure and not base_place and bare_words(values, separator) * 2 > total:
        sure, why = False, "bare words, which may be titles; uncomment it if programs look for files of these names"
    return Lesson(place, spelling, total, resolved, sounds, entry, sure, why)


def judged(place: str, total: int, resolved: int, inside: int, sounds: int, folders: int) -> tuple[bool, str]:
    """Whether a place holds entries, and why or why not."""
    if not inside:
        return False, "what it names lies in none of the shelves given"
    if HISTORY & set(
        re.split(r"[^a-z]+", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", place.rpartition(".")[2].rpartition("/")[2]).lower())
    ):
        return (
            False,
            (
                "its name speaks of artwork, or of where something once came from; uncomment it if programs open these"
                " files"
            ),
        )
    if resolved <= SURE * total:
        return False, "most of its values are not there"
    if 2 * (sounds + folders) < resolved:
        return False, "few of these are sounds or folders"
    return True, ""


def bare_words(values: Sequence[str], separator: str | None) -> int:
    """How many paths in the values are single words that do not end like a sound: a label often is a file's name."""
    parts = [part for value in values for part in parts_of(value, separator)]
    return sum("/" not in part and "\\" not in part and kind_of(part) is None for part in parts)


def trials(
    place: str, values: Sequence[str], content: Content, bases: dict[str, str]
) -> Iterator[tuple[str, str | None, str | None, str | None]]:
    """The ways to read a place: spelling, place of its base, separator, and the base's folder."""
    for spelling in TRIED:
        yield spelling, None, None, None
    if content.container != "sqlite":
        for base_place, folder in bases.items():
            if base_place != place:
                yield "relative", base_place, None, folder
                yield "auto", base_place, None, folder
    for separator in SEPARATORS:
        if any(separator in value for value in values):
            yield "native", None, separator, None


def parts_of(value: str, separator: str | None) -> list[str]:
    """The paths in one value."""
    return [part.strip() for part in value.split(separator) if part.strip()] if separator else [value]


def count(
    values: Sequence[str], ground: Ground, spelling: str, _place: str | None, separator: str | None, base: str | None
) -> tuple[int, int, int, int]:
    """How many paths in the values are there, lie in the shelves, are sounds, are folders."""
    found = [
        path
        for value in values
        for part in parts_of(value, separator)
        if (path := ground.resolve(spelling, part, base))
    ]
    folders = sum(ground.kind(path) == "folder" for path in found)
    return len(found), sum(map(ground.in_shelves, found)), sum(kind_of(path) is not None for path in found), folders


def prove(learnt: Learnt, shelves: Sequence[str], ground: Ground) -> None:
    """Read the ledger back through its map, and rewrite it on trial as if the shelves moved."""
    with tempfile.TemporaryDirectory(prefix="saltcart-") as folder:
        place = os.path.join(folder, "map.toml")
        with open(place, "w", encoding="utf-8") as stream:
            stream.write(learnt.map_text)
        try:
            plan = load_map(place)
            ledger = open_ledger(learnt.path, [plan], plan.name)
            learnt.entries = sum(1 for _entry in ledger.entries())
            # To a neighbour of the same drive, so that paths from the drive's top can be written too.
            routes = Routes(Moves(Move(shelf, f"{shelf}.trial") for shelf in shelves), ground.resolver)
            changes = routes.changes(ledger, ground.folder, ground.folder)
            trial = os.path.join(folder, os.path.basename(learnt.path))
            ledger.rewrite(trial, *changes)
            learnt.rewritten = changes.count(ledger.batches())
            left = mentions_in(trial, forms_of(shelves, ground.means), ground.folder)
            learnt.uncovered, learnt.spots = left.count - left.history, left.spots
        except SaltCartError as error:
            learnt.trouble = error.what
    if learnt.uncovered:
        learnt.map_text = f"# NOT REACHED by this map: {learnt.uncovered} of the mentions.\n{learnt.map_text}"
