"""What a survey found."""

from collections import Counter

from msgspec import Struct, field

from saltcart.drives import Drive
from saltcart.judging.judgements import LedgerState, add_counts
from saltcart.shelves.folder_tree import FolderTree
from saltcart.shelves.headers import HeaderSums
from saltcart.spelling.moves import tail_below


class SurveyedShelf(Struct):
    """One proposed shelf; `reached_as` is the link that leads to it, where one does."""

    tree: FolderTree
    name: str
    care: str = "own"
    reached_as: str | None = None
    drive: Drive | None = None
    headers: HeaderSums | None = None


class Finding(Struct, frozen=True):
    """Something a person should know: its kind in a word, where, and what about it."""

    kind: str
    path: str
    what: str


class Stray(Struct, frozen=True):
    """Entries that lie outside every shelf, by folder: how many entries, of which files, and their bytes."""

    folder: str
    entries: int
    files: list[str]
    bytes: int


class SurveyReport(Struct):
    """All that was seen.  `leans` counts entries by (ledger number, shelf number).  Of what ledgers name outside every
    shelf, `strays` belong to none, and `unseen` may belong to shelves where nobody looked.
    """

    places: list[str]
    shelves: list[SurveyedShelf] = field(default_factory=list)
    ledgers: list[LedgerState] = field(default_factory=list)
    leans: Counter[tuple[int, int]] = field(default_factory=Counter)
    strays: list[Stray] = field(default_factory=list)
    unseen: list[Stray] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)

    @property
    def counts(self) -> dict[str, int]:
        """Verdict to number of entries over all ledgers."""
        return add_counts(self.ledgers)

    def shelf_of(self, path: str) -> int | None:
        """The number of the shelf that holds the absolute `path`, or None."""
        for number, shelf in enumerate(self.shelves):
            if tail_below(path, shelf.tree.path) is not None:
                return number
        return None
