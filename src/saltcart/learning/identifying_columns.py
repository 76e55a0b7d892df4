"""Columns of a database that identify the sounds beside their paths: size, length, title, digest.

A column is recognised by comparing its cells with the files."""

import hashlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from itertools import islice
from math import ceil, floor

from blake3 import blake3
from msgspec import Struct

from saltcart.learning.ground import Disk
from saltcart.ledgers.facts import LAST_PLAYED, PLAYS, RATING, number, text, whole
from saltcart.ledgers.maps import Map, Rule
from saltcart.ledgers.sqlite.ledger import SqliteLedger
from saltcart.ledgers.sqlite.opening import reading
from saltcart.ledgers.sqlite.tables import Table
from saltcart.shelves.audio import kind_of
from saltcart.shelves.digests import CHUNK, Worker
from saltcart.shelves.headers import read_header
from saltcart.system import os

SAMPLE = 200  # sounds that are held against their rows
HASHED = 3
CLOSE = 0.02  # seconds
AGREEING = 0.9  # at least this share of the cells must agree with the files
LEAST_EXACT, SOME = 20, 0.25  # so many different sizes do not agree by chance, though others are of other files
EXACT, VARIED = (
    ("size", "digest"),
    3,
)  # what agrees to the last digit; for the others, fewer different values may agree by chance
MOST_STARS = 255  # the most that a rating counts
# By their number of digits.
DIGESTS: dict[int, tuple[Callable[[], Worker], ...]] = {
    32: (hashlib.md5,),
    40: (hashlib.sha1,),
    64: (hashlib.sha256, blake3),
}


class ColumnFact(Struct, frozen=True):
    """One fact that a column seems to say, with the keys that say so in a map; of so many cells some agree with the
    files.

    `values` counts those that differ.  Not `sure`, it may be chance, or is what the column's name lets one think.
    """

    column: str
    fact: str
    cells: int
    agree: int
    values: int
    sure: bool
    why: str
    milliseconds: bool = False

    def keys(self) -> dict[str, str]:
        """What a map says of it."""
        return {self.fact: self.column, **({"length_in": "milliseconds"} if self.milliseconds else {})}

    def evidence(self) -> str:
        """What speaks for it, in words."""
        return f"{self.agree:,} of {self.cells:,} {self.why}" if self.agree else self.why


def column_facts(path: str, rule: Rule, disk: Disk) -> list[ColumnFact]:
    """What the columns beside that of `rule` say in the database at `path`; for each fact the column that agrees best.

    Where hardly a sound is where it was, a column of sizes is known by the sounds that have these sizes anywhere.
    """
    ledger = SqliteLedger(path, Map("learn", path, "sqlite", None, (rule,)))
    with reading(path) as (connection, _uri):
        columns = [
            column
            for column in Table(connection, rule.table).columns
            if column not in (rule.column, rule.folder and (rule.folder.by or rule.folder.column))
        ]
        named = ((place, cells) for _key, place, cells in ledger.beside(connection, rule, columns) if kind_of(place))
        everything = list(islice(named, SAMPLE))
    # Facts are held against files, so only of rows whose file is there.
    rows = [(now, cells) for place, cells in everything if os.path.isfile(now := disk.now(place))]
    best: dict[str, ColumnFact] = {}
    lengths = {place: read_header(place).seconds for place, _cells in rows}
    for at, column in enumerate(columns):
        for one in guesses(
            column, [(place, cells[at]) for place, cells in rows if cells[at] not in (None, "")], lengths
        ):
            if one.fact not in best or weight(one) > weight(best[one.fact]):
                best[one.fact] = one
        if "size" not in best and (size := sizes_anywhere(column, [cells[at] for _place, cells in everything], disk)):
            best["size"] = size
    return list(best.values())


