"""What a check found, as plain data: entries, copies, and whether all is well."""

from collections.abc import Sequence

from msgspec import Struct, field

from saltcart.judging.judgements import ALTERED, FOUND, MISSING, OFFLINE, UNREADABLE, Judgement, LedgerState, add_counts
from saltcart.judging.levels import WrongLevel
from saltcart.mentions.mention import Spot
from saltcart.mentions.search import Search
from saltcart.mentions.standings import UNACCOUNTED
from saltcart.proving.playing import Played


class FileProblem(Struct, frozen=True):
    """One file of a shelf whose copy is not as recorded."""

    path: str
    verdict: str
    why: str


class Problem(Struct, frozen=True):
    """One entry that is not found, or is found with a remark; `before` is its verdict before the trip, if it had
    one.  It is `left` where a person agreed that its ledger goes on leading to the old place.
    """

    judgement: Judgement
    before: str | None
    left: bool = False

    @property
    def new(self) -> bool:
        """Whether the trip, or what came after it, made this entry worse, and nobody has agreed to that."""
        worse = self.judgement.verdict != FOUND and self.before in (None, FOUND)
        return not self.left and (worse or self.judgement.verdict == ALTERED)

    @property
    def known(self) -> bool:
        """Whether the entry was as bad before the trip."""
        return not self.new and not self.left and self.judgement.verdict != FOUND


class LedgerCheck(Struct):
    """One ledger judged; problems in its order."""

    state: LedgerState
    problems: list[Problem]


class ShelfCheck(Struct):
    """One shelf's copies held against the logbook, or against its manifest: how many files were looked at, and
    what is wrong with some.

    `unknown` files lie in the shelf but not in its manifest; `accepted` ones could not be copied, and the trip
    goes without them.  A `gathered` one is a single file from elsewhere.
    """

    name: str
    path: str
    files: int = 0
    bytes: int = 0
    problems: list[FileProblem] = field(default_factory=list)
    manifest: str | None = None
    unknown: int = 0
    accepted: list[FileProblem] = field(default_factory=list)
    gathered: bool = False


class LeftMentions(Struct, frozen=True):
    """One file that still names an old place, how often, and why that may be; `spots` are some of them."""

    path: str
    standing: str
    count: int
    spots: Sequence[Spot] = ()

    @property
    def unaccounted(self) -> bool:
        """Whether what it says leads nowhere, and nobody has agreed to that."""
        return self.standing == UNACCOUNTED


class CheckReport(Struct):
    """All that was judged.  `trip` is None when ledgers were judged without one.

    After a switch, `left` files still name an old place, as `search` found; places in `unsearched` were not there.
    `copies`: the originals stay in use.  Some sounds were `played`, when that was asked for.
    """

    trip: str | None
    state: str | None
    ledgers: list[LedgerCheck]
    shelves: list[ShelfCheck]
    left: list[LeftMentions] = field(default_factory=list)
    search: Search | None = None
    unsearched: list[str] = field(default_factory=list)
    copies: bool = False
    levels: list[WrongLevel] = field(default_factory=list)
    played: list[Played] = field(default_factory=list)

    @property
    def unaccounted(self) -> list[LeftMentions]:
        """The files in which an old place is left that nothing explains."""
        return [one for one in self.left if one.unaccounted]

    @property
    def counts(self) -> dict[str, int]:
        """Verdict to number of entries over all ledgers."""
        return add_counts(ledger.state for ledger in self.ledgers)

    @property
    def before_counts(self) -> dict[str, int]:
        """How many entries of each verdict are as bad now as they were before the trip."""
        known = [problem for ledger in self.ledgers for problem in ledger.problems if problem.known]
        return {
            word: sum(problem.judgement.verdict == word for problem in known) for word in (OFFLINE, MISSING, UNREADABLE)
        }

    @property
    def left_entries(self) -> int:
        """How many entries lead to the old place, of ledgers that were left so on purpose."""
        return sum(problem.left for ledger in self.ledgers for problem in ledger.problems)

    @property
    def ok(self) -> bool:
        """Whether nothing needs attention: without a trip nothing but `found`, with one nothing worse than before."""
        readable = not any(ledger.state.trouble for ledger in self.ledgers)
        copies = not any(shelf.problems for shelf in self.shelves)
        plays = not any(one.troubles or one.unknown for one in self.played)
        found = readable and copies and plays and not self.new_problems()
        return found and not self.unaccounted and self.complete

    @property
    def complete(self) -> bool:
        """Whether nothing was left unseen that may name an old place."""
        return not self.unsearched and not (self.search and self.search.gap_counts)

    def new_problems(self) -> list[Problem]:
        """Entries that are worse than before."""
        return [problem for ledger in self.ledgers for problem in ledger.problems if problem.new]
