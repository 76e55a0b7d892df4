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
from saltcart.ledgers.wrappers import PLAIN, Wrapper
from saltcart.spelling import Spelling

LARGEST = 256 << 20


class Coding(Protocol):
    """How a path stands in the bytes of a format: encoding and escapes."""

    def decode(self, raw: bytes) -> str:
        """The path text that `raw` stands for."""

    def otherwise(self, raw: bytes) -> str | None:
        """A second reading of `raw`, where the encoding is a guess."""

    def encode(self, text: str, like: bytes) -> bytes:
        """The bytes for `text` in the manner of the bytes `like` that stood there; CannotSpell when there are none."""


@dataclass(frozen=True, slots=True)
class Span:
    """The bytes from `start` to `end` hold one path; `spelling` is None for what is no file.

    `base` is the number of the span whose folder the path starts from, where that stands elsewhere.
    """

    start: int
    end: int
    where: str
    coding: Coding
    spelling: Spelling | None
    names: str = "file"
    base: int | None = None


SpanFinder = Callable[[bytes], Sequence[Span]]


def spliced(data: bytes, spans: Sequence[Span], fresh: Mapping[Hashable, bytes]) -> bytes:
    """`data` with the bytes of some spans replaced; `fresh` goes by the number of the span."""
    pieces, position = [], 0
    for number, span in enumerate(spans):
        if number in fresh:
            pieces += [data[position : span.start], fresh[number]]
            position = span.end
    return b"".join([*pieces, data[position:]])


def outside(data: bytes, spans: Sequence[Span]) -> list[bytes]:
    """The stretches of `data` before, between and after the spans."""
    stretches, position = [], 0
    for span in spans:
        stretches.append(data[position : span.start])
        position = span.end
    return [*stretches, data[position:]]


@dataclass(frozen=True, slots=True)
class Shape:
    """How new bytes go into a container, and what of it must stay equal: by default splicing, and all bytes outside the spans."""

    splice: Callable[[bytes, Sequence[Span], Mapping[Hashable, bytes]], bytes] = spliced
    rest: Callable[[bytes, Sequence[Span]], object] = outside


class TextLedger:
    """A ledger read by a function from bytes to spans.  Entry keys are the numbers of the spans."""

    def __init__(self, path: str, map_name: str, finder: SpanFinder, program: str | None = None, wrapper: Wrapper = PLAIN, shape: Shape | None = None):
        self.path = path
        self.map_name = map_name
        self.program = program
        self.finder = finder
        self.wrapper = wrapper
        self.shape = shape or Shape()

    def find(self) -> tuple[bytes, Sequence[Span]]:
        """The bytes inside the wrapper, and the spans in them.  Raises BadLedger."""
        if os.path.getsize(self.path) > LARGEST:
            raise BadLedger(self.path, f"is larger than {LARGEST >> 20} MB, too large for a {self.map_name} ledger")
        try:
            with open(self.path, "rb") as stream:
                data = self.wrapper.peel(stream.read(LARGEST + 1))
            return data, self.finder(data)
        except (ValueError, RecursionError) as error:
            raise BadLedger(self.path, str(error) or "is nested too deeply") from error

    def entries(self) -> Iterator[Entry]:
        """See Ledger.entries."""
        data, spans = self.find()
        made: dict[int, Entry] = {}
        for number, span in enumerate(spans):
            raw = data[span.start : span.end]
            written = span.coding.decode(raw)
            if names_a_file(span, written):
                base = made.get(span.base) if span.base is not None else None
                made[number] = Entry(number, span.where, written, span.spelling, span.names, span.coding.otherwise(raw), base)
                yield made[number]

    def remote(self) -> int:
        """See Ledger.remote."""
        data, spans = self.find()
        return sum(not names_a_file(span, span.coding.decode(data[span.start : span.end])) for span in spans)

    def rewrite(self, target: str, changes: Mapping[Hashable, str]) -> None:
        """See Ledger.rewrite."""
        data, spans = self.find()
        fresh = {number: encoded(data, spans[number], text) for number, text in changes.items()}
        result = self.shape.splice(data, spans, fresh)
        if not proven(data, spans, fresh, result, self.finder, self.shape):
            raise CannotSpell(f"{show(self.path)}: rewriting would change more than its entries", "The ledger was left as it is; tell us about it.")
        with open(self.path, "rb") as stream:
            wrapped = self.wrapper.put_back(stream.read(), result) if changes else stream.read()
        with open(target, "wb") as stream:
            stream.write(wrapped)

    def played(self) -> Sequence[tuple[str, int | None, str | None]]:
        """See Ledger.played; plain lists do not count plays."""
        return ()

    def busy(self) -> str | None:
        """See Ledger.busy; a text file knows no locks."""
        return None


def names_a_file(span: Span, written: str) -> bool:
    """Whether what is written in a span names a file at all, rather than a web address or the like."""
    return span.spelling is not None and span.spelling.read(written, "/") is not None


def encoded(data: bytes, span: Span, text: str) -> bytes:
    """The bytes for a new text in one span."""
    return span.coding.encode(text, data[span.start : span.end])


def proven(data: bytes, spans: Sequence[Span], fresh: Mapping[Hashable, bytes], result: bytes, finder: SpanFinder, shape: Shape) -> bool:
    """Whether `result`, read anew, has the same spans with the wanted content and the same everywhere else."""
    try:
        found = finder(result)
    except ValueError:
        return False
    return (
        len(found) == len(spans)
        and shape.rest(data, spans) == shape.rest(result, found)
        and all(
            result[new.start : new.end] == fresh.get(number, data[old.start : old.end])
            for number, (old, new) in enumerate(zip(spans, found))
        )
    )
