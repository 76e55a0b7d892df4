"""Reading our TOML files into typed structs, with errors that name file, line and key.

What a file may hold is what the struct declares (see `kinds`); this module only finds where it does not.
"""

import re
from collections.abc import Mapping
from functools import lru_cache
from typing import Any, TypeVar

from msgspec import NODEFAULT, Struct, convert, inspect

from saltcart.errors import BadFile, show
from saltcart.system import os
from saltcart.toml.kinds import NotThat
from saltcart.toml.parsing import loads

T = TypeVar("T", bound=Struct)
WORDS: Mapping[type, tuple[type, str]] = {
    inspect.StrType: (str, "text in quotes"),
    inspect.IntType: (int, "a whole number"),
    inspect.BoolType: (bool, "true or false"),
}


def read(path: str, kind: type[T]) -> T:
    """The struct that the TOML file at `path` holds.

    Raises BadFile when it cannot be read, is not TOML, or says what the struct does not know.
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
    return convert(checked(path, text, kind), kind)


@lru_cache(maxsize=32)
def checked(path: str, text: str, kind: type[Struct]) -> dict[str, Any]:
    """The tables of a TOML text, checked; the same one is read many times in a run.  Nobody changes them."""
    try:
        tables = loads(text)
    except ValueError as error:
        raise BadFile(path, line_in(str(error), text), f"is not valid TOML ({error})", "Correct that line.") from error
    return table(Place(path, text), tables, fields_of(kind))


FIELDS: dict[type, Mapping[str, inspect.Field]] = {}  # by structs


def fields_of(kind: type[Struct]) -> Mapping[str, inspect.Field]:
    """What a struct has in its file, by key."""
    if kind not in FIELDS:
        described = inspect.type_info(kind)  # with all structs that are in it, which takes some time
        assert isinstance(described, inspect.StructType)
        return fields_in(described)
    return FIELDS[kind]


def fields_in(described: inspect.StructType) -> Mapping[str, inspect.Field]:
    """The same, of a struct that is described already."""
    kind = described.cls
    if kind not in FIELDS:
        FIELDS[kind] = {one.encode_name: one for one in described.fields if not extra_of(one.type).get("outside")}
    return FIELDS[kind]


def extra_of(kind: inspect.Type) -> Mapping[str, Any]:
    """What `kinds` says of a type."""
    return (kind.extra or {}) if isinstance(kind, inspect.Metadata) else {}


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

    @property
    def key(self) -> str | int:
        """The innermost key."""
        return next(key for key in reversed(self.keys) if isinstance(key, str))

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


def value_of(place: Place, value: Any, kind: inspect.Type) -> Any:
    """The value at a place, as its struct has it.  BadFile at the first spot where it is not of its kind."""
    match kind:
        case inspect.Metadata():
            return annotated(place, value, kind.type, extra_of(kind))
        case inspect.UnionType():  # something that may be left out
            return value_of(place, value, next(one for one in kind.types if not isinstance(one, inspect.NoneType)))
        case inspect.ListType() | inspect.VarTupleType():
            if not isinstance(value, list):
                raise place.fail(f"{place.key} must be a list", "Write it as [[table]] or [ ... ].")
            return [value_of(place.at(number), one, kind.item_type) for number, one in enumerate(value)]
        case inspect.StructType():
            return table(place, value, fields_in(kind))
        case inspect.DictType():
            return {key: value_of(place.at(key), one, kind.value_type) for key, one in as_table(place, value).items()}
        case inspect.StrType() | inspect.IntType() | inspect.BoolType():
            known, word = WORDS[type(kind)]
            if type(value) is not known:
                raise place.fail(f"{place.key} must be {word}")
    return value


def annotated(place: Place, value: Any, kind: inspect.Type, extra: Mapping[str, Any]) -> Any:
    """The same where `kinds` says more of it."""
    if names := extra.get("keys"):
        assert isinstance(kind, inspect.TupleType)
        fields = [inspect.Field(name, name, one) for name, one in zip(names, kind.item_types, strict=True)]
        return list(table(place, value, {one.name: one for one in fields}).values())
    if (words := extra.get("one_of")) and value not in words:
        allowed = ", ".join(f'"{word}"' for word in words)
        raise place.fail(f"{place.key} = {show(repr(value))} is not one of {allowed}", "Use one of these words.")
    value = value_of(place, value, kind)
    try:
        return extra["read"](value, os.path.dirname(place.path)) if "read" in extra else value
    except NotThat as error:
        raise place.fail(f'{place.key} = "{show(value)}" {error.what}', error.remedy) from error


def as_table(place: Place, value: Any) -> dict[str, Any]:
    """A table; BadFile for anything else."""
    if not isinstance(value, dict):
        raise place.fail(f"{place.key} must be a table", f"Write it as [{place.key}].")
    return value


def table(place: Place, value: Any, fields: Mapping[str, inspect.Field]) -> dict[str, Any]:
    """The values of a table, in the order of its fields; BadFile for an unknown key, or one that is missing."""
    rows = as_table(place, value)
    for key in rows:
        if key not in fields:
            raise place.at(key).fail(f'unknown key "{show(key)}"', f"Keys known here: {', '.join(sorted(fields))}.")
    for key, one in fields.items():
        if key not in rows and one.default is NODEFAULT and one.default_factory is NODEFAULT:
            raise place.fail(f'the key "{key}" is missing', f"Add {key} = ...")
    return {key: value_of(place.at(key), rows[key], one.type) for key, one in fields.items() if key in rows}
