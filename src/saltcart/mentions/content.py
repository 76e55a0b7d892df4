"""What one file says of folders: how often it names them, where, and in which form.

A file is read as a stream, in windows that overlap by more than a name is long, so that a large one takes no more
memory than a small one.  What gzip and zip hold is read as it comes out of them.
"""

import io
import lzma
import re
import sqlite3
import zipfile
import zlib
from collections.abc import Iterable, Iterator, Sequence
from functools import lru_cache
from typing import IO, Protocol

from msgspec import Struct, field

from saltcart.errors import SaltCartError, show
from saltcart.ledgers.sqlite.opening import claims, reading, tables
from saltcart.ledgers.sqlite.quoting import literal, quoted
from saltcart.ledgers.wrappers import LARGEST_INSIDE
from saltcart.mentions.automaton import Automaton
from saltcart.mentions.encoded import encoded_parts, inside, may_be_encoded
from saltcart.mentions.file_types import holds_no_references
from saltcart.mentions.finder import find
from saltcart.mentions.history import LINE, is_log
from saltcart.mentions.packed import DEEPEST, STREAM, Budget, TooMuch, is_packed, unpacked, zlib_streams
from saltcart.mentions.place_forms import CONTROL, HEAD, PIECE, Hit, PlaceForms, is_binary
from saltcart.spelling.moves import tail_below
from saltcart.system import os
from saltcart.waybills.waybill_file import read

MOST_SPOTS = 5
EXCERPT = 60
MOST_CELLS = 5000
CODED = 40  # characters of a cell that may be Base64 or hexadecimal digits as a whole
FIRST, BLOCK = 256 << 10, 4 << 20  # bytes read at once: most files are small
PATH_START = re.compile(r"(?<![\w/\\.])(?:file:/|~/|\.{1,2}/|/|\$\w+/|[A-Za-z]:[\\/])")
OWN = b"# Salt Cart"  # how a waybill begins
# What a file may be met with that cannot be read: it is counted, and the search goes on.
UNREADABLE = (
    SaltCartError, MemoryError, OSError, ValueError, EOFError, RuntimeError, sqlite3.Error, zlib.error, lzma.LZMAError,
    zipfile.BadZipFile,
)  # fmt: skip


class Readable(Protocol):
    """What gives its content piece by piece."""

    def read(self, size: int, /) -> bytes:
        """At most so many bytes; none at the end."""


class Spot(Struct, frozen=True):
    """One place in a file where a folder is named: where, in which form, and what is around it."""

    where: str
    form: str
    text: str


class Mention(Struct):
    """One file that names old places: how often, in which encodings, where, and the first spots.

    All of those are `history`, which speaks of what was, when the file is a `log`.  Some are in sentences (`prose`),
    or in `free` text, which nobody looks for a sound by; `said` are the first of these.  Folders that hold old places
    are named `above` as whole values, which is true still when something in them moves, but its program finds less.
    Of the folders in `pieces` the name is there as a value of its own: a path may be made of it.
    """

    path: str
    count: int = 0
    history: int = 0
    forms: dict[str, int] = field(default_factory=dict)
    spots: list[Spot] = field(default_factory=list)
    log: bool = False
    prose: int = 0
    free: int = 0
    said: list[Spot] = field(default_factory=list)
    above: list[tuple[str, Spot]] = field(default_factory=list)
    pieces: list[str] = field(default_factory=list)

    def paths(self, hits: Iterable[Hit], forms: Sequence[PlaceForms]) -> Iterator[Hit]:
        """The hits that are paths; what may be a piece of one is taken up."""
        for hit in hits:
            if hit.form != PIECE:
                yield hit
            elif forms[hit.place].place not in self.pieces:
                self.pieces.append(forms[hit.place].place)

    def live(self, known: bool = False) -> int:
        """How many may be what a program looks for a sound by; of a file that is `known` to be a ledger, its text is
        not free.
        """
        return max(0, self.count - self.history - self.prose - (0 if known else self.free))

    def add(
        self, place: PlaceForms, where: str, hit: Hit, around: bytes, prose: bool = False, free: bool = False
    ) -> None:
        """Take up one spot that names a place, with what is around it, in a sentence or in free text or not."""
        form, encoding = hit.form, hit.encoding
        if place.alone:
            if not (self.log or prose or free) and all(folder != place.place for folder, _spot in self.above):
                self.above.append((place.place, Spot(where, f"{form}, {encoding}", show(around).strip())))
            return
        self.count += 1
        self.history += self.log
        self.forms[encoding] = self.forms.get(encoding, 0) + 1
        self.prose += prose and not self.log
        self.free += free and not prose and not self.log
        spots = self.said if prose or free else self.spots
        if len(spots) < MOST_SPOTS and not self.log:
            spots.append(Spot(where, f"{form}, {encoding}", show(around).strip()))


