"""Drawings as PNG, by matplotlib, which the extra "pictures" installs."""

from __future__ import annotations

import logging
from functools import lru_cache

from saltcart.errors import UsageError
from saltcart.report.drawing import PAPER, WIDTH, Box, Drawing, Words

try:
    from matplotlib import font_manager
    from matplotlib.figure import Figure  # drawn without a window system, and kept by nobody
    from matplotlib.ft2font import FT2Font
    from matplotlib.patches import Rectangle
except ImportError as error:
    raise UsageError(
        "This installation draws no PNG pictures, because the drawing library is not installed",
        "Give the file a name that ends in .svg, or install it: python -m pip install 'saltcart[pictures]'",
    ) from error

FONT = "DejaVu Sans"
DOTS = 100  # an inch
POINT = 72 / DOTS  # a pixel in points, in which letters are measured
PLACEHOLDERS = "Last Resort"  # a font of boxes for whatever no other has


def write(drawing: Drawing, path: str) -> None:
    """Draw it into the file at `path`.  OSError when that cannot be written."""
    logging.getLogger("matplotlib").setLevel(logging.CRITICAL)  # which fonts lack is no news to a person
    figure = Figure(figsize=(WIDTH / DOTS, drawing.height / DOTS), facecolor=PAPER)
    axes = figure.add_axes((0, 0, 1, 1), xlim=(0, WIDTH), ylim=(drawing.height, 0))
    axes.set_axis_off()
    for mark in drawing.marks:
        if isinstance(mark, Box):
            axes.add_patch(Rectangle((mark.x, mark.y), max(0.0, mark.width), mark.height, color=mark.colour, lw=0))
        else:
            axes.text(
                mark.x, mark.y, drawable(mark.text), fontsize=mark.size * POINT, color=mark.colour,
                fontfamily=families(mark), fontweight="bold" if mark.bold else "normal",
                ha="right" if mark.end else "left", va="center_baseline",
            )  # fmt: skip
    figure.savefig(path, dpi=DOTS, format="png")


@lru_cache(maxsize=1)
def letters_by_font() -> list[tuple[str, frozenset[int]]]:
    """The fonts of this machine by family, each with the characters that it has, the usual one first."""
    found: dict[str, frozenset[int]] = {}
    entries = sorted(font_manager.fontManager.ttflist, key=lambda one: (one.name != FONT, one.weight != 400))
    for one in entries:
        if one.name not in found and one.style == "normal" and not one.name.startswith(PLACEHOLDERS):
            try:
                found[one.name] = frozenset(FT2Font(one.fname).get_charmap())
            except (OSError, RuntimeError):
                continue
    return list(found.items())


def families(words: Words) -> list[str]:
    """The fonts that a text needs, the usual one first."""
    chosen, wanted = [FONT], {ord(letter) for letter in words.text if not letter.isascii()}
    for name, letters in letters_by_font() if wanted else ():
        if wanted & letters:
            chosen.append(name)
            wanted -= letters
    return list(dict.fromkeys(chosen))


def drawable(text: str) -> str:
    """A text as it can be drawn: characters that mean something to the drawing library are made harmless, and those
    that no font here has are shown by their numbers.
    """
    if not text.isascii():
        known = frozenset().union(*(letters for _name, letters in letters_by_font()))
        text = "".join(one if one.isascii() or ord(one) in known else f"<{ord(one):X}>" for one in text)
    return text.replace("$", r"\$")
