"""Two copies of one ledger as one: for each row and cell the side that changed it, and conflicts where both did."""

import json
import os
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property

import msgspec
from msgspec import Struct, field

from saltcart.merging.history import (
    Copy,
    History,
    Mark,
    Order,
    TableMarks,
    Uid,
    columns_of,
    digests_of,
    in_common,
    member_uid,
    parent_uid,
)
from saltcart.merging.rows import LINES, NEWEST, SUM, Cell, Content, Row, Spot, digest

ORDER, REMOVED = "order", "removed"  # of what two sides may differ, besides cells
HERE, THERE = "here", "there"
FILE = digest("file")  # what the one list is called that a whole file is
MISSING = object()  # a cell that a row does not have, though others of its table do


class Conflict(Struct, frozen=True):
    """What both sides changed, each in its way: of which row, which column, what it says here and there."""

    uid: Uid
    table: str
    column: str
    here: Cell
    there: Cell


class Wanted(Struct):
    """One row as it shall be: its cells, the rows that it refers to and the list it stands in, and the events of all
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


def told_name(row: Row) -> str:
    """What a person calls a row: the name of its file, its name or title, else its key."""
    known = [*map(os.path.basename, row.places.values()), *(row.cells.get(column) for column in ("name", "title"))]
    named = next((one for one in known if isinstance(one, str) and one), None)
    return named or " ".join(str(one) for one in row.key)


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


class Combining:
    """The work of bringing two copies together.  `choices` say of conflicts, by row and column, which side holds."""

    def __init__(
        self,
        ours: Copy,
        theirs: Copy,
        content: Content,
        choices: Mapping[tuple[Uid, str], str] | None = None,
        holds: str = HERE,
    ):
        self.content, self.choices, self.holds = content, choices or {}, holds
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
        self.bring_back(rows, gone)
        for side in (self.ours, self.theirs):
            gone |= {uid: side.event(number) for uid, number in side.gone.items() if uid not in rows}
        goes = [uid for uid in mine if uid not in rows]
        orders = {uid: order for uid in self.lists(rows) if (order := self.order(uid, rows))[1]}
        names = {uid: told_name(row) for side in (others, mine) for uid, row in side.items() if row.within is None}
        names |= {uid: told_name(row) for side in (others, mine) for uid, row in side.items() if row.places}
        before = {(uid, column): mine[uid].cells.get(column) for uid, column in self.changed if uid in mine}
        events = list(dict.fromkeys(self.events))
        lists = [uid for uid, (_stamp, found) in orders.items() if self.both_orders[0].get(uid, (b"", []))[1] != found]
        return Merged(
            rows, goes, orders, self.conflicts, events, gone, self.aliases, self.changed, names, before, lists
        )

    def alone(self, uid: Uid, has: Side, lacks: Side) -> bytes | None:
        """The event by which a row goes that one side alone has; None when it stays, or comes."""
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
        if here == there or mine == other:
            later = max(mine, other) if seen_here == seen_there else other if seen_there else mine
            wanted.stamps[column] = mine if mine == other else later
        elif seen_there != seen_here:
            self.settle(wanted, column, THERE if seen_there else HERE, other if seen_there else mine)
        elif (elements := elements_of_both(here, there, role)) is not None:
            self.settle(wanted, column, HERE, self.fresh("both", uid, column, sorted(stamps)))
            self.put(wanted, column, elements)
        elif role == NEWEST or (None in (here, there) and {mine, other} == made_by(self, uid)):
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
        """The lists that either side has, as far as they stay."""
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
        if not mine[0] or not other[0]:
            return mine[0] or other[0], first or second
        seen_there, seen_here = mine[0] in self.theirs.seen, other[0] in self.ours.seen
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


def orders_of(side: Side) -> dict[Uid, tuple[bytes, list[Uid]]]:
    """The members of the lists of a side in their order, with the events that gave it."""
    members: dict[Uid, list[Uid]] = defaultdict(list)
    for uid, row in side.copy.rows.items():
        if row.within is not None:
            members[parent_uid(row.within, side.uids)].append(uid)
    return {uid: (side.event(side.orders[uid]), found) for uid, found in members.items()}


def made_by(work: Combining, uid: Uid) -> set[bytes]:
    """The events that brought a row on each side."""
    return {side.event(side.marks[uid].made) for side in (work.ours, work.theirs)}


def says(side: Side, uid: Uid, column: str) -> object:
    """What a cell says on one side, so that the two can be compared."""
    row = side.copy.rows[uid]
    if column in row.refs:
        return side.uids.get(row.refs[column], row.refs[column])
    return row.says(column) if column in row.cells else MISSING


def plain(value: object) -> Cell:
    """A value for a person to see."""
    return value if isinstance(value, str | int | float | bytes | None) else None


def rank(value: object) -> tuple[int, float, str]:
    """What times are compared by, numbers or texts."""
    if isinstance(value, int | float):
        return 1, float(value), ""
    return (2, 0.0, value) if isinstance(value, str) else (0, 0.0, "")


def elements_of_both(here: object, there: object, role: str = "") -> str | None:
    """Two arrays in JSON as one that has the elements of both, or two texts with the lines of both; None for others."""
    if role == LINES:
        lines = sorted([str(one).encode("utf-8", "surrogateescape").splitlines(keepends=True) for one in (here, there)])
        return b"".join(woven(*lines)).decode("utf-8", "surrogateescape")
    try:
        first, second = (msgspec.json.decode(one if isinstance(one, str | bytes) else "") for one in (here, there))
    except msgspec.MsgspecError:
        return None
    if not isinstance(first, list) or not isinstance(second, list):
        return None
    one, two = sorted([first, second], key=repr)
    texts = woven(*([msgspec.json.encode(each) for each in side] for side in (one, two)))
    found = [msgspec.json.decode(each) for each in texts]
    if all(isinstance(each, int | float) for each in found) and one == sorted(one) and two == sorted(two):
        found.sort()
    tight = ", " not in f"{here}{there}"
    return json.dumps(found, ensure_ascii=False, sort_keys=True, separators=(",", ":") if tight else None)


def woven(first: Sequence[bytes], second: Sequence[bytes]) -> list[bytes]:
    """The members of both, in the order of the first; each of the others behind what it stands behind there."""
    result, known = list(first), set(first)
    place = 0 if known & {*second} else len(result)
    for one in second:
        if one in known:
            place = result.index(one) + 1
        else:
            result.insert(place, one)
            known.add(one)
            place += 1
    return result


def one_and_the_same(ours: Side, theirs: Side, content: Content) -> dict[Uid, Uid]:
    """Rows that are new on both sides and are one: the same sound was added twice."""
    found: dict[tuple[object, ...], Uid] = {}
    aliases: dict[Uid, Uid] = {}
    for uid, row in ours.copy.rows.items():
        if uid not in theirs.copy.rows and row.within is None and (told := alike(row, content)):
            found[told] = uid
    for uid, row in theirs.copy.rows.items():
        told = alike(row, content) if uid not in ours.copy.rows and row.within is None else None
        if told and (mine := found.pop(told, None)):
            aliases[max(uid, mine)] = min(uid, mine)
    return aliases


def alike(row: Row, content: Content) -> tuple[object, ...] | None:
    """What makes rows of a table one; None where nothing does."""
    columns = content.alike.get(row.table)
    if not columns or any(row.cells.get(column) is None for column in columns):
        return None
    return row.table, *(row.says(column) for column in columns)


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
