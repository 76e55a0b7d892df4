"""What in a file depends on a path in it, or on all of it: lengths, sums, digests.  A program that finds one of these
wrong takes its file for damaged, so a file that has any which nobody keeps right must not be rewritten.

Each is looked for in the file as it is, where it must be true: what a changed text would make untrue is found so.
Sums: CRC-32 (RFC 1952, section 8), Adler-32 (RFC 1950), MD5 (RFC 1321), SHA-1 and SHA-2 (FIPS 180-4).
"""

import base64
import hashlib
import re
import zlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Literal, NamedTuple

from saltcart.system import os

SAMPLE = 40  # changed texts that are looked at
NEAR = 160  # bytes before and after a text in which its record says its length
MOST_WORDS = 8  # figures at each end that may be sums
LARGE = 4 << 20  # bytes; of a larger binary file only the simplest sums are tried
ENDS = 4096  # bytes at the beginning and the end of a file in which it says what sum it has
HEX = re.compile(rb"(?<![0-9A-Fa-f])[0-9A-Fa-f]{8,128}(?![0-9A-Fa-f])")
NUMBER = re.compile(rb"(?<![\w.])\d{2,12}(?![\w.])")
LENGTH_BEFORE = re.compile(rb"(?<!\d)(\d{1,6})[^0-9A-Za-z/~\\]{1,4}\Z")
KEY = re.compile(rb"[A-Za-z_]\w*")
SHORT_SUMS: tuple[Callable[[bytes], int], ...] = (zlib.crc32, zlib.adler32)
ORDERS: tuple[Literal["little"], Literal["big"]] = ("little", "big")
DIGESTS = ("md5", "sha1", "sha256", "sha512", "blake2b")


class Change(NamedTuple):
    """A text that is to change: where it begins in the file, its bytes there, and what they mean."""

    start: int
    raw: bytes
    text: str

    @property
    def end(self) -> int:
        """Where it ends."""
        return self.start + len(self.raw)

    def lengths(self) -> set[int]:
        """How long it is, in bytes and in characters."""
        return {len(self.raw), len(self.text), len(self.text.encode("utf-8", "surrogateescape"))}


def digests(content: bytes) -> Iterator[bytes]:
    """The digests that programs take of some content."""
    for name in DIGESTS:
        yield hashlib.new(name, content).digest()


def digests_of_text(text: str) -> set[bytes]:
    """The digests of a path: as it is, in small letters, in UTF-16, and of the folder it leads to."""
    raw = text.encode("utf-8", "surrogateescape")
    wide = text.encode("utf-16-le", "surrogatepass")
    return {
        one
        for content in (raw, raw.lower(), wide, os.path.dirname(raw), raw + b"\0")
        if content
        for one in digests(content)
    }


def dependant(data: bytes, changes: Sequence[Change], resized: bool) -> str | None:
    """What a file with this content does that would be untrue once these texts change, such as "holds ..."; None when
    nothing is seen.  `resized`: the file gets another length.
    """
    some, words = changes[:SAMPLE], {found.lower() for found in HEX.findall(data)}
    return (
        (texts_digest(data, some, words) and "holds the digest of a path that would change")
        or (sum_of_file(data) and "holds a checksum of itself, which would be wrong then")
        or (lengths_before(data, some) and "gives the length of each path before it")
        or (lengths_beside(data, some) and "gives the length of each path in its record")
        or (resized and own_size(data, changes) and "says how long it is")
        or (offsets(data, changes) and "holds a table of where its texts begin")
        or None
    )


def texts_digest(data: bytes, changes: Iterable[Change], words: set[bytes]) -> bool:
    """Whether a digest of a text is in the file: in letters or as it is."""
    for change in changes:
        for digest in digests_of_text(change.text):
            if digest.hex().encode() in words or digest in data or base64.b64encode(digest).rstrip(b"=") in data:
                return True
        raw = change.text.encode("utf-8", "surrogateescape")
        if any(b"%08x" % short(content) in words for short in SHORT_SUMS for content in (raw, raw.lower())):
            return True
    return False


def sum_of_file(data: bytes) -> bool:
    """Whether the file holds a sum of what is before it, after it, or around it."""
    return any(is_sum(data, first, last, data[first:last]) for first, last in candidates(data))


def candidates(data: bytes) -> Iterator[tuple[int, int]]:
    """Where a sum may be: words of hexadecimal figures or long numbers near the ends, and bytes right there."""
    starts = [(0, data[:ENDS])] + ([(len(data) - ENDS, data[-ENDS:])] if len(data) > ENDS else [])
    for offset, part in starts:
        words = [*HEX.finditer(part), *(one for one in NUMBER.finditer(part) if len(one[0]) >= 8)]
        for found in words if len(words) <= 2 * MOST_WORDS else [*words[:MOST_WORDS], *words[-MOST_WORDS:]]:
            yield offset + found.start(), offset + found.end()
    if b"\0" in data[:ENDS] or b"\0" in data[-64:]:
        for size in (4, 16, 20, 32, 64):
            yield from ((at, at + size) for at in range(0, min(32, len(data) - size), 2))
            yield from ((len(data) - size - at, len(data) - at) for at in (0, 4, 8) if len(data) > size + at)


