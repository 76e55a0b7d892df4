"""Trying a plan of mending on every ledger, so that one that cannot take it is no reason to mend none."""

from collections.abc import Sequence

from saltcart.errors import SaltCartError
from saltcart.ledgers.base import Ledger
from saltcart.rewriting.staging import changes_for, on_trial, routes_for
from saltcart.waybills.waybill import Waybill


def leave_out_what_fails(waybill: Waybill, ledgers: Sequence[Ledger]) -> dict[str, SaltCartError]:
    """Take out of a plan the ledgers that cannot be rewritten so, and those of which nothing would change; why each of
    the first fails.
    """
    failing: dict[str, SaltCartError] = {}
    lines = {line.path: line for line in waybill.ledgers}
    kept, resolver = [], waybill.resolver()
    for ledger in (ledger for ledger in ledgers if ledger.path in lines):
        try:
            routes = routes_for(waybill, ledger.path, False, resolver)
            changes = changes_for(ledger, routes, ledger.path)
            if changes.texts or changes.swaps or changes.edits:
                with on_trial(ledger, changes):
                    kept.append(lines[ledger.path])
            elif waybill.signposts:
                kept.append(lines[ledger.path])  # to be looked at when links are turned
            elif routes.unwritten:
                failing[ledger.path] = routes.unwritten
        except SaltCartError as error:
            failing[ledger.path] = error
    waybill.ledgers = kept
    return failing
