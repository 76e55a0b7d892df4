"""What ledgers have lost: paths that entries name and that are not there, with what the ledgers say of each sound."""

from collections import Counter
from collections.abc import Sequence
from functools import partial

from msgspec import Struct, field

from saltcart.errors import SaltCartError
from saltcart.judging.judge import Judge
from saltcart.judging.judgements import FOUND, MISSING, OFFLINE, LedgerState
from saltcart.judging.levels import WrongLevel, wrong_levels
from saltcart.ledgers.base import Ledger
from saltcart.ledgers.facts import Facts
from saltcart.ledgers.instrument_parts import with_parts
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import Map
from saltcart.progress import Progress, Tick, silent
from saltcart.shelves.true_names import without_detours

ELSEWHERE = "is now connected at"  # how Presence speaks of a drive that is mounted elsewhere


class Lost(Struct):
    """One path that is not there: how many entries of which ledgers name it, and what these say of the sound.

    `size` in bytes, `length` in seconds (`rounded` to whole ones by some formats), `digest` in hexadecimal digits.
    """

    path: str
    folder: bool = False
    entries: int = 0
    ledgers: frozenset[str] = frozenset()
    size: int | None = None
    length: float | None = None
    rounded: bool = False
    title: str | None = None
    digest: str | None = None
    artist: str | None = None
    track: int | None = None
    plays: int = 0

    def learn(self, fact: Facts, times: int) -> None:
        """Take up what some more entries say."""
        self.plays += (fact.plays or 0) * times
        self.size = fact.size if self.size is None else self.size
        self.title, self.artist = self.title or fact.title, self.artist or fact.artist
        self.digest, self.track = self.digest or fact.digest, self.track or fact.track
        if fact.length is not None and (self.length is None or self.rounded):
            self.length, self.rounded = fact.length, fact.length == int(fact.length)


class Losses(Struct):
    """All that was judged: ledgers, what each has lost, what merely waits for a drive (why -> entries), which paths
    that are there each ledger names, what could not be read, which ledgers lost something `together`,
    how often found ones were played, which files libraries (not playlists) name twice, as `doubles`, and folders that
    are a level too high or too low.
    """

    ledgers: list[Ledger] = field(default_factory=list)
    states: list[LedgerState] = field(default_factory=list)
    lost: dict[str, Lost] = field(default_factory=dict)
    offline: Counter[str] = field(default_factory=Counter)
    named: dict[str, set[str]] = field(default_factory=dict)
    troubles: list[SaltCartError] = field(default_factory=list)
    together: dict[frozenset[str], frozenset[str]] = field(default_factory=dict)
    plays: Counter[str] = field(default_factory=Counter)
    doubles: dict[str, list[str]] = field(default_factory=dict)
    levels: list[WrongLevel] = field(default_factory=list)

    @property
    def entries(self) -> int:
        """How many entries are lost."""
        return sum(one.entries for one in self.lost.values())

    @property
    def sound(self) -> bool:
        """Whether something was looked at, all of it could be read, and every entry was found."""
        return (
            bool(self.states)
            and not self.troubles
            and all(
                count == 0 or verdict == FOUND for state in self.states for verdict, count in state.counts().items()
            )
        )

    def emptied(self) -> list[str]:
        """The ledgers of which more than half is lost or offline: what follows them would be emptied too."""
        found = []
        for state in self.states:
            counts = state.counts()
            if 2 * (counts[MISSING] + counts[OFFLINE]) > sum(counts.values()):
                found.append(state.path)
        return found


def losses_of(paths: Sequence[str], maps: Sequence[Map], judge: Judge, progress: Progress = silent) -> Losses:
    """Judge the ledgers at `paths`, and gather what they have lost."""
    found = Losses()
    ledgers = with_parts(paths, partial(open_ledger, maps=maps), lambda _path, error: found.troubles.append(error))
    for number, ledger in enumerate(ledgers):
        progress(Tick("judge", ledger.path, number, len(paths)))
        state = judge.ledger(ledger)
        if state.trouble:
            found.troubles.append(state.trouble)
            continue
        found.ledgers.append(ledger)
        found.states.append(state)
        found.levels += wrong_levels(state, judge.resolver)
        gather(found, ledger, state)
        state.judged.clear()  # of very many entries, all texts would stay in memory for nothing
    return found


def gather(found: Losses, ledger: Ledger, state: LedgerState) -> None:
    """Take up what one judged ledger has lost."""
    any_lost, named = False, set[str]()
    for (resolved, verdict, why), folder, entries in state.tally():
        if verdict == FOUND:
            named.add(resolved)
        elif verdict == OFFLINE and ELSEWHERE not in why and not why.startswith("nobody has said"):
            found.offline[why] += entries
        elif verdict in (MISSING, OFFLINE) and resolved:
            any_lost = True
            take_up(found, ledger.path, resolved, folder, entries)
    if not any_lost:
        return
    found.named[ledger.path] = named
    learn_more(found, ledger)


def learn_more(found: Losses, ledger: Ledger) -> None:
    """Take up what a ledger that has lost something says besides of its sounds."""
    once, twice = set[str](), dict[str, None]()
    for fact, times in ledger.said():
        if fact.counted:  # of a library, which names each file once
            if times > 1 or fact.path in once:
                twice[fact.path] = None
            once.add(fact.path)
        if lost := found.lost.get(fact.path):
            lost.learn(fact, times)
        elif fact.plays:
            found.plays[fact.path] += fact.plays * times
    if twice:
        found.doubles[ledger.path] = list(twice)


def take_up(found: Losses, ledger: str, path: str, folder: bool, entries: int) -> None:
    """Note that some entries of a ledger are lost."""
    if ".." in path:
        path = without_detours(path)
    lost = found.lost.get(path)
    if lost is None:
        lost = found.lost[path] = Lost(path)
    lost.folder = lost.folder or folder
    lost.entries += entries
    if ledger not in lost.ledgers:
        more = lost.ledgers | {ledger}
        lost.ledgers = found.together.setdefault(more, more)  # few sets for many
