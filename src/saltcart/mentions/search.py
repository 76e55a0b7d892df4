"""Searching files of any kind for mentions of old places: where programs keep files that refer to sounds, known or not.

Sounds, and what is plainly no text or database, are passed over by their headers; what is too large or cannot be read
is reported as a gap.  Nothing is written, no link is followed, no other drive is entered that nobody asked for.  What
named none of the folders the last time, and has not changed since, is not read again.
"""

import re
from collections import Counter
from collections.abc import Container, Iterator, Sequence
from contextlib import suppress
from typing import NamedTuple

from msgspec import Struct, field

from saltcart.errors import Refused, SaltCartError, show
from saltcart.home import home, is_a_home, trips_folder
from saltcart.ledgers.kinds import recognised
from saltcart.ledgers.maps import Map
from saltcart.ledgers.sqlite.opening import claims
from saltcart.mentions.file_types import holds_no_references
from saltcart.mentions.mention import Mention
from saltcart.mentions.packed import installs, is_packed
from saltcart.mentions.place_forms import HEAD, PlaceForms, leads_elsewhere
from saltcart.mentions.readers import CLOSED, TOO_LARGE, TOO_MUCH, UNREADABLE_WORD, Batch, Readers, closed, vanished
from saltcart.mentions.search_places import within
from saltcart.mentions.unchanged import Unchanged
from saltcart.own_names import PART, SET_ASIDE, trip_of
from saltcart.progress import Progress, Tick, silent
from saltcart.shelves.audio import kind_of
from saltcart.shelves.beginning import beginning
from saltcart.shelves.manifest import SUFFIXES, is_manifest
from saltcart.shelves.sound_stream import BEGINNING, begins_as_sound
from saltcart.shelves.walk import FILE, LINK, Item, walk
from saltcart.spelling.moves import tail_below
from saltcart.system import here, os
from saltcart.trips.holding import marked
from saltcart.trips.trip import opened
from saltcart.waybills.collection import NAME, is_collection
from saltcart.waybills.collection_file import read

LARGEST = 512 << 20  # bytes; larger files that are no databases are reported and not read
OURS = "ours"
NOT_MEANT = "left out, as you said"
# Names of folders for deleted files, and what in them each is recognised by: everything, or these.
TRASHES = (
    (re.compile(r"\.?Trash(-\d+)?"), re.compile(r"files|info"), True),  # specifications.freedesktop.org/trash-spec
    (re.compile(r"\.Trashes"), re.compile(r"\d+"), False),  # a folder for each user
    (re.compile(r"\$RECYCLE\.BIN"), re.compile(r"S-1-[\d-]+|desktop\.ini"), False),
)
SNIFFED = 256 << 10  # bytes; a smaller file with the suffix of a sound is looked at: a text may have any name
MOST_GAPS = 1000
MANIFESTS = tuple(SUFFIXES.values())
BATCH_FILES, BATCH_BYTES = 200, 8 << 20


class Gap(Struct, frozen=True):
    """What a search did not see, and why: there may be anything in it."""

    path: str
    why: str


class Search(Struct):
    """What a search found, over which places, how many files were gone through, and which were not.

    Of the files, `unchanged` were read by an earlier search for the same folders.  What was `passed_over`, by why, can
    name nothing, or is not meant; of the rest, the first of the `gaps`, and their number by why.  The `links` that were
    met lead into the folders, or to what holds them; with each, to where.  Of what is in `pieces` nobody knows yet
    whether it makes a path: the folders whose names are values of their own, by file.
    """

    places: list[str]
    found: list[Mention] = field(default_factory=list)
    files: int = 0
    unchanged: int = 0
    passed_over: Counter[str] = field(default_factory=Counter)
    gaps: list[Gap] = field(default_factory=list)
    gap_counts: Counter[str] = field(default_factory=Counter)
    links: dict[str, str] = field(default_factory=dict)
    pieces: dict[str, list[str]] = field(default_factory=dict)

    def take(self, mention: Mention) -> None:
        """Take up one more file."""
        if mention.count or mention.above:
            self.found.append(mention)
        if mention.pieces:
            self.pieces[mention.path] = mention.pieces

    def miss(self, path: str, why: str) -> None:
        """Take up one more gap."""
        self.gap_counts[why] += 1
        if self.gap_counts[why] <= MOST_GAPS:
            self.gaps.append(Gap(path, why))

    def trouble(self, path: str, error: OSError) -> None:
        """Take up what the system refused."""
        if closed(path, error):
            self.passed_over[CLOSED] += 1
        elif not vanished(path, error):
            self.miss(path, UNREADABLE_WORD)


