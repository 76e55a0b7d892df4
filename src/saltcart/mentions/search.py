"""Searching files of any kind for mentions of old places: where programs keep what names sounds, read or not.

Sounds, and what is plainly no text or database, are passed over by name or beginning; what is too large or cannot be
read is counted and told.  Nothing is written, no link is followed, no other drive is entered that nobody asked for.
"""

import lzma
import os
import re
import sqlite3
import zipfile
import zlib
from collections import Counter
from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, field

from saltcart.errors import Refused, SaltCartError, show
from saltcart.home import home
from saltcart.ledgers import Map, recognised
from saltcart.ledgers.sqlite.opening import claims, reading, tables
from saltcart.ledgers.sqlite.quoting import literal, quoted
from saltcart.ledgers.wrappers import GZIP_MAGIC, LARGEST_INSIDE, ZIP_MAGIC, Gzip
from saltcart.mentions.place_forms import PlaceForms, find
from saltcart.progress import Progress, Tick, silent
from saltcart.shelves.audio import kind_of
from saltcart.shelves.manifest import SUFFIXES
from saltcart.shelves.oddities import SET_ASIDE, is_ours
from saltcart.shelves.walk import FILE, FOLDER, walk
from saltcart.spelling.moves import tail_below

LARGEST = 256 << 20  # bytes; larger files that are no databases are told and not read
MOST_SPOTS = 5
EXCERPT = 60
LINE = "line "
OURS = "ours"
OWN = b"# Salt Cart"  # how a waybill begins
# What begins like this holds no paths of a person's: pictures, films, fonts, programs, packed sounds.
NO_TEXT = (
    b"\x89PNG", b"\xff\xd8\xff", b"GIF8", b"\x7fELF", b"MZ", b"OggS", b"fLaC", b"ID3", b"\0\0\0\x18ftyp", b"%PDF",
    b"\0\0\0\x20ftyp", b"wOFF", b"\0\1\0\0", b"OTTO", b"\xca\xfe\xba\xbe",
)  # fmt: skip
# What a file may be met with that cannot be read: it is counted, and the search goes on.
UNREADABLE = (
    SaltCartError, OSError, ValueError, EOFError, RuntimeError, sqlite3.Error, zlib.error, lzma.LZMAError,
    zipfile.BadZipFile,
)  # fmt: skip
CACHES = {".cache", "Cache", "Caches", ".Trash", "Trash", ".git", "__pycache__", "node_modules"}


@dataclass(frozen=True, slots=True)
class Spot:
    """One place in a file where a folder is named: where, in which form, and what stands around it."""

    where: str
    form: str
    text: str


@dataclass(slots=True)
class Mention:
    """One file that names old places: how often, in which encodings, where, and the first spots.

    Of those, `history` speak of what was: a log, a list of recent files, where a track was first imported from.
    """

    path: str
    count: int = 0
    history: int = 0
    forms: Counter[str] = field(default_factory=Counter)
    spots: list[Spot] = field(default_factory=list)
    wheres: Counter[str] = field(default_factory=Counter)

    def add(self, where: str, form: str, encoding: str, text: str) -> None:
        """Take up one spot."""
        self.count += 1
        past = is_history(self.path, where, text)
        self.history += past
        self.forms[encoding] += 1
        self.wheres[where] += 1
        if len(self.spots) < MOST_SPOTS and not past:
            self.spots.append(Spot(where, f"{form}, {encoding}", text))


@dataclass(slots=True)
class Search:
    """What a search found, over which places, how many files were read, and why some were not."""

    places: list[str]
    found: list[Mention] = field(default_factory=list)
    files: int = 0
    passed_over: Counter[str] = field(default_factory=Counter)


def search(forms: Sequence[PlaceForms], places: Sequence[str], progress: Progress = silent) -> Search:
    """Every file in `places` that names one of the folders.  Raises Refused for a place that is not there."""
    tops: list[str] = []
    for place in places:
        top = os.path.realpath(os.path.expanduser(place))
        if not os.path.lexists(top):
            raise Refused(f"{show(place)} is not there", "Name folders or files to search.")
        if not any(tail_below(top, other) is not None for other in tops):
            tops = [*(other for other in tops if tail_below(other, top) is None), top]
    result = Search(tops)
    for top in tops:
        for path in candidates(top, result):
            result.files += 1
            progress(Tick("search for mentions", path, result.files, 0))
            try:
                mention = mentions_in(path, forms)
            except UNREADABLE:
                result.passed_over["could not be read"] += 1
                continue
            if mention.count:
                result.found.append(mention)
    return result


def candidates(top: str, result: Search) -> Iterator[str]:
    """The files below `top` that may name something."""
    own = str(home())
    skipped: tuple[str, ...] = ()
    for item in walk(top, lambda _path, _error: result.passed_over.update(["could not be read"])):
        path = os.path.join(top, item.path) if item.path else top
        if item.path.startswith(skipped):
            continue
        if item.kind == FOLDER and item.path and (why := passed_over(path, own)):
            skipped += (item.path + "/",)
            if why != OURS:
                result.passed_over[why] += 1
        elif item.kind == FILE and item.size and not is_own(os.path.basename(path)):
            if kind_of(path):
                result.passed_over["sounds"] += 1
            elif item.size > LARGEST and not is_database(path):
                result.passed_over["too large"] += 1
            else:
                yield path


