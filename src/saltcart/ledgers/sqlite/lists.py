"""The named lists of a database, such as playlists, as its map tells where they are."""

from collections.abc import Iterator
from typing import NamedTuple

from saltcart.ledgers.facts import Facts
from saltcart.ledgers.maps import Lists
from saltcart.ledgers.sqlite.ledger import SqliteLedger
from saltcart.ledgers.sqlite.opening import reading
from saltcart.ledgers.sqlite.quoting import quoted


class Listed(NamedTuple):
    """A list: its name, and the paths it names in its order, each with what the ledger says of it."""

    name: str
    tracks: list[Facts]


def named_lists(ledger: SqliteLedger) -> Iterator[Listed]:
    """The lists of a ledger in the order of their keys; none where its map tells of none.  Raises BadLedger."""
    where = ledger.plan.lists
    if not isinstance(where, Lists):
        return
    number = next(at for at, rule in enumerate(ledger.plan.rules) if rule.table == where.entries)
    known = {one.key: one for one in ledger.facts()}
    with ledger.guarded(), reading(ledger.path) as (connection, _uri):
        beside = ledger.beside(connection, ledger.plan.rules[number], [where.entry_key])
        tracks = {cells[0]: known.get((number, *key)) or Facts((number, *key), path) for key, path, cells in beside}
        lists = connection.execute(
            f"SELECT {quoted(where.key)}, {quoted(where.name)} FROM {quoted(where.table)} ORDER BY 1"
        ).fetchall()
        query = (
            f"SELECT {quoted(where.track)} FROM {quoted(where.members)} WHERE {quoted(where.by)} = ?"
            f" ORDER BY {quoted(where.order)}"
        )
        for key, name in lists:
            rows = connection.execute(query, (key,)).fetchall()
            yield Listed(str(name), [tracks[track] for (track,) in rows if track in tracks])
