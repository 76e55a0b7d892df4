"""The check: every entry judged again and compared with before; every copy held against the logbook."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import partial
from types import MappingProxyType

from msgspec.structs import replace

from saltcart.drives import Presence
from saltcart.errors import Refused, SaltCartError, show
from saltcart.judging.judge import Judge
from saltcart.judging.judgements import MISSING, OFFLINE, Judgement, LedgerState
from saltcart.judging.levels import wrong_levels
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.instrument_parts import with_parts
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.progress import Progress, Tick, silent
from saltcart.proving.copy_presence import Row, troubles
from saltcart.proving.left_mentions import left_mentions
from saltcart.proving.left_unnamed import allowed
from saltcart.proving.results import CheckReport, FileProblem, LedgerCheck, Problem, ShelfCheck
from saltcart.safefile import digest_of
from saltcart.shelves.true_names import true_path
from saltcart.shelves.walk import FILE
from saltcart.spelling import Meanings, Moves
from saltcart.system import os
from saltcart.trips import trip as trips
from saltcart.trips.facts import Fact
from saltcart.trips.records import ACCEPTED, EntryRow, LedgerRow, key_text
from saltcart.trips.trip import HAULED, HAULING, RELEASED, RELEASING, SWITCHED, SWITCHING, UNDOING, Trip
from saltcart.trips.trip_shelf import TripShelf


def check_ledgers(
    paths: Sequence[str],
    maps: Sequence[str],
    headers: bool = True,
    means: Sequence[str] = (),
    progress: Progress = silent,
) -> CheckReport:
    """Judge ledgers as they are, without a trip.  Raises Refused or BadLedger."""
    loaded = [load_map(path) for path in maps]
    judge = Judge(headers, resolver=Resolver(Meanings(means)))
    report = CheckReport(None, None, [], [])

    def noted(path: str, error: SaltCartError) -> None:
        if len(paths) == 1:
            raise error
        report.ledgers.append(LedgerCheck(LedgerState(path, "", trouble=error), []))  # the others are still reported

    for number, ledger in enumerate(with_parts(map(true_path, paths), partial(open_ledger, maps=loaded), noted)):
        progress(Tick("judge", ledger.path, number, len(paths)))
        report.ledgers.append(with_problems(state := judge.ledger(ledger)))
        report.levels += wrong_levels(state, judge.resolver)
    judge.opened.keep()
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
    shelves = [check_shelf(trip, one, digests, progress) for one in trip.shelves] if copies else []
    wrong = {
        problem.path: (problem.verdict, problem.why)
        for shelf in shelves
        for problem in (*shelf.problems, *shelf.accepted)
    }
    posts = [shelf.old for shelf in trip.waybill.shelves if shelf.leave == "signpost"] if switched else []
    judge = Judge(headers, wrong, posts, resolver=trip.waybill.resolver())
    ledgers = []
    for row in trip.logbook.ledgers():
        progress(Tick("judge", row.path, row.number, 0))
        one = check_ledger(trip, row, judge, row.place if switched else row.path)
        if digests and switched:
            one.state.trouble = one.state.trouble or flipped(trip, row)
        ledgers.append(one)
    judge.opened.keep()
    report = CheckReport(trip.name, trip.state, ledgers, shelves, copies=trip.copies)
    report.levels = [one for ledger in ledgers for one in wrong_levels(ledger.state, judge.resolver)]
    if switched:
        states = [one.state for one in ledgers]
        report.left, report.search, report.unsearched = left_mentions(trip, states, progress)
    return report


def check_ledger(trip: Trip, row: LedgerRow, judge: Judge, place: str) -> LedgerCheck:
    """Judge one ledger of a trip at its present place and compare with before."""
    try:
        state = judge.ledger(trip.open_ledger(row, place))
    except Refused as error:
        away = None if os.path.exists(place) else judge.presence.away(place)
        trouble = Refused(f"{show(place)}: {away}", "Plug it in; nothing is lost.") if away else error
        state = LedgerState(place, row.map_name, trouble=trouble)
    early = trip.state in (HAULING, HAULED)
    checked = with_problems(state, lambda: {} if early else {one.key: one for one in trip.logbook.entries(row.number)})
    if not early and not trip.line(row).rewrite and place in allowed(trip.waybill):
        moves = trip.waybill.moves()
        checked.problems = [replace(one, left=one.new and is_left(one.judgement, moves)) for one in checked.problems]
    return checked


def is_left(judgement: Judgement, moves: Moves) -> bool:
    """Whether an entry is not found because it leads to where something was before a trip."""
    return judgement.verdict == MISSING and moves.covers(os.path.normpath(judgement.resolved))


def flipped(trip: Trip, row: LedgerRow) -> Refused | None:
    """What is wrong with a ledger that nobody has written to since the switch, and that holds other content all the
    same: told by its time and size then, and by a digest read from its drive.
    """
    stamp = trip.logbook.fact(Fact.STAMPS, {}).get(str(row.number))
    try:
        state = os.stat(row.place)
        if [state.st_mtime_ns, state.st_size] != stamp or digest_of(row.place, past_cache=True) == row.after:
            return None
    except OSError:
        return None  # told by who judges its entries
    return Refused(
        f"{show(row.place)}: its content is not what was written, and no program has changed it since",
        f"Its drive may be failing. What it was before the switch is kept at {show(row.backup or '')}.",
    )


def with_problems(
    state: LedgerState, recorded: Callable[[], Mapping[str, EntryRow]] = lambda: MappingProxyType({})
) -> LedgerCheck:
    """The entries of a judged ledger that need a word, with what they were before, which is `recorded` by their
    keys.
    """
    troubles = list(state.judgements(plain=False))
    before = recorded() if troubles else {}
    texts = {entry.new: entry for entry in before.values()} | {
        entry.old: entry for entry in before.values() if entry.old == entry.new
    }
    problems = []
    for judgement in troubles:
        row = before.get(key_text(judgement.entry.key))
        if row is None or judgement.entry.written not in (row.old, row.new):
            row = texts.get(judgement.entry.written)
        problems.append(Problem(judgement, (row.after or row.verdict) if row else None))
    return LedgerCheck(state, problems)


def check_shelf(trip: Trip, one: TripShelf, digests: bool, progress: Progress) -> ShelfCheck:
    """Hold the copies of one shelf against the logbook.  A ledger that travelled may have changed and is judged as a
    ledger.
    """
    shelf = one.shelf
    report = ShelfCheck(shelf.name, shelf.new, gathered=shelf.along)
    ledgers = {row.place for row in trip.logbook.ledgers()}
    without = list(one.rows(ACCEPTED, kind=FILE))
    report.accepted = [
        FileProblem(shelf.place(row.item.path), MISSING, f"the trip goes without it, as accepted: {row.why}")
        for row in without
    ]
    files, total = one.totals()
    report.files, report.bytes = files - len(without), total - sum(row.item.size for row in without)
    report.problems += troubles(
        shelf, watched(trip.logbook.sizes(one.number), f"look at {shelf.name}", files, progress), ledgers
    )
    if digests:
        from saltcart.proving.contents import ReadWatch, altered_copies  # and what reads with several processes

        passed_over = ledgers | {problem.path for problem in report.problems}
        report.problems += altered_copies(
            trip, one, passed_over, ReadWatch(f"check {shelf.name}", report.bytes, progress)
        )
    if report.problems and (away := Presence().away(shelf.new)):
        report.problems = [FileProblem(shelf.new, OFFLINE, away)]
    return report


def watched(portions: Iterable[Sequence[Row]], step: str, total: int, progress: Progress) -> Iterator[Sequence[Row]]:
    """The portions, with a tick for each."""
    done = 0
    for rows in portions:
        progress(Tick(step, os.fsdecode(rows[0][0]), done, total))
        yield rows
        done += len(rows)
