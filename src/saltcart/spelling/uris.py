"""URIs and URI references as programs write them (RFC 3986, RFC 8089), escaped as their writer escapes."""

import re
from urllib.parse import unquote_to_bytes

from saltcart.errors import CannotSpell, show
from saltcart.spelling.base import Form
from saltcart.spelling.foreign import foreign, own, share
from saltcart.spelling.moves import plain
from saltcart.system import os

# RFC 3986, section 3.3: what may be in a path segment without an escape.
SEGMENT_SAFE = frozenset("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-._~!$&'()*+,;=:@")
SCHEME = re.compile(r"[A-Za-z][A-Za-z0-9+.-]*:")
SHARED = re.compile(r"/\\\\([^\\/]+)\\")  # a share, as `foreign` reads it
# Doubled slashes, steps, queries and fragments, and escaped dots, slashes and ends of strings.
ODD = ("/[/.]", "[?#]", "%2[eEfF]", "%00")
WIDE = "[^\n -~]"
LOWER = ("%[a-f]", "%[0-9A-F][a-f]")
# Characters that every writer of URIs leaves as they are.
UNIFORM = frozenset("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789/:._~-")
# Characters with a meaning in some patterns, so that they are not looked for.
UNSOUGHT = frozenset("[]^\\?*")

# A part of a sound (Media Fragments URI 1.0, section 4.2): no writer has that in a file's name.
FRAGMENT = re.compile(r"#(?:t|xywh|track|id)=[^#/]*$")
DRIVE = re.compile(r"/([A-Za-z])(:)(?=/|$)")


class FileUri(Form):
    """A `file:` URI (RFC 8089), escaped as its writer escapes.

    A host is a share's, as are the letters of drives another system's: see `foreign`.  Some writers leave `#` and `?`
    of a name as they are, so these are read as part of it, but for the fragments of media; `cut_short` is the other
    reading.
    """

    name = "uri"
    # file:/path, file:///path and file://localhost/path are the same file on this machine.
    pattern = re.compile(r"(file:(?://([^/\\?#]*))?)(/.*)", re.IGNORECASE | re.DOTALL)

    def read(self, text: str, base: str) -> str | None:
        """See Spelling.read; the path of another system's file lies below what stands for its drive or share."""
        found = self.pattern.fullmatch(FRAGMENT.sub("", text))
        if not found or found[3].startswith("//"):
            return None
        path = decoded(without_dots(found[3]))
        if found[2] and found[2].lower() != "localhost":
            name, _slash, tail = path[1:].partition("/")
            return own(plain(f"{share(found[2], name)}/{tail}")) if name else None
        return own(plain(DRIVE.sub(lambda letter: f"/{letter[1].upper()}:", path, count=1)))

    def write(self, text: str, path: str, base: str) -> str:
        """See Spelling.write; parts of the old text that still fit are kept with their escapes."""
        fragment, path = FRAGMENT.search(text), foreign(path)
        found = self.pattern.fullmatch(text[: fragment.start()] if fragment else text)
        if not found:
            raise CannotSpell(f"{show(text)} is no file: URI")
        lead, old = found[1], found[3].rstrip("/")
        host = found[2] and found[2].lower() != "localhost"
        if shared := SHARED.match(path):
            own = found[2] if found[2] and found[2].lower() == shared[1] else shared[1]
            lead, path = f"file://{own}", "/" + path[shared.end(1) + 1 :]
        elif host:
            raise CannotSpell(
                f"no share is known for {show(path)}",
                "Declare it: --drive '\\\\host\\share=/folder', or use a signpost.",
            )
        elif (letter := DRIVE.match(old)) and letter[1].islower():
            path = DRIVE.sub(lambda one: f"/{one[1].lower()}:", path, count=1)
        slash = "/" if found[3].endswith("/") and path != "/" else ""
        return lead + rewritten(old, path) + slash + (fragment[0] if fragment else "")

    def odd(self, head: str, new: str) -> tuple[str, ...] | None:
        """See Spelling.odd."""
        found = self.pattern.fullmatch(head)
        other = found and (DRIVE.match(found[3]) or (found[2] and found[2].lower() != "localhost"))
        against = None if not found or other else Habit(found[3]).against(new)
        return None if against is None else ODD + against


def cut_short(text: str) -> str | None:
    """The reading of a URI in which a raw `?` or `#` begins a query or a fragment; None when it has none."""
    found = re.search(r"[?#]", FRAGMENT.sub("", text))
    return text[: found.start()] if found and found.start() else None


