"""What speaks for a file being the one that a lost entry meant, in words and points."""

import re
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from saltcart.drives.drive import find_drive
from saltcart.drives.known import remembered
from saltcart.mending.losses import Lost
from saltcart.shelves import manifest
from saltcart.shelves.digests import BLAKE3, SHA256, digest_file
from saltcart.shelves.headers import Header, cut_off, read_header
from saltcart.shelves.tags import tags_of
from saltcart.spelling import Move
from saltcart.spelling.moves import joined, tail_below
from saltcart.system import here, os
from saltcart.trips import history
from saltcart.trips import trip as trips
from saltcart.trips.trip import RELEASED, SWITCHED

DIGEST, TRIP, DRIVE, HOME = "digest", "trip", "same drive", "home folder"
SIZE, LENGTH, TITLE, ARTIST, TRACK = "size", "length", "title", "artist", "track number"
END = "end"  # which is not there: the file was copied in part
FOLDERS, NEIGHBOURS, NAME = "folders", "neighbours", "only file of its name"
# What each is worth; a rule is proven at ENOUGH.
POINTS = dict.fromkeys((DIGEST, TRIP, DRIVE, HOME), 4) | {SIZE: 2, LENGTH: 2, TITLE: 1, ARTIST: 1, TRACK: 1}
POINTS |= {FOLDERS: 1, NEIGHBOURS: 1, NAME: 2}
ENOUGH = 4
STRONG = (DIGEST, TRIP, DRIVE, HOME)
# Seconds by which lengths may differ: written to the hundredth, of long sounds as encoders pad them, of whole seconds.
TOLERANCE, PADDED, ROUNDED = 0.011, 0.06, 1.0
SHORT, LONG = 0.1, 10.0  # below the one, and for whole seconds below the other, lengths tell nothing apart
HOMES = ("/home", "/Users")
WORDS = re.compile(r"[^\W_]+")


class Facts(NamedTuple):
    """What of a lost sound agrees with a file, and what contradicts it."""

    agree: tuple[str, ...]
    contradict: tuple[str, ...]

    @property
    def points(self) -> int:
        """What the agreement is worth."""
        return sum(POINTS[one] for one in self.agree)


def said(lost: Lost, word: str, facts: Facts) -> object:
    """What a lost sound says of itself that agrees, under that word; a track number says nothing without its title."""
    if word == TRACK:
        return lost.title if TITLE in facts.agree else None
    return getattr(lost, word)


SAME_SIZE = Facts((SIZE,), ())


class Files:
    """Answers questions about candidate files, each asked once; `headers` counts those that were opened."""

    def __init__(self) -> None:
        self.sizes: dict[str, int | None] = {}
        self.read: dict[str, Header] = {}
        self.digests: dict[tuple[str, str], str | None] = {}

    @property
    def headers(self) -> int:
        """How many headers were read."""
        return len(self.read)

    def size(self, path: str) -> int | None:
        """Bytes, None when it cannot be told."""
        if path not in self.sizes:
            try:
                self.sizes[path] = os.stat(path).st_size
            except OSError:
                self.sizes[path] = None
        return self.sizes[path]

    def header(self, path: str) -> Header:
        """What its header says."""
        if path not in self.read:
            self.read[path] = read_header(path)
        return self.read[path]

    def digest(self, path: str, kind: str) -> str | None:
        """Its digest, None when it cannot be read."""
        if (path, kind) not in self.digests:
            try:
                self.digests[path, kind] = digest_file(path, kind)
            except OSError:
                self.digests[path, kind] = None
        return self.digests[path, kind]

    def by_content(self, lost: Lost, path: str) -> Facts | None:
        """What digest, size and end of the file at `path` say of it; None where these leave it open."""
        same_size = lost.size is not None and lost.size == self.size(path)
        if lost.digest and len(lost.digest) == 64 and (same_size or lost.size is None):
            if lost.digest.lower() in (self.digest(path, kind) for kind in (BLAKE3, SHA256)):
                return Facts((DIGEST,), ())
            if same_size or lost.length is None:
                return Facts((), (DIGEST,))
        if same_size:  # which says all of the rest too, and takes no reading
            return SAME_SIZE
        return Facts((), (END,)) if cut_off(path) else None

    def facts(self, lost: Lost, path: str) -> Facts:
        """What of `lost` agrees with the file at `path`.

        Another size alone is no contradiction where the length agrees: tags may have been written into it.
        """
        if known := self.by_content(lost, path):
            return known
        agree, contradict = self.by_length(lost, path)
        # Files of the same size have been answered above, so this one has another.
        if lost.size is not None and LENGTH not in agree:
            contradict += (SIZE,)
        # Tags are read last, since that opens the file.
        if (lost.title or lost.artist or lost.track) and not contradict:
            tags = tags_of(path)
            title = by_title(lost, tags, bool(agree))
            agree, contradict = agree + title.agree + others_in_tags(lost, tags), title.contradict
        return Facts(agree, contradict)

    def by_length(self, lost: Lost, path: str) -> Facts:
        """What the length of the file at `path` says; nothing of sounds so short that many are as long."""
        header = self.header(path) if lost.length is not None else None
        if lost.length is None or header is None or header.trouble is not None or not header.seconds:
            return Facts((), ())
        tolerance = ROUNDED if lost.rounded else PADDED if lost.length >= LONG else TOLERANCE
        if abs(header.seconds - lost.length) > tolerance:
            return Facts((), (LENGTH,))
        return Facts((LENGTH,) if lost.length >= (LONG if lost.rounded else SHORT) else (), ())

    def as_long(self, lost: Lost, path: str) -> bool:
        """Whether a file is known to be as long as a lost sound was."""
        header = self.header(path) if lost.length and not lost.rounded else None
        return bool(header and not header.trouble and abs(header.seconds - (lost.length or 0)) <= TOLERANCE)

    def alike(self, paths: Sequence[str]) -> bool:
        """Whether several files have one content."""
        return len({self.size(path) for path in paths}) == 1 and len({self.digest(path, BLAKE3) for path in paths}) == 1


