"""The check: every entry judged again and compared with before; every copy held against the logbook."""

import os
import stat
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from saltcart.drives import Presence
from saltcart.errors import Refused, show
from saltcart.ledgers import load_map, open_ledger
from saltcart.progress import Progress, Tick, silent
from saltcart.shelves import manifest
from saltcart.shelves.walk import FILE, OTHER, walk
from saltcart.spelling import Meanings
from saltcart.trips import trip as trips
from saltcart.trips.crew import Reading, read_all
from saltcart.trips.judge import ALTERED, FOUND, MISSING, OFFLINE, UNREADABLE, Judge, Judgement, LedgerState, add_counts
from saltcart.trips.logbook import ACCEPTED, EntryRow, LedgerRow
from saltcart.trips.reading import Reader
from saltcart.trips.repoint import key_text
from saltcart.trips.trip import HAULED, HAULING, RELEASED, RELEASING, SWITCHED, SWITCHING, UNDOING, Trip


MOST_LISTINGS = 64
PORTION = 10_000
TICK_EVERY = 100


@dataclass(frozen=True, slots=True)
class Problem:
    """One entry that is not found, or is found with a remark; `before` is its verdict before the trip, if it had one."""

    judgement: Judgement
    before: str | None

    @property
    def new(self) -> bool:
        """Whether the trip, or what came after it, made this entry worse."""
        return self.judgement.verdict != FOUND and self.before in (None, FOUND) or self.judgement.verdict == ALTERED


@dataclass(slots=True)
class LedgerCheck:
    """One ledger judged; problems in its order."""

    state: LedgerState
    problems: list[Problem]


@dataclass(frozen=True, slots=True)
class FileProblem:
    """One file of a shelf whose copy is not as recorded."""

    path: str
    verdict: str
    why: str


@dataclass(slots=True)
class ShelfCheck:
    """One shelf's copies held against the logbook, or against its manifest: how many files were looked at, and what is wrong with some.

    `unknown` files lie in the shelf but not in its manifest; `accepted` ones could not be copied, and the trip goes without them.
    """

    name: str
    path: str
    files: int = 0
    bytes: int = 0
    problems: list[FileProblem] = field(default_factory=list)
    manifest: str | None = None
    unknown: int = 0
    accepted: list[FileProblem] = field(default_factory=list)


@dataclass(slots=True)
class CheckReport:
    """All that was judged.  `trip` is None when ledgers were judged without one."""

    trip: str | None
    state: str | None
    ledgers: list[LedgerCheck]
    shelves: list[ShelfCheck]

    @property
    def counts(self) -> dict[str, int]:
        """Verdict to number of entries over all ledgers."""
        return add_counts(ledger.state for ledger in self.ledgers)

    @property
    def before_counts(self) -> dict[str, int]:
        """How many entries of each verdict are as bad now as they were before the trip."""
        known = [problem for ledger in self.ledgers for problem in ledger.problems if not problem.new and problem.judgement.verdict != FOUND]
        return {word: sum(problem.judgement.verdict == word for problem in known) for word in (OFFLINE, MISSING, UNREADABLE)}

    @property
    def ok(self) -> bool:
        """Whether nothing needs attention: without a trip nothing but `found`, with one nothing worse than before."""
        readable = not any(ledger.state.trouble for ledger in self.ledgers)
        return readable and not self.new_problems() and not any(shelf.problems for shelf in self.shelves)

    def new_problems(self) -> list[Problem]:
        """Entries that are worse than before."""
        return [problem for ledger in self.ledgers for problem in ledger.problems if problem.new]


def check_ledgers(
    paths: Sequence[str], maps: Sequence[str], headers: bool = True, means: Sequence[str] = (), progress: Progress = silent
) -> CheckReport:
    """Judge ledgers as they stand, without a trip.  Raises Refused or BadLedger."""
    loaded = [load_map(path) for path in maps]
    judge = Judge(headers, reader=Reader(Meanings(means)))
    report = CheckReport(None, None, [], [])
    for number, path in enumerate(paths):
        progress(Tick("judge", path, number, len(paths)))
        ledger = open_ledger(os.path.realpath(os.path.expanduser(path)), loaded)
        report.ledgers.append(with_problems(judge.ledger(ledger), {}))
    return report


