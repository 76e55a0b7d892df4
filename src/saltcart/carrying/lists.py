"""The named lists of databases as M3U8 files in a collection, for players that read nothing else.

Each names the sounds from where it lies: extended M3U in UTF-8, one path a line after a line of length and title.
"""

from collections.abc import Iterator, Mapping

from saltcart.carrying.stands import leads
from saltcart.drives import drive_of
from saltcart.drives.limits import allowed
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.containers.json_lists import JsonLists, listed
from saltcart.ledgers.facts import Facts
from saltcart.ledgers.sqlite.ledger import SqliteLedger
from saltcart.ledgers.sqlite.lists import Listed, named_lists
from saltcart.ledgers.text_ledger import TextLedger
from saltcart.ledgers.textual import decoded
from saltcart.planning.strays import numbered
from saltcart.safefile import digest_of, make_folders, replacing
from saltcart.shelves.audio import kind_of
from saltcart.shelves.walk import FILE
from saltcart.spelling import Moves
from saltcart.system import os
from saltcart.trips.trip import Trip
from saltcart.waybills.collection import CarriedList, Collection

LISTS = "Lists"


def write_lists(
    trip: Trip, made: Collection, before: Collection | None, named: bool, whole: bool
) -> tuple[list[CarriedList], int]:
    """Write the `named` lists of a carry's databases into the collection, and one of the `whole` of it where no other
    would play; what was written, and how many tracks of the named did not travel.  A list that was changed there since
    it was written stays as it is.
    """
    known = {one.place: one.digest for one in before.lists} if before else {}
    written: list[CarriedList] = []
    lacking = 0
    for source, one in lists_of(trip) if named else ():
        lacking += write_list(trip, made, source, one, known, written)
    if whole and not written:
        everything = Listed("everything", [Facts(path, path) for path in sounds(trip)])
        write_list(trip, made, made.home, everything, known, written)
    return written, lacking


def write_list(
    trip: Trip, made: Collection, source: str, one: Listed, known: Mapping[str, str], written: list[CarriedList]
) -> int:
    """Write one list, and add it to what is `written`; how many of its tracks did not travel."""
    folder = made.at(LISTS)
    lines, missing = text_of(one, trip.waybill.moves(), folder)
    if not lines:
        return missing
    name = allowed(one.name.replace("/", "_").strip() or "list", drive_of(made.top).limits).name
    taken = {each.place.casefold() for each in written}
    places = (f"{LISTS}/{stem}.m3u8" for stem in numbered(name))
    place = next(each for each in places if each.casefold() not in taken)
    path = made.at(place)
    ours = not os.path.lexists(path) or digest_of(path) == known.get(place)
    if ours:
        make_folders(folder, inside=made.top)
        with replacing(path) as neighbour, open(neighbour, "w", encoding="utf-8", errors="surrogateescape") as out:
            out.write("#EXTM3U\n" + "".join(lines))
    written.append(CarriedList(place, source, one.name, digest_of(path) if ours else known.get(place, "")))
    return missing


def sounds(trip: Trip) -> Iterator[str]:
    """The sounds that travel, by their paths at home."""
    for one in trip.shelves:
        for row in one.rows(kind=FILE):
            if kind_of(row.item.path or one.shelf.old):
                yield f"{one.shelf.old}/{row.item.path}".rstrip("/")


def lists_of(trip: Trip) -> Iterator[tuple[str, Listed]]:
    """Every list of the databases of a trip as they are at home, with the database."""
    for row in trip.logbook.ledgers():
        ledger = trip.open_ledger(row, row.path)
        if isinstance(ledger, SqliteLedger):
            yield from ((row.path, one) for one in named_lists(ledger))
        elif isinstance(ledger, TextLedger):
            where = next((plan.lists for plan in trip.maps() if plan.name == ledger.map_name), None)
            if isinstance(where, JsonLists):
                yield from ((row.path, one) for one in lists_in(ledger, where, trip.waybill.resolver()))


def lists_in(ledger: TextLedger, where: JsonLists, resolver: Resolver) -> Iterator[Listed]:
    """The lists in a JSON document, with where their tracks lead."""
    spots = (entry.where for entry in ledger.entries())
    known = {spot[:2]: path for spot, path in zip(spots, leads(ledger, resolver), strict=True)}
    for name, tracks in listed(decoded(ledger.find().data).text, where):
        yield Listed(name, [Facts(track, known[track]) for track in tracks if track in known])


def text_of(one: Listed, moves: Moves, folder: str) -> tuple[list[str], int]:
    """The lines of a list as it lies in `folder`, and how many of its tracks are left out, because they do not
    travel."""
    lines = []
    for track in one.tracks:
        place = moves.follow(track.path)
        if place and os.path.isfile(place) and "\n" not in place and "\r" not in place:
            lines.append(f"{about(track)}{os.path.relpath(place, folder)}\n")
    return lines, len(one.tracks) - len(lines)


def about(track: Facts) -> str:
    """The line of length and title before a path; none where nothing is known."""
    words = " - ".join(" ".join(word.split()) for word in (track.artist, track.title) if word)
    return f"#EXTINF:{round(track.length or -1)},{words}\n" if words else ""
