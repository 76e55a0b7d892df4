"""Finding a folder in bytes, in whatever form programs write it.

A form is a name (the full path, from the home folder, from the top of its drive, from the file's own folder, from a
drive letter of another system) in an encoding (UTF-8, UTF-16, percent-encoded, escaped as in JSON, XML or C).  Looking
for each of these by itself would read everything many times.  Instead an *anchor* is looked for: the longest run of
ASCII letters and digits in the folder's own name, which all encodings leave as it is.  Only where it stands are the
bytes before and after it decoded and compared with the names.
"""

import html
import os
import re
import unicodedata
from collections.abc import Iterator, Sequence
from typing import NamedTuple
from urllib.parse import quote, unquote_to_bytes

from saltcart.spelling.moves import tail_below

FULL, HOME, DRIVE, RELATIVE, LETTER = "full path", "from home", "from the drive", "from its folder", "drive letter"
SHORTEST_ANCHOR = 3
WINDOW = 2  # so many times the longest name, as it may be escaped, is decoded before and after an anchor
# What may stand before a full path: no part of another path.  A web address's host may, in a `file:` URI.
PATH_SIGN = re.compile(r"[\w.~\-\\/%+@]", re.UNICODE)
# In binary files a text follows its length, which may look like a letter: signs that no text holds tell them.
CONTROL = bytes([*range(0x09), *range(0x0E, 0x20)])
WIDE_TEXT = re.compile("[\t\n\r -~\xa0-\uffff]*")
HEAD = 4096
ESCAPE = re.compile(r"\\(?:u([0-9a-fA-F]{4})|x([0-9a-fA-F]{2})|(.))", re.DOTALL)


class Name(NamedTuple):
    """One way to write a folder: its text with forward slashes, and what form that is."""

    text: str
    form: str


class Hit(NamedTuple):
    """A folder named in some bytes: where its anchor stands, its number, in which form and encoding."""

    at: int
    place: int
    form: str
    encoding: str


class Anchor(NamedTuple):
    """Bytes to look for, in small letters: UTF-16 when `wide`, percent signs when `escaped`; the pattern is these with
    what must follow them.
    """

    raw: bytes
    pattern: re.Pattern[bytes]
    wide: bool = False
    escaped: bool = False

    def spots(self, low: bytes) -> Iterator[int]:
        """Where it stands, but for where another name that begins alike is seen to stand."""
        if low.find(self.raw) >= 0:
            yield from (found.start() for found in self.pattern.finditer(low))


def anchor(raw: bytes, rest: bytes = b"", wide: bool = False, escaped: bool = False) -> Anchor:
    """What to look for, and a pattern for what must follow."""
    return Anchor(raw, re.compile(re.escape(raw) + rest, re.DOTALL), wide, escaped)


class PlaceForms:
    """The forms of one folder.  `letters` are its names on other systems, such as `D:/Sounds/Bell Tones`."""

    def __init__(self, place: str, drive: str, letters: Sequence[str] = (), folds_case: bool = False):
        self.place, self.folds_case = place, folds_case
        self.base = os.path.basename(place)
        runs = sorted(re.findall(r"[A-Za-z0-9]+", self.base), key=len, reverse=True)
        self.run = runs[0] if runs and len(runs[0]) >= SHORTEST_ANCHOR else ""
        self.anchor = self.run.lower()
        home = os.path.expanduser("~")
        below_home, below_drive = tail_below(place, home), tail_below(place, drive)
        names = [Name(place, FULL), *(Name(text, LETTER) for text in letters)]
        if below_home and home != "/":
            names += [Name(f"{start}/{below_home}", HOME) for start in ("~", "$HOME", "${HOME}", "%HOME%")]
        if below_drive and drive != "/":
            names += [Name(f"/{below_drive}", DRIVE), Name(below_drive, DRIVE)]
        self.names = self.all_names = tuple(names)
        self.passes: list[bytes] = []
        self.within = "/"  # the relative names are those from folders in here
        self.anchors = list(anchors(self))
        self.raw = {place.encode("utf-8", "surrogateescape"): "UTF-8"}
        self.longest = max(len(name.text) for name in names) * 6 * WINDOW + 64

    def pass_over(self, new: "PlaceForms") -> None:
        """Take what names the `new` place, where the folder lies now, for no name of this one."""
        texts = {name.text for name in new.names}
        self.names = tuple(name for name in self.names if name.text not in texts)
        self.passes = new.written() if self.anchor else []

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
        return [*self.names, Name(tail, RELATIVE), Name(f"./{tail}", RELATIVE)]


