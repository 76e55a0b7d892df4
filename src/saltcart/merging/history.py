"""What happened to a copy of a ledger: which changes it has seen, and by which of them each cell is as it is.

The model.  Each time a copy is looked at, all that changed in it since the last look is one *event*.  Its name is made
from what was known and what stands there, so that two machines which look at one stick name it alike.  A history says
of each cell the event that set it, and lists all events that the copy has *seen*.  Of two histories that differ in a
cell, the one that has seen the event of the other is the later; when neither has, both changed it.  A count is the sum
of what each event added.  So nothing depends on which computer meets which stick, how often, or in what order; and an
old stick is simply one that has not seen much.
"""

import hashlib
import zlib
from collections import defaultdict
from collections.abc import Mapping, Sequence

import msgspec
from msgspec import Struct, field

from saltcart.errors import BadFile
from saltcart.merging.rows import DIGEST, PACK, SUM, Content, Row, Spot, digest, safe

FORMAT = 1
LARGEST = 512 << 20  # bytes of a history, unpacked
Uid = bytes


class Mark(Struct, array_like=True):
    """One row as it was when it was last looked at: what it is called in every copy, what stands for its key in this
    one, the event that brought it, digest and event of each cell, and what each event added to each count.
    """

    uid: Uid
    key: bytes
    made: int
    digests: list[bytes]
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
    """A history brought up to date with what stands in its copy, and the rows there by their names in every copy."""

    history: History
    rows: dict[Uid, Row]


def pack(histories: Mapping[str, History]) -> bytes:
    """Histories by the names of their ledgers, as a file holds them."""
    return zlib.compress(msgspec.msgpack.encode(dict(histories)), 3)


def unpack(data: bytes, path: str) -> dict[str, History]:
    """The histories in a file.  Raises BadFile for what is none, or of another version."""
    try:
        opened = zlib.decompressobj()
        plain = opened.decompress(data, LARGEST)
        found = msgspec.msgpack.decode(plain, type=dict[str, History])
    except (zlib.error, msgspec.MsgspecError, UnicodeError) as error:
        raise BadFile(path, None, f"is no history ({error})", "Carry the collection anew.") from error
    if opened.unconsumed_tail or any(one.format != FORMAT for one in found.values()):
        raise BadFile(path, None, "is too large, or of another version", "Use the version that wrote it.")
    return found


def look_at(history: History, content: Content, who: str) -> Copy:
    """The history of a copy, brought up to date with its content; `who` keeps the copy, a computer or a stick."""
    look = Look(history, content, who)
    return Copy(look.written(), look.rows)


class Look:
    """One look at a copy: what is there now, held against what was there at the last look."""

    def __init__(self, history: History, content: Content, who: str):
        self.history, self.content = history, content
        self.event = name_of_event(history, content, who)
        self.at = len(history.events)  # the number of the event, should it turn out that anything changed
        self.changed = False
        self.known = {mark.uid: mark for table in history.tables.values() for mark in table.rows}
        self.columns = {name: table.columns for name, table in history.tables.items()}
        self.uids = self.name_rows()
        self.rows = {self.uids[row.spot]: row for row in content.rows}

    def name_rows(self) -> dict[Spot, Uid]:
        """What each row is called in every copy: as before where its key says so, else by the event that brings it."""
        keys = {(name, mark.key): mark for name, table in self.history.tables.items() for mark in table.rows}
        uids: dict[Spot, Uid] = {}
        for row in self.content.rows:
            if row.within is None:
                mark = keys.get((row.table, digest(row.key)))
                known = mark is not None and not self.is_another(mark, row)
                uids[row.spot] = mark.uid if mark and known else digest("row", self.event, row.table, row.key)
        for row in self.content.rows:
            if row.within is not None:
                uids[row.spot] = member_uid(row, uids)
        return uids

    def is_another(self, mark: Mark, row: Row) -> bool:
        """Whether a row that has the key of an earlier one is about something else: a program gave the number anew."""
        told = [column for column in self.content.alike.get(row.table, ()) if column in row.cells]
        columns = self.columns[row.table]
        now = {column: digest(row.says(column)) for column in row.cells if column in columns}
        then = dict(zip(columns, mark.digests, strict=False))
        differing = sum(then[column] not in (b"", one) for column, one in now.items())
        compared = sum(then[column] != b"" for column in now)
        return compared > 1 and any(now.get(column) != then.get(column) for column in told) and 2 * differing > compared

    def written(self) -> History:
        """The history as it is now."""
        tables = {name: TableMarks(columns_of(rows), []) for name, rows in by_table(self.content.rows).items()}
        for uid, row in self.rows.items():
            tables[row.table].rows.append(self.mark(uid, row, tables[row.table].columns))
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

    def mark(self, uid: Uid, row: Row, columns: Sequence[str]) -> Mark:
        """One row as it is now."""
        before = self.known.get(uid)
        mark = Mark(uid, digest(row.key), before.made if before else self.now(), [], [])
        roles = self.content.roles.get(row.table, {})
        for number, column in enumerate(columns):
            digest_before, stamp, counts = self.before(before, row.table, column)
            if roles.get(column) == SUM:
                mark.counts[number] = self.counted(row, column, counts, None if before else mark.made)
            now = b"" if roles.get(column) == SUM else digest_of_cell(row, column, self.uids)
            mark.digests.append(now)
            mark.stamps.append(mark.made if not before else stamp if digest_before == now else self.now())
        return mark

    def before(self, mark: Mark | None, table: str, column: str) -> tuple[bytes, int, Mapping[int, int]]:
        """Digest, event and counts of a cell at the last look; of one that was not there, as of a missing one."""
        columns = self.columns.get(table, [])
        if mark is None or column not in columns:
            return b"", mark.made if mark else 0, {}
        at = columns.index(column)
        return mark.digests[at], mark.stamps[at], mark.counts.get(at, {})

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


def digest_of_cell(row: Row, column: str, uids: Mapping[Spot, Uid]) -> bytes:
    """What stands for a cell; for a reference, the row that is meant; nothing where the row has no such cell."""
    if column in row.refs:
        return digest("ref", uid_at(row.refs[column], uids))
    return digest(row.says(column)) if column in row.cells else b""


def name_of_event(history: History, content: Content, who: str) -> bytes:
    """The name of what happened since the last look: the same for whoever looks at the same."""
    made = hashlib.blake2b(PACK.encode([safe(who), *sorted(history.events)]), digest_size=DIGEST)
    for row in content.rows:
        cells = [(column, row.says(column)) for column in sorted(row.cells)]
        made.update(PACK.encode(safe((row.table, row.key, cells, sorted(row.refs.items())))))
    return made.digest()


def member_uid(row: Row, uids: Mapping[Spot, Uid]) -> Uid:
    """What a member of a list is called in every copy: by its list, and by what it is a member for."""
    assert row.within is not None
    named = [uid_at(spot, uids) for _column, spot in sorted(row.refs.items())] if row.refs else list(row.key)
    return digest("member", parent_uid(row.within, uids), safe(named), safe(row.key[-1:]))


def parent_uid(spot: Spot, uids: Mapping[Spot, Uid]) -> Uid:
    """What a list is called: the file itself, or a row."""
    return uid_at(spot, uids) if spot[0] else digest("file")


def uid_at(spot: Spot, uids: Mapping[Spot, Uid]) -> Uid:
    """What a row that is referred to is called; one that is not there, by its key."""
    return uids.get(spot) or digest("missing", safe(spot))


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
    return int(cell) if isinstance(cell, int | float) else 0
