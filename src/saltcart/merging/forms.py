"""What every way to read a ledger as rows, and to write it from rows, can do."""

from collections.abc import Callable, Iterator, Mapping
from typing import Protocol

from msgspec import Struct

from saltcart.errors import SaltCartError
from saltcart.judging.resolver import Resolver
from saltcart.ledgers import Entry, Ledger
from saltcart.merging.combine import Merged
from saltcart.merging.history import Uid
from saltcart.merging.rows import Content, Row, Spot

REMEDY = "Say which of the two holds: --take or --keep."


class CannotMerge(SaltCartError):
    """Two copies of a ledger cannot be brought together row by row; one of them holds as a whole."""


class Places(Struct):
    """Which place in the collection a path of a ledger means; None for one that leads elsewhere."""

    folder: str
    resolver: Resolver
    place: Callable[[str], str | None]

    def of(self, entry: Entry) -> str | None:
        """The place that an entry means."""
        if entry.base is not None or entry.tried:
            return None  # its text alone does not say it, and stays as it is
        path = self.resolver.path(entry.spelling, entry.written, self.resolver.start(entry, self.folder))
        return self.place(path) if path else None


class Form(Protocol):
    """One way to read ledgers as rows."""

    def read(self, ledger: Ledger, places: Places) -> Content:
        """All rows of a ledger.  Raises CannotMerge, or BadLedger."""

    def write(self, ledger: Ledger, target: str, merged: Merged, ours: Mapping[Uid, Row]) -> dict[Spot, Uid]:
        """Write into the file `target` what two copies became, of which this ledger is ours; where each row that is
        no member of a list is found there.  Raises CannotMerge.
        """


def entries_of(ledger: Ledger, places: Places) -> Iterator[tuple[Entry, str | None]]:
    """Each entry of a ledger with the place it means."""
    for entry in ledger.entries():
        yield entry, places.of(entry)
