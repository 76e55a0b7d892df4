"""What changes in ledgers though nothing moves: entries linked anew, folders that come into lists or go."""

from typing import Annotated

from msgspec import Struct

from saltcart.ledgers.base import NEW_THINGS
from saltcart.system import os
from saltcart.toml.kinds import OUTSIDE_FILE, FullPath, Pair, one_of

ALL, LEVEL, ONE, PLACE = "all", "folder", "file", "place"
RELATIVE = "relative"  # a text in whose manner full paths become such as start from the ledger, or its drive


class Relink(Struct, frozen=True, rename={"old": "from", "new": "to", "renames": "rename"}):
    """Entries that name `old` shall name `new`, though nothing moves: in one `ledger`, or in all.

    `what`: ALL that is lost below it and is there below the new one; LEVEL, only the folder, and what starts from it
    starts from there; NEW_THINGS, only the folder where a program puts what comes next; ONE, only that path; PLACE, all
    below it, lost or not, because the new one is another machine's place for the same, where some paths below it have
    other names: `renames`.  `why` says what speaks for it.
    """

    old: FullPath
    new: FullPath
    ledger: FullPath = ""
    what: Annotated[str, one_of(ALL, LEVEL, NEW_THINGS, ONE, PLACE)] = ALL
    why: Annotated[str, OUTSIDE_FILE] = ""
    renames: tuple[Pair, ...] = ()

    def mends(self, path: str) -> bool:
        """Whether what should lie at `path`, from the old place, is not there and is at the new one."""
        old, new = (f"{top}/{path}".rstrip("/") for top in (self.old, self.new))
        return os.path.lexists(new) and not os.path.lexists(old)


class FolderLine(Struct, frozen=True):
    """A folder that comes into the list of a ledger, or goes."""

    ledger: FullPath
    do: Annotated[str, one_of("add", "add first", "remove")]
    folder: FullPath
