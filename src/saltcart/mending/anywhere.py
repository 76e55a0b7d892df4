"""Lost sounds found one by one, wherever they lie now: renamed and moved at once, or put in other groups.

What is known of a sound must point to only one file, and that file to only one sound; and since files of one size
meet by chance, something else must agree: its name, its neighbours, or title and artist.
"""

import re
import unicodedata
from collections import Counter, defaultdict
from collections.abc import Collection, Hashable, Iterable, Iterator, Sequence

from msgspec import Struct

from saltcart.mending.evidence import ARTIST, DIGEST, LENGTH, NAME, ROUNDED, TITLE, TOLERANCE, Files, titled
from saltcart.mending.losses import Lost
from saltcart.mending.places import Places
from saltcart.mending.volumes import volumes_differ
from saltcart.shelves.audio import kind_of
from saltcart.shelves.tags import tags_of
from saltcart.system import os

MOST_READ = 20_000  # sounds of which the tags are read for this
FEW = 4  # sounds that have one size by chance
LEAST_TOGETHER, MOSTLY = 3, 0.5  # neighbours that are found together in another folder
SAME_NAME = "name"
PART = re.compile(r"[^\W_]+")


class Match(Struct, frozen=True):
    """The file that a lost sound is now, and what speaks for it; not `sure` where only its name does."""

    file: str
    evidence: list[str]
    sure: bool = True


def matches(left: Sequence[Lost], places: Places, taken: Collection[str], files: Files) -> dict[str, Match]:
    """What each of some lost sounds is now, of the files in `places` that nobody names, by lost path."""
    sounds = [path for path in places.files if path not in taken and kind_of(path)]
    found = by_size([one for one in left if one.size is not None], sounds, files)
    used = {match.file for match in found.values()}
    sounds = [path for path in sounds if path not in used]
    if len(sounds) <= MOST_READ:
        found |= by_tags([one for one in left if one.title and one.path not in found], sounds, files)
        used = {match.file for match in found.values()}
    return found | by_name([one for one in left if one.path not in found], places, used.union(taken), files)


def single(pairs: Iterable[tuple[Hashable, str]]) -> dict[Hashable, str]:
    """The path for each key that only one path has."""
    by_key: dict[Hashable, str | None] = {}
    for key, path in pairs:
        by_key[key] = path if by_key.get(key, path) == path else None
    return {key: path for key, path in by_key.items() if path is not None}


def suffix(path: str) -> str:
    """The end of a name that says what kind of file it is."""
    return os.path.splitext(path)[1].lower()


def words_of(path: str) -> frozenset[str]:
    """The words and numbers in a name, numbers without the zeros before them."""
    stem = unicodedata.normalize("NFC", os.path.splitext(os.path.basename(path))[0]).casefold()
    return frozenset(part.lstrip("0") or "0" for part in PART.findall(stem))


def same_name(lost: str, file: str) -> bool:
    """Whether the one name has all words of the other, and one of these is more than a number."""
    one, other = words_of(lost), words_of(file)
    shared = one & other
    return shared in (one, other) and any(len(word) > 2 and not word.isdecimal() for word in shared)


def by_size(left: Sequence[Lost], sounds: Sequence[str], files: Files) -> dict[str, Match]:
    """Those that share their size with only one file, where name, neighbours or tags agree as well; of a few of one
    size, those that share their names too.
    """
    pairs = dict(pairs_of_one_size(left, sounds, files))
    together = Counter((os.path.dirname(path), os.path.dirname(file)) for path, file in pairs.items())
    inside = Counter(os.path.dirname(one.path) for one in left)
    found: dict[str, Match] = {}
    for one in left:
        file = pairs.get(one.path)
        if file is None or volumes_differ(one.path, file) or (facts := files.facts(one, file)).contradict:
            continue
        folder = os.path.dirname(one.path)
        count = together[folder, os.path.dirname(file)]
        words = list(facts.agree)
        if same_name(one.path, file):
            words.append(SAME_NAME)
        elif count >= LEAST_TOGETHER and count >= MOSTLY * inside[folder]:
            words.append(f"{count} found together")
        elif DIGEST not in words:
            words += agreeing_tags(one, tags_of(file))
        if len(words) > 1 or DIGEST in words:
            found[one.path] = Match(file, words)
    return found


