"""One ledger on its way through a switch: what it says now is recorded, and what it will say is staged."""

from collections.abc import Iterable, Iterator, Sequence
from functools import partial

from msgspec.structs import replace

from saltcart.carrying import turns
from saltcart.errors import CannotSpell
from saltcart.judging.judge import Judge
from saltcart.judging.judgements import VERDICTS, JudgedBatch, LedgerState
from saltcart.own_names import staged_for
from saltcart.rewriting.changes import Changes
from saltcart.rewriting.content_folders import AddedFolder
from saltcart.rewriting.staging import changes_for, judged, routes_for, stage
from saltcart.safefile import copy_durably, digest_of, remove_with_side_files
from saltcart.spelling import Moves
from saltcart.switching.deed_kinds import Swap, changed
from saltcart.switching.deeds import Deed
from saltcart.system import os
from saltcart.trips import leftovers
from saltcart.trips.facts import Fact
from saltcart.trips.records import EntryRow, LedgerRow, key_text
from saltcart.trips.trip import Trip


def in_front(trip: Trip, row: LedgerRow) -> bool:
    """Whether a ledger gets new content folders in front of those of which a part moves."""
    return row.rewrite and trip.line(row).front


def entry_rows(judged: Iterable[JudgedBatch], changes: Changes) -> Iterator[tuple[EntryRow, str]]:
    """The entries of a ledger as the logbook keeps them, each with the path that it means."""
    for part in judged:
        texts = part.batch.texts
        for number, (answer, old, new) in enumerate(zip(part.all(), texts, changes.news(part.batch), strict=True)):
            resolved, verdict, why = answer
            if verdict in VERDICTS:
                yield EntryRow(key_text(part.batch.key(number)), old, new, verdict, why), resolved


def travelling(rows: Iterable[tuple[EntryRow, str]], moves: Moves) -> Iterator[EntryRow]:
    """The entries that a ledger keeps which becomes a part of what it was, by their new numbers."""
    kept = (row for row, resolved in rows if moves.covers(resolved))
    return (replace(row, key=str(number)) for number, row in enumerate(kept))


def keep_as_it_is(trip: Trip, row: LedgerRow, reread: bool) -> tuple[str, str, str]:
    """Keep a copy of what the switch replaces: the digests of the ledger and of that, and the copy.  Raises what
    `changed` makes when the ledger is another than when it was last read.
    """
    line = trip.line(row)
    kept = line.over or row.path
    before = digest_of(row.path) if os.path.exists(row.path) else None
    wanted = line.digest if line.over else row.before
    if before is None or (wanted not in (None, before) and not reread):
        raise changed(row.path)
    row.before = digest_of(kept) if os.path.exists(kept) else ""
    if line.over and row.before != line.over_digest and not reread:
        raise changed(kept)
    row.backup = trip.keep(row.number, "-before")
    if copy_durably(kept, row.backup) != row.before or digest_of(row.path) != before:
        raise changed(kept)
    return before, row.before, row.backup


def prepare_ledger(trip: Trip, row: LedgerRow, judge: Judge, reread: bool, added: Sequence[AddedFolder]) -> list[Deed]:
    """Record a ledger's entries as they are, and stage its new content; the deed that puts it in place, if any."""
    leftovers.sweep(row.place, trip)
    line = trip.line(row)
    before, replaced, backup = keep_as_it_is(trip, row, reread)
    travels, turned_links = row.place != row.path, trip.waybill.turn.__contains__
    routes = routes_for(trip.waybill, row.path, travels, judge.resolver, added, turned_links)
    routes.styled(line.like, line.unlike)
    ledger = trip.open_ledger(row, row.path)
    state = judged(ledger, judge)
    changes = (
        changes_for(ledger, routes, row.place, in_front(trip, row), trip.waybill.folders)
        if row.rewrite
        else Changes({}, [])
    )
    rows = entry_rows(state.judged, changes)
    entries = list(travelling(rows, trip.waybill.moves()) if line.cut else (one for one, _resolved in rows))
    row.changed, row.after = (sum(entry.old != entry.new for entry in entries) + changes.edits.count(), before)
    if row.changed or line.over or line.merge or line.cut:
        staged, merging = staged_name(trip, row), partial(change_more, trip, row)
        try:
            row.after = stage(ledger, changes, staged, merging)
        except CannotSpell as error:
            if trip.waybill.shelves:
                error.remedy = "Set rewrite = false for this ledger in a new waybill to leave it as it is."
            raise
    with trip.logbook.together():
        trip.logbook.put_ledger(row)
        trip.logbook.put_entries(row.number, entries)
        record_parted(trip, row, state, changes)
    if (not row.changed and not line.over) or row.after == row.before:
        remove_with_side_files(staged_name(trip, row))  # of a merge, or an update, in which nothing changes
        return []
    return [Swap(row.place, staged, replaced, row.after, backup)]


def record_parted(trip: Trip, row: LedgerRow, state: LedgerState, changes: Changes) -> None:
    """Record the entries that part from their folder: by key the text of that folder, and of the one they get."""
    parted, known = changes.edits.parted, trip.logbook.fact(Fact.PARTED, {})
    if not parted and str(row.number) not in known:
        return
    bases = {one.entry.key: one.entry.base for one in state.judgements() if one.entry.key in parted}
    here = {key_text(key): (base.written if base else "", parted[key]) for key, base in bases.items()}
    trip.logbook.record({Fact.PARTED: {**known, str(row.number): here}})


def change_more(trip: Trip, row: LedgerRow, staged: str) -> None:
    """Bring together, in the staged ledger, this copy of it and that of a collection; or cut it to what travels."""
    if trip.line(row).merge:
        row.changed += turns.bring_together(trip, row, staged).differing
    if trip.line(row).cut:
        row.changed += turns.cut(trip, row, staged)


def staged_name(trip: Trip, row: LedgerRow) -> str:
    """The hidden name beside a ledger for its new content until the switch."""
    return staged_for(row.place, trip.name)