def find(
    data: bytes, forms: Sequence[PlaceForms], folder: str | None = None, binary: bool | None = None
) -> Iterator[Hit]:
    """Every spot in `data`, content of a file in `folder`, that names one of the folders.

    `binary` says what the file is, when this is not its beginning.
    """
    low = data.lower()
    wide, escaped = b"\0" in data, b"%" in data
    for number, one in enumerate(forms):
        if not one.names and (folder is None or tail_below(folder, one.within) is None):
            continue
        names: list[tuple[str, str, Name]] = []
        for mark in one.anchors:
            if (mark.wide and not wide) or (mark.escaped and not escaped):
                continue
            passes = [(raw, cut) for raw in one.passes if (cut := raw.rfind(mark.raw)) >= 0]
            for at in mark.spots(low):
                binary = is_binary(data[:HEAD]) if binary is None else binary
                if any(at >= cut and low.startswith(raw, at - cut) for raw, cut in passes):
                    continue  # the new place
                if not mark.wide and (hit := plain_hit(data, at, number, one, mark.raw, binary)):
                    yield hit
                    continue
                names = names or by_end(one, one.names_from(folder))
                if found := hit_at(data, at, number, one, mark.wide, names, binary):
                    yield found


def is_binary(head: bytes) -> bool:
    """Whether a file that begins like this is no text, neither of bytes nor of UTF-16."""
    if len(head.translate(None, CONTROL)) == len(head):
        return False
    texts = [head[: len(head) // 2 * 2].decode(encoding, "replace") for encoding in ("utf-16-le", "utf-16-be")]
    return not any(WIDE_TEXT.fullmatch(text) and 2 * len(text.encode("ascii", "ignore")) > len(text) for text in texts)


def anchors(one: PlaceForms) -> Iterator[Anchor]:
    """What to look for; a name without ASCII letters is looked for in each of its encodings."""
    if one.anchor:
        yield anchor(one.anchor.encode(), rest=rest_of(one))
        yield anchor(one.anchor.encode("utf-16-le")[:-1], wide=True)  # as it stands in either order of bytes
        yield anchor(
            "".join(f"%{byte:02x}" for byte in one.run.encode()).encode(), escaped=True
        )  # some write it all so
        return
    raw = os.fsencode(one.base)
    yield anchor(raw.lower())
    yield anchor("".join(f"%{byte:02x}" for byte in raw).encode(), escaped=True)
    yield anchor("".join(f"\\u{ord(sign):04x}" for sign in one.base).encode())
    yield anchor(one.base.encode("utf-16-le", "surrogatepass")[:-1].lower(), wide=True)


def rest_of(one: PlaceForms) -> bytes:
    """A pattern for what may follow the anchor of a folder, in small letters: the rest of its name and its end, as far
    as can be told before an escape or a letter beyond ASCII.  Most names that share the anchor by chance end here.
    """
    escape = rb"[%\\&\x80-\xff]"
    pattern = rb"(?![a-z0-9_])"
    for sign in reversed(one.base[one.base.lower().rfind(one.anchor) + len(one.anchor) :].lower()):
        own = re.escape(sign if sign.isascii() else unicodedata.normalize("NFD", sign)[0]).encode()
        pattern = rb"(?:%b|%b%b)" % (escape, own, pattern if sign.isascii() else b"")
    return rb"(?=%b)" % pattern


def plain_hit(data: bytes, at: int, number: int, one: PlaceForms, anchor: bytes, binary: bool) -> Hit | None:
    """The hit of the commonest form, the full path in UTF-8, told without decoding anything."""
    for raw in one.raw:
        offset = raw.lower().rfind(anchor)
        start, end = at - offset, at - offset + len(raw)
        if start >= 0 and data.startswith(raw, start) and ends(data[end : end + 8].decode("utf-8", "replace")):
            before = data[max(0, start - 2) : start]
            if not before or not PATH_SIGN.match(chr(before[-1])) or before.endswith(b"//") or binary:
                return Hit(at, number, FULL, "UTF-8")
    return None


def ends(after: str) -> bool:
    """Whether a folder's name ends where this text follows: with a slash, or with what no name goes on with."""
    return not after or after[0] in "/\\\"'<>\0\r\n,;|&?)]}\t#:=" or after[:1] == "\ufffd"


def by_end(one: PlaceForms, names: Sequence[Name]) -> list[tuple[str, str, Name]]:
    """Each name cut where its anchor begins: the text before it and from it on, in one form of accents."""
    cut = []
    for name in names:
        text = unicodedata.normalize("NFC", name.text)
        at = text.lower().rfind(one.anchor) if one.anchor else text.rfind(unicodedata.normalize("NFC", one.base))
        if at >= 0:
            cut.append((text[:at], text[at:], name))
    return cut


def hit_at(
    data: bytes, at: int, number: int, one: PlaceForms, wide: bool, names: Sequence[tuple[str, str, Name]], binary: bool
) -> Hit | None:
    """The hit around an anchor, if what stands there is one of the names in some encoding."""
    for encoding, before, after in readings(data, at, one.longest, wide):
        for left, right, name in names:
            folds = one.folds_case or name.form == LETTER
            if not alike(before[-len(left) :] if left else "", left, folds) or not alike(
                after[: len(right)], right, folds
            ):
                continue
            rest, lead = after[len(right) :], before[: len(before) - len(left)]
            if ends(rest) and begins(lead, name, rest, binary):
                return Hit(at, number, name.form, encoding)
    return None


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
    if name.text.startswith("/") and (lead.endswith("//") or re.search(r"//[\w.\-]*$", lead)):
        return True
    return not PATH_SIGN.match(lead[-1])


def readings(data: bytes, at: int, most: int, wide: bool) -> Iterator[tuple[str, str, str]]:
    """What stands before an anchor and from it on, in each way to read it: encoding, and both texts."""
    if wide:
        for encoding, start in (("utf-16-le", at), ("utf-16-be", at - 1)):
            if start >= 0:
                first = start - min(2 * most, start // 2 * 2)
                parts = (data[first:start], data[start : start + 2 * most])
                yield from unquoted("UTF-16", [part.decode(encoding, "replace") for part in parts])
        return
    parts = (data[max(0, at - most) : at], data[at : at + most])
    yield from unquoted("UTF-8", [part.decode("utf-8", "surrogateescape") for part in parts])
    if not (parts[0][-200:] + parts[1][:200]).isascii():
        yield from unquoted("8-bit", [part.decode("cp1252", "replace") for part in parts])


def unquoted(encoding: str, texts: Sequence[str]) -> Iterator[tuple[str, str, str]]:
    """Both texts as they are, and without what escapes there are in them."""
    before, after = texts
    yield encoding, slashed(before), slashed(after)
    around = "".join(texts)
    if "%" in around:
        yield "percent-encoded", slashed(unpercented(before)), slashed(unpercented(after))
    if "\\" in around or "&" in around:
        yield "escaped", slashed(unescaped(before)), slashed(unescaped(after))


def slashed(text: str) -> str:
    """A text with forward slashes, and accents in one form."""
    text = text.replace("\\", "/") if "\\" in text else text
    return text if text.isascii() else unicodedata.normalize("NFC", text)


def unpercented(text: str) -> str:
    """A text without percent escapes."""
    return unquote_to_bytes(text.encode("utf-8", "surrogateescape")).decode("utf-8", "surrogateescape")


def unescaped(text: str) -> str:
    """A text without the escapes of JSON and C strings, or of XML."""
    if "&" in text:
        text = html.unescape(text)
    return (
        ESCAPE.sub(lambda one: chr(int(one[1] or one[2], 16)) if one[1] or one[2] else one[3], text)
        if "\\" in text
        else text
    )
