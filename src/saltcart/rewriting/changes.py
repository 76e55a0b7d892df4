"""What changes in one ledger."""

from collections.abc import Hashable, Iterable, Iterator
from typing import Any

from saltcart.ledgers.base import NO_EDITS, Batch, Entry, Ledger, ListEdits
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

    def news(self, batch: Batch) -> Iterator[str]:
        """What will be in the place of each text of a batch."""
        for number, text in enumerate(batch.texts):
            new = self.texts.get(batch.key(number)) if self.texts else None
            yield self.swapped(batch.spelling, batch.base, text) if new is None else new

    def new(self, entry: Entry) -> str:
        """What will be in the place of `entry`."""
        new = self.texts.get(entry.key)
        return self.swapped(entry.spelling, entry.base, entry.written) if new is None else new

    def swapped(self, spelling: Spelling | None, base: Entry | None, text: str) -> str:
        """A text as the swap that covers it has it; as it is where none does."""
        swap = self.swap_of(spelling, base, text)
        return swap(text) if swap else text

    def swap_of(self, spelling: Spelling | None, base: Entry | None, text: str) -> Swap | None:
        """The swap that covers a text, if one does."""
        suited = self.known.of(text) if base is None else ()
        return next((swap for swap in suited if swap.spelling is spelling and swap.covers(text)), None)
