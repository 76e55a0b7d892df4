"""The new content of one ledger: judged, changed, and written to a file beside the ledger."""

import os
import shutil

from saltcart.judging.judge import Judge, LedgerState
from saltcart.ledgers import Ledger
from saltcart.safefile import copy_owner, create_file, digest_of, read_back, remove_with_side_files, sync_folder
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


def stage(ledger: Ledger, changes: Changes, staged: str) -> str:
    """Write the changed ledger to `staged`, with the mode and owner of the ledger it will replace; its digest.

    It is proven, flushed with its name, and read back from its drive: the record may then rely on it.
    """
    try:
        create_file(staged, os.stat(ledger.path).st_mode & 0o777)
        ledger.rewrite(staged, *changes)
        copy_owner(ledger.path, staged)
        shutil.copymode(ledger.path, staged)
        digest = read_back(staged, digest_of(staged))
        sync_folder(os.path.dirname(staged))
    except BaseException:
        remove_with_side_files(staged)
        raise
    return digest
