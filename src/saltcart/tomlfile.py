"""Reading the TOML files that people edit, with errors that name file, line and key.

A shape is a dictionary from key to what may be there: a type, a tuple of
allowed words, another shape for a table, or a list of one shape for an
array of tables.  A key of a shape that begins with `!` must be there; the key `*`
stands for any other.
"""

import os
import re
import tomllib
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from saltcart.errors import BadFile, show

TYPE_WORDS = {
    str: "text in quotes",
    int: "a whole number",
    bool: "true or false",
    list: "a list in [ ]",
    dict: "a table",
}


def read(path: str, shape: Mapping[str, Any]) -> dict[str, Any]:
    """The tables of the TOML file at `path`, checked against `shape`.

    Raises BadFile when it cannot be read, is not TOML, or says what the shape does not know.
    """
    try:
        if not os.path.isfile(path) and os.path.exists(path) and path != os.devnull:  # a pipe would wait for ever
            raise BadFile(path, None, "is not a file", "Give a file.")
        with open(path, "rb") as stream:
            text = stream.read(64 << 20).decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise BadFile(path, None, "is not UTF-8 text", "Save it as UTF-8.") from error
    except OSError as error:
        remedy = "Check the path; if its drive is not connected, plug it in."
        raise BadFile(path, None, error.strerror or "cannot be read", remedy) from error
    return checked(path, text, Same(shape))


class Same:
    """A shape, which is the same as itself alone."""

    def __init__(self, shape: Mapping[str, Any]):
        self.shape = shape

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Same) and other.shape is self.shape

    def __hash__(self) -> int:
        return id(self.shape)


@lru_cache(maxsize=32)
def checked(path: str, text: str, same: Same) -> dict[str, Any]:
    """The tables of a TOML text, checked; the same one is read many times in a run.  Nobody changes them."""
    try:
        tables = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise BadFile(path, line_in(str(error), text), f"is not valid TOML ({error})", "Correct that line.") from error
    check(Place(path, text), tables, same.shape)
    return tables


def line_in(message: str, text: str) -> int | None:
    """The line of `text` a TOML error speaks of."""
    found = re.search(r"at line (\d+)", message)
    at_end = text.count("\n") + 1 if "end of document" in message else None
    return int(found[1]) if found else at_end


class Place:
    """Where in a TOML text a key is, for messages; good enough for files people write."""

    def __init__(self, path: str, text: str, keys: tuple[str | int, ...] = ()):
        self.path = path
        self.text = text
        self.keys = keys

    def at(self, key: str | int) -> "Place":
        """The place one step deeper."""
        return Place(self.path, self.text, (*self.keys, key))

    def line(self) -> int | None:
        """The line of the innermost key, counting repeats of `[[table]]` headers."""
        lines = self.text.splitlines()
        start = 0
        for position, key in enumerate(self.keys):
            if isinstance(key, int):
                continue
            after = self.keys[position + 1] if position + 1 < len(self.keys) else 0
            skip = after if isinstance(after, int) else 0
            pattern = re.compile(rf"""\s*(\[\[?[^\]]*\b)?["']?{re.escape(key)}["']?\s*(=|\]|\.)""")
            hits = [number for number, line in enumerate(lines) if number >= start and pattern.match(line)]
            if len(hits) <= skip:
                break
            start = hits[skip]
        return start + 1 if self.keys else None

    def fail(self, what: str, remedy: str = "") -> BadFile:
        """An error at this place."""
        return BadFile(self.path, self.line(), what, remedy)


def check(place: Place, value: Any, shape: Any) -> None:
    """Raise BadFile at the first spot where `value` does not have `shape`."""
    if isinstance(shape, tuple):
        if value not in shape:
            words = ", ".join(f'"{word}"' for word in shape)
            raise place.fail(f"{place.keys[-1]} = {show(repr(value))} is not one of {words}", "Use one of these words.")
    elif isinstance(shape, list):
        if not isinstance(value, list):
            raise place.fail(f"{place.keys[-1]} must be a list", "Write it as [[table]] or [ ... ].")
        for number, item in enumerate(value):
            check(place.at(number), item, shape[0])
    elif isinstance(shape, Mapping):
        if not isinstance(value, dict):
            raise place.fail(f"{place.keys[-1]} must be a table", f"Write it as [{place.keys[-1]}].")
        check_table(place, value, shape)
    elif type(value) is not shape:
        raise place.fail(f"{place.keys[-1]} must be {TYPE_WORDS.get(shape, shape.__name__)}")


def check_table(place: Place, table: Mapping[str, Any], shape: Mapping[str, Any]) -> None:
    """Raise BadFile for an unknown key, a value of the wrong kind, or a key that is missing."""
    known = {key.removeprefix("!"): kind for key, kind in shape.items()}
    for key, value in table.items():
        kind = known.get(key, known.get("*"))
        if kind is None:
            raise place.at(key).fail(f'unknown key "{show(key)}"', f"Keys known here: {', '.join(sorted(known))}.")
        check(place.at(key), value, kind)
    for key in (key[1:] for key in shape if key.startswith("!")):
        if key not in table:
            raise place.fail(f'the key "{key}" is missing', f"Add {key} = ...")
