"""What is in mapped cells: text, text in blobs, lists of paths."""

import re
import sqlite3
from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import groupby, islice
from typing import Any, NamedTuple

from saltcart.errors import CannotSpell, show
from saltcart.ledgers.base import Batch, Entry, Key
from saltcart.ledgers.maps import Rule
from saltcart.ledgers.rules import Parts
from saltcart.ledgers.where import Where

BATCH_ROWS = 10_000
LEAST = -(1 << 63)  # of the numbers that rows have
CONTROL = re.compile(r"[\x00-\x08\x0e-\x1f]")
SEPARATOR = chr(31)  # the unit separator of ASCII
REMEDY_CELLS = "Leave this ledger out and use a signpost for its program."


def fetched(connection: sqlite3.Connection, query: str) -> Iterator[list[tuple[Any, ...]]]:
    """The rows a query gives, some at a time.

    They are taken for valid UTF-8, which is quick, until one is not.
    """
    tolerant, done = connection.text_factory, 0
    connection.text_factory = str
    try:
        for some in batched(connection, query):
            yield some
            done += 1
    except sqlite3.OperationalError:
        connection.text_factory = tolerant
        yield from islice(batched(connection, query), done, None)
    finally:
        connection.text_factory = tolerant


def batched(connection: sqlite3.Connection, query: str) -> Iterator[list[tuple[Any, ...]]]:
    """The same, as it is."""
    rows = connection.execute(query)
    while some := rows.fetchmany(BATCH_ROWS):
        yield some


def fetched_at_once(
    connection: sqlite3.Connection, number: str, cell: str, table: str, condition: str
) -> Iterator[list[Sequence[Any]]]:
    """Row numbers and contents of the cells that meet a condition, some rows at a time.

    The texts of some rows come as one, because making a row of each takes longer than reading them.
    """
    texts_only = (  # as values are sorted (sqlite.org/datatype3.html, section 4.1)
        f"{cell} COLLATE BINARY >= '' AND {cell} COLLATE BINARY < x''"
    )
    first, last = LEAST, connection.execute(f"SELECT max({number}) FROM {table}").fetchone()[0]
    dense = False
    while last is not None and first <= last:
        end = min(first + BATCH_ROWS - 1, last)
        if not dense:
            query = (
                f"SELECT min(n), max(n) FROM (SELECT {number} AS n FROM {table} WHERE {number} >= ? ORDER BY {number}"
                f" LIMIT {BATCH_ROWS})"
            )
            first, end = connection.execute(query, (first,)).fetchone()
        source, bounds = f"FROM {table} WHERE {number} BETWEEN ? AND ? AND {condition}", (first, end)
        whole, count = connection.execute(
            f"SELECT group_concat({cell}, '{SEPARATOR}'), count(*) {source} AND {texts_only}", bounds
        ).fetchone()
        texts = whole.split(SEPARATOR) if count else []
        dense = end - first < 2 * count
        full = len(texts) == count == end - first + 1
        numbers = (
            range(first, end + 1)
            if full
            else [found for (found,) in connection.execute(f"SELECT {number} {source} ORDER BY {number}", bounds)]
        )
        if numbers and len(texts) == count == len(numbers):
            yield [numbers, texts]
        elif numbers:
            yield list(
                zip(*connection.execute(f"SELECT {number}, {cell} {source} ORDER BY {number}", bounds), strict=True)
            )
        first = end + 1


class Rows(NamedTuple):
    """Some rows, as columns: those of their key, the cell that holds a path, and what names the row of its folder."""

    keys: Sequence[Sequence[Any]]
    cells: Sequence[Any]
    owners: Sequence[object]


