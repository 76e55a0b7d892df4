"""What happened to a copy of a ledger: which changes it has seen, and by which of them each cell is as it is.

The model.  Each time a copy is looked at, all that changed in it since the last look is one *event*.  Its name is made
from what was known and what is there, so that two machines which look at one stick name it alike.  A history says
of each cell the event that set it, and lists all events that the copy has *seen*.  Of two histories that differ in a
cell, the one that has seen the event of the other is the later; when neither has, both changed it.  A count is the sum
of what each event added.  So nothing depends on which computer meets which stick, how often, or in what order; and an
old stick is simply one that has not seen much.
"""

import hashlib
from collections import defaultdict
from collections.abc import Container, Mapping, Sequence

from msgspec import Struct, field

from saltcart.merging.rows import DIGEST, SUM, Content, Row, Spot, digest, digest_of

FORMAT = 2
Uid = bytes
NOTHING = b"\0" * DIGEST  # for a cell that is not there, or is compared by what it means


class Mark(Struct, array_like=True, gc=False):
    """One row as it was when it was last looked at: what it is called in every copy, what stands for its key in this
    one, the event that brought it, the digests of its cells one after the other, the event of each cell, and what each
    event added to each count.
    """

    uid: Uid
    key: bytes
    made: int
    digests: bytes
    stamps: list[int]
    counts: dict[int, dict[int, int]] = field(default_factory=dict)  # by number of the column, then of the event


class TableMarks(Struct, array_like=True):
    """The rows of one table, and the columns that their digests are of."""

    columns: list[str]
    rows: list[Mark]


class Order(Struct, array_like=True):
    """The members of a list in their order, and the event that gave it."""

    stamp: int
    members: list[Uid]


class History(Struct):
    """All events that a copy has seen, its rows, the orders of its lists, and the rows that are gone, by the event.

    What was added on two sides and turned out to be one row goes by one name since, as `aliases` tell.
    """

    events: list[bytes] = field(default_factory=list)
    tables: dict[str, TableMarks] = field(default_factory=dict)
    orders: dict[bytes, Order] = field(default_factory=dict)
    gone: dict[bytes, int] = field(default_factory=dict)
    aliases: dict[bytes, bytes] = field(default_factory=dict)
    format: int = FORMAT

    def seen(self) -> frozenset[bytes]:
        """The events that this copy has seen."""
        return frozenset(self.events)

    def marks(self) -> dict[Uid, tuple[str, Mark]]:
        """Table and mark of each row."""
        return {mark.uid: (name, mark) for name, table in self.tables.items() for mark in table.rows}


class Copy(Struct):
    """A history brought up to date with what is in its copy, and the rows there by their names in every copy."""

    history: History
    rows: dict[Uid, Row]


def look_at(history: History, content: Content, who: str) -> Copy:
    """The history of a copy, brought up to date with its content; `who` keeps the copy, a computer or a stick."""
    look = Look(history, content, who)
    return Copy(look.written(), look.rows)


