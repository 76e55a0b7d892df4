"""Pictures of where the room goes, of drives before and after, and of how fast a haul went."""

from collections.abc import Sequence
from itertools import accumulate, pairwise
from typing import NamedTuple

from msgspec import Struct

from saltcart.errors import show
from saltcart.report.drawing import (
    FREE,
    INK,
    LABEL_SIZE,
    LOAD,
    MARGIN,
    OVER,
    PACK,
    SHELF,
    USED,
    WIDTH,
    Box,
    Drawing,
    Words,
    width_of,
)

MOST_BARS = 60
TINY = 100  # what is smaller than the largest by this is gathered
TOP, LEGEND = 60, 46  # pixels above the first row, and below the last
TALLEST, LOWEST, ROWS_HEIGHT = 42, 22, 680  # of a row, and of all rows while they are few
LEAST_LABEL = 16
INDENT = 24  # of the name of a pack below that of its shelf
MOST_LETTERS = 44
UNITS = ((2e12, 1e12, "TB"), (2e9, 1e9, "GB"), (2e6, 1e6, "MB"), (0, 1e3, "kB"))


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


def unit_for(largest: float) -> tuple[float, str]:
    """The unit to tell bytes in, and its name."""
    return next((unit, word) for least, unit, word in UNITS if largest >= least)


def shortened(name: str) -> str:
    """A name that leaves room for its bar."""
    text = show(name)
    return text if len(text) <= MOST_LETTERS else f"{text[: MOST_LETTERS // 2]}…{text[-MOST_LETTERS // 2 :]}"


class Name(NamedTuple):
    """The name of a row, or of several: where its middle is, counted in rows from 0."""

    text: str
    place: float
    level: int = 0
    bold: bool = True


class Chart:
    """Rows of bars below each other: names at the left, bars in the middle, words behind them."""

    def __init__(self, title: str, names: Sequence[Name], rows: int, largest: float, beside: str):
        """`largest` is what the longest bar stands for, `beside` the longest words behind one."""
        rows = max(1, rows)
        self.row = max(LOWEST, min(TALLEST, ROWS_HEIGHT / rows))
        self.size = max(LEAST_LABEL, min(LABEL_SIZE, self.row * 0.65))
        self.drawing = Drawing.titled(title, TOP + self.row * rows + LEGEND)
        texts = [(one.level * INDENT, shortened(one.text)) for one in names]
        self.left = MARGIN + max((lead + width_of(text, self.size) * 1.08 for lead, text in texts), default=0) + 12
        self.scale = max(100, WIDTH - MARGIN - self.left - width_of(beside, self.size) - 12) / max(largest, 1e-9)
        for one, (lead, text) in zip(names, texts, strict=True):
            self.drawing.marks.append(Words(MARGIN + lead, self.middle(one.place), text, self.size, bold=one.bold))

    def middle(self, place: float) -> float:
        """Where the middle of a row is; rows count from 0."""
        return TOP + self.row * (place + 0.5)

    def bar(
        self, place: float, parts: Sequence[tuple[float, str]], share: float, words: str, colour: str = INK
    ) -> None:
        """A bar of parts side by side, (value, colour) each, as high as this share of a row; and the words behind."""
        x, height = self.left, self.row * share
        for value, part in parts:
            self.drawing.marks.append(Box(x, self.middle(place) - height / 2, value * self.scale, height, part))
            x += max(0.0, value * self.scale)
        self.drawing.marks.append(Words(x + 6, self.middle(place), words, self.size, colour))

    def legend(self, text: str) -> Drawing:
        """Say below what the colours mean; the whole drawing."""
        self.drawing.marks.append(Words(self.left, self.drawing.height - LEGEND / 2, text, LABEL_SIZE))
        return self.drawing


def room_picture(bars: Sequence[Bar], title: str) -> Drawing:
    """Shelves and their packs by size; the smallest are summed up."""
    bars = fewer(bars)
    unit, word = unit_for(max((bar.bytes for bar in bars), default=1))
    sizes = [bar.bytes / unit for bar in bars]
    names = [Name(bar.name, place, bar.level, bar.level == 0) for place, bar in enumerate(bars)]
    chart = Chart(title, names, len(bars), max(sizes, default=1.0), f"{max(sizes, default=1.0):,.1f} {word}")
    for place, (bar, value) in enumerate(zip(bars, sizes, strict=True)):
        chart.bar(place, [(value, PACK if bar.level else SHELF)], 0.8, f"{value:,.1f} {word}")
    return chart.legend(f"size in {word} (dark: shelves, light: their packs)")


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


