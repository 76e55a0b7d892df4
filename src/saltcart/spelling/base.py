"""The interface that every spelling of paths has, and what most of them share."""

from typing import Protocol, cast


class Spelling(Protocol):
    """One form of path."""

    name: str
    # Where a path that is not a full one starts: the ledger's own folder, the top of its drive,
    # or the first of its program's content folders that has it.
    start: str
    # Whether it is compared without regard to case, whatever drive the file lies on.
    folds_case: bool

    def read(self, text: str, base: str) -> str | None:
        """The absolute path meant by `text`, or None for something that is no file."""

    def write(self, text: str, path: str, base: str) -> str:
        """The text for the absolute `path` in the manner of `text`; CannotSpell when there is none."""

    def seen_in(self, text: str) -> "Spelling":
        """This form; for one that goes by looks, the form that `text` shows."""

    def odd(self, head: str, new: str) -> tuple[str, ...] | None:
        """The patterns (see Swap) without which a text that begins with the full path `head` means its parts, character
        by character, and `write` makes of that beginning the same as of `head` alone when it becomes `new`; None when
        that is never sure.
        """


def encodable(text: str) -> bool:
    """Whether `text` can be the bytes of a path at all: halves of surrogate pairs cannot, but for those that keep
    undecodable bytes (PEP 383).
    """
    if text.isascii():
        return True
    try:
        text.encode("utf-8", "surrogateescape")
    except UnicodeEncodeError:
        return False
    return True


class Form:
    """What most forms share."""

    start = "ledger"
    folds_case = False

    def seen_in(self, text: str) -> "Spelling":
        """See Spelling.seen_in."""
        return cast("Spelling", self)  # what derives from this reads and writes

    def odd(self, head: str, new: str) -> tuple[str, ...] | None:
        """See Spelling.odd."""
        return None
