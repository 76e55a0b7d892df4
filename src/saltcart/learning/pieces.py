"""Paths that are a piece of a value or a line: the pattern that cuts them out, derived from where they are."""

import re
from collections.abc import Iterator, Sequence
from itertools import count

from saltcart.learning.ground import Ground
from saltcart.ledgers.rules import Parts
from saltcart.patterns import SURROGATES, Pattern

SEPARATORS = (";", "|", ",", ":")
# What a path may end before, when it is a piece of a value; no path of a music collection holds these but rarely.
ENDS = "\"|;\t<>*?\0,)]}' "
START = re.compile(r"""(?:(?<=[\s"'=:|;,(<\[{])|^)(?:file:/|~/|\$\w+/|/(?=[^/\s])|[A-Za-z]:[\\/]|\\\\)""")
MOST = 200  # values that are looked at
MOST_TRIES = 8_000  # stretches that are looked for on the drives; a long text has as many as its length squared
LONGEST = 4096  # characters of a path, which the system sets
LONGEST_LEAD = 200  # characters before a path that tell where it begins


def parts_tried(values: Sequence[str], ground: Ground) -> Iterator[Parts]:
    """The ways in which paths may be in these values."""
    for separator in SEPARATORS:
        if any(separator in value for value in values):
            yield Parts(separator)
    pattern = piece_of(values, ground)
    if pattern and SURROGATES.sub("", pattern) == pattern:  # else what is around it is no text
        yield Parts(piece=Pattern(pattern))


def piece_of(values: Sequence[str], ground: Ground) -> str | None:
    """A pattern with a group `path` for the paths that are in the values with other text around them."""
    tries = count(1)
    around = [found for value in values[:MOST] if (found := stretch(value, ground, tries))]
    if not around or all((start, end) == (0, len(value)) for value, start, end in around):
        return None
    leads = {value[max(0, start - LONGEST_LEAD - 1) : start] for value, start, _end in around}
    ends = {value[end : end + 1] for value, _start, end in around}
    closing = "".join(sorted(ends - {""}))
    path = rf"(?P<path>[^{re.escape(closing)}\r\n]+)" if closing else r"(?P<path>[^\r\n]+)"
    if len(leads) == 1 and len(lead := min(leads)) <= LONGEST_LEAD:
        return f"^{re.escape(lead)}{path}"
    common = common_end(sorted(leads))
    return f"{re.escape(common)}{path}" if common.strip() else None


def common_end(texts: Sequence[str]) -> str:
    """What all of some texts end with."""
    shortest = min(texts, key=len)
    at = next(at for at in range(len(shortest) + 1) if all(text.endswith(shortest[at:]) for text in texts))
    return shortest[at:]


def stretch(value: str, ground: Ground, tries: Iterator[int]) -> tuple[str, int, int] | None:
    """The value, with start and end of the first stretch in it that is a path of something that is there; None too
    once `tries`, a counter, has come to the most that are made.
    """
    for found in START.finditer(value):
        start = found.start()
        last = min(len(value), start + LONGEST)
        ends = [last, *(at for at in range(last - 1, start, -1) if value[at] in ENDS)]
        for end in ends:
            if next(tries) > MOST_TRIES:
                return None
            if any(ground.resolve(spelling, value[start:end]) for spelling in ("native", "uri", "windows")):
                return value, start, end
    return None
