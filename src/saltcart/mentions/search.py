"""Searching files of any kind for mentions of old places: where programs keep what names sounds, read or not.

Sounds, and what is plainly no text or database, are passed over by name or beginning; what is too large or cannot be
read is counted and told.  Nothing is written, no link is followed, no other drive is entered that nobody asked for.
What named none of the folders the last time, and has not changed since, is not read again.
"""

import os
from collections import Counter
from collections.abc import Iterator, Sequence
from contextlib import suppress

from msgspec import Struct, field

from saltcart.errors import Refused, SaltCartError, show
from saltcart.home import home, is_a_home
from saltcart.ledgers import Map, recognised
from saltcart.ledgers.sqlite.opening import claims
from saltcart.mentions.content import Mention
from saltcart.mentions.place_forms import PlaceForms
from saltcart.mentions.readers import Batch, Readers
from saltcart.mentions.unchanged import Unchanged
from saltcart.own_names import SET_ASIDE, is_temporary
from saltcart.progress import Progress, Tick, silent
from saltcart.shelves.audio import kind_of
from saltcart.shelves.manifest import SUFFIXES
from saltcart.shelves.walk import FILE, Item, walk
from saltcart.spelling.moves import tail_below
from saltcart.trips.trip import opened
from saltcart.waybills.collection import NAME, is_collection, read

LARGEST = 512 << 20  # bytes; larger files that are no databases are told and not read
OURS = "ours"
CACHES = {".cache", "Cache", "Caches", ".Trash", "Trash", ".git", "__pycache__", "node_modules"}
MANIFESTS = tuple(SUFFIXES.values())
BATCH_FILES, BATCH_BYTES = 200, 8 << 20


class Search(Struct):
    """What a search found, over which places, how many files were gone through, and why some were not.

    Of the files, `unchanged` were read by an earlier search for the same folders.
    """

    places: list[str]
    found: list[Mention] = field(default_factory=list)
    files: int = 0
    unchanged: int = 0
    passed_over: Counter[str] = field(default_factory=Counter)


def search(forms: Sequence[PlaceForms], places: Sequence[str], progress: Progress = silent) -> Search:
    """Every file in `places` that names one of the folders.  Raises Refused for a place that is not there."""
    result = Search(tops_of(places))
    unchanged = Unchanged(forms)
    with Readers(forms) as readers:
        for batch, answers in readers.read(batches(result, unchanged)):
            for (path, item), answer in zip(batch, answers, strict=True):
                if isinstance(answer, Mention):
                    result.found.append(answer)
                elif answer is None:
                    unchanged.remember(path, item)
                else:
                    result.passed_over["could not be read"] += 1
            progress(Tick("search for mentions", batch[-1][0], result.files, 0))
    unchanged.keep()
    result.found.sort(key=lambda mention: mention.path)
    return result


def tops_of(places: Sequence[str]) -> list[str]:
    """The places, without those that lie in others.  Raises Refused for one that is not there."""
    tops: list[str] = []
    for place in places:
        top = os.path.realpath(os.path.expanduser(place))
        if not os.path.lexists(top):
            raise Refused(f"{show(place)} is not there", "Name folders or files to search.")
        if not any(tail_below(top, other) is not None for other in tops):
            tops = [*(other for other in tops if tail_below(other, top) is None), top]
    return tops


def batches(result: Search, unchanged: Unchanged) -> Iterator[Batch]:
    """The files to be read, some at a time."""
    batch: Batch = []
    size = 0
    for top in result.places:
        for path, item in candidates(top, result):
            result.files += 1
            if unchanged.knows(path, item):
                result.unchanged += 1
                continue
            batch.append((path, item))
            size += item.size
            if len(batch) == BATCH_FILES or size > BATCH_BYTES:
                yield batch
                batch, size = [], 0
    if batch:
        yield batch


def candidates(top: str, result: Search) -> Iterator[tuple[str, Item]]:
    """The files below `top` that may name something."""
    own, lead = str(home()), top.rstrip("/") + "/"

    def enter(folder: str) -> bool:
        why = passed_over(os.path.join(top, folder), own)
        if why not in ("", OURS):
            result.passed_over[why] += 1
        return not why

    for item in walk(top, lambda _path, _error: result.passed_over.update(["could not be read"]), enter):
        if item.kind is not FILE or not item.size:
            continue
        path = f"{lead}{item.path}" if item.path else top
        if kind_of(path):
            result.passed_over["sounds"] += 1
        elif item.size > LARGEST and not is_database(path):
            result.passed_over["too large"] += 1
        elif not is_own(path.rpartition("/")[2]):
            yield path, item


def is_own(name: str) -> bool:
    """Whether a file of that name is a manifest or a temporary one of ours."""
    return name.endswith(MANIFESTS) or is_temporary(name)


def passed_over(path: str, own: str) -> str:
    """Why a folder is not gone into, "" when it is: what a trip set aside and our own data are ours."""
    name = os.path.basename(path)
    if SET_ASIDE.search(name) or path == own or is_a_home(path):
        return OURS
    if name in CACHES:
        return "cache folders"
    if is_collection(path) and made_by_trip(path):
        return "collections that travel"  # settled on their own, and made true by that
    return "tops of other drives" if os.path.ismount(path) else ""


def made_by_trip(top: str) -> bool:
    """Whether a trip of this computer made the collection in the folder `top`.

    What lies there does not alone decide that nothing is searched: anybody can have put it there.
    """
    with suppress(SaltCartError, OSError), opened(read(os.path.join(top, NAME)).trip) as trip:
        return trip.waybill.collection == top
    return False


def is_database(path: str) -> bool:
    """Whether a file is an SQLite database."""
    with suppress(OSError), open(path, "rb") as stream:
        return claims(stream.read(16))
    return False


def known_as(path: str, maps: Sequence[Map]) -> str | None:
    """The format or map that reads a file, or None."""
    try:
        ledger = recognised(path, maps)
    except SaltCartError:
        return None
    return ledger.map_name if ledger else None
