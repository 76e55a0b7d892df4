"""How a collection is: each file against its manifests, each ledger against the last time that the two agreed."""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from functools import partial

from msgspec import Struct, field

from saltcart.carrying.agreement import Then
from saltcart.carrying.sounds import Sounds
from saltcart.carrying.turns import Ground
from saltcart.cart import Cart
from saltcart.errors import SaltCartError
from saltcart.judging.judgements import MISSING
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.base import Ledger
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import Map, load_map
from saltcart.looking.survey import usual_ledgers
from saltcart.mentions.search import known_as
from saltcart.merging.copies import Meeting
from saltcart.merging.merged import Merged
from saltcart.progress import Progress
from saltcart.proving.results import FileProblem
from saltcart.safefile import digest_of
from saltcart.shelves.true_names import without_detours
from saltcart.spelling.moves import above, joined, tail_below
from saltcart.system import os
from saltcart.waybills.collection import CarriedLedger, Collection, Known
from saltcart.waybills.waybill import Waybill

# How a ledger of the collection, and the one here, stand against the last time that the two agreed.
AS_IT_WAS, CHANGED, NONE, SAME, UNKNOWN = "unchanged", "changed", "none", "the same", "a different one"
# What is done about a ledger.
COPY, REPLACE, LEAVE, BOTH, STAYS, MERGE = "copy", "replace", "leave", "both changed", "stays on the drive", "merge"
KEEP, UP_TO_DATE = "keep", "up to date"  # the one here: since a person said so, or since it is what it would become


class LedgerStand(Struct):
    """One ledger of a collection: where it is there and here, how each is, and what will be done.

    `sums` are what its map knows, there and here; `why` says why it is left.  What happened to the two since they were
    one is known by their `meeting`, and when both are brought together, what they become is `merged`.
    """

    carried: CarriedLedger
    there: str
    here: str
    stands_there: str
    stands_here: str
    step: str = LEAVE
    sums: tuple[Mapping[str, int], Mapping[str, int]] = ({}, {})
    why: str = ""
    meeting: Meeting | None = None
    merged: Merged | None = None


class SettlePlan(Struct):
    """What settling a collection means here, and what it will do."""

    found: Collection
    way: str  # HERE, IN_PLACE, BACK, or "" for a look
    homes: dict[str, str]  # of each shelf and single file, by its place there: its place here
    ledgers: list[LedgerStand]
    sounds: Sounds = field(default_factory=Sounds)  # what is new, changed, renamed or gone there
    then: Then = field(default_factory=Then)  # the files as they were when the two agreed last
    coming: dict[str, list[str]] = field(default_factory=dict)  # by shelf, the new files that are copied here
    clashing: dict[str, str] = field(
        default_factory=dict
    )  # files there that differ from those here, which are in the way
    waybill: Waybill = field(default_factory=lambda: Waybill([]))
    unasked: dict[str, str] = field(default_factory=dict)  # places here that only the collection speaks of
    lost: bool = False  # nothing is known of what happened there

    @property
    def something(self) -> bool:
        """Whether anything would be done."""
        waybill = self.waybill
        return bool(waybill.shelves or waybill.ledgers or waybill.newer or waybill.renamed)

    @property
    def problems(self) -> list[FileProblem]:
        """Files that are missing or damaged."""
        gone = [one.there for one in self.ledgers if one.stands_there == NONE]
        return self.sounds.problems + [
            FileProblem(path, MISSING, "is a ledger of the collection, but not there") for path in gone
        ]


def at_home(found: Collection, place: str, source: str, known: Mapping[str, Known]) -> str:
    """Where something of the collection is, or would be, on this computer for this user, of whom it is `known`."""
    if place in known:
        return known[place].path
    tails = (tail_below(source, home) for home in (found.home, *found.homes))
    tail = next((one for one in tails if one is not None), None)
    return source if tail is None else joined(os.path.expanduser("~"), tail)


