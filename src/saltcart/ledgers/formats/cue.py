"""CUE sheets: each `FILE name TYPE` names a sound, in double quotes or as one word, and `CDTEXTFILE name` a file of
titles.
"""

import re

from saltcart.ledgers.codings import TOKEN
from saltcart.ledgers.textual import Found, finder, line_of
from saltcart.spelling import spelling_named

NAME = "cue"
NAMED = r'("[^"\r\n]+"|[^\s"]+)'
LINES = re.compile(
    rf"(?:\A|(?<=[\r\n]))[ \t]*(?:FILE[ \t]+{NAMED}[ \t]+\S+|CDTEXTFILE[ \t]+{NAMED})[ \t]*(?=[\r\n]|\Z)", re.IGNORECASE
)
AUTO = spelling_named("auto")


def claims(name: str, head: bytes) -> bool:
    """Whether a file of that name that begins with `head` is such a sheet."""
    return name.lower().endswith(".cue")


def found(text: str) -> list[Found]:
    """The files."""
    known: list[tuple[int, int]] = []
    text = text.replace("\r", "\n")
    spans = (one.span(1) if one[1] else one.span(2) for one in LINES.finditer(text))
    return [Found(*span, line_of(text, span[0], known), TOKEN, AUTO) for span in spans]


spans = finder(found)