def titled(said: str, title: str | None) -> bool:
    """Whether a ledger has the title of a sound's tags, also with its artist before it."""
    said, title = said.casefold(), (title or "").casefold()
    return bool(title) and (said == title or said.endswith(f"- {title}"))


def by_title(lost: Lost, tags: Mapping[str, str], agrees: bool) -> Facts:
    """What the title in a sound's tags says; another one is no contradiction where something else `agrees`."""
    title = tags.get("title")
    if lost.title and titled(lost.title, title):
        return Facts((TITLE,), ())
    differs = lost.title and title and not agrees and other_title(lost.title, title)
    return Facts((), (TITLE,) if differs else ())


def others_in_tags(lost: Lost, tags: Mapping[str, str]) -> tuple[str, ...]:
    """Which of artist and number on the disc agree with a sound's tags; others may be written in other ways."""
    number = tags.get("track", "").partition("/")[0]
    artist = (ARTIST,) if lost.artist and titled(lost.artist, tags.get("artist")) else ()
    return artist + ((TRACK,) if lost.track and number.isdecimal() and int(number) == lost.track else ())


def other_title(said: str, title: str) -> bool:
    """Whether two titles are of different pieces: neither has all the words of the other, as an edited one would."""
    one, other = (set(WORDS.findall(text.casefold())) for text in (said, title))
    return bool(one and other) and not (one <= other or other <= one)


class KnownMoves:
    """Changes of place that are known for certain: what trips carried, drives that are mounted elsewhere now, and this
    user's home folder, which may have had another name.
    """

    def __init__(self) -> None:
        self.moves: list[tuple[Move, str]] = []
        for trip in history.readable():
            if trip.state in (SWITCHED, RELEASED) and not trip.waybill.collection:  # which travels, and is no home
                self.moves += [(move, TRIP) for move in trip.waybill.moves().moves]
        for identity, fact in remembered().items():
            drive = find_drive(identity, fact["mount"]) if fact["mount"] not in here.ROOTS else None
            if drive and drive.mount != fact["mount"]:
                self.moves.append((Move(fact["mount"], drive.mount), DRIVE))
        self.home = os.path.expanduser("~")

    def why(self, old: str, new: str) -> str | None:
        """What is known that leads from the folder `old` to `new`, in a word."""
        for move, word in self.moves:
            tail = tail_below(old, move.old)
            if tail is not None and move.place(tail) == new:
                return word
            above = tail_below(move.old, old)
            if above and joined(new, above) == move.new:
                return word
        if os.path.dirname(old) in HOMES and new == self.home and not os.path.lexists(old):  # else somebody else's
            return HOME
        return None

    def places(self) -> list[str]:
        """Where these lead."""
        return [move.new for move, _word in self.moves]


class Recorded:
    """Digests and sizes of what trips carried, by old and new place; read when a path is asked for that lies there."""

    def __init__(self) -> None:
        self.shelves = [
            (trip.name, one.number, one.shelf)
            for trip in history.readable()
            for one in trip.shelves
            if not one.shelf.along
        ]
        self.known: dict[tuple[str, int], dict[str, tuple[int, str | None]]] = {}
        self.manifests: dict[str, tuple[str, dict[str, str]]] = {}

    def fill(self, lost: Lost) -> None:
        """Add what is recorded of a lost sound to what its ledgers say."""
        for name, number, shelf in self.shelves:
            there = tail_below(lost.path, shelf.new)
            tail = shelf.home(there) if there else tail_below(lost.path, shelf.old)
            if tail:
                size, digest = self.rows(name, number).get(tail, (None, None))
                lost.size = lost.size if lost.size is not None else size
                lost.digest = lost.digest or digest
                return
        if (found := from_manifest(lost.path, self.manifests)) is not None:
            lost.digest = lost.digest or found

    def rows(self, name: str, number: int) -> dict[str, tuple[int, str | None]]:
        """Size and digest of each file of a trip's shelf, by its path there."""
        if (name, number) not in self.known:
            with trips.opened(name) as trip:
                self.known[name, number] = {
                    path: (size, digest) for path, _kind, size, digest in trip.logbook.brief(number)
                }
        return self.known[name, number]


def from_manifest(path: str, known: dict[str, tuple[str, dict[str, str]]]) -> str | None:
    """The digest that a manifest left beside a shelf gives for a path that is gone from it; `known` has what was read
    for each folder.
    """
    folder = path.rpartition("/")[0]
    if folder not in known:
        known[folder] = "", {}
        top = folder
        while len(top) > 1:
            if kind := manifest.kind_of_manifest(top):
                whole = f"{top}/"  # which no folder is called
                known.setdefault(whole, ("", {}))
                if not known[whole][0]:
                    known[whole] = top, dict(manifest.read(top, kind))
                known[folder] = known[whole]
                break
            top = top.rpartition("/")[0]
    top, digests = known[folder]
    return digests.get(path[len(top) + 1 :]) if digests else None
