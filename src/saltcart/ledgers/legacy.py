"""Which old encoding a text is in, told by the names on disk.

A text that is not UTF-8 says nothing of its encoding.  But its paths lead somewhere: the encoding under which they do
is the one it was written in.  Each field is looked at separately, because several programs wrote the texts.
"""

from collections.abc import Sequence
from itertools import islice

from msgspec.structs import replace

from saltcart.ledgers.codings import TextCoding
from saltcart.ledgers.formats.m3u import LineCoding
from saltcart.ledgers.spans import Kind, Spans
from saltcart.system import os

USUAL = "cp1252"  # of the West, on the commonest system
# In the order in which they are tried; where several lead to something, the first does.
LEGACY = (
    USUAL, "mac_roman", "cp932", "cp1251", "cp1250", "gb18030", "cp949", "big5", "euc_jp", "cp437", "cp850", "koi8_r",
    "cp1253", "cp1254", "cp1255", "cp1256", "cp874", "iso8859_15",
)  # fmt: skip
MOST_TRIED = 64  # fields of one text


def in_their_encoding(spans: Spans, folder: str) -> Spans:
    """The spans of a text in `folder`, those whose encoding is a guess with the one that the disk speaks for.

    What is valid UTF-8 is read as that.  Fields in ASCII are written like most of the others.
    """
    guessed = [number for number, kind in enumerate(spans.kinds) if is_guess(kind)]
    odd = [number for number in guessed if not spans.inside[number].isascii()]
    if not odd:
        return spans
    wide = {number for number in odd if is_utf8(spans.inside[number])}
    narrow = [number for number in odd if number not in wide]
    legacy = told_by_disk(spans, narrow, folder)
    usual = "utf-8" if len(wide) > len(narrow) else legacy
    encodings = dict.fromkeys(guessed, usual) | dict.fromkeys(wide, "utf-8") | dict.fromkeys(narrow, legacy)
    kinds = list(spans.kinds)
    for number, encoding in encodings.items():
        kinds[number] = with_encoding(kinds[number], encoding)
    return Spans(spans.data, spans.inside, spans.outside, kinds, spans.where)


def is_guess(kind: Kind) -> bool:
    """Whether the encoding of a field is the usual one for want of a better."""
    coding = kind.coding
    return isinstance(coding, TextCoding | LineCoding) and not coding.sure and coding.encoding == USUAL


def with_encoding(kind: Kind, encoding: str) -> Kind:
    """A kind of field in another encoding."""
    coding = kind.coding
    if isinstance(coding, TextCoding):
        return kind._replace(coding=replace(coding, encoding=encoding, guess=encoding != "utf-8"))
    return kind._replace(coding=LineCoding(encoding))


def told_by_disk(spans: Spans, numbers: Sequence[int], folder: str) -> str:
    """The encoding under which most of some fields lead to something that is there; the usual one when none does."""
    some = list(islice(numbers, MOST_TRIED))
    hits = {encoding: sum(leads(spans, number, encoding, folder) for number in some) for encoding in LEGACY}
    best = max(LEGACY, key=lambda encoding: hits[encoding])  # the first of the best
    return best if hits[best] else USUAL


def leads(spans: Spans, number: int, encoding: str, folder: str) -> bool:
    """Whether a field of a text in `folder`, read in that encoding, names something that is there."""
    kind, raw = spans.kinds[number], spans.inside[number]
    try:
        raw.decode(encoding)
        text = with_encoding(kind, encoding).coding.decode(raw)
        path = kind.spelling.read(text, folder) if kind.spelling else None
        return path is not None and os.path.lexists(path)
    except (UnicodeError, ValueError, LookupError):
        return False


def is_utf8(raw: bytes) -> bool:
    """Whether some bytes are valid UTF-8."""
    try:
        raw.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True