def drives_picture(drives: Sequence[DriveBar], title: str) -> Drawing:
    """Each drive in a row: as it is now, and below that, where a load is to come, afterwards."""
    rows = [[("now", drive, 0), ("after", drive, drive.load_bytes)][: 2 if drive.load_bytes else 1] for drive in drives]
    return drives_chart([(drive.name, row) for drive, row in zip(drives, rows, strict=True)], title, LOADED)


def before_and_now(pairs: Sequence[tuple[DriveBar, DriveBar | None]], title: str) -> Drawing:
    """Each drive in a row as it was, and below that as it is; None for one that is not connected."""
    rows = [(before.name, [("before", before, 0), ("now", now, 0)]) for before, now in pairs]
    return drives_chart(rows, title, "grey: in use, pale: free")


LOADED = "grey: in use, orange: what would come, pale: free, red: must not go there"
DriveRow = tuple[str, DriveBar | None, int]  # what it shows, the drive (None: not connected), and the load in bytes


def drives_chart(drives: Sequence[tuple[str, Sequence[DriveRow]]], title: str, colours: str) -> Drawing:
    """Drives by name, each with one or two bars."""
    bars = [(bar, load) for _name, row in drives for _label, bar, load in row if bar]
    largest = max((bar.used_bytes + max(bar.free_bytes, load) for bar, load in bars), default=1)
    unit, word = unit_for(largest)
    starts = list(accumulate((len(row) for _name, row in drives), initial=0))
    names = [Name(name, start + (len(row) - 1) / 2) for (name, row), start in zip(drives, starts, strict=False)]
    beside = f"before: {largest / unit:,.1f} {word} free, but do not use it"
    chart = Chart(title, names, starts[-1], largest / unit, beside)
    place = 0
    for _name, row in drives:
        for at, (label, bar, load) in enumerate(row):
            inward = 0.12 if len(row) == 2 else 0.0  # what belongs together stands closer
            draw_drive(chart, place + (inward if at == 0 else -inward), label, bar, load, (unit, word))
            place += 1
    return chart.legend(f"{word} ({colours})")


def draw_drive(
    chart: Chart, place: float, label: str, drive: DriveBar | None, load: int, told_in: tuple[float, str]
) -> None:
    """One bar: in use, coming, free, and what it comes to in words."""
    unit, word = told_in
    if drive is None:
        chart.bar(place, [], 0.7, f"{label}: not connected")
        return
    left = drive.free_bytes - load
    bad = left < 0 or (load > 0 and drive.against)
    parts = ((drive.used_bytes + min(load, 0), USED), (max(load, 0), OVER if bad else LOAD), (max(0, left), FREE))
    text = f"{left / unit:,.1f} {word} free" if left >= 0 else f"{-left / unit:,.1f} {word} too little"
    if load > 0 and drive.against and left >= 0:
        text += ", but do not use it"
    chart.bar(place, [(count / unit, colour) for count, colour in parts], 0.7, f"{label}: {text}", OVER if bad else INK)


PACE_HEIGHT, PACE_LEFT, SHORTEST = 260, 110, 1e-3  # pixels, pixels, and seconds of a step


def pace_picture(points: Sequence[tuple[float, int]], title: str) -> Drawing:
    """How many bytes a second a haul carried, over time; `points` are seconds since it began, and bytes by then."""
    drawing = Drawing.titled(title, PACE_HEIGHT)
    steps = [
        (one[0], two[0], (two[1] - one[1]) / (two[0] - one[0]))
        for one, two in pairwise(points)
        if two[0] - one[0] > SHORTEST
    ]
    fastest = max((rate for _start, _end, rate in steps), default=1) or 1
    unit, word = unit_for(fastest)
    bottom, height, last = PACE_HEIGHT - LEGEND, PACE_HEIGHT - LEGEND - TOP, steps[-1][1] if steps else 1
    across = (WIDTH - MARGIN - PACE_LEFT) / last
    for start, end, rate in steps:
        tall = height * rate / fastest
        drawing.marks.append(Box(PACE_LEFT + start * across, bottom - tall, (end - start) * across, tall, PACK))
    for part in (0.0, 0.5, 1.0):
        drawing.marks.append(Box(PACE_LEFT, bottom - height * part, WIDTH - MARGIN - PACE_LEFT, 1, FREE))
        number = Words(PACE_LEFT - 8, bottom - height * part, f"{part * fastest / unit:,.1f}", end=True)
        drawing.marks.append(number)
    drawing.marks.append(Words(PACE_LEFT, PACE_HEIGHT - LEGEND / 2, f"{word} a second, over {last:,.1f} seconds"))
    return drawing
