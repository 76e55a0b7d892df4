"""Findings about what need not travel and what should come along.  Nothing is deleted."""

import json
import re
from collections.abc import Iterable, Iterator, Sequence
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from functools import partial

from msgspec import Struct, field
from msgspec.structs import asdict

from saltcart.cart import Cart
from saltcart.errors import SaltCartError, UsageError, counted
from saltcart.home import home, made_home
from saltcart.ledgers.facts import Facts
from saltcart.ledgers.instrument_parts import PART
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.looking.survey import survey
from saltcart.looking.survey_report import SurveyedShelf, SurveyReport
from saltcart.progress import Progress, silent
from saltcart.safefile import replacing
from saltcart.shelves.audio import kind_of
from saltcart.shelves.duplicates import duplicates
from saltcart.shelves.oddities import litter
from saltcart.shelves.true_names import TrueNames
from saltcart.shelves.walk import FILE, FOLDER, Item, walk
from saltcart.spelling.moves import tail_below
from saltcart.system import os

UNLISTED, COPIES, STRAY, UNPLAYED, LONG_AGO, LITTER, EMPTY = (
    "unlisted",
    "copies",
    "stray",
    "never played",
    "long ago",
    "litter",
    "empty folders",
)
# A shelf of whose sounds ledgers name at least this share is taken for a collection.
COLLECTION_SHARE = 0.25
DATE = re.compile(r"\d{4}-\d\d-\d\d")


class Find(Struct):
    """One finding, by its number: what kind, in which folder, the paths it speaks of, their bytes, and what is to be
    said.

    Of `copies`, `kept` has the path whose copy each of `paths` is.
    """

    number: int
    kind: str
    folder: str
    paths: list[str]
    bytes: int
    what: str
    kept: list[str] = field(default_factory=list)


class Judged(Struct, frozen=True):
    """Whether a shelf is judged as a collection, and why."""

    name: str
    path: str
    collection: bool
    why: str


class TidyReport(Struct):
    """All findings in their order, and which shelves were looked through for files no ledger names."""

    finds: list[Find]
    judged: list[Judged]
    remarks: list[str]


class Sight(Struct):
    """What is known while finding: the survey, the things in each shelf, and who names what."""

    report: SurveyReport
    items: list[list[Item]]
    named: dict[str, list[str]]


def tidy(
    places: Sequence[str],
    ledgers: Sequence[str] = (),
    maps: Sequence[str] = (),
    cart: Cart | None = None,
    older_than_days: int = 730,
    progress: Progress = silent,
) -> TidyReport:
    """Look through the shelves in `places`.  Raises Refused for a place that is no folder."""
    cart = cart or Cart()
    report = survey(places, ledgers, maps, cart, progress=progress)
    return tidied(report, maps, cart, older_than_days, progress)


def tidied(
    report: SurveyReport, maps: Sequence[str], cart: Cart, older_than_days: int = 730, progress: Progress = silent
) -> TidyReport:
    """The same of what a survey has seen already."""
    remarks = [f"{state.path}: {state.trouble.what}" for state in report.ledgers if state.trouble]
    if report.unseen:
        files, first = sum(len(one.files) for one in report.unseen), report.unseen[0].folder
        folders = counted(len(report.unseen), "folder of sounds", "folders of sounds")
        remarks.append(
            f"ledgers also list {counted(files, 'file', 'files')} in {folders} not searched, such as {first}"
        )
    items = [list(walk(shelf.tree.path)) for shelf in report.shelves]
    indexes = {plan.name for plan in map(load_map, dict.fromkeys([*maps, *cart.maps])) if plan.index}
    sight = Sight(report, items, named_paths(report, indexes))
    judged = [judge_shelf(shelf, number, sight, cart) for number, shelf in enumerate(report.shelves)]
    finds = [*unlisted(sight, judged), *copies(sight, remarks, progress), *strays(sight)]
    finds += [*plays(sight, [*maps, *cart.maps], older_than_days), *leavings(sight)]
    for number, find in enumerate(finds, 1):
        find.number = number
    return TidyReport(finds, judged, remarks)


