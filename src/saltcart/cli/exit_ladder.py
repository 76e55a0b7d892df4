"""Running a command: every way it can end is turned into a message and an exit status."""

import argparse
import signal
import sys
from types import FrameType

from saltcart.cli import failures
from saltcart.cli.parser import Parser
from saltcart.cli.screen import DryRun
from saltcart.errors import SaltCartError
from saltcart.home import note_home
from saltcart.system import here


def interrupt(_number: int, _frame: FrameType | None) -> None:
    """Treat a polite end, or a closed terminal, like Ctrl-C: stop where the work can go on later."""
    raise KeyboardInterrupt


def run_words(words: list[str], parser: Parser) -> int:
    """Understand a command line and run it."""
    try:
        options = parser.understand(words)
    except SaltCartError as error:
        return failures.foreseen(error, argparse.Namespace(command=words[0], json="--json" in words))
    status = run_command(options)
    if getattr(options, "bell", False):
        sys.stderr.write("\a")
        sys.stderr.flush()
    return status


def run_command(options: argparse.Namespace) -> int:
    """Run a command; expected errors, interrupts, a closed pipe, errors of the system, internal errors."""
    try:
        for number in here.INTERRUPTS:
            signal.signal(number, interrupt)
        note_home()
        failures.tell_cut_off(options)
        failures.tell_passed_over(options)
        status: int = options.run(options)
        failures.tell_cut_off(options, done=True)
        return status
    except DryRun:
        return 0
    except SaltCartError as error:
        return failures.foreseen(error, options)
    except KeyboardInterrupt:
        return failures.interrupted(options)
    except BrokenPipeError:
        return failures.cut_off()
    except OSError as error:
        return failures.failing(error, options)
    except Exception as error:
        return failures.internal_error(error, options)
