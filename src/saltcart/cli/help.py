"""The command `saltcart help`: the words and the commands, or one command."""

import argparse

from saltcart.cli.completion import SHELLS, script
from saltcart.cli.man_page import man_page
from saltcart.cli.parser import COMMANDS, EPILOG, GROUPS, Parser, furnish
from saltcart.cli.screen import Screen
from saltcart.errors import UsageError, show

WORDS = {
    "shelf": "a folder of sounds that moves as one: a library, a pack, a music collection",
    "ledger": "any file that names sounds: a playlist, a library, an instrument, a session, settings",
    "entry": "one spot in a ledger that names one file or folder",
    "map": "says where the entries of one kind of ledger lie; derived for you, seldom written",
    "trip": "one move, with a short id: it can be gone on with, undone and looked up",
    "signpost": "a link with the old name at the old place, for programs whose files cannot be changed",
    "set aside": "originals after a move: renamed out of sight on their drive until you release them",
    "waybill": "the plan of a trip as a file that you can read and edit",
}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The command to explain."""
    parser.add_argument("about", nargs="?", metavar="COMMAND", help="explain this command")
    parser.add_argument(
        "--completion", choices=SHELLS, help="print what lets that shell fill in commands, options, trips and drives"
    )
    parser.add_argument("--man", action="store_true", help="print the page for man")


def run(options: argparse.Namespace) -> int:
    """Explain."""
    screen = Screen(options)
    if options.completion or options.man:
        text = script(options.completion) if options.completion else man_page()
        if not screen.json and not screen.quiet:
            print(text.rstrip())
        screen.document({"text": text})
        return 0
    if options.about:
        return one(screen, options.about)
    screen.say(
        "Salt Cart moves sounds to another drive, changes every file that names them, and proves that nothing was lost."
    )
    screen.say()
    screen.facts([*WORDS.items()])
    for title, commands in GROUPS.items():
        screen.say(title, style="bold")
        screen.facts([(f"  {name}", summary) for name, summary in commands.items()])
    screen.say(EPILOG.rstrip())
    screen.document({"words": WORDS, "commands": COMMANDS})
    return 0


def one(screen: Screen, name: str) -> int:
    """One command.  UsageError for one that there is not."""
    if name not in COMMANDS:
        raise UsageError(f'There is no command "{show(name)}"', "saltcart help shows them all.")
    command = Parser(prog=f"saltcart {name}", description=COMMANDS[name])
    furnish(command, name)
    text = command.format_help()
    if not screen.json and not screen.quiet:
        print(text.rstrip())
    screen.document({"command": name, "summary": COMMANDS[name], "help": text})
    return 0
