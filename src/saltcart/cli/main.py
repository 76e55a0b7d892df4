"""The program `saltcart`: finds the command, runs it, and turns errors into messages and exit statuses."""

import argparse
import signal
import sys
from collections.abc import Sequence
from importlib import import_module
from types import FrameType

from saltcart import __version__
from saltcart.errors import SaltCartError

# In the order people need them.  Each is a module here with add_arguments(parser) and run(options),
# loaded only when it is called, so that the program starts at once.
COMMANDS = {
    "survey": "see which shelves and ledgers are where, how big, and how every entry stands",
    "drives": "which drives could take the load, what is left on each, what speaks against each",
    "tidy": "what need not travel or should come along; deletes nothing",
    "draft": "write a waybill: what will move, change and stay; touches nothing",
    "haul": "copy and verify what a waybill says; originals and ledgers stay as they are",
    "repoint": "switch ledgers to the new place and set the originals aside: all or nothing",
    "check": "judge every entry again and compare with before; writes nothing",
    "release": "remove set-aside originals whose copies still verify",
    "undo": "take a trip back, keeping what programs have written since",
    "move": "draft, haul, repoint and check in one go, shown and confirmed first",
    "trips": "the history of trips, or the log of one",
    "demo": "build a made-up studio and run the whole job on it",
}
EPILOG = """\
first time:    saltcart demo
the usual job: saltcart move "~/Sounds/Bell Tones" --to /media/lighter/Sounds --ledger ~/lists/*.m3u8

exit status: 0 all well, 1 something needs attention, 2 wrong usage,
             3 refused and nothing changed, 4 stopped part-way: run again to go on
"""


def build_parser(chosen: str | None) -> argparse.ArgumentParser:
    """The parser of the whole command line, with the arguments of the `chosen` command."""
    parser = argparse.ArgumentParser(
        prog="saltcart",
        description="Move folders of sounds to another drive, change every file that names them, prove that nothing was lost.",
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
            command.add_argument("--json", action="store_true", help="print one JSON document and nothing else on standard output")
            command.add_argument("--quiet", action="store_true", help="say only what went wrong")
            command.set_defaults(run=module.run)
    return parser


def main(words: Sequence[str] | None = None) -> int:
    """Run the program; its exit status."""
    words = list(sys.argv[1:] if words is None else words)
    if words == ["--version"]:
        print(f"saltcart {__version__}")  # the one answer that should not wait for the rest to load
        return 0
    options = build_parser(words[0] if words else None).parse_args(words)
    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, interrupt)
    return guarded(options)


def interrupt(_number: int, _frame: FrameType | None) -> None:
    """Treat a polite end, or a closed terminal, like Ctrl-C: stop where the work can go on later."""
    raise KeyboardInterrupt


def guarded(options: argparse.Namespace) -> int:
    """Run a command behind the ladder: foreseen, interrupted, cut off by the reader, unforeseen."""
    from saltcart.cli import failures

    try:
        return options.run(options)
    except SaltCartError as error:
        return failures.foreseen(error, options)
    except KeyboardInterrupt:
        return failures.interrupted(options)
    except BrokenPipeError:
        return failures.cut_off()
    except OSError as error:
        return failures.failing(error, options)
    except Exception as error:
        return failures.unforeseen(error, options)


if __name__ == "__main__":
    sys.exit(main())