def search(
    forms: Sequence[PlaceForms],
    places: Sequence[str],
    progress: Progress = silent,
    without: Sequence[str] = (),
    originals: bool = False,
) -> Search:
    """Every file in `places` that names one of the folders, `without` what lies in places that are not meant; where the
    `originals` alone are asked for, no file that means a copy of them.  Raises Refused for a place that is not there.
    """
    result = Search(tops_of(places))
    unchanged = Unchanged(forms)
    walked = Walked(result, frozenset(without), [one.place for one in forms if not one.alone])
    with Readers(forms) as readers:
        for batch, answers in readers.read(batches(walked, unchanged)):
            for (path, item), answer in zip(batch, answers, strict=True):
                if isinstance(answer, Mention):
                    result.take(answer)
                elif answer is None:
                    unchanged.remember(path, item)
                elif answer == CLOSED:
                    result.passed_over[CLOSED] += 1
                else:
                    result.miss(path, TOO_MUCH if answer == TOO_MUCH else UNREADABLE_WORD)
            progress(Tick("search for mentions", batch[-1][0], result.files, 0))
    unchanged.keep()
    if originals:
        result.found = [mention for mention in result.found if not means_others(mention, forms)]
    result.found.sort(key=lambda mention: mention.path)
    return result


def means_others(mention: Mention, forms: Sequence[PlaceForms]) -> bool:
    """Whether all that a file says are paths that do not say where they begin, and lead from the file to other things.
    That is asked each time, for these may go.
    """
    if mention.above or mention.count > sum(mention.loose.values()):
        return False
    folder = os.path.dirname(mention.path)
    tails = {(one.place, form): tail for one in forms for form, tail in one.loose.items()}
    return all(leads_elsewhere(tails[key], folder, key[0]) for key in mention.loose)


def tops_of(places: Sequence[str]) -> list[str]:
    """The places, without those that lie in others on the same drive.  Raises Refused for one that is not there."""
    tops: list[str] = []
    for place in places:
        top = os.path.realpath(os.path.expanduser(place))
        if not os.path.lexists(top):
            raise Refused(f"{show(place)} is not there", "Name folders or files to search.")
        if not any(within(top, other) for other in tops):
            tops = [*(other for other in tops if not within(other, top)), top]
    return tops


class Walked(NamedTuple):
    """What a search goes through: what it found so far, `without` which places, for which folders."""

    result: Search
    without: frozenset[str]
    places: Sequence[str]


def batches(walked: Walked, unchanged: Unchanged) -> Iterator[Batch]:
    """The files to be read, some at a time."""
    batch: Batch = []
    size, result = 0, walked.result
    for top in result.places:
        for path, item in candidates(top, walked):
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


def candidates(top: str, walked: Walked) -> Iterator[tuple[str, Item]]:
    """The files below `top` that may name something; links are noted on the way."""
    ours, lead, result = home().as_posix(), top.rstrip("/") + "/", walked.result
    mounts = frozenset(mount.place for mount in here.mounts())

    def enter(folder: str) -> bool:
        path = os.path.join(top, folder)
        why = NOT_MEANT if path in walked.without else passed_over(path, ours, mounts)
        if why not in ("", OURS) and path not in result.places:
            result.passed_over[why] += 1
        return not why

    for item in walk(top, result.trouble, enter):
        path = f"{lead}{item.path}" if item.path else top
        if item.kind is LINK:
            note_link(path, item.target or "", walked)
        elif item.kind is FILE and item.size:
            if why := not_read(path, item.size, top, walked):
                result.passed_over[why] += 1
            elif item.size > LARGEST and not is_database(path):
                result.miss(path, TOO_LARGE)
            elif not is_own(path):
                yield path, item


def not_read(path: str, size: int, top: str, walked: Walked) -> str:
    """Why a file of that size below `top` need not be read; "" for one that may name something."""
    if path in walked.without:
        return NOT_MEANT
    # Beginnings are only read of small ones: a large file with the suffix of a sound is one, but a database may be
    # small and called .wav.
    if kind_of(path) and (size > SNIFFED or sounds(path)):
        return "sounds"
    if top in here.SHARED_PLACES and installed(path):
        return "installed for all users"
    too_large = size > LARGEST and not is_database(path)
    return "programs and films" if too_large and names_nothing(path, size) else ""


