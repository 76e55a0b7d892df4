"""What a collection says of itself: its record, and the words for whoever finds the drive."""

from collections.abc import Container, Iterator, Mapping, Sequence
from contextlib import suppress
from datetime import UTC, datetime

from saltcart.carrying.histories import clear_there
from saltcart.carrying.identity import machine, user, whoami
from saltcart.carrying.lists import write_lists
from saltcart.carrying.own_record import note
from saltcart.carrying.stands import leads, sums_of
from saltcart.errors import SaltCartError, counted, show
from saltcart.ledgers.maps import load_map
from saltcart.own_names import staged_for
from saltcart.rewriting.routes import starts_somewhere
from saltcart.safefile import digest_of, replacing
from saltcart.shelves.walk import FILE
from saltcart.spelling import spelling_of
from saltcart.spelling.moves import lies_in, tail_below
from saltcart.system import os
from saltcart.trips import trip as trips
from saltcart.trips.facts import Fact
from saltcart.trips.holding import held
from saltcart.trips.records import LedgerRow
from saltcart.trips.trip import Trip
from saltcart.trips.trip_shelf import TripShelf
from saltcart.waybills import collection, collection_file
from saltcart.waybills.collection import CarriedFile, CarriedLedger, CarriedShelf, Collection, Known
from saltcart.waybills.relinks import RELATIVE
from saltcart.waybills.shelf import ChosenFiles


def known_collection(top: str) -> Collection | None:
    """The collection that is in a folder already.  Raises BadFile when its carried.toml cannot be read."""
    path = os.path.join(top, collection.NAME)
    return collection_file.read(path) if os.path.lexists(path) else None


def finish(name: str, lists: bool = False, unread: Sequence[str] | None = None) -> tuple[Collection, int]:
    """Write beside the sounds of a carry what another machine needs to know; what was written.  With `lists` the named
    lists of databases as files too; how many of their tracks did not travel.  It is noted which files at home are
    `unread`, where that was looked for.
    """
    with trips.opened(name) as trip:
        known = known_collection(trip.waybill.collection)
        made = described(trip, known)
        lists = lists or bool(known and known.lists)  # once asked for, they are kept up to date
        plays = any(one.relative for one in made.ledgers)
        made.lists, lacking = write_lists(trip, made, known, lists, not plays)
    made.gone = [one for one in made.gone if os.path.isfile(made.at(one.place))]
    made.unread = known.unread if known and unread is None else places_in(trip, made.top, unread or ())
    made.read_me = write_read_me(made, known.read_me if known else "")
    collection_file.write(made)
    with held(name) as trip:
        clear_there(made.top, name, trip.waybill.after)
        trip.logbook.record({Fact.COLLECTION_WRITTEN: True})
    return made, lacking


def places_in(trip: Trip, top: str, paths: Sequence[str]) -> list[str]:
    """The places in a collection that files at home have there."""
    places = (trip.waybill.moves().follow(path) for path in paths)
    return [tail for place in places if place and (tail := tail_below(place, top))]


def write_record(trip: Trip, place: str) -> str:
    """Write at `place` what a collection says of itself once this trip has switched; its digest.  What is written
    beside the sounds after that, `finish` adds.
    """
    known = known_collection(trip.waybill.collection)
    made = described(trip, known, {row.place: staged_for(row.place, trip.name) for row in trip.logbook.ledgers()})
    if known:
        made.lists, made.read_me, made.unread = known.lists, known.read_me, known.unread
    return collection_file.write(made, place)


def described(trip: Trip, known: Collection | None, staged: Mapping[str, str] | None = None) -> Collection:
    """What is in the collection that a trip makes, or brings up to date from what was `known`.  Before the switch,
    ledgers are read where they are `staged`, by their places.
    """
    top, name = trip.waybill.collection, trip.name
    made = Collection(
        datetime.now(UTC).isoformat(), machine(), user(), whoami(), os.path.expanduser("~"), name, top=top
    )
    made.means, made.arrange = trip.waybill.means, trip.waybill.arrange
    made.gone, made.known = (known.gone, [*known.known]) if known else ([], [])
    made.homes = [one for one in dict.fromkeys([known.home, *known.homes]) if one != made.home] if known else []
    ledgers = [row for row in trip.logbook.ledgers() if tail_below(row.place, top)]
    add_sounds(trip, made, {row.place for row in ledgers})
    made.ledgers = [carried_ledger(trip, row, top, (staged or {}).get(row.place, row.place)) for row in ledgers]
    homes = {row.path: trip.line(row).digest or row.before or "" for row in ledgers}
    fresh = made.sources()
    keep_others(made, known)
    here = [one for one in made.ledgers if one.source in homes]
    rows = [Known(whoami(), place, source, trip=name) for place, source in fresh]
    rows += [Known(whoami(), one.place, one.source, one.digest, homes[one.source], name) for one in here]
    note(rows)
    made.learn(rows)
    return made


