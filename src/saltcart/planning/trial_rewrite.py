"""The ledgers of a trip that is drafted: found, judged, and rewritten on trial."""

import os
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass, field

from saltcart.errors import CannotSpell, SaltCartError, show
from saltcart.judging.judge import Judge, LedgerState
from saltcart.ledgers import Ledger, open_ledger
from saltcart.looking.survey import usual_ledgers
from saltcart.planning.request import Request
from saltcart.planning.shelf_inspection import ShelfInspector
from saltcart.progress import Progress
from saltcart.safefile import digest_of
from saltcart.shelves.true_names import true_path
from saltcart.waybills.content_folders import AddedFolder, added_folders
from saltcart.waybills.routes import Routes
from saltcart.waybills.staging import changes_for, judged, stage
from saltcart.waybills.waybill import LedgerLine, Waybill


@dataclass(slots=True)
class DraftedLedger:
    """One ledger as the draft saw it; `changes` entries would be rewritten; `travels` when it lies in a shelf.

    `links` are those that its entries go through into a shelf, with whether they would be turned.
    """

    line: LedgerLine
    state: LedgerState
    changes: int
    travels: bool
    links: dict[str, bool] = field(default_factory=dict)


def gather_ledgers(
    request: Request, waybill: Waybill, inspector: ShelfInspector, progress: Progress
) -> tuple[list[DraftedLedger], list[str]]:
    """The ledgers of the trip, tried out, and the places that were searched for them.

    Named ones and those inside the shelves are all taken; without named ones, those elsewhere
    that lean on a shelf.
    """
    judge = Judge(headers=False, resolver=waybill.resolver())
    given, front = ([true_path(path) for path in paths] for paths in (request.ledgers, request.front))
    added = added_folders([open_ledger(path, inspector.maps) for path in front], waybill.shelves, judge.resolver)
    ledgers = [
        try_ledger(
            open_ledger(path, inspector.maps), waybill, judge, RewriteOptions(added, request.turn_links, path in front)
        )
        for path in dict.fromkeys([*given, *front, *inspector.found])
    ]
    if request.ledgers:
        return ledgers, []
    elsewhere, searched = usual_ledgers(request.cart, inspector.maps, progress)
    searched = [*filter(None, [request.cart.path]), *searched]
    for path in elsewhere:
        if path not in inspector.found and path not in front:
            try:
                one = try_ledger(
                    open_ledger(path, inspector.maps), waybill, judge, RewriteOptions(added, request.turn_links)
                )
            except SaltCartError as error:
                inspector.remarks.append(f"{show(error.what)}; it is left out")
                continue
            if one.changes or one.links or not one.line.rewrite:
                ledgers.append(one)
    return ledgers, searched


def links_of(ledgers: Sequence[DraftedLedger]) -> dict[str, bool]:
    """The links that entries of any ledger go through, in order, with whether they would be turned."""
    links: dict[str, bool] = {}
    for one in ledgers:
        links |= {link: turned or links.get(link, False) for link, turned in one.links.items()}
    return dict(sorted(links.items()))


@dataclass(frozen=True, slots=True)
class RewriteOptions:
    """How a ledger is to follow: with new content folders in front, with links turned."""

    added: Sequence[AddedFolder]
    turn_links: bool
    in_front: bool = False


def try_ledger(ledger: Ledger, waybill: Waybill, judge: Judge, options: RewriteOptions) -> DraftedLedger:
    """Judge a ledger and rewrite it on trial; one that cannot spell the new place stays as it is, with the reason."""
    place = waybill.moves().follow(ledger.path)
    routes = Routes(
        waybill.entry_moves(place is not None), judge.resolver, options.added, lambda _link: options.turn_links
    )
    digest = digest_of(ledger.path)
    rewrite, why, changed = True, "", 0
    state = judged(ledger, judge)
    try:
        changes = changes_for(ledger, routes, place or ledger.path, options.in_front)
        with tempfile.TemporaryDirectory(prefix="saltcart-") as folder:
            stage(ledger, changes, os.path.join(folder, "trial"))
        changed = changes.count(part.batch for part in state.judged)
    except CannotSpell as error:
        rewrite, why = False, f"{error.what}. {error.remedy}".rstrip(". ")
    line = LedgerLine(ledger.path, ledger.map_name, rewrite, digest, why, options.in_front)
    return DraftedLedger(line, state, changed, place is not None, routes.links)
