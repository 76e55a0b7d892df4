"""Links that lead into moving shelves, and where they lead when they are turned."""

from saltcart.errors import Refused, show
from saltcart.shelves.true_names import true_path
from saltcart.spelling import Moves
from saltcart.spelling.moves import tail_below
from saltcart.system import os


def link_into(moves: Moves, path: str) -> str | None:
    """The first link on a path that leads into a shelf of which something moves, by its own target."""
    parts = path.split("/")
    steps = ("/".join(parts[:count]) for count in range(2, len(parts) + 1))
    return next((step for step in steps if os.path.islink(step) and moves.reaches(true_path(step))), None)


def turned(moves: Moves, link: str) -> str | None:
    """Where a link into a moving shelf leads when it is turned; None when it cannot be: not all that lies there
    moves, or it is in the way.
    """
    real = true_path(link)
    whole = all(move.whole or tail_below(real, move.old) is None for move in moves.moves)
    return (
        moves.follow(real) if whole and os.path.islink(link) and all(move.new != link for move in moves.moves) else None
    )


def new_target(moves: Moves, link: str) -> str:
    """As `turned`.  Raises Refused where that is None."""
    target = turned(moves, link)
    if target is None:
        raise Refused(
            f"{show(link)} is no link into a shelf that moves whole, so it cannot be turned",
            "Take it out of turn = [...] in a new waybill.",
        )
    return target
