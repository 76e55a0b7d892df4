"""The messages and exit statuses of commands that do not end well."""

import argparse
import sys
from glob import glob
from shlex import quote

from saltcart.errors import Refused, SaltCartError, show
from saltcart.home import home, made_home, trips_folder
from saltcart.spelling.moves import tail_below
from saltcart.system import os

INTERRUPTED = 4
GO_ON = ("haul", "repoint", "release", "undo", "help", "demo")
MAY_GO_ON = ("carry", "folders", "mend", "move", "settle")  # with a trip of theirs, which they say themselves


def tell_cut_off(options: argparse.Namespace, done: bool = False) -> None:
    """Say in a line for each trip that was interrupted, that it was, and which command continues it: before a command,
    or when one is `done` that may have continued it.
    """
    if options.quiet or options.command in GO_ON or done != (options.command in MAY_GO_ON):
        return
    if not any(map(cut, glob(str(trips_folder() / "*" / "under-way")))):
        return  # nearly always, and what follows takes its time to load
    from saltcart.trips.holding import cut_off as cut_off_trips

    for name, state, remedy in cut_off_trips():
        what = "undone, but interrupted while it removed copies" if state == "undone" else f"interrupted while {state}"
        print(f"saltcart: Trip {name} was {what}. {remedy}", file=sys.stderr)


def tell_passed_over(options: argparse.Namespace) -> None:
    """Say that a configuration nearby is not used, and how it would be."""
    if options.quiet or getattr(options, "cart", "") is not None:
        return
    from saltcart.cart import passed_over

    if path := passed_over():
        print(
            f"saltcart: {show(path)} is not used, because others can write to it or its drive travels. If it is yours:"
            f" --cart {quote(path)}",
            file=sys.stderr,
        )


def cut(mark: str) -> bool:
    """Whether a trip's mark says that it is worked on, or was interrupted."""
    try:
        return os.path.getsize(mark) > 0
    except OSError:
        return False


def foreseen(error: SaltCartError, options: argparse.Namespace) -> int:
    """Say what happened, to what, and what to do next; the error's exit status."""
    report(error.what, error.details, error.remedy, options, error.status)
    return error.status


def failing(error: OSError, options: argparse.Namespace) -> int:
    """Say what the system refused, where; what was done is recorded."""
    place = os.fspath(error.filename) if isinstance(error.filename, str) else ""
    where = f" at {show(place)}" if place else ""
    if place and tail_below(place, home().as_posix()) is not None:
        what = f"Salt Cart cannot write its own data{where}: {error.strerror or error}"
        remedy = (
            "Free some space there, allow writing, or set another folder in SALTCART_HOME. Then run the same"
            " command again."
        )
    else:
        what = f"The system reported an error: {error.strerror or error}{where}"
        remedy = "Fix that (connect the drive, free some space, allow writing) and run the same command again."
    report(what, [], f"Nothing is lost. {remedy}", options, INTERRUPTED)
    return INTERRUPTED


def interrupted(options: argparse.Namespace) -> int:
    """Say that the work can go on."""
    report("Stopped", [], "Nothing is lost. Run the same command again to continue.", options, INTERRUPTED)
    return INTERRUPTED


def cut_off() -> int:
    """The reader of our output is gone; there is nobody to tell."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    return INTERRUPTED


def internal_error(error: Exception, options: argparse.Namespace) -> int:
    """Keep the traceback for whoever mends this, and say where it is."""
    import traceback

    try:
        path = made_home() / "internal-error.log"
        path.write_text("".join(traceback.format_exception(error)), encoding="utf-8", errors="backslashreplace")
        where = (
            f"A report was saved at {path}. Run the same command again to continue, or saltcart trips to see"
            f" what is done."
        )
    except OSError:
        where = "Run the same command again to continue, or saltcart trips to see what is done."
    report(f"Internal error: {type(error).__name__}: {show(str(error))}", [], where, options, INTERRUPTED)
    return INTERRUPTED


def report(what: str, details: list[str], remedy: str, options: argparse.Namespace, status: int) -> None:
    """Print one failure: to standard error for a person, and as the one document for --json."""
    ending = " Nothing was changed." if status == Refused.status else ""
    lines = [f"saltcart {options.command}: {what.removesuffix('.')}.{ending}", *(f"    {line}" for line in details)]
    if remedy:
        lines.append(f"  -> {remedy}")
    print("\n".join(lines), file=sys.stderr)
    if options.json:
        from saltcart.cli.screen import as_json

        print(as_json({"error": what, "details": details, "remedy": remedy, "status": status}))
