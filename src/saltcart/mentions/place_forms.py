"""Finding a folder in bytes, in whatever form programs write it.

A form is a name (the full path, from the home folder, from the top of its drive, from the file's own folder, from a
drive letter of another system) in an encoding (UTF-8, UTF-16, percent-encoded, escaped as in JSON, XML or C).  Looking
for each of these separately would read everything many times.  Instead an *anchor* is looked for: the longest run of
ASCII letters and digits in the folder's own name, which all encodings leave as it is.  Only where it is are the
bytes before and after it decoded and compared with the names.
"""

import base64
import html
import re
import unicodedata
from collections.abc import Iterator, Sequence
from itertools import product
from typing import Literal, NamedTuple
from urllib.parse import quote

from saltcart.ledgers.legacy import USUAL
from saltcart.mentions.written_names import legacy_forms, written_names
from saltcart.spelling.moves import tail_below
from saltcart.system import here, os

FULL, HOME, DRIVE, RELATIVE, LETTER = "full path", "from home", "from the drive", "from its folder", "drive letter"
LOOSE = ("from the top, unsaid", "from home, unsaid", "from the drive, unsaid")  # where a path does not say it
PIECE = "its name"  # the folder's name as a whole value, which proves nothing yet
SHORTEST_ANCHOR = 3
WINDOW = 2  # so many times the longest name, as it may be escaped, is decoded before and after an anchor
# What may be before a full path: no part of another path.  A web address's host may, in a `file:` URI.
PICKLED = re.compile(r"\n[a-z(]{0,3}V\Z")  # before each text in the oldest form of Python's pickles
PATH_SIGN = re.compile(r"[\w.~\-\\/%+@]", re.UNICODE)
# In binary files a text follows its length, which may look like a letter: characters that no text holds tell them.
CONTROL = bytes([*range(0x09), *range(0x0E, 0x20)])
WIDE_TEXT = re.compile("[\t\n\r -~\xa0-\uffff]*")
HEAD = 4096
ORDERS: tuple[Literal["little"], Literal["big"]] = ("little", "big")
AFTER = 120  # bytes behind a name that tell whether it ends there
DRIVE_PATH = re.compile(r"(?<![A-Za-z])[A-Za-z]:/((?:[^/:*?\"<>|\r\n]*/)*[^/:*?\"<>|\r\n]*)\Z")


SMALL = {code: code + 32 for code in range(ord("A"), ord("Z") + 1)}


def in_small_letters(text: str) -> str:
    """A text with small letters of ASCII, as bytes have them; others may change their number when they become small."""
    return text.translate(SMALL)


class Name(NamedTuple):
    """One way to write a folder: its text with forward slashes, and what form that is."""

    text: str
    form: str


class Hit(NamedTuple):
    """A folder named in some bytes: where its anchor is, its number, in which form and encoding; how many `times`, of
    which this is the first.
    """

    at: int
    place: int
    form: str
    encoding: str
    times: int = 1


class Anchor(NamedTuple):
    """Bytes to look for, in small letters: UTF-16 when `wide`, percent signs when `escaped`; `rest` is a pattern for
    what must follow them.
    """

    raw: bytes
    rest: bytes = b""
    wide: bool = False
    escaped: bool = False


class Beside(NamedTuple):
    """The folder that a place lies in: whether it `folds_case`, and what in it has a name that begins like that of the
    place and is `longer`, None where that is not known.
    """

    folds_case: bool = False
    longer: Sequence[str] | None = None


UNKNOWN = Beside()


