"""What a file says value by value: the texts in a database, and what stands between quotes, marks and line ends."""

import io
import re
from collections.abc import Iterator

from saltcart.ledgers.sqlite.opening import claims, reading, tables
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.mentions.packed import Budget, is_packed, unpacked
from saltcart.mentions.readings import unescaped
from saltcart.shelves.true_names import name_key
from saltcart.system import os

HEAD = 4096
LARGEST = 16 << 20  # bytes of a text that are looked at
VALUE = re.compile(r"[^\"'<>\0-\x1f,;|=:\[\]{}()]+")


def whole_values(path: str) -> Iterator[str]:
    """The values of a file, each as `comparable` makes it; some may come again.

    Raises one of UNREADABLE when it cannot be read.
    """
    with open(path, "rb") as stream:
        head, size = stream.read(HEAD), os.fstat(stream.fileno()).st_size
        stream.seek(0)
        if claims(head):
            yield from cells(path)
        elif is_packed(head):
            packed = io.BytesIO(head) if len(head) == size else stream
            for inner in unpacked(head, packed, "", Budget(size)):
                yield from values_in(inner.stream.read(LARGEST))
        else:
            yield from values_in(stream.read(LARGEST))


def cells(path: str) -> Iterator[str]:
    """The different texts in each column of a database."""
    with reading(path) as (connection, _uri):
        for table, columns in tables(connection):
            for column in columns:
                cell = quoted(column)
                query = f"SELECT DISTINCT {cell} FROM {quoted(table)} WHERE typeof({cell}) = 'text'"
                yield from (comparable(text) for (text,) in connection.execute(query))


def values_in(data: bytes) -> Iterator[str]:
    """The values in a text, in UTF-8, or in UTF-16 where every second byte is none."""
    wide = 4 * data.count(b"\0") > len(data)
    text = data.decode("utf-16-le", "replace") if wide else data.decode("utf-8", "surrogateescape")
    text = unescaped(text) if "\\" in text or "&" in text else text
    yield from (comparable(found[0]) for found in VALUE.finditer(text))


def comparable(text: str) -> str:
    """A text by which values are compared: without blanks around it, without case, accents in one form."""
    return name_key(text.strip())
