"""What a file in no format known refers to from its own folder: names of sounds beside it, and paths that lead up.

Only what is there counts: a text that is no path leads nowhere.
"""

import os
import re
from collections.abc import Iterator

from saltcart.shelves.audio import KINDS, MATERIAL

LARGEST = 16 << 20  # bytes that are looked at
MOST, LONGEST = 20_000, 400  # texts of one file that are looked for, and bytes of each
SUFFIXES = "|".join(re.escape(suffix[1:]) for suffix in (*KINDS, *MATERIAL, ".sfz"))
NO_PATH = r"\0-\x1f\"<>|*?"
SOUND = re.compile(rf"(?i)([^{NO_PATH}]{{1,{LONGEST}}}?\.(?:{SUFFIXES}))(?![A-Za-z0-9])".encode())
UPWARD = re.compile(rf"(?:\.\.[/\\])+[^{NO_PATH}]{{1,{LONGEST}}}".encode())
# Behind which a path may begin in what stands before a sound's name; in binary files any bytes may look like letters.
CUTS = re.compile(r"[\s=:,;'(\[{]+|[^\0-\x7f]+|file://")
ENDS = re.compile(r"[\s,;')\]}]")


def relative_targets(path: str) -> set[str]:
    """The full paths of what the file at `path` refers to from its folder; OSError when it cannot be read."""
    folder = os.path.dirname(path)
    with open(path, "rb") as stream:
        data = stream.read(LARGEST)
    if b"\0" in data[:4096]:  # there may be texts of two bytes a sign
        wide = (data[start:].decode("utf-16-le", "replace").encode("utf-8", "replace") for start in (0, 1))
        data = b"\0".join((data, *wide))
    found: set[str] = set()
    for number, text in enumerate(texts(data)):
        if number == MOST:
            break
        place = os.path.normpath(f"{folder}/{text}")
        if os.path.lexists(place) and place not in (folder, path):
            found.add(place)
    return found


def texts(data: bytes) -> Iterator[str]:
    """What may be a relative path in some bytes, each once."""
    seen: set[str] = set()
    for whole in candidates(data):
        text = whole.replace("\\", "/")
        if text.startswith(("/", "~")) or text in seen:
            continue
        seen.add(text)
        yield text


def candidates(data: bytes) -> Iterator[str]:
    """The texts that end like a sound, from each place at which a path may begin; those that lead up, to each place at
    which one may end.
    """
    for found in SOUND.finditer(data):
        text = found[1].decode("utf-8", "surrogateescape")
        yield text.strip()
        yield from (text[cut.end() :] for cut in CUTS.finditer(text))
    for found in UPWARD.finditer(data):
        text = found[0].decode("utf-8", "surrogateescape")
        yield text.rstrip()
        yield from (text[: cut.start()] for cut in ENDS.finditer(text))