def named_paths(report: SurveyReport, indexes: set[str]) -> dict[str, list[str]]:
    """Real path of everything entries name, with the ledgers that do; those read by one of `indexes` are passed
    over.
    """
    folders: dict[str, str] = {}
    named: dict[str, list[str]] = {}
    for state in report.ledgers:
        for judgement in state.judgements() if state.map_name not in indexes else ():
            folder, name = os.path.split(judgement.resolved)
            if folder not in folders:
                folders[folder] = os.path.realpath(folder)
            users = named.setdefault(os.path.join(folders[folder], name), [])
            if state.path not in users:
                users.append(state.path)
    return named


def judge_shelf(shelf: SurveyedShelf, number: int, sight: Sight, cart: Cart) -> Judged:
    """Whether files in a shelf that nobody names are worth a word: in a collection, not in an instrument's library."""
    known = cart.shelf(shelf.tree.path)
    if known and known.collection is not None:
        return Judged(shelf.name, shelf.tree.path, known.collection, "cart.toml says so")
    sounds = [item for item in sight.items[number] if is_sound(item)]
    count = sum(os.path.join(shelf.tree.path, item.path) in sight.named for item in sounds)
    share = count / len(sounds) if sounds else 0
    why = f"ledgers list {count:,} of its {counted(len(sounds), 'sound', 'sounds')}"
    return Judged(
        shelf.name,
        shelf.tree.path,
        share >= COLLECTION_SHARE,
        why if share >= COLLECTION_SHARE else f"it looks like an instrument's library: {why}",
    )


def is_sound(item: Item) -> bool:
    """Whether a thing is a sound, and not the shadow that a file manager left beside one."""
    return item.kind == FILE and kind_of(item.path) is not None and not litter(os.path.basename(item.path))


def unlisted(sight: Sight, judged: Sequence[Judged]) -> Iterator[Find]:
    """Sounds in collections that no ledger names, a finding for each folder."""
    for number, shelf in enumerate(judged):
        groups: dict[str, list[Item]] = {}
        for item in sight.items[number]:
            if shelf.collection and is_sound(item) and os.path.join(shelf.path, item.path) not in sight.named:
                groups.setdefault(os.path.dirname(item.path), []).append(item)
        for folder, items in groups.items():
            paths = [os.path.join(shelf.path, item.path) for item in items]
            yield Find(
                0,
                UNLISTED,
                os.path.join(shelf.path, folder) if folder else shelf.path,
                paths,
                total(items),
                "no ledger lists them",
            )


def total(items: Iterable[Item]) -> int:
    """Bytes of several things."""
    return sum(item.size for item in items)


def copies(sight: Sight, remarks: list[str], progress: Progress) -> Iterator[Find]:
    """Sounds with the same content, within and across shelves and drives."""
    sizes: dict[str, int] = {}
    files = []
    for shelf, items in zip(sight.report.shelves, sight.items, strict=True):
        for item in items:
            if is_sound(item):
                path = os.path.join(shelf.tree.path, item.path)
                sizes[path] = item.size
                files.append((path, item.size, (item.device, item.inode)))

    def trouble(path: str, error: OSError) -> None:
        remarks.append(f"{path} could not be read: {error.strerror}")

    finds: dict[tuple[str, ...], Find] = {}
    for group in duplicates(files, trouble, progress):
        kept, *rest = sorted(group, key=lambda path: (path not in sight.named, path))
        folders = tuple(map(os.path.dirname, (kept, *rest)))
        find = finds.setdefault(folders, Find(0, COPIES, folders[1], [], 0, copies_of(folders)))
        find.paths += rest
        find.kept += [kept] * len(rest)
        find.bytes += sizes[kept] * len(rest)
    for find in finds.values():
        used, others = (sum(path in sight.named for path in paths) for paths in (find.paths, set(find.kept)))
        find.what += f"; ledgers use {used:,} of these, and {others:,} of the others"
        yield find


def copies_of(folders: Sequence[str]) -> str:
    """Which folder's sounds these are again."""
    return "the same as others in this folder" if len(set(folders)) == 1 else f"the same as in {folders[0]}"


def strays(sight: Sight) -> Iterator[Find]:
    """Entries outside every shelf, a finding for each folder."""
    for stray in sight.report.strays:
        yield Find(
            0,
            STRAY,
            stray.folder,
            stray.files,
            stray.bytes,
            f"outside every shelf; {counted(stray.entries, 'entry refers', 'entries refer')} to them",
        )