class PlaceForms:
    """The forms of one folder, with what is `beside` it.  `letters` are its names on other systems, such as
    `D:/Sounds/Bell Tones`; `others` are names that it has here besides.

    One that is to be `alone` is named only where nothing below it is: as a whole value, such as a listed folder.
    """

    def __init__(
        self,
        place: str,
        drive: str,
        letters: Sequence[str] = (),
        alone: bool = False,
        others: Sequence[str] = (),
        beside: Beside = UNKNOWN,
    ):
        self.place, self.alone = place, alone
        self.folds_case, longer = beside
        self.longer = None if longer is None else [unicodedata.normalize("NFC", name) for name in longer]
        self.base = unicodedata.normalize("NFC", os.path.basename(place))  # where no accent follows its letter
        runs = sorted(re.findall(r"[A-Za-z0-9]+", self.base), key=len, reverse=True)
        self.run = runs[0] if runs and len(runs[0]) >= SHORTEST_ANCHOR else ""
        self.anchor = self.run.lower()
        home = os.path.expanduser("~")
        below_home, below_drive = tail_below(place, home), tail_below(place, drive)
        names = [Name(place, LETTER if here.LETTERS else FULL), *(Name(text, LETTER) for text in letters)]
        names += [Name(text, FULL if os.path.isabs(text) else HOME) for text in others]
        self.tails = tails_of(place, drive)
        if below_home and home not in here.ROOTS:
            names += [Name(f"{start}/{below_home}", HOME) for start in ("~", "$HOME", "${HOME}", "%HOME%")]
        if below_drive and drive not in here.ROOTS and not alone:
            names.append(Name(f"/{below_drive}", DRIVE))
        self.loose = {} if alone else loose_names(place, drive, home)
        names += [Name(text, form) for form, text in self.loose.items()]
        self.names = self.all_names = tuple(names)
        self.piece = [] if alone else [Name(self.base, PIECE)]
        self.passes: list[bytes] = []
        self.within = "/"  # the relative names are those from folders in here
        self.anchors = list(anchors(self))
        self.raw = {place.encode("utf-8", "surrogateescape"): "UTF-8", **(old := legacy_forms(place))}
        self.codes = dict.fromkeys((USUAL, *old.values()))  # old encodings in which it may be written
        self.literal = {} if alone else literals(place)
        self.longest = max(len(name.text) for name in names) * 6 * WINDOW + 64

    def pass_over(self, new: "PlaceForms") -> None:
        """Do not count paths to the `new` place, where the folder is now, as paths to this one."""
        texts = {name.text for name in new.names}
        self.names = tuple(name for name in self.names if name.text not in texts)
        self.passes = new.written() if self.anchor else []
        self.tails = [tail for tail in self.tails if tail not in new.tails]

    def written(self) -> list[bytes]:
        """The full path as most programs write it."""
        raw = os.fsencode(self.place)
        texts = (quote(raw), quote(raw, safe="/ "), self.place.replace("/", "\\/"), html.escape(self.place))
        wide = self.place.encode("utf-16-le", "surrogatepass")[:-1]
        return [raw.lower(), *dict.fromkeys(os.fsencode(text).lower() for text in texts), wide.lower()]

    def names_from(self, folder: str | None) -> list[Name]:
        """All names, with the relative ones for a file that lies in `folder`."""
        inside = folder is None or tail_below(folder, self.place) is not None
        if folder is None or inside or tail_below(folder, self.within) is None:
            return list(self.names)  # from inside the folder a path does not name it
        tail = os.path.relpath(self.place, folder)
        if self.alone and not tail.startswith("../"):
            return list(self.names)  # a word alone, which may mean anything
        return [*self.names, Name(tail, RELATIVE), Name(f"./{tail}", RELATIVE)]


def loose_names(place: str, drive: str, home: str) -> dict[str, str]:
    """The names of a folder that do not say where they begin, by form.  As a word alone such a name may mean
    anything, but for one from the top of its drive.
    """
    below = ["" if top in here.ROOTS else tail_below(place, top) or "" for top in (home, drive)]
    tails = dict(zip(LOOSE, (place[1:] if place.startswith("/") else "", *below), strict=True))
    found = {text: form for form, text in tails.items() if "/" in text or (text and form == LOOSE[-1])}
    return {form: text for text, form in found.items()}


def leads_elsewhere(tail: str, folder: str, place: str) -> bool:
    """Whether a name that does not say where it begins leads from a folder, or from one above it, to something else
    than the place: a list on a drive with a copy of the sounds means those beside it.
    """
    above = folder
    while above != (up := os.path.dirname(above)):
        path = os.path.join(above, tail)
        if path != place and os.path.exists(path) and os.path.realpath(path) != place:
            return True
        above = up
    return False


