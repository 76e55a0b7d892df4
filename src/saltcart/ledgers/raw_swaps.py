"""Many paths at once, whose beginning changes: in the bytes, where these tell enough."""

import re
from collections.abc import Sequence
from typing import NamedTuple

from saltcart.ledgers.spans import Coding, Spans
from saltcart.spelling.swaps import Beginnings, Swap
from saltcart.spelling.uris import WIDE


class RawSwap(NamedTuple):
    """A swap as bytes of one coding; `odd` finds what the bytes do not give the meaning of, and so do
    `patterns` together, which are quicker in one long text.
    """

    old: bytes
    new: bytes
    odd: re.Pattern[bytes]
    patterns: tuple[re.Pattern[bytes], ...]

    @classmethod
    def of(cls, old: bytes, new: bytes, patterns: Sequence[str]) -> "RawSwap":
        """The swap with its patterns compiled."""
        together, *apart = (re.compile(one.encode(), re.MULTILINE) for one in ("|".join(patterns), *patterns))
        return cls(old, new, together, tuple(apart))

    def covers(self, text: bytes) -> bool:
        """Whether this is all that a text needs."""
        return text.startswith(self.old) and not self.odd.search(text, len(self.old) - 1)

    def all_at_once(self, texts: Sequence[bytes]) -> list[bytes | None] | None:
        """All of the texts swapped as one; None when some are not covered."""
        old, new, length = self.old, self.new, len(self.old)
        if not all([text.startswith(old) for text in texts]):
            return None
        tails = [text[length:] for text in texts]
        lines = b"/" + b"\n/".join(tails)  # no pattern knows the end of a line
        if any(pattern.search(lines) for pattern in self.patterns):
            return None
        return [new + tail for tail in tails]


def raw_swap(swap: Swap, coding: Coding, texts: Sequence[bytes]) -> RawSwap | None:
    """`swap` in the bytes of a coding, as one of the texts writes its beginning; None when none does, or when the
    bytes cannot tell.
    """
    if coding.marks is None or not (coding.sure or (swap.old + swap.new).isascii()):
        return None
    depth, plain = swap.old.count("/"), f"(?!{coding.plain_escapes})" if coding.plain_escapes else ""
    seen: set[bytes] = set()
    for text in texts:
        old = text[: len(text) - len(text.split(b"/", depth)[-1])]
        if old in seen:
            continue
        seen.add(old)
        if coding.decode(old) == swap.old:
            new = coding.encode(swap.new, old)
            if coding.encode(swap.new + "x", old + b"x") != new + b"x":
                return None  # it gets quotes
            # An escape in a text says how its writer would escape the same elsewhere.
            wide = not swap.new.isascii() or WIDE in swap.odd
            marks = [re.escape(mark) + ("" if wide and mark == "\\" else plain) for mark in coding.marks]
            return RawSwap.of(old, new, [*swap.odd, *marks])
    return None


def swapped(spans: Spans, swaps: Sequence[Swap]) -> list[bytes | None]:
    """The new bytes for each span that a swap covers, None for the others."""
    fresh: list[bytes | None] = []
    for (coding, spelling, _names, base), run in spans.runs():
        texts = spans.inside[run.start : run.stop]
        suited = [swap for swap in swaps if swap.spelling is spelling and base is None]
        fresh += exchanged(texts, [raw for swap in suited if (raw := raw_swap(swap, coding, texts))])
    return fresh


def exchanged(texts: Sequence[bytes], raws: Sequence[RawSwap]) -> list[bytes | None]:
    """What the first of the swaps that covers a text makes of it, None where there is none."""
    if len(raws) == 1 and (fresh := raws[0].all_at_once(texts)):
        return fresh
    known = Beginnings((raw.old, raw) for raw in raws)
    found = (next((raw for raw in known.of(text) if raw.covers(text)), None) for text in texts)
    return [raw and raw.new + text[len(raw.old) :] for raw, text in zip(found, texts, strict=True)]
