"""Writing typed structs as TOML that people read and edit: what differs from its default, with comments."""

import json
from collections.abc import Callable, Iterable, Mapping
from typing import Any

import tomlkit
from msgspec import NODEFAULT, Struct, inspect

from saltcart.toml.reading import extra_of, fields_in, fields_of

Notes = Callable[[Struct], Mapping[str, str]]  # the comments on the keys of a struct
Always = Callable[[Struct], Iterable[str]]  # its keys that are written even where they hold the default


def nothing(_struct: Struct) -> Any:
    """No comment on anything, and nothing that is always written."""
    return {}


def table_of(struct: Struct, notes: Notes = nothing, always: Always = nothing) -> tomlkit.items.Table:
    """A struct as a table; its tables come last."""
    table = tomlkit.table()
    add_fields(table, struct, notes, always)
    return table


def document_of(
    struct: Struct, head: str = "", notes: Notes = nothing, always: Always = nothing
) -> tomlkit.TOMLDocument:
    """A struct as a whole document, with `head` as comments at its top."""
    document = tomlkit.document()
    for line in head.splitlines():
        document.add(tomlkit.comment(line))
    add_fields(document, struct, notes, always)
    return document


def add_fields(table: Any, struct: Struct, notes: Notes, always: Always) -> None:
    """Add each field that says something to a table or a document."""
    words, wanted = notes(struct), always(struct)
    fields = fields_of(type(struct)).items()
    for key, field in sorted(fields, key=lambda one: holds_tables(one[1].type)):
        value = getattr(struct, field.name)
        if key not in wanted and value == default_of(field):
            continue
        item = item_of(value, field.type, notes, always)
        table.add(key, item.comment(words[key]) if key in words and not holds_tables(field.type) else item)


def default_of(field: inspect.Field) -> Any:
    """What a field holds when nobody says; NODEFAULT where somebody must."""
    return field.default if field.default_factory is NODEFAULT else field.default_factory()


def holds_tables(kind: inspect.Type) -> bool:
    """Whether what is of this type is written as tables of their own."""
    match kind:
        case inspect.Metadata():
            return "keys" in extra_of(kind)
        case inspect.ListType() | inspect.VarTupleType():
            return holds_tables(kind.item_type)
        case inspect.UnionType():
            return any(map(holds_tables, kind.types))
    return isinstance(kind, inspect.StructType | inspect.DictType)


def item_of(value: Any, kind: inspect.Type, notes: Notes, always: Always) -> Any:
    """A value as TOML."""
    match kind:
        case inspect.Metadata() if names := extra_of(kind).get("keys"):
            assert isinstance(kind.type, inspect.TupleType)
            table = tomlkit.table()
            for name, one, inner in zip(names, value, kind.type.item_types, strict=True):
                table.add(name, item_of(one, inner, notes, always))
            return table
        case inspect.Metadata():
            return tomlkit.item(extra_of(kind).get("write", lambda same: same)(value))
        case inspect.UnionType():
            return item_of(
                value, next(one for one in kind.types if not isinstance(one, inspect.NoneType)), notes, always
            )
        case inspect.StructType():
            fields_in(kind)  # known from now on
            return table_of(value, notes, always)
        case inspect.ListType() | inspect.VarTupleType() if holds_tables(kind):
            rows = tomlkit.aot()
            for one in value:
                rows.append(item_of(one, kind.item_type, notes, always))
            return rows
        case inspect.ListType() | inspect.VarTupleType():
            return texts([extra_of(kind.item_type).get("write", lambda same: same)(one) for one in value])
    return tomlkit.item(dict(value) if isinstance(kind, inspect.DictType) else value)


def texts(values: list[Any]) -> tomlkit.items.Array:
    """Texts as an array, read from TOML: to add thousands of items one by one takes the square of their number."""
    quoted = (json.dumps(one, ensure_ascii=False).replace("\x7f", "\\u007f") for one in values)
    lines = ",\n    ".join(quoted)
    return tomlkit.array(f"[\n    {lines},\n]" if len(values) > 1 else f"[{lines}]")
