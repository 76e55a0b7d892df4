"""Verdicts on entries: what a ledger names, and whether it is there."""

import os
import stat
from collections import Counter
from collections.abc import Hashable, Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

from msgspec import Struct, field

from saltcart.drives import Presence
from saltcart.drives.drive import keeps_change_times
from saltcart.errors import SaltCartError
from saltcart.judging.resolver import Resolver
from saltcart.ledgers import Batch, Entry, Facts, Ledger
from saltcart.shelves.audio import header_trouble, kind_of
from saltcart.spelling import encodable, readings, spelling_named
from saltcart.spelling.foreign import PSEUDO
from saltcart.spelling.moves import plain, tail_below
from saltcart.unchanged_files import UnchangedFiles

FOUND, OFFLINE, MISSING, ALTERED, UNREADABLE, UNCLEAR = (
    "found",
    "offline",
    "missing",
    "altered",
    "unreadable",
    "unclear",
)
# From so many paths in one folder on, listing it is cheaper than asking for each.
FEW = 4
EDITION = "1"  # to be raised whenever a header is judged in another way
# Spellings in which a text that begins with a slash is the path itself.
FULL_WITH_SLASH = (spelling_named("native"), spelling_named("auto"))
VERDICTS = (FOUND, OFFLINE, MISSING, ALTERED, UNREADABLE, UNCLEAR)


class Judgement(Struct, frozen=True):
    """One entry, the absolute path it means, the verdict on it, and why in words ("" when there is nothing to say)."""

    entry: Entry
    resolved: str
    verdict: str
    why: str = ""


# What a text means: the absolute path, the verdict on it (or, for what names no file, REMOTE or EMPTY), and why.
Answer = tuple[str, str, str]
REMOTE, EMPTY = "remote", "empty"


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


