"""TOML as the standard library reads it, of whatever anybody wrote."""

import tomllib
from typing import Any

MOST_DOTS = 1000  # in a line: what the parser needs for a key is the square of its parts


def loads(text: str) -> dict[str, Any]:
    """The tables of a text.  Raises ValueError when it is not TOML, or has a line that no person would write."""
    if any(line.count(".") > MOST_DOTS for line in text.splitlines()):
        raise ValueError(f"a line has more than {MOST_DOTS:,} dots")
    try:
        return tomllib.loads(text)
    except RecursionError as error:
        raise ValueError("is nested too deeply") from error
