"""What changes in one ledger."""

from collections.abc import Hashable, Iterable, Iterator
from typing import Any

from saltcart.ledgers import Batch, Entry, Ledger
from saltcart.ledgers.base import NO_EDITS, ListEdits
from saltcart.spelling import Spelling
from saltcart.spelling.swaps import Beginnings, Swap


class Changes:
    """New texts by the keys of entries, the swaps for all others that those cover, and what changes in lists; as a
    rewriter takes them, one after the other.
    """

    def __init__(self, texts: dict[Hashable, str], swaps: list[Swap], edits: ListEdits = NO_EDITS):
        self.texts, self.swaps, self.edits = texts, swaps, edits
        self.known = Beginnings((swap.old, swap) for swap in swaps)

    def __iter__(self) -> Iterator[Any]:
        return iter((self.texts, self.swaps, self.edits))

    def count(self, ledger: Ledger, batches: Iterable[Batch] | None = None) -> int:
        """How many entries of a ledger get a new text; `batches` are all that it has, for whoever has read them."""
        covered = 0
        if self.swaps:
            every = ledger.batches() if batches is None else batches
            left = ledger.batches(besides=self.swaps)
            covered = sum(len(batch.texts) for batch in every) - sum(len(batch.texts) for batch in left)
        return len(self.texts) + self.edits.count() + covered

    def new(self, entry: Entry) -> str:
        """What will be in the place of `entry`."""
        if entry.key in self.texts:
            return self.texts[entry.key]
        swap = self.swap_of(entry.spelling, entry.base, entry.written)
        return swap(entry.written) if swap else entry.written

    def swap_of(self, spelling: Spelling | None, base: Entry | None, text: str) -> Swap | None:
        """The swap that covers a text, if one does."""
        suited = self.known.of(text) if base is None else ()
        return next((swap for swap in suited if swap.spelling is spelling and swap.covers(text)), None)
