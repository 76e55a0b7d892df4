"""Swaps as SQL, so that a database changes most of its cells by itself.  The rows stand in a table called `t`."""

from collections.abc import Sequence

from saltcart.ledgers.maps import Rule
from saltcart.ledgers.sqlite.words import literal, quoted
from saltcart.spelling.swaps import Swap


def covers(rule: Rule, swaps: Sequence[Swap]) -> str:
    """The SQL condition that one of the swaps covers a cell of a rule, in the table `t`; "" when none can."""
    one_of = " OR ".join(covers_cell(rule, swap) for swap in usable(rule, swaps))
    where = f"({rule.where}) AND " if rule.where else ""
    return f"{where}({one_of})" if one_of else ""


def covers_cell(rule: Rule, swap: Swap) -> str:
    """`Swap.covers` in SQL; a text with a NUL in it is never covered, since SQLite cuts there."""
    column = f"t.{quoted(rule.column)}"
    tail = f"substr({column}, {len(swap.old)})" if any(mark in swap.old for mark in swap.odd) else column
    lasts: dict[str, str] = {}
    for mark in swap.odd:
        lasts[mark[:-1]] = lasts.get(mark[:-1], "") + mark[-1]
    groups = [f"{tail} NOT GLOB {literal(f'*{first}[{last}]*')}" for first, last in lasts.items() if first]
    signs = [f"instr({tail}, {literal(sign)}) = 0" for sign in lasts.get("", "")]
    return " AND ".join([begins(rule, swap), *groups, *signs, f"instr({column}, char(0)) = 0"])


def begins(rule: Rule, swap: Swap) -> str:
    """Whether a cell of a rule begins as the swap says, in SQL."""
    return f"substr(t.{quoted(rule.column)}, 1, {len(swap.old)}) = {literal(swap.old)}"


def swapped(rule: Rule, swaps: Sequence[Swap]) -> str:
    """The SQL for a cell of a rule that one of the swaps covers."""
    column = f"t.{quoted(rule.column)}"
    texts = {swap: f"{literal(swap.new)} || substr({column}, {len(swap.old) + 1})" for swap in usable(rule, swaps)}
    if len(texts) == 1:
        return next(iter(texts.values()))
    return f"CASE {' '.join(f'WHEN {begins(rule, swap)} THEN {text}' for swap, text in texts.items())} END"


def usable(rule: Rule, swaps: Sequence[Swap]) -> list[Swap]:
    """The swaps that SQL can make on the cells of a rule."""
    return [swap for swap in swaps if swap.spelling is rule.spelling and not rule.folder and not rule.separator and (swap.old + swap.new).isascii()]
