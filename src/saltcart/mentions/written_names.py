"""A name as bytes, in each way in which programs write it.

Looked for where a name has hardly a letter of ASCII in a row, which every encoding would leave as it is.
"""

import html.entities
import json
import re
import struct
import unicodedata
from collections.abc import Iterator
from contextlib import suppress
from urllib.parse import quote

from saltcart.ledgers.legacy import LEGACY
from saltcart.system import os

WORDS = {34: "&quot;", 38: "&amp;", 39: "&apos;", 60: "&lt;", 62: "&gt;"}  # XML 1.0, section 4.6
NUMBERS = {code: f"&#{code};" for code in WORDS}
# Which of them writers escape.
ESCAPED: tuple[dict[int, str], ...] = ({}, WORDS, WORDS | {39: "'"}, WORDS | {34: '"', 39: "'"}, NUMBERS)
ENTITIES = {code: f"&{name};" for code, name in html.entities.codepoint2name.items()}  # HTML 4, section 24
PLAIN_IN_PATHS = "!$&'()*+,;=:@"  # RFC 3986, section 3.3: what many writers leave as it is


def written_names(name: str) -> Iterator[bytes]:
    """A name as it is, percent-encoded, and escaped as in JSON, C, a shell and XML (only what needs it, or every
    character), and in old encodings.
    """
    raw = os.fsencode(name)
    yield raw
    yield from (quote(raw, safe=safe).encode() for safe in ("", PLAIN_IN_PATHS))
    yield "".join(f"%{byte:02x}" for byte in raw).encode()
    units = json.dumps(name)[1:-1]
    yield from (units.encode(), units.replace('\\"', '"').encode(), json.dumps(units)[1:-1].encode())
    yield json.dumps(name, ensure_ascii=False)[1:-1].encode("utf-8", "surrogateescape")
    wide = struct.iter_unpack("<H", name.encode("utf-16-le", "surrogatepass"))
    yield b"".join(b"\\u%04x" % unit for (unit,) in wide)
    for form in (b"\\x%02x", b"\\%03o"):
        yield b"".join(bytes([byte]) if byte < 0x80 else form % byte for byte in raw)
    yield name.encode("ascii", "backslashreplace")  # as in YAML and Python, where \xe9 is a letter
    yield re.sub(rb"([^\w\x80-\xff])", rb"\\\1", raw)
    yield from markup(name)
    yield from legacy_forms(name)


def markup(name: str) -> Iterator[bytes]:
    """A name as XML and HTML may have it: what they escape, and what is beyond ASCII in numbers, words or as it is."""
    for form in ("&#{};", "&#x{:x};", "&#x{:04x};", ""):
        beyond = {ord(sign): form.format(ord(sign)) or ENTITIES.get(ord(sign), sign) for sign in name if sign > "~"}
        for needed in ESCAPED:
            yield name.translate(beyond | needed).encode("utf-8", "surrogateescape")
            yield name.translate(needed).encode("utf-8", "surrogateescape")


def legacy_forms(text: str) -> dict[bytes, str]:
    """A text in each old encoding that has its characters, and which that is; none of one in ASCII."""
    found: dict[bytes, str] = {}
    for encoding in LEGACY if not text.isascii() else ():
        with suppress(UnicodeEncodeError):
            found.setdefault(unicodedata.normalize("NFC", text).encode(encoding), encoding)
    return found
