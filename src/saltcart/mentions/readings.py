"""The text around a spot in some bytes, in each way in which it can be read: encoding by encoding, with and without
escapes.
"""

import html
import re
import unicodedata
from collections.abc import Iterable, Iterator, Sequence
from urllib.parse import unquote_to_bytes

from saltcart.ledgers.legacy import USUAL
from saltcart.mentions.groups import Group

ESCAPE = re.compile(r"\\(?:u([0-9a-fA-F]{4})|x([0-9a-fA-F]{2})|(.))", re.DOTALL)
PAIR = re.compile("[\ud800-\udbff][\udc00-\udfff]")  # a character beyond 16 bits, as UTF-16 has it
BYTES = re.compile(r"(?<!\\)(?:\\x[0-9a-fA-F]{2}|\\[0-3][0-7]{2})+")
NEAR = 200  # bytes before and after an anchor that tell the encoding
CONTINUING = bytes(range(0x80, 0xC0))  # bytes of UTF-8 that begin no character
DOUBLED = re.compile(r"(?<![:/])/(?:\.?/)+")  # a slash twice, or a folder's name for itself; no beginning of an address
DETOUR = re.compile(r"/(?!\.\.?/)[^/\"'<>\0\r\n=:]+/\.\./")
MOST_LAYERS = 3  # of percent escapes in each other


def readings(data: bytes, at: int, group: Group, near: tuple[bool, bool]) -> Iterator[tuple[str, str, str]]:
    """What is before the anchor of a group and from it on, in each way to read it: encoding, and both texts, up to one
    of the signs at which it breaks, with it.  What is `near` is ASCII, and UTF-8: where it is neither, the old
    encodings of the group are tried, and where it is not ASCII the usual one.
    """
    most = group.longest
    if group.wide:
        for encoding, start in (("utf-16-le", at), ("utf-16-be", at - 1)):
            if start >= 0:
                first = start - min(2 * most, start // 2 * 2)
                parts = (data[first:start], data[start : start + 2 * most])
                yield from unquoted("UTF-16", [part.decode(encoding, "replace") for part in parts])
        return
    first, last = line_around(data, at, most, group.breaks)
    parts = (data[first:at], data[at:last])
    yield from unquoted("UTF-8", [part.decode("utf-8", "surrogateescape") for part in parts])
    plain, wide_letters = near
    for code in group.codes if not plain else ():
        if code == USUAL or not wide_letters:
            yield from unquoted("8-bit", [part.decode(code, "replace") for part in parts])


def line_around(data: bytes, at: int, most: int, breaks: Iterable[bytes]) -> tuple[int, int]:
    """From where, and up to where, the line around a spot may say what is there: the nearest breaks belong to it."""
    first, last = at - most if at > most else 0, at + most
    for sign in breaks:
        start, end = data.rfind(sign, first, at), data.find(sign, at, last)
        if start >= 0:
            first = start
        if end >= 0:
            last = end + 1
    return first, last


def told_by(data: bytes, at: int, most: int) -> tuple[bool, bool]:
    """Whether what is around a spot, as much as tells in which encoding it is, is ASCII, and UTF-8."""
    near = data[max(0, at - min(most, NEAR)) : at + min(most, NEAR)]
    return near.isascii(), is_utf8(near)


def is_utf8(some: bytes) -> bool:
    """Whether some bytes, cut anywhere, are UTF-8."""
    middle = some.lstrip(CONTINUING)[:-3]
    try:
        middle.decode("utf-8")
    except UnicodeDecodeError as error:
        return error.reason == "unexpected end of data"
    return True


def unquoted(encoding: str, texts: Sequence[str]) -> Iterator[tuple[str, str, str]]:
    """Both texts as they are, and without what escapes there are in them."""
    before, after = texts
    yield encoding, slashed(before), slashed(after)
    around = "".join(texts)
    if "%" in around:
        yield from (("percent-encoded", slashed(one), slashed(other)) for one, other in percent_layers(before, after))
    if "\\" in around or "&" in around:
        once = [unescaped(text) for text in texts]
        yield "escaped", slashed(once[0]), slashed(once[1])
        if any("\\" in text or "%" in text for text in once):
            twice = [slashed(unpercented(unescaped(text))) for text in once]
            yield "escaped twice", twice[0], twice[1]


def percent_layers(*texts: str) -> Iterator[list[str]]:
    """Some texts without percent escapes, and without those of an address that is a part of another, too."""
    for _layer in range(MOST_LAYERS):
        texts = tuple(map(unpercented, texts))
        yield list(texts)
        if not any("%" in text for text in texts):
            break


def slashed(text: str) -> str:
    """A text with forward slashes, without detours in its paths, and with accents in one form."""
    text = text.replace("\\", "/") if "\\" in text else text
    if "//" in text or "/./" in text:
        text = DOUBLED.sub("/", text)
    while "/../" in text and (shorter := DETOUR.sub("/", text, count=1)) != text:
        text = shorter
    return text if text.isascii() else unicodedata.normalize("NFC", text)


def unpercented(text: str) -> str:
    """A text without percent escapes."""
    return unquote_to_bytes(text.encode("utf-8", "surrogateescape")).decode("utf-8", "surrogateescape")


def unescaped(text: str) -> str:
    """A text without the escapes of JSON, YAML and C strings, or of XML."""
    if "&" in text:
        text = html.unescape(text)
    if "\\" in text:
        text = BYTES.sub(of_bytes, text)
        text = ESCAPE.sub(lambda one: chr(int(one[1] or one[2], 16)) if one[1] or one[2] else one[3], text)
        text = PAIR.sub(lambda one: one[0].encode("utf-16-le", "surrogatepass").decode("utf-16-le"), text)
    return text


def of_bytes(run: re.Match[str]) -> str:
    """What escaped bytes mean: several of them may be one letter in UTF-8, else each is the number of one."""
    raw = bytes(int(one[1:], 16) if one[0] == "x" else int(one, 8) for one in run[0][1:].split("\\"))
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError:
        return raw.decode("latin-1")