def pairs_of_one_size(left: Sequence[Lost], sounds: Sequence[str], files: Files) -> Iterator[tuple[str, str]]:
    """The lost sounds and files that are alone of their size and kind, or alone of that and of their name."""
    there: defaultdict[Hashable, list[str]] = defaultdict(list)
    here: defaultdict[Hashable, list[str]] = defaultdict(list)
    for path in sounds:
        there[files.size(path), suffix(path)].append(path)
    for one in left:
        here[one.size, suffix(one.path)].append(one.path)
    for key, paths in here.items():
        found = there.get(key, ())
        if len(paths) == len(found) == 1:
            yield paths[0], found[0]
        elif max(len(paths), len(found)) <= FEW:  # of many, a common length is no evidence
            named = [(path, file) for path in paths for file in found if same_name(path, file)]
            for path, file in named:
                if sum(path == other for other, _file in named) == sum(file == other for _path, other in named) == 1:
                    yield path, file


def agreeing_tags(one: Lost, tags: dict[str, str]) -> list[str]:
    """Title and artist, where both agree."""
    title, artist = tags.get(TITLE), tags.get(ARTIST)
    if not (one.title and title and artist and titled(one.title, title)):
        return []
    whole = one.title.casefold() == f"{artist} - {title}".casefold()
    return [TITLE, ARTIST] if whole or (one.artist and titled(one.artist, artist)) else []


def by_tags(left: Sequence[Lost], sounds: Sequence[str], files: Files) -> dict[str, Match]:
    """Those that share title and artist with only one file of their kind, which is as long."""
    if not left:
        return {}
    tags = {path: tags_of(path) for path in sounds}
    there = single(
        ((text, suffix(path)), path)
        for path, some in tags.items()
        if some.get(TITLE) and some.get(ARTIST)
        for text in (some[TITLE].casefold(), f"{some[ARTIST]} - {some[TITLE]}".casefold())
    )
    here = single((((one.title or "").casefold(), suffix(one.path)), one.path) for one in left)
    lost = {one.path: one for one in left}
    found: dict[str, Match] = {}
    for key, path in here.items():
        file = there.get(key)
        words = agreeing_tags(lost[path], tags[file]) if file else []
        if file and words and not volumes_differ(path, file) and as_long(lost[path], file, files):
            found[path] = Match(file, [*words, LENGTH])
    return found


def as_long(one: Lost, file: str, files: Files) -> bool:
    """Whether a file is as long as a lost sound was, if that is known."""
    header = files.header(file) if one.length is not None else None
    return bool(header and not header.trouble and abs(header.seconds - (one.length or 0)) <= (
        ROUNDED if one.rounded else TOLERANCE))  # fmt: skip


def by_name(left: Sequence[Lost], places: Places, taken: Collection[str], files: Files) -> dict[str, Match]:
    """Those of whose name there is only one file, where nothing contradicts that, nor the same of their neighbours."""
    found: dict[str, Match] = {}
    against: set[tuple[str, str]] = set()
    for one in left:
        named = places.namesakes(one.path)
        if len(named) == 1 and named[0] not in taken:
            pair = os.path.dirname(one.path), os.path.dirname(named[0])
            if volumes_differ(one.path, named[0]) or files.facts(one, named[0]).contradict:
                against.add(pair)
            else:
                found[one.path] = Match(named[0], [NAME], sure=False)
    claims = Counter(match.file for match in found.values())
    return {
        path: match
        for path, match in found.items()
        if claims[match.file] == 1 and (os.path.dirname(path), os.path.dirname(match.file)) not in against
    }
