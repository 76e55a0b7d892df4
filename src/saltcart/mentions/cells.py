"""What the cells of a database say of folders, what is packed or encoded in them too."""

import sqlite3
from collections.abc import Iterable, Iterator, Sequence

from saltcart.ledgers.sqlite.opening import reading, tables
from saltcart.ledgers.sqlite.quoting import literal, quoted
from saltcart.mentions.encoded import encoded_parts, inside
from saltcart.mentions.file_types import holds_no_references
from saltcart.mentions.finder import find
from saltcart.mentions.mention import Mention, excerpt, starts_in_sentence
from saltcart.mentions.packed import Budget
from saltcart.mentions.place_forms import CONTROL, HEAD, PlaceForms
from saltcart.system import os

MOST_CELLS = 5000
CODED = 40  # characters of a cell that may be Base64 or hexadecimal digits as a whole
BLOCK = 256 << 10  # bytes of cells that are looked through at once


def in_database(mention: Mention, forms: Sequence[PlaceForms], folder: str) -> None:
    """Add the cells of a database that name a folder; what is left on its free pages names nothing any more."""
    budget = Budget(os.path.getsize(mention.path))
    with reading(mention.path) as (connection, _uri):
        for table, column in ((table, column) for table, columns in tables(connection) for column in columns):
            cells = (one for (one,) in connection.execute(asking(table, column, forms)))
            web: bool | None = None
            for text, raw in parts_of(together(cells), budget):
                for hit in mention.paths(find(raw, forms, folder), forms):
                    web = of_the_web(connection, table, column) if web is None else web
                    prose = text and starts_in_sentence(raw, hit.at, forms[hit.place])
                    mention.add(forms[hit.place], f"{table}.{column}", hit, excerpt(raw, hit.at), prose, web)


def asking(table: str, column: str, forms: Sequence[PlaceForms]) -> str:
    """The query for the cells of a column that may name a folder."""
    cell = quoted(column)
    some = [f"{cell} LIKE {literal(f'%{one.anchor}%')}" if one.anchor else "TRUE" for one in forms]
    some.append(f"length({cell}) >= {CODED} AND {cell} NOT GLOB '*[^A-Za-z0-9+/=_-]*'")
    wanted = f"typeof({cell}) = 'blob' OR typeof({cell}) = 'text' AND ({' OR '.join(some)})"
    return f"SELECT {cell} FROM {quoted(table)} WHERE {wanted}"


def parts_of(cells: Iterable[tuple[bool, bytes]], budget: Budget) -> Iterator[tuple[bool, bytes]]:
    """Cells as they are, and what is packed in those that are no text."""
    for text, raw in cells:
        yield text, raw
        if text:
            yield from ((True, part) for _at, part in encoded_parts(raw, 0, len(raw), False, budget))
        elif not holds_no_references(raw[:HEAD], len(raw)):
            yield from ((False, part) for part in inside(raw, budget))


def together(cells: Iterable[bytes | str]) -> Iterator[tuple[bool, bytes]]:
    """The cells of a column as bytes, and whether these are text: many plain texts as the lines of one, which is looked
    through at once.
    """
    lines: list[bytes] = []
    size = 0
    for content in cells:
        raw = content if isinstance(content, bytes) else content.encode("utf-8", "surrogateescape")
        if isinstance(content, bytes) or len(raw.translate(None, CONTROL)) < len(raw):
            yield isinstance(content, str), raw
            continue
        lines.append(raw)
        size += len(raw)
        if size > BLOCK:
            yield True, b"\n".join(lines)
            lines, size = [], 0
    if lines:
        yield True, b"\n".join(lines)


def of_the_web(connection: sqlite3.Connection, table: str, column: str) -> bool:
    """Whether most of what is in a column are web addresses: then it tells where somebody was."""
    cell = quoted(column)
    query = (
        f"SELECT count(*), total({cell} LIKE 'http://%' OR {cell} LIKE 'https://%')"
        f" FROM (SELECT {cell} FROM {quoted(table)} WHERE typeof({cell}) = 'text' LIMIT {MOST_CELLS})"
    )
    total, addresses = connection.execute(query).fetchone()
    return 2 * float(addresses) > float(total)
