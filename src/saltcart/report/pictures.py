"""Pictures of where the room goes, of drives before and after, and of how fast a haul went."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import TYPE_CHECKING

from msgspec import Struct

from saltcart.report.canvas import FREE, INK, LOAD, OVER, PACK, SHELF, TINY, USED, canvas, letter, shortened, unit_for

if TYPE_CHECKING:  # loaded when something is drawn
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MOST_BARS = 60
LEAST_HEIGHT, MOST_HEIGHT, TALL = 2.0, 8.0, 0.42  # inches: of a figure, and that a bar takes


class Bar(Struct, frozen=True):
    """One bar of the room picture: level 0 for a shelf, deeper for its packs; bytes."""

    name: str
    level: int
    bytes: int


class DriveBar(Struct, frozen=True):
    """One drive: bytes used, free, and needed by the load (0 when none is to come, negative when it would leave).

    `against` when something hard speaks against the drive, room or not.
    """

    name: str
    used_bytes: int
    free_bytes: int
    load_bytes: int
    against: bool = False


def height_for(rows: float) -> float:
    """How high a figure of so many rows is, in inches."""
    return max(LEAST_HEIGHT, min(MOST_HEIGHT, 1.2 + TALL * rows))


def room_picture(bars: Sequence[Bar], title: str) -> Figure:
    """Shelves and their packs by size; the smallest are summed up."""
    bars = fewer(bars)
    unit, word = unit_for(max((bar.bytes for bar in bars), default=1))
    figure, axes = canvas(title, height_for(len(bars)))
    places = range(len(bars))
    sizes = [bar.bytes / unit for bar in bars]
    axes.barh(places, sizes, color=[SHELF if bar.level == 0 else PACK for bar in bars], height=0.8)
    letters = max(5.0, min(10.0, 420 / max(1, len(bars))))
    name_rows(axes, [("    " * bar.level, bar.name, bar.level == 0) for bar in bars], letters)
    for place, value in zip(places, sizes, strict=True):
        say(axes, value, place, f"{value:,.1f} {word}", letters)
    room_for_words(axes, max(sizes, default=1.0), 0.14)
    axes.set_xlabel(f"size in {word} (dark: shelves, light: their packs)", color=INK)
    return figure


def fewer(bars: Sequence[Bar]) -> list[Bar]:
    """At most sixty bars: every shelf until they are used up, and the largest packs; what is less than a hundredth of
    the largest is summed up in one at its end.
    """
    least = max((bar.bytes for bar in bars), default=0) / TINY
    ranked = sorted(range(len(bars)), key=lambda number: (bars[number].level > 0, -bars[number].bytes))
    kept = {number for number in ranked if bars[number].bytes >= least}
    if len(kept) == len(bars) - 1:  # to sum up one alone saves no row
        kept = set(ranked)
    kept = set([number for number in ranked if number in kept][: MOST_BARS - 1]) if len(kept) > MOST_BARS else kept
    gone = [number for number in range(len(bars)) if number not in kept]
    if not gone:
        return list(bars)
    counted = [number for number in gone if bars[number].level == 0 or within(bars, number) in kept]
    rest = sum(bars[number].bytes for number in counted)
    return [*(bar for number, bar in enumerate(bars) if number in kept), Bar(f"and {len(gone)} smaller", 1, rest)]


def within(bars: Sequence[Bar], number: int) -> int:
    """The number of the bar that a pack's bar belongs to."""
    return next((at for at in range(number - 1, -1, -1) if bars[at].level < bars[number].level), number)


def name_rows(axes: Axes, names: Sequence[tuple[str, str, bool]], letters: float) -> None:
    """Write the names of rows beside them, from the top: with what is before each, and whether it is bold."""
    axes.set_yticks(range(len(names)), [f"{lead}{shortened(name)}" for lead, name, _bold in names])
    for label, (_lead, name, bold) in zip(axes.get_yticklabels(), names, strict=True):
        label.set(**letter(name, letters, bold))
    axes.invert_yaxis()
    axes.margins(y=0.02)


