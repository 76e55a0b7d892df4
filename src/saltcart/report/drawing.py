"""A drawing as data, boxes and words at places in pixels, and as SVG (W3C, Scalable Vector Graphics 1.1)."""

import html
from unicodedata import east_asian_width

from msgspec import Struct, field

from saltcart.errors import UsageError, show
from saltcart.system import os

INK, PAPER = "#17324d", "#fbfaf6"
# Told apart with any kind of colour sight, in print too (Okabe and Ito, Color Universal Design, 2008).
SHELF, PACK, USED, LOAD, OVER, FREE = "#0072b2", "#56b4e9", "#8a9aa8", "#e69f00", "#d55e00", "#e4e1d6"
WIDTH = 1280
MARGIN, TITLE_SIZE, LABEL_SIZE = 20, 21, 17  # in a page they come out a third smaller
FONTS = "system-ui, -apple-system, 'Segoe UI', 'DejaVu Sans', sans-serif"  # whatever the reader's system reads best
LETTER_WIDTH = 0.58  # of the size of a letter, on average; wide scripts take a whole one


class Box(Struct, frozen=True):
    """A filled rectangle."""

    x: float
    y: float
    width: float
    height: float
    colour: str


class Words(Struct, frozen=True):
    """A line of text of `size` pixels; `y` is its middle, and `end` lets it end at `x`."""

    x: float
    y: float
    text: str
    size: float = LABEL_SIZE
    colour: str = INK
    bold: bool = False
    end: bool = False


class Drawing(Struct):
    """A picture that is `height` pixels high and as wide as all are."""

    height: float
    marks: list[Box | Words] = field(default_factory=list)

    @classmethod
    def titled(cls, title: str, height: float) -> "Drawing":
        """An empty one with a title."""
        return cls(height, [Words(MARGIN, MARGIN + TITLE_SIZE / 2, show(title), TITLE_SIZE, bold=True)])


def width_of(text: str, size: float) -> float:
    """About how wide a text is, in pixels."""
    return size * sum(1.0 if east_asian_width(letter) in "WF" else LETTER_WIDTH for letter in text)


def as_svg(drawing: Drawing, told: str) -> str:
    """An SVG element to be in a page, and the words `told` that say what it shows, for those who cannot see it and for
    pages too narrow for it.
    """
    words = html.escape(told)
    head = f'<svg role="img" aria-label="{words}" {box_of(drawing)}><title>{words}</title>'
    return f"{head}{marks_of(drawing)}</svg><figcaption>{words}</figcaption>"


def svg_file(drawing: Drawing) -> str:
    """A whole SVG document."""
    paper = f'<rect width="100%" height="100%" fill="{PAPER}"/>'
    size = f'width="{WIDTH}" height="{drawing.height:g}"'
    return f'<?xml version="1.0" encoding="UTF-8"?>\n<svg {size} {box_of(drawing)}>{paper}{marks_of(drawing)}</svg>\n'


def box_of(drawing: Drawing) -> str:
    """The attributes that say how large a drawing is."""
    return f'viewBox="0 0 {WIDTH} {drawing.height:g}" xmlns="http://www.w3.org/2000/svg"'


def marks_of(drawing: Drawing) -> str:
    """The boxes and words of a drawing as elements; letters stay letters, so that the reader's own fonts draw them."""
    return f'<g font-family="{html.escape(FONTS)}">{"".join(map(element_of, drawing.marks))}</g>'


def element_of(mark: Box | Words) -> str:
    """One box or line of text."""
    if isinstance(mark, Box):
        place = f'x="{mark.x:.1f}" y="{mark.y:.1f}" width="{max(0.0, mark.width):.1f}" height="{mark.height:.1f}"'
        return f'<rect {place} fill="{mark.colour}"/>'
    manner = f'font-size="{mark.size:g}" fill="{mark.colour}"' + (' font-weight="bold"' if mark.bold else "")
    manner += ' text-anchor="end"' if mark.end else ""
    middle = mark.y + mark.size * 0.35  # the base line of letters whose middle is there
    return f'<text x="{mark.x:.1f}" y="{middle:.1f}" {manner}>{html.escape(mark.text)}</text>'


def suffix_of(path: str) -> str:
    """png or svg; UsageError for anything else."""
    suffix = os.path.splitext(path)[1].lower().lstrip(".")
    if suffix not in ("png", "svg"):
        raise UsageError(f"A picture is a .png or .svg file, not {show(path)}", "Give the file such a name.")
    return suffix


def save(drawing: Drawing, path: str) -> None:
    """Write a picture; PNG or SVG by the file's suffix.  UsageError when that or its place will not do, or for a PNG
    where nothing here draws one.
    """
    kind = suffix_of(path)
    try:
        if kind == "png":
            from saltcart.report.png import write  # which needs the extra "pictures"

            write(drawing, path)
        else:
            with open(path, "w", encoding="utf-8") as stream:
                stream.write(svg_file(drawing))
    except OSError as error:
        raise UsageError(
            f"The picture cannot be written to {show(path)}: {error.strerror}", "Choose another place."
        ) from error
