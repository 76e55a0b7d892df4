"""Verdicts on entries: what a ledger names, and whether it is there."""

import stat
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence

from saltcart.drives import Presence
from saltcart.drives.drive import keeps_change_times
from saltcart.errors import SaltCartError
from saltcart.judging.judgements import (
    EMPTY,
    FOUND,
    MISSING,
    OFFLINE,
    REMOTE,
    UNREADABLE,
    Answer,
    JudgedBatch,
    LedgerState,
)
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.base import Batch, Ledger
from saltcart.safefile import nearest
from saltcart.shelves.audio import header_trouble, kind_of
from saltcart.spelling import Spelling, encodable, readings, spelling_named
from saltcart.spelling.foreign import PSEUDO
from saltcart.spelling.moves import plain, tail_below
from saltcart.system import os
from saltcart.unchanged_files import UnchangedFiles

# From so many paths in one folder on, listing it is cheaper than asking for each.
FEW = 4
EDITION = "1"  # to be raised whenever a header is judged in another way
# Spellings in which a text that begins with a slash is the path itself.
FULL_WITH_SLASH = (spelling_named("native"), spelling_named("auto"))


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
            elif not batch.of_the_web:
                answers |= self.found_as_read(batch.spelling, unknown, start)
            answers |= {
                text: self.answer(batch, readings(batch.spelling, (text,)), start)
                for text in unknown.difference(answers)
            }
        return JudgedBatch(batch, answers if others else {})

    def found_in_listings(self, folders: Mapping[str, Sequence[str]]) -> set[str]:
        """Those of the full paths in `folders` that listings of these show, and of which nothing is to be said."""
        if self.signposts:
            return set()
        self.asked.update({folder: len(inside) for folder, inside in folders.items()})
        shown = (
            self.listing(folder).intersection(inside)
            for folder, inside in folders.items()
            if self.asked[folder] >= FEW and plain(folder) == folder
        )
        simply = FOUND, ""
        verdict = self.path if self.headers else lambda path: self.seen.get(path, simply)
        return {path for path in set().union(*shown) if verdict(path) == simply}

    def found_as_read(self, spelling: Spelling, texts: Iterable[str], start: str) -> dict[str, Answer]:
        """The answers to those of the texts of which the likeliest reading means a path that listings show."""
        paths = {text: spelling.read(text, start) for text in texts if encodable(text)}
        shown = self.found_in_listings(by_folder(filter(None, paths.values())))
        return {text: (path, FOUND, "") for text, path in paths.items() if path in shown}

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
        if not os.path.isabs(folder) or "\0" in text or ".." in folder or plain(text) != text:
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
        spelling = None if batch.of_the_web else batch.spelling
        first = None if spelling is None else self.resolver.paths(spelling, readings[0], start)
        if spelling is None or first is None:
            return "", REMOTE if readings[0] else EMPTY, ""
        others = (self.resolver.paths(spelling, text, start) for text in readings[1:])
        pairs = [first, *(pair for pair in others if pair is not None)]
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
        place = nearest(path, lambda place: os.path.lexists(os.path.dirname(place)))
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
