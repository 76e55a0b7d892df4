"""The command `saltcart help`: the words and the commands, or one command."""

import argparse
from importlib.resources import files

from saltcart.cli.completion import SHELLS, script
from saltcart.cli.man_page import man_page
from saltcart.cli.parser import COMMANDS, EPILOG, GROUPS, Parser, furnish
from saltcart.cli.screen import Screen
from saltcart.errors import UsageError, show

WORDS = {
    "shelf": "a folder of sounds that moves as one: a library, a pack, a music collection",
    "ledger": "any file that lists sounds: a playlist, a library, an instrument, a session, settings",
    "entry": "one place in a ledger that refers to one file or folder",
    "map": "says where the entries of one kind of ledger are; Salt Cart works most of them out automatically",
    "trip": "one move, with a short id: you can continue it, undo it and look it up",
    "signpost": "a link at the old place, so that old paths still work",
    "set aside": "what happens to originals after a move: hidden on their drive until you release them",
    "release": "delete originals that were set aside, after verifying the copies again",
    "collection": "a folder on a drive that carry makes: sounds and ledgers that play on any computer",
    "waybill": "the plan of a trip as a file that you can read and edit",
}

PAGES = {
    "manual": "every command with its options",
    "recipes": "whole jobs, command by command",
    "trouble": "what to do if something goes wrong, by what you see",
    "maps": "how to describe a file that Salt Cart cannot read yet",
    "systems": "what works on Linux, macOS and Windows",
    "limits": "what this version does, and knows not to do",
    "durability": "what is safe when, and what was tried",
    "library": "the same steps from Python",
    "security": "what untrusted drives and files can and cannot do",
}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """What to explain."""
    parser.add_argument(
        "about", nargs="?", metavar="COMMAND|PAGE", help=f"explain this command, or show a page: {', '.join(PAGES)}"
    )
    parser.add_argument(
        "--completion", choices=SHELLS, help="print a script that lets your shell complete commands, options and trips"
    )
    parser.add_argument("--man", action="store_true", help="print the man page")


def run(options: argparse.Namespace) -> int:
    """Explain."""
    screen = Screen(options)
    if options.completion or options.man:
        text = script(options.completion) if options.completion else man_page()
        if not screen.json and not screen.quiet:
            print(text.rstrip())
        screen.document({"text": text})
        return 0
    if options.about in PAGES:
        return page(screen, options.about)
    if options.about:
        return one(screen, options.about)
    screen.say(
        "Salt Cart moves sounds to another drive, updates every file that refers to them, and proves that nothing"
        " was lost."
    )
    screen.say()
    screen.facts([*WORDS.items()])
    for title, commands in GROUPS.items():
        screen.say(title, style="bold")
        screen.facts([(f"  {name}", summary) for name, summary in commands.items()])
    screen.say("Pages", style="bold")
    screen.facts([(f"  {name}", what) for name, what in PAGES.items()])
    screen.say(EPILOG.rstrip())
    screen.document({"words": WORDS, "commands": COMMANDS, "pages": PAGES})
    return 0


def page(screen: Screen, name: str) -> int:
    """Show a page of the documentation, which comes with the program."""
    text = files("saltcart").joinpath("docs", f"{name}.md").read_text("utf-8")
    if not screen.json and not screen.quiet:
        screen.out.print(screen.rendering.document(text) if screen.out.is_terminal else text, soft_wrap=True)
    screen.document({"page": name, "text": text})
    return 0


def one(screen: Screen, name: str) -> int:
    """One command.  UsageError for one that there is not."""
    if name not in COMMANDS:
        raise UsageError(f'There is no command or page "{show(name)}"', "saltcart help lists them all.")
    command = Parser(prog=f"saltcart {name}", description=COMMANDS[name])
    furnish(command, name)
    text = command.format_help()
    if not screen.json and not screen.quiet:
        print(text.rstrip())
    screen.document({"command": name, "summary": COMMANDS[name], "help": text})
    return 0
