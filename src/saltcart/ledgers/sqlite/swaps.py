"""Swaps as SQL, so that a database changes most of its cells without Python.  The rows are in a table called `t`."""

from collections.abc import Sequence

from msgspec import Struct

from saltcart.ledgers.maps import Rule
from saltcart.ledgers.sqlite.quoting import literal, quoted
from saltcart.spelling.swaps import Swap, oddity


def holds(swap: Swap) -> bool:
    """Whether a text of SQL can hold both beginnings."""
    try:
        return bool((swap.old + swap.new).encode())
    except UnicodeEncodeError:
        return False


class SqlSwaps(Struct, frozen=True):
    """Those of some swaps that SQL can make on the cells of a rule; whether texts are UTF-8 in the database, and so
    in its order of them.
    """

    rule: Rule
    swaps: Sequence[Swap]
    utf8: bool

    @property
    def column(self) -> str:
        """The cell."""
        return f"t.{quoted(self.rule.column)}"

    def usable(self) -> list[Swap]:
        """Those that SQL can make."""
        rule = self.rule
        return [
            swap
            for swap in self.swaps
            if swap.spelling is rule.spelling and not rule.folder and not rule.parts and holds(swap)
        ]

    def covers(self) -> str:
        """The condition that one of the swaps covers a cell; "" when none can."""
        one_of = " OR ".join(map(self.covers_cell, self.usable()))
        where = f"({self.rule.where}) AND " if self.rule.where else ""
        return f"{where}({one_of})" if one_of else ""

    def covers_cell(self, swap: Swap) -> str:
        """`Swap.covers` in SQL; a text with a NUL in it is never covered, since SQLite cuts there."""
        in_old = oddity(swap.odd).search(swap.old)
        tail = f"substr({self.column}, {len(swap.old)})" if in_old else self.column
        odd = [f"{tail} NOT GLOB {literal(f'*{pattern}*')}" for pattern in swap.odd]
        return " AND ".join([self.begins(swap), *odd, f"instr({self.column}, char(0)) = 0"])

    def begins(self, swap: Swap) -> str:
        """Whether a cell begins as the swap says: in UTF-8 it then lies between two texts, which is quicker to see
        than to cut it.
        """
        if not self.utf8:
            return f"substr({self.column}, 1, {len(swap.old)}) = {literal(swap.old)}"
        cell, behind = f"+{self.column} COLLATE BINARY", swap.old[:-1] + chr(ord(swap.old[-1]) + 1)
        return f"({cell} >= {literal(swap.old)} AND {cell} < {literal(behind)})"

    def swapped(self) -> str:
        """What a cell that is covered becomes."""
        texts = {swap: f"{literal(swap.new)} || substr({self.column}, {len(swap.old) + 1})" for swap in self.usable()}
        if len(texts) == 1:
            return next(iter(texts.values()))
        return f"CASE {' '.join(f'WHEN {self.begins(swap)} THEN {text}' for swap, text in texts.items())} END"

    def made(self, cell: str) -> str:
        """The condition that `cell` is what one of the swaps makes of the cell in `t`."""
        made = (
            f"{self.begins(swap)} AND {cell} COLLATE BINARY = {SqlSwaps(self.rule, [swap], self.utf8).swapped()}"
            for swap in self.usable()
        )
        return " OR ".join(made)
