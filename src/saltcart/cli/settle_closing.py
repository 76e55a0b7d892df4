"""What `saltcart settle` tells at the end: what was done, and how it compares with what was carried."""

from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

from saltcart.carrying.agreement import IN_PLACE
from saltcart.carrying.stands import BOTH, COPY, MERGE, REPLACE, LedgerStand, SettlePlan, sums_at
from saltcart.cli.check_output import closing
from saltcart.cli.screen import Screen, many, place
from saltcart.cli.settle_output import listed
from saltcart.errors import SaltCartError, show
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import Map, load_map
from saltcart.merging.merged import Merged
from saltcart.proving.results import CheckReport
from saltcart.shelves.true_names import without_detours
from saltcart.spelling.moves import tail_below
from saltcart.switching.repoint import RepointReport


def compared(plan: SettlePlan, report: CheckReport) -> list[dict[str, object]]:
    """Each settled ledger held against what was carried: entries found, and what its map knows, in numbers."""
    maps = [load_map(path) for path in plan.waybill.maps]
    known = {one.state.path: one for one in report.ledgers}
    result: list[dict[str, object]] = []
    for one in plan.ledgers:
        state = known.get(one.here)
        if one.step not in (COPY, REPLACE) or state is None:
            continue
        found, now = state.state.counts()["found"], sums_at(one.here, maps, one.carried.map_name)
        there = entries_in(one.there, maps, one.carried.map_name)
        away = [
            each.resolved
            for each in state.state.judgements()
            if plan.way != IN_PLACE and tail_below(without_detours(each.resolved), plan.found.top) is not None
        ]
        wanted = dict(one.sums[0])
        result.append(
            {
                "ledger": one.here,
                "found": found,
                "found_at_home": one.carried.found,
                "says": dict(now),
                "said": wanted,
                "still_there": away,
                "lost": sum(problem.new for problem in state.problems),
                "equal": dict(now) == wanted
                and not any(problem.new for problem in state.problems)
                and (found >= one.carried.found if there is None else sum(state.state.counts().values()) == there)
                and not away,
            }
        )
    return result


def entries_in(path: str, maps: Sequence[Map], name: str) -> int | None:
    """How many entries a ledger has; None where it cannot be read, such as when its drive has gone."""
    try:
        return sum(1 for _entry in open_ledger(path, maps, name).entries())
    except (SaltCartError, OSError):
        return None


def changed_entries(plan: SettlePlan, switched: RepointReport) -> int:
    """How many entries were rewritten, what was brought together not counted."""
    return max(0, switched.changed - sum(one.merged.differing for one in plan.ledgers if one.merged))


class Outcome(NamedTuple):
    """What a settling trip did: files `copied`, entries `changed`, and how what was settled `compares`."""

    trip: str
    copied: int
    changed: int
    compares: list[dict[str, object]]


def show_closing(screen: Screen, plan: SettlePlan, report: CheckReport, outcome: Outcome) -> None:
    """What was done, how it compares, and what to type next."""
    merged = [one for one in plan.ledgers if one.step == MERGE]
    rows = [("Trip", outcome.trip), *came(plan, outcome)]
    settled = [one for one in report.ledgers if all(one.state.path != other.here for other in merged)]
    if settled:
        what = f"{many(outcome.changed, 'entry', 'entries')} in {many(len(settled), 'ledger', 'ledgers')}"
        rows += [("Updated", f"{what}; nothing else in them changed")] if outcome.changed else []
    elif not merged:
        rows += [("Updated", "nothing was left to do")]
    if any(report.counts.values()):
        rows += [("Entries", closing(report).split(". ")[0].rstrip("."))]
    rows += [("Compared", what) for what in comparisons(outcome.compares)]
    rows += met(plan, merged)
    if merged and plan.way != IN_PLACE:
        rows += [("Next", "the same carry again copies what changed here to the drive")]
    screen.facts([*rows, ("To undo it", f"saltcart undo {outcome.trip}")])


def came(plan: SettlePlan, outcome: Outcome) -> list[tuple[str, str]]:
    """What was copied here, and under which names."""
    moved = [shelf for shelf in plan.waybill.shelves if not shelf.along]
    rows = [("Copied", f"{show(shelf.name)} to {place(shelf.new)}") for shelf in moved if outcome.copied]
    if plan.waybill.newer:
        rows += [("Newer", f"{many(len(plan.waybill.newer), 'file', 'files')}; what they were before is kept")]
    if plan.waybill.renamed:
        rows += [("Renamed", many(len(plan.waybill.renamed), "file", "files"))]
    return rows


def met(plan: SettlePlan, merged: Sequence[LedgerStand]) -> list[tuple[str, str]]:
    """What became of ledgers that were here and there."""
    rows: list[tuple[str, str]] = []
    kept = [one for one in plan.ledgers if one.step == REPLACE]
    if kept:
        rows += [("Replaced", f"{listed(one.here for one in kept)}; the old one is kept, and undo brings it back")]
    if merged:
        count = sum(came_from_there(plan, each.here, each.merged) for each in merged if each.merged)
        what = f"{many(count, 'change', 'changes')} from there in {listed(each.here for each in merged)}"
        rows += [("Combined", f"{what}; the old one is kept, and undo brings it back")]
    both = [one for one in plan.ledgers if one.step == BOTH]
    if both:
        rows += [("Both changed", f"{listed(one.here for one in both)}: both stay as they are")]
    return rows


def comparisons(proof: Sequence[Mapping[str, object]]) -> Iterator[str]:
    """How what was settled compares with what was carried, in sentences."""
    unequal = [one for one in proof if not one["equal"]]
    if proof and not unequal:
        plays = sum(int(one["says"].get("plays", 0)) for one in proof if isinstance(one["says"], dict))
        yield "everything that works there works here" + (f", with the same {plays:,} plays" if plays else "")
    for one in unequal:
        away = one["still_there"]
        count = len(away) if isinstance(away, list) else 0
        what = f"still points to {many(count, 'sound', 'sounds')} in the collection" if count else "differs from there"
        yield f"{place(str(one['ledger']))} {what}"


def came_from_there(plan: SettlePlan, here: str, merged: Merged) -> int:
    """How many changes a ledger here took from the collection, with what both changed where the one there won."""
    won = any(line.merge and line.path == here and line.prefer == "there" for line in plan.waybill.ledgers)
    return len(merged.changes) + (len(merged.conflicts) if won else 0)
