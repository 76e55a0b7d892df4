"""Remembering which files named none of some folders, so that they need not be read again while they stay the same."""

from collections.abc import Sequence
from hashlib import blake2b

from saltcart.mentions.place_forms import PlaceForms
from saltcart.shelves.walk import Item
from saltcart.unchanged_files import UnchangedFiles

EDITION = 6  # to be raised whenever a search finds more than before


class Unchanged:
    """What earlier searches for the names in `forms` went through in vain, and what this one does.

    What a search for more names than these did not find holds for these too: names that a new place shares are left out
    after a switch, and with them nothing is found that was not there before.
    """

    def __init__(self, forms: Sequence[PlaceForms]):
        wide = key_of(
            [(one.place, one.folds_case, one.all_names, [], one.within, one.alone, one.longer) for one in forms]
        )
        key = key_of(
            [(one.place, one.folds_case, one.names, one.passes, one.within, one.alone, one.longer) for one in forms]
        )
        self.files = UnchangedFiles("searched", key, [wide])

    def knows(self, path: str, item: Item) -> bool:
        """Whether a file has not changed since it was read in vain."""
        return self.files.knows(path, facts_of(item))

    def remember(self, path: str, item: Item) -> None:
        """Remember that a file names nothing."""
        self.files.remember(path, facts_of(item))

    def keep(self) -> None:
        """Keep what was remembered."""
        self.files.keep()


def facts_of(item: Item) -> tuple[int, int, int, int, int]:
    """What tells a file from another, and from itself after a change."""
    return item.size, item.mtime_ns, item.ctime_ns, item.device, item.inode


def key_of(names: Sequence[object]) -> str:
    """The name of the memory of what a search for these names went through."""
    return blake2b(repr((EDITION, names)).encode("utf-8", "surrogatepass"), digest_size=8).hexdigest()
