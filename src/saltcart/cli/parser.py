"""The table of commands, and the parser made from it."""

import argparse
from importlib import import_module
from typing import NoReturn

from saltcart import __version__

# In the order of the job, by what it is about.  Each is a module in `commands` with add_arguments(parser) and
# run(options), loaded only when it is called, so that the program starts at once.
GROUPS = {
    "Start and look": {
        "start": "set up: find your sounds, programs and drives, and learn to read your programs' files",
        "survey": "show how big your sounds are, where they are, and which entries work",
        "drives": "show which drives have enough space, and what speaks against each",
        "tidy": "list duplicates, litter and unused sounds before a move; deletes nothing",
    },
    "Move": {
        "move": "move sounds and update every file that refers to them, after you confirm the plan",
        "draft": "write a plan of what will move and change; nothing is changed yet",
        "haul": "copy the files in a plan and verify every copy; originals and ledgers stay unchanged",
        "repoint": "point ledgers to the copies and set the originals aside, all together or not at all",
    },
    "Check, free space, or undo": {
        "check": "check that everything that worked before still works; writes nothing",
        "release": "delete the originals that were set aside, after verifying the copies again",
        "undo": "undo a trip, and keep what your programs have written since",
        "trips": "list your trips, or show the log of one",
        "report": "write a page about a trip, to keep or to print",
    },
    "Repair": {
        "mend": "find lost sounds and relink them in place, without importing anything again",
        "folders": "show and change the folders your programs look in, without moving anything",
    },
    "Travel": {
        "carry": "copy sounds and ledgers to a drive that plays on any computer; nothing here changes",
        "settle": "use such a collection on this computer, or bring home what changed on the way",
    },
    "Understand": {
        "ledgers": "list the kinds of ledger Salt Cart can read, or the entries of one",
        "learn": "work out a map for a file that Salt Cart cannot read yet",
        "demo": "try the whole job on a made-up studio",
        "help": "explain the commands and the words they use",
    },
}
EXAMPLES = {
    "start": "saltcart start",
    "survey": "saltcart survey ~/Music ~/Sounds",
    "drives": "saltcart drives --for ~/Sounds",
    "tidy": "saltcart tidy ~/Sounds",
    "move": 'saltcart move "~/Sounds/Bell Tones" --to /media/lighter/Sounds --signpost',
    "draft": "saltcart draft ~/Sounds --to /media/lighter/Sounds -o plan.toml",
    "haul": "saltcart haul plan.toml",
    "repoint": "saltcart repoint",
    "check": "saltcart check --play 20",
    "release": "saltcart release",
    "undo": "saltcart undo --drop-copies",
    "trips": "saltcart trips",
    "report": "saltcart report -o move.html",
    "mend": "saltcart mend --in /media/lighter",
    "folders": "saltcart folders add /media/lighter/Loops --ledger ~/workstation/settings.json",
    "carry": "saltcart carry ~/Music --to /media/booth/Collection --lists",
    "settle": "saltcart settle /media/booth/Collection --back",
    "ledgers": "saltcart ledgers ~/player/library.db",
    "learn": "saltcart learn ~/player/library.db --against ~/Music",
    "demo": "saltcart demo",
    "help": "saltcart help move",
}
COMMANDS = {name: summary for group in GROUPS.values() for name, summary in group.items()}
EPILOG = """\
first time:    saltcart demo, then saltcart start
the usual job: saltcart move "~/Sounds/Bell Tones" --to /media/lighter/Sounds
more:          saltcart help COMMAND

exit status: 0 all is well, 1 something needs your attention, 2 wrong usage,
             3 refused and nothing changed, 4 stopped part-way: run it again to continue
"""


class Parser(argparse.ArgumentParser):
    """A parser whose errors are ours: what, where, and what to do next; places may be before options and after."""

    chosen: "Parser | None" = None

    def error(self, message: str) -> NoReturn:
        """Raise UsageError."""
        from saltcart.cli.misunderstood import explained  # seldom needed

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
    """The parser of the whole command line, with the arguments of the `chosen` command; without one, of all commands
    what they are for.
    """
    parser = Parser(
        prog="saltcart",
        description=(
            "Move sounds to another drive, update every file that refers to them, and prove that nothing was lost."
        ),
        epilog=EPILOG,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("--version", action="version", version=f"saltcart {__version__}")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", required=True)
    for name, summary in COMMANDS.items():
        if name != chosen and chosen in COMMANDS:
            continue  # it will not be asked
        command = commands.add_parser(name, help=summary, description=summary)
        if name == chosen:
            furnish(command, name)
            parser.chosen = command
    return parser


def usage(command: argparse.ArgumentParser) -> str:
    """The command in one line: what it needs, and that it has options."""
    required = [
        f"{one.option_strings[0]} {one.metavar}" for one in command._actions if one.required and one.option_strings
    ]
    places = [
        f"[{one.metavar or one.dest}{' ...' if one.nargs == '*' else ''}]"
        if one.nargs in ("?", "*")
        else str(one.metavar)
        for one in command._actions
        if not one.option_strings
    ]
    return " ".join([command.prog, *places, *required, "[options]"])


def furnish(command: argparse.ArgumentParser, name: str) -> None:
    """Give a command its arguments, and those that every command has."""
    module = import_module(f"saltcart.cli.commands.{name}")
    module.add_arguments(command)
    command.add_argument("--json", action="store_true", help="print one JSON document instead of text")
    command.add_argument("--wide", action="store_true", help="show every column, even in a narrow window")
    command.add_argument("--quiet", action="store_true", help="print only errors")
    command.usage, command.epilog = usage(command), f"example:\n  {EXAMPLES[name]}"
    command.formatter_class = argparse.RawDescriptionHelpFormatter
    command.set_defaults(run=module.run)
