"""A ledger here and the one in a collection, held against each other: what happened to each since they were one."""

from collections.abc import Container, Mapping, Sequence
from functools import partial

from msgspec.structs import replace

from saltcart.carrying.histories import known_here, known_there, note_here, note_there, seen_there
from saltcart.carrying.identity import whoami
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.base import Ledger
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import Map
from saltcart.merging import copies
from saltcart.merging.copies import Meeting, looked_at, meet, prevailing, respelt
from saltcart.merging.forms import Places
from saltcart.merging.history import History, TableMarks
from saltcart.merging.history_file import Damaged
from saltcart.merging.merged import Merged
from saltcart.merging.playlist_rows import TRACKS, PlaylistForm, without
from saltcart.merging.rows import digest
from saltcart.own_names import staged_for
from saltcart.rewriting.staging import changes_for, on_trial, routes_for
from saltcart.shelves.true_names import without_detours
from saltcart.spelling import Meanings, Move, Moves
from saltcart.spelling.moves import tail_below
from saltcart.spelling.renames import Renames, renames_of
from saltcart.system import os
from saltcart.trips.records import LedgerRow
from saltcart.trips.trip import Trip
from saltcart.waybills import collection_file
from saltcart.waybills.collection import Collection
from saltcart.waybills.relinks import PLACE
from saltcart.waybills.shelf import ChosenFiles
from saltcart.waybills.waybill import Waybill


class Ground:
    """What two copies of a ledger are compared on: the collection with its histories, the way there from the places
    here, and the maps.  It is `lost` when nothing is known of what happened there.
    """

    def __init__(self, found: Collection, there_from_here: Moves, maps: Sequence[Map]):
        self.top, self.trip, self.maps, self.there_from_here = found.top, found.trip, maps, there_from_here
        self.there_from_source = ways_told(found)
        self.resolver = Resolver(Meanings(found.means))
        self.carried: Mapping[str, History] = {}
        self.lost = False
        try:
            self.carried = known_there(found)
        except Damaged:
            self.lost = True
        self.histories = {} if self.lost else {**self.carried, **seen_there(found)}

    def place(self, ways: Sequence[Moves], path: str) -> str | None:
        """The place in the collection that a path means, by the first way that leads there."""
        path = without_detours(path)
        found = (moved for way in ways if tail_below(path, self.top) is None and (moved := way.follow(path)))
        return tail_below(next(found, path), self.top)

    def places(self, path: str) -> Places:
        """How the paths in a ledger that lies at `path` are read as places: here as they are here first, and there as
        the one who carried it had them.
        """
        ways = self.there_from_here, self.there_from_source
        inside = tail_below(path, self.top) is not None
        place = partial(self.place, ways[::-1] if inside else ways)
        return Places(os.path.dirname(path), self.resolver, place)

    def history_there(self, ledger: Ledger) -> History:
        """What is kept in the collection of a ledger there."""
        return self.histories.get(ledger.path[len(self.top) + 1 :], History())

    def meeting(self, here: Ledger, there: Ledger) -> Meeting:
        """The copy of a ledger here and the one in the collection.  Raises BadLedger."""
        places = self.places(here.path), self.places(there.path)
        histories = known_here(here.path), self.history_there(there)
        return meet((here, there), self.maps, places, histories, (whoami(), self.keeper))

    @property
    def keeper(self) -> str:
        """Who keeps the copies there: told apart from other sticks by the trip that wrote it last."""
        return f"collection {self.trip}"

    def state_there(self, there: Ledger) -> History:
        """The history of a ledger in the collection up to now."""
        return looked_at(there, self.maps, self.places(there.path), self.history_there(there), self.keeper).history

    def part(self, history: History, ledger: Ledger, place: str) -> History:
        """The history of a playlist that was cut: of the rows that are left in it."""
        content = PlaylistForm().read(ledger, self.places(place))
        left = {(row.table, digest(row.key)) for row in content.rows}
        tables = {
            name: TableMarks(table.columns, [mark for mark in table.rows if (name, mark.key) in left])
            for name, table in history.tables.items()
        }
        return replace(history, tables=tables)

    def state_here(self, here: Ledger) -> History:
        """The history of a ledger here up to now."""
        return looked_at(here, self.maps, self.places(here.path), known_here(here.path), whoami()).history


def back_from(waybill: Waybill, top: str) -> Moves:
    """The way into a collection from the places here to which a trip brings it."""
    return Moves(
        Move(one.new, one.old, names=names_back(one.renames))
        for one in waybill.relinks
        if one.what == PLACE and tail_below(one.old, top) is not None
    )


def ways_in(waybill: Waybill) -> Moves:
    """The ways into a collection from here, as its record has them: each chosen file separately, and no folder."""
    moves = []
    for shelf in waybill.shelves:
        if isinstance(shelf, ChosenFiles):
            moves += [Move(f"{shelf.old}/{name}", shelf.place(name)) for name in shelf.names()]
        else:
            moves.append(Move(shelf.old, shelf.new, names=renames_of(shelf.renames) if shelf.renames else None))
    return Moves(moves)


