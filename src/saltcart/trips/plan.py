"""What a ledger says today and what it will say: judged, routed, tried out."""

import os
import shutil
from dataclasses import dataclass

from saltcart.ledgers import Ledger
from saltcart.safefile import copy_owner, remove_if_there, sync_file
from saltcart.trips.judge import Judge, LedgerState
from saltcart.trips.routes import Routes


@dataclass(slots=True)
class LedgerPlan:
    """One ledger: its entries as judged today, and the new text for each that must change (None: it stays)."""

    ledger: Ledger
    state: LedgerState
    texts: list[str | None]

    def changes(self) -> dict[object, str]:
        """Entry key to new text."""
        return {
            judgement.entry.key: text
            for judgement, text in zip(self.state.judgements, self.texts)
            if text is not None and text != judgement.entry.written
        }


def judged(ledger: Ledger, judge: Judge) -> LedgerState:
    """Every entry of `ledger`, judged.  Raises BadLedger when it cannot be read."""
    state = judge.ledger(ledger)
    if state.trouble:
        raise state.trouble
    return state


def plan_ledger(ledger: Ledger, state: LedgerState, routes: Routes, place: str) -> LedgerPlan:
    """Route every judged entry of `ledger`; `place` is the path the ledger will have.  Raises CannotSpell."""
    bases = os.path.dirname(ledger.path), os.path.dirname(place)
    return LedgerPlan(ledger, state, [routes.new_text(judgement.entry, *bases) for judgement in state.judgements])


def stage(ledger: Ledger, changes: dict[object, str], staged: str) -> None:
    """Write the changed ledger to `staged`, proven and flushed, with the mode and owner of the ledger it will replace."""
    remove_if_there(staged)
    try:
        ledger.rewrite(staged, changes)
        copy_owner(ledger.path, staged)
        shutil.copymode(ledger.path, staged)
        sync_file(staged)
    except BaseException:
        remove_if_there(staged)
        raise
