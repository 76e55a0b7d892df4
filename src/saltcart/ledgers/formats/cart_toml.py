"""Salt Cart's own configuration, whose paths follow the shelves like any others.

It is no ledger that anybody leans on, and so nothing claims it: whoever finds the shelves named in it asks for it.
"""

from saltcart.ledgers.containers import lines
from saltcart.ledgers.rules import At
from saltcart.ledgers.spans import Span
from saltcart.spelling import spelling_named

NAME = "cart"
AUTO = spelling_named("auto")
RULES = (
    *(At(place, AUTO, "folder") for place in ("places/*", "shelf/path")),
    *(At(place, AUTO) for place in ("maps/*", "ledger/path")),
)


def spans(data: bytes) -> list[Span]:
    """See SpanFinder."""
    return lines.spans("toml", data, RULES)
