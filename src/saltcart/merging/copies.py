"""Two copies of one ledger that meet: how each stands against the other, and both as one."""

from collections.abc import Mapping, Sequence
from copy import copy

from msgspec import Struct
from msgspec.structs import replace

from saltcart.errors import show
from saltcart.ledgers.base import Ledger
from saltcart.ledgers.maps import Map
from saltcart.ledgers.sqlite.ledger import SqliteLedger
from saltcart.ledgers.text_ledger import TextLedger
from saltcart.ledgers.wrappers import PLAIN
from saltcart.merging.combine import Combining
from saltcart.merging.forms import REMEDY, CannotMerge, Form, Places
from saltcart.merging.history import Copy, History, Mark, TableMarks, Uid, by_table, digests_of, look_at
from saltcart.merging.json_rows import JsonForm
from saltcart.merging.merged import HERE, Merged, history_of
from saltcart.merging.playlist_rows import PlaylistForm
from saltcart.merging.rows import Content, Spot, digest
from saltcart.merging.sqlite_rows import SqliteForm
from saltcart.merging.whole import WholeForm

Roles = Mapping[str, Mapping[str, str]]  # by table and column


class Meeting(Struct):
    """Two copies of one ledger, `ours` and `theirs`, each with its history up to now.

    They have a `common` beginning when both have seen the same event.  `news_here` and `news_there` say whether a copy
    has seen what the other has not.  Both are read in one `form`; where that is none that tells rows apart, one of the
    two can only take the place of the other; `why` says what is odd about that.
    """

    ours: Copy
    theirs: Copy
    content: Content
    form: Form
    why: str = ""

    @property
    def common(self) -> bool:
        """Whether both were one once."""
        return bool(self.ours.history.seen() & self.theirs.history.seen())

    @property
    def news_here(self) -> bool:
        """Whether something happened here that is not known there."""
        return not self.ours.history.seen() <= self.theirs.history.seen()

    @property
    def news_there(self) -> bool:
        """Whether something happened there that is not known here."""
        return not self.theirs.history.seen() <= self.ours.history.seen()

    @property
    def partial(self) -> bool:
        """Whether their copy lacks rows of ours that nobody removed: it was cut, and can take no place of another."""
        history = self.theirs.history
        return not self.ours.rows.keys() <= self.theirs.rows.keys() | history.gone.keys() | history.aliases.keys()

    @property
    def by_rows(self) -> bool:
        """Whether both can be brought together row by row."""
        return not isinstance(self.form, WholeForm)

    def merged(self, holds: str | Mapping[tuple[Uid, str], str] = HERE) -> Merged:
        """Both as one; of what both changed, each in its way, that of the side holds which is named, for all or for
        each row and column.
        """
        return Combining(self.ours, self.theirs, self.content, holds).run()


def form_of(ledger: Ledger, maps: Sequence[Map]) -> Form:
    """The way in which a ledger is read as rows."""
    if isinstance(ledger, SqliteLedger):
        return SqliteForm()
    if isinstance(ledger, TextLedger) and ledger.wrapper is PLAIN:
        if ledger.map_name == "m3u":
            return PlaylistForm()
        plan = next((one for one in maps if one.name == ledger.map_name), None)
        if plan and plan.container == "json" and JsonForm(plan).arrays:
            return JsonForm(plan)
    return WholeForm()


def read(ledger: Ledger, form: Form, places: Places) -> tuple[Form, Content]:
    """A ledger as rows; as one row where that form cannot."""
    try:
        content = form.read(ledger, places)
        "".join(column for row in content.rows for column in row.cells).encode()
        return form, content
    except (CannotMerge, RecursionError, UnicodeEncodeError):  # a name that is no text has no place in a history
        return WholeForm(), WholeForm().read(ledger, places)


def looked_at(ledger: Ledger, maps: Sequence[Map], places: Places, history: History, who: str) -> Copy:
    """One copy with its history up to now."""
    _form, content = read(ledger, form_of(ledger, maps), places)
    return look_at(history, content, who)


def meet(
    ledgers: tuple[Ledger, Ledger],
    maps: Sequence[Map],
    places: tuple[Places, Places],
    histories: tuple[History, History],
    who: tuple[str, str],
) -> Meeting:
    """Our copy of a ledger and theirs, in this order, held against each other.  Raises BadLedger."""
    form = form_of(ledgers[0], maps)
    found = [read(ledger, form, place) for ledger, place in zip(ledgers, places, strict=True)]
    why = ""
    if found[0][1].shape != found[1][1].shape:
        why = "the two have other tables, as other versions of their program make them"
    if why or any(isinstance(form, WholeForm) for form, _content in found):
        found = [read(ledger, WholeForm(), place) for ledger, place in zip(ledgers, places, strict=True)]
    roles = in_both(found[0][1].roles, found[1][1].roles)
    found = [(form, replace(content, roles=roles)) for form, content in found]
    ours, theirs = (look_at(*each) for each in zip(histories, [one for _form, one in found], who, strict=True))
    content = Content([], roles, found[0][1].alike)
    return Meeting(ours, theirs, content, found[0][0], why)


def in_both(ours: Roles, theirs: Roles) -> dict[str, dict[str, str]]:
    """What columns are in both copies: one that holds no numbers in one of them is counted in neither."""
    return {
        table: {column: role for column, role in known.items() if theirs.get(table, {}).get(column) == role}
        for table, known in ours.items()
    }


