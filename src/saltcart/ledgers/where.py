"""Where in a ledger something is, for people to find and for code to compare."""

from typing import NamedTuple

from saltcart.errors import show


class Where(NamedTuple):
    """A spot in a file: the names on the way to it, such as `tracks/*/file`, or table and column; which one it is of
    those that have this way, from 1; its line, from 1; the key of its row.  It may be the name of an object itself,
    and it may be in another ledger.
    """

    place: str = ""
    number: int = 0
    line: int = 0
    row: str = ""
    is_name: bool = False
    ledger: str = ""

    def __str__(self) -> str:
        """The spot in words."""
        place = f"{self.place} {self.number}" if self.number else self.place
        words = (
            show(self.ledger),
            f"line {self.line}" if self.line else "",
            place,
            f"row {self.row}" if self.row else "",
            "its name" if self.is_name else "",
        )
        return ", ".join(filter(None, words))


def nowhere(_number: int) -> Where:
    """The spot of what nobody asks for."""
    return Where()
