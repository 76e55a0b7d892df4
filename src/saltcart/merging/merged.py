"""What two copies of a ledger became: its rows, what comes and goes, and what both changed."""

from collections import defaultdict
from collections.abc import Mapping
from itertools import islice

from msgspec import Struct, field

from saltcart.merging.history import History, Mark, Order, TableMarks, Uid, columns_of, digests_of, member_uid
from saltcart.merging.rows import REST, Cell, Content, Row, Spot, digest
from saltcart.system import os

ORDER, REMOVED = "order", "removed"  # of what two sides may differ, besides cells
HERE, THERE = "here", "there"
FILE = digest("file")  # what the one list is called that a whole file is
MISSING = object()  # a cell that a row does not have, though others of its table do
SHOWN_CELLS = 3  # of a row that has no name


class Conflict(Struct, frozen=True):
    """What both sides changed, each in its way: of which row, which column, what it says here and there."""

    uid: Uid
    table: str
    column: str
    here: Cell
    there: Cell


class Wanted(Struct):
    """One row as it shall be: its cells, the rows that it refers to and the list it is in, and the events of all
    that.  `comes` from the other copy when it is not in this one yet.
    One to which the same happened on both sides is the `same` as it was.
    """

    uid: Uid
    table: str
    row: Row
    cells: dict[str, Cell]
    refs: dict[str, Uid]
    within: Uid | None
    made: bytes
    stamps: dict[str, bytes] = field(default_factory=dict)
    counts: dict[str, dict[bytes, int]] = field(default_factory=dict)
    comes: bool = False
    same: Mark | None = None


class Change(Struct, frozen=True):
    """One thing that comes from the other copy: of which sound or list, which column, what it says here and will be.

    A row that comes, or goes, has no column.
    """

    name: str
    column: str
    here: Cell
    becomes: Cell


def told_name(row: Row, rows: Mapping[Spot, Row] | None = None) -> str:
    """What a person calls a row: the name of its file, its name or title, else what those of the `rows` are called that
    it refers to, else its place, or its table and some of its cells.
    """
    if named := own_name(row):
        return named
    meant = [own_name(rows[spot]) for spot in row.refs.values() if spot in rows] if rows else []
    if any(meant):
        return ", ".join(filter(None, meant))
    if row.table == REST and isinstance(at := row.cells.get("at"), str):
        return at.strip("/")
    cells = (f"{column} {value!s}" for column, value in islice(row.cells.items(), SHOWN_CELLS))
    return f"{row.table}: {', '.join(cells)}" if row.cells else " ".join(map(str, row.key))


def own_name(row: Row) -> str | None:
    """The name of a row's file, or its name or title."""
    known = [*map(os.path.basename, row.places.values()), *(row.cells.get(column) for column in ("name", "title"))]
    return next((one for one in known if isinstance(one, str) and one), None)


class Merged(Struct):
    """Both copies as one: the rows, those that go, the members of each list in their order with the event of that,
    conflicts, and what was seen.  The `lists` are those whose members or order change.
    """

    rows: dict[Uid, Wanted]
    goes: list[Uid]
    orders: dict[Uid, tuple[bytes, list[Uid]]]
    conflicts: list[Conflict]
    events: list[bytes]
    gone: dict[Uid, bytes]
    aliases: dict[Uid, Uid]
    changed: list[tuple[Uid, str]]
    names: dict[Uid, str]
    before: dict[tuple[Uid, str], Cell]
    lists: list[Uid]

    @property
    def changes(self) -> list[Change]:
        """What comes from the other copy, so that a person can see it; a list counts as a whole."""
        found = [
            Change(self.names[uid], column, self.before.get((uid, column)), self.rows[uid].cells.get(column))
            for uid, column in dict.fromkeys(self.changed)
            if uid in self.rows
        ]
        come = {one.uid: one for one in self.comes if one.uid in self.names}
        found += [Change(self.names[uid], "", None, "comes") for uid in come]
        found += [
            Change(self.names.get(uid, ""), "list", None, "changed")
            for uid in self.lists
            if uid in self.names and uid not in come
        ]
        found += [Change(self.names[uid], "", "goes", None) for uid in self.goes if uid in self.names]
        return found or [Change("", "order", None, "changed")] * len(self.lists)

    @property
    def differing(self) -> int:
        """How many cells, rows and lists change, come or go."""
        return len(set(self.changed)) + len(self.comes) + len(self.goes) + len(self.lists)

    @property
    def comes(self) -> list[Wanted]:
        """The rows that come from the other copy."""
        return [one for one in self.rows.values() if one.comes]


def history_of(merged: Merged, content: Content, spots: Mapping[Spot, Uid]) -> History:
    """The history of a copy that holds what was merged: its content as it lies there now, and the name of each of its
    rows that is no member of a list.
    """
    numbers = {event: number for number, event in enumerate(merged.events)}
    uids = dict(spots)
    for row in content.rows:
        if row.within is not None:
            uids[row.spot] = member_uid(row, uids)
    tables: dict[str, list[Row]] = defaultdict(list)
    for row in content.rows:
        tables[row.table].append(row)
    made = {name: TableMarks(columns_of(rows), []) for name, rows in tables.items()}
    for row in content.rows:
        wanted = merged.rows[uids[row.spot]]
        table, counted = made[row.table], content.roles.get(row.table, {})
        if wanted.same and len(wanted.same.stamps) == len(table.columns) and wanted.uid == wanted.same.uid:
            table.rows.append(wanted.same)  # events have the numbers that they had here
            continue
        digests = digests_of(row, table.columns, counted, uids)
        stamps = [numbers[wanted.stamps.get(one, wanted.made)] for one in table.columns]
        counts = {
            table.columns.index(one): {numbers[event]: more for event, more in found.items()}
            for one, found in wanted.counts.items()
            if one in table.columns
        }
        table.rows.append(Mark(wanted.uid, digest(row.key), numbers[wanted.made], digests, stamps, counts))
    orders = {uid: Order(numbers[stamp], members) for uid, (stamp, members) in merged.orders.items()}
    gone = {uid: numbers[event] for uid, event in merged.gone.items()}
    return History(merged.events, made, orders, gone, merged.aliases)
