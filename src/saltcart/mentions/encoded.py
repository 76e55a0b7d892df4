"""What is written in Base64 (RFC 4648) in a text: data of property lists, and what was packed before that.

A path alone in Base64 is found as it is (see `place_forms`); here is what must be decoded first.
"""

import binascii
import io
import lzma
import re
import zipfile
import zlib
from collections.abc import Iterator

from saltcart.mentions.automaton import Automaton
from saltcart.mentions.file_types import holds_no_references
from saltcart.mentions.packed import Budget, TooMuch, is_packed, unpacked, zlib_streams
from saltcart.mentions.place_forms import HEAD

# How Base64 begins of what zlib or gzip packed.
BEGINNINGS = b"eAE eAF eAG eAH eF4 eF5 eF6 eF7 eJw eJx eJy eJz eNo eNp eNq eNr H4sI".split()
ELEMENT = b"<data>"  # of a property list
SIGNS = Automaton([ELEMENT, *BEGINNINGS])
RUN = re.compile(rb"<data>([^<]+)|(?<![A-Za-z0-9+/_-])[A-Za-z0-9+/_-]{32,}")  # a shorter one is a word
URL_SAFE = bytes.maketrans(b"-_", b"+/")


def may_be_encoded(text: bytes) -> bool:
    """Whether something may be written in Base64 in some text."""
    return next(runs(text, 0, len(text)), None) is not None


def runs(text: bytes, first: int, last: int) -> Iterator[re.Match[bytes]]:
    """The stretches of a text that are Base64 by how they begin, from a place up to another."""
    done = first
    for _sign, at, _end in SIGNS.spots(text):
        if done <= at < last and (found := RUN.match(text, at)):
            done = found.end()
            yield found


def encoded_parts(text: bytes, first: int, last: int, more: bool, budget: Budget) -> Iterator[tuple[int, bytes]]:
    """What is in Base64 in a text, or in a piece of it that `more` follows, unpacked, and where each begins.

    Raises TooMuch for one that goes on behind the piece.
    """
    for found in runs(text, first, last):
        raw = b"".join((found[1] or found[0]).split()).translate(URL_SAFE).rstrip(b"=")
        try:
            content = binascii.a2b_base64(raw[: len(raw) - (len(raw) % 4 == 1)] + b"==")
        except binascii.Error:
            continue
        if holds_no_references(content[:HEAD], len(content)):
            continue  # a picture
        if more and found.end() == len(text):
            raise TooMuch("holds an encoded part that is too long to be read")
        budget.take(len(content))
        yield found.start(), content
        for inner in inside(content, budget):
            yield found.start(), inner


def inside(content: bytes, budget: Budget) -> Iterator[bytes]:
    """What is packed in some content that is at hand as a whole; nothing in what only begins like it.  Raises
    TooMuch.
    """
    try:
        if is_packed(content):
            yield from (
                inner.stream.read(budget.left + 1) for inner in unpacked(content, io.BytesIO(content), "", budget)
            )
        else:
            yield from (inner for _at, inner in zlib_streams(content, 0, len(content), False, budget))
    except TooMuch:
        raise
    except (ValueError, OSError, EOFError, RuntimeError, zlib.error, lzma.LZMAError, zipfile.BadZipFile):
        return
