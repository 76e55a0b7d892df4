"""Fitting a table to the width of a terminal: numbers and verdicts stay whole, paths lose parts in their middle, and
what finds no room is left out and said to be.
"""

from collections.abc import Sequence
from typing import NamedTuple

GAP = 3  # characters between two columns
NARROW = 60  # below so many columns a table that does not fit becomes a list
LEAST_PATH, LEAST_TEXT, MOST_NEEDED = 14, 18, 34
MOST_FIRST, MOST_LAST = 10, 16  # characters of the first and last part of a path that want room
# What a row is about, and how it is: these columns are never left out.
KEPT = ("Verdict", "Fits", "State", "How sure", "How it stands")


def label(column: str) -> str:
    """What is at the head of a column."""
    return column.removeprefix("?").removeprefix(">")


def holds_numbers(column: str) -> bool:
    """Whether a column holds numbers."""
    return column.removeprefix("?").startswith(">")


class Fitted(NamedTuple):
    """The columns that are shown, by number, with their widths; those left out, by name."""

    widths: dict[int, int]
    left_out: list[str]


def fit(columns: Sequence[str], rows: Sequence[Sequence[str]], width: int) -> Fitted | None:
    """How a table of texts fits into `width` characters; a column whose name begins with `>` holds numbers, and one
    with `?` before that goes first.  None when it does not, however much is left out.
    """
    shown = list(range(len(columns)))
    natural = [max([len(label(columns[at])), *(len(row[at]) for row in rows)]) for at in shown]
    least = [needed(columns[at], [row[at] for row in rows], natural[at]) for at in shown]
    left_out: list[str] = []
    while total(shown, least) > width:
        going = least_important(columns, shown)
        if going is None:
            return None
        shown.remove(going)
        left_out.insert(0, label(columns[going]))
    return Fitted(spread(shown, natural, least, width), left_out)


def total(shown: Sequence[int], widths: Sequence[int]) -> int:
    """The width of a table of these columns."""
    return sum(widths[at] for at in shown) + GAP * (len(shown) - 1)


def needed(name: str, cells: Sequence[str], natural: int) -> int:
    """The least width of a column: numbers take what they take, paths can be shortened, words are not broken."""
    if holds_numbers(name):
        return natural
    words = [word for cell in (label(name), *cells) for word in ((cell,) if "/" in cell else cell.split()) if word]
    longest = max((min(len(word), LEAST_PATH) if "/" in word else len(word) for word in words), default=1)
    several = any(" " in cell and "/" not in cell for cell in cells)
    return min(
        natural,
        max(longest, LEAST_TEXT if several else 0, max((ending(cell) for cell in cells if "/" in cell), default=0)),
        MOST_NEEDED,
    )


def ending(path: str) -> int:
    """How much room the ends of a path need: its first part and the last one, with a character for what is left out."""
    first, *more = path.strip("/").split("/")
    return min(len(first), MOST_FIRST) + (3 + min(len(more[-1]), MOST_LAST) if more else 1)


def least_important(columns: Sequence[str], shown: Sequence[int]) -> int | None:
    """The column to leave out next: those that are to go first, then texts before numbers, the last first; never the
    first one, or a verdict.
    """
    free = [at for at in shown[1:] if label(columns[at]) not in KEPT]
    ready = [at for at in free if columns[at].startswith("?")]
    texts = [at for at in free if not holds_numbers(columns[at])]
    return (ready or texts or free)[-1] if free else None


def spread(shown: Sequence[int], natural: Sequence[int], least: Sequence[int], width: int) -> dict[int, int]:
    """The widths of columns: what is left over goes to those that want more, in turn."""
    widths = {at: least[at] for at in shown}
    left = width - total(shown, least)
    while left > 0 and (wanting := [at for at in shown if widths[at] < natural[at]]):
        share = max(1, left // len(wanting))
        for at in wanting:
            more = min(share, natural[at] - widths[at], left)
            widths[at] += more
            left -= more
    return widths


def shortened(text: str, width: int) -> str:
    """A path without as many parts of its middle as must go for `width` characters, others as they are."""
    parts = text.split("/")
    if len(text) <= width or len(parts) < 3:
        return text
    for kept in range(len(parts) - 1, 0, -1):
        head, tail = parts[: kept // 2], parts[len(parts) - (kept + 1) // 2 :]
        found = "/".join([*head, "\u2026", *tail])
        if len(found) <= width:
            return found
    return f"\u2026/{parts[-1]}"
