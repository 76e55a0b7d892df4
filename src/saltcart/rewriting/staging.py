"""The new content of one ledger: judged, changed, and written to a file beside the ledger."""

import shutil
import tempfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager

from saltcart.judging.judge import Judge
from saltcart.judging.judgements import LedgerState
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.base import Ledger, ListEdits
from saltcart.rewriting.changes import Changes
from saltcart.rewriting.content_folders import AddedFolder, list_edits
from saltcart.rewriting.manner import Manner
from saltcart.rewriting.routes import Routes
from saltcart.safefile import copy_owner, create_file, digest_of, read_back, remove_with_side_files, sync_folder
from saltcart.system import os
from saltcart.waybills.relinks import FolderLine
from saltcart.waybills.waybill import Waybill


def judged(ledger: Ledger, judge: Judge) -> LedgerState:
    """Every entry of `ledger`, judged.  Raises BadLedger when it cannot be read."""
    state = judge.ledger(ledger)
    if state.trouble:
        raise state.trouble
    return state


def routes_for(
    waybill: Waybill,
    ledger: str,
    travels: bool,
    resolver: Resolver,
    added: Sequence[AddedFolder] = (),
    turns: Callable[[str], bool] = lambda _link: False,
) -> Routes:
    """Where the entries of the ledger at that path lead on a trip; whether the ledger itself `travels`."""
    moves = waybill.entry_moves(travels, ledger)
    return Routes(moves, resolver, added, turns, waybill.aims(ledger), Manner(waybill.here, waybill.mends))


def changes_for(
    ledger: Ledger, routes: Routes, place: str, in_front: bool = False, lines: Sequence[FolderLine] = ()
) -> Changes:
    """What must change in `ledger` when it has the path `place`; one that lists folders may get new ones in front, and
    those of `lines`.  Raises CannotSpell, or Refused.
    """
    work = routes.in_front if in_front else routes.changes
    changes = work(ledger, os.path.dirname(ledger.path), os.path.dirname(place))
    lines = [line for line in lines if line.ledger == ledger.path]
    if not lines:
        return changes
    edits = list_edits(ledger, lines, routes.resolver)
    swaps = changes.swaps and []  # of what goes from a list, nothing is rewritten
    others = (entry for entry in ledger.entries() if entry.key not in edits.gone)
    texts = routes.texts(others, os.path.dirname(ledger.path), os.path.dirname(place))
    front = {**changes.edits.front, **edits.front}
    return Changes(texts, swaps, ListEdits(front, edits.behind, edits.gone))


@contextmanager
def on_trial(ledger: Ledger, changes: Changes) -> Iterator[str]:
    """The changed ledger as a file of its name, to be looked at: proven, not flushed, and thrown away at the end.

    Raises CannotSpell, or Refused, when it cannot be written so.
    """
    with tempfile.TemporaryDirectory(prefix="saltcart-") as folder:
        target = os.path.join(folder, os.path.basename(ledger.path))
        create_file(target, os.stat(ledger.path).st_mode & 0o777)
        ledger.rewrite(target, *changes)
        yield target


def stage(ledger: Ledger, changes: Changes, staged: str, more: Callable[[str], object] = lambda _staged: None) -> str:
    """Write the changed ledger to `staged`, with the mode and owner of the ledger it will replace; its digest.

    `more` may then change it further.  It is proven, flushed with its name, and read back from its drive: the record
    may then rely on it.
    """
    try:
        create_file(staged, os.stat(ledger.path).st_mode & 0o777)
        ledger.rewrite(staged, *changes)
        more(staged)
        copy_owner(ledger.path, staged)
        shutil.copymode(ledger.path, staged)
        digest = read_back(staged, digest_of(staged))
        sync_folder(os.path.dirname(staged))
    except BaseException:
        remove_with_side_files(staged)
        raise
    return digest
