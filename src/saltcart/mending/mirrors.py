"""What lay where, and where it lies now: as lost texts say, held against the names of what is there."""

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence

from msgspec import Struct, field

from saltcart.drives.drive import mount_of
from saltcart.drives.known import MOUNT_FOLDERS
from saltcart.mending.lost_texts import ENDING, LostTexts, readings_of
from saltcart.mending.places import Places
from saltcart.mending.rules import parting
from saltcart.shelves.audio import kind_of
from saltcart.shelves.true_names import name_key
from saltcart.spelling.moves import joined, tail_below
from saltcart.system import here, os

MOST_MIRRORS, LEAST_SHOWN = 40, 2  # sounds, or folders of such, that a mirror must show
MOST_ALIKE = 20  # folders with the same name
MOST_LOOKED_THROUGH = 40  # folders, with all that is in them


class Mirror(Struct):
    """What lay below `old` lies below `new`; `shown` are the paths that speak for it."""

    old: str
    new: str
    shown: list[str] = field(default_factory=list)

    def tops(self) -> set[str]:
        """The folders below the old place in which something was."""
        return {f"{self.old}/{path[len(self.old) + 1 :].partition('/')[0]}" for path in self.shown}


class Sounds:
    """The sounds that are there, folder by folder."""

    def __init__(self, places: Places):
        self.places = places
        self.inside: defaultdict[str, set[str]] = defaultdict(set)
        for path in filter(kind_of, places.files):
            folder, _slash, name = path.rpartition("/")
            self.inside[folder].add(name)
        self.called: defaultdict[str, list[str]] = defaultdict(list)
        for folder in self.above():
            self.called[name_key(os.path.basename(folder))].append(folder)

        self.through: dict[str, dict[str, str]] = {}

    def below(self, top: str) -> dict[str, str]:
        """Where below a folder the sounds lie whose names are there once, by name; of very many folders nothing."""
        if top not in self.through and len(self.through) < MOST_LOOKED_THROUGH:
            tails = [(tail, folder) for folder in self.inside if (tail := tail_below(folder, top)) is not None]
            names = Counter(name for _tail, folder in tails for name in self.inside[folder])
            self.through[top] = {
                name: joined(tail, name) for tail, folder in tails for name in self.inside[folder] if names[name] == 1
            }
        return self.through.get(top, {})

    def above(self) -> set[str]:
        """The folders in which sounds lie, directly or in folders inside."""
        found: set[str] = set()
        for folder in self.inside:
            while folder not in found and folder in self.places.folders:
                found.add(folder)
                folder = folder.rpartition("/")[0]
        return found


def all_mirrors(lost: Mapping[str, LostTexts], places: Places) -> list[Mirror]:
    """What went where, as full paths show; and, as relative ones do in files that went along: in others these may start
    from a folder that is written elsewhere, and lead somewhere.
    """
    sounds = Sounds(places)
    mirrors = mirrors_of(lost.values(), sounds, full=True)
    past = Backward(mirrors, places)
    along = [past.with_known_starts(path, some) for path, some in lost.items() if past.olds_of(path)]
    return mirrors + mirrors_of(along, sounds, full=False)


class Backward:
    """Mirrors, looked at from what is there now: where that was."""

    def __init__(self, mirrors: Sequence[Mirror], places: Places):
        self.mirrors, self.places = mirrors, places
        self.shown = set().union(*(mirror.shown for mirror in mirrors))

    def olds_of(self, path: str) -> list[str]:
        """Where a path may have been; only what full paths speak of, where they do."""
        tails = [(mirror.old, tail_below(path, mirror.new)) for mirror in self.mirrors]
        olds = [joined(old, tail) for old, tail in tails if tail is not None]
        return [old for old in olds if old in self.shown] or olds

    def with_known_starts(self, path: str, some: LostTexts) -> LostTexts:
        """What a file names that went along, without the texts that started from a folder told elsewhere: what lay
        below that folder lies below its new place, and they lead there once that folder is named right.
        """
        homes = set(map(os.path.dirname, self.olds_of(path)))

        def known(text: str, meant: Sequence[str]) -> bool:
            olds = (old for found in self.places.called(meant[0]) for old in self.olds_of(found))
            starts = {start for old in olds for way in readings_of(text) if (start := start_of(way, old))}
            return not starts or any(start in homes or may_be_top(start) for start in starts)

        return LostTexts({text: meant for text, meant in some.meanings.items() if len(meant) < 2 or known(text, meant)})


def start_of(text: str, path: str) -> str | None:
    """The folder from which a relative text leads to a path; None when it does from none."""
    end = f"/{os.path.normpath(text)}"
    return path.removesuffix(end) if path.endswith(end) else None


def may_be_top(folder: str) -> bool:
    """Whether a folder is the top of a drive, or was one that is not connected now."""
    if os.path.isdir(folder):
        return mount_of(folder) == folder
    above = os.path.dirname(folder)
    return above in MOUNT_FOLDERS or os.path.dirname(above) in MOUNT_FOLDERS


def mirrors_of(lost: Iterable[LostTexts], sounds: Sounds, full: bool) -> list[Mirror]:
    """Those that `full` paths show, or relative ones: what explains most texts first, each of them by only one."""
    votes: defaultdict[tuple[str, str], dict[str, str]] = defaultdict(dict)
    for some in lost:
        names = {text for text, paths in some.meanings.items() if not paths}
        for text, paths in some.meanings.items():
            for path in paths if (len(paths) == 1) is full else ():
                vote(votes, text, path, names, sounds)
    mirrors: list[Mirror] = []
    explained: set[str] = set()
    for (old, new), texts in sorted(votes.items(), key=lambda pair: (-len(pair[1]), pair[0])):
        left = [path for text, path in texts.items() if text not in explained]
        if len(left) >= LEAST_SHOWN and len(mirrors) < MOST_MIRRORS:
            mirrors.append(Mirror(old, new, left))
            explained.update(texts)
    return mirrors


def vote(
    votes: defaultdict[tuple[str, str], dict[str, str]], text: str, path: str, names: set[str], sounds: Sounds
) -> None:
    """Let a text that may mean a path speak for where files, or folders, of that name lie now; a folder speaks for all
    `names` beside it that lie there, or in its folders.
    """
    sound = ENDING.search(text) is not None
    key = name_key(os.path.basename(path))
    for found in sounds.places.called(path) if sound else sounds.called.get(key, [])[:MOST_ALIKE]:
        old, new, count, _exact = parting(path, found)
        if count and old not in here.ROOTS:
            votes[old, new][text] = path
            if sound or not names:
                continue
            inside = names & sounds.inside.get(found, set())
            tails = inside or [tail for name, tail in sounds.below(found).items() if name in names]
            votes[old, new] |= {f"{path}/{tail}": f"{path}/{tail}" for tail in tails}
