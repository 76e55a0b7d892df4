"""Two copies of one ledger as one: for each row and cell the side that changed it, and conflicts where both did."""

from collections.abc import Iterator, Mapping
from functools import cached_property

from saltcart.merging.history import Copy, Uid, in_common, parent_uid
from saltcart.merging.merged import FILE, HERE, ORDER, REMOVED, THERE, Conflict, Merged, Wanted, told_name
from saltcart.merging.rows import NEWEST, SUM, Cell, Content, Row, digest
from saltcart.merging.sides import Side, one_and_the_same, orders_of, says, side_of
from saltcart.merging.values import elements_of_both, plain, rank, woven


class Combining:
    """The work of bringing two copies together.  Of what both changed that of the side holds which is named, for all,
    or by row and column; ours where none is.
    """

    def __init__(self, ours: Copy, theirs: Copy, content: Content, holds: str | Mapping[tuple[Uid, str], str] = HERE):
        self.content = content
        self.choices, self.holds = ({}, holds) if isinstance(holds, str) else (holds, HERE)
        aliases = {**ours.history.aliases, **theirs.history.aliases}
        first = side_of(ours, aliases), side_of(theirs, aliases)
        self.aliases = aliases | one_and_the_same(*first, content)
        self.ours, self.theirs = side_of(ours, self.aliases), side_of(theirs, self.aliases)
        self.conflicts: list[Conflict] = []
        self.events = list(dict.fromkeys([*self.ours.copy.history.events, *self.theirs.copy.history.events]))
        self.changed: list[tuple[Uid, str]] = []

    def run(self) -> Merged:
        """Both copies as one."""
        mine, others = self.ours.copy.rows, self.theirs.copy.rows
        rows: dict[Uid, Wanted] = {}
        gone: dict[Uid, bytes] = {}
        for uid in dict.fromkeys([*mine, *others]):
            if uid in mine and uid in others:
                rows[uid] = self.unchanged(uid) or self.both(uid)
            elif found := self.alone(uid, *((self.ours, self.theirs) if uid in mine else (self.theirs, self.ours))):
                gone[uid] = found
            else:
                rows[uid] = self.as_it_is(uid, self.ours if uid in mine else self.theirs)
        # Only now is it known what stays and might refer to what goes.
        self.bring_back(rows, gone)
        for side in (self.ours, self.theirs):
            gone |= {uid: side.event(number) for uid, number in side.gone.items() if uid not in rows}
        goes = [uid for uid in mine if uid not in rows]
        orders = {uid: order for uid in self.lists(rows) if (order := self.order(uid, rows))[1]}
        names = names_of(others) | names_of(mine)
        before = {(uid, column): mine[uid].cells.get(column) for uid, column in self.changed if uid in mine}
        events = list(dict.fromkeys(self.events))
        lists = [uid for uid, (_stamp, found) in orders.items() if self.both_orders[0].get(uid, (b"", []))[1] != found]
        return Merged(
            rows, goes, orders, self.conflicts, events, gone, self.aliases, self.changed, names, before, lists
        )

    def alone(self, uid: Uid, has: Side, lacks: Side) -> bytes | None:
        """The event by which a row goes that only one side has; None when it stays, or comes."""
        removed = lacks.removed(uid)
        if removed is None or removed in has.seen:
            return None
        if has.news(uid, lacks):
            row = has.copy.rows[uid]
            kept = (REMOVED, None) if has is self.theirs else (None, REMOVED)
            self.conflicts.append(Conflict(uid, row.table, REMOVED, *kept))
            return None
        return removed

    def bring_back(self, rows: dict[Uid, Wanted], gone: dict[Uid, bytes]) -> None:
        """Let rows stay that were removed on one side while the other let something new refer to them."""
        waiting = list(rows.values())
        # What is brought back may itself refer to something that is gone.
        while waiting:
            one = waiting.pop()
            for uid in {*one.refs.values(), *([one.within] if one.within else ())} & gone.keys():
                side = self.ours if uid in self.ours.copy.rows else self.theirs
                other = self.theirs if side is self.ours else self.ours
                if uid in side.copy.rows and one.made not in other.seen:
                    del gone[uid]
                    rows[uid] = self.as_it_is(uid, side)
                    waiting.append(rows[uid])

    def as_it_is(self, uid: Uid, side: Side) -> Wanted:
        """A row as one side has it."""
        row, counted = side.copy.rows[uid], self.content.roles.get(side.copy.rows[uid].table, {})
        wanted = self.wanted(uid, side, row)
        wanted.comes = side is self.theirs
        wanted.stamps = side.stamps(uid)
        wanted.counts = {column: side.counts(uid, column) for column, role in counted.items() if role == SUM}
        return wanted

    def wanted(self, uid: Uid, side: Side, row: Row) -> Wanted:
        """A row with the cells of one side."""
        refs = {column: side.uids.get(spot, b"") for column, spot in row.refs.items()}
        within = parent_uid(row.within, side.uids) if row.within is not None else None
        return Wanted(uid, row.table, row, dict(row.cells), refs, within, side.event(side.marks[uid].made))

    @cached_property
    def alike(self) -> int:
        """How many events both histories begin with, so that these have one number in both."""
        pairs = zip(self.ours.copy.history.events, self.theirs.copy.history.events, strict=False)
        return next(
            (number for number, (one, other) in enumerate(pairs) if one != other),
            min(len(self.ours.copy.history.events), len(self.theirs.copy.history.events)),
        )

    def unchanged(self, uid: Uid) -> Wanted | None:
        """A row to which nothing happened since both were one; None for any other."""
        mine, other = self.ours.marks[uid], self.theirs.marks[uid]
        row = self.ours.copy.rows[uid]
        if (mine.made, mine.stamps, mine.counts) != (other.made, other.stamps, other.counts):
            return None
        if self.ours.columns[row.table] != self.theirs.columns[self.theirs.copy.rows[uid].table]:
            return None
        # Numbers of events mean the same in both histories only as far as these are alike.
        latest = max((mine.made, *mine.stamps, *(event for found in mine.counts.values() for event in found)))
        if latest >= self.alike:
            return None
        refs = {column: self.ours.uids.get(spot, b"") for column, spot in row.refs.items()} if row.refs else {}
        within = parent_uid(row.within, self.ours.uids) if row.within is not None else None
        return Wanted(uid, row.table, row, row.cells, refs, within, self.ours.event(mine.made), same=mine)

    def both(self, uid: Uid) -> Wanted:
        """A row that both sides have, cell by cell."""
        ours, theirs = self.ours, self.theirs
        mine, other = ours.copy.rows[uid], theirs.copy.rows[uid]
        wanted = self.wanted(uid, ours, mine)
        wanted.made = min(wanted.made, theirs.event(theirs.marks[uid].made))
        roles = self.content.roles.get(mine.table, {})
        stamps = ours.stamps(uid), theirs.stamps(uid)
        for column in dict.fromkeys([*mine.cells, *mine.refs, *other.cells, *other.refs]):
            if roles.get(column) == SUM:
                self.add_up(wanted, column)
            else:
                found = (stamps[0].get(column, wanted.made), stamps[1].get(column, wanted.made))
                self.cell(wanted, column, roles.get(column, ""), found)
        return wanted

    def add_up(self, wanted: Wanted, column: str) -> None:
        """A count: all that was ever added to it on either side."""
        counts = {**self.ours.counts(wanted.uid, column), **self.theirs.counts(wanted.uid, column)}
        wanted.counts[column], total = counts, sum(counts.values())
        before = wanted.cells.get(column)
        if total != (before or 0):
            wanted.cells[column] = max(total, 0)
            self.changed.append((wanted.uid, column))

    def cell(self, wanted: Wanted, column: str, role: str, stamps: tuple[bytes, bytes]) -> None:
        """Any other cell: the side that changed it holds."""
        uid, (mine, other) = wanted.uid, stamps
        here, there = says(self.ours, uid, column), says(self.theirs, uid, column)
        seen_there, seen_here = mine in self.theirs.seen, other in self.ours.seen
        # Both say the same, or nothing happened since they were one: only whose word it is has to be settled.
        if here == there or mine == other:
            later = max(mine, other) if seen_here == seen_there else other if seen_there else mine
            wanted.stamps[column] = mine if mine == other else later
        elif seen_there != seen_here:
            # One side knew what the other said when it changed this, so its word is the later one.
            self.settle(wanted, column, THERE if seen_there else HERE, other if seen_there else mine)
        elif (elements := elements_of_both(here, there, role)) is not None:
            # Lists in a cell (cues, tags) hold the elements of both.
            self.settle(wanted, column, HERE, self.fresh("both", uid, column, sorted(stamps)))
            self.put(wanted, column, elements)
        elif role == NEWEST or (None in (here, there) and {mine, other} == made_by(self, uid)):
            # Of dates the later one; and a row that was added on both sides lacks nothing that either knows.
            holds = THERE if rank(there) > rank(here) else HERE
            self.settle(wanted, column, holds, stamps[holds == THERE])
        else:
            self.conflict(wanted, column, here, there, stamps)

    def conflict(self, wanted: Wanted, column: str, here: object, there: object, stamps: tuple[bytes, bytes]) -> None:
        """What both changed, each in its way: the person says which holds, and that is the latest word."""
        told = Conflict(wanted.uid, wanted.table, column, plain(here), plain(there))
        self.conflicts.append(told)
        holds = self.choices.get((wanted.uid, column), self.holds)
        value = digest(plain(there if holds == THERE else here))
        self.settle(wanted, column, holds, self.fresh("chosen", wanted.uid, column, sorted(stamps), value))

    def fresh(self, *parts: object) -> bytes:
        """The name of an event that bringing the two together makes."""
        event = digest(*parts)
        self.events.append(event)
        return event

    def settle(self, wanted: Wanted, column: str, holds: str, stamp: bytes) -> None:
        """Let one side hold."""
        wanted.stamps[column] = stamp
        if holds == HERE:
            return
        row = self.theirs.copy.rows[wanted.uid]
        if column in row.refs:
            wanted.refs[column] = self.theirs.uids.get(row.refs[column], b"")
        elif column in row.cells:
            wanted.cells[column] = row.cells[column]
        else:
            wanted.cells.pop(column, None)
        self.changed.append((wanted.uid, column))

    def put(self, wanted: Wanted, column: str, value: Cell) -> None:
        """Let a cell be what is made of both."""
        if wanted.cells.get(column) != value:
            wanted.cells[column] = value
            self.changed.append((wanted.uid, column))

    def lists(self, rows: Mapping[Uid, Wanted]) -> Iterator[Uid]:
        """The lists that either side has and that stay."""
        found = dict.fromkeys([*self.both_orders[0], *self.both_orders[1]])
        yield from (uid for uid in found if uid in rows or uid == FILE)

    @cached_property
    def both_orders(self) -> tuple[dict[Uid, tuple[bytes, list[Uid]]], dict[Uid, tuple[bytes, list[Uid]]]]:
        """The orders of the lists of both sides."""
        return orders_of(self.ours), orders_of(self.theirs)

    def called(self, uid: Uid, rows: Mapping[Uid, Wanted]) -> str:
        """What a person calls a member of a list: as what it stands for."""
        meant = next((rows[ref].row for ref in rows[uid].refs.values() if ref in rows), rows[uid].row)
        return told_name(meant)

    def order(self, uid: Uid, rows: Mapping[Uid, Wanted]) -> tuple[bytes, list[Uid]]:
        """The members of one list in their order, and the event that gave it."""
        mine, other = (side.get(uid, (b"", [])) for side in self.both_orders)
        first, second = ([one for one in found if one in rows] for found in (mine[1], other[1]))
        # Only one side has this list.
        if not mine[0] or not other[0]:
            return mine[0] or other[0], first or second
        seen_there, seen_here = mine[0] in self.theirs.seen, other[0] in self.ours.seen
        # What both have is in one order, so nobody shuffled: woven together, the same way whoever asks.
        if in_common(first, second) == in_common(second, first):
            leads = digest(first) <= digest(second)
            stamp = max(mine[0], other[0])
        elif seen_there != seen_here:
            leads, stamp = seen_here, mine[0] if seen_here else other[0]
        else:
            named = (", ".join(self.called(one, rows) for one in members) for members in (first, second))
            self.conflicts.append(Conflict(uid, "", ORDER, *named))
            leads = self.choices.get((uid, ORDER), self.holds) == HERE
            stamp = self.fresh("chosen", uid, ORDER, digest(first if leads else second))
        return stamp, woven(first, second) if leads else woven(second, first)


def names_of(rows: Mapping[Uid, Row]) -> dict[Uid, str]:
    """What a person calls the rows of one side, except members of lists that are no sounds."""
    by_spot = {row.spot: row for row in rows.values()}
    return {uid: told_name(row, by_spot) for uid, row in rows.items() if row.within is None or row.places}


def made_by(work: Combining, uid: Uid) -> set[bytes]:
    """The events that brought a row on each side."""
    return {side.event(side.marks[uid].made) for side in (work.ours, work.theirs)}
