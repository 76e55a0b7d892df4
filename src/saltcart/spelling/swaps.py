"""One new beginning for many texts: what most entries of a ledger get when a shelf moves.

A swap is found on one specimen and then holds for every text of the same spelling that begins
alike, unless the text has something in it (`odd`) that may make its parts mean something else, or that
shows another manner of escaping than its beginning does.
"""

import re
from collections.abc import Iterable
from functools import cache
from itertools import islice
from operator import itemgetter
from typing import Generic, NamedTuple, TypeVar

from saltcart.spelling.base import Spelling

MOST_FOLDERS = 200  # above a shelf, in a text that shows its swap

Text = TypeVar("Text", str, bytes)
Item = TypeVar("Item")


class Swap(NamedTuple):
    """Texts in `spelling` that begin with `old` begin with `new` instead; both end in a slash.

    `odd` are patterns that mean the same as regular expressions and in SQL's GLOB; they are looked for from the
    slash at the end of `old` on.
    """

    spelling: Spelling
    old: str
    new: str
    odd: tuple[str, ...]

    def covers(self, text: str) -> bool:
        """Whether this is all that `text` needs."""
        return text.startswith(self.old) and not oddity(self.odd).search(text, len(self.old) - 1)

    def __call__(self, text: str) -> str:
        """The new text for one that is covered."""
        return self.new + text[len(self.old) :]


class Beginnings(Generic[Text, Item]):
    """Things by what texts begin with, found in as many steps as there are lengths of that."""

    def __init__(self, some: Iterable[tuple[Text, Item]] = ()):
        self.tables: dict[int, dict[Text, list[tuple[int, Item]]]] = {}
        self.count = 0
        for beginning, one in some:
            self.add(beginning, one)

    def add(self, beginning: Text, one: Item) -> None:
        """Take up one more thing."""
        self.tables.setdefault(len(beginning), {}).setdefault(beginning, []).append((self.count, one))
        self.count += 1

    def of(self, text: Text) -> list[Item]:
        """The things with whose beginnings a text begins, in their order."""
        found = [one for length, table in self.tables.items() for one in table.get(text[:length], ())]
        if len(found) > 1:
            found.sort(key=itemgetter(0))
        return [one for _number, one in found]


@cache
def oddity(patterns: tuple[str, ...]) -> re.Pattern[str]:
    """What finds any of some patterns."""
    return re.compile("|".join(patterns))


def swap_for(spelling: Spelling, text: str, old: str, new: str) -> Swap | None:
    """The swap that the specimen `text`, below the folder `old`, shows when that becomes `new`; None when it shows
    none.
    """
    for found in islice(re.finditer("/", text), MOST_FOLDERS):
        head = text[: found.start()]
        if head and spelling.read(head, "/") == old:
            odd = spelling.odd(head, new)
            if odd is None:
                return None
            return Swap(spelling, head + "/", spelling.write(head + "/x", new + "/x", "/")[:-1], odd)
    return None