class Look:
    """One look at a copy: what is there now, held against what was there at the last look."""

    def __init__(self, history: History, content: Content, who: str):
        self.history, self.content = history, content
        self.columns = {name: columns_of(rows) for name, rows in by_table(content.rows).items()}
        self.cells = [self.cells_of(row) for row in content.rows]
        self.keys = [digest(row.key) for row in content.rows]
        self.event = self.name_of_event(who)
        self.at = len(history.events)  # the number of the event, should it turn out that anything changed
        self.changed = False
        self.known = history.marks()
        self.uids = self.name_rows()
        self.rows = {self.uids[row.spot]: row for row in content.rows}

    def cells_of(self, row: Row) -> list[bytes]:
        """The digests of the cells of a row; nothing for counts and references, which are compared by what they mean,
        and for cells that it does not have.
        """
        roles, cells, places = self.content.roles.get(row.table, {}), row.cells, row.places
        return [
            NOTHING if column not in cells or roles.get(column) == SUM else digest_of(places.get(column, cells[column]))
            for column in self.columns[row.table]
        ]

    def name_of_event(self, who: str) -> bytes:
        """The name of what happened since the last look: the same for whoever looks at the same."""
        made = hashlib.blake2b(digest(who, sorted(self.history.events)), digest_size=DIGEST)
        for row, key, cells in zip(self.content.rows, self.keys, self.cells, strict=True):
            made.update(digest_of(row.table) + key + b"".join(cells))
            for column in self.content.roles.get(row.table, ()):
                made.update(digest_of(row.cells.get(column)))
            if row.refs:
                made.update(digest(sorted(row.refs.items())))
        return made.digest()

    def name_rows(self) -> dict[Spot, Uid]:
        """What each row is called in every copy: as before where its key says so, or where its path does and the key is
        another one now; else by the event that brings it.
        """
        before = {(name, mark.key): mark for name, table in self.history.tables.items() for mark in table.rows}
        uids: dict[Spot, Uid] = {}
        others: list[int] = []
        for number, row in enumerate(self.content.rows):
            mark = before.get((row.table, self.keys[number])) if row.within is None else None
            if mark is not None and not self.is_another(mark, row, self.cells[number]):
                uids[row.spot] = mark.uid
            elif row.within is None:
                others.append(number)
        # Its number may be new though the sound is not: a program that renumbers, or a table without numbers.
        gone = self.vanished(set(uids.values())) if others else {}
        for number in sorted(others, key=lambda number: bool(self.content.rows[number].refs)):  # what is meant first
            row = self.content.rows[number]
            cells = dict(zip(self.columns[row.table], self.cells[number], strict=True))
            cells |= {column: digest_of_ref(spot, uids) for column, spot in row.refs.items()}
            mark = gone.pop((row.table, self.told(row.table, cells)), None)
            uids[row.spot] = mark.uid if mark else digest("row", self.event, row.table, row.key)
        # Members last: they are called by their list, and by what they stand for.
        for row in self.content.rows:
            if row.within is not None:
                uids[row.spot] = member_uid(row, uids)
        return uids

    def told(self, table: str, cells: Mapping[str, bytes]) -> tuple[bytes, ...]:
        """What makes two rows of a table one, of these cells; none where something of it is missing."""
        found = tuple(cells.get(column, NOTHING) for column in self.content.alike.get(table, ()))
        return () if NOTHING in found else found

    def vanished(self, there: Container[Uid]) -> dict[tuple[str, tuple[bytes, ...]], Mark | None]:
        """The rows that are not `there` under their keys, by table and what makes two rows one; None where that is said
        of several.  Rows without a key have another one after each change, and a program may give numbers anew.
        """
        found: dict[tuple[str, tuple[bytes, ...]], Mark | None] = {}
        for name, table in self.history.tables.items() if self.content.alike else ():
            for mark in table.rows:
                cells = dict(zip(table.columns, split(mark.digests), strict=True)) if mark.uid not in there else {}
                if told := self.told(name, cells):
                    found[name, told] = None if (name, told) in found else mark
        return found

    def is_another(self, mark: Mark, row: Row, cells: Sequence[bytes]) -> bool:
        """Whether a row that has the key of an earlier one is about something else: a program gave the number anew."""
        then = dict(zip(self.history.tables[row.table].columns, split(mark.digests), strict=True))
        now = dict(zip(self.columns[row.table], cells, strict=True))
        # The path says what a row is about, where there is one; without it, most of its cells do.
        told = [column for column in self.content.alike.get(row.table, ()) if column in now]
        if all(now[column] == then.get(column) for column in told):
            return False
        compared = [column for column, one in now.items() if NOTHING not in (one, then.get(column, NOTHING))]
        return len(compared) > 1 and 2 * sum(now[column] != then[column] for column in compared) > len(compared)

    def written(self) -> History:
        """The history as it is now."""
        tables = {name: TableMarks(columns, []) for name, columns in self.columns.items()}
        for number, row in enumerate(self.content.rows):
            tables[row.table].rows.append(self.mark(number, row))
        orders = self.orders()
        gone = {uid: event for uid, event in self.history.gone.items() if uid not in self.rows}
        for uid in self.known.keys() - self.rows.keys():
            gone[uid] = self.now()
        events = [*self.history.events, self.event] if self.changed else self.history.events
        return History(events, tables, orders, gone, self.history.aliases)

    def now(self) -> int:
        """The number of the event, which then there is."""
        self.changed = True
        return self.at

    def mark(self, number: int, row: Row) -> Mark:
        """One row as it is now: as it was, if nothing in it changed."""
        uid, columns, cells = self.uids[row.spot], self.columns[row.table], self.cells[number]
        # What is referred to may have another number here: compared is which row is meant.
        for column in row.refs:
            cells[columns.index(column)] = digest_of_ref(row.refs[column], self.uids)
        table, before = self.known.get(uid, ("", None))
        digests = b"".join(cells)
        counts = self.counts(row, columns, before)
        if before and before.digests == digests and columns == self.history.tables[table].columns:
            return (
                before
                if before.key == self.keys[number] and counts == before.counts
                else Mark(uid, self.keys[number], before.made, digests, before.stamps, counts)
            )
        if before is None:
            made = self.now()
            return Mark(uid, self.keys[number], made, digests, [made] * len(columns), counts)
        stamps = [self.stamp(before, row.table, column, cell) for column, cell in zip(columns, cells, strict=True)]
        return Mark(uid, self.keys[number], before.made, digests, stamps, counts)

    def counts(self, row: Row, columns: Sequence[str], before: Mark | None) -> dict[int, dict[int, int]]:
        """What each event added to each count of a row; of one that just now is none, what was known."""
        known = self.history.tables.get(row.table)
        found = {}
        if before and known:
            names = {column: known.columns[column] for column in before.counts}
            found = {columns.index(name): before.counts[at] for at, name in names.items() if name in columns}
        for column, role in self.content.roles.get(row.table, {}).items():
            if role == SUM and column in columns:
                then = self.before(before, row.table, column)[2]
                found[columns.index(column)] = self.counted(row, column, then, None if before else self.at)
        return found

    def stamp(self, before: Mark, table: str, column: str, cell: bytes) -> int:
        """The event of a cell: that of before if it is as it was."""
        then, stamp, _counts = self.before(before, table, column)
        return stamp if then == cell else self.now()

    def before(self, mark: Mark | None, table: str, column: str) -> tuple[bytes, int, Mapping[int, int]]:
        """Digest, event and counts of a cell at the last look; of one that was not there, as of a missing one."""
        known = self.history.tables.get(table)
        if mark is None or known is None or column not in known.columns:
            return NOTHING, mark.made if mark else 0, {}
        at = known.columns.index(column)
        return mark.digests[at * DIGEST : (at + 1) * DIGEST], mark.stamps[at], mark.counts.get(at, {})

    def counted(self, row: Row, column: str, before: Mapping[int, int], made: int | None) -> dict[int, int]:
        """What each event added to a count, up to now; of a row that was just `made`, all of it."""
        more = whole(row.cells.get(column)) - sum(before.values())
        if not more:
            return dict(before)
        event = self.now() if made is None else made
        return {**before, event: before.get(event, 0) + more}

    def orders(self) -> dict[Uid, Order]:
        """The orders of all lists."""
        members: dict[Uid, list[Uid]] = defaultdict(list)
        for uid, row in self.rows.items():
            if row.within is not None:
                members[parent_uid(row.within, self.uids)].append(uid)
        found = {}
        for uid, now in members.items():
            before = self.history.orders.get(uid)
            same = before is not None and in_common(before.members, now) == in_common(now, before.members)
            found[uid] = Order(before.stamp if same and before else self.now(), now)
        return found


