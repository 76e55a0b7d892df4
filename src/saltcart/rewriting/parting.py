"""Lost entries that part from the others of their folder, in databases that keep folders in a table of their own.

What lay in one folder may lie in several now.  A folder that is gone, and that all its entries leave, becomes the one
that most of them are in; each of the others starts from a row that is there already, or is added.
"""

from collections import Counter
from collections.abc import Hashable, Mapping
from contextlib import suppress
from typing import NamedTuple

from saltcart.errors import CannotSpell
from saltcart.judging.resolver import Resolver
from saltcart.ledgers import Entry, Ledger
from saltcart.ledgers.base import ListEdits
from saltcart.ledgers.sqlite.ledger import SqliteLedger
from saltcart.rewriting.changes import Changes
from saltcart.rewriting.content_folders import same_place
from saltcart.system import os


class Parting(NamedTuple):
    """What an entry would start from, and what it would say: the text of that folder, and its own.  What it starts from
    today may be `gone`.
    """

    folder: str
    text: str
    gone: bool


def parting_of(entry: Entry, text: str, wanted: str, ledger_folder: str, resolver: Resolver) -> Parting | None:
    """How an entry that leads to `wanted` would start from the folder of that, in the manner of its base; None where
    it cannot be written so, or nothing is there.
    """
    base, folder = entry.base, os.path.dirname(wanted)
    if base is None or not os.path.lexists(wanted):
        return None
    start = resolver.start(base, ledger_folder)
    with suppress(CannotSpell):
        written = resolver.text(base, base.written, folder, start)
        own = resolver.text(entry, text, wanted, folder)
        read = base.spelling.read(written, start)
        if read is not None and same_place(resolver.base_folder(base, read), folder):
            return Parting(written, own, not os.path.lexists(resolver.start_at(base, ledger_folder)))
    return None


def with_parted(ledger: Ledger, changes: Changes, noted: Mapping[Hashable, Parting]) -> Changes:
    """`changes` with those of the entries that part from their folder for which the ledger can do that."""
    if not noted or not isinstance(ledger, SqliteLedger):
        return changes
    rows, following = left_folders(ledger, {key: one.folder for key, one in noted.items() if one.gone}, changes)
    parted = ledger.partable({key: one.folder for key, one in noted.items() if key not in following})
    texts = {key: noted[key].text for key in (*parted, *following)}
    return Changes(changes.texts | rows | texts, changes.swaps, ListEdits(parted=parted))


def left_folders(
    ledger: Ledger, folders: Mapping[Hashable, str], changes: Changes
) -> tuple[dict[Hashable, str], set[Hashable]]:
    """The new texts of the folders that all entries part from, which become what most of these part to; and the
    entries that need not part then.  `folders` are the texts of what those part to whose own folder is gone.
    """
    entries = list(ledger.entries())
    rows = {entry.written: entry for entry in entries if entry.is_folder and entry.base is None}
    inside: dict[str, list[Hashable]] = {}
    for entry in entries:
        if entry.base:
            inside.setdefault(entry.base.written, []).append(entry.key)
    texts: dict[Hashable, str] = {}
    following: set[Hashable] = set()
    for folder, keys in inside.items():
        row = rows.get(folder)
        if row and changes.new(row) == folder and all(key in folders for key in keys):
            most = Counter(folders[key] for key in keys).most_common(1)[0][0]
            if most not in rows and most not in texts.values():
                texts[row.key] = most
                following |= {key for key in keys if folders[key] == most}
    return texts, following
