"""Names whose folders are in another place of the same record: in text, where the map says `base_at`; in databases,
where it says `folder`.
"""

from collections.abc import Iterator, Sequence
from functools import partial
from itertools import product

from saltcart.errors import SaltCartError
from saltcart.learning.containers import KEYS, FolderJoin, folder_joins
from saltcart.learning.lessons import Lesson
from saltcart.learning.places import SURE, Sample, are_names
from saltcart.ledgers.rules import At
from saltcart.ledgers.text_ledger import TextLedger
from saltcart.shelves.audio import kind_of
from saltcart.spelling import spelling_named
from saltcart.system import os

MOST_FOLDERS, MOST_PLACES, MOST_ENTRIES = 8, 12, 2000
NAMES_TRIED = ("relative", "windows-relative", "uri-reference")


def joined_lessons(samples: Sequence[Sample]) -> Iterator[Lesson]:
    """The columns of databases whose folders are in another column or table."""
    done: set[str] = set()
    for sample in samples:
        for join in folder_joins(sample.path, sample.content, sample.ground.disk.kind):
            found = [os.path.join(folder, text) for folder, text in join.pairs]
            resolved = [one for one in found if sample.ground.disk.kind(one)]
            place = f"{join.table}.{join.column}"
            enough = len(resolved) > SURE * len(found) and any(map(sample.ground.disk.in_shelves, resolved))
            if place not in done and enough:
                done.add(place)
                yield joined_lesson(join, found, resolved)


def joined_lesson(join: FolderJoin, found: Sequence[str], resolved: Sequence[str]) -> Lesson:
    """A column of names whose folders are in another table."""
    apart = {"table": join.folders, "column": join.path, "key": join.key, "by": join.by}
    entry: dict[str, object] = {
        "table": join.table,
        "column": join.column,
        "folder": apart if join.key else {"column": join.path},
    }
    sounds = sum(kind_of(one) is not None for one in resolved)
    why = f"names in the folders of {join.folders}.{join.path}, " + (
        f"found by {join.table}.{join.by}" if join.key else "in the same row"
    )
    return Lesson(f"{join.table}.{join.column}", "name", len(found), len(resolved), sounds, entry, True, why)


def split_lessons(samples: Sequence[Sample], lessons: Sequence[Lesson]) -> Iterator[Lesson]:
    """The places of text whose names start from the folder at another place of their record, beyond the `lessons`.

    A folder that starts from another folder may be one of them, and others may start from it.
    """
    if samples[0].content.find is None:
        return
    known = {lesson.place for lesson in lessons if lesson.sure}
    folders = {lesson.place: [at_of(lesson)] for lesson in lessons if lesson.entry.get("names") == "folder"}
    places = [place for place in samples[0].content.values if place not in known and not place.endswith(KEYS)]
    waiting = list(folders)[:MOST_FOLDERS]
    while waiting:
        base = waiting.pop(0)
        for place, name in product(places[:MOST_PLACES], NAMES_TRIED):
            if place in known | {base} or (place in folders and not are_names(values_at(place, samples))):
                continue
            rule = At(place, spelling_named(name), "file", base)
            total, paths = named(samples, [rule, *folders[base]])
            disk = samples[0].ground.disk
            folders_alone = all(disk.kind(path) == "folder" for path in paths)
            inside = sum(map(disk.leads_on if folders_alone else disk.in_shelves, paths))
            # Most must lead somewhere, and at least one to what is sought: a wrong folder makes paths too.
            if len(paths) <= SURE * total or not inside:
                continue
            known.add(place)
            lesson = split_lesson(place, base, name, samples)
            lesson.total, lesson.resolved = total, len(paths)
            lesson.sounds = sum(kind_of(path) is not None for path in paths)
            if folders_alone:
                lesson.entry["names"] = "folder"
                folders[place] = [At(place, rule.spelling, "folder", base), *folders[base]]
                waiting.append(place)
            yield lesson
            break


def split_lesson(place: str, base: str, name: str, samples: Sequence[Sample]) -> Lesson:
    """The lesson of a place whose values start from the folder at another; what is only a name stays one."""
    spelling = "name" if name != "uri-reference" and are_names(values_at(place, samples)) else name
    entry = {**samples[0].content.entry(place), "base_at": base, "spelling": spelling}
    return Lesson(place, spelling, 0, 0, 0, entry, True, f"from the folder at {base}")


def values_at(place: str, samples: Sequence[Sample]) -> Iterator[str]:
    """The values at a place of all samples."""
    return (text for sample in samples for text in sample.content.values.get(place, ()))


def at_of(lesson: Lesson) -> At:
    """The rule that a lesson of a folder makes."""
    return At(lesson.place, spelling_named(lesson.spelling or "auto"), "folder")


def named(samples: Sequence[Sample], rules: Sequence[At]) -> tuple[int, list[str]]:
    """How many entries the first of the rules has, and the paths of those that are there."""
    total, paths = 0, []
    for sample in samples:
        find = sample.content.find
        if find is None:
            continue
        ledger = TextLedger(sample.path, "learn", partial(find, rules=rules), wrapper=sample.content.wrapper)
        resolver = sample.ground.disk.resolver
        try:
            for number, entry in enumerate(ledger.entries()):
                if entry.names != "file" or entry.base is None or number > MOST_ENTRIES:
                    continue
                total += 1
                path = resolver.path(entry.spelling, entry.written, resolver.start(entry, sample.ground.folder))
                if path and sample.ground.disk.kind(path):
                    paths.append(path)
        except SaltCartError:
            continue
    return total, paths