def check_trip(name: str, headers: bool = True, digests: bool = False, progress: Progress = silent) -> CheckReport:
    """Judge all ledgers and copies of trip `name`; with `digests` read every copy and compare its content."""
    with trips.opened(name) as trip:
        return check_opened(trip, headers, digests, progress)


def check_opened(trip: Trip, headers: bool = True, digests: bool = False, progress: Progress = silent) -> CheckReport:
    """As `check_trip`, for a trip that is open already."""
    switched = trip.state in (SWITCHED, RELEASING, RELEASED)
    if trip.state in (SWITCHING, UNDOING):
        trip.require(step="check")
    copies = trip.state in (HAULED, SWITCHED, RELEASING, RELEASED)
    shelves = [check_shelf(trip, number, digests, progress) for number in range(len(trip.waybill.shelves))] if copies else []
    wrong = {problem.path: (problem.verdict, problem.why) for shelf in shelves for problem in (*shelf.problems, *shelf.accepted)}
    posts = [shelf.old for shelf in trip.waybill.shelves if shelf.leave == "signpost"] if switched else []
    judge = Judge(headers, wrong, posts, reader=trip.waybill.reader())
    ledgers = []
    for row in trip.logbook.ledgers():
        progress(Tick("judge", row.path, row.number, 0))
        ledgers.append(check_ledger(trip, row, judge, row.place if switched else row.path))
    return CheckReport(trip.name, trip.state, ledgers, shelves)


def check_ledger(trip: Trip, row: LedgerRow, judge: Judge, place: str) -> LedgerCheck:
    """Judge one ledger of a trip at its present place and compare with before."""
    try:
        state = judge.ledger(trip.open_ledger(row, place))
    except Refused as error:
        away = None if os.path.exists(place) else judge.presence.away(place)
        trouble = Refused(f"{show(place)}: {away}", "Plug it in; nothing is lost.") if away else error
        state = LedgerState(place, row.map_name, trouble=trouble)
    before = {} if trip.state in (HAULING, HAULED) else {entry.key: entry for entry in trip.logbook.entries(row.number)}
    return with_problems(state, before)


def with_problems(state: LedgerState, before: dict[str, EntryRow]) -> LedgerCheck:
    """The entries of a judged ledger that need a word, with what they were before."""
    texts = {entry.new: entry for entry in before.values()} | {entry.old: entry for entry in before.values() if entry.old == entry.new}
    problems = []
    for judgement in state.judgements(plain=False):
        row = before.get(key_text(judgement.entry.key))
        if row is None or judgement.entry.written not in (row.old, row.new):
            row = texts.get(judgement.entry.written)
        problems.append(Problem(judgement, row.verdict if row else None))
    return LedgerCheck(state, problems)


def check_shelf(trip: Trip, number: int, digests: bool, progress: Progress) -> ShelfCheck:
    """Hold the copies of one shelf against the logbook.  A ledger that travelled may have changed and is judged as a ledger."""
    shelf = trip.waybill.shelves[number]
    report = ShelfCheck(shelf.name, shelf.new)
    ledgers = {row.place for row in trip.logbook.ledgers()}
    total = trip.logbook.totals(number)[1]
    watch = ReadWatch(f"check {shelf.name}", total, progress)
    wanted: list[tuple[Reading, str]] = []
    listings = Listings()
    without = trip.logbook.rows(number, ACCEPTED)
    report.accepted = [FileProblem(shelf.place(row.item.path), MISSING, f"the trip goes without it, as accepted: {row.why}") for row in without]
    for path, kind, size, digest in trip.logbook.brief(number):
        place = shelf.place(path)
        if kind == FILE:
            report.files += 1
            report.bytes += size
        if kind == OTHER:
            continue
        expected = size if kind == FILE and place not in ledgers else None
        if trouble := listings.trouble(place, expected):
            report.problems.append(trouble)
        elif digests and digest and expected is not None:
            wanted.append((Reading(path, place, size, trip.waybill.digests), digest))
        if not digests and report.files % TICK_EVERY == 0:
            progress(Tick(f"check {shelf.name}", path, report.bytes, total))
        if len(wanted) >= PORTION:
            report.problems += altered(wanted, watch)
            wanted = []
    report.problems += altered(wanted, watch)
    if report.problems and (away := Presence().away(shelf.new)):
        report.problems = [FileProblem(shelf.new, OFFLINE, away)]
    return report


