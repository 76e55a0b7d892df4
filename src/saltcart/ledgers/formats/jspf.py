"""JSPF: an XSPF playlist written as JSON; the locations of a track are an array."""

from saltcart.ledgers.containers import json
from saltcart.ledgers.rules import At
from saltcart.ledgers.spans import Span
from saltcart.spelling.uris import REFERENCE

NAME = "jspf"
RULES = (At("playlist/track/*/location/*", REFERENCE), At("playlist/track/*/location", REFERENCE))


def claims(name: str, head: bytes) -> bool:
    """Whether a file of that name is such a playlist."""
    return name.lower().endswith(".jspf")


def spans(data: bytes) -> list[Span]:
    """See SpanFinder."""
    return json.spans(data, RULES)
