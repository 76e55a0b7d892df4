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
from saltcart.ledgers.base import Entry, Ledger, ListEdits
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


class Listed(NamedTuple):
    """A folder in a table of a database: other tables may list the same one for other ends."""

    table: str | None
    column: str
    text: str


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
    ledger: SqliteLedger, folders: Mapping[Hashable, str], changes: Changes
) -> tuple[dict[Hashable, str], set[Hashable]]:
    """The new texts of the folders that all entries part from, which become what most of these part to; and the
    entries that need not part then.  `folders` are the texts of what those part to whose own folder is gone.
    """
    rows: dict[Listed, Entry] = {}
    inside: dict[Listed, list[Hashable]] = {}
    for entry in ledger.entries():
        rule = ledger.plan.rules[entry.key[0]]
        if entry.base and rule.folder:
            listed = Listed(rule.folder.table, rule.folder.column, entry.base.written)
            inside.setdefault(listed, []).append(entry.key)
        elif entry.is_folder:
            rows[Listed(rule.table, rule.column, entry.written)] = entry
    texts: dict[Hashable, str] = {}
    following: set[Hashable] = set()
    taken = set(rows)
    for listed, keys in inside.items():
        row = rows.get(listed)
        if row and changes.new(row) == listed.text and all(key in folders for key in keys):
            most = Counter(folders[key] for key in keys).most_common(1)[0][0]
            if (new := listed._replace(text=most)) not in taken:
                taken.add(new)
                texts[row.key] = most
                following |= {key for key in keys if folders[key] == most}
    return texts, following
