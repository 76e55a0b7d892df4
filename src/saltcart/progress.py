"""Progress of long work: one small callback type, passed down from whoever shows it."""

from collections.abc import Callable

from msgspec import Struct

WAITING = "waiting"  # the step in which nothing goes on until a person has done something


class Tick(Struct, frozen=True):
    """One moment of a long piece of work.

    `step` says what is being done ("copy", "read back", ...), `item` to what.  `done` and
    `total` count pieces, or bytes where `in_bytes`; `total` is 0 when unknown.  `note` says how far
    it is in other words, such as numbers of files.
    """

    step: str
    item: str
    done: int
    total: int
    note: str = ""
    in_bytes: bool = False


Progress = Callable[[Tick], None]


def silent(_tick: Tick) -> None:
    """A progress callback that does nothing."""
