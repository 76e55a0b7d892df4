"""What was found out about the entries of a ledger."""

from collections import Counter
from collections.abc import Hashable, Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

from msgspec import Struct, field

from saltcart.errors import SaltCartError
from saltcart.ledgers.base import Batch, Entry
from saltcart.ledgers.facts import Facts

FOUND, OFFLINE, MISSING, ALTERED, UNREADABLE, UNCLEAR = (
    "found",
    "offline",
    "missing",
    "altered",
    "unreadable",
    "unclear",
)
VERDICTS = (FOUND, OFFLINE, MISSING, ALTERED, UNREADABLE, UNCLEAR)
# What a text means: the absolute path, the verdict on it (or, for what names no file, REMOTE or EMPTY), and why.
Answer = tuple[str, str, str]
REMOTE, EMPTY = "remote", "empty"


class Judgement(Struct, frozen=True):
    """One entry, the absolute path it means, the verdict on it, and why in words ("" when there is nothing to say)."""

    entry: Entry
    resolved: str
    verdict: str
    why: str = ""


class JudgedBatch(NamedTuple):
    """Some entries with their answers: by their texts, of which there may be fewer; or each its own, where a text
    does not say it all.

    Texts without an answer are full paths, and found there.
    """

    batch: Batch
    answers: Mapping[str, Answer]
    each: Sequence[Answer] = ()

    def all(self) -> Iterable[Answer]:
        """The answers, in the order of the entries."""
        return self.each or map(self.answer, self.batch.texts)

    def answer(self, text: str) -> Answer:
        """The answer to a text, where each has not its own."""
        return self.answers.get(text) or (text, FOUND, "")

    def judgements(self, plain: bool = True) -> Iterator[Judgement]:
        """The entries; without the `plain` ones only those that are not simply found."""
        if self.simply_found and not plain:
            return
        for number, (resolved, verdict, why) in enumerate(self.all()):
            if verdict in VERDICTS and (plain or verdict != FOUND or why):
                yield Judgement(self.batch.entry(number), resolved, verdict, why)

    @property
    def simply_found(self) -> bool:
        """Whether all entries are found, and nothing else is to be said."""
        return not (self.each or self.answers)

    def counts(self) -> Counter[str]:
        """Verdict to number of entries, those that name no file among them."""
        if self.simply_found:
            return Counter({FOUND: len(self.batch.texts)})
        return Counter([verdict for _path, verdict, _why in self.all()])

    @property
    def of_folders(self) -> bool:
        """Whether the entries name folders."""
        return bool(self.batch.texts) and self.batch.entry(0).is_folder


class LedgerState(Struct):
    """One ledger, judged.  `trouble` says why it could not be read at all, `within` which one it is a part of.

    `facts` is what it says itself of its sounds, by the keys of entries, where that was asked for.  What it says in its
    records of the `past` is not judged.
    """

    path: str
    map_name: str
    judged: list[JudgedBatch] = field(default_factory=list)
    found: Counter[str] = field(default_factory=Counter)
    trouble: SaltCartError | None = None
    facts: Mapping[Hashable, Facts] = field(default_factory=dict)
    within: str | None = None
    past: list[str] = field(default_factory=list)

    def add(self, part: JudgedBatch) -> None:
        """Take up the next batch."""
        self.judged.append(part)
        self.found.update(part.counts())

    @property
    def remote(self) -> int:
        """How many name something that is no file, such as a web address."""
        return self.found[REMOTE]

    def judgements(self, plain: bool = True) -> Iterator[Judgement]:
        """Every entry, in the ledger's order; without the `plain` ones only those that are not simply found."""
        for part in self.judged:
            yield from part.judgements(plain)

    def tally(self) -> Iterator[tuple[Answer, bool, int]]:
        """Each different answer, whether entries that name folders have it, and how many do; some may come again."""
        texts: dict[tuple[int, bool], tuple[JudgedBatch, Counter[str]]] = {}  # which parts have answers in common for
        for part in self.judged:
            if part.each:
                yield from ((answer, part.of_folders, count) for answer, count in Counter(part.each).items())
            else:
                texts.setdefault((id(part.answers), part.of_folders), (part, Counter()))[1].update(part.batch.texts)
        for (_answers, folders), (part, counts) in texts.items():
            yield from ((part.answer(text), folders, count) for text, count in counts.items())

    def counts(self) -> dict[str, int]:
        """Verdict to number of entries, every verdict named."""
        return {verdict: self.found[verdict] for verdict in VERDICTS}


def add_counts(states: Iterable[LedgerState]) -> dict[str, int]:
    """The counts of several ledgers together."""
    total = Counter({verdict: 0 for verdict in VERDICTS})
    for state in states:
        total.update(state.counts())
    return dict(total)
