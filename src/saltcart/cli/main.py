"""The program `saltcart`: answers at once what it can, else runs the command behind the ladder of errors."""

import gc
import sys

from saltcart import __version__

# A big ledger is hundreds of thousands of small things that live long: to look through them
# for garbage often is for nothing.
SELDOM = 100_000


def main(words: list[str] | None = None) -> int:
    """Run the program; its exit status."""
    words = list(sys.argv[1:] if words is None else words)
    if words == ["--version"]:
        print(f"saltcart {__version__}")  # the one answer that should not wait for the rest to load
        return 0
    gc.set_threshold(SELDOM)
    from saltcart.cli import exit_ladder as ladder
    from saltcart.cli import parser

    return ladder.run_command(parser.build(words[0] if words else None).parse_args(words))


if __name__ == "__main__":
    sys.exit(main())
