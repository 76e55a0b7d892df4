"""Pictures of where the room goes, for people; PNG or SVG by the file's suffix."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltcart.errors import UsageError, show

if TYPE_CHECKING:  # loaded when something is drawn
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

INK, PAPER = "#17324d", "#fbfaf6"
SHELF, PACK, FREE, USED, LOAD, OVER = "#2f6f8f", "#9cc3d5", "#e4e1d6", "#8a9aa8", "#d08a2e", "#b3362c"
MEASURES = (12.8, 8.0)  # inches; at 100 dots an inch a usual screen
MOST_BARS = 60


@dataclass(frozen=True, slots=True)
class Bar:
    """One bar of the room picture: level 0 for a shelf, deeper for its packs; bytes."""

    name: str
    level: int
    bytes: int


@dataclass(frozen=True, slots=True)
class DriveBar:
    """One drive: bytes used, free, and needed by the load (0 when none is to come, negative when it would leave).

    `against` when something hard speaks against the drive, room or not.
    """

    name: str
    used_bytes: int
    free_bytes: int
    load_bytes: int
    against: bool = False


def suffix_of(path: str) -> str:
    """png or svg; UsageError for anything else."""
    suffix = os.path.splitext(path)[1].lower().lstrip(".")
    if suffix not in ("png", "svg"):
        raise UsageError(f"A picture is a .png or .svg file, not {show(path)}", "Give the file such a name.")
    return suffix


def room_picture(bars: Sequence[Bar], title: str, path: str) -> None:
    """Draw shelves and their packs by size to `path`; with more than sixty the smallest packs are summed up."""
    bars = fewer(bars)
    figure, axes, unit, word = canvas(title, max((bar.bytes for bar in bars), default=1), suffix_of(path))
    places = range(len(bars))
    sizes = [bar.bytes / unit for bar in bars]
    axes.barh(places, sizes, color=[SHELF if bar.level == 0 else PACK for bar in bars], height=0.8)
    letters = max(5.0, min(10.0, 420 / max(1, len(bars))))
    axes.set_yticks(places, [f"{'    ' * bar.level}{shortened(bar.name)}" for bar in bars], fontsize=letters)
    for label, bar in zip(axes.get_yticklabels(), bars, strict=True):
        label.set_fontweight("bold" if bar.level == 0 else "normal")
    for place, value in zip(places, sizes, strict=True):
        axes.text(value, place, f" {value:,.1f} {word}", va="center", fontsize=letters, color=INK)
    axes.invert_yaxis()
    axes.margins(x=0.12, y=0.01)
    axes.set_xlabel(f"size in {word} (dark: shelves, light: their packs)")
    save(figure, path)


def fewer(bars: Sequence[Bar]) -> list[Bar]:
    """At most sixty bars: every shelf as far as they go, and the largest packs."""
    if len(bars) <= MOST_BARS:
        return list(bars)
    ranked = sorted(range(len(bars)), key=lambda number: (bars[number].level > 0, -bars[number].bytes))
    kept = set(ranked[: MOST_BARS - 1])
    rest = sum(bars[number].bytes for number in ranked[MOST_BARS - 1 :] if bars[number].level == 1)
    return [
        *(bar for number, bar in enumerate(bars) if number in kept),
        Bar(f"{len(bars) - len(kept)} smaller ones", 1, rest),
    ]


def drives_picture(drives: Sequence[DriveBar], title: str, path: str) -> None:
    """Draw each drive as a bar, before and, where a load is to come, after."""
    largest = max((drive.used_bytes + drive.free_bytes for drive in drives), default=1)
    figure, axes, unit, word = canvas(title, largest, suffix_of(path))
    names: list[str] = []
    for drive in drives:
        for label, load in [("now", 0)] + ([("after", drive.load_bytes)] if drive.load_bytes else []):
            names.append(f"{shortened(drive.name)}, {label}")
            draw_drive(axes, len(names) - 1, drive, load, unit, word)
    axes.set_yticks(range(len(names)), names)
    axes.invert_yaxis()
    axes.margins(x=0.2)
    axes.set_xlabel(f"{word} (grey: in use, orange: what would come, pale: free, red: must not go there)")
    save(figure, path)


def draw_drive(axes: Axes, place: int, drive: DriveBar, load: int, unit: float, word: str) -> None:
    """One bar: in use, coming, free, and what it comes to in words."""
    left = drive.free_bytes - load
    bad = left < 0 or (load > 0 and drive.against)
    parts = ((drive.used_bytes + min(load, 0), USED), (max(load, 0), OVER if bad else LOAD), (max(0, left), FREE))
    start = 0.0
    for count, colour in parts:
        axes.barh(place, count / unit, left=start, color=colour, height=0.7)
        start += count / unit
    text = f"{left / unit:,.1f} {word} free" if left >= 0 else f"{-left / unit:,.1f} {word} too little"
    if load > 0 and drive.against and left >= 0:
        text += ", but do not"
    axes.text(start, place, f"  {text}", va="center", fontsize=10, color=OVER if bad else INK)


def canvas(title: str, largest: int, kind: str) -> tuple[Figure, Axes, float, str]:
    """An empty figure in our colours, and the unit to draw in."""
    import matplotlib

    matplotlib.use("svg" if kind == "svg" else "agg")
    from matplotlib import pyplot

    pyplot.rcParams["font.family"] = "DejaVu Sans"
    figure, axes = pyplot.subplots(figsize=MEASURES, facecolor=PAPER, layout="constrained")
    axes.set_facecolor(PAPER)
    axes.set_title(title, loc="left", color=INK, fontsize=13, fontweight="bold")
    axes.tick_params(colors=INK, length=0)
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    unit, word = (1e9, "GB") if largest >= 2e9 else (1e6, "MB") if largest >= 2e6 else (1e3, "kB")
    return figure, axes, unit, word


def shortened(name: str, most: int = 44) -> str:
    """A name that leaves room for its bar; signs that mean something to the drawing library are made harmless."""
    text = show(name).replace("$", r"\$")
    return text if len(text) <= most else f"{text[: most // 2]}…{text[-most // 2 :]}"


def save(figure: Figure, path: str) -> None:
    """Write the picture.  UsageError when the place cannot be written."""
    from matplotlib import pyplot

    try:
        figure.savefig(path, dpi=100, metadata={"Date": None} if path.lower().endswith(".svg") else None)
    except OSError as error:
        raise UsageError(
            f"The picture cannot be written to {show(path)}: {error.strerror}", "Choose another place."
        ) from error
    finally:
        pyplot.close(figure)
