"""The plan that mends what was found and is taken."""

from collections.abc import Callable, Sequence

from saltcart.ledgers.maps import Map
from saltcart.mending.findings import Findings, is_proven
from saltcart.mending.losses import Lost
from saltcart.mending.rules import Rule
from saltcart.safefile import digest_of
from saltcart.spelling.moves import tail_below
from saltcart.system import os
from saltcart.waybills.relinks import ONE, Relink
from saltcart.waybills.waybill import LedgerLine, Waybill


def waybill_for(
    found: Findings,
    maps: Sequence[Map],
    means: Sequence[str],
    take: Callable[[Rule], bool] = is_proven,
    here: bool = False,
    signposts: bool = False,
) -> Waybill:
    """The plan that mends what the rules that are taken explain, and the singles that are chosen; with `here` what is
    written as on another system gets this one's spelling, and with `signposts` links that lead nowhere are turned where
    that mends what goes through them.
    """
    posts: dict[str, str] = {}
    exact = {one.lost.path: (one.chosen, one.why) for one in found.singles if one.chosen}
    broad: list[Relink] = []
    olds: set[str] = set()
    by_rule: dict[int, dict[str, str]] = {}
    for path, (rule, file) in found.mended.items():
        by_rule.setdefault(id(rule), {})[path] = file
    taken = [rule for rule in found.rules if take(rule)]
    for rule in taken:
        mine = by_rule.get(id(rule), {})
        if signposts and (pair := signpost_for(rule)):
            posts |= [pair]
            continue
        folders = {path: file for path, file in mine.items() if found.losses.lost[path].folder}
        files = len(mine) - len(folders)
        if files == rule.seen > 1 and rule.exact and rule.old not in olds:  # then the rule says it all
            olds.add(rule.old)
            broad.append(Relink(rule.old, rule.new, why="; ".join(rule.evidence())))
            mine = {path: file for path, file in folders.items() if tail_below(path, rule.old) is None}  # those above
        exact |= {path: (file, ", ".join(rule.evidence())) for path, file in mine.items()}
    relinks = broad + [Relink(path, file, what=ONE, why=why) for path, (file, why) in sorted(exact.items()) if file]
    mended = [found.losses.lost[path] for rule in taken for path in by_rule.get(id(rule), ())]
    lines = touched_by(found, mended, here)
    return Waybill([], lines, [plan.path for plan in maps], means=list(means), relinks=relinks, here=here,
                   signposts=sorted(posts.items()))  # fmt: skip


def touched_by(found: Findings, mended: Sequence[Lost], every: bool) -> list[LedgerLine]:
    """The ledgers that name what is mended by rules or by itself; with `every` all of them."""
    chosen = [one.lost for one in found.singles if one.chosen]
    touched = set[str]().union(*{lost.ledgers for lost in (*mended, *chosen)})
    return [
        LedgerLine(ledger.path, ledger.map_name, digest=digest_of(ledger.path))
        for ledger in found.losses.ledgers
        if ledger.path in touched or every
    ]


def signpost_for(rule: Rule) -> tuple[str, str] | None:
    """The link that leads nowhere and through which a rule goes, and where it should lead; None where there is none."""
    place, tail = rule.old, ""
    while place != os.path.dirname(place) and not os.path.islink(place):
        place, _slash, name = place.rpartition("/")
        place, tail = place or "/", f"/{name}{tail}"
    if (
        place == os.path.dirname(place)
        or os.path.exists(place)
        or not rule.new.endswith(tail)
        or rule.lacking
        or rule.contradicted
    ):
        return None
    return place, rule.new[: len(rule.new) - len(tail)]


def proposals(found: Findings, taken: Callable[[Rule], bool]) -> list[Relink]:
    """What was found and is not taken, each with what is known of it."""
    rules = [rule for rule in found.rules if not taken(rule)]
    singles = [one for one in found.singles if one.files and not one.chosen]
    return [Relink(rule.old, rule.new, why="; ".join(rule.evidence())) for rule in rules] + [
        Relink(one.lost.path, one.files[0], what=ONE, why=", ".join([one.why, *one.evidence])) for one in singles
    ]


def lines_of(found: Findings) -> list[LedgerLine]:
    """All ledgers that lost something, for a plan that a person will change."""
    lost = set[str]().union(*(one.ledgers for one in found.losses.lost.values()))
    ledgers = [ledger for ledger in found.losses.ledgers if ledger.path in lost]
    return [LedgerLine(ledger.path, ledger.map_name, digest=digest_of(ledger.path)) for ledger in ledgers]
