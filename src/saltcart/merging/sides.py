"""One of two copies that meet, with what it has seen."""

from collections import defaultdict
from collections.abc import Mapping

from msgspec import Struct

from saltcart.merging.history import Copy, Mark, Uid, member_uid, parent_uid
from saltcart.merging.merged import MISSING
from saltcart.merging.rows import Content, Row, Spot


class Side(Struct):
    """One of the two copies, with what it has seen."""

    copy: Copy
    seen: frozenset[bytes]
    marks: dict[Uid, Mark]
    columns: dict[str, list[str]]
    uids: dict[Spot, Uid]
    orders: dict[Uid, int]
    gone: dict[Uid, int]

    def event(self, number: int) -> bytes:
        """The name of an event by its number in this history."""
        return self.copy.history.events[number]

    def removed(self, uid: Uid) -> bytes | None:
        """The event by which a row went; None for one of which nothing is known."""
        number = self.gone.get(uid)
        return None if number is None else self.event(number)

    def stamps(self, uid: Uid) -> dict[str, bytes]:
        """The event of each cell of a row."""
        mark = self.marks[uid]
        names = self.columns[self.copy.rows[uid].table]
        return dict(zip(names, map(self.event, mark.stamps), strict=True))

    def counts(self, uid: Uid, column: str) -> dict[bytes, int]:
        """What each event added to a count of a row."""
        names = self.columns[self.copy.rows[uid].table]
        found = self.marks[uid].counts.get(names.index(column), {}) if column in names else {}
        return {self.event(number): more for number, more in found.items()}

    def news(self, uid: Uid, other: "Side") -> bool:
        """Whether a row holds anything that the other side has not seen."""
        mark = self.marks[uid]
        numbers = {mark.made, *mark.stamps, *(one for each in mark.counts.values() for one in each)}
        return any(self.event(number) not in other.seen for number in numbers)


def side_of(copy: Copy, aliases: Mapping[Uid, Uid]) -> Side:
    """A copy as one of two, in which what turned out to be one row goes by one name."""
    history, rows = copy.history, copy.rows
    names = {uid: final(uid, aliases) for uid in rows}
    plain = {row.spot: names[uid] for uid, row in rows.items() if row.within is None}
    for uid, row in rows.items():
        if row.within is not None:
            names[uid] = plain[row.spot] = member_uid(row, plain)
    renamed = Copy(history, {names[uid]: row for uid, row in rows.items()})
    marks = {names[mark.uid]: mark for table in history.tables.values() for mark in table.rows}
    columns = {name: table.columns for name, table in history.tables.items()}
    uids = {row.spot: uid for uid, row in renamed.rows.items()}
    orders = {final(uid, aliases): order.stamp for uid, order in history.orders.items()}
    gone = {final(uid, aliases): number for uid, number in history.gone.items()}
    return Side(renamed, history.seen(), marks, columns, uids, orders, gone)


def final(uid: Uid, aliases: Mapping[Uid, Uid]) -> Uid:
    """The name that a row goes by."""
    while uid in aliases:
        uid = aliases[uid]
    return uid


def orders_of(side: Side) -> dict[Uid, tuple[bytes, list[Uid]]]:
    """The members of the lists of a side in their order, with the events that gave it."""
    members: dict[Uid, list[Uid]] = defaultdict(list)
    for uid, row in side.copy.rows.items():
        if row.within is not None:
            members[parent_uid(row.within, side.uids)].append(uid)
    return {uid: (side.event(side.orders[uid]), found) for uid, found in members.items()}


def says(side: Side, uid: Uid, column: str) -> object:
    """What a cell says on one side, so that the two can be compared."""
    row = side.copy.rows[uid]
    if column in row.refs:
        return side.uids.get(row.refs[column], row.refs[column])
    return row.says(column) if column in row.cells else MISSING


def one_and_the_same(ours: Side, theirs: Side, content: Content) -> dict[Uid, Uid]:
    """Rows that are new on both sides and are one: the same sound was added twice."""
    found: dict[tuple[object, ...], Uid] = {}
    aliases: dict[Uid, Uid] = {}
    for uid, row in ours.copy.rows.items():
        if uid not in theirs.copy.rows and row.within is None and (told := alike(row, content, ours.uids)):
            found[told] = uid
    for uid, row in theirs.copy.rows.items():
        told = alike(row, content, theirs.uids) if uid not in ours.copy.rows and row.within is None else None
        if told and (mine := found.pop(told, None)):
            aliases[max(uid, mine)] = min(uid, mine)
    return aliases


def alike(row: Row, content: Content, uids: Mapping[Spot, Uid]) -> tuple[object, ...] | None:
    """What makes rows of a table one; None where nothing does."""
    told = [
        uids.get(row.refs[column]) if column in row.refs else row.cells.get(column) and row.says(column)
        for column in content.alike.get(row.table, ())
    ]
    return (row.table, *told) if told and None not in told else None
