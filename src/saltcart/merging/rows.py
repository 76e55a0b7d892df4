"""A ledger as rows: what it holds of each sound and each list, whatever its format.

A row has a key that finds it in its file, cells, references to other rows, and perhaps a list that it is in.  The
order in which the rows of one list are given is the order of that list.
"""

import hashlib
from collections.abc import Mapping
from functools import lru_cache
from typing import TypeAlias

from msgspec import Struct, field

Cell: TypeAlias = str | int | float | bytes | None
Key: TypeAlias = tuple[Cell, ...]
Spot: TypeAlias = tuple[str, Key]  # a row: its table and its key

# How a cell comes from two copies in which both changed it: what each added, the later, or the lines of both.
SUM, NEWEST, LINES = "sum", "newest", "lines"
MOST_PLAYS = 1 << 53  # in a count; more is none
REST = "rest"  # the table of single values, each at its place `at` in the file
DIGEST = 8  # bytes; rows are thousands, so that two alike are out of reach


class Row(Struct, gc=False):
    """One row.  `places` are the cells that are paths, as places in the collection, because they are written in another
    way in each copy.  `within` is the list whose member it is.
    """

    table: str
    key: Key
    cells: dict[str, Cell]
    refs: dict[str, Spot] = field(default_factory=dict)
    places: dict[str, str] = field(default_factory=dict)
    within: Spot | None = None

    @property
    def spot(self) -> Spot:
        """What finds the row in its file."""
        return self.table, self.key

    def says(self, column: str) -> Cell:
        """What a cell says: the place for a path, else what is there."""
        return self.places.get(column, self.cells[column])


class Content(Struct):
    """All rows of a ledger, in its order.  `roles` tell of the columns of a table which are counted or dated;
    `alike` which columns make two new rows of a table one, such as the path of a track.  Two copies of another `shape`
    were written by other versions of their program.
    """

    rows: list[Row]
    roles: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    alike: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    shape: str = ""


@lru_cache(maxsize=1 << 15, typed=True)
def digest_of(value: Cell) -> bytes:
    """A few bytes that stand for a cell; 1 differs from 1.0, and from the text."""
    if isinstance(value, str):
        data = b"s" + value.encode("utf-8" if value.isascii() else "utf-32", "surrogatepass")
    else:
        data = b"b" + value if isinstance(value, bytes) else repr(value).encode()
    return hashlib.blake2b(data, digest_size=DIGEST).digest()


def digest(*parts: object) -> bytes:
    """A few bytes that stand for values, be they in tuples or lists."""
    made = hashlib.blake2b(digest_size=DIGEST)
    for part in parts:
        if isinstance(part, tuple | list):
            made.update(b"(" + digest(*part) + b")")
        else:
            made.update(digest_of(part))
    return made.digest()
