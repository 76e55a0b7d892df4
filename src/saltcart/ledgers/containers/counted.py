"""Binary files whose texts have their length before them: one, two or four bytes of either order, in bytes or
characters.

Nothing else about such a file is known, so only full paths are found in it, and only where the length fits.  When a
path changes, the length before it does; a file that counts anything around its texts must not be read like this.
"""

import re
from collections.abc import Callable, Sequence
from typing import Literal

from msgspec import Struct

from saltcart.errors import CannotSpell, show
from saltcart.ledgers.codings import ONE, Escape, TextCoding, same
from saltcart.ledgers.rules import At, Matcher
from saltcart.ledgers.spans import Span, Spans
from saltcart.ledgers.where import Where, nowhere

WHOLE = Escape("whole", ONE, same, same)
PLACE = "text"
LONGEST = 8192  # bytes
# How a full path begins: in ASCII, each character of which UTF-16 follows or precedes with a NUL.
STARTS = (r"/", r"~/", r"\$", r"file:", r"[A-Za-z]:[\\/]", r"\\\\")
ORDERS: tuple[Literal["little"], Literal["big"]] = ("little", "big")
NO_TEXT = re.compile("[\x00-\x1f\x7f\ufffe\uffff]")
HEADER = 64  # bytes in which a file may say how long it is


class Counting(Struct, frozen=True):
    """How the length before each text is written: `width` bytes in that `order`, of characters (UTF-16 units) or
    bytes.
    """

    width: int
    order: Literal["little", "big"]
    signs: bool
    encoding: str

    @property
    def unit(self) -> int:
        """The bytes that a count of one stands for."""
        return 2 if self.signs and self.encoding.startswith("utf-16") else 1

    def starts(self) -> re.Pattern[bytes]:
        """Where a path may begin."""
        if not self.encoding.startswith("utf-16"):
            return re.compile("|".join(STARTS).encode())
        sign = "\0%s" if self.encoding.endswith("be") else "%s\0"
        parts = ("".join(sign % one for one in re.findall(r"\[[^\]]*\]|\\.|.", start)) for start in STARTS)
        return re.compile("|".join(parts).encode())


def spans(data: bytes, rules: Sequence[At], counting: Counting) -> list[Span]:
    """The paths of a file in order.  ValueError when it says how long it is, which a change would make untrue."""
    rule = Matcher(rules)(PLACE)
    coding, starts = TextCoding(counting.encoding, WHOLE), counting.starts()
    found: list[Span] = []
    at = 0
    while rule and (start := starts.search(data, at)):
        text = text_at(data, start.start(), counting)
        if text:
            end = start.start() + len(text)
            found.append(Span(start.start(), end, Where(PLACE, len(found) + 1), coding, rule.spelling, rule.names))
        at = max(start.start() + 1, end if text else 0)
    if found and says_its_length(data[: found[0].start - counting.width][:HEADER], len(data)):
        raise ValueError("says how long it is at its beginning, so it holds more lengths than those before its texts")
    return found


def text_at(data: bytes, start: int, counting: Counting) -> bytes:
    """The text that begins at `start`, closing NULs left out; empty when the length before it does not fit."""
    if start < counting.width:
        return b""
    length = counting.unit * int.from_bytes(data[start - counting.width : start], counting.order)
    raw = data[start : start + length]
    if not 2 <= length == len(raw) <= LONGEST:
        return b""
    width = 2 if counting.encoding.startswith("utf-16") else 1
    while raw.endswith(bytes(width)) and len(raw) % width == 0:
        raw = raw[:-width]
    try:
        text = raw.decode(counting.encoding)
    except UnicodeDecodeError:
        return b""
    return b"" if NO_TEXT.search(text) or not re.search(r"[/\\]", text) else raw


def says_its_length(head: bytes, size: int) -> bool:
    """Whether a number in the beginning of a file is its length, or that of the rest of it."""
    lengths = range(max(HEADER, size - HEADER), size + 1)
    numbers = (int.from_bytes(head[at : at + 4], order) for at in range(len(head) - 3) for order in ORDERS)
    return any(number in lengths for number in numbers)


def splicer(counting: Counting) -> Callable[[Spans, Sequence[bytes]], bytes]:
    """How new texts go in: each with its own length before it."""

    def splice(spans: Spans, texts: Sequence[bytes]) -> bytes:
        outside = list(spans.outside)
        for number, (old, new) in enumerate(zip(spans.inside, texts, strict=True)):
            before, raw = outside[number][: -counting.width], outside[number][-counting.width :]
            count = int.from_bytes(raw, counting.order) + (len(new) - len(old)) // counting.unit
            if count >= 1 << 8 * counting.width or count * counting.unit > LONGEST:
                raise CannotSpell(f"{show(new)} is too long for this file, which counts in {counting.width} bytes")
            outside[number] = before + count.to_bytes(counting.width, counting.order)
        return Spans(b"", list(texts), outside, [], nowhere).spliced(texts)

    return splice


def rest_of(counting: Counting) -> Callable[[Spans], object]:
    """What must stay equal: all but the texts and the lengths before them."""
    return lambda spans: [*(part[: -counting.width] for part in spans.outside[:-1]), spans.outside[-1]]