def mentions_in(path: str, forms: Sequence[PlaceForms], folder: str | None = None) -> Mention:
    """Where the file at `path` names one of the folders; relative paths start from `folder`, its own by default.

    Raises one of UNREADABLE when it cannot be read.
    """
    mention, folder = Mention(path), path.rpartition("/")[0] if folder is None else folder
    with open(path, "rb", buffering=0) as stream:
        size = os.fstat(stream.fileno()).st_size
        head = stream.read(HEAD)
        if claims(head):
            in_database(mention, forms, folder)
        elif is_packed(head):
            head += stream.read(FIRST - HEAD)
            stream.seek(0)
            buffered = io.BytesIO(head) if len(head) == size else io.BufferedReader(stream)
            in_packed(mention, head, buffered, forms, folder, Budget(size))
        elif holds_no_references(head, size) or (head.startswith(OWN) and is_waybill(path)):
            pass  # the rest need not be read
        else:
            head += stream.read(min(FIRST, size + 1) - HEAD) if size >= HEAD else b""
            named = holds_anchor(head, tuple(forms))
            if named or may_pack(head) or len(head) != size:
                in_stream(mention, head, stream, forms, folder, budget=Budget(size), named=named)
    if mention.live() and in_cache(path):
        mention.free, mention.said, mention.spots = mention.free + mention.live(), [*mention.said, *mention.spots], []
    return mention


def may_pack(data: bytes) -> bool:
    """Whether something may be packed within some content, or encoded."""
    return STREAM.search(data) is not None if b"\0" in data else may_be_encoded(data)


def holds_anchor(data: bytes, forms: tuple[PlaceForms, ...]) -> bool:
    """Whether some content holds one of the anchors of the places, or what is looked for as it is."""
    return anchors_of(forms).any_in(data.lower())


@lru_cache(maxsize=8)
def anchors_of(forms: tuple[PlaceForms, ...]) -> Automaton:
    """All that is looked for in content of which nothing is known, in small letters."""
    marks = [mark.raw for one in forms for mark in one.anchors]
    return Automaton(list(dict.fromkeys([*marks, *(raw.lower() for one in forms for raw in one.literal)])))


def in_cache(path: str) -> bool:
    """Whether a file lies where programs keep what they can do without and make anew (XDG Base Directory Specification:
    "non-essential data"), in the folder that this system has for it.
    """
    from platformdirs import user_cache_dir

    return tail_below(path, os.path.realpath(user_cache_dir())) is not None


def is_waybill(path: str) -> bool:
    """Whether a file is a plan of ours, which names what it moves."""
    try:
        read(path)
    except SaltCartError:
        return False
    return True


def in_packed(
    mention: Mention,
    head: bytes,
    stream: IO[bytes],
    forms: Sequence[PlaceForms],
    folder: str,
    budget: Budget,
    lead: str = "",
    depth: int = 1,
) -> None:
    """Add the spots in what is packed in a stream that begins with `head`."""
    for inner in unpacked(head, stream, lead, budget):
        start = inner.stream.read(FIRST)
        if is_packed(start):
            if depth == DEEPEST:
                raise TooMuch("is packed too often")
            whole = io.BytesIO(start + inner.stream.read(budget.left + 1))
            in_packed(mention, start, whole, forms, folder, budget, inner.where, depth + 1)
        elif holds_no_references(start[:HEAD], inner.size or len(start)):
            pass
        elif (named := holds_anchor(start, tuple(forms))) or may_pack(start) or len(start) == FIRST:
            in_stream(mention, start, inner.stream, forms, folder, inner.where, budget=budget, named=named)


def in_stream(
    mention: Mention,
    head: bytes,
    stream: Readable,
    forms: Sequence[PlaceForms],
    folder: str,
    lead: str = "",
    *,
    budget: Budget,
    named: bool,
) -> None:
    """Add the spots in what begins with `head`, in which places may be `named`, and goes on in `stream`, and in what is
    packed in it.
    """
    overlap = max(EXCERPT, *(one.longest for one in forms))
    line, binary, free = 1, None, None
    for data, first, last in windows(head, stream, overlap):
        counted = first
        looks = named if data is head else holds_anchor(data, tuple(forms))
        hits = sorted(mention.paths(find(data, forms, folder, binary), forms)) if looks else []
        binary = is_binary(data[:HEAD]) if binary is None else binary
        if hits and free is None:
            mention.log = mention.log or (not lead and first == 0 and is_log(data[:FIRST]))
            from saltcart.mentions.free_text import is_free  # most files name nothing

            free = not binary and not mention.log and is_free(data, first == 0 and last == len(data))
        for hit in hits:
            if first <= hit.at < last:
                line += data.count(b"\n", counted, hit.at)
                counted = hit.at
                prose = not binary and starts_in_sentence(data, hit.at, forms[hit.place])
                around = excerpt(data, hit.at)
                mention.add(forms[hit.place], f"{lead}{LINE}{line}", hit, around, prose, bool(free))
        parts = zlib_streams if binary else encoded_parts
        for at, content in parts(data, first, last, last < len(data), budget):
            for hit in mention.paths(find(content, forms, folder), forms):
                mention.add(forms[hit.place], f"{lead}packed at {at}, {LINE}1", hit, excerpt(content, hit.at))
        if last < len(data):  # there is more
            line += data.count(b"\n", counted, last)