def sizes_anywhere(column: str, cells: Sequence[object], disk: Disk) -> ColumnFact | None:
    """The fact that a column holds sizes, when many different ones are those of sounds that are there."""
    numbers = [count for cell in cells if (count := whole(cell)) is not None]
    there = [count for count in numbers if count in disk.past.sizes]
    if len(set(there)) < LEAST_EXACT or len(there) < SOME * len(numbers):
        return None
    why = "are the sizes of sounds that are there"
    return ColumnFact(column, "size", len(numbers), len(there), len(set(there)), True, why)


def weight(one: ColumnFact) -> tuple[bool, int, int]:
    """How much speaks for it."""
    return one.sure, one.agree, one.values


def guesses(column: str, cells: Sequence[tuple[str, object]], lengths: Mapping[str, float]) -> Iterator[ColumnFact]:
    """What a column may say, given its cells with the sounds that they are beside."""
    few = cells[:HASHED]
    tests: tuple[tuple[str, bool, Sequence[tuple[str, object]], Callable[[str, object], bool], str], ...] = (
        ("size", False, cells, lambda place, cell: whole(cell) == os.path.getsize(place), "are the sizes of the files"),
        (
            "length",
            False,
            cells,
            lambda place, cell: near(number(cell), lengths[place]),
            "are the lengths of the sounds in seconds",
        ),
        (
            "length",
            True,
            cells,
            lambda place, cell: near((number(cell) or 0) / 1000, lengths[place]),
            "are the lengths of the sounds in milliseconds",
        ),
        ("title", False, cells, lambda place, cell: in_name(text(cell), place), "occur in the names of the files"),
        ("digest", False, few, lambda place, cell: is_digest(text(cell), place), "are digests of the files"),
    )
    for fact, milliseconds, asked, agrees, why in tests:
        agree, values = sum(agrees(*one) for one in asked), len({cell for _place, cell in asked})
        exact = fact in EXACT and agree >= max(LEAST_EXACT, SOME * len(asked)) and values > len(asked) // 2
        if asked and (agree >= AGREEING * len(asked) or exact):
            sure = fact in EXACT or values >= VARIED
            yield ColumnFact(
                column,
                fact,
                len(asked),
                agree,
                values,
                sure,
                why if sure else f"{why}, but too few differ to be sure",
                milliseconds,
            )
    if fact := fact_by_name(column, [cell for _place, cell in cells]):
        yield ColumnFact(column, fact, len(cells), 0, len(set(cells)), False, "by its name; nothing on the drive tells")


def fact_by_name(column: str, cells: Sequence[object]) -> str:
    """What the name of a column lets one think, of plays, when, and ratings, where its cells may say so."""
    if LAST_PLAYED.search(column):
        return "last_played"
    if PLAYS.search(column) and all(isinstance(cell, int) and cell >= 0 for cell in cells):
        return "plays"
    rates = RATING.search(column) and all(isinstance(cell, int | float) and 0 <= cell <= MOST_STARS for cell in cells)
    return "rating" if rates else ""


def near(seconds: float | None, length: float) -> bool:
    """Whether a number may be that length, or the whole seconds above or below it."""
    return (
        seconds is not None
        and seconds != 0
        and length > 0
        and (abs(seconds - length) < min(CLOSE, length / 4) or seconds in (floor(length), ceil(length)))
    )


def in_name(title: str | None, place: str) -> bool:
    """Whether the name of a file has a title in it."""
    return (
        title is not None
        and title != ""
        and not title.isdigit()
        and title.casefold() in os.path.splitext(os.path.basename(place))[0].casefold()
    )


def is_digest(digits: str | None, place: str) -> bool:
    """Whether these are the hexadecimal digits of a digest of a file."""
    if digits is None or len(digits) not in DIGESTS:
        return False
    workers = [make() for make in DIGESTS[len(digits)]]
    with open(place, "rb") as stream:
        while block := stream.read(CHUNK):
            for worker in workers:
                worker.update(block)
    return digits.lower() in [worker.hexdigest() for worker in workers]
