"""The ground that all figures are drawn on: colours, fonts for any script, units, and how one is written."""

from __future__ import annotations

import io
import logging
from functools import lru_cache
from typing import TYPE_CHECKING

from saltcart.errors import UsageError, show
from saltcart.system import os

if TYPE_CHECKING:  # loaded when something is drawn
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

INK, PAPER = "#17324d", "#fbfaf6"
# Told apart with any kind of colour sight, in print too (Okabe and Ito, Color Universal Design, 2008).
SHELF, PACK, USED, LOAD, OVER, FREE = "#0072b2", "#56b4e9", "#8a9aa8", "#e69f00", "#d55e00", "#e4e1d6"
FONT = "DejaVu Sans"
WIDTH = 12.8  # inches; at 100 dots an inch a usual screen
UNITS = ((2e12, 1e12, "TB"), (2e9, 1e9, "GB"), (2e6, 1e6, "MB"), (0, 1e3, "kB"))
MOST_LETTERS = 44
PLACEHOLDERS = "Last Resort"  # a font of boxes for whatever no other has
TINY = 100  # what is smaller than the largest by this is gathered


def unit_for(largest: float) -> tuple[float, str]:
    """The unit to tell bytes in, and its name."""
    return next((unit, word) for least, unit, word in UNITS if largest >= least)


def canvas(title: str, height: float) -> tuple[Figure, Axes]:
    """An empty figure in our colours, `height` inches high."""
    from matplotlib.figure import Figure as NewFigure  # drawn without a window system, and kept by nobody
    from matplotlib.layout_engine import ConstrainedLayoutEngine

    logging.getLogger("matplotlib").setLevel(logging.CRITICAL)  # which fonts lack is no news to a person
    figure = NewFigure(figsize=(WIDTH, height), facecolor=PAPER, layout=ConstrainedLayoutEngine(h_pad=0.1, w_pad=0.1))
    axes = figure.subplots()
    axes.set_facecolor(PAPER)
    axes.set_title(drawable(title), loc="left", color=INK, fontsize=13, fontweight="bold")
    axes.tick_params(colors=INK, length=0)
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    return figure, axes


@lru_cache(maxsize=1)
def signs_by_font() -> list[tuple[str, frozenset[int]]]:
    """The fonts of this machine by family, each with the characters that it has, the usual one first."""
    from matplotlib import font_manager
    from matplotlib.ft2font import FT2Font

    found: dict[str, frozenset[int]] = {}
    entries = sorted(font_manager.fontManager.ttflist, key=lambda one: (one.name != FONT, one.weight != 400))
    for one in entries:
        if one.name not in found and one.style == "normal" and not one.name.startswith(PLACEHOLDERS):
            try:
                found[one.name] = frozenset(FT2Font(one.fname).get_charmap())
            except (OSError, RuntimeError):
                continue
    return list(found.items())


def families(text: str) -> list[str]:
    """The fonts that a text needs, the usual one first."""
    chosen, wanted = [FONT], {ord(sign) for sign in text if not sign.isascii()}
    for name, signs in signs_by_font() if wanted else ():
        if wanted & signs:
            chosen.append(name)
            wanted -= signs
    return list(dict.fromkeys(chosen))


def drawable(name: str) -> str:
    """A name as it can be drawn: characters that mean something to the drawing library are made harmless, and those
    that no font here has are shown by their numbers.
    """
    text = show(name)
    if not text.isascii():
        known = frozenset().union(*(signs for _name, signs in signs_by_font()))
        text = "".join(sign if sign.isascii() or ord(sign) in known else f"<{ord(sign):X}>" for sign in text)
    return text.replace("$", r"\$")


def shortened(name: str, most: int = MOST_LETTERS) -> str:
    """A name that leaves room for its bar."""
    text = show(name)
    return drawable(text if len(text) <= most else f"{text[: most // 2]}…{text[-most // 2 :]}")


def letter(text: str, size: float, bold: bool = False) -> dict[str, object]:
    """How a text is to be drawn that may be in any script."""
    return {"fontfamily": families(text), "fontsize": size, "fontweight": "bold" if bold else "normal"}


def suffix_of(path: str) -> str:
    """png or svg; UsageError for anything else."""
    suffix = os.path.splitext(path)[1].lower().lstrip(".")
    if suffix not in ("png", "svg"):
        raise UsageError(f"A picture is a .png or .svg file, not {show(path)}", "Give the file such a name.")
    return suffix


def save(figure: Figure, path: str) -> None:
    """Write a picture; PNG or SVG by the file's suffix.  UsageError when that or its place will not do."""
    kind = suffix_of(path)
    try:
        figure.savefig(path, dpi=100, format=kind, metadata={"Date": None} if kind == "svg" else None)
    except OSError as error:
        raise UsageError(
            f"The picture cannot be written to {show(path)}: {error.strerror}", "Choose another place."
        ) from error


def as_svg(figure: Figure, told: str) -> str:
    """A figure as an SVG element to be in a page, and the words `told` that say what it shows, for those who cannot
    see it and for pages too narrow for it; letters stay letters, so that the reader's own fonts draw them.
    """
    import html

    from matplotlib import rc_context

    out = io.StringIO()
    with rc_context({"svg.fonttype": "none", "svg.hashsalt": told}):
        figure.savefig(out, format="svg", metadata={"Date": None, "Creator": None})
    text = out.getvalue()
    text = text[text.index("<svg") :]
    start = text.index(">") + 1
    head = f'<svg role="img" aria-label="{html.escape(told)}" viewBox="0 0 {figure.bbox.width * 72 / figure.dpi:g} '
    head += f'{figure.bbox.height * 72 / figure.dpi:g}" xmlns="http://www.w3.org/2000/svg" '
    head += 'xmlns:xlink="http://www.w3.org/1999/xlink">'
    words = html.escape(told)
    return f"{head}<title>{words}</title>{text[start:]}<figcaption>{words}</figcaption>"
