"""The forms in which a program writes a path, each able to read one and to write another in the same manner.

`read(text, base)` gives the absolute path that `text` means in a ledger whose folder
is `base`, or None when it names no file at all (a web address).  `write(text, path, base)`
gives the text that means `path` in the manner of `text`: whatever part of the old text
still fits the end of the new path is kept to the letter.
"""

import os
import re
from typing import Protocol
from urllib.parse import unquote_to_bytes

from saltcart.errors import CannotSpell, UsageError, show
from saltcart.spelling.moves import plain

SCHEME = re.compile(r"[A-Za-z][A-Za-z0-9+.-]+:")
# RFC 3986, section 3.3: what may stand in a path segment without an escape.
SEGMENT_SAFE = frozenset("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-._~!$&'()*+,;=:@")


class Spelling(Protocol):
    """One form of path."""

    name: str

    def read(self, text: str, base: str) -> str | None:
        """The absolute path meant by `text`, or None for something that is no file."""

    def write(self, text: str, path: str, base: str) -> str:
        """The text for the absolute `path` in the manner of `text`; CannotSpell when there is none."""


class Absolute:
    """A full path with slashes."""

    name = "native"

    def read(self, text: str, base: str) -> str | None:
        """See Spelling.read."""
        return plain(text) if text.startswith("/") else None

    def write(self, text: str, path: str, base: str) -> str:
        """See Spelling.write; a slash at the end, as folders are often written, stays."""
        return path + "/" if text.endswith("/") and path != "/" else path


class Relative:
    """A path that starts from the ledger's own folder."""

    name = "relative"

    def read(self, text: str, base: str) -> str | None:
        """See Spelling.read."""
        return plain(f"{base}/{text}") if text and not text.startswith("/") else None

    def write(self, text: str, path: str, base: str) -> str:
        """See Spelling.write; a leading `./` and a slash at the end stay."""
        written = os.path.relpath(path, base)
        lead = "./" if text.startswith("./") and not written.startswith("../") else ""
        return lead + written + ("/" if text.endswith("/") else "")


class FileUri:
    """A `file:` URI (RFC 8089), escaped as its writer escapes."""

    name = "uri"
    # file:/path, file:///path and file://localhost/path are the same file on this machine.
    pattern = re.compile(r"(file:(?://(?:localhost)?)?)(/.*)", re.IGNORECASE | re.DOTALL)

    def read(self, text: str, base: str) -> str | None:
        """See Spelling.read; a URI of another host, with a query or with a fragment is no file of this machine."""
        found = self.pattern.fullmatch(text)
        if not found or "?" in text or "#" in text or found[2].startswith("//"):
            return None
        return plain(os.fsdecode(unquote_to_bytes(found[2].encode("utf-8", "surrogateescape"))))

    def write(self, text: str, path: str, base: str) -> str:
        """See Spelling.write; parts of the old text that still fit are kept with their escapes."""
        found = self.pattern.fullmatch(text)
        if not found:
            raise CannotSpell(f"{show(text)} is no file: URI")
        old = found[2].rstrip("/").split("/")
        new = path.split("/")
        kept = 0
        while kept < min(len(old), len(new)) - 1 and decoded(old[-1 - kept]) == new[-1 - kept]:
            kept += 1
        habit = Habit(found[2])
        fresh = [habit.escape(part) for part in new[: len(new) - kept]]
        slash = "/" if text.endswith("/") and path != "/" else ""
        return found[1] + "/".join(fresh + (old[-kept:] if kept else [])) + slash


def decoded(part: str) -> str:
    """One percent-encoded path part as a file name."""
    return os.fsdecode(unquote_to_bytes(part.encode("utf-8", "surrogateescape")))


class Habit:
    """How the writer of a URI escapes, read off one specimen: which signs are left raw, and the case of the digits."""

    def __init__(self, specimen: str):
        escapes = re.findall("%[0-9A-Fa-f]{2}", specimen)
        escaped = {chr(int(escape[1:], 16)) for escape in escapes}
        self.safe = (SEGMENT_SAFE | set(specimen)) - escaped - {"%", "/"}
        self.wide_raw = not specimen.isascii()
        self.lower = any(escape != escape.upper() for escape in escapes)

    def escape(self, part: str) -> str:
        """One file name as a path part."""
        return "".join(sign if self.leaves(sign) else self.octets(sign) for sign in part)

    def leaves(self, sign: str) -> bool:
        """Whether this writer leaves `sign` as it is."""
        if ord(sign) < 128:
            return sign in self.safe
        return self.wide_raw and not "\udc80" <= sign <= "\udcff"

    def octets(self, sign: str) -> str:
        """The escapes of one sign."""
        digits = "".join(f"%{octet:02X}" for octet in os.fsencode(sign))
        return digits.lower() if self.lower else digits


class Auto:
    """Whichever of the forms a text shows."""

    name = "auto"

    def read(self, text: str, base: str) -> str | None:
        """See Spelling.read."""
        spelling = spelling_of(text)
        return spelling.read(text, base) if spelling else None

    def write(self, text: str, path: str, base: str) -> str:
        """See Spelling.write."""
        spelling = spelling_of(text)
        if spelling is None:
            raise CannotSpell(f"{show(text)} names no file")
        return spelling.write(text, path, base)


ABSOLUTE, RELATIVE, URI = Absolute(), Relative(), FileUri()
SPELLINGS: dict[str, Spelling] = {form.name: form for form in (ABSOLUTE, RELATIVE, URI, Auto())}


def spelling_of(text: str) -> Spelling | None:
    """The form that `text` shows by itself; None for what is no path (empty, a web address)."""
    if text[:5].lower() == "file:":
        return URI
    if not text.strip() or SCHEME.match(text) and "://" in text:
        return None
    return ABSOLUTE if text.startswith("/") else RELATIVE


def spelling_named(name: str) -> Spelling:
    """The form with that name, as maps call it; UsageError when there is none."""
    try:
        return SPELLINGS[name]
    except KeyError:
        raise UsageError(f'no spelling is called "{show(name)}"', f"Spellings: {', '.join(SPELLINGS)}.") from None
