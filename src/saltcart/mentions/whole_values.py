"""What a file says value by value: the texts in a database, and what stands between quotes, marks and line ends."""

import io
import re
from collections.abc import Iterator
from contextlib import suppress

from saltcart.ledgers.containers import plist
from saltcart.ledgers.sqlite.opening import claims, reading, tables
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.mentions.encoded import encoded_parts, inside
from saltcart.mentions.file_types import holds_no_references
from saltcart.mentions.packed import Budget, is_packed, unpacked, zlib_streams
from saltcart.mentions.place_forms import is_binary
from saltcart.mentions.readings import unescaped
from saltcart.shelves.true_names import name_key
from saltcart.system import os

HEAD = 4096
LARGEST = 16 << 20  # bytes of a text that are looked at
SEVERAL = re.compile(r"[\[{<\n]")  # in a text that holds several values
VALUE = re.compile(r"[^\"'<>\0-\x1f,;|=:\[\]{}()\udc80-\udcff]+")  # a byte that is no text is none of a value


def whole_values(path: str) -> Iterator[str]:
    """The values of a file, each as `comparable` makes it; some may come again.

    Raises one of UNREADABLE when it cannot be read.
    """
    with open(path, "rb") as stream:
        head, size = stream.read(HEAD), os.fstat(stream.fileno()).st_size
        stream.seek(0)
        if claims(head):
            yield from in_cells(path, Budget(size))
        elif is_packed(head):
            packed = io.BytesIO(head) if len(head) == size else stream
            for inner in unpacked(head, packed, "", Budget(size)):
                yield from values_in(inner.stream.read(LARGEST))
        else:
            data, budget = stream.read(LARGEST), Budget(size)
            yield from values_in(data)
            for _at, content in (zlib_streams if is_binary(head) else encoded_parts)(data, 0, len(data), False, budget):
                yield from values_in(content)


def in_cells(path: str, budget: Budget) -> Iterator[str]:
    """The different cells in each column of a database, and the values in those that hold several, packed ones too."""
    with reading(path) as (connection, _uri):
        for table, columns in tables(connection):
            for column in map(quoted, columns):
                query = f"SELECT DISTINCT {column} FROM {quoted(table)} WHERE typeof({column}) IN ('text', 'blob')"
                for (cell,) in connection.execute(query):
                    if isinstance(cell, str):
                        yield comparable(cell)
                        yield from values_in(cell.encode("utf-8", "surrogateescape")) if SEVERAL.search(cell) else ()
                    elif not holds_no_references(cell[:HEAD], len(cell)):
                        for content in (cell, *inside(cell, budget)):
                            yield from values_in(content[:LARGEST])


def values_in(data: bytes) -> Iterator[str]:
    """The values in a text, in UTF-8, or in UTF-16 where every second byte is none; the strings of a property list."""
    if data.startswith(plist.MAGIC):  # in which a length is right before each text, and may be a letter
        with suppress(ValueError):
            yield from map(comparable, plist.texts_in(data))
            return
    wide = 4 * data.count(b"\0") > len(data)
    text = data.decode("utf-16-le", "replace") if wide else data.decode("utf-8", "surrogateescape")
    text = unescaped(text) if "\\" in text or "&" in text else text
    yield from (comparable(found[0]) for found in VALUE.finditer(text))


def comparable(text: str) -> str:
    """A text by which values are compared: without blanks around it, without case, accents in one form."""
    return name_key(text.strip())