def say(axes: Axes, end: float, place: float, text: str, letters: float, colour: str = INK) -> None:
    """Write words behind the end of a bar."""
    axes.annotate(text, (end, place), (6, 0), textcoords="offset points", va="center", fontsize=letters, color=colour)


def room_for_words(axes: Axes, largest: float, share: float) -> None:
    """Make the words behind the longest bar fit in the figure."""
    axes.set_xlim(0, max(largest, 1e-9) * (1 + share))


def drives_picture(drives: Sequence[DriveBar], title: str) -> Figure:
    """Each drive in a row: as it is now, and below that, where a load is to come, afterwards."""
    largest = max((drive.used_bytes + drive.free_bytes for drive in drives), default=1)
    unit, word = unit_for(largest)
    loaded = any(drive.load_bytes for drive in drives)
    figure, axes = canvas(title, height_for(len(drives) * (2 if loaded else 1)))
    for place, drive in enumerate(drives):
        pair = [("now", 0, -0.21), ("after", drive.load_bytes, 0.21)] if drive.load_bytes else [("now", 0, 0.0)]
        for label, load, shift in pair:
            draw_drive(axes, place + shift, 0.38 if drive.load_bytes else 0.7, drive, load, unit, word, label)
    name_rows(axes, [("", drive.name, True) for drive in drives], 10)
    room_for_words(axes, largest / unit, 0.3)
    axes.set_xlabel(f"{word} (grey: in use, orange: what would come, pale: free, red: must not go there)", color=INK)
    return figure


def draw_drive(
    axes: Axes, place: float, height: float, drive: DriveBar, load: int, unit: float, word: str, label: str
) -> None:
    """One bar: in use, coming, free, and what it comes to in words."""
    left = drive.free_bytes - load
    bad = left < 0 or (load > 0 and drive.against)
    parts = ((drive.used_bytes + min(load, 0), USED), (max(load, 0), OVER if bad else LOAD), (max(0, left), FREE))
    start = 0.0
    for count, colour in parts:
        axes.barh(place, count / unit, left=start, color=colour, height=height)
        start += count / unit
    text = f"{left / unit:,.1f} {word} free" if left >= 0 else f"{-left / unit:,.1f} {word} too little"
    if load > 0 and drive.against and left >= 0:
        text += ", but do not"
    say(axes, start, place, f"{label}: {text}", 10, OVER if bad else INK)


def pace_picture(points: Sequence[tuple[float, int]], title: str) -> Figure:
    """How many bytes a second a haul carried, over time; `points` are seconds since it began, and bytes by then."""
    figure, axes = canvas(title, 2.6)
    steps = [
        (one[0], two[0], (two[1] - one[1]) / (two[0] - one[0])) for one, two in pairwise(points) if two[0] > one[0]
    ]
    unit, word = unit_for(max((rate for _start, _end, rate in steps), default=1))
    axes.stairs(
        [rate / unit for _start, _end, rate in steps],
        [*(start for start, _end, _rate in steps), steps[-1][1]] if steps else [0, 1],
        fill=True,
        color=PACK,
    )
    axes.set_xlabel("seconds", color=INK)
    axes.set_ylabel(f"{word} a second", color=INK)
    axes.set_ylim(bottom=0)
    axes.margins(x=0)
    return figure


def before_and_now(pairs: Sequence[tuple[DriveBar, DriveBar | None]], title: str) -> Figure:
    """Each drive in a row as it was, and below that as it is; None for one that is not connected."""
    largest = max((one.used_bytes + one.free_bytes for one, _now in pairs), default=1)
    unit, word = unit_for(largest)
    figure, axes = canvas(title, height_for(len(pairs) * 2))
    for place, (before, now) in enumerate(pairs):
        draw_drive(axes, place - 0.21, 0.38, before, 0, unit, word, "before")
        if now:
            draw_drive(axes, place + 0.21, 0.38, now, 0, unit, word, "now")
        else:
            say(axes, 0, place + 0.21, "now: not connected", 10)
    name_rows(axes, [("", before.name, True) for before, _now in pairs], 10)
    room_for_words(axes, largest / unit, 0.3)
    axes.set_xlabel(f"{word} (grey: in use, pale: free)", color=INK)
    return figure