class Judge:
    """Judges entries, looking at each path once.

    `wrong` gives verdict and reason for paths whose copies are known not to be as recorded.
    With `headers`, a sound whose header does not parse is `unreadable`.  `signposts` are old
    places that are links now; what needs them is found with a remark.
    """

    def __init__(
        self,
        headers: bool = True,
        wrong: dict[str, tuple[str, str]] | None = None,
        signposts: Sequence[str] = (),
        presence: Presence | None = None,
        resolver: Resolver | None = None,
    ):
        self.headers = headers
        self.opened = UnchangedFiles("sounds", EDITION)  # which open as the sounds that their names promise
        self.telling: dict[int, bool] = {}  # of drives by their numbers
        self.signposts = [post for post in signposts if os.path.islink(post)]
        self.presence = presence or Presence()
        self.resolver = resolver or Resolver()
        self.seen: dict[str, tuple[str, str]] = dict(wrong or {})
        self.asked: Counter[str] = Counter()
        self.listings: dict[str, frozenset[str]] = {}
        self.no_folders: dict[str, tuple[str, str]] = {}  # what is to be said of all that would lie in one
        self.gone: dict[str, tuple[str, str] | None] = {}  # the same of those that are no other folder here
        # By what besides a text says what it means.
        self.answers: dict[object, dict[str, Answer]] = {}
        self.simply_found: dict[object, set[str]] = {}

    def ledger(self, ledger: Ledger, base: str | None = None) -> LedgerState:
        """Every entry of `ledger`, judged; relative ones from the folder `base`, its own by default."""
        state = LedgerState(ledger.path, ledger.map_name, within=ledger.within)
        folder = os.path.dirname(ledger.path) if base is None else base
        try:
            for batch in ledger.batches():
                state.add(self.batch(batch, folder))
            state.past = list(ledger.past())
        except SaltCartError as error:
            state.trouble = error
        return state

    def batch(self, batch: Batch, base: str) -> JudgedBatch:
        """Every entry of a batch, judged; each text once."""
        if not batch.texts or batch.spelling is None:
            return JudgedBatch(batch, {}, [("", REMOTE, "")] * len(batch.texts))
        if not batch.sure:
            entries = (self.resolver.settled(batch.entry(number), base) for number in range(len(batch.texts)))
            return JudgedBatch(
                batch, {}, [self.answer(batch, entry.readings(), self.resolver.start(entry, base)) for entry in entries]
            )
        start = self.resolver.start(batch.entry(0), base)
        key = batch.spelling, batch.base, start
        answers, simply = self.answers.setdefault(key, {}), self.simply_found.setdefault(key, set())
        if simply.issuperset(batch.texts):
            return JudgedBatch(batch, {})
        others = set(batch.texts) - simply
        if unknown := others.difference(answers):
            if batch.spelling in FULL_WITH_SLASH:
                folders = by_folder(unknown)
                shown = self.found_in_listings(folders)
                simply |= shown
                others -= shown
                unknown -= shown
                answers |= self.lost_with_folders(folders)
            answers |= {
                text: self.answer(batch, readings(batch.spelling, (text,)), start)
                for text in unknown.difference(answers)
            }
        return JudgedBatch(batch, answers if others else {})

    def found_in_listings(self, folders: Mapping[str, Sequence[str]]) -> set[str]:
        """Those of the full paths in `folders` that listings of these show, where just being there is all that
        counts.
        """
        if self.headers or self.signposts:
            return set()
        self.asked.update({folder: len(inside) for folder, inside in folders.items()})
        shown = (
            self.listing(folder).intersection(inside)
            for folder, inside in folders.items()
            if self.asked[folder] >= FEW and plain(folder) == folder
        )
        return set().union(*shown) - self.seen.keys()

    def lost_with_folders(self, folders: Mapping[str, Sequence[str]]) -> dict[str, Answer]:
        """The answers to those of the full paths in `folders` whose folders are not there: one look each."""
        answers: dict[str, Answer] = {}
        for folder, texts in folders.items() if not self.resolver.meanings.moves.moves else ():
            if folder not in self.gone:
                self.gone[folder] = self.no_folder(folder, texts[0])
            if gone := self.gone[folder]:
                verdict, why = gone
                answers |= {text: (text, verdict, why) for text in texts if encodable(text)}
                for name in ("", ".", ".."):  # which are not in it
                    answers.pop(f"{folder}/{name}", None)
        return answers | {text: (text, *self.seen[text]) for text in self.seen.keys() & answers.keys()}

    def no_folder(self, folder: str, text: str) -> tuple[str, str] | None:
        """Verdict and reason for what would lie in a folder that is not there; None where it is, or may be another."""
        if not folder.startswith("/") or "\0" in text or ".." in folder or plain(text) != text:
            return None
        if os.path.lexists(folder) or self.resolver.true.path(text) != text:
            return None
        return self.path(text)

    def listing(self, folder: str) -> frozenset[str]:
        """The paths of the plain files and folders in `folder`; none where it means another one here."""
        if folder not in self.listings:
            itself = self.resolver.meanings.here(folder) == folder == self.resolver.true.folder(folder)
            self.listings[folder] = self.listed(folder) if itself else frozenset()
        return self.listings[folder]

    @staticmethod
    def listed(folder: str) -> frozenset[str]:
        """What lies in `folder` now."""
        try:
            with os.scandir(folder) as things:
                return frozenset(
                    one.path
                    for one in things
                    if one.is_file(follow_symlinks=False) or one.is_dir(follow_symlinks=False)
                )
        except OSError:
            return frozenset()

    def answer(self, batch: Batch, readings: Sequence[str], start: str) -> Answer:
        """Where an entry of a batch that may mean any of these texts leads, the verdict on it, and why."""
        spelling = batch.spelling
        if spelling is None or not batch.names_a_file(readings[0]):
            return "", REMOTE if readings[0] else EMPTY, ""
        pairs = [pair for text in readings if (pair := self.resolver.paths(spelling, text, start)) is not None]
        judged = [(written, path, *self.path(path)) for written, path in pairs]
        written, path, verdict, why = next((found for found in judged if found[2] != MISSING), judged[0])
        if verdict == FOUND and not why and written != path:
            why = (
                "is written in another case than on the drive"
                if spelling.seen_in(readings[0]).folds_case
                else forgiven(written, path)
            )
        return path, verdict, why

    def path(self, path: str) -> tuple[str, str]:
        """Verdict on an absolute path, and why."""
        if path not in self.seen:
            self.seen[path] = self.look(path)
        return self.seen[path]

    def look(self, path: str) -> tuple[str, str]:
        """Look at the drive for `path`."""
        folder = os.path.dirname(path)
        if folder in self.no_folders:
            return self.no_folders[folder]
        try:
            state = os.stat(path)
        except (FileNotFoundError, NotADirectoryError):
            away = undeclared(path) or self.presence.away(path)
            answer = (OFFLINE, away) if away else (MISSING, self.where_it_ends(path))
            if not os.path.lexists(folder):
                self.no_folders[folder] = answer
            return answer
        except (OSError, ValueError) as error:
            return UNREADABLE, getattr(error, "strerror", None) or str(error)
        if stat.S_ISREG(state.st_mode):
            return self.look_at_file(path, state)
        if stat.S_ISDIR(state.st_mode):
            return FOUND, self.remark(path)
        return UNREADABLE, "is a pipe, socket or device, no sound"

    def look_at_file(self, path: str, state: os.stat_result) -> tuple[str, str]:
        """Verdict on the regular file at `path`; a sound that was opened and has not changed is not opened again."""
        facts = state.st_size, state.st_mtime_ns, state.st_ctime_ns, state.st_dev, state.st_ino
        if not self.headers or self.opened.knows(path, facts):
            return FOUND, self.remark(path)
        try:
            trouble = header_trouble(path)
        except OSError as error:
            trouble = error.strerror
        if trouble:
            return UNREADABLE, trouble
        if kind_of(path) and self.tells(path, state.st_dev):
            self.opened.remember(path, facts)
        return FOUND, self.remark(path)

    def tells(self, path: str, device: int) -> bool:
        """Whether the drive that a file lies on shows when it changed; asked of each once."""
        if device not in self.telling:
            self.telling[device] = keeps_change_times(path)
        return self.telling[device]

    def remark(self, path: str) -> str:
        """What is to be said of a path that is found."""
        needs = any(tail_below(os.path.normpath(path), post) is not None for post in self.signposts)
        return "goes through a signpost" if needs else ""

    def where_it_ends(self, path: str) -> str:
        """The first part of a missing path that is not there."""
        place = path
        while not os.path.lexists(os.path.dirname(place)):
            place = os.path.dirname(place)
        if os.path.islink(place):
            return "is a link that leads nowhere"
        return "no such file" if place == path else f"no folder {os.path.basename(place)} in {os.path.dirname(place)}"


def by_folder(texts: Iterable[str]) -> dict[str, list[str]]:
    """Those of `texts` that are full paths, by the folders they lie in."""
    folders: dict[str, list[str]] = {}
    for text in texts:
        if text[:1] == "/":
            folders.setdefault(text[: text.rindex("/")], []).append(text)
    return folders


def forgiven(written: str, path: str) -> str:
    """What a drive forgave that found `path` where another was written, in words."""
    what = "case" if written.casefold() == path.casefold() else "how accents are written"
    return f"is found only because its drive does not care about {what}"


def undeclared(path: str) -> str | None:
    """Whether `path` is one of another system's that nobody has declared, in words."""
    found = PSEUDO.match(path)
    return f"nobody has said what {found[1]} is on this machine: --drive '{found[1]}=/folder'" if found else None
