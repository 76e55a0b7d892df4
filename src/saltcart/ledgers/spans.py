"""Text ledgers: a format finds spans, one rewriter splices new bytes into them.

A text format is a function from bytes to spans.  It never writes.  Since only the
bytes inside spans are ever replaced, all else in the file stays as it is; `proven`
checks that once more on each result.
"""

import os
from collections.abc import Callable, Hashable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

from saltcart.errors import BadLedger, CannotSpell, show
from saltcart.ledgers.base import Entry
from saltcart.spelling import Spelling

LARGEST = 256 << 20


class Coding(Protocol):
    """How a path stands in the bytes of a format: encoding and escapes."""

    def decode(self, raw: bytes) -> str:
        """The path text that `raw` stands for."""

    def otherwise(self, raw: bytes) -> str | None:
        """A second reading of `raw`, where the encoding is a guess."""

    def encode(self, text: str) -> bytes:
        """The bytes for `text`; CannotSpell when there are none."""


@dataclass(frozen=True, slots=True)
class Span:
    """The bytes from `start` to `end` hold one path; `spelling` is None for what is no file."""

    start: int
    end: int
    where: str
    coding: Coding
    spelling: Spelling | None


SpanFinder = Callable[[bytes], Sequence[Span]]


class TextLedger:
    """A ledger read by a function from bytes to spans.  Entry keys are the numbers of the spans."""

    def __init__(self, path: str, map_name: str, finder: SpanFinder):
        self.path = path
        self.map_name = map_name
        self.program: str | None = None
        self.finder = finder

    def find(self) -> tuple[bytes, Sequence[Span]]:
        """The bytes of the file and the spans in them.  Raises BadLedger."""
        if os.path.getsize(self.path) > LARGEST:
            raise BadLedger(self.path, f"is larger than {LARGEST >> 20} MB, too large for a {self.map_name} ledger")
        with open(self.path, "rb") as stream:
            data = stream.read(LARGEST + 1)
        try:
            return data, self.finder(data)
        except ValueError as error:
            raise BadLedger(self.path, str(error)) from error

    def entries(self) -> Iterator[Entry]:
        """See Ledger.entries."""
        data, spans = self.find()
        for number, span in enumerate(spans):
            if span.spelling:
                raw = data[span.start : span.end]
                yield Entry(number, span.where, span.coding.decode(raw), span.spelling, otherwise=span.coding.otherwise(raw))

    def remote(self) -> int:
        """See Ledger.remote."""
        return sum(span.spelling is None for span in self.find()[1])

    def rewrite(self, target: str, changes: Mapping[Hashable, str]) -> None:
        """See Ledger.rewrite."""
        data, spans = self.find()
        fresh = {number: spans[number].coding.encode(text) for number, text in changes.items()}
        result = spliced(data, spans, fresh)
        if not proven(data, spans, fresh, result, self.finder):
            raise CannotSpell(f"{show(self.path)}: rewriting would change more than its entries", "The ledger was left as it is; tell us about it.")
        with open(target, "wb") as stream:
            stream.write(result)

    def played(self) -> Sequence[tuple[str, int | None, str | None]]:
        """See Ledger.played; plain lists do not count plays."""
        return ()

    def busy(self) -> str | None:
        """See Ledger.busy; a text file knows no locks."""
        return None


def spliced(data: bytes, spans: Sequence[Span], fresh: Mapping[Hashable, bytes]) -> bytes:
    """`data` with the bytes of some spans replaced; `fresh` goes by the number of the span."""
    pieces, position = [], 0
    for number, span in enumerate(spans):
        if number in fresh:
            pieces += [data[position : span.start], fresh[number]]
            position = span.end
    return b"".join([*pieces, data[position:]])


def outside(data: bytes, spans: Sequence[Span]) -> Iterator[bytes]:
    """The stretches of `data` before, between and after the spans."""
    position = 0
    for span in spans:
        yield data[position : span.start]
        position = span.end
    yield data[position:]


def proven(data: bytes, spans: Sequence[Span], fresh: Mapping[Hashable, bytes], result: bytes, finder: SpanFinder) -> bool:
    """Whether `result`, read anew, has the same spans with the wanted content and the same bytes everywhere else."""
    try:
        found = finder(result)
    except ValueError:
        return False
    return (
        len(found) == len(spans)
        and all(before == after for before, after in zip(outside(data, spans), outside(result, found)))
        and all(
            result[new.start : new.end] == fresh.get(number, data[old.start : old.end])
            for number, (old, new) in enumerate(zip(spans, found))
        )
    )
