"""Verdicts on entries: what a ledger names, and whether it is there."""

import os
import stat
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from saltcart.drives import Presence
from saltcart.errors import SaltCartError
from saltcart.ledgers import Entry, Ledger
from saltcart.shelves.audio import header_trouble
from saltcart.spelling.foreign import PSEUDO
from saltcart.spelling.moves import tail_below
from saltcart.trips.reading import Reader

FOUND, OFFLINE, MISSING, ALTERED, UNREADABLE, UNCLEAR = "found", "offline", "missing", "altered", "unreadable", "unclear"
VERDICTS = (FOUND, OFFLINE, MISSING, ALTERED, UNREADABLE, UNCLEAR)


@dataclass(frozen=True, slots=True)
class Judgement:
    """One entry, the absolute path it means, the verdict on it, and why in words ("" when there is nothing to say)."""

    entry: Entry
    resolved: str
    verdict: str
    why: str = ""


@dataclass(slots=True)
class LedgerState:
    """One ledger, judged.  `trouble` says why it could not be read at all."""

    path: str
    map_name: str
    judgements: list[Judgement] = field(default_factory=list)
    remote: int = 0
    trouble: SaltCartError | None = None

    def counts(self) -> dict[str, int]:
        """Verdict to number of entries, every verdict named."""
        found = Counter(judgement.verdict for judgement in self.judgements)
        return {verdict: found[verdict] for verdict in VERDICTS}


def add_counts(states: Iterable[LedgerState]) -> dict[str, int]:
    """The counts of several ledgers together."""
    total = Counter({verdict: 0 for verdict in VERDICTS})
    for state in states:
        total.update(state.counts())
    return dict(total)


class Judge:
    """Judges entries, looking at each path once.

    `wrong` gives verdict and reason for paths whose copies are known not to be as recorded.
    With `headers`, a sound whose header does not parse is `unreadable`.  `signposts` are old
    places that are links now; what needs them is found with a remark.
    """

    def __init__(self, headers: bool = True, wrong: dict[str, tuple[str, str]] | None = None, signposts: Sequence[str] = (), presence: Presence | None = None, reader: Reader | None = None):
        self.headers = headers
        self.signposts = signposts
        self.presence = presence or Presence()
        self.reader = reader or Reader()
        self.seen: dict[str, tuple[str, str]] = dict(wrong or {})

    def ledger(self, ledger: Ledger, base: str | None = None) -> LedgerState:
        """Every entry of `ledger`, judged; relative ones from the folder `base`, its own by default."""
        state = LedgerState(ledger.path, ledger.map_name)
        folder = os.path.dirname(ledger.path) if base is None else base
        try:
            state.judgements = [self.entry(entry, folder) for entry in ledger.entries()]
            state.remote = ledger.remote()
        except SaltCartError as error:
            state.trouble = error
        return state

    def entry(self, entry: Entry, base: str) -> Judgement:
        """The verdict on one entry of a ledger whose folder is `base`."""
        start = self.reader.start(entry, base)
        paths = [path for text in entry.readings() if (path := self.reader.path(entry, text, start)) is not None]
        judged = [(path, *self.path(path)) for path in paths]
        path, verdict, why = next((found for found in judged if found[1] != MISSING), judged[0])
        if verdict == FOUND and not why and self.reader.meanings.here(entry.spelling.read(entry.written, start) or path) != path and entry.spelling.folds_case:
            why = "is written in another case than on the drive"
        return Judgement(entry, path, verdict, why)

    def path(self, path: str) -> tuple[str, str]:
        """Verdict on an absolute path, and why."""
        if path not in self.seen:
            self.seen[path] = self.look(path)
        return self.seen[path]

    def look(self, path: str) -> tuple[str, str]:
        """Look at the drive for `path`."""
        try:
            state = os.stat(path)
        except (FileNotFoundError, NotADirectoryError):
            away = undeclared(path) or self.presence.away(path)
            return (OFFLINE, away) if away else (MISSING, self.where_it_ends(path))
        except (OSError, ValueError) as error:
            return UNREADABLE, getattr(error, "strerror", None) or str(error)
        if stat.S_ISREG(state.st_mode):
            return self.look_at_file(path)
        if stat.S_ISDIR(state.st_mode):
            return FOUND, self.remark(path)
        return UNREADABLE, "is a pipe, socket or device, no sound"

    def look_at_file(self, path: str) -> tuple[str, str]:
        """Verdict on the regular file at `path`."""
        try:
            trouble = header_trouble(path) if self.headers else None
        except OSError as error:
            trouble = error.strerror
        return (UNREADABLE, trouble) if trouble else (FOUND, self.remark(path))

    def remark(self, path: str) -> str:
        """What is to be said of a path that is found."""
        needs = any(tail_below(path, post) is not None for post in self.signposts)
        return "goes through a signpost" if needs else ""

    def where_it_ends(self, path: str) -> str:
        """The first part of a missing path that is not there."""
        place = path
        while not os.path.lexists(os.path.dirname(place)):
            place = os.path.dirname(place)
        if os.path.islink(place):
            return "is a link that leads nowhere"
        return "no such file" if place == path else f"no folder {os.path.basename(place)} in {os.path.dirname(place)}"


def undeclared(path: str) -> str | None:
    """Whether `path` is one of another system's that nobody has declared, in words."""
    found = PSEUDO.match(path)
    return f"nobody has said what {found[1]} is on this machine: --means '{found[1]}=/folder'" if found else None