def check_folder(path: str, write: str | None = None, progress: Progress = silent) -> CheckReport:
    """Hold the shelf at `path` against its manifest, every file read; with `write`, a kind of digest, make the manifest from what is there now.

    Raises Refused when there is no such shelf, or no manifest.
    """
    shelf = os.path.realpath(os.path.expanduser(path))
    if not os.path.isdir(shelf):
        raise Refused(f"There is no shelf at {show(shelf)}", "Check the path; if its drive is not connected, plug it in.")
    report = ShelfCheck(os.path.basename(shelf), shelf)
    items = {item.path: item.size for item in walk(shelf) if item.kind == FILE}
    report.files, report.bytes = len(items), sum(items.values())
    watch = ReadWatch(f"check {report.name}", report.bytes, progress)
    if write:
        readings = [Reading(item, os.path.join(shelf, item), items[item], write) for item in items]
        outcomes = list(zip(readings, read_all(readings, watch)))
        report.problems = [FileProblem(reading.place, UNREADABLE, why) for reading, (_found, why) in outcomes if why]
        report.manifest = manifest.write(shelf, write, ((reading.path, found) for reading, (found, why) in outcomes if not why))
        return CheckReport(None, None, [], [report])
    kind = manifest.kind_of_manifest(shelf)
    if kind is None:
        raise Refused(f"There is no manifest beside {show(shelf)}", f"Make it from what is there now: saltcart check {show(path)} --digests --write")
    report.manifest = manifest.manifest_of(shelf, kind)
    known = dict(manifest.read(shelf, kind))
    report.problems = [FileProblem(os.path.join(shelf, name), MISSING, "is in the manifest, but not there") for name in known if name not in items]
    report.problems += altered([(Reading(name, os.path.join(shelf, name), items[name], kind), digest) for name, digest in known.items() if name in items], watch)
    report.unknown = len(items.keys() - known.keys())
    return CheckReport(None, None, [], [report])


class ReadWatch:
    """Tells progress of `total` bytes that are read in several portions."""

    def __init__(self, step: str, total: int, progress: Progress):
        self.step, self.total, self.progress, self.done = step, total, progress, 0

    def __call__(self, _step: str, path: str, count: int) -> None:
        self.done += count
        self.progress(Tick(self.step, path, self.done, self.total))


def altered(wanted: Sequence[tuple[Reading, str]], watch: ReadWatch) -> Iterator[FileProblem]:
    """Of files with the digests they should have, those that have others or cannot be read."""
    outcomes = read_all([reading for reading, _digest in wanted], watch)
    for (reading, digest), (found, why) in zip(wanted, outcomes):
        if why:
            yield FileProblem(reading.place, UNREADABLE, why)
        elif found != digest:
            yield FileProblem(reading.place, ALTERED, "its content is not what was recorded")


class Listings:
    """Looks at many places folder by folder, which is quicker than one by one; places come in the order of their paths."""

    def __init__(self) -> None:
        self.folders: dict[str, dict[str, os.stat_result]] = {}

    def trouble(self, place: str, size: int | None) -> FileProblem | None:
        """What is wrong with the copy at `place`; `size` None means that only its being there is asked."""
        folder, _slash, name = place.rpartition("/")
        if folder not in self.folders:
            if len(self.folders) >= MOST_LISTINGS:
                self.folders.clear()
            try:
                with os.scandir(folder) as things:
                    self.folders[folder] = {thing.name: thing.stat(follow_symlinks=False) for thing in things}
            except (FileNotFoundError, NotADirectoryError):
                self.folders[folder] = {}
            except OSError as error:
                return FileProblem(place, UNREADABLE, error.strerror or str(error))
        state = self.folders[folder].get(name)
        if state is None:
            return FileProblem(place, MISSING, "the copy is not there")
        if size is None:
            return None
        if not stat.S_ISREG(state.st_mode):
            return FileProblem(place, ALTERED, "is no longer a file")
        if state.st_size != size:
            return FileProblem(place, ALTERED, f"has {state.st_size:,} bytes, {size:,} were recorded")
        return None
