"""Chunk containers (EA IFF 85 and its little-endian kin): four-letter tag, length, payload, padded to even; nested.

A container chunk (FORM, LIST, RIFF, CAT , or any tag a rule passes through) holds chunks, the
first four too after a type word.  The place of a payload is the path of tags, blanks left out.
When a payload changes its length, the lengths and padding above it are mended.
"""

import struct
from collections.abc import Iterator, Sequence
from typing import Literal

from msgspec import Struct

from saltcart.ledgers.codings import ONE, Escape, TextCoding, same
from saltcart.ledgers.rules import At, Matcher
from saltcart.ledgers.spans import Span, Spans
from saltcart.ledgers.where import Where

TYPED = {b"FORM", b"LIST", b"RIFF", b"CAT ", b"RIFX"}
DEEPEST = 64
WHOLE = Escape("whole", ONE, same, same)


class Chunk(Struct, frozen=True):
    """One chunk: place, tag, where its head and payload begin and end, and how deep it lies."""

    place: str
    tag: bytes
    head: int
    start: int
    end: int
    depth: int
    holds: bool


ORDERS: tuple[Literal["little"], Literal["big"]] = ("little", "big")


def little(data: bytes) -> bool:
    """Whether lengths are little-endian; told by the outermost tag, or by which reading fits the file."""
    if len(data) < 8:
        raise ValueError("is too short for a chunk container")
    if data[:4] in (b"RIFF", b"FORM", b"RIFX"):
        return data[:4] == b"RIFF"
    little_size, big_size = (int.from_bytes(data[4:8], order) for order in ORDERS)
    return little_size + 8 <= len(data) < big_size + 8


def chunks(data: bytes, holders: frozenset[str]) -> Iterator[Chunk]:
    """Every chunk in order; those whose place is in `holders` hold chunks too.  ValueError for lengths that do not
    fit.
    """
    order = "<" if little(data) else ">"
    waiting = [(0, len(data), "", 0)]
    while waiting:
        start, end, place, depth = waiting.pop()
        if end - start < 8:
            if start != end:
                raise ValueError(f"has {end - start} stray bytes at {start}")
            continue
        tag, size = data[start : start + 4], struct.unpack_from(order + "I", data, start + 4)[0]
        stop = start + 8 + size
        if stop > end or depth > DEEPEST:
            raise ValueError(f"has a chunk at {start} that does not fit into what holds it")
        here = f"{place}/{tag.decode('latin-1').strip()}".lstrip("/")
        holds = tag in TYPED or here in holders
        yield Chunk(here, tag, start, start + 8 + (4 if tag in TYPED else 0), stop, depth, holds)
        waiting.append((min(end, stop + (size & 1)), end, place, depth))
        if holds:
            waiting.append((start + 8 + (4 if tag in TYPED else 0), stop, here, depth + 1))


def holders_of(rules: Sequence[At]) -> frozenset[str]:
    """The places that rules pass through."""
    parts = [rule.at.split("/") for rule in rules]
    return frozenset("/".join(part[:count]) for part in parts for count in range(1, len(part)))


def spans(data: bytes, rules: Sequence[At], encoding: str) -> list[Span]:
    """The text payloads that rules name, a closing NUL left out.  ValueError for one that ends in the middle of
    a character.
    """
    rule_for, found = Matcher(rules), []
    coding = TextCoding(encoding, WHOLE)
    width = 2 if encoding.startswith("utf-16") else 1
    counts: dict[str, int] = {}
    for chunk in chunks(data, holders_of(rules)):
        rule = None if chunk.holds else rule_for(chunk.place)
        if rule and chunk.start < chunk.end:
            counts[chunk.place] = counts.get(chunk.place, 0) + 1
            end = chunk.end
            while end - chunk.start >= width and data[end - width : end] == bytes(width):
                end -= width
            if (end - chunk.start) % width:
                raise ValueError(f"has a {chunk.place} chunk that is no {encoding} text")
            found.append(
                Span(chunk.start, end, Where(chunk.place, counts[chunk.place]), coding, rule.spelling, rule.names)
            )
    return found


def splice(spans: Spans, texts: Sequence[bytes], holders: frozenset[str]) -> bytes:
    """The data with new payload texts, every length and padding above it mended."""
    data = spans.data
    order = "<" if little(data) else ">"
    changes = {
        start: (start + len(old), text) for start, old, text in zip(spans.starts, spans.inside, texts, strict=True)
    }
    every = list(chunks(data, holders))

    def build(number: int) -> tuple[bytes, int]:
        chunk = every[number]
        body = data[chunk.head + 8 : chunk.start]
        following = number + 1
        if chunk.holds:
            while following < len(every) and every[following].depth > chunk.depth:
                part, following = build(following)
                body += part
        else:
            end, text = changes.get(chunk.start, (chunk.start, b""))
            body += text + data[end : chunk.end]
        pad = data[chunk.end : chunk.end + 1] if (chunk.end - chunk.head) & 1 else b"\0"
        return chunk.tag + struct.pack(order + "I", len(body)) + body + (pad if len(body) & 1 else b""), following

    out, number = b"", 0
    while number < len(every):
        part, number = build(number)
        out += part
    return out


def rest(spans: Spans, holders: frozenset[str]) -> list[tuple[str, int, bytes]]:
    """Everything but the payloads of `spans` and the lengths: place, depth and content of each chunk."""
    data, ends = spans.data, {start: start + len(text) for start, text in zip(spans.starts, spans.inside, strict=True)}
    return [
        (
            chunk.place,
            chunk.depth,
            data[chunk.head + 8 : chunk.start]
            + (b"" if chunk.holds else data[ends.get(chunk.start, chunk.start) : chunk.end]),
        )
        for chunk in chunks(data, holders)
    ]
