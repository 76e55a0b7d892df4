"""Remembering which files named none of some folders, so that they need not be read again while they stay the same.

A file is known by path, size, times and inode, as one number of 64 bits; times that are too fresh are not trusted, for
a file may change twice within one tick of its drive's clock.  One file of such numbers for each set of names; when it
is damaged, all is read again.
"""

import time
from array import array
from bisect import bisect_left
from collections.abc import Sequence
from contextlib import suppress
from hashlib import blake2b

from saltcart.home import home, made_home
from saltcart.mentions.place_forms import PlaceForms
from saltcart.safefile import replacing
from saltcart.shelves.walk import Item

EDITION = 4  # to be raised whenever a search finds more than before
FRESH = 3_000_000_000  # nanoseconds; FAT counts in steps of two seconds
CHECK = 16  # bytes of a digest at a file's end
KEPT = 8  # sets of names
MOST = 4_000_000


class Unchanged:
    """What earlier searches for the names in `forms` went through in vain, and what this one does.

    What a search for more names than these did not find holds for these too: names that a new place shares are left out
    after a switch, and with them nothing is found that was not there before.
    """

    def __init__(self, forms: Sequence[PlaceForms]):
        self.now = time.time_ns()
        wide = key_of(
            [(one.place, one.folds_case, one.all_names, [], one.within, one.alone, one.longer) for one in forms]
        )
        self.key = key_of(
            [(one.place, one.folds_case, one.names, one.passes, one.within, one.alone, one.longer) for one in forms]
        )
        self.old = self.load(self.key)
        self.known = [some for some in (self.old, self.load(wide) if wide != self.key else None) if some]
        self.fresh = array("Q")

    def knows(self, path: str, item: Item) -> bool:
        """Whether a file has not changed since it was read in vain."""
        number = number_of(path, item) if self.known else 0
        for known in self.known:
            at = bisect_left(known, number)
            if at < len(known) and known[at] == number:
                return True
        return False

    def remember(self, path: str, item: Item) -> None:
        """Remember that a file names nothing."""
        if max(item.mtime_ns, item.ctime_ns) < self.now - FRESH:
            self.fresh.append(number_of(path, item))

    def keep(self) -> None:
        """Keep what was remembered; where that cannot be written, the next search takes longer."""
        if not self.fresh:
            return
        known = self.old if len(self.old) + len(self.fresh) <= MOST else array("Q")
        content = array("Q", sorted({*known, *self.fresh})).tobytes()
        with suppress(OSError):
            folder = made_home("searched")
            with replacing(str(folder / self.key), 0o600) as neighbour, open(neighbour, "wb") as stream:
                stream.write(content + blake2b(content, digest_size=CHECK).digest())
            for old in sorted(folder.iterdir(), key=lambda one: one.stat().st_mtime_ns)[:-KEPT]:
                old.unlink()

    @staticmethod
    def load(key: str) -> "array[int]":
        """What was kept for some names; nothing when there is none, or it is damaged."""
        known = array("Q")
        with suppress(OSError), open(home() / "searched" / key, "rb") as stream:
            raw = stream.read()
            content = raw[:-CHECK]
            if len(content) % known.itemsize == 0 and blake2b(content, digest_size=CHECK).digest() == raw[-CHECK:]:
                known.frombytes(content)
        return known


def facts(one: PlaceForms) -> tuple[object, ...]:
    """What tells the names of one place from those of another, but for the names themselves."""
    return one.place, one.folds_case, one.within, one.alone, one.longer


def key_of(names: Sequence[object]) -> str:
    """The name of the file that keeps what a search for these names went through."""
    return blake2b(repr((EDITION, names)).encode("utf-8", "surrogatepass"), digest_size=8).hexdigest()


def number_of(path: str, item: Item) -> int:
    """A number that another file, or the same after a change, does not have."""
    facts = f"{path}\0{item.size} {item.mtime_ns} {item.ctime_ns} {item.device} {item.inode}"
    return int.from_bytes(blake2b(facts.encode("utf-8", "surrogateescape"), digest_size=8).digest(), "little")
