"""The manifest of a shelf: a plain text of `digest  path` lines that the usual checksum commands verify.

It lies beside the shelf, with paths from there, so that the shelf itself holds nothing but sounds:

    cd /media/lighter/Sounds && b3sum --check "Bell Tones.saltcart.b3"
    cd /media/lighter/Sounds && sha256sum --check "Bell Tones.saltcart.sha256"

A line whose path holds a line break or a backslash begins with a backslash, and has these escaped,
as the GNU checksum commands write it (coreutils manual, "md5sum invocation").
"""

import re
from collections.abc import Callable, Iterable, Iterator
from functools import partial

from blake3 import blake3

from saltcart.errors import BadFile
from saltcart.safefile import read_back, replacing
from saltcart.shelves.digests import BLAKE3, SHA256
from saltcart.system import os

SUFFIXES = {BLAKE3: ".saltcart.b3", SHA256: ".saltcart.sha256"}
LINE = re.compile(rb"(\\?)([0-9a-f]{64}) [ *](.+)", re.DOTALL)
LONGEST = 64 << 10  # bytes of a line
ESCAPES = ((b"\\", b"\\\\"), (b"\n", b"\\n"), (b"\r", b"\\r"))


def manifest_of(shelf: str, kind: str) -> str:
    """Where the manifest with digests of that kind lies, for the shelf at `shelf`."""
    return shelf.rstrip("/") + SUFFIXES[kind]


def kind_of_manifest(shelf: str) -> str | None:
    """Which digests the manifest of a shelf holds, the newest if it has two; None when it has none."""
    there = [kind for kind in SUFFIXES if os.path.isfile(manifest_of(shelf, kind))]
    return max(there, key=lambda kind: os.stat(manifest_of(shelf, kind)).st_mtime_ns, default=None)


def is_manifest(path: str) -> bool:
    """Whether a file holds lines of a manifest, and nothing else."""
    try:
        with open(path, "rb") as stream:
            while text := stream.readline(LONGEST):
                if not LINE.fullmatch(text.removesuffix(b"\n")):
                    return False
    except OSError:
        return False
    return True


def write(
    shelf: str,
    kind: str,
    digests: Iterable[tuple[str, str]],
    proven: Callable[[str], None] = lambda _digest: None,
    path: str = "",
) -> str:
    """Write the manifest of a shelf, whole or not at all, from pairs of a path below its top and a digest; where it
    lies: beside the shelf, or at `path`.  What was there is replaced; `proven` gets its digest right before.
    """
    path, top = path or manifest_of(shelf, kind), os.fsencode(os.path.basename(shelf.rstrip("/")))
    with replacing(path) as neighbour:
        worker = blake3()
        with open(neighbour, "wb") as stream:
            for tail, digest in digests:
                text = line(digest.encode(), top + b"/" + os.fsencode(tail))
                worker.update(text)
                stream.write(text)
        proven(read_back(neighbour, worker.hexdigest()))
    return path


def line(digest: bytes, path: bytes) -> bytes:
    """One line of a manifest."""
    escaped = path
    for sign, escape in ESCAPES:
        escaped = escaped.replace(sign, escape)
    return (b"\\" if escaped != path else b"") + digest + b"  " + escaped + b"\n"


def read(shelf: str, kind: str) -> Iterator[tuple[str, str]]:
    """Path below the top and digest of each file in the manifest of a shelf.  Raises BadFile."""
    path, top = manifest_of(shelf, kind), os.fsencode(os.path.basename(shelf.rstrip("/"))) + b"/"
    with open(path, "rb") as stream:
        for number, text in enumerate(iter(partial(stream.readline, LONGEST), b""), 1):
            found = LINE.fullmatch(text.removesuffix(b"\n"))
            name = re.sub(rb"\\(.)", unescaped, found[3]) if found and found[1] else found and found[3]
            if not found or not name or not name.startswith(top) or b".." in name.split(b"/"):
                raise BadFile(
                    path,
                    number,
                    "is no line of digest and path in this shelf",
                    "Write it anew: saltcart check FOLDER --digests --write",
                )
            yield os.fsdecode(name[len(top) :]), found[2].decode()


def unescaped(escape: re.Match[bytes]) -> bytes:
    """What one escape stands for."""
    return {b"n": b"\n", b"r": b"\r"}.get(escape[1], escape[1])
