"""CUE sheets: each `FILE name TYPE` names a sound, in double quotes or as one word."""

import re

from saltcart.ledgers.codings import TOKEN
from saltcart.ledgers.textual import Found, finder, line_of
from saltcart.spelling import spelling_named

NAME = "cue"
LINES = re.compile(r'^[ \t]*FILE[ \t]+("[^"\r\n]+"|[^\s"]+)[ \t]+\S+[ \t]*$', re.MULTILINE | re.IGNORECASE)
AUTO = spelling_named("auto")


def claims(name: str, head: bytes) -> bool:
    """Whether a file of that name that begins with `head` is such a sheet."""
    return name.lower().endswith(".cue")


def found(text: str) -> list[Found]:
    """The files."""
    known: list[tuple[int, int]] = []
    text = text.replace("\r", "\n")
    return [Found(*one.span(1), line_of(text, one.start(1), known), TOKEN, AUTO) for one in LINES.finditer(text)]


spans = finder(found)