def digests_of(row: Row, columns: Sequence[str], roles: Mapping[str, str], uids: Mapping[Spot, Uid]) -> bytes:
    """What stands for the cells of a row, one after the other."""
    return b"".join(
        digest_of_ref(row.refs[column], uids)
        if column in row.refs
        else NOTHING
        if column not in row.cells or roles.get(column) == SUM
        else digest_of(row.says(column))
        for column in columns
    )


def digest_of_ref(spot: Spot, uids: Mapping[Spot, Uid]) -> bytes:
    """What stands for a reference: the row that is meant."""
    return digest("ref", uid_at(spot, uids))


def split(digests: bytes) -> list[bytes]:
    """Digests that are one after the other."""
    return [digests[at : at + DIGEST] for at in range(0, len(digests), DIGEST)]


def member_uid(row: Row, uids: Mapping[Spot, Uid]) -> Uid:
    """What a member of a list is called in every copy: by its list, and by what it is a member for."""
    assert row.within is not None
    named = [uid_at(spot, uids) for _column, spot in sorted(row.refs.items())] if row.refs else list(row.key)
    return digest("member", parent_uid(row.within, uids), named, row.key[-1:])


def parent_uid(spot: Spot, uids: Mapping[Spot, Uid]) -> Uid:
    """What a list is called: the file itself, or a row."""
    return uid_at(spot, uids) if spot[0] else digest("file")


def uid_at(spot: Spot, uids: Mapping[Spot, Uid]) -> Uid:
    """What a row that is referred to is called; one that is not there, by its key."""
    return uids.get(spot) or digest("missing", spot)


def by_table(rows: Sequence[Row]) -> dict[str, list[Row]]:
    """Rows by their tables."""
    found: dict[str, list[Row]] = defaultdict(list)
    for row in rows:
        found[row.table].append(row)
    return found


def columns_of(rows: Sequence[Row]) -> list[str]:
    """All columns that any of some rows has."""
    return sorted({column for row in rows for column in (*row.cells, *row.refs)})


def in_common(members: Sequence[Uid], others: Sequence[Uid]) -> list[Uid]:
    """Those of some members that are among others, in their order."""
    known = set(others)
    return [uid for uid in members if uid in known]


def whole(cell: object) -> int:
    """A count as a number; 0 for what is none."""
    return cell if isinstance(cell, int) else 0