def stand(
    found: Collection, one: CarriedLedger, homes: Mapping[str, str], known: Mapping[str, Known], ground: Ground
) -> LedgerStand:
    """How one ledger is, there and here."""
    there = found.at(one.place)
    shelf = next((place for place in above(os.path.dirname(one.place)) if place in homes), None)
    inside = shelf and joined(homes[shelf], one.place[len(shelf) + 1 :])
    here = homes.get(one.place) or inside or at_home(found, one.place, one.source, known)
    is_there, is_here = os.path.isfile(there), os.path.isfile(here)
    sums = tuple(
        sums_at(path, ground.maps, one.map_name) if known else {}
        for path, known in ((there, is_there), (here, is_here))
    )
    stood = LedgerStand(
        one, there, here, CHANGED if is_there else NONE, UNKNOWN if is_here else NONE, sums=(sums[0], sums[1])
    )
    with suppress(SaltCartError):
        compare(stood, ground)
    return stood


def compare(stood: LedgerStand, ground: Ground) -> None:
    """Compare a ledger there with the one here, if both exist and can be read."""
    if stood.stands_there == NONE:
        return
    there = open_ledger(stood.there, ground.maps, stood.carried.map_name)
    if stood.stands_here == NONE:
        changed = ground.state_there(there).events != ground.history_there(there).events
        stood.stands_there = CHANGED if changed else AS_IT_WAS
        return
    meeting = ground.meeting(open_ledger(stood.here, ground.maps, stood.carried.map_name), there)
    stood.stands_there = CHANGED if meeting.news_there else AS_IT_WAS
    stood.meeting = meeting
    if meeting.common:
        stood.stands_here = CHANGED if meeting.news_here else AS_IT_WAS
    elif digest_of(stood.here) == digest_of(stood.there):
        stood.stands_here = SAME


def found_here(found: Collection, cart: Cart, stands: Sequence[LedgerStand], progress: Progress) -> dict[str, str]:
    """Where the programs of this machine keep ledgers like those of the collection which would be the first at their
    places: the one of that name and map that a search finds, by their places in the collection.
    """
    lacking = [one for one in stands if one.stands_here == NONE and one.stands_there != NONE]
    maps = [load_map(path) for path in (*found.map_files(), *cart.maps) if os.path.isfile(path)]
    own = {one.name for one in maps}  # a playlist has no program whose folder it must lie in
    if not any(one.carried.map_name in own for one in lacking):
        return {}
    paths, _searched = usual_ledgers(cart, maps, progress)
    paths = [path for path in paths if tail_below(path, found.top) is None and os.path.isfile(path)]
    places = {}
    for one in lacking:
        alike = [path for path in paths if os.path.basename(path) == os.path.basename(one.here)]
        alike = [path for path in alike if known_as(path, maps) == one.carried.map_name]
        if one.carried.map_name in own and len(alike) == 1:
            places[one.carried.place] = alike[0]
    return places


def sums_at(place: str, maps: Sequence[Map], map_name: str) -> Mapping[str, int]:
    """What a ledger says in sums; nothing for one that cannot be read."""
    try:
        return sums_of(place, maps, map_name)
    except SaltCartError:
        return {}


def sums_of(path: str, maps: Sequence[Map], map_name: str) -> dict[str, int]:
    """What a ledger says of its sounds in sums: rows, plays in all, rows with a rating, and ratings in all."""
    known = list(open_ledger(path, maps, map_name).facts())
    sums = {
        "rows": len(known),
        "plays": sum(one.plays or 0 for one in known),
        "rated": sum(bool(one.rating) for one in known),
        "ratings": round(sum(one.rating or 0 for one in known)),
    }
    return sums if sums["plays"] or sums["rated"] else {}


def leads(ledger: Ledger, resolver: Resolver) -> Iterator[str]:
    """Where the entries of a ledger lead."""
    folder = os.path.dirname(ledger.path)
    for entry in map(partial(resolver.settled, folder=folder), ledger.entries()):
        path = resolver.path(entry.spelling, entry.written, resolver.start(entry, folder))
        yield without_detours(path) if path else entry.written
