"""Remembering what was found out about files, for as long as they stay the same.

A file is known by path, size, times and inode, as one number of 64 bits; times that are too fresh are not trusted,
because a file may change twice within one tick of its drive's clock.  A memory is one file of such numbers; when it is
damaged, all is looked at again.
"""

import time
from array import array
from bisect import bisect_left
from collections.abc import Sequence
from contextlib import suppress
from functools import cached_property
from hashlib import blake2b

from saltcart.home import home, made_home
from saltcart.safefile import replacing

FRESH = 3_000_000_000  # nanoseconds; FAT counts in steps of two seconds
CHECK = 16  # bytes of a digest at a file's end
MOST = 4_000_000


class UnchangedFiles:
    """The files of which one thing is known, under a name in a folder of our own data; `more` names are only read.

    When there are more than so many names in the folder, what was not used for longest is forgotten.
    """

    def __init__(self, folder: str, name: str, more: Sequence[str] = (), names: int = 8):
        self.folder, self.name, self.names = folder, name, names
        self.more = more
        self.now = time.time_ns()
        self.fresh = array("Q")

    @cached_property
    def old(self) -> "array[int]":
        """What was kept under the name."""
        return self.load(self.name)

    @cached_property
    def known(self) -> "list[array[int]]":
        """All that was kept, where there is any."""
        return [some for some in (self.old, *(self.load(name) for name in self.more if name != self.name)) if some]

    def knows(self, path: str, facts: Sequence[int]) -> bool:
        """Whether a file is one of them; `facts` are size, mtime and ctime in nanoseconds, device and inode."""
        number = number_of(path, facts) if self.known else 0
        for known in self.known:
            at = bisect_left(known, number)
            if at < len(known) and known[at] == number:
                return True
        return False

    def remember(self, path: str, facts: Sequence[int]) -> None:
        """Take up a file, unless it changed just now."""
        if max(facts[1:3]) < self.now - FRESH:
            self.fresh.append(number_of(path, facts))

    def keep(self) -> None:
        """Keep what was remembered; where that cannot be written, next time takes longer."""
        if not self.fresh:
            return
        known = self.old if len(self.old) + len(self.fresh) <= MOST else array("Q")
        content = array("Q", sorted({*known, *self.fresh})).tobytes()
        with suppress(OSError):
            folder = made_home(self.folder)
            with replacing(str(folder / self.name), 0o600) as neighbour, open(neighbour, "wb") as stream:
                stream.write(content + blake2b(content, digest_size=CHECK).digest())
            for old in sorted(folder.iterdir(), key=lambda one: one.stat().st_mtime_ns)[: -self.names]:
                old.unlink()
        self.fresh = array("Q")

    def load(self, name: str) -> "array[int]":
        """What was kept under a name; nothing when there is none, or it is damaged."""
        known = array("Q")
        with suppress(OSError), open(home() / self.folder / name, "rb") as stream:
            raw = stream.read()
            content = raw[:-CHECK]
            if len(content) % known.itemsize == 0 and blake2b(content, digest_size=CHECK).digest() == raw[-CHECK:]:
                known.frombytes(content)
        return known


def number_of(path: str, facts: Sequence[int]) -> int:
    """A number that another file, or the same after a change, does not have."""
    text = f"{path}\0{' '.join(map(str, facts))}".encode("utf-8", "surrogateescape")
    return int.from_bytes(blake2b(text, digest_size=8).digest(), "little")
