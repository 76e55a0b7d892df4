"""How lines, tables and bars look on a terminal.  Loaded only when something is shown, since it loads slowly."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from rich.box import SIMPLE_HEAD
from rich.console import Console, Group, RenderableType
from rich.table import Table
from rich.text import Text

from saltcart.cli.fitting import NARROW, fit, holds_numbers, label, shortened

if TYPE_CHECKING:
    from rich.progress import Progress

STEADY = 60.0  # seconds over which the rate is taken, so that the time left does not jump
LEAST_BAR, MOST_BAR = 20, 40
NUMBERS, NOTE = (
    44,
    34,
)  # characters that step, amount, rate and time beside a bar take, and a note about numbers of files
STYLES = {
    "found": "green",
    "missing": "red",
    "offline": "yellow",
    "altered": "red",
    "unreadable": "red",
    "unclear": "yellow",
}


def console(width: int | None) -> Console:
    """Standard output, `width` columns wide, or as wide as the terminal."""
    return Console(highlight=False, markup=False, emoji=False, width=width)


def error_console() -> Console:
    """Standard error."""
    return Console(stderr=True, highlight=False, markup=False, emoji=False, soft_wrap=True)


def line(text: str, style: str) -> Text:
    """A line."""
    return Text(text, style=style)


def remark(text: str) -> Text:
    """Something worth knowing."""
    return Text.assemble(("  ! ", "yellow"), text)


def cell(column: str, content: str | int) -> Text:
    """One cell of a table: verdicts in their colours, noughts dim."""
    if isinstance(content, str):
        return Text(content, style=STYLES.get(content, ""))
    return Text(f"{content:,}", style=STYLES.get(label(column).lower(), "") if content else "dim")


def fitted_table(title: str, columns: Sequence[str], rows: Sequence[Sequence[Any]], width: int) -> RenderableType:
    """As `table`, fitted to the width of a terminal; a list of its rows where there is no room for one."""
    texts = [[content if isinstance(content, str) else f"{content:,}" for content in row] for row in rows]
    found = fit(columns, texts, width)
    if found is None or (width < NARROW and found.left_out):
        return cards(title, columns, texts)
    made = table(
        title,
        [columns[at] for at in found.widths],
        [
            [shortened(row[at], room) if isinstance(row[at], str) else row[at] for at, room in found.widths.items()]
            for row in rows
        ],
        list(found.widths.values()),
    )
    if not found.left_out:
        return made
    note = f"No room for: {', '.join(found.left_out)} (a wider window, or --wide)"
    return Group(made, Text(note, style="dim"))


def cards(title: str, columns: Sequence[str], rows: Sequence[Sequence[str]]) -> RenderableType:
    """The rows one below the other, each cell on a line."""
    lines: list[Text] = [Text(title, style="bold")]
    for row in rows:
        lines += [
            Text.assemble((f"{label(name)}: ", "dim"), cell(name, content))
            for name, content in zip(columns, row, strict=True)
            if content
        ]
        lines.append(Text())
    return Group(*lines)


def table(
    title: str, columns: Sequence[str], rows: Sequence[Sequence[Any]], widths: Sequence[int] | None = None
) -> Table:
    """See Screen.table."""
    made = Table(
        title=title, title_justify="left", title_style="bold", box=SIMPLE_HEAD, pad_edge=False, show_edge=False
    )
    for number, name in enumerate(columns):
        figure = holds_numbers(name)
        made.add_column(
            label(name),
            justify="right" if figure else "left",
            overflow="fold",
            no_wrap=figure or (number == 0 and widths is None),
            width=widths[number] if widths else None,
        )
    for row in rows:
        made.add_row(*map(cell, columns, row))
    return made


def facts(rows: Sequence[tuple[str, str]]) -> Table:
    """See Screen.facts."""
    made = Table(show_header=False, box=None, pad_edge=False, padding=(0, 2, 0, 0))
    made.add_column(no_wrap=True, style="bold")
    made.add_column(overflow="fold")
    for name, value in rows:
        made.add_row(Text(name), Text(value))
    return made


def document(text: str) -> RenderableType:
    """A page of the documentation, in Markdown."""
    from rich.markdown import Markdown  # which only this needs

    return Markdown(text)


def room_beside(where: Console) -> tuple[bool, int]:
    """Whether a note fits beside a bar and its numbers, and how many characters are left for what is worked on."""
    left = where.width - NUMBERS - LEAST_BAR
    return left >= NOTE, left - NOTE - (bar_width(where) - LEAST_BAR)


def bar_width(where: Console) -> int:
    """The width of a bar, which gives way to the numbers beside it, but not altogether."""
    return max(LEAST_BAR, min(MOST_BAR, where.width - NUMBERS - NOTE))


def bar(where: Console, in_bytes: bool) -> "Progress":
    """A bar with time left, and of bytes with their rate."""
    from rich.progress import (
        BarColumn,
        DownloadColumn,
        MofNCompleteColumn,
        Progress,
        TextColumn,
        TimeRemainingColumn,
        TransferSpeedColumn,
    )

    amount = (DownloadColumn(), TransferSpeedColumn()) if in_bytes else (MofNCompleteColumn(),)
    columns = (TextColumn("{task.description}"), BarColumn(bar_width(where)), *amount, TimeRemainingColumn())
    return Progress(*columns, console=where, transient=True, speed_estimate_period=STEADY)