def without_dots(path: str) -> str:
    """A path without its steps up and in place, which go before anyone asks a file system (RFC 3986, 5.2.4)."""
    if "/." not in path:
        return path
    kept: list[str] = []
    for part in path.split("/")[1:]:
        if part == "..":
            kept = kept[:-1]
        elif part != ".":
            kept.append(part)
    ended = path.endswith(("/.", "/.."))
    return "/" + "/".join([*kept, ""] if ended else kept)


def decoded(part: str) -> str:
    """One percent-encoded path part as a file name."""
    return os.fsdecode(unquote_to_bytes(part.encode("utf-8", "surrogateescape")))


class Habit:
    """How the writer of a URI escapes, read off one specimen: which characters are left raw, and the case of the
    digits."""

    def __init__(self, specimen: str):
        escapes = re.findall("%[0-9A-Fa-f]{2}", specimen)
        escaped = {chr(int(escape[1:], 16)) for escape in escapes}
        self.escaped = escaped
        self.safe = (SEGMENT_SAFE | set(specimen)) - escaped - {"%", "/"}
        self.wide_raw = not specimen.isascii()
        self.lower = any(escape != escape.upper() for escape in escapes)

    def escape(self, part: str) -> str:
        """One file name as a path part."""
        return "".join(sign if self.leaves(sign) else self.octets(sign) for sign in part)

    def leaves(self, sign: str) -> bool:
        """Whether this writer leaves the character `sign` as it is."""
        if ord(sign) < 128:
            return sign in self.safe
        return self.wide_raw and not "\udc80" <= sign <= "\udcff"

    def against(self, path: str) -> tuple[str, ...] | None:
        """Patterns that show, in more text of the same writer, another habit than this where it matters for `path`;
        None when that cannot be said.
        """
        patterns: set[str] = set()
        for sign in set(path) - UNIFORM - self.escaped:
            if ord(sign) >= 128:
                patterns |= {WIDE} - ({WIDE} if self.wide_raw else set())
            elif sign in UNSOUGHT:
                return None
            elif sign in self.safe:
                digits = f"%{ord(sign):02X}"
                patterns.add("".join(f"[{one}{one.lower()}]" if one.isalpha() else one for one in digits))
            else:
                patterns.add(f"[{sign}]")
        escapes = re.findall("%[0-9A-F]{2}", self.escape(path).upper())
        if not self.lower and any(not escape[1:].isdigit() for escape in escapes):
            patterns.update(LOWER)
        return tuple(sorted(patterns))

    def octets(self, sign: str) -> str:
        """The escapes of one character."""
        digits = "".join(f"%{octet:02X}" for octet in os.fsencode(sign))
        return digits.lower() if self.lower else digits


class UriReference(Form):
    """A URI or a reference relative to the ledger's folder, percent-encoded, as XSPF and Turtle write them."""

    name = "uri-reference"

    def read(self, text: str, base: str) -> str | None:
        """See Spelling.read; other schemes and empty references are no files."""
        if text[:5].lower() == "file:":
            return URI.read(text, base)
        if not text or SCHEME.match(text) or text.startswith(("//", "#", "?")):
            return None
        path = decoded(FRAGMENT.sub("", text))
        return plain(without_dots(path if path.startswith("/") else f"{base}/{path}"))

    def write(self, text: str, path: str, base: str) -> str:
        """See Spelling.write; relative stays relative, and does not come to look like a scheme."""
        if text[:5].lower() == "file:":
            return URI.write(text, path, base)
        wanted = path if text.startswith("/") else os.path.relpath(path, base)
        fragment = FRAGMENT.search(text)
        text = text[: fragment.start()] if fragment else text
        written = rewritten(text.rstrip("/"), wanted) + ("/" if text.endswith("/") else "")
        lead = "./" if text.startswith("./") or SCHEME.match(written) else ""
        return lead + written + (fragment[0] if fragment else "")

    def odd(self, head: str, new: str) -> tuple[str, ...] | None:
        """See Spelling.odd."""
        if head[:5].lower() == "file:":
            return URI.odd(head, new)
        against = Habit(head).against(new) if head.startswith("/") else None
        return None if against is None else ODD + against


def rewritten(old: str, path: str) -> str:
    """`path` escaped in the manner of the path `old`, whose last parts are kept where they still fit."""
    parts, fresh = old.split("/"), path.split("/")
    kept = 0
    while kept < min(len(parts), len(fresh)) and decoded(parts[-1 - kept]) == fresh[-1 - kept]:
        kept += 1
    habit = Habit(old)
    return "/".join([*(habit.escape(part) for part in fresh[: len(fresh) - kept]), *(parts[-kept:] if kept else [])])


URI, REFERENCE = FileUri(), UriReference()
