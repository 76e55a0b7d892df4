"""What lay where, and where it lies now: as lost texts say, held against the names of what is there."""

import os
from collections import defaultdict
from collections.abc import Iterable, Mapping

from msgspec import Struct, field

from saltcart.mending.lost_texts import ENDING, LostTexts
from saltcart.mending.places import Places, name_key
from saltcart.mending.rules import parting
from saltcart.shelves.audio import kind_of
from saltcart.spelling.moves import tail_below

MOST_MIRRORS, LEAST_SHOWN = 40, 2  # sounds, or folders of such, that a mirror must show
MOST_ALIKE = 20  # folders of one name


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

    def above(self) -> set[str]:
        """The folders in which sounds lie, be it in folders of theirs."""
        found: set[str] = set()
        for folder in self.inside:
            while folder not in found and folder in self.places.folders:
                found.add(folder)
                folder = folder.rpartition("/")[0]
        return found


def all_mirrors(lost: Mapping[str, LostTexts], places: Places) -> list[Mirror]:
    """What went where, as full paths show; and, as relative ones do in files that went along: in others these may start
    from a folder that is told elsewhere, and lead somewhere.
    """
    sounds = Sounds(places)
    mirrors = mirrors_of(lost.values(), sounds, full=True)
    along = [some for path, some in lost.items() if any(tail_below(path, mirror.new) for mirror in mirrors)]
    return mirrors + mirrors_of(along, sounds, full=False)


def mirrors_of(lost: Iterable[LostTexts], sounds: Sounds, full: bool) -> list[Mirror]:
    """Those that `full` paths show, or relative ones: what explains most texts first, each of them by one alone."""
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
    `names` beside it that lie there.
    """
    sound = ENDING.search(text) is not None
    key = name_key(os.path.basename(path))
    for found in sounds.places.called(path) if sound else sounds.called.get(key, [])[:MOST_ALIKE]:
        old, new, count, _exact = parting(path, found)
        if count and old != "/":
            votes[old, new][text] = path
            inside = () if sound else names & sounds.inside.get(found, set())
            votes[old, new] |= {f"{path}/{name}": f"{path}/{name}" for name in inside}
