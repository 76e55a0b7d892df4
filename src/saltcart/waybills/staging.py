"""The new content of one ledger: judged, changed, and written to a file beside the ledger."""

import os
import shutil

from saltcart.judging.judge import Judge, LedgerState
from saltcart.ledgers import Ledger
from saltcart.safefile import copy_owner, remove_if_there, sync_file
from saltcart.waybills.routes import Changes, Routes


def judged(ledger: Ledger, judge: Judge) -> LedgerState:
    """Every entry of `ledger`, judged.  Raises BadLedger when it cannot be read."""
    state = judge.ledger(ledger)
    if state.trouble:
        raise state.trouble
    return state


def changes_for(ledger: Ledger, routes: Routes, place: str, in_front: bool = False) -> Changes:
    """What must change in `ledger` when it has the path `place`; one that lists folders may get new ones in front.
    Raises CannotSpell.
    """
    work = routes.in_front if in_front else routes.changes
    return work(ledger, os.path.dirname(ledger.path), os.path.dirname(place))


def stage(ledger: Ledger, changes: Changes, staged: str) -> None:
    """Write the changed ledger to `staged`, proven and flushed, with the mode and owner of the ledger it will
    replace.
    """
    remove_if_there(staged)
    try:
        ledger.rewrite(staged, *changes)
        copy_owner(ledger.path, staged)
        shutil.copymode(ledger.path, staged)
        sync_file(staged)
    except BaseException:
        remove_if_there(staged)
        raise
