"""XSPF playlists (version 1, xiph.org): `location` elements of tracks, and the `xml:base` they start from.

The elements info, image, link and identifier hold URIs too, which name no sounds.
"""

import re

from saltcart.ledgers.containers import xml
from saltcart.ledgers.rules import At
from saltcart.ledgers.spans import Span, Spans
from saltcart.spelling.uris import REFERENCE

NAME = "xspf"
# The tag of the outermost element.
ROOT = re.compile(
    rb"(?:\xef\xbb\xbf)?(?:\s|<\?.*?\?>|<!--.*?-->|<!DOCTYPE[^>]*>)*<(?:[^\s<>:/]+:)?playlist\b[^>]*>", re.DOTALL
)
NAMESPACE = b"http://xspf.org/ns/0/"
BASE = "**/@xml:base"
RULES = (At("playlist/trackList/track/location", REFERENCE, base_at=BASE), At(BASE, REFERENCE, "folder", base_at=BASE))


def claims(name: str, head: bytes) -> bool:
    """Whether a file of that name that begins with `head` is such a playlist."""
    root = ROOT.match(head)
    return bool(root and NAMESPACE in root[0]) or name.lower().endswith(".xspf")


def spans(data: bytes) -> Spans | list[Span]:
    """See SpanFinder."""
    return xml.spans(data, RULES, one_namespace=True)
