"""Programs and plug-ins among sounds: known by how they begin, and by the bundle that they lie in.

They are looked for where they are, so that they stay when sounds move.
"""

from collections.abc import Iterable, Iterator

from saltcart.shelves.audio import kind_of
from saltcart.shelves.beginning import beginning
from saltcart.system import os

# ELF (System V ABI, chapter 4), PE behind its DOS header, Mach-O of either order and for several machines.
MAGIC = (
    b"\x7fELF", b"MZ", b"\xfe\xed\xfa\xce", b"\xfe\xed\xfa\xcf", b"\xce\xfa\xed\xfe", b"\xcf\xfa\xed\xfe",
    b"\xca\xfe\xba\xbe",
)  # fmt: skip
HEAD = 64
CODE = (".so", ".dll", ".dylib", ".exe")
INSIDE = "Contents"  # the folder that holds all of a bundle on one system


def is_program(path: str, head: bytes | None = None) -> bool:
    """Whether the file at `path` is code; `head` is its beginning, for whoever has read that.  What can be no program
    by its name and mode is not opened.
    """
    if kind_of(path):
        return False
    try:
        if head is None:
            if not path.lower().endswith(CODE) and not os.stat(path).st_mode & 0o111 and f"/{INSIDE}/" not in path:
                return False
            head = beginning(path, HEAD)
    except OSError:
        return False
    return head.startswith(MAGIC) and b"\0" in head[:HEAD]  # a text may begin with two of these letters


def units(programs: Iterable[str]) -> Iterator[str]:
    """What stays with each program, by paths from the top of its shelf: the bundle that it lies in, else itself."""
    for path in programs:
        parts = path.split("/")
        if INSIDE in parts[1:-1]:
            yield "/".join(parts[: parts.index(INSIDE, 1)])
        else:
            dotted = (at for at, part in enumerate(parts[:-1]) if os.path.splitext(part)[1])
            at = next(dotted, None)
            yield path if at is None else "/".join(parts[: at + 1])