def is_sum(data: bytes, first: int, last: int, said: bytes) -> bool:
    """Whether the bytes from `first` to `last` are the sum of the rest."""
    line = data.rfind(b"\n", 0, first) + 1
    after = data.find(b"\n", last)
    following = data[after + 1 :] if after >= 0 else b""
    binary = last - first in (4, 16, 20, 32, 64) and not HEX.fullmatch(said) and not NUMBER.fullmatch(said)
    if binary and len(data) > LARGE:
        return any(says(said, last - first, content) for content in (data[:first], data[last:]))
    skips = (0, 4, 8, 12, 16) if binary else (0,)
    contents = {data[skip:first] for skip in skips} | {data[last:], data[last + 4 :]}
    contents |= {data[:first] + bytes(last - first) + data[last:], data[:first] + data[last:]}
    contents |= {data[:line], following, data[:line] + following} if not binary else set()
    size = last - first
    return any(says(said, size, content) for content in contents if len(content) > 16)


def says(said: bytes, size: int, content: bytes) -> bool:
    """Whether some bytes are a sum of `content`, as bytes, in hexadecimal or as a number."""
    text = said.lower()
    if size == 4 and not HEX.fullmatch(said):
        return any(short(content).to_bytes(4, order) == said for short in SHORT_SUMS for order in ORDERS)
    if size == 8 and HEX.fullmatch(said) and any(b"%08x" % short(content) == text for short in SHORT_SUMS):
        return True
    if NUMBER.fullmatch(said) and size <= 10 and any(b"%d" % short(content) == said for short in SHORT_SUMS):
        return True
    sizes = {16: "md5", 20: "sha1", 32: "sha256", 64: "sha512"}
    if size in sizes and not HEX.fullmatch(said):
        return hashlib.new(sizes[size], content).digest() == said
    names = {32: ("md5",), 40: ("sha1",), 64: ("sha256",), 128: ("sha512", "blake2b")}.get(size, ())
    return any(hashlib.new(name, content).hexdigest().encode() == text for name in names)


def lengths_before(data: bytes, changes: Sequence[Change]) -> bool:
    """Whether the length of each text is right before it in figures: `s:24:"/keel/..."`, `24:/keel/...`."""
    found = [LENGTH_BEFORE.search(data, max(0, change.start - 16), change.start) for change in changes]
    return bool(found) and all(
        one and int(one[1]) in change.lengths() for one, change in zip(found, changes, strict=True)
    )


def lengths_beside(data: bytes, changes: Sequence[Change]) -> bool:
    """Whether under the same name beside every text a number is that is its length."""
    if len({len(change.raw) for change in changes}) < 2 or len(changes) < 3:
        return False  # a number may be equal by chance
    names: set[tuple[int, bytes]] | None = None
    for change in changes:
        mine = set()
        parts = (data[max(0, change.start - NEAR) : change.start], data[change.end : change.end + NEAR])
        for behind, part in enumerate(parts):
            for number in NUMBER.finditer(part):
                if int(number[0]) in change.lengths() and (key := KEY.findall(part[: number.start()])):
                    mine.add((behind, key[-1]))
        names = mine if names is None else names & mine
    return bool(names)


def own_size(data: bytes, changes: Sequence[Change]) -> bool:
    """Whether a number in the beginning of the file, in no text that changes, is its length, or that of what follows
    the number or its line.
    """
    for found in NUMBER.finditer(data[:512]):
        if any(change.start <= found.start() < change.end for change in changes):
            continue  # the name of a sound
        line = data.find(b"\n", found.end()) + 1
        if int(found[0]) > 64 and int(found[0]) in (len(data), len(data) - found.end(), len(data) - line):
            return True
    return False


def offsets(data: bytes, changes: Sequence[Change]) -> bool:
    """Whether a binary file holds the places of its texts one after the other, each with the same distance."""
    if len(changes) < 3 or b"\0" not in data:
        return False
    starts = [change.start for change in changes[:6]]
    for order in ORDERS:
        for back in range(17):
            table = b"".join(max(0, start - back).to_bytes(4, order) for start in starts)
            if table in data:
                return True
    return False


def digest_of_member(content: bytes, other: bytes) -> bool:
    """Whether another member of a package holds the digest of one: a list of what is in it, or a signature."""
    words = {found.lower() for found in HEX.findall(other)}
    known = list(digests(content))
    return (
        any(one.hex().encode() in words or base64.b64encode(one).rstrip(b"=") in other for one in known)
        or b"%08x" % zlib.crc32(content) in words
    )
