"""JSPF: an XSPF playlist written as JSON; the locations of a track are an array."""

import json as texts
from collections.abc import Iterator

from saltcart.ledgers.containers import json
from saltcart.ledgers.rules import At
from saltcart.ledgers.spans import Span, Spans
from saltcart.spelling.uris import REFERENCE

NAME = "jspf"
RULES = (At("playlist/track/*/location/*", REFERENCE), At("playlist/track/*/location", REFERENCE))


def claims(name: str, head: bytes) -> bool:
    """Whether a file of that name is such a playlist."""
    return name.lower().endswith(".jspf")


def spans(data: bytes) -> list[Span]:
    """See SpanFinder."""
    return json.spans(data, RULES)


def about(spans: Spans) -> Iterator[tuple[int, str | None, float | None]]:
    """Number, title and length in seconds of the locations; `duration` counts milliseconds, as in XSPF."""
    try:
        tracks = texts.loads(spans.data.decode("utf-8-sig", "replace"))["playlist"]["track"]
        told = [
            (track["location"], track.get("title"), track.get("duration")) for track in tracks if "location" in track
        ]
    except (ValueError, LookupError, TypeError, AttributeError, RecursionError):
        return  # places are found in it all the same
    number = 0
    for places, title, duration in told:
        for _place in places if isinstance(places, list) else [places]:
            length = duration / 1000 if isinstance(duration, int) else None
            yield number, title if isinstance(title, str) else None, length
            number += 1