def add_sounds(trip: Trip, made: Collection, ledgers: Container[str]) -> None:
    """Add the shelves, single files and maps that a trip brought into a collection; at `ledgers` lie its ledgers."""
    for one in trip.shelves:
        shelf = one.shelf
        place = shelf.new[len(made.top) + 1 :]
        if isinstance(shelf, ChosenFiles):
            made.files += chosen_files(trip, one)
        elif not shelf.along:
            files, size = one.totals()
            made.shelves.append(CarriedShelf(shelf.name, place, shelf.old, shelf.old_drive, files, size, shelf.renames))
        elif shelf.old in trip.waybill.maps:
            made.maps.append((load_map(shelf.old).name, place))
        elif shelf.new not in ledgers:
            digest = next((row.digest for row in one.rows() if row.digest), "") or ""
            made.files.append(CarriedFile(place, shelf.old, trip.waybill.digests, digest))


def keep_others(made: Collection, before: Collection | None) -> None:
    """Let what earlier carries brought into the collection, and this one had nothing to do with, stay in its list."""
    if before is None:
        return
    places = {place for place, _source in made.sources()} | {one.place for one in made.ledgers}
    gone = {one.place for one in made.gone}
    made.shelves += [one for one in before.shelves if one.place not in places]
    made.ledgers += [one for one in before.ledgers if one.place not in places and one.place not in gone]
    made.files += [one for one in before.files if one.place not in places and one.place not in gone]
    made.maps += [pair for pair in before.maps if pair[1] not in {place for _name, place in made.maps}]


def chosen_files(trip: Trip, one: TripShelf) -> Iterator[CarriedFile]:
    """The files of a shelf of chosen ones, each separately."""
    top = trip.waybill.collection
    for row in one.rows(kind=FILE):
        place = one.place(row)[len(top) + 1 :]
        yield CarriedFile(place, f"{one.shelf.old}/{row.item.path}", trip.waybill.digests, row.digest or "")


def carried_ledger(trip: Trip, row: LedgerRow, top: str, place: str) -> CarriedLedger:
    """What the collection says of one ledger, of which the content lies at `place` just now."""
    entries = list(trip.logbook.entries(row.number))
    relative = trip.line(row).like == RELATIVE
    full = [entry.old for entry in entries if entry.old != entry.new and is_full(entry.old)][:1] if relative else []
    unlike = {entry.new for entry in entries if not is_full(entry.old)} if full else set()
    sums: Mapping[str, int] = {}
    with suppress(SaltCartError):
        sums = sums_of(place if os.path.exists(place) else row.place, trip.maps(), row.map_name)
    return CarriedLedger(
        row.place[len(top) + 1 :],
        row.path,
        row.map_name,
        row.after or row.before or "",
        relative,
        len(entries),
        came_along(trip, row),
        "".join(full),
        sums,
        tuple(sorted(unlike)),
    )


def came_along(trip: Trip, row: LedgerRow) -> int:
    """How many entries of a ledger name what came along, from wherever it was."""
    moves, resolver = trip.waybill.moves(), trip.waybill.resolver()
    tops = {shelf.new for shelf in trip.waybill.shelves if not isinstance(shelf, ChosenFiles)}
    places = map(moves.follow, leads(trip.open_ledger(row, row.path), resolver))
    return sum(os.path.isfile(place) or (os.path.isdir(place) and lies_in(place, tops)) for place in places if place)


def is_full(text: str) -> bool:
    """Whether a text is a full path in whatever manner."""
    spelling = spelling_of(text)
    return spelling is not None and not starts_somewhere(spelling, text)


def write_read_me(made: Collection, before: str) -> str:
    """Write the words for the person who finds the drive; their digest.  A file of that name that is not what we wrote
    there `before`, by its digest, is a person's, and stays.
    """
    path = os.path.join(made.top, collection.READ_ME)
    if os.path.lexists(path) and (os.path.islink(path) or digest_of(path) != before):
        return before
    with replacing(path) as neighbour, open(neighbour, "w", encoding="utf-8", newline="\r\n") as stream:
        stream.write(read_me(made))
    return digest_of(path)


def read_me(made: Collection) -> str:
    """The text for a person who finds the drive."""
    full = [one for one in made.ledgers if not one.relative]
    lines = [
        "This folder is a collection of sounds that travels.",
        "",
        f"Made on {made.made[:10]} on the computer {show(made.machine)} by {show(made.user)}.",
        f"It holds {counted(sum(one.files for one in made.shelves) + len(made.files), 'file', 'files')}:",
        *(f"    {show(one.place)}" for one in made.shelves),
        "",
        "To play it, open a playlist or library from here. They find the sounds in the folders next to them, so they",
        "work on any computer, whatever this drive is called there. Do not rename or move single folders in it.",
        "",
        *(f"    {show(one.place)}" for one in made.ledgers if one.relative),
    ]
    if full:
        lines += ["", "These can store only full paths, and work only on the computer they come from until they are"]
        lines += ["settled:", *(f"    {show(one.place)}" for one in full)]
    lines += [
        "",
        "To use it on a computer that has Salt Cart:    saltcart settle   in this folder.",
        "To verify that nothing is damaged: the files that end in .saltcart.b3 are lists for b3sum --check.",
        "",
    ]
    return "\n".join(lines)