def windows(head: bytes, stream: Readable, overlap: int) -> Iterator[tuple[bytes, int, int]]:
    """The content in pieces of some MB, each with the part of it that is new: from, and up to.

    Before and after that part at least `overlap` bytes are in the piece too, where the content has them.
    TooMuch when it does not end.
    """
    data, first, size = head, 0, len(head)
    while block := stream.read(BLOCK):
        data += block
        size += len(block)
        if size > LARGEST_INSIDE:
            raise TooMuch("holds too much to be read")
        last = len(data) - overlap
        if last > first and len(block) == BLOCK:
            yield data, first, last
            cut = max(0, last - overlap)
            data, first = data[cut:], last - cut
    yield data, first, len(data)


def starts_in_sentence(data: bytes, at: int, place: PlaceForms) -> bool:
    """Whether a path, of which some is at a place in a text, is a part of a sentence."""
    start = max(data.rfind(b"\n", 0, at) + 1, at - place.longest)
    return leads_in(data[start:at])


@lru_cache(maxsize=1024)
def leads_in(before: bytes) -> bool:
    """Whether what is before a path on its line, and the beginning of it, is a part of a sentence."""
    line = before.decode("utf-8", "replace")
    first = max((found.start() for found in PATH_START.finditer(line)), default=len(line))
    from saltcart.mentions.free_text import in_sentence

    return in_sentence(line, first)


def excerpt(data: bytes, at: int) -> bytes:
    """What is around a spot."""
    start = max(data.rfind(b"\n", 0, at) + 1, at - EXCERPT)
    end = data.find(b"\n", at)
    return data[start : min(end if end >= 0 else len(data), at + EXCERPT)].replace(b"\0", b"")


def in_database(mention: Mention, forms: Sequence[PlaceForms], folder: str) -> None:
    """Add the cells of a database that name a folder; what is left on its free pages names nothing any more."""
    budget = Budget(os.path.getsize(mention.path))
    with reading(mention.path) as (connection, _uri):
        for table, columns in tables(connection):
            for column in columns:
                cell = quoted(column)
                some = [f"{cell} LIKE {literal(f'%{one.anchor}%')}" if one.anchor else "TRUE" for one in forms]
                some.append(f"length({cell}) >= {CODED} AND {cell} NOT GLOB '*[^A-Za-z0-9+/=_-]*'")
                wanted = f"typeof({cell}) = 'blob' OR typeof({cell}) = 'text' AND ({' OR '.join(some)})"
                cells = connection.execute(f"SELECT {cell} FROM {quoted(table)} WHERE {wanted}")
                web: bool | None = None
                for text, raw in parts_of(together(one for (one,) in cells), budget):
                    for hit in mention.paths(find(raw, forms, folder), forms):
                        web = of_the_web(connection, table, column) if web is None else web
                        prose = text and starts_in_sentence(raw, hit.at, forms[hit.place])
                        mention.add(forms[hit.place], f"{table}.{column}", hit, excerpt(raw, hit.at), prose, web)


def parts_of(cells: Iterable[tuple[bool, bytes]], budget: Budget) -> Iterator[tuple[bool, bytes]]:
    """Cells as they are, and what is packed in those that are no text."""
    for text, raw in cells:
        yield text, raw
        if text:
            yield from ((True, part) for _at, part in encoded_parts(raw, 0, len(raw), False, budget))
        elif not holds_no_references(raw[:HEAD], len(raw)):
            yield from ((False, part) for part in inside(raw, budget))


def together(cells: Iterable[bytes | str]) -> Iterator[tuple[bool, bytes]]:
    """The cells of a column as bytes, and whether these are text: many plain texts as the lines of one, which is looked
    through at once.
    """
    lines: list[bytes] = []
    size = 0
    for content in cells:
        raw = content if isinstance(content, bytes) else content.encode("utf-8", "surrogateescape")
        if isinstance(content, bytes) or len(raw.translate(None, CONTROL)) < len(raw):
            yield isinstance(content, str), raw
            continue
        lines.append(raw)
        size += len(raw)
        if size > FIRST:
            yield True, b"\n".join(lines)
            lines, size = [], 0
    if lines:
        yield True, b"\n".join(lines)


def of_the_web(connection: sqlite3.Connection, table: str, column: str) -> bool:
    """Whether most of what is in a column are web addresses: then it tells where somebody was."""
    cell = quoted(column)
    query = (
        f"SELECT count(*), total({cell} LIKE 'http://%' OR {cell} LIKE 'https://%')"
        f" FROM (SELECT {cell} FROM {quoted(table)} WHERE typeof({cell}) = 'text' LIMIT {MOST_CELLS})"
    )
    total, addresses = connection.execute(query).fetchone()
    return 2 * float(addresses) > float(total)


def naming(texts: Iterable[str], forms: Sequence[PlaceForms], folder: str) -> int:
    """How many of some texts, of a file in `folder`, name one of the places."""
    places = [one for one in forms if not one.alone]
    raws = (text.encode("utf-8", "surrogateescape") for text in texts)
    return sum(any(hit.form != PIECE for hit in find(raw, places, folder)) for raw in raws)
