"""The program `saltcart`: answers at once what it can, else runs the command behind the ladder of errors."""

from __future__ import annotations

# What `signal` is made of, and here at once: an interrupt may come with the first instruction.
import _signal  # type: ignore[import-not-found]  # no stubs for the private name
import gc
import os  # what is the same everywhere, and loaded already: `saltcart.system` would take longer than the answer
import sys

from saltcart import __version__

TYPE_CHECKING = False  # `typing` would take longer than the answer too
if TYPE_CHECKING:
    from types import FrameType

# A big ledger is hundreds of thousands of small things that live long: to look through them
# for garbage often is for nothing.
SELDOM = 100_000


def leave(_number: int, _frame: FrameType | None) -> None:
    """End at once with one line: an interrupt while modules load, when nothing has begun."""
    os.write(2, b"saltcart: Stopped before anything was done. Run the same command again.\n")
    os._exit(4)


def main(words: list[str] | None = None) -> int:
    """Run the program; its exit status."""
    _signal.signal(_signal.SIGINT, leave)
    words = list(sys.argv[1:] if words is None else words)
    if words == ["--version"]:
        print(f"saltcart {__version__}")  # the one answer that should not wait for the rest to load
        return 0
    if "_ARGCOMPLETE" in os.environ:  # a shell asks what could be typed
        from saltcart.cli.completion import complete

        complete()
    gc.set_threshold(SELDOM)
    from saltcart.cli import parser

    if words in (["--help"], ["-h"]):  # that one should not wait either
        parser.build(None).print_help()
        return 0
    from saltcart.cli import exit_ladder as ladder

    words = words or ["help"]
    return ladder.run_words(words, parser.build(words[0]))


if __name__ == "__main__":
    sys.exit(main())
