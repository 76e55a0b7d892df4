"""One new beginning for many texts: what most entries of a ledger get when a shelf moves.

A swap is found on one specimen and then holds for every text of the same spelling that begins
alike, unless the text has a mark in it (`odd`) that may make its parts mean something else.
"""

import re
from typing import NamedTuple

from saltcart.spelling.base import Spelling

# Signs that every writer of URIs escapes alike, or not at all: for others the manner is read off each text.
UNIFORM = re.compile(r"[A-Za-z0-9/:._~-]*")


class Swap(NamedTuple):
    """Texts in `spelling` that begin with `old` begin with `new` instead; both end in a slash."""

    spelling: Spelling
    old: str
    new: str
    odd: tuple[str, ...]

    def covers(self, text: str) -> bool:
        """Whether this is all that `text` needs."""
        if not text.startswith(self.old):
            return False
        tail = text[len(self.old) - 1 :]
        return not any(mark in tail for mark in self.odd)

    def __call__(self, text: str) -> str:
        """The new text for one that is covered."""
        return self.new + text[len(self.old) :]


def swap_for(spelling: Spelling, text: str, old: str, new: str) -> Swap | None:
    """The swap that the specimen `text`, below the folder `old`, shows when that becomes `new`; None when it shows
    none.
    """
    odd = spelling.odd(text)
    if odd is None:
        return None
    for found in re.finditer("/", text):
        head = text[: found.start()]
        if head and spelling.read(head, "/") == old:
            start = spelling.write(head + "/x", new + "/x", "/")[:-1]
            uniform = "%2e" not in odd or UNIFORM.fullmatch(start)
            return Swap(spelling, head + "/", start, odd) if uniform else None
    return None
