"""Output to the terminal: tables, remarks, progress bars and questions, the same for every command."""

from __future__ import annotations

import argparse
import json
import sys
import time
from collections.abc import Callable, Mapping, Sequence
from functools import cached_property
from types import ModuleType
from typing import TYPE_CHECKING, Any

from rich.filesize import decimal

from saltcart.errors import show, typed
from saltcart.progress import WAITING, Tick
from saltcart.spelling.moves import tail_below
from saltcart.system import here, os

if TYPE_CHECKING:  # a document needs none of it, and it takes longer to load than most commands to run
    from rich.console import Console
    from rich.progress import Progress

MOST_ITEM = 36  # characters of the present file
PATIENCE = 2.0  # seconds before a bar shows
PLAIN_EVERY = 10.0  # seconds between plain lines where there is no terminal
WIDEST = 400  # columns with --wide, and when standard output is no terminal


def size(count: int) -> str:
    """Bytes for a person, in the units drives are sold by."""
    return decimal(count)


def place(path: str) -> str:
    """A path for a person: from the working folder or the home folder where it lies in one, and fit to print."""
    for folder, lead in ((os.getcwd(), ""), (os.path.expanduser("~"), "~/")):
        tail = tail_below(path, folder)
        if tail and folder not in here.ROOTS:
            return show(lead + tail)
    return show(path)


def typed_place(path: str) -> str:
    """The same, as a person can type it; the shell knows what `~` is only outside of quotes."""
    if show(path) != path:
        return typed(path)
    shown = place(path)
    return f"~/{typed(shown[2:])}" if shown.startswith("~/") else typed(shown)


def many(count: int, one: str, more: str) -> str:
    """A number with its noun."""
    return f"{count:,} {one if count == 1 else more}"


def whole(text: str) -> bool:
    """Whether a line is not to be broken between words: what is typed from it would come in two."""
    return "saltcart " in text or not sys.stdout.isatty()


class DryRun(Exception):
    """A command has shown what it would do, and was asked to do no more."""


class Screen:
    """Where one command shows what it did.  With --json only the document goes to standard output."""

    def __init__(self, options: argparse.Namespace):
        self.json = options.json
        self.quiet = options.quiet
        self.wide = getattr(options, "wide", False)
        self.all = getattr(options, "all", False)
        self.blank = True  # whether the line above is one
        self.remarked: set[str] = set()

    @cached_property
    def rendering(self) -> ModuleType:
        """How things look; loaded when a person is to see something, because it takes its time."""
        from saltcart.cli import rendering

        return rendering

    @cached_property
    def out(self) -> Console:
        """Standard output."""
        width = None if sys.stdout.isatty() and not self.wide else WIDEST
        console: Console = self.rendering.console(width)
        return console

    @cached_property
    def err(self) -> Console:
        """Standard error."""
        console: Console = self.rendering.error_console()
        return console

    def say(self, text: str = "", style: str = "") -> None:
        """A line for a person; an empty one where there is none yet."""
        if not (self.json or self.quiet or (not text and self.blank)):
            self.out.print(self.rendering.line(text, style), soft_wrap=whole(text))
            self.blank = not text

    def remark(self, text: str) -> None:
        """Something worth knowing that is no failure; once, however many steps of a command come across it."""
        if not self.quiet and text not in self.remarked:
            self.remarked.add(text)
            console = self.err if self.json else self.out
            console.print(self.rendering.remark(text), soft_wrap=whole(text) or not sys.stdout.isatty())
            self.blank = False

    def table(self, title: str, columns: Sequence[str], rows: Sequence[Sequence[Any]]) -> None:
        """A table; a column whose name begins with `>` is for numbers, one with `?` before that goes first where there
        is no room, and one with nothing in it is left out.
        """
        if not (self.json or self.quiet) and rows:
            some = [at for at in range(len(columns)) if any(row[at] != "" for row in rows)]
            columns, rows = [columns[at] for at in some], [[row[at] for at in some] for row in rows]
            fits = sys.stdout.isatty() and not self.wide
            look = self.rendering
            made = look.fitted_table(title, columns, rows, self.out.width) if fits else look.table(title, columns, rows)
            if not self.blank:
                self.out.print()
            self.out.print(made)
            self.out.print()
            self.blank = True

    def tree(self, title: str, counts: Mapping[str, int], most: int) -> None:
        """Folders, each with how much is in it and below it, as deep as about `most` lines can show."""
        rows = branches(counts, most)
        names = [f"{'  ' * path.count('/')}{show(os.path.basename(path))}/" for path, _count in rows]
        self.table(title, ("Folder", ">Sounds"), list(zip(names, (count for _path, count in rows), strict=True)))

    def facts(self, rows: Sequence[tuple[str, str]]) -> None:
        """Pairs of name and value, in two columns."""
        if not (self.json or self.quiet):
            self.out.print(self.rendering.facts(rows))
            self.out.print()
            self.blank = True

    def document(self, content: dict[str, Any]) -> None:
        """The one JSON document of the command, when asked for."""
        if self.json:
            print(as_json(content))

    def watch(self) -> Watch:
        """A progress callback that shows itself."""
        return Watch(self)

    def ask(self, question: str, usual: str, options: argparse.Namespace) -> str:
        """What the person types, or `usual` when that is nothing; with --yes nobody is asked."""
        if options.yes:
            return usual
        shown = f" [{show(usual)}]" if usual else ""
        self.err.print(self.rendering.line(f"{question}{shown} ", "bold"), end="")
        return sys.stdin.readline().strip() or usual

    def agrees(self, question: str, options: argparse.Namespace, look: Callable[[], None] | None = None) -> bool:
        """Whether the person says yes; --yes does it for them, and without a terminal nobody can be asked.

        With `look` they may first type `l` to see more.  Raises DryRun with --dry-run.
        """
        if options.dry_run:
            self.say("Dry run: nothing was changed.")
            self.document({"dry_run": True})
            raise DryRun
        if options.yes:
            return True
        if not sys.stdin.isatty():
            return False
        while True:
            choices = "[y/N, l to look at each file]" if look else "[y/N]"
            self.err.print(self.rendering.line(f"{question} {choices} ", "bold"), end="")
            answer = sys.stdin.readline().strip().lower()
            if look is None or answer not in ("l", "look"):
                return answer in ("y", "yes")
            look()