def plays(sight: Sight, maps: Sequence[str], older_than_days: int) -> Iterator[Find]:
    """Files their ledger says were never played, or not for long, a finding for each shelf."""
    before = (datetime.now(UTC) - timedelta(days=older_than_days)).strftime("%Y-%m-%d")
    kinds: dict[tuple[int, str], dict[str, int]] = {}
    names = TrueNames()
    for found in facts(sight.report, maps):
        if not found.counted:
            continue
        path = names.path(found.path)
        dated = found.last_played and DATE.match(found.last_played)
        kind = (
            UNPLAYED if not found.plays and not found.last_played else LONG_AGO if dated and dated[0] < before else None
        )
        shelf = sight.report.shelf_of(path)
        if kind and shelf is not None and os.path.isfile(path):
            kinds.setdefault((shelf, kind), {})[path] = os.path.getsize(path)
    words = {UNPLAYED: "no plays in their ledger", LONG_AGO: f"last played before {before}"}
    for (shelf, kind), sizes in sorted(kinds.items()):
        yield Find(0, kind, sight.report.shelves[shelf].tree.path, sorted(sizes), sum(sizes.values()), words[kind])


def facts(report: SurveyReport, maps: Sequence[str]) -> Iterator[Facts]:
    """What all ledgers say of their sounds."""
    loaded = [load_map(path) for path in dict.fromkeys(maps)]
    for state in report.ledgers:
        if not state.trouble and state.map_name != PART:
            yield from open_ledger(state.path, loaded).facts()


def outside(inside: set[str], folder: str) -> bool:
    """Whether a folder is none of those `inside`."""
    return folder not in inside


def litter_in(top: str, items: Iterable[Item]) -> Iterator[Find]:
    """The litter among the things in a folder, a finding of each kind."""
    groups: dict[str, list[Item]] = {}
    for item in items:
        kind = litter(os.path.basename(item.path)) if item.kind == FILE else None
        if kind:
            groups.setdefault(kind, []).append(item)
    for what, found in groups.items():
        yield Find(0, LITTER, top, [os.path.join(top, item.path) for item in found], total(found), what)


def leavings(sight: Sight) -> Iterator[Find]:
    """Litter and empty folders, a finding of each kind for each shelf, and litter beside the shelves in each place."""
    tops = {shelf.tree.path for shelf in sight.report.shelves}
    for place in sight.report.places:
        if place not in tops:
            inside = {tail for top in tops if (tail := tail_below(top, place))}
            yield from litter_in(place, walk(place, enter=partial(outside, inside)))
    for shelf, items in zip(sight.report.shelves, sight.items, strict=True):
        yield from litter_in(shelf.tree.path, items)
        holding = {os.path.dirname(item.path) for item in items if item.path}
        empty = [
            os.path.join(shelf.tree.path, item.path)
            for item in items
            if item.kind == FOLDER and item.path and item.path not in holding
        ]
        if empty:
            yield Find(0, EMPTY, shelf.tree.path, empty, 0, "nothing in them")


def totals(finds: Iterable[Find]) -> tuple[int, int]:
    """How many files there are in some findings, and their bytes; each file once, whatever was found about it."""
    paths = {path for find in finds if find.kind != EMPTY for path in find.paths}
    size = 0
    for path in paths:
        with suppress(OSError):
            size += os.path.getsize(path)
    return len(paths), size


def remember(report: TidyReport) -> None:
    """Keep the findings, so that their numbers can be spoken of later."""
    with replacing(str(made_home() / "tidy.json")) as path, open(path, "w", encoding="ascii") as stream:
        json.dump([asdict(find) for find in report.finds], stream)


def remembered() -> list[Find]:
    """The findings of the last look.  UsageError when there was none."""
    try:
        with open(home() / "tidy.json", encoding="ascii") as stream:
            return [Find(**find) for find in json.load(stream)]
    except FileNotFoundError:
        raise UsageError("There are no findings yet", "Look first: saltcart tidy PLACE") from None
    except (ValueError, TypeError) as error:
        raise SaltCartError("The kept findings cannot be read", "Look again: saltcart tidy PLACE") from error
