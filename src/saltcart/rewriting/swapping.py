"""New beginnings for the texts of a ledger, found on some of them: most need no more than that when a shelf moves."""

from collections.abc import Iterator, Sequence
from itertools import count

from saltcart.judging.resolver import Resolver
from saltcart.ledgers.base import Batch, Ledger
from saltcart.spelling import Move, Moves, encodable
from saltcart.spelling.moves import tail_below
from saltcart.spelling.swaps import Beginnings, Swap, swap_for

SPECIMENS = 64  # of each batch
GOLDEN = (5**0.5 - 1) / 2  # steps of this part of a whole come everywhere, and nowhere twice
MOST_TRIES = 1000  # of specimens that may show no swap, in one ledger


class Swapping:
    """The swaps for what moves, as a resolver reads it."""

    def __init__(self, moves: Moves, resolver: Resolver):
        self.moves, self.resolver = moves, resolver

    def shown(self, ledger: Ledger, folder: str) -> list[tuple[Swap, Move]]:
        """The swaps that specimens of a ledger in `folder` show, each with its move: they look at no single entry."""
        found: list[tuple[Swap, Move]] = []
        known, left = Beginnings[str, Swap](), MOST_TRIES
        for batch, number in specimens(ledger):
            text = batch.texts[number]
            if any(swap.covers(text) for swap in known.of(text)):
                continue
            pair = self.of_text(batch, number, folder)
            if pair:
                found.append(pair)
                known.add(pair[0].old, pair[0])
            left -= not pair
            if not left:
                break
        return found

    def of_text(self, batch: Batch, number: int, folder: str) -> tuple[Swap, Move] | None:
        """The swap that one text of a batch shows, for itself and all that begin like it, where that move takes
        them; None when it shows none.
        """
        text, spelling = batch.texts[number], batch.spelling
        path = spelling.read(text, folder) if spelling and not batch.base and encodable(text) else None
        move = self.moves.alone(path) if path and self.resolver.meanings.here(path) == path else None
        if move and self.resolver.true.forgives(move.old) and not self.resolver.true.forgives(move.new):
            return None  # each name must be looked at
        swap = swap_for(spelling, text, move.old, move.new) if spelling and move else None
        return (swap, move) if swap and move else None

    def swapped(self, batch: Batch, folder: str, partly: Sequence[tuple[Swap, Move]]) -> dict[int, str]:
        """The new texts of what the moves of some swaps take in a batch, by their numbers."""
        suited = [pair for pair in partly if pair[0].spelling is batch.spelling]
        found: dict[int, str] = {}
        if batch.base or not batch.sure or not suited:
            return found
        known = Beginnings((swap.old, (swap, move)) for swap, move in suited)
        for number, text in enumerate(batch.texts):
            pair = next((pair for pair in known.of(text) if pair[0].covers(text)), None)
            if pair and self.takes(pair[0].spelling.read(text, folder), pair[1]):
                found[number] = pair[0](text)
        return found

    def takes(self, path: str | None, move: Move) -> bool:
        """Whether a move takes a path, of which nothing is said by itself."""
        tail = tail_below(path, move.old) if path and path not in self.moves.exact else None
        return bool(tail and move.takes and move.takes(tail))


def specimens(ledger: Ledger) -> Iterator[tuple[Batch, int]]:
    """Some spots from everywhere in a ledger, at no regular distance: libraries are in the order of their folders, or
    go through these in turn.
    """
    steps = count()
    for batch in ledger.batches():
        size = len(batch.texts)
        few = range(size) if size <= SPECIMENS else (int(next(steps) * GOLDEN % 1 * size) for _one in range(SPECIMENS))
        yield from ((batch, number) for number in few)