def is_own(name: str) -> bool:
    """Whether a file of that name is a manifest or a temporary one of ours."""
    return is_ours(name) or name.endswith(tuple(SUFFIXES.values()))


def passed_over(path: str, own: str) -> str:
    """Why a folder is not gone into, "" when it is: what a trip set aside and our own data are ours."""
    name = os.path.basename(path)
    if SET_ASIDE.search(name) or path == own:
        return OURS
    if name in CACHES:
        return "cache folders"
    return "tops of other drives" if os.path.ismount(path) else ""


def is_database(path: str) -> bool:
    """Whether a file is an SQLite database."""
    with suppress(OSError), open(path, "rb") as stream:
        return claims(stream.read(16))
    return False


def mentions_in(path: str, forms: Sequence[PlaceForms], folder: str | None = None) -> Mention:
    """Where the file at `path` names one of the folders; relative paths start from `folder`, its own by default.

    Raises OSError, ValueError or sqlite3.Error when it cannot be read.
    """
    mention, folder = Mention(path), os.path.dirname(path) if folder is None else folder
    with open(path, "rb", buffering=0) as stream:
        head = stream.read(16)
        if claims(head):
            in_database(mention, forms, folder)
        elif head.startswith(GZIP_MAGIC):
            in_bytes(mention, Gzip().peel(head + stream.read()), forms, folder)
        elif head.startswith(ZIP_MAGIC):
            in_zip(mention, forms, folder)
        elif head and not head.startswith((*NO_TEXT, OWN)):
            in_bytes(mention, head + stream.read(), forms, folder)
    return mention


def in_bytes(mention: Mention, data: bytes, forms: Sequence[PlaceForms], folder: str, lead: str = "") -> None:
    """Add the spots in some bytes."""
    line, counted = 1, 0
    for hit in sorted(find(data, forms, folder)):
        line += data.count(b"\n", counted, hit.at)
        counted = hit.at
        mention.add(f"{lead}{LINE}{line}", hit.form, hit.encoding, excerpt(data, hit.at))


def excerpt(data: bytes, at: int) -> str:
    """What stands around a spot, fit to be shown."""
    start = max(data.rfind(b"\n", 0, at) + 1, at - EXCERPT)
    end = data.find(b"\n", at)
    return show(data[start : min(end if end >= 0 else len(data), at + EXCERPT)].replace(b"\0", b"")).strip()


def in_zip(mention: Mention, forms: Sequence[PlaceForms], folder: str) -> None:
    """Add the spots in the members of a zip file; sounds among them are passed over."""
    with zipfile.ZipFile(mention.path) as archive:
        for fact in archive.infolist():
            if fact.file_size and not kind_of(fact.filename):
                with archive.open(fact) as member:
                    content = member.read(LARGEST_INSIDE + 1)
                if len(content) > LARGEST_INSIDE:
                    raise ValueError(f"{show(fact.filename)} in it unpacks to too much")
                in_bytes(mention, content, forms, folder, f"{show(fact.filename)}, ")


def in_database(mention: Mention, forms: Sequence[PlaceForms], folder: str) -> None:
    """Add the cells of a database that name a folder; what is left on its free pages names nothing any more."""
    with reading(mention.path) as (connection, _uri):
        for table, columns in tables(connection):
            for column in columns:
                cell = quoted(column)
                some = [f"{cell} LIKE {literal(f'%{one.anchor}%')}" if one.anchor else "TRUE" for one in forms]
                wanted = f"typeof({cell}) = 'blob' OR typeof({cell}) = 'text' AND ({' OR '.join(some)})"
                query = f"SELECT {cell} FROM {quoted(table)} WHERE {wanted}"
                for (content,) in connection.execute(query):
                    raw = content if isinstance(content, bytes) else content.encode("utf-8", "surrogateescape")
                    for hit in find(raw, forms, folder):
                        mention.add(f"{table}.{column}", hit.form, hit.encoding, excerpt(raw, hit.at))


def known_as(path: str, maps: Sequence[Map]) -> str | None:
    """The format or map that reads a file, or None."""
    try:
        ledger = recognised(path, maps)
    except SaltCartError:
        return None
    return ledger.map_name if ledger else None


# Words in the name of a column or key that speak of what was, rather than of where a program looks now.
PAST_KEYS = re.compile(r"(?i)\b(first|import(ed)?|origin(al)?|added|previous|history|log|recent(ly)?|last)\b")
PAST_FILES = re.compile(r"(?i)(\b|_)(log|history|recent(ly)?|crash)(\b|_)")
KEY_BEFORE = re.compile(r"([A-Za-z][A-Za-z0-9_ -]*)\W*$")


def is_history(path: str, where: str, text: str) -> bool:
    """Whether a spot, where it stands and with what stands around it, speaks of what was."""
    if PAST_FILES.search(os.path.basename(path)):
        return True
    if not where.rpartition(", ")[2].startswith(LINE):
        return bool(PAST_KEYS.search(words(where.rpartition(".")[2])) or PAST_FILES.search(where.partition(".")[0]))
    key = KEY_BEFORE.search(re.split(r"file:|[/\\~$%]|[A-Z]:", text)[0])
    return bool(key and PAST_KEYS.search(words(key[1])))


def words(name: str) -> str:
    """The words of a key such as `lastOpened` or `first_import`."""
    return re.sub(r"(?<=[a-z])(?=[A-Z])|[_-]", " ", name)
