"""What one file says of folders: how often it names them, where, and in which form.

A file is read as a stream, in windows that overlap by more than a name is long, so that a large one takes no more
memory than a small one.  What gzip and zip hold is read as it comes out of them.
"""

import io
import lzma
import sqlite3
import zipfile
import zlib
from collections.abc import Iterable, Iterator, Sequence
from functools import lru_cache
from typing import IO, NamedTuple, Protocol

from saltcart.errors import SaltCartError
from saltcart.ledgers.sqlite.opening import claims
from saltcart.ledgers.wrappers import LARGEST_INSIDE
from saltcart.mentions.automaton import Automaton
from saltcart.mentions.cells import in_database
from saltcart.mentions.encoded import encoded_parts, may_be_encoded
from saltcart.mentions.file_types import holds_no_references
from saltcart.mentions.finder import find
from saltcart.mentions.history import LINE, is_log
from saltcart.mentions.mention import EXCERPT, Mention, excerpt, starts_in_sentence
from saltcart.mentions.packed import DEEPEST, STREAM, Budget, TooMuch, is_packed, unpacked, zlib_streams
from saltcart.mentions.place_forms import HEAD, PIECE, PlaceForms, is_binary
from saltcart.spelling.moves import tail_below
from saltcart.system import os
from saltcart.waybills.waybill_file import read

FIRST, BLOCK = 256 << 10, 4 << 20  # bytes read at once: most files are small
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


class Looked(NamedTuple):
    """What one file is looked through for, with what was found, the folder it lies in, and how much it may unpack."""

    mention: Mention
    forms: tuple[PlaceForms, ...]
    folder: str
    budget: Budget


def mentions_in(path: str, forms: Sequence[PlaceForms], folder: str | None = None) -> Mention:
    """Where the file at `path` names one of the folders; relative paths start from `folder`, its own by default.

    Raises one of UNREADABLE when it cannot be read.
    """
    mention, folder = Mention(path), path.rpartition("/")[0] if folder is None else folder
    with open(path, "rb", buffering=0) as stream:
        size = os.fstat(stream.fileno()).st_size
        looked = Looked(mention, tuple(forms), folder, Budget(size))
        head = stream.read(HEAD)
        if claims(head):
            in_database(mention, forms, folder)
        elif is_packed(head):
            head += stream.read(FIRST - HEAD)
            stream.seek(0)
            buffered = io.BytesIO(head) if len(head) == size else io.BufferedReader(stream)
            in_packed(looked, head, buffered)
        elif holds_no_references(head, size) or (head.startswith(OWN) and is_waybill(path)):
            pass  # the rest need not be read
        else:
            head += stream.read(min(FIRST, size + 1) - HEAD) if size >= HEAD else b""
            named = holds_anchor(head, looked.forms)
            if named or may_pack(head) or len(head) != size:
                in_stream(looked, head, stream, named)
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


def in_packed(looked: Looked, head: bytes, stream: IO[bytes], lead: str = "", depth: int = 1) -> None:
    """Add the spots in what is packed in a stream that begins with `head`."""
    for inner in unpacked(head, stream, lead, looked.budget):
        start = inner.stream.read(FIRST)
        if is_packed(start):
            if depth == DEEPEST:
                raise TooMuch("is packed too often")
            whole = io.BytesIO(start + inner.stream.read(looked.budget.left + 1))
            in_packed(looked, start, whole, inner.where, depth + 1)
        elif holds_no_references(start[:HEAD], inner.size or len(start)):
            pass
        elif (named := holds_anchor(start, looked.forms)) or may_pack(start) or len(start) == FIRST:
            in_stream(looked, start, inner.stream, named, inner.where)


def in_stream(looked: Looked, head: bytes, stream: Readable, named: bool, lead: str = "") -> None:
    """Add the spots in what begins with `head`, in which places may be `named`, and goes on in `stream`, and in what is
    packed in it.
    """
    mention, forms, folder, budget = looked
    overlap = max(EXCERPT, *(one.longest for one in forms))
    line, binary, free = 1, None, None
    for data, first, last in windows(head, stream, overlap):
        counted = first
        looks = named if data is head else holds_anchor(data, forms)
        hits = sorted(mention.paths(find(data, forms, folder, binary, (first, last)) if looks else (), forms))
        binary = is_binary(data[:HEAD]) if binary is None else binary
        if hits and free is None:
            whole = first == 0 and last == len(data)
            free = is_free_text(mention, data, bool(binary), whole, begins=not lead and first == 0)
        for hit in hits:
            line += data.count(b"\n", counted, hit.at)
            counted, form = hit.at, forms[hit.place]
            prose = not binary and starts_in_sentence(data, hit.at, form)
            mention.add(form, f"{lead}{LINE}{line}", hit, excerpt(data, hit.at), prose, bool(free))
        parts = zlib_streams if binary else encoded_parts
        for at, content in parts(data, first, last, last < len(data), budget):
            in_part(looked, content, f"{lead}packed at {at}, {LINE}1")
        if last < len(data):  # there is more
            line += data.count(b"\n", counted, last)


def in_part(looked: Looked, content: bytes, where: str) -> None:
    """Add the spots in what was packed inside a stream."""
    mention, forms, folder, _budget = looked
    for hit in mention.paths(find(content, forms, folder), forms):
        mention.add(forms[hit.place], where, hit, excerpt(content, hit.at))


def is_free_text(mention: Mention, data: bytes, binary: bool, whole: bool, begins: bool) -> bool:
    """Whether a file is free text, by the first of its pieces that names something; of one that `begins` the file it is
    noted whether that is a log.
    """
    from saltcart.mentions.free_text import is_free  # most files name nothing

    mention.log = mention.log or (begins and is_log(data[:FIRST]))
    return not binary and not mention.log and is_free(data, whole)


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


def naming(texts: Iterable[str], forms: Sequence[PlaceForms], folder: str) -> int:
    """How many of some texts, of a file in `folder`, name one of the places."""
    places = [one for one in forms if not one.alone]
    raws = (text.encode("utf-8", "surrogateescape") for text in texts)
    return sum(any(hit.form != PIECE for hit in find(raw, places, folder)) for raw in raws)
