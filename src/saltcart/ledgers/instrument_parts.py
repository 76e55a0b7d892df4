"""Files that instruments include: ledgers whose paths count from the instrument, and may be read in several ways."""

from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence

from msgspec.structs import replace

from saltcart.errors import CannotSpell, SaltCartError, show
from saltcart.ledgers.base import NO_EDITS, REMEDY_LIST, Batch, Batched, Entry, Key, Ledger, ListEdits
from saltcart.ledgers.formats import sfz
from saltcart.ledgers.formats.sfz import InstrumentLedger
from saltcart.ledgers.text_ledger import TextLedger
from saltcart.spelling.swaps import Swap
from saltcart.system import os

INSTRUMENT, PART = sfz.NAME, sfz.PART


class PartLedger(Batched):
    """An included file, read as each of the places in `instruments` that include it reads it.

    Entry keys are the number of the reading and that of the span.  What a later reading makes of a span as the
    earlier ones do is not another entry.
    """

    map_name = PART
    program: str | None = None

    def __init__(self, path: str, readings: Iterable[TextLedger], instruments: Sequence[str]):
        self.path, self.readings, self.instruments = path, list(readings), instruments
        self.within = instruments[0]

    def batches(self, besides: Sequence[Swap] = ()) -> Iterator[Batch]:
        """See Ledger.batches; no swap covers any, because all count from a folder elsewhere."""
        seen: set[Hashable] = set()
        for number, reading in enumerate(self.readings):
            for entry in reading.entries():
                same = entry.key, entry.written, entry.base
                if same not in seen:
                    seen.add(same)
                    yield alone(entry, (number, entry.key))

    def rewrite(
        self, target: str, changes: Mapping[Key, str], swaps: Sequence[Swap] = (), edits: ListEdits = NO_EDITS
    ) -> None:
        """See Ledger.rewrite.  Raises CannotSpell also when the readings want different texts."""
        if edits:
            raise CannotSpell(f"{show(self.path)}: no folder can be added to it", REMEDY_LIST)
        old = self.readings[0].find().inside
        texts = list(old)
        known: dict[int, bytes] = {}
        for entry in self.entries():
            number, span = entry.key
            coding = self.readings[number].find().kinds[span].coding
            new = changes.get(entry.key)
            texts[span] = old[span] if new is None else coding.encode(new, old[span])
            if known.setdefault(span, texts[span]) != texts[span]:
                raise CannotSpell(
                    f"{show(self.path)}, {entry.where}: the instruments that include it would need it to say different"
                    " things from now on",
                    "Move what it uses together with those instruments, or leave a signpost (--signpost).",
                )
        self.readings[0].write(target, texts)

    def busy(self) -> str | None:
        """See Ledger.busy."""
        return None


def alone(entry: Entry, key: Key) -> Batch:
    """A batch of one entry."""
    one = replace(entry, key=key)
    return Batch([entry.written], entry.spelling, entry.base, False, lambda _at: key, lambda _at: one)


def with_parts(
    paths: Iterable[str], open_one: Callable[[str], Ledger], trouble: Callable[[str, SaltCartError], None]
) -> Iterator[Ledger]:
    """The ledgers at `paths`, with the parts of the instruments among them; a file that an instrument includes is
    read only as its part.  What cannot be opened is reported to `trouble`.
    """
    paths = list(dict.fromkeys(paths))
    instruments = (path for path in paths if sfz.claims(os.path.basename(path), b""))
    parts = parts_of(opened(instruments, open_one, lambda _path, _error: None))
    yield from opened([path for path in paths if path not in parts], open_one, trouble)
    yield from parts.values()


def opened(
    paths: Iterable[str], open_one: Callable[[str], Ledger], trouble: Callable[[str, SaltCartError], None]
) -> Iterator[Ledger]:
    """The ledgers at `paths`."""
    for path in paths:
        try:
            yield open_one(path)
        except SaltCartError as error:
            trouble(path, error)


def parts_of(ledgers: Iterable[Ledger]) -> dict[str, PartLedger]:
    """What the instruments among `ledgers` include, by path.  One that cannot be read includes nothing."""
    readings: dict[str, dict[Hashable, TextLedger]] = {}
    within: dict[str, list[str]] = {}
    for ledger in ledgers:
        if isinstance(ledger, InstrumentLedger):
            try:
                for path, more in ledger.parts():
                    readings.setdefault(path, {}).update(more)
                    within.setdefault(path, []).append(ledger.path)
            except SaltCartError:
                continue  # told by whoever reads it
    return {path: PartLedger(path, some.values(), within[path]) for path, some in readings.items()}
