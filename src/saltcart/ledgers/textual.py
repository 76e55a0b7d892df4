"""Formats that are text: found in decoded text, given back as spans of bytes."""

import codecs
from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple

from msgspec import Struct

from saltcart.ledgers.base import Entry
from saltcart.ledgers.codings import Escape, TextCoding, is_narrow
from saltcart.ledgers.rules import Bases
from saltcart.ledgers.spans import Span
from saltcart.ledgers.where import Where
from saltcart.spelling import Spelling

BOMS = ((codecs.BOM_UTF8, "utf-8"), (codecs.BOM_UTF16_LE, "utf-16-le"), (codecs.BOM_UTF16_BE, "utf-16-be"))


class Found(NamedTuple):
    """A path in decoded text: from `start` to `end` in characters; the rest as in Span."""

    start: int
    end: int
    where: Where
    escape: Escape
    spelling: Spelling | None
    names: str = "file"
    base: int | Entry | None = None


class Text(Struct, frozen=True):
    """A decoded file: `skip` bytes of byte-order mark are before it; `guess` when its encoding is one."""

    text: str
    encoding: str
    skip: int
    guess: bool


def decoded(data: bytes, declared: str | None = None) -> Text:
    """The text of `data`: by its byte-order mark, as declared, as UTF-8, else in the commonest 8-bit code of the West.

    ValueError when it is no text, or would not come back byte for byte.
    """
    for mark, encoding in BOMS:
        if data.startswith(mark):
            return lossless(data, encoding, len(mark), False)
    if declared:
        return lossless(data, declared, 0, False)
    if b"\0" in data:
        raise ValueError("holds binary data where text is expected")
    try:
        return Text(data.decode("utf-8"), "utf-8", 0, False)
    except UnicodeDecodeError:
        return lossless(data, "cp1252", 0, True)


def lossless(data: bytes, encoding: str, skip: int, guess: bool) -> Text:
    """`data` decoded, when encoding it again gives the same bytes."""
    try:
        errors = "surrogateescape" if is_narrow(encoding) else "strict"
        text = data[skip:].decode(encoding, errors)
        if (
            codecs.lookup(encoding).name == "utf-8" or text.encode(encoding, errors) == data[skip:]
        ):  # UTF-8 always comes back
            return Text(text, encoding, skip, guess)
    except (UnicodeError, LookupError) as error:
        raise ValueError(f"is not text in {encoding} ({error})") from error
    raise ValueError(f"is not plain text in {encoding}")


def byte_spans(text: Text, found: Iterable[Found]) -> list[Span]:
    """The places found in decoded text, in their order, as spans of bytes."""
    spans, sign, place = [], 0, text.skip
    errors = "surrogateescape" if is_narrow(text.encoding) else "strict"
    plain = len(text.text.encode(text.encoding, errors)) == len(text.text)
    codings: dict[str, TextCoding] = {}
    for first, last, where, escape, spelling, names, base in found:
        if plain:
            start, end = first + text.skip, last + text.skip
        else:
            start = place + len(text.text[sign:first].encode(text.encoding, errors))
            end = start + len(text.text[first:last].encode(text.encoding, errors))
            sign, place = last, end
        if escape.name not in codings:
            codings[escape.name] = TextCoding(text.encoding, escape, text.guess)
        spans.append(Span(start, end, where, codings[escape.name], spelling, names, base))
    return spans


def with_bases(found: list[Found], bases: Bases) -> list[Found]:
    """The places, those that start from a folder elsewhere with its number."""
    for number, base in bases.settled().items():
        found[number] = found[number]._replace(base=base)
    return found


def finder(find: Callable[[str], Sequence[Found]]) -> Callable[[bytes], list[Span]]:
    """A function from bytes to spans, made from one that finds paths in text, in order."""

    def spans(data: bytes) -> list[Span]:
        text = decoded(data)
        return byte_spans(text, find(text.text))

    return spans


def line_of(text: str, place: int, known: list[tuple[int, int]]) -> Where:
    """The line of a place in `text`; `known` remembers the last answer, since places come in order."""
    last, number = known[-1] if known else (0, 1)
    number += text.count("\n", last, place)
    known.append((place, number))
    return Where(line=number)
