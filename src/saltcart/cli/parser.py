"""The table of commands, and the parser made from it."""

import argparse
from importlib import import_module
from typing import NoReturn

from saltcart import __version__
from saltcart.cli.misunderstood import explained

# In the order of the job, by what it is about.  Each is a module here with add_arguments(parser) and run(options),
# loaded only when it is called, so that the program starts at once.
GROUPS = {
    "Begin and look": {
        "start": "begin here: asks where your sounds, programs and drives are, and learns your programs' files",
        "survey": "see which shelves and ledgers are where, how big, and how every entry stands",
        "drives": "which drives could take the load, what is left on each, what speaks against each",
        "tidy": "what need not travel or should come along; deletes nothing",
    },
    "Move": {
        "move": "draft, haul, repoint and check in one go, shown and confirmed first",
        "draft": "write a waybill: what will move, change and stay; touches nothing",
        "haul": "copy and verify what a waybill says; originals and ledgers stay as they are",
        "repoint": "switch ledgers to the new place and set the originals aside: all or nothing",
    },
    "Prove, free, or take back": {
        "check": "judge every entry again and compare with before; writes nothing",
        "release": "remove set-aside originals whose copies still verify",
        "undo": "take a trip back, keeping what programs have written since",
        "trips": "the history of trips, or the log of one",
        "report": "one page that says what a trip did and how it stands, to keep or to print",
    },
    "Repair": {
        "mend": "find what lost entries meant and relink them in place, with evidence; nothing is imported",
        "folders": "which folders your programs look in; add, remove or turn one without moving anything",
    },
    "Travel": {
        "carry": "make a collection on a drive that plays on any computer; nothing at home changes",
        "settle": "make such a collection at home on this computer, or take home what changed on the way",
    },
    "Understand": {
        "ledgers": "which kinds of ledger are known, or every entry of one",
        "learn": "derive a map for a ledger nobody described",
        "demo": "build a made-up studio and run the whole job on it",
        "help": "the words and the commands, or one command",
    },
}
COMMANDS = {name: summary for group in GROUPS.values() for name, summary in group.items()}
EPILOG = """\
first time:    saltcart demo, then saltcart start
the usual job: saltcart move "~/Sounds/Bell Tones" --to /media/lighter/Sounds
more:          saltcart help COMMAND

exit status: 0 all well, 1 something needs attention, 2 wrong usage,
             3 refused and nothing changed, 4 stopped part-way: run again to go on
"""


class Parser(argparse.ArgumentParser):
    """A parser whose errors are ours: what, where, and what to do next; places may stand before options and after."""

    chosen: "Parser | None" = None

    def error(self, message: str) -> NoReturn:
        """Raise UsageError."""
        options = [word for action in self._actions for word in action.option_strings]
        raise explained(message, self.prog.removeprefix("saltcart").strip(), list(COMMANDS), options)

    def understand(self, words: list[str]) -> argparse.Namespace:
        """The options that words mean.  Raises UsageError."""
        options, rest = self.parse_known_args(words)
        command = self.chosen or self
        many = [one.dest for one in command._actions if not one.option_strings and one.nargs in ("*", "+")]
        if rest and (not many or any(word.startswith("-") for word in rest)):
            command.error(f"unrecognized arguments: {' '.join(rest)}")
        if rest:
            setattr(options, many[0], [*(getattr(options, many[0]) or []), *rest])
        return options


def build(chosen: str | None) -> Parser:
    """The parser of the whole command line, with the arguments of the `chosen` command."""
    parser = Parser(
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
            furnish(command, name)
            parser.chosen = command
    return parser


def furnish(command: argparse.ArgumentParser, name: str) -> None:
    """Give a command its arguments, and those that every command has."""
    module = import_module(f"saltcart.cli.{name}")
    module.add_arguments(command)
    command.add_argument(
        "--json", action="store_true", help="print one JSON document and nothing else on standard output"
    )
    command.add_argument("--wide", action="store_true", help="show every column, however narrow the window is")
    command.add_argument("--quiet", action="store_true", help="say only what went wrong")
    command.set_defaults(run=module.run)
