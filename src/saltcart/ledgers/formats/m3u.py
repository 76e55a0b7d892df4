"""M3U and M3U8 playlists: one path a line, lines that begin with `#` are comments or directives.

There is no formal specification of the plain form; the one written down is in RFC 8216,
section 4.1: lines end in LF or CR LF, blank lines are ignored, M3U8 is UTF-8.  Older files
are in whatever 8-bit code their writer used, and may end their lines in a bare CR.
"""

import codecs
import re
from collections.abc import Callable, Iterator, Sequence
from itertools import accumulate

from msgspec import Struct

from saltcart.errors import CannotSpell, show
from saltcart.ledgers.spans import Kind, Spans
from saltcart.ledgers.where import Where
from saltcart.spelling import spelling_named
from saltcart.system import os

NAME = "m3u"
SUFFIXES = (".m3u", ".m3u8")
# A line that is no comment and not blank, without the CR of its end.
PATH = rb"(?!#|[^\S\n]*$)[^\n]*"
# The same where a CR alone ends a line.
PATHS_OR_CR = re.compile(rb"(?:\A|(?<=[\r\n]))(?![#\r\n])(?![^\S\r\n]*+(?:[\r\n]|\Z))([^\r\n]++)")
EXTINF = re.compile(rb"#EXTINF:[ \t]*(-?\d{1,9}(?:\.\d{1,9})?)[^,\r\n]*(?:,([^\r\n]*))?")
PATHS = re.compile(rb"^(" + PATH + rb"+(?<!\r)|" + PATH + rb"(?=\r$))", re.MULTILINE)


def claims(name: str, head: bytes) -> bool:
    """Whether a file of that name that begins with `head` is a playlist of this kind."""
    return name.lower().endswith(SUFFIXES) or head.removeprefix(codecs.BOM_UTF8).startswith(b"#EXTM3U")


class LineCoding(Struct, frozen=True):
    """A path that fills a line, in UTF-8 or an 8-bit code."""

    encoding: str
    marks = plain_escapes = ""

    @property
    def sure(self) -> bool:
        """See Coding.sure; names on old drives may be in the code of the list, or not."""
        return self.encoding == "utf-8"

    def decode(self, raw: bytes) -> str:
        """See Coding.decode; bytes the code does not know stay as surrogates."""
        return raw.decode(self.encoding, "surrogateescape")

    def otherwise(self, raw: bytes) -> str | None:
        """The bytes taken as the file name itself: some drives hold names in old 8-bit codes."""
        plain = os.fsdecode(raw)
        return plain if plain != self.decode(raw) else None

    def encode(self, text: str, like: bytes) -> bytes:
        """See Coding.encode; a name that would read as a comment gets `./` before it."""
        if "\n" in text or "\r" in text:
            raise CannotSpell(f"a playlist line cannot hold the line break in {show(text)}")
        try:
            return (("./" if text.startswith("#") else "") + text).encode(self.encoding, "surrogateescape")
        except UnicodeEncodeError as error:
            letter = text[error.start]
            raise CannotSpell(
                f"the playlist is written in {self.encoding}, which has no letter {letter} (in {show(text)})",
                "Choose a place whose path it can write, leave the ledger out, or save the playlist as UTF-8 first.",
            ) from error


def spans(data: bytes) -> Spans:
    """The path lines of a playlist.  Raises ValueError when it is no text."""
    if data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        raise ValueError("is a playlist in UTF-16, which is not supported")
    if b"\0" in data:
        raise ValueError("has the name of a playlist but holds binary data")
    start = len(codecs.BOM_UTF8) if data.startswith(codecs.BOM_UTF8) else 0
    lone = data.count(b"\r") != data.count(b"\r\n")
    pieces = (PATHS_OR_CR if lone else PATHS).split(data[start:])
    inside, outside = pieces[1::2], pieces[0::2]
    outside[0] = data[:start] + outside[0]
    return Spans(data, inside, outside, kinds_of(data, inside), numbering(outside))


def kinds_of(data: bytes, lines: Sequence[bytes]) -> list[Kind]:
    """How each line is written: in UTF-8 where the whole file is; else line by line in UTF-8, where it is that and not
    ASCII alone, or the commonest 8-bit code of the West.  Lines in ASCII are written like most others.
    """
    wide, narrow = (Kind(LineCoding(encoding), spelling_named("auto")) for encoding in ("utf-8", "cp1252"))
    if is_utf8(data):
        return [wide] * len(lines)
    told = [None if line.isascii() else wide if is_utf8(line) else narrow for line in lines]
    usual = wide if told.count(wide) > told.count(narrow) else narrow
    return [kind or usual for kind in told]


def is_utf8(data: bytes) -> bool:
    """Whether some bytes are valid UTF-8."""
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True


def about(spans: Spans) -> Iterator[tuple[int, str | None, float | None]]:
    """Number, title and length in seconds of the entries before which a line `#EXTINF:seconds,title` is; the length
    counts whole seconds, and -1 or 0 is none (as in RFC 8216, section 4.3.2.1, where it may have attributes).
    """
    for number in range(len(spans.inside)):
        lines = EXTINF.findall(spans.outside[number])
        if lines:
            seconds, title = lines[-1]
            text = title.decode("utf-8", "replace").strip()
            yield number, text or None, float(seconds) if float(seconds) > 0 else None


def numbering(outside: list[bytes]) -> Callable[[int], Where]:
    """Which line each path is, by what is between them."""
    ends: list[int] = []

    def where(number: int) -> Where:
        if not ends:
            ends.extend(accumulate(map(line_ends, outside)))
        return Where(line=ends[number] + 1)

    return where


def line_ends(piece: bytes) -> int:
    """How many lines end in some bytes, in whichever way."""
    return piece.count(b"\n") + piece.count(b"\r") - piece.count(b"\r\n")
