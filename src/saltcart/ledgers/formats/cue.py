"""CUE sheets: each `FILE name TYPE` names a sound, in double quotes or as one word, and `CDTEXTFILE name` a file of
titles.
"""

import re
from collections.abc import Iterator

from saltcart.ledgers.codings import TOKEN
from saltcart.ledgers.spans import Spans
from saltcart.ledgers.textual import Found, finder, line_of
from saltcart.spelling import spelling_named

NAME = "cue"
NAMED = r'("[^"\r\n]+"|[^\s"]+)'
LINES = re.compile(
    rf"(?:\A|(?<=[\r\n]))[ \t]*(?:FILE[ \t]+{NAMED}[ \t]+\S+|CDTEXTFILE[ \t]+{NAMED})[ \t]*(?=[\r\n]|\Z)", re.IGNORECASE
)
AUTO = spelling_named("auto")
TRACK = re.compile(rb"^[ \t]*TRACK[ \t]+\d+", re.IGNORECASE | re.MULTILINE)
TITLE = re.compile(rb'^[ \t]*TITLE[ \t]+"([^"\r\n]*)"', re.IGNORECASE | re.MULTILINE)


def claims(name: str, head: bytes) -> bool:
    """Whether a file of that name that begins with `head` is such a sheet."""
    return name.lower().endswith(".cue")


def found(text: str) -> list[Found]:
    """The files."""
    known: list[tuple[int, int]] = []
    text = text.replace("\r", "\n")
    spans = (one.span(1) if one[1] else one.span(2) for one in LINES.finditer(text))
    return [Found(*span, line_of(text, span[0], known), TOKEN, AUTO) for span in spans]


def about(spans: Spans) -> Iterator[tuple[int, str | None, float | None]]:
    """Number and title of the files of which a sheet makes one track each; it tells no lengths."""
    for number in range(len(spans.inside)):
        after = spans.outside[number + 1]
        titles = TITLE.findall(after)
        if len(TRACK.findall(after)) == len(titles) == 1:
            yield number, read(titles[0]).strip() or None, None


def read(raw: bytes) -> str:
    """A title: in UTF-8, else in the commonest 8-bit code of the West."""
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError:
        return raw.decode("cp1252", "replace")


spans = finder(found)
