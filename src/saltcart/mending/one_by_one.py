"""Lost sounds that no rule explains: renamed where they lay, or there in another format."""

from collections.abc import Iterable, Iterator
from functools import cached_property

from msgspec import Struct, field

from saltcart.mending.evidence import DIGEST, ENOUGH, LENGTH, SIZE, Facts, Files
from saltcart.mending.losses import Lost
from saltcart.mending.places import Places
from saltcart.mending.rules import Rule
from saltcart.shelves.audio import kind_of
from saltcart.shelves.tags import tags_of
from saltcart.shelves.true_names import name_key
from saltcart.system import os

UNCLEAR, DOUBLE, NOT_FOUND, CONTRADICTED, RENAMED, CONVERTED, ELSEWHERE, BY_NAME = (
    "unclear",
    "listed already",
    "not found",
    "another file",
    "renamed",
    "in another format",
    "found elsewhere",
    "likely by its name",
)
NEAREST = 3


class Single(Struct):
    """One lost path on its own: why no rule explains it, and files that may be meant, the likeliest first.

    `chosen` is the one that will be named; `alike` are the rules that lead to them and are equally good.
    """

    lost: Lost
    why: str
    files: list[str] = field(default_factory=list)
    evidence: list[str] = field(default_factory=list)
    chosen: str | None = None
    alike: list[Rule] = field(default_factory=list)


class Stems:
    """The sounds in some places by their names, whatever kind of file they are; made ready when first asked for."""

    def __init__(self, places: Places):
        self.places = places

    @cached_property
    def known(self) -> dict[str, list[str]]:
        """The sounds of each name."""
        known: dict[str, list[str]] = {}
        for path in sorted(self.places.files):
            if kind_of(path):
                known.setdefault(stem_of(path), []).append(path)
        return known

    def namesakes(self, path: str) -> list[str]:
        """The sounds that are called like `path`, and are of another kind."""
        return self.known.get(stem_of(path), []) if kind_of(path) else []


def stem_of(path: str) -> str:
    """The name of a file without its kind, as names are compared."""
    return name_key(os.path.splitext(os.path.basename(path))[0])


class Beside:
    """The files of one folder that no entry names."""

    def __init__(self, taken: set[str]):
        self.taken = taken
        self.known: dict[str, list[str]] = {}

    def files(self, folder: str) -> Iterator[str]:
        """Only the sounds of a folder."""
        return (path for path in self.all(folder) if path not in self.taken)

    def all(self, folder: str) -> list[str]:
        """All sounds in a folder, those that are named too."""
        if folder not in self.known:
            try:
                with os.scandir(folder) as entries:
                    self.known[folder] = sorted(one.path for one in entries if one.is_file() and kind_of(one.name))
            except OSError:
                self.known[folder] = []
        return self.known[folder]


def renamed(lost: Lost, folder: str, beside: Beside, files: Files) -> Single | None:
    """The one file in the folder of a lost one, that nobody names, of the same kind, and the same in all that is known:
    size and length, or a digest.  Where others there are of that size, sounds were cut to one length, and only a digest
    tells them apart.
    """
    if lost.size is None and lost.digest is None:
        return None
    suffix = os.path.splitext(lost.path)[1].lower()
    of_one_length = any(
        path in beside.taken and files.size(path) == lost.size and path.lower().endswith(suffix)
        for path in beside.all(folder)
    )
    same_kind = (path for path in beside.files(folder) if os.path.splitext(path)[1].lower() == suffix)
    alike = list(agreeing(lost, same_kind, files))
    # Two that are alike are a choice for a person, even if one of them agrees in more.
    sure = [
        (path, facts)
        for path, facts in alike
        if facts.points >= ENOUGH and (DIGEST in facts.agree or not of_one_length)
    ]
    if len(alike) == len(sure) == 1:
        path, facts = sure[0]
        return Single(lost, RENAMED, [path], list(facts.agree), path)
    return Single(lost, UNCLEAR, [path for path, _facts in alike]) if alike else None


def agreeing(lost: Lost, paths: Iterable[str], files: Files) -> Iterator[tuple[str, Facts]]:
    """Those of some files that may be a lost one, with what agrees: nothing contradicts it, and the size is the same or
    enough else is.
    """
    for path in paths:
        facts = files.facts(lost, path)
        if SIZE in facts.agree and files.as_long(lost, path):
            facts = Facts((*facts.agree, LENGTH), facts.contradict)
        if not facts.contradict and (facts.points >= ENOUGH or SIZE in facts.agree):
            yield path, facts


def converted(lost: Lost, folder: str, beside: Beside, files: Files) -> Single | None:
    """A file of the same name but for its kind, and of the same length; it is offered, never applied automatically."""
    stem = name_key(os.path.splitext(os.path.basename(lost.path))[0])
    if lost.length is None or not kind_of(lost.path):
        return None
    for path in beside.all(folder):
        if name_key(os.path.splitext(os.path.basename(path))[0]) == stem:
            header = files.header(path)
            if header.trouble is None and abs(header.seconds - lost.length) <= 0.1:
                title = tags_of(path).get("title")
                words = [LENGTH, *(["title"] if title and lost.title and title == lost.title else [])]
                return Single(lost, CONVERTED, [path], words)
    return None


def common(one: str, other: str) -> int:
    """How many names two paths share, from their ends."""
    count = 0
    for left, right in zip(reversed(one.split("/")), reversed(other.split("/")), strict=False):
        if name_key(left) != name_key(right):
            break
        count += 1
    return count
