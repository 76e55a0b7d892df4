"""The page for `man`, made from the parser.  Source: man(7), the macros that every roff knows."""

import argparse
from collections.abc import Iterator

from saltcart import __version__
from saltcart.cli.parser import COMMANDS, GROUPS, Parser, furnish

STATUS = (
    ("0", "all is well"),
    ("1", "something needs attention"),
    ("2", "the command line was not understood"),
    ("3", "refused, and nothing was changed"),
    ("4", "stopped part-way; the same command again continues"),
)
FILES = (
    ("cart.toml", "your settings: in the working folder, or else in the user's configuration folder"),
    ("$SALTCART_HOME", "where Salt Cart keeps its own data; the user's data folder by default"),
)


def man_page() -> str:
    """The whole page."""
    return "\n".join(lines()) + "\n"


def lines() -> Iterator[str]:
    """Line by line."""
    yield f'.TH SALTCART 1 "" "Salt Cart {__version__}" "User Commands"'
    yield from (".SH NAME", "saltcart \\- move sounds to another drive, and prove that nothing was lost")
    yield from (".SH SYNOPSIS", ".B saltcart", ".I COMMAND", "[\\fIARGUMENT\\fR...]")
    yield from (
        ".SH DESCRIPTION",
        "Moves folders of sounds to another drive, updates every file that refers to them, and",
    )
    yield "proves that nothing was lost. Every step can be undone until the originals are released."
    for title, names in GROUPS.items():
        yield f".SH {escaped(title).upper()}"
        for name in names:
            yield from command_lines(name)
    for title, rows in (("EXIT STATUS", STATUS), ("FILES", FILES)):
        yield f".SH {title}"
        for word, what in rows:
            yield from (".TP", f".B {escaped(word)}", escaped(what))


def command_lines(name: str) -> Iterator[str]:
    """One command with its arguments."""
    command = Parser(prog=f"saltcart {name}", description=COMMANDS[name])
    furnish(command, name)
    yield from (f".SS saltcart {escaped(name)}", escaped(COMMANDS[name]))
    for action in command._actions:
        if not isinstance(action, argparse._HelpAction):
            yield from (".TP", f".B {escaped(term(action))}", escaped((action.help or "").replace("%%", "%")))


def term(action: argparse.Action) -> str:
    """How an argument is written."""
    values = action.metavar if isinstance(action.metavar, tuple) else (action.metavar or "",)
    value = " ".join(values) + ("..." if action.nargs in ("+", "*") else "")
    return " ".join(filter(None, (", ".join(action.option_strings), value)))


def escaped(text: str) -> str:
    """A text in which nothing means anything to roff."""
    text = " ".join(text.split()).replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{text}" if text[:1] in (".", "'") else text