def is_binary(head: bytes) -> bool:
    """Whether a file that begins like this is no text, neither of bytes nor of UTF-16."""
    if len(head.translate(None, CONTROL)) == len(head):
        return False
    texts = [head[: len(head) // 2 * 2].decode(encoding, "replace") for encoding in ("utf-16-le", "utf-16-be")]
    return not any(WIDE_TEXT.fullmatch(text) and 2 * len(text.encode("ascii", "ignore")) > len(text) for text in texts)


def anchors(one: PlaceForms) -> Iterator[Anchor]:
    """What to look for; a name with few ASCII letters in a row is looked for as each encoding writes it."""
    if one.anchor:
        yield Anchor(one.anchor.encode(), rest=rest_of(one))
        yield Anchor(one.anchor.encode("utf-16-le")[:-1], wide=True)  # as it is in either order of bytes
        yield Anchor(
            "".join(f"%{byte:02x}" for byte in one.run.encode()).encode(), escaped=True
        )  # some write it all so
        return
    for text in dict.fromkeys([os.path.basename(one.place), one.base, unicodedata.normalize("NFD", one.base)]):
        for raw in dict.fromkeys(written_names(text)):
            yield Anchor(raw.lower(), escaped=raw.startswith(b"%"))
        yield Anchor(text.encode("utf-16-le", "surrogatepass")[:-1].lower(), wide=True)
        yield Anchor(text.encode("utf-16-be", "surrogatepass")[1:].lower(), wide=True)


def rest_of(one: PlaceForms) -> bytes:
    """A pattern for what may follow the anchor of a folder, in small letters: the rest of its name and its end, as far
    as can be told before an escape or a letter beyond ASCII.  Most names that share the anchor by chance end here, and
    so do those of what lies below a folder that is to stand alone.
    """
    escape = rb"[%\\&\x80-\xff]"
    pattern = rb"(?![a-z0-9_]|/[a-z0-9\x80-\xff])" if one.alone else rb"(?![a-z0-9_])"
    for sign in reversed(in_small_letters(one.base[in_small_letters(one.base).rfind(one.anchor) + len(one.anchor) :])):
        own = re.escape(in_small_letters(unicodedata.normalize("NFD", sign)[0])).encode()
        pattern = rb"(?:%b|%b%b)" % (escape, own, pattern if sign.isascii() else b"")
    return rb"(?=%b)" % pattern


def ends(after: str, one: PlaceForms) -> bool:
    """Whether the folder's name ends where this text follows: with a slash, or with a character that ends a name.  A
    blank may be part of a name: of one that is there, or of one that ends before a slash.
    """
    if not after or after[0] in "/\\\"'<>,;|&?)]}#:=\ufffd" or after[0] < " ":
        return True
    if after[0] != " " or one.longer is None:
        return False
    words, slash = after[1:], ""
    if stop := re.search(r"[/\\\"'<>\0\r\n]", words):
        words, slash = words[: stop.start()], stop[0]
    if slash in ("/", "\\") and words and not words.endswith(" "):
        return False
    return not any(f"{one.base}{after}".startswith(name) for name in one.longer)


def tails_of(place: str, drive: str) -> list[str]:
    """The ends of a path by which it is known on a drive that another system calls by a letter: from the top of its
    drive, and at least two names.
    """
    place, drive = (unicodedata.normalize("NFC", path) for path in (place, drive))
    parts = place.strip("/").split("/")
    below = tail_below(place, drive)
    tails = ["/".join(parts[at:]) for at in range(len(parts) - 1)]
    return list(dict.fromkeys([*tails, *([below] if below else [])]))


def literals(place: str) -> dict[bytes, str]:
    """The full path in encodings that leave no letter as it is: Base64 (RFC 4648) of UTF-8 and UTF-16, from each of
    three bytes on, without the ends that depend on what is around it; hexadecimal digits; and UTF-32.
    """
    raw = place.encode("utf-8", "surrogateescape")
    found: dict[bytes, str] = {raw.hex().encode(): "hexadecimal", raw.hex().upper().encode(): "hexadecimal"}
    for shift, coded in product(range(3), (raw, place.encode("utf-16-le", "surrogatepass"))):
        first, last = -(-8 * shift // 6), (8 * (shift + len(coded))) // 6
        found[base64.b64encode(bytes(shift) + coded)[first:last]] = "Base64"
    for encoding in ("utf-32-le", "utf-32-be"):
        found[place.encode(encoding, "surrogatepass").strip(b"\0")] = "UTF-32"
    return found


# Kinds of text whose length is in the same byte, where it is below a number: in binary property lists in ASCII and in
# UTF-16, in CBOR (RFC 8949, section 3), in MessagePack.
SHORT = ((0x50, 15), (0x60, 24), (0xA0, 32))


def counted_wide(data: bytes, at: int, left: str, right: str) -> bool:
    """The same for a text in UTF-16, of either order of bytes, of which `right` begins with an anchor at that place."""
    for coding, first in (("utf-16-le", at - 2 * len(left)), ("utf-16-be", at - 1 - 2 * len(left))):
        raw = f"{left}{right}".encode(coding, "surrogatepass")
        # In small endian the bytes before the anchor are of letters anyhow, though in another case or form.
        there = first >= 0 and (coding == "utf-16-le" or data.startswith(raw, first))
        if there and counted(data, first, len(raw), len(raw) // 2, coding):
            return True
    return False


def counted(data: bytes, start: int, length: int, signs: int = 0, coding: str = "latin-1") -> bool:
    """Whether the length of a text is before it in a binary file, in bytes or in `signs`, so that it ends where
    that says; a slash and more behind it say that it goes on.
    """
    follows = data[start + length : start + length + 4].decode(coding, "replace")
    if follows[:1] in ("/", "\\") and follows[1:2] > " ":
        return False
    counts = {one.to_bytes(width, order) for one in (length, signs or length) for width in (2, 4) for order in ORDERS}
    counts |= {
        bytes([one]) if one < 0x80 else bytes([one & 0x7F | 0x80, one >> 7]) for one in (length, signs or length)
    }
    counts |= {bytes([kind | one]) for kind, most in SHORT for one in (length, signs or length) if one < most}
    return any(start >= len(one) and data.startswith(one, start - len(one)) for one in counts)


VALUE_BEFORE = re.compile(rb"(?:[\"'=>,;|(\[{\t\0:\\]|^|[\r\n][ \t]*|[=:,][ \t]+|file://(?:localhost)?)\Z")
VALUE_AFTER = re.compile(rb"(?:[/\\]?[ \t]*(?:[\"'<,;|)\]}\t\r\n\0:]|\Z))")


def stands_alone(before: bytes, after: bytes, binary: bool) -> bool:
    """Whether what is between is a whole value of a record: no word of a sentence, with nothing below it.

    In a binary file a text may end where a byte that no text holds follows.
    """
    if binary and (not after or after[0] < 0x20 or after[0] >= 0x7F or after.lstrip(b"/\\")[:1] < b" "):
        return True
    return bool(VALUE_AFTER.match(after) and (binary or VALUE_BEFORE.search(before)))


def lettered(before: str, after: str, one: PlaceForms) -> bool:
    """Whether a path of another system, of which so much is before the anchor behind its letter, ends in the
    folder's: `D:/Sounds/Bells`, though nobody said what D: is.
    """
    cut = in_small_letters(one.base).rfind(one.anchor) if one.anchor else 0
    end = one.base[cut:]
    if one.alone or not alike(after[: len(end)], end, True) or not ends(after[len(end) :], one):
        return False
    path = f"{before}{end}".casefold()
    return any(path == tail.casefold() or path.endswith(f"/{tail.casefold()}") for tail in one.tails)


def alike(text: str, wanted: str, folds: bool) -> bool:
    """Whether two texts are equal, or equal but for case."""
    return text == wanted or (folds and text.casefold() == wanted.casefold())


def begins(lead: str, name: Name, rest: str, binary: bool) -> bool:
    """Whether a name may begin after `lead`: it must not be the end of a longer path.

    A bare word is no path: it could be a title.  It counts only when a slash follows.
    """
    if "/" not in name.text and not rest.startswith("/"):
        return False
    if not lead or ((binary or lead[-1] > "\x7f") and name.form in (FULL, LETTER)):
        return True
    if name.text.startswith("/") and (lead.endswith("//") or re.search(r"//[\w.\-]*$", lead) or PICKLED.search(lead)):
        return True
    return not PATH_SIGN.match(lead[-1])
