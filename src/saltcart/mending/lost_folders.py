"""Folders that are gone, of which no entry says what was in them: those of the same name that hold sounds now."""

from collections import Counter
from collections.abc import Iterable, Sequence

from saltcart.mending.losses import Losses, Lost
from saltcart.mending.mirrors import MOST_ALIKE, Sounds
from saltcart.mending.one_by_one import BY_NAME, NEAREST, NOT_FOUND, UNCLEAR, Single, common
from saltcart.mending.places import Places
from saltcart.shelves.true_names import name_key
from saltcart.system import os

ONLY_ONE = "the only folder of its name that holds sounds"


def likely_folders(gone: Sequence[Lost], places: Places, losses: Losses) -> list[Single]:
    """Each lost folder with those that may be meant.  It is likely one of which there is only one, which is named by
    nothing else; and only where no lost sound is known to have been in it, for it would be there too.
    """
    if not gone:
        return []
    sounds = Sounds(places)
    singles = [Single(lost, NOT_FOUND, folders_alike(lost, sounds)) for lost in gone]
    claims = Counter(file for one in singles for file in one.files)
    named = set[str]().union(*losses.named.values())
    held = folders_above(path for path, lost in losses.lost.items() if not lost.folder)
    for one in singles:
        one.why = UNCLEAR if len(one.files) > 1 else one.why
        if len(one.files) == 1 and one.lost.path not in held:
            (there,) = one.files
            if claims[there] == 1 and there not in named:
                one.why, one.evidence = BY_NAME, [ONLY_ONE]
    return singles


def folders_above(paths: Iterable[str]) -> set[str]:
    """All folders in which some files lay, directly or in folders inside."""
    found: set[str] = set()
    for path in paths:
        while (path := os.path.dirname(path)) not in found and path != os.path.dirname(path):
            found.add(path)
    return found


def folders_alike(lost: Lost, sounds: Sounds) -> list[str]:
    """Folders that are called as a lost one is and hold sounds; first those that lie in folders of the same names."""
    alike = sounds.called.get(name_key(os.path.basename(lost.path)), [])
    near = sorted(alike, key=lambda folder: -common(lost.path, folder)) if len(alike) <= MOST_ALIKE else []
    return near[:NEAREST]