def note_link(path: str, target: str, walked: Walked) -> None:
    """Take up a link that leads into one of the folders, or to what holds one; through other links, too."""
    near = os.path.normpath(os.path.join(os.path.dirname(path), target))
    end = os.path.realpath(path)  # elsewhere, when a signpost is at the old place
    for place in (near, end):
        for folder in walked.places:
            inside = tail_below(place, folder) is not None and tail_below(path, folder) is None
            if inside or (place not in here.ROOTS and tail_below(folder, place)):
                walked.result.links[path] = place
                return


def installed(path: str) -> bool:
    """Whether a file among programs that all users share is the system's, and closed to what this user runs: no program
    of theirs can have written there what it refers to.
    """
    with suppress(OSError):
        state = os.lstat(path)
        return state.st_uid == 0 and not here.is_administrator() and not os.access(path, os.W_OK)
    return False


def sounds(path: str) -> bool:
    """Whether a file begins as sounds do."""
    with suppress(OSError):
        return begins_as_sound(beginning(path, BEGINNING))
    return False


def is_own(path: str) -> bool:
    """Whether a file is a manifest, what a collection says of itself, or a temporary one of a trip of ours."""
    name = path.rpartition("/")[2]
    if name == NAME:
        return says_what_it_is(path)
    if ".saltcart" not in name:
        return False
    half_copied = PART.fullmatch(name) is not None and bool(marked())  # by a trip that is under way, or was interrupted
    return half_copied or is_of_trip(trip_of(name)) or (name.endswith(MANIFESTS) and is_manifest(path))


def says_what_it_is(path: str) -> bool:
    """Whether a file is what a collection says of itself: where its things came from, which is not where they are."""
    with suppress(SaltCartError, OSError):
        return bool(read(path).trip)
    return False


def is_of_trip(trip: str | None) -> bool:
    """Whether a trip of that id is in our record; what only looks like ours may be anybody's."""
    return trip is not None and (trips_folder() / trip).is_dir()


def passed_over(path: str, own: str, mounts: Container[str] = ()) -> str:
    """Why a folder is not gone into, "" when it is: what a trip set aside and our own data are ours."""
    name = os.path.basename(path)
    aside = SET_ASIDE.search(name)
    if (aside and is_of_trip(aside[1])) or path == own or is_a_home(path):
        return OURS
    if is_trash(path, name):
        return "trash"
    if name == "objects" and is_versions(os.path.dirname(path)):
        return "old versions of sources"
    if is_collection(path) and made_by_trip(path):
        return "collections that travel"  # settled on their own, and made true by that
    return "top folders of other drives" if path in mounts or (not mounts and os.path.ismount(path)) else ""


def is_trash(path: str, name: str) -> bool:
    """Whether a folder holds what was thrown away: by its name and by what is in it."""
    for called, inner, both in TRASHES:
        if called.fullmatch(name):
            with suppress(OSError):
                inside = os.listdir(path)
                told = [one for one in inside if inner.fullmatch(one)]
                return len(told) == 2 if both else bool(inside) and len(told) == len(inside)
    return False


def is_versions(folder: str) -> bool:
    """Whether a folder is where a version control keeps what was: it packs each version of each file."""
    return all(os.path.exists(os.path.join(folder, part)) for part in ("HEAD", "refs", "objects"))


def made_by_trip(top: str) -> bool:
    """Whether a trip of this computer made the collection in the folder `top`.

    What lies there does not decide by itself that nothing is searched: anybody can have put it there.
    """
    with suppress(SaltCartError, OSError), opened(read(os.path.join(top, NAME)).trip) as trip:
        return trip.waybill.collection == top
    return False


def is_database(path: str) -> bool:
    """Whether a file is an SQLite database."""
    with suppress(OSError):
        return claims(beginning(path, BEGINNING))
    return False


def names_nothing(path: str, size: int) -> bool:
    """Whether a file is of a type that holds no references, by how it begins, or what a program is installed from."""
    try:
        head = beginning(path, HEAD)
    except OSError:
        return False
    return holds_no_references(head, size) or (is_packed(head) and installs(path))


def known_as(path: str, maps: Sequence[Map]) -> str | None:
    """The format or map that reads a file, or None."""
    try:
        ledger = recognised(path, maps)
    except SaltCartError:
        return None
    return ledger.map_name if ledger else None
