"""The manifest of a shelf: a plain text of `digest  path` lines that the usual checksum commands verify.

It lies beside the shelf, with paths from there, so that the shelf itself holds nothing but sounds:

    cd /media/lighter/Sounds && b3sum --check "Bell Tones.saltcart.b3"

A line whose path holds a line break or a backslash begins with a backslash, and has these escaped,
as the GNU checksum commands write it (coreutils manual, "md5sum invocation").
"""

import os
import re
from collections.abc import Iterable, Iterator

from saltcart.errors import BadFile
from saltcart.safefile import replacing

SUFFIX = ".saltcart.b3"
LINE = re.compile(rb"(\\?)([0-9a-f]{64}) [ *](.+)", re.DOTALL)
ESCAPES = ((b"\\", b"\\\\"), (b"\n", b"\\n"), (b"\r", b"\\r"))


def manifest_of(shelf: str) -> str:
    """Where the manifest of the shelf at `shelf` lies."""
    return shelf.rstrip("/") + SUFFIX


def write(shelf: str, digests: Iterable[tuple[str, str]]) -> str:
    """Write the manifest of a shelf, whole or not at all, from pairs of a path below its top and a digest; where it lies."""
    path, top = manifest_of(shelf), os.fsencode(os.path.basename(shelf.rstrip("/")))
    with replacing(path) as neighbour, open(neighbour, "wb") as stream:
        for tail, digest in digests:
            stream.write(line(digest.encode(), top + b"/" + os.fsencode(tail)))
    return path


def line(digest: bytes, path: bytes) -> bytes:
    """One line of a manifest."""
    escaped = path
    for sign, escape in ESCAPES:
        escaped = escaped.replace(sign, escape)
    return (b"\\" if escaped != path else b"") + digest + b"  " + escaped + b"\n"


def read(shelf: str) -> Iterator[tuple[str, str]]:
    """Path below the top and digest of each file in the manifest of a shelf.  Raises BadFile."""
    path, top = manifest_of(shelf), os.fsencode(os.path.basename(shelf.rstrip("/"))) + b"/"
    with open(path, "rb") as stream:
        for number, text in enumerate(stream, 1):
            found = LINE.fullmatch(text.removesuffix(b"\n"))
            name = re.sub(rb"\\(.)", unescaped, found[3]) if found and found[1] else found and found[3]
            if not found or not name or not name.startswith(top) or b".." in name.split(b"/"):
                raise BadFile(path, number, "is no line of digest and path in this shelf", "Write it anew: saltcart check FOLDER --digests --write")
            yield os.fsdecode(name[len(top) :]), found[2].decode()


def unescaped(escape: re.Match[bytes]) -> bytes:
    """What one escape stands for."""
    return {b"n": b"\n", b"r": b"\r"}.get(escape[1], escape[1])
