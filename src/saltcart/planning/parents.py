"""Folders that a ledger lists and that hold a moving shelf: true still, though what its program finds by them goes."""

import shlex
from collections.abc import Sequence

from saltcart.errors import show
from saltcart.judging.judge import LedgerState
from saltcart.spelling.moves import tail_below
from saltcart.waybills.waybill import Shelf


def parents_named(state: LedgerState, shelves: Sequence[Shelf]) -> list[str]:
    """A remark for each such folder; none where names start from the folders, for those are written anew."""
    path, parts = state.path, [part for part in state.judged if part.batch.texts]
    if any(part.batch.base for part in parts) or any(shelf.leave == "signpost" for shelf in shelves):
        return []
    listed = (part for part in parts if part.batch.entry(0).is_folder)
    remarks = []
    for folder in dict.fromkeys(one.resolved for part in listed for one in part.judgements()):
        inside = [shelf.name for shelf in shelves if tail_below(shelf.old, folder)]
        if inside:
            remarks.append(
                f"{show(path)} lists the folder {show(folder)}, which stays, and {show(inside[0])} will not lie in it"
                f" any more. --front {shlex.quote(show(path))} lists the new folder too; --signpost leaves a link"
            )
    return remarks