def branches(counts: Mapping[str, int], most: int) -> list[tuple[str, int]]:
    """The folders of a tree in order, with sums over all below, down to the last level that takes no more than `most`
    lines; at least the topmost.
    """
    sums: dict[str, int] = {}
    for path, count in counts.items():
        while path:
            sums[path] = sums.get(path, 0) + count
            path = os.path.dirname(path)
    levels = [sum(path.count("/") <= depth for path in sums) for depth in range(99)]
    deepest = max(0, max(depth for depth in range(99) if depth == 0 or levels[depth] <= most))
    return sorted((path, count) for path, count in sums.items() if path.count("/") <= deepest)


class Watch:
    """Shows the ticks of long work: a bar after two seconds on a terminal, a plain line now and then elsewhere."""

    def __init__(self, screen: Screen):
        self.screen = screen
        self.began = time.monotonic()
        self.spoke = self.began
        self.bar: Progress | None = None
        self.step = ""
        self.in_bytes = False
        self.waits_for = ""

    def __enter__(self) -> Watch:
        return self

    @cached_property
    def draws(self) -> bool:
        """Whether a bar can be shown; asked once, for there are very many ticks."""
        return self.screen.err.is_terminal

    def __exit__(self, *_failure: object) -> None:
        if self.bar:
            self.bar.stop()

    def __call__(self, tick: Tick) -> None:
        """Show one tick, if it is time to."""
        now = time.monotonic()
        if tick.step == WAITING:
            self.wait(tick.item)
            return
        if self.screen.quiet or now - self.began < PATIENCE:
            return
        if self.draws:
            self.draw(tick)
        elif now - self.spoke >= PLAIN_EVERY:
            self.spoke = now
            share = f" {100 * tick.done // tick.total}%" if tick.total else ""
            note = f" ({tick.note})" if tick.note else ""
            self.screen.err.print(f"{tick.step}{share}{note}: {show(tick.item)}")

    def wait(self, what: str) -> None:
        """Say once what is waited for, because it goes on only when a person has done that."""
        if what != self.waits_for:
            self.waits_for = what
            self.screen.err.print(f"Waiting until it is closed; then it continues automatically: {show(what)}")

    def draw(self, tick: Tick) -> None:
        """Move the bar of the present step, a new one for each step."""
        if self.bar is None or tick.in_bytes != self.in_bytes:
            self.__exit__()
            self.bar, self.in_bytes, self.step = (
                self.screen.rendering.bar(self.screen.err, tick.in_bytes),
                tick.in_bytes,
                "",
            )
            self.bar.start()
        if tick.step != self.step:
            self.step = tick.step
            for task in self.bar.task_ids:
                self.bar.remove_task(task)
            self.bar.add_task(tick.step, total=tick.total or None)
        note, room = self.screen.rendering.room_beside(self.screen.err)
        room = min(MOST_ITEM, room)
        item = f"  {show(tick.item)[-room:]:{room}}" if room > 0 else ""
        self.bar.update(
            self.bar.task_ids[-1],
            completed=tick.done,
            total=tick.total or None,
            description=f"{tick.step}{f'  {tick.note}' if note else ''}{item}",
        )


def as_json(content: object) -> str:
    """A JSON document without any control character, which a terminal might obey."""
    return json.dumps(content, indent=2).replace("\x7f", "\\u007f")
