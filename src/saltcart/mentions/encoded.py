"""What is written in Base64 (RFC 4648) in a text: data of property lists, and what was packed before that.

A path alone in Base64 is found as it is (see `place_forms`); here is what must be decoded first.
"""

import binascii
import io
import re
from collections.abc import Iterator

from saltcart.mentions.packed import Budget, TooMuch, is_packed, unpacked, zlib_streams

DATA = re.compile(rb"<data>([^<]+)")  # an element of a property list
# How Base64 begins of what zlib or gzip packed; a shorter run is a word.
PACKED = re.compile(rb"(?<![A-Za-z0-9+/_-])(?:eA[E-H]|eF[4-7]|eJ[w-z]|eN[o-r]|H4sI)[A-Za-z0-9+/_-]{28,}")
SIGNS = (b"<data>", b"eA", b"eF", b"eJ", b"eN", b"H4sI")
URL_SAFE = bytes.maketrans(b"-_", b"+/")


def may_be_encoded(text: bytes) -> bool:
    """Whether something may be written in Base64 in some text."""
    return any(sign in text for sign in SIGNS) and next(runs(text, 0, len(text)), None) is not None


def runs(text: bytes, first: int, last: int) -> Iterator[re.Match[bytes]]:
    """The stretches of a text that are Base64 by how they begin, from a place up to another."""
    if b"<data>" in text:
        yield from DATA.finditer(text, first, last)
    yield from PACKED.finditer(text, first, last)


def encoded_parts(text: bytes, first: int, last: int, more: bool, budget: Budget) -> Iterator[tuple[int, bytes]]:
    """What is in Base64 in a text, or in a piece of it that `more` follows, unpacked, and where each begins.

    Raises TooMuch for one that goes on behind the piece.
    """
    for found in runs(text, first, last):
        if more and found.end() == last:
            raise TooMuch("holds an encoded part that is too long to be read")
        raw = b"".join((found[1] if found.lastindex else found[0]).split()).translate(URL_SAFE).rstrip(b"=")
        try:
            content = binascii.a2b_base64(raw[: len(raw) - (len(raw) % 4 == 1)] + b"==")
        except binascii.Error:
            continue
        budget.take(len(content))
        yield found.start(), content
        for inner in inside(content, budget):
            yield found.start(), inner


def inside(content: bytes, budget: Budget) -> Iterator[bytes]:
    """What is packed in some content that is at hand as a whole.  Raises TooMuch, or what a damaged one raises."""
    if is_packed(content):
        for inner in unpacked(content, io.BytesIO(content), "", budget):
            yield inner.stream.read(budget.left + 1)
        return
    for _at, inner_content in zlib_streams(content, 0, len(content), False, budget):
        yield inner_content