def prevailing(wins: Copy, loses: Copy) -> History:
    """The history of a copy that took the place of another, whatever happened to that: a person said so, and that is
    the latest word of every cell, and of every row that went.
    """
    history, other = wins.history, loses.history
    word = digest("prevails", sorted({*history.events, *other.events}), sorted(history.marks()))
    events = [*dict.fromkeys([*history.events, *other.events]), word]
    last = len(events) - 1
    numbers = {event: number for number, event in enumerate(events)}
    counts = [counts_of(one.history, numbers) for one in (wins, loses)]
    tables = {
        name: TableMarks(
            table.columns, [latest(mark, last, *(each.get(mark.uid, {}) for each in counts)) for mark in table.rows]
        )
        for name, table in history.tables.items()
    }
    orders = {uid: replace(order, stamp=last) for uid, order in history.orders.items()}
    gone = {uid: last for uid in {*history.gone, *other.gone, *other.marks()} - history.marks().keys()}
    return History(events, tables, orders, gone, {**history.aliases, **other.aliases})


Counts = dict[int, dict[int, int]]  # by the number of a column, then of an event


def counts_of(history: History, numbers: Mapping[bytes, int]) -> dict[Uid, Counts]:
    """What each event added to each count of each row, with other numbers for the events."""
    return {
        uid: {
            column: {numbers[history.events[event]]: more for event, more in found.items()}
            for column, found in mark.counts.items()
        }
        for uid, (_table, mark) in history.marks().items()
    }


def latest(mark: Mark, event: int, mine: Counts, others: Counts) -> Mark:
    """A row of which every cell was set by one event; its counts are what they are on the side that holds, so that the
    event undoes what the other added.
    """
    counts: Counts = {}
    for column, found in mine.items():
        both = {**found, **others.get(column, {})}
        back = sum(found.values()) - sum(both.values())
        counts[column] = {**both, event: back} if back else both
    return Mark(mark.uid, mark.key, mark.made, mark.digests, [event] * len(mark.stamps), counts)


def respelt(history: History, ledger: Ledger, maps: Sequence[Map], places: Places) -> History:
    """The history of a copy that was written anew with its paths written for another place: the same rows and events,
    and what is there now, as this ledger holds it.
    """
    _form, content = read(ledger, form_of(ledger, maps), places)
    rows = by_table(content.rows)
    if {name: len(found) for name, found in rows.items()} != {
        name: len(table.rows) for name, table in history.tables.items() if table.rows
    }:
        return history  # it is read in another way there: the next look tells
    uids = {
        row.spot: mark.uid
        for name, found in rows.items()
        for row, mark in zip(found, history.tables[name].rows, strict=True)
    }
    tables = dict(history.tables)
    for name, found in rows.items():
        table, roles = history.tables[name], content.roles.get(name, {})
        marks = [
            replace(mark, key=digest(row.key), digests=digests_of(row, table.columns, roles, uids))
            for row, mark in zip(found, table.rows, strict=True)
        ]
        tables[name] = TableMarks(table.columns, marks)
    return replace(history, tables=tables)


def write(
    meeting: Meeting,
    ledger: Ledger,
    spelt: Ledger,
    target: str,
    places: Places,
    holds: str | Mapping[tuple[Uid, str], str],
) -> tuple[Merged, History]:
    """Write into `target`, a copy of our ledger, what both became; what was merged, and the history of that.

    `spelt` is their ledger with its paths as this computer writes them.  Raises CannotMerge, with nothing of use in
    `target`, when what is there afterwards is not just what was wanted.
    """
    rows = meeting.form.read(spelt, places).rows
    uids = list(meeting.theirs.rows)
    if len(rows) != len(uids):
        raise CannotMerge(f"{show(spelt.path)} has other rows than {show(ledger.path)}", REMEDY)
    theirs = Copy(meeting.theirs.history, dict(zip(uids, rows, strict=True)))
    merged = replace(meeting, theirs=theirs).merged(holds)
    ours = {merged.aliases.get(uid, uid): row for uid, row in meeting.ours.rows.items()}
    try:
        spots = meeting.form.write(ledger, target, merged, ours)
    except RecursionError as error:
        raise CannotMerge(f"{show(ledger.path)} is nested too deeply", REMEDY) from error
    return merged, proven(meeting, ledger, target, merged, spots, places)


def proven(
    meeting: Meeting, ledger: Ledger, target: str, merged: Merged, spots: Mapping[Spot, Uid], places: Places
) -> History:
    """The history of what was written, which is read back.  CannotMerge when it is not what was wanted."""
    content = replace(meeting.form.read(at(ledger, target), places), roles=meeting.content.roles)
    try:
        history = history_of(merged, content, spots)
    except KeyError as error:
        raise CannotMerge(f"{show(ledger.path)}: a row that was written is not found again", REMEDY) from error
    found = look_at(history, content, "")
    wrong = [uid for uid, row in found.rows.items() if row.cells != cells_of(merged, uid, row.cells)]
    if found.history.events != history.events or found.rows.keys() != merged.rows.keys() or wrong:
        raise CannotMerge(f"{show(ledger.path)}: other rows would change than should", REMEDY)
    return history


def cells_of(merged: Merged, uid: Uid, found: Mapping[str, object]) -> dict[str, object]:
    """What the cells of a row shall hold; what is no cell in every copy, such as a number of its own, as it is."""
    wanted = merged.rows[uid]
    return {column: wanted.cells.get(column, value) for column, value in found.items()}


def at(ledger: Ledger, path: str) -> Ledger:
    """The same kind of ledger at another path."""
    other = copy(ledger)
    other.path = path
    return other
