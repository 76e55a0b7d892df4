"""What every ledger can do, whatever its format."""

from collections.abc import Hashable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Protocol

from saltcart.spelling import Spelling


@dataclass(frozen=True, slots=True)
class Entry:
    """One spot in a ledger that names one file or folder.

    `key` finds the spot again in the same file, `where` says it to a person, `written` is what
    stands there with its container's escapes undone.  `otherwise` is a second reading of the
    same bytes, for text whose encoding is a guess.  With a `base`, the text starts from the
    folder that this other entry names.
    """

    key: Hashable
    where: str
    written: str
    spelling: Spelling
    names: str = "file"
    otherwise: str | None = None
    base: "Entry | None" = None

    def readings(self) -> tuple[str, ...]:
        """Every text the spot may mean, the likelier first."""
        return (self.written,) if self.otherwise is None else (self.written, self.otherwise)


class Ledger(Protocol):
    """A file that names sounds, opened by the format or map that reads it."""

    path: str
    map_name: str
    program: str | None

    def entries(self) -> Iterator[Entry]:
        """Every entry, in the ledger's order.  Raises BadLedger."""

    def remote(self) -> int:
        """How many entries name something that is no file, such as a web address."""

    def rewrite(self, target: str, changes: Mapping[Hashable, str]) -> None:
        """Write the ledger to the new file `target` with the entries of those keys changed and nothing else.

        Proves it before it returns.  Raises CannotSpell, with nothing of use in `target`, when a
        text has no form in this ledger or something else than the entries would change.
        """

    def played(self) -> Iterable[tuple[str, int | None, str | None]]:
        """Path, number of plays and last-played time of the files it keeps such facts of."""

    def busy(self) -> str | None:
        """Why the ledger must not be replaced now (locked, pages unwritten), or None."""
