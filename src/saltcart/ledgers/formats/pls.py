"""PLS playlists: an INI-like list in which `FileN=` names track N."""

import re

from saltcart.ledgers.codings import LINE
from saltcart.ledgers.textual import Found, finder, line_of
from saltcart.spelling import spelling_named

NAME = "pls"
LINES = re.compile(
    r"(?:\A|(?<=[\r\n]))[ \t]*+File\d+[ \t]*+=[ \t]*+((?:[^\r\n \t]++|[ \t]++(?![\r\n]|\Z))*+)", re.IGNORECASE
)
AUTO = spelling_named("auto")


def claims(name: str, head: bytes) -> bool:
    """Whether a file of that name that begins with `head` is such a list."""
    return name.lower().endswith(".pls") or head.removeprefix(b"\xef\xbb\xbf").lstrip()[:10].lower() == b"[playlist]"


def found(text: str) -> list[Found]:
    """The tracks."""
    known: list[tuple[int, int]] = []
    text = text.replace("\r", "\n")
    return [
        Found(*one.span(1), line_of(text, one.start(1), known), LINE, AUTO) for one in LINES.finditer(text) if one[1]
    ]


spans = finder(found)