def ways_told(found: Collection) -> Moves:
    """The ways into a collection from where its things came from; what is gone at home came from nowhere."""
    gone = {one.place for one in found.gone}
    names = {one.place: renames_of(one.renames) for one in found.shelves if one.renames}
    return Moves(
        Move(source, found.at(place), names=names.get(place)) for place, source in found.sources() if place not in gone
    )


def names_back(pairs: Sequence[tuple[str, str]]) -> Renames | None:
    """Names on the way back."""
    return renames_of(tuple((new, old) for old, new in pairs)) if pairs else None


def ground_of(trip: Trip) -> Ground:
    """What is compared on a trip that brings a collection home."""
    top = trip.waybill.comes_from
    return Ground(collection_file.at_top(top), back_from(trip.waybill, top), trip.maps())


def bring_together(trip: Trip, row: LedgerRow, target: str) -> Merged:
    """Write into `target`, a copy of a ledger here, what it and the one in the collection became, and keep the history
    of that; what was merged.  Raises CannotMerge.
    """
    ground, line = ground_of(trip), trip.line(row)
    here, there = trip.open_ledger(row, row.path), trip.open_ledger(row, line.merge)
    meeting = ground.meeting(here, there)
    routes = routes_for(trip.waybill, there.path, True, ground.resolver).styled(line.like, line.unlike)
    with on_trial(there, changes_for(there, routes, here.path)) as trial:
        spelt, places = copies.at(there, trial), ground.places(here.path)
        merged, history = copies.write(meeting, here, spelt, target, places, line.prefer)
    note_here(row.place, history, trip.name)
    return merged


def note_settled(trip: Trip) -> None:
    """Keep the history of each ledger that a trip brings home."""
    ground = ground_of(trip)
    for row in trip.logbook.ledgers():
        line = trip.line(row)
        if line.merge or tail_below(row.path, ground.top) is None:
            continue  # which was noted when the two were brought together, or follows new names of files alone
        there = trip.open_ledger(row, row.path)
        if line.over and os.path.isfile(line.over):
            history = taken(ground.meeting(trip.open_ledger(row, line.over), there))
        else:
            history = ground.state_there(there)
        now = copies.at(there, staged_or_placed(trip, row))
        note_here(row.place, respelt(history, now, ground.maps, ground.places(row.place)), trip.name)


def taken(meeting: Meeting) -> History:
    """The history of their copy that takes the place of ours."""
    if meeting.common and meeting.news_here:  # and a person said which holds
        return prevailing(meeting.theirs, meeting.ours)
    return meeting.theirs.history


def kept(meeting: Meeting) -> History:
    """The history of our copy, when a person said that it holds."""
    return prevailing(meeting.ours, meeting.theirs)


def staged_or_placed(trip: Trip, row: LedgerRow) -> str:
    """Where the new content of a ledger lies, before the switch and after it."""
    staged = staged_for(row.place, trip.name)
    return staged if os.path.exists(staged) else row.place


def cut(trip: Trip, row: LedgerRow, staged: str) -> int:
    """Take out of a staged playlist the lines that name nothing that travels; how many went."""
    ground = Ground(collection_file.at_top(trip.waybill.collection), trip.waybill.moves(), trip.maps())
    ledger = copies.at(trip.open_ledger(row, row.path), staged)
    content = PlaylistForm().read(ledger, ground.places(row.place))
    goes = {row.key for row in content.rows if row.table == TRACKS and not row.places}
    without(ledger, staged, content, goes)
    return len(goes)


def note_carried(trip: Trip) -> None:
    """Keep, here and in the collection, the history of each ledger that a trip carries there."""
    found = collection_file.at_top(trip.waybill.collection)
    ground = Ground(found, ways_in(trip.waybill), trip.maps())
    histories = dict(ground.histories)
    for row in trip.logbook.ledgers():
        if tail := tail_below(row.place, found.top):
            ledger = trip.open_ledger(row, row.path)
            history = ground.state_here(ledger)
            now = copies.at(ledger, staged_or_placed(trip, row))
            left = ground.part(history, now, row.place) if trip.line(row).cut else history
            histories[tail] = respelt(left, now, ground.maps, ground.places(row.place))
            note_here(row.path, history, trip.name)
    note_there(found, histories, trip.name)


def unseen(found: Collection, waybill: Waybill, maps: Sequence[Map], undone: Container[str]) -> list[str]:
    """The ledgers of a collection that a carry would write over, although something happened there that is not known
    here.
    """
    ground = Ground(found, ways_in(waybill), maps)
    paths = []
    for line in waybill.ledgers:
        if line.over and os.path.isfile(line.over):
            there = open_ledger(line.over, maps, line.map_name)
            state = ground.state_there(there)
            if found.trip in undone and not ground.lost:  # nobody else has written there since
                known = ground.carried.get(line.over[len(found.top) + 1 :], History())
                news = state.events != known.events
            else:
                here = ground.state_here(open_ledger(line.path, maps, line.map_name))
                news = not state.seen() <= here.seen()
            paths += [line.over] * news
    return paths
