"""XSPF playlists (version 1, xiph.org): `location` elements of tracks, and the `xml:base` they start from.

The elements info, image, link and identifier hold URIs too, which name no sounds.
"""

import html
import re
from collections.abc import Iterator

from saltcart.ledgers.containers import xml
from saltcart.ledgers.rules import At
from saltcart.ledgers.spans import Span, Spans
from saltcart.spelling.uris import REFERENCE

NAME = "xspf"
# The tag of the outermost element.
ROOT = re.compile(
    rb"(?:\xef\xbb\xbf)?(?:\s++|(?><\?.*?\?>)|(?><!--.*?-->)|<!DOCTYPE[^>]*+>)*+<(?:[^\s<>:/]++:)?playlist\b[^>]*>",
    re.DOTALL,
)
TITLE, DURATION = re.compile(rb"<title>([^<]{1,4000})</title>"), re.compile(rb"<duration>\s*(\d{1,12})\s*</duration>")
NAMESPACE = b"http://xspf.org/ns/0/"
BASE = "**/@xml:base"
RULES = (At("playlist/trackList/track/location", REFERENCE, base_at=BASE), At(BASE, REFERENCE, "folder", base_at=BASE))


def claims(name: str, head: bytes) -> bool:
    """Whether a file of that name that begins with `head` is such a playlist."""
    root = ROOT.match(head)
    return bool(root and NAMESPACE in root[0]) or name.lower().endswith(".xspf")


def about(spans: Spans) -> Iterator[tuple[int, str | None, float | None]]:
    """Number, title and length in seconds of the locations; `duration` counts milliseconds (section 4.1.1.2.14.1.1.10).

    What is in the same track, before or after its location, is about it.
    """
    for number in range(len(spans.inside)):
        before = spans.outside[number].rpartition(b"<track")[2]
        after = spans.outside[number + 1].partition(b"</track")[0]
        title, duration = TITLE.search(before + after), DURATION.search(before + after)
        if title or duration:
            text = html.unescape(title[1].decode("utf-8", "replace")).strip() if title else None
            yield number, text or None, int(duration[1]) / 1000 if duration else None


def spans(data: bytes) -> Spans | list[Span]:
    """See SpanFinder."""
    return xml.spans(data, RULES, one_namespace=True)
