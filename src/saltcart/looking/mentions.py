"""Searching files of any kind for mentions of a place, such as the old place of a shelf."""

import mmap
import os
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from urllib.parse import quote

from saltcart.errors import Refused, SaltCartError, show
from saltcart.ledgers import Map, recognised
from saltcart.ledgers.wrappers import GZIP_MAGIC, Gzip
from saltcart.progress import Progress, Tick, silent
from saltcart.shelves.audio import kind_of
from saltcart.shelves.oddities import SET_ASIDE
from saltcart.shelves.walk import FILE, walk

# What may follow the name of a folder where it ends: a slash of either kind, escaped or not, or no letter of a name.
ENDS = (
    b"/",
    b"\\",
    b'"',
    b"'",
    b"<",
    b">",
    b"\0",
    b"\r",
    b"\n",
    b",",
    b";",
    b"|",
    b"&",
    b"?",
    b"%2F",
    b"%2f",
    b"]",
    b")",
)


@dataclass(frozen=True, slots=True)
class Mention:
    """One file that mentions an old place: how often, in which forms, and as which kind of ledger it is known (None:
    as none).
    """

    path: str
    count: int
    forms: tuple[str, ...]
    ledger: str | None


def forms_of(place: str) -> dict[bytes, str]:
    """The bytes by which programs may write a folder, and what each form is called."""
    raw = os.fsencode(place)
    forms = {raw: "UTF-8"}
    text = raw.decode("utf-8", "replace")
    for encoding, name in (("utf-16-le", "UTF-16"), ("utf-16-be", "UTF-16"), ("cp1252", "8-bit")):
        try:
            forms.setdefault(place.encode(encoding), name)
        except UnicodeEncodeError:
            continue
    for safe in ("/", "/!$&'()*+,;=:@~"):
        for escaped in (
            quote(raw, safe=safe),
            re.sub("%[0-9A-F]{2}", lambda one: one[0].lower(), quote(raw, safe=safe)),
        ):
            forms.setdefault(escaped.encode(), "percent-encoded")
    forms.setdefault(raw.replace(b" ", b"%20"), "percent-encoded")
    forms.setdefault(raw.replace(b"/", b"\\/"), "escaped")
    forms.setdefault(
        "".join(f"\\u{ord(sign):04x}" if "\x7f" < sign < "\U00010000" else sign for sign in text).encode(), "escaped"
    )
    forms.setdefault(text.replace("&", "&amp;").replace("'", "&apos;").encode(), "escaped")
    return forms


def mentions(
    olds: Sequence[str], places: Sequence[str], maps: Sequence[Map] = (), progress: Progress = silent
) -> Iterator[Mention]:
    """Every file in `places` that mentions one of the folders `olds`.  Sounds and set-aside shelves are passed over.

    Raises Refused for a place that is not there.
    """
    needles = {needle: name for old in olds for needle, name in forms_of(old).items()}
    for place in places:
        top = os.path.realpath(os.path.expanduser(place))
        if not os.path.exists(top):
            raise Refused(f"{show(place)} is not there", "Name folders or files to search.")
        for number, item in enumerate(walk(top)):
            path = os.path.join(top, item.path) if item.path else top
            if (
                item.kind != FILE
                or not item.size
                or kind_of(path)
                or any(SET_ASIDE.search(part) for part in item.path.split("/"))
            ):
                continue
            progress(Tick("search for traces", item.path, number, 0))
            found = count_mentions(path, needles)
            if found:
                yield Mention(path, sum(found.values()), tuple(sorted(set(found))), known_as(path, maps))


def count_mentions(path: str, needles: dict[bytes, str]) -> dict[str, int]:
    """How often a file mentions the needles, by form; a gzipped one is unpacked first."""
    try:
        with open(path, "rb") as stream, mmap.mmap(stream.fileno(), 0, access=mmap.ACCESS_READ) as data:
            if data[:2] == GZIP_MAGIC:
                return counted(Gzip().peel(data[:]), needles)
            return counted(data, needles)
    except (OSError, ValueError):
        return {}


def counted(data: bytes | mmap.mmap, needles: dict[bytes, str]) -> dict[str, int]:
    """How often each form stands in `data` where a folder's name ends."""
    counts: dict[str, int] = {}
    for needle, name in needles.items():
        place = data.find(needle)
        while place >= 0:
            end = place + len(needle)
            if (
                data[end : end + 1] == b""
                or data[end : end + 3].startswith(ENDS)
                or data[end : end + 2].startswith((b"\0/", b"\0\\"))
            ):
                counts[name] = counts.get(name, 0) + 1
            place = data.find(needle, end)
    return counts


def known_as(path: str, maps: Sequence[Map]) -> str | None:
    """The format or map that reads a file, or None."""
    try:
        ledger = recognised(path, maps)
    except SaltCartError:
        return None
    return ledger.map_name if ledger else None
