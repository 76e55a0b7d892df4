"""What a file in no format known refers to from its own folder: names of sounds beside it, and paths that lead up.

Only what is there counts: a text that is no path leads nowhere.  A file is read piece by piece, and looked at only
around what ends a sound's name or leads up: large files that hold neither cost no more than reading them.
"""

import re
from collections.abc import Iterator
from typing import IO

from saltcart.mentions.file_types import ENOUGH, holds_no_references
from saltcart.mentions.packed import TooMuch
from saltcart.shelves.audio import KINDS, MATERIAL
from saltcart.system import os

LARGEST = 512 << 20  # bytes; the search reports a larger file as one that is not read
BLOCK = 4 << 20  # bytes read at once
MOST, LONGEST = 1_000_000, 400  # texts of one file that are looked at, and bytes of each
NO_PATH = r"\0-\x1f\"<>|*?"
SUFFIXES = [suffix[1:] for suffix in (*KINDS, *MATERIAL, ".sfz")]
NARROW, WIDE = "|".join(SUFFIXES), "|".join(r"\0".join(suffix) for suffix in SUFFIXES)  # one byte a character, and two
SUFFIX = re.compile(rf"(?i)\.(?:(?:{NARROW})(?![A-Z0-9])|\0(?:{WIDE})(?!\0[A-Z0-9]))".encode())
PATH_BEFORE = re.compile(rf"[^{NO_PATH}]*\Z")
UPWARD = re.compile(rf"(?:\.\.[/\\])+[^{NO_PATH}]{{1,{LONGEST}}}")
LEAD_UP = re.compile(rb"\.(?:\.[/\\]|\0\.\0[/\\])")
# Behind which a path may begin in what is before a sound's name; in binary files any bytes may look like letters.
CUTS = re.compile(r"[\s=:,;'(\[{]+|[^\0-\x7f]+|file://")
ENDS = re.compile(r"[\s,;')\]}]")


def relative_targets(path: str) -> set[str]:
    """The full paths of what the file at `path` refers to from its folder.  OSError when it cannot be read, TooMuch for
    one that holds more names than are looked for.
    """
    folder = os.path.dirname(path)
    places = (os.path.normpath(f"{folder}/{text}") for text in relative_texts(path))
    return {place for place in places if os.path.lexists(place) and place not in (folder, path)}


def relative_texts(path: str) -> Iterator[str]:
    """What may be a relative path in the file at `path`; raises as `relative_targets`."""
    with open(path, "rb") as stream:
        size = os.fstat(stream.fileno()).st_size
        if size <= LARGEST and not holds_no_references(stream.read(ENOUGH), size):
            stream.seek(0)
            yield from texts(stream)


def texts(stream: IO[bytes]) -> Iterator[str]:
    """What may be a relative path in a stream, each once.  Raises TooMuch."""
    seen: set[int] = set()
    for number, whole in enumerate(candidates(stream)):
        if number == MOST:
            raise TooMuch("holds more names than are looked for")
        text = whole.replace("\\", "/")
        if text.startswith(("/", "~")) or "\0" in text or hash(text) in seen:
            continue
        seen.add(hash(text))
        yield text


def candidates(stream: IO[bytes]) -> Iterator[str]:
    """The texts that end like a sound, from each place at which a path may begin; those that lead up, to each place at
    which one may end.
    """
    window = b""
    while block := stream.read(BLOCK):
        window = window[-4 * LONGEST :] + block
        yield from sounds_in(window)
        yield from upward_in(window)


def sounds_in(window: bytes) -> Iterator[str]:
    """The texts in some bytes that end like a sound."""
    done = 0
    for found in SUFFIX.finditer(window):
        wide = found[0][1] == 0
        start = max(done, found.start() - (2 if wide else 1) * LONGEST)
        done = found.end() + wide  # the second byte of its last character
        text = in_signs(window[start + (found.start() - start) % 2 if wide else start : done], wide)
        if path := PATH_BEFORE.search(text):
            yield path[0].strip()
            yield from (path[0][cut.end() :] for cut in CUTS.finditer(path[0]))


def upward_in(window: bytes) -> Iterator[str]:
    """The texts in some bytes that lead up."""
    done = 0
    for found in LEAD_UP.finditer(window):
        if found.start() < done:
            continue
        wide = found[0][1] == 0
        text = in_signs(window[found.start() : found.start() + (2 if wide else 1) * 2 * LONGEST], wide)
        if path := UPWARD.match(text):
            done = found.start() + len(path[0])
            yield path[0].rstrip()
            yield from (path[0][: cut.start()] for cut in ENDS.finditer(path[0]))


def in_signs(raw: bytes, wide: bool) -> str:
    """Some bytes as text of one or of two bytes a character."""
    return raw.decode("utf-16-le", "replace") if wide else raw.decode("utf-8", "surrogateescape")
