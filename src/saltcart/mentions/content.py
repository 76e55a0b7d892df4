"""What one file says of folders: how often it names them, where, and in which form.

A file is read as a stream, in windows that overlap by more than a name is long, so that a large one takes no more
memory than a small one.  What gzip and zip hold is read as it comes out of them.
"""

import gzip
import lzma
import os
import sqlite3
import zipfile
import zlib
from collections.abc import Iterator, Sequence
from typing import Protocol

from msgspec import Struct, field

from saltcart.errors import SaltCartError, show
from saltcart.ledgers.sqlite.opening import claims, reading, tables
from saltcart.ledgers.sqlite.quoting import literal, quoted
from saltcart.ledgers.wrappers import GZIP_MAGIC, LARGEST_INSIDE, ZIP_MAGIC
from saltcart.mentions.file_types import holds_no_references
from saltcart.mentions.history import LINE, is_history, is_log
from saltcart.mentions.place_forms import HEAD, PlaceForms, find, is_binary
from saltcart.shelves.audio import kind_of

MOST_SPOTS = 5
EXCERPT = 60
FIRST, BLOCK = 64 << 10, 4 << 20  # bytes read at once: most files are small
OWN = b"# Salt Cart"  # how a waybill begins
# What a file may be met with that cannot be read: it is counted, and the search goes on.
UNREADABLE = (
    SaltCartError, OSError, ValueError, EOFError, RuntimeError, sqlite3.Error, zlib.error, lzma.LZMAError,
    zipfile.BadZipFile,
)  # fmt: skip


class Readable(Protocol):
    """What gives its content piece by piece."""

    def read(self, size: int, /) -> bytes:
        """At most so many bytes; none at the end."""


class Spot(Struct, frozen=True):
    """One place in a file where a folder is named: where, in which form, and what stands around it."""

    where: str
    form: str
    text: str


class Mention(Struct):
    """One file that names old places: how often, in which encodings, where, and the first spots.

    Of those, `history` speak of what was: a list of recent files, where a track was first imported from; or all of
    them, when the file is a `log`.
    """

    path: str
    count: int = 0
    history: int = 0
    forms: dict[str, int] = field(default_factory=dict)
    spots: list[Spot] = field(default_factory=list)
    log: bool = False

    def add(self, where: str, form: str, encoding: str, around: bytes) -> None:
        """Take up one spot, with what stands around it."""
        self.count += 1
        past = self.log or is_history(where, around.decode("utf-8", "replace"))
        self.history += past
        self.forms[encoding] = self.forms.get(encoding, 0) + 1
        if len(self.spots) < MOST_SPOTS and not past:
            self.spots.append(Spot(where, f"{form}, {encoding}", show(around).strip()))


def mentions_in(path: str, forms: Sequence[PlaceForms], folder: str | None = None) -> Mention:
    """Where the file at `path` names one of the folders; relative paths start from `folder`, its own by default.

    Raises one of UNREADABLE when it cannot be read.
    """
    mention, folder = Mention(path), path.rpartition("/")[0] if folder is None else folder
    with open(path, "rb", buffering=0) as stream:
        head = stream.read(FIRST)
        if claims(head):
            in_database(mention, forms, folder)
        elif head.startswith(GZIP_MAGIC):
            with gzip.open(path) as inner:
                in_stream(mention, b"", inner, forms, folder)
        elif head.startswith(ZIP_MAGIC):
            in_zip(mention, forms, folder)
        elif head and not head.startswith(OWN) and not holds_no_references(head, os.fstat(stream.fileno()).st_size):
            mention.log = is_log(head)
            in_stream(mention, head, stream, forms, folder)
    return mention


def in_stream(
    mention: Mention, head: bytes, stream: Readable, forms: Sequence[PlaceForms], folder: str, lead: str = ""
) -> None:
    """Add the spots in what begins with `head` and goes on in `stream`."""
    overlap = max(EXCERPT, *(one.longest for one in forms))
    line, binary = 1, None
    for data, first, last in windows(head, stream, overlap):
        counted = first
        for hit in sorted(find(data, forms, folder, binary)):
            if first <= hit.at < last:
                line += data.count(b"\n", counted, hit.at)
                counted = hit.at
                mention.add(f"{lead}{LINE}{line}", hit.form, hit.encoding, excerpt(data, hit.at))
        if last < len(data):  # there is more
            line += data.count(b"\n", counted, last)
            binary = is_binary(data[:HEAD]) if binary is None else binary


def windows(head: bytes, stream: Readable, overlap: int) -> Iterator[tuple[bytes, int, int]]:
    """The content in pieces of some MB, each with the part of it that is new: from, and up to.

    Before and after that part at least `overlap` bytes are in the piece too, where the content has them.
    ValueError when it does not end.
    """
    data, first, size = head, 0, len(head)
    while block := stream.read(BLOCK):
        data += block
        size += len(block)
        if size > LARGEST_INSIDE:
            raise ValueError("holds too much to be read")
        last = len(data) - overlap
        if last > first and len(block) == BLOCK:
            yield data, first, last
            cut = max(0, last - overlap)
            data, first = data[cut:], last - cut
    yield data, first, len(data)


def excerpt(data: bytes, at: int) -> bytes:
    """What stands around a spot."""
    start = max(data.rfind(b"\n", 0, at) + 1, at - EXCERPT)
    end = data.find(b"\n", at)
    return data[start : min(end if end >= 0 else len(data), at + EXCERPT)].replace(b"\0", b"")


def in_zip(mention: Mention, forms: Sequence[PlaceForms], folder: str) -> None:
    """Add the spots in the members of a zip file; sounds among them are passed over."""
    with zipfile.ZipFile(mention.path) as archive:
        for fact in archive.infolist():
            if fact.file_size and not kind_of(fact.filename):
                with archive.open(fact) as member:
                    in_stream(mention, b"", member, forms, folder, f"{show(fact.filename)}, ")


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