def batches_of(
    number: int, rule: Rule, found: Rows, folders: Mapping[object, Entry], content: tuple[Entry, ...]
) -> Iterator[Batch]:
    """Some rows as batches: by the folder they belong to, blobs that hold no text left out."""
    keys, cells, owners = found
    looks_around = rule.spelling.start == "content"
    # What was split out of one text comes as a list, rows as they are come as tuples.
    ready = isinstance(cells, list) or set(map(type, cells)) == {str}
    texts: Sequence[Any] = cells if ready else list(map(text_of, cells))
    runs: Iterable[tuple[object, Iterable[int]]] = (
        groupby(range(len(texts)), owners.__getitem__) if rule.folder else [(None, range(len(texts)))]
    )
    for owner, run in runs:
        filtered = texts is not cells or rule.folder
        rows = [row for row in run if texts[row] is not None] if filtered else range(len(texts))
        base = folders.get(owner)

        def key(at: int, rows: Sequence[int] = rows) -> Key:
            return number, *(column[rows[at]] for column in keys)

        def entry(at: int, rows: Sequence[int] = rows, base: Entry | None = base) -> Entry:
            row = [column[rows[at]] for column in keys]
            where = Where(f"{rule.table}.{rule.column}", row="/".join(map(str, row)))
            return Entry(
                (number, *row),
                where,
                texts[rows[at]],
                rule.spelling,
                rule.names,
                base=base,
                tried=content if looks_around else (),
            )

        yield Batch(
            texts if len(rows) == len(texts) else [texts[row] for row in rows],
            rule.spelling,
            base,
            not looks_around,
            key,
            entry,
        )


def in_parts(
    keys: Sequence[Sequence[Any]], cells: Sequence[object], parts: Parts
) -> tuple[list[Sequence[Any]], list[str]]:
    """Cells that hold lists, as their parts: the columns of the keys, the number of the part as the last of them, and
    the parts.
    """
    found = [
        (row, number, part)
        for row, cell in enumerate(cells)
        if (text := text_of(cell))
        for number, part in enumerate(parts.of(text))
    ]
    return [
        *(tuple(column[row] for row, _number, _part in found) for column in keys),
        tuple(number for _row, number, _part in found),
    ], [part for *_at, part in found]


def put_together(cell: str, parts: Parts, changes: Mapping[int, str]) -> str:
    """A cell that holds a list, with new texts for some parts of it.  Raises CannotSpell for one that would fall
    apart.
    """
    pieces, wanted, position = [], parts.of(cell), 0
    for number, (start, end) in enumerate(parts.spans(cell)):
        wanted[number] = changes.get(number, wanted[number])
        pieces += [cell[position:start], wanted[number]]
        position = end
    whole = "".join([*pieces, cell[position:]])
    if parts.of(whole) != wanted:
        raise CannotSpell(f"{show(whole)} would not be read as these paths again", REMEDY_CELLS)
    return whole


class Blob(NamedTuple):
    """Text in a blob: its encoding, itself, and the NULs that close it."""

    encoding: str
    text: str
    end: bytes

    def holding(self, text: str) -> bytes:
        """The blob with another text.  Raises CannotSpell."""
        try:
            return text.encode(self.encoding, "surrogateescape" if self.encoding == "utf-8" else "strict") + self.end
        except UnicodeEncodeError as error:
            raise CannotSpell(f"a blob of {self.encoding} text cannot hold {show(text)}", REMEDY_CELLS) from error


def blob_of(cell: bytes) -> Blob | None:
    """The text in a blob, None when it holds something else.

    A path in UTF-16 has a NUL in every letter of ASCII, of which it has some; bytes without one are a name as it is.
    """
    if b"\0" not in cell.rstrip(b"\0"):
        encoding, unit = "utf-8", 1
    elif len(cell) % 2:
        return None
    else:
        encoding, unit = ("utf-16-be" if cell[::2].count(0) > cell[1::2].count(0) else "utf-16-le"), 2
    body = cell
    while body[-unit:] == bytes(unit):
        body = body[:-unit]
    try:
        text = body.decode(encoding, "surrogateescape" if unit == 1 else "strict")
    except UnicodeDecodeError:
        return None
    return Blob(encoding, text, cell[len(body) :]) if text and not CONTROL.search(text) else None


def text_of(cell: object) -> str | None:
    """The text in a cell, of a blob too; None for anything else."""
    if isinstance(cell, bytes):
        return (blob := blob_of(cell)) and blob.text
    return cell if isinstance(cell, str) else None
