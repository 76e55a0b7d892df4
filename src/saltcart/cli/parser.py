"""The table of commands, and the parser made from it."""

import argparse
from importlib import import_module

from saltcart import __version__

# In the order people need them.  Each is a module here with add_arguments(parser) and run(options),
# loaded only when it is called, so that the program starts at once.
COMMANDS = {
    "start": "begin here: asks where your sounds, programs and drives are, and learns your programs' files",
    "survey": "see which shelves and ledgers are where, how big, and how every entry stands",
    "ledgers": "which kinds of ledger are known, or every entry of one",
    "learn": "derive a map for a ledger nobody described",
    "folders": "which folders your programs look in; add, remove or turn one without moving anything",
    "drives": "which drives could take the load, what is left on each, what speaks against each",
    "tidy": "what need not travel or should come along; deletes nothing",
    "draft": "write a waybill: what will move, change and stay; touches nothing",
    "haul": "copy and verify what a waybill says; originals and ledgers stay as they are",
    "repoint": "switch ledgers to the new place and set the originals aside: all or nothing",
    "check": "judge every entry again and compare with before; writes nothing",
    "release": "remove set-aside originals whose copies still verify",
    "undo": "take a trip back, keeping what programs have written since",
    "move": "draft, haul, repoint and check in one go, shown and confirmed first",
    "carry": "make a collection on a drive that plays on any computer; nothing at home changes",
    "settle": "make such a collection at home on this computer, or take home what changed on the way",
    "mend": "find what lost entries meant and relink them in place, with evidence; nothing is imported",
    "trips": "the history of trips, or the log of one",
    "demo": "build a made-up studio and run the whole job on it",
}
EPILOG = """\
first time:    saltcart demo, then saltcart start
the usual job: saltcart move "~/Sounds/Bell Tones" --to /media/lighter/Sounds

exit status: 0 all well, 1 something needs attention, 2 wrong usage,
             3 refused and nothing changed, 4 stopped part-way: run again to go on
"""


def build(chosen: str | None) -> argparse.ArgumentParser:
    """The parser of the whole command line, with the arguments of the `chosen` command."""
    parser = argparse.ArgumentParser(
        prog="saltcart",
        description=(
            "Move folders of sounds to another drive, change every file that names them, prove that nothing was lost."
        ),
        epilog=EPILOG,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("--version", action="version", version=f"saltcart {__version__}")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", required=True)
    for name, summary in COMMANDS.items():
        command = commands.add_parser(name, help=summary, description=summary)
        if name == chosen:
            module = import_module(f"saltcart.cli.{name}")
            module.add_arguments(command)
            command.add_argument(
                "--json", action="store_true", help="print one JSON document and nothing else on standard output"
            )
            command.add_argument("--wide", action="store_true", help="show every column, however narrow the window is")
            command.add_argument("--quiet", action="store_true", help="say only what went wrong")
            command.set_defaults(run=module.run)
    return parser
