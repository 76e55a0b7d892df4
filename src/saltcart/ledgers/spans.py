"""Text ledgers: a format finds spans, one rewriter splices new bytes into them.

A text format is a function from bytes to spans.  It never writes.  Since only the
bytes inside spans are ever replaced, all else in the file stays as it is; `proven`
checks that once more on each result.
"""

import os
import re
from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import groupby, islice
from typing import NamedTuple, Protocol

from saltcart.errors import BadLedger, CannotSpell, show
from saltcart.ledgers.base import Batch, Batched, Entry
from saltcart.ledgers.wrappers import PLAIN, Wrapper
from saltcart.spelling import Spelling
from saltcart.spelling.swaps import Swap

LARGEST = 256 << 20
BATCH_SPANS = 10_000


class Coding(Protocol):
    """How a path stands in the bytes of a format: encoding and escapes."""

    # Whether the encoding is known, so that there is no second reading.
    sure: bool
    # The signs that begin an escape; None when plain ASCII does not always stand for itself.
    marks: str | None

    def decode(self, raw: bytes) -> str:
        """The path text that `raw` stands for."""

    def otherwise(self, raw: bytes) -> str | None:
        """A second reading of `raw`, where the encoding is a guess."""

    def encode(self, text: str, like: bytes) -> bytes:
        """The bytes for `text` in the manner of the bytes `like` that stood there; CannotSpell when there are none."""


class Span(NamedTuple):
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


class TextLedger(Batched):
    """A ledger read by a function from bytes to spans.  Entry keys are the numbers of the spans."""

    def __init__(self, path: str, map_name: str, finder: SpanFinder, program: str | None = None, wrapper: Wrapper = PLAIN, shape: Shape | None = None):
        self.path = path
        self.map_name = map_name
        self.program = program
        self.finder = finder
        self.wrapper = wrapper
        self.shape = shape or Shape()
        self.last: tuple[bytes, bytes, Sequence[Span]] = (b"", b"", [])

    def find(self) -> tuple[bytes, Sequence[Span]]:
        """The bytes inside the wrapper, and the spans in them; looked for once as long as the file stays the same.  Raises BadLedger."""
        if os.path.getsize(self.path) > LARGEST:
            raise BadLedger(self.path, f"is larger than {LARGEST >> 20} MB, too large for a {self.map_name} ledger")
        with open(self.path, "rb") as stream:
            raw = stream.read(LARGEST + 1)
        if not raw or raw != self.last[0]:
            try:
                data = self.wrapper.peel(raw)
                self.last = raw, data, self.finder(data)
            except (ValueError, RecursionError) as error:
                raise BadLedger(self.path, str(error) or "is nested too deeply") from error
        return self.last[1:]

    def batches(self, besides: Sequence[Swap] = ()) -> Iterator[Batch]:
        """See Ledger.batches."""
        data, spans = self.find()
        rest = (one for one, fresh in zip(enumerate(spans), swapped(data, spans, besides)) if fresh is None)
        while some := list(islice(rest, BATCH_SPANS)):
            for (spelling, coding, base), run in groupby(some, lambda one: (one[1].spelling, one[1].coding, one[1].base)):
                numbers, alike = zip(*run)
                texts = [coding.decode(data[span.start : span.end]) for span in alike]
                above = None if base is None else self.entry_of(base, data, spans)
                sure = coding.sure and (spelling is None or spelling.start != "content")
                yield Batch(texts, spelling, above, sure, lambda at, numbers=numbers: self.entry_of(numbers[at], data, spans))

    def entry_of(self, number: int, data: bytes, spans: Sequence[Span]) -> Entry:
        """The entry at one span."""
        span = spans[number]
        raw = data[span.start : span.end]
        base = None if span.base is None else self.entry_of(span.base, data, spans)
        tried = self.content if span.spelling and span.spelling.start == "content" else ()
        return Entry(number, span.where, span.coding.decode(raw), span.spelling, span.names, span.coding.otherwise(raw), base, tried)

    def rewrite(self, target: str, changes: Mapping[Hashable, str], swaps: Sequence[Swap] = ()) -> None:
        """See Ledger.rewrite."""
        data, spans = self.find()
        fresh: dict[Hashable, bytes] = {number: raw for number, raw in enumerate(swapped(data, spans, swaps)) if raw is not None}
        fresh |= {number: encoded(data, spans[number], text) for number, text in changes.items()}
        result = self.shape.splice(data, spans, fresh)
        if not proven(data, spans, fresh, result, self.finder, self.shape):
            raise CannotSpell(f"{show(self.path)}: rewriting would change more than its entries", "The ledger was left as it is; tell us about it.")
        with open(self.path, "rb") as stream:
            wrapped = self.wrapper.put_back(stream.read(), result) if fresh else stream.read()
        with open(target, "wb") as stream:
            stream.write(wrapped)

    def played(self) -> Sequence[tuple[str, int | None, str | None]]:
        """See Ledger.played; plain lists do not count plays."""
        return ()

    def busy(self) -> str | None:
        """See Ledger.busy; a text file knows no locks."""
        return None


class RawSwap(NamedTuple):
    """A swap as bytes of one coding; `odd` finds the coding's own escapes too, for of those the bytes cannot tell what they mean."""

    spelling: Spelling
    old: bytes
    new: bytes
    odd: re.Pattern[bytes]


def raw_swap(swap: Swap, coding: Coding) -> RawSwap | None:
    """`swap` in the bytes of a coding; None when its texts may stand there as anything but plain ASCII."""
    both = swap.old + swap.new
    if coding.marks is None or not both.isascii() or coding.encode(both, b"") != both.encode():
        return None
    odd = b"|".join(re.escape(mark.encode()) for mark in (*swap.odd, *coding.marks))
    return RawSwap(swap.spelling, swap.old.encode(), swap.new.encode(), re.compile(odd))


def swapped(data: bytes, spans: Iterable[Span], swaps: Sequence[Swap]) -> Iterator[bytes | None]:
    """The new bytes for each span that a swap covers, None for the others."""
    last, raws = None, []
    for start, end, _where, coding, spelling, _names, base in spans:
        if coding is not last:
            last, raws = coding, [raw for swap in swaps if (raw := raw_swap(swap, coding))]
        for wanted, old, new, odd in raws:
            if data.startswith(old, start, end) and not odd.search(data, start + len(old) - 1, end) and spelling is wanted and base is None:
                yield new + data[start + len(old) : end]
                break
        else:
            yield None


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
