"""What one place of a kind of file teaches: whether its values are paths, in which spelling, starting from where."""

from collections.abc import Iterable, Iterator, Sequence
from itertools import islice
from typing import NamedTuple

from msgspec import Struct

from saltcart.learning.containers import KEYS, Content
from saltcart.learning.ground import Ground, nameable
from saltcart.learning.lessons import Lesson
from saltcart.learning.pieces import parts_tried
from saltcart.ledgers.rules import Parts
from saltcart.patterns import Pattern
from saltcart.shelves.audio import kind_of

TRIED = ("native", "uri", "windows", "drive", "relative", "windows-relative", "uri-reference", "auto")
WHOLE_LINE = Parts(piece=Pattern(r"^(?P<path>[^\r\n]+)"))
MOST_BASES = 12  # folders that paths are tried from
SURE = 0.5  # more than this share of the values must resolve


class Sample(Struct):
    """One file of a kind: what it holds, and what its values are tried against; folders that single values name."""

    path: str
    content: Content
    ground: Ground
    bases: dict[str, str]


class Way(NamedTuple):
    """One way to read a place: its spelling, where its base is, how its values are parted."""

    spelling: str
    base_at: str | None = None
    parts: Parts | None = None


class Count(NamedTuple):
    """How many paths there are, are there, lie in the shelves, are sounds, are folders."""

    total: int = 0
    resolved: int = 0
    inside: int = 0
    sounds: int = 0
    folders: int = 0


def lesson_of(place: str, samples: Sequence[Sample]) -> Lesson | None:
    """The lesson of one place, or None when nothing in it is, or looks like, a path."""
    mine = [sample for sample in samples if place in sample.content.values]
    texts = [text for sample in mine for text in sample.content.values[place]]
    way, found = best_way(place, mine, len(texts))
    entry = mine[0].content.entry(place)
    if not found.resolved:
        if mine[0].content.container == "text" or not look_like_paths(texts):
            return None
        return Lesson(place, "", len(texts), 0, 0, entry, False, "looks like paths, but none is there")
    if way.base_at and way.spelling in ("relative", "auto") and are_names(texts):
        way = way._replace(spelling="name")
    entry |= {"spelling": way.spelling}
    if found.folders * 2 > found.resolved:
        entry["names"] = "folder"
    if way.base_at:
        entry["base_at"] = way.base_at
    entry |= said_of_parts(way.parts, "at" in entry and mine[0].content.container == "text")
    sure, why = judged(found)
    if sure and not way.base_at and not place.endswith(KEYS) and 2 * bare_words(texts, way.parts) > found.total:
        sure, why = False, "bare words, which may be titles; uncomment it if programs look for files of these names"
    return Lesson(place, way.spelling, found.total, found.resolved, found.sounds, entry, sure, why)


def are_names(texts: Iterable[str]) -> bool:
    """Whether some values are all single names: nothing shows that a program would follow a path in their place."""
    return not any("/" in text or "\\" in text for text in texts)


def said_of_parts(parts: Parts | None, at: bool) -> dict[str, object]:
    """What a map says of how values are parted; of a pattern `at` a place of text, or in a value."""
    if parts is None:
        return {}
    return {"at" if at else "piece": parts.piece.pattern} if parts.piece else {"separator": parts.separator}


def look_like_paths(texts: Sequence[str]) -> bool:
    """Whether at least half of some values look like paths."""
    looks = sum((nameable(text) and "/" in text) or "\\" in text for text in texts)
    return bool(looks) and 2 * looks >= len(texts)


def best_way(place: str, samples: Sequence[Sample], total: int) -> tuple[Way, Count]:
    """The way that reads a place best; of those that do as well the first, with no more that leads nowhere."""
    best, most = Way(""), Count(total)
    for way in ways(place, samples):
        found = count(place, samples, way)
        if (found.resolved, found.inside, -found.total) > (most.resolved, most.inside, -most.total):
            best, most = way, found
        if most.resolved == most.inside == total == most.total:
            break  # none can do better
    return best, most


def judged(found: Count) -> tuple[bool, str]:
    """Whether a place holds entries, and why or why not."""
    if not found.inside:
        return False, "what it refers to lies in none of the folders given"
    if found.resolved <= SURE * found.total:
        return False, "most of its values are not there"
    if 2 * max(found.inside, found.sounds + found.folders) < found.resolved:
        return False, "few of these are sounds, folders, or in the shelves"
    return True, ""


def bare_words(values: Sequence[str], parts: Parts | None) -> int:
    """How many paths in the values are single words that do not end like a sound: a label often is a file's name."""
    words = [part for value in values for part in (parts.of(value) if parts else [value])]
    return sum("/" not in word and "\\" not in word and kind_of(word) is None for word in words)


def ways(place: str, samples: Sequence[Sample]) -> Iterator[Way]:
    """The ways to read a place."""
    content = samples[0].content
    if content.container == "text":
        yield from (Way(spelling, None, WHOLE_LINE) for spelling in TRIED)
    else:
        yield from map(Way, TRIED)
    if content.container == "counted" or place.endswith(KEYS):
        return
    if content.container != "sqlite":
        bases = dict.fromkeys(base for sample in samples for base in sample.bases if base != place)
        for base_at in islice(bases, MOST_BASES):
            yield Way("relative", base_at)
            yield Way("auto", base_at)
    texts = [text for sample in samples for text in sample.content.values[place][:100]]
    for parts in parts_tried(texts, samples[0].ground):
        if parts.piece or content.container != "text":
            yield Way("native", None, parts)
            yield Way("auto", None, parts)


def count(place: str, samples: Sequence[Sample], way: Way) -> Count:
    """How well a way reads a place."""
    total, paths, inside = 0, [], 0
    for sample in samples:
        base = sample.bases.get(way.base_at) if way.base_at else None
        for value in sample.content.values[place]:
            parts = way.parts.of(value) if way.parts else [value]
            total += len(parts)
            found = [path for part in parts if (path := sample.ground.resolve(way.spelling, part, base))]
            paths += [(sample.ground.disk, path) for path in found]
    inside = sum(disk.in_shelves(path) for disk, path in paths)
    folders = sum(disk.kind(path) == "folder" for disk, path in paths)
    return Count(total, len(paths), inside, sum(kind_of(path) is not None for _disk, path in paths), folders)
