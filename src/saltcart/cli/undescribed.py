"""Showing which unknown files refer to sounds, and the command that learns them."""

from saltcart.cli.account import searched_text, spots_text
from saltcart.cli.screen import Screen, place
from saltcart.errors import typed
from saltcart.looking.undescribed import Undescribed
from saltcart.system import os

SHOWN, TYPED = 20, 3


def show_undescribed(screen: Screen, found: Undescribed) -> None:
    """The table, and what to type."""
    rows = [(place(one.path), one.live(), spots_text(one.spots)) for one in found.files]
    if rows:
        screen.say()
    screen.table("Lists sounds, but cannot be read yet", ("File", ">Times", "For instance"), rows[:SHOWN])
    if len(rows) > SHOWN:
        screen.say(f"... and {len(rows) - SHOWN:,} more (see --json)")
    screen.say(searched_text(found.search))
    if rows:
        screen.say(f"To let Salt Cart learn to read them: {learn_words(found)}")


def learn_words(found: Undescribed) -> str:
    """The command that learns them."""
    paths = [one.path for one in found.files]
    paths = paths if len(paths) <= TYPED else list(dict.fromkeys(map(os.path.dirname, paths)))[:TYPED]
    return f"saltcart learn {' '.join(map(typed, paths))} --against {' '.join(map(typed, found.tops))} --keep"


def document(found: Undescribed) -> dict[str, object]:
    """What was found, for --json."""
    return {
        "searched": found.search.places,
        "files": [{"path": one.path, "mentions": one.live()} for one in found.files],
    }
