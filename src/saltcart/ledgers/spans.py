"""Text ledgers: a format finds spans, one rewriter splices new bytes into them.

A text format is a function from bytes to spans.  It never writes.  Since only the
bytes inside spans are ever replaced, all else in the file stays as it is; `proven`
checks that once more on each result.
"""

from collections.abc import Callable, Iterator, Sequence
from functools import cached_property
from itertools import accumulate, groupby
from operator import add
from typing import NamedTuple, Protocol

from saltcart.ledgers.base import Entry
from saltcart.ledgers.where import Where
from saltcart.spelling import Spelling


class Coding(Protocol):
    """How a path is in the bytes of a format: encoding and escapes."""

    @property
    def sure(self) -> bool:
        """Whether the encoding is known, so that there is no second reading."""

    @property
    def marks(self) -> str | None:
        """The characters that begin an escape; None when plain ASCII does not always stand for itself."""

    @property
    def plain_escapes(self) -> str:
        """What follows such a character, as a pattern, in escapes that mean a letter or a character without a
        meaning."""

    def decode(self, raw: bytes) -> str:
        """The path text that `raw` stands for."""

    def otherwise(self, raw: bytes) -> str | None:
        """A second reading of `raw`, where the encoding is a guess."""

    def encode(self, text: str, like: bytes) -> bytes:
        """The bytes for `text` in the manner of the bytes `like` that stood there; CannotSpell when there are none."""


class Span(NamedTuple):
    """The bytes from `start` to `end` hold one path; `spelling` is None for what is no file.

    `base` is the number of the span whose folder the path starts from, where that is elsewhere; an entry when it
    is in another file.
    """

    start: int
    end: int
    where: Where
    coding: Coding
    spelling: Spelling | None
    names: str = "file"
    base: int | Entry | None = None


class Kind(NamedTuple):
    """What many spans share: see Span."""

    coding: Coding
    spelling: Spelling | None
    names: str = "file"
    base: int | Entry | None = None


class Spans:
    """All spans of one text in columns: hundreds of thousands are worked on as lists.

    `inside` is what is in each, `outside` what is before, between and after them.
    """

    def __init__(
        self,
        data: bytes,
        inside: list[bytes],
        outside: list[bytes],
        kinds: Sequence[Kind],
        where: Callable[[int], Where],
    ):
        self.data, self.inside, self.outside, self.kinds, self.where = data, inside, outside, kinds, where

    @classmethod
    def of(cls, data: bytes, found: "Sequence[Span] | Spans") -> "Spans":
        """What a finder found in `data`, as columns."""
        if isinstance(found, Spans):
            return found
        inside = [data[span.start : span.end] for span in found]
        outside = [
            data[end:start]
            for end, start in zip(
                [0, *(span.end for span in found)], [*(span.start for span in found), len(data)], strict=True
            )
        ]
        kinds = [Kind(span.coding, span.spelling, span.names, span.base) for span in found]
        return cls(data, inside, outside, kinds, lambda number: found[number].where)

    @cached_property
    def starts(self) -> list[int]:
        """Where each begins."""
        return list(
            accumulate(map(add, map(len, self.outside[1:-1]), map(len, self.inside)), initial=len(self.outside[0]))
        )[: len(self.inside)]

    def runs(self) -> Iterator[tuple[Kind, range]]:
        """Numbers of spans that follow each other and are of one kind."""
        first = 0
        for kind, run in groupby(self.kinds):
            last = first + len(list(run))
            yield kind, range(first, last)
            first = last

    def spliced(self, texts: Sequence[bytes]) -> bytes:
        """The data with these texts in the spans."""
        pieces = [b""] * (2 * len(texts) + 1)
        pieces[0::2], pieces[1::2] = self.outside, texts
        return b"".join(pieces)


SpanFinder = Callable[[bytes], Sequence[Span] | Spans]
