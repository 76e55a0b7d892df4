"""What every way to read a ledger as rows, and to write it from rows, can do."""

from collections.abc import Callable, Iterator, Mapping
from typing import Protocol

from msgspec import Struct

from saltcart.errors import SaltCartError
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.base import Key, Ledger
from saltcart.ledgers.where import Where
from saltcart.merging.history import Uid
from saltcart.merging.merged import Merged
from saltcart.merging.rows import Content, Row, Spot
from saltcart.spelling import Spelling

REMEDY = "Say which of the two holds: --take or --keep."


class CannotMerge(SaltCartError):
    """Two copies of a ledger cannot be brought together row by row; one of them holds as a whole."""


class Places(Struct):
    """Which place in the collection a path of a ledger means; None for one that leads elsewhere."""

    folder: str
    resolver: Resolver
    place: Callable[[str], str | None]

    def of(self, spelling: Spelling, text: str, start: str) -> str | None:
        """The place that a text means, which starts from that folder."""
        path = self.resolver.path(spelling, text, start)
        return self.place(path) if path else None


class Form(Protocol):
    """One way to read ledgers as rows."""

    def read(self, ledger: Ledger, places: Places) -> Content:
        """All rows of a ledger.  Raises CannotMerge, or BadLedger."""

    def write(self, ledger: Ledger, target: str, merged: Merged, ours: Mapping[Uid, Row]) -> dict[Spot, Uid]:
        """Write into the file `target` what two copies became, of which this ledger is ours; where each row that is
        no member of a list is found there.  Raises CannotMerge.
        """


def places_of(ledger: Ledger, places: Places) -> Iterator[tuple[Key, Where, str | None]]:
    """Key and spot of each entry of a ledger that names a file, and the place it means; None for one of which the text
    does not say it.
    """
    for batch in ledger.batches():
        start: str | None = None
        for number, text in enumerate(batch.texts):
            entry = batch.entry(number)
            if batch.spelling is None or entry.base is not None or entry.tried:
                if batch.names_a_file(text):
                    yield entry.key, entry.where, None
                continue
            start = places.resolver.start(entry, places.folder) if start is None else start
            place = places.of(batch.spelling, text, start)
            if place is not None or batch.names_a_file(text):
                yield entry.key, entry.where, place
