"""Deriving maps for ledgers nobody described: try every value against what is really on the disk.

A value is taken for a path when it resolves in some spelling; a place (column, attribute, key,
chunk) is taken for one of entries when most of its values do and some lie in the shelves that
were named.  What merely looks like a path (a title, where a track was first imported from, log
lines) is reported, and is in the map commented out.  Files of one kind are learnt from together: a
place that is seen in any of them counts for all.
"""

import json
import re
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import suppress
from functools import partial
from itertools import islice, product

from msgspec import convert

from saltcart.errors import BadLedger, CannotSpell, SaltCartError, show
from saltcart.judging.resolver import Resolver
from saltcart.learning.containers import KEYED, Content, contents, general, generalised
from saltcart.learning.ground import NO_PAST, Disk, Ground, Past
from saltcart.learning.identifying_columns import column_facts
from saltcart.learning.lessons import Learnt, Lesson, Proof
from saltcart.learning.map_text import map_text, suffix_of, with_remark
from saltcart.learning.means import proposed_means
from saltcart.learning.places import Sample, bare_words, lesson_of
from saltcart.learning.records import joined_lessons, named, split_lessons
from saltcart.ledgers.base import Ledger
from saltcart.ledgers.kinds import head_of, open_ledger
from saltcart.ledgers.map_file import EntryLine
from saltcart.ledgers.maps import Map, column_rule, load_map
from saltcart.ledgers.rules import NUMBER, At
from saltcart.ledgers.sqlite.opening import claims, reading, tables
from saltcart.ledgers.text_ledger import TextLedger
from saltcart.ledgers.wrappers import GZIP_MAGIC, ZIP_MAGIC
from saltcart.mentions.content import UNREADABLE, mentions_in
from saltcart.mentions.search import known_as, search
from saltcart.mentions.search_places import forms_of
from saltcart.progress import Progress, silent
from saltcart.rewriting.routes import Routes
from saltcart.rewriting.staging import on_trial
from saltcart.shelves.true_names import true_path
from saltcart.spelling import Meanings, Move, Moves, spelling_named
from saltcart.system import os

STRUCTURED = ("sqlite", "xml", "json", "plist", "chunks")
TRIAL = "saltcart trial"
# How programs call the folder in which they put what comes next; said of one of several that stand alone.
NEW_WORDS = re.compile(r"(?i)new|default|record|import|export|download|save|store|output|target")
MOST_TOGETHER = 40  # files of a kind that a map is derived from; it is proven on all
MOST_LESSONS = 200  # places of a map; what it leaves out is counted when it is proven
MOST_READ_BACK = 200  # entries of which one must lead somewhere
MOST_WITH_FACTS = 40  # columns of paths of which it is asked what the columns beside them say


def unknown_files(
    places: Sequence[str],
    against: Sequence[str],
    means: Sequence[str] = (),
    maps: Sequence[Map] = (),
    progress: Progress = silent,
) -> list[str]:
    """The files at, and those below, `places` that name one of the shelves and that no open format and none of the maps
    reads; files that were given are all taken.  Raises BadLedger for what is neither file nor folder.
    """
    for place in places:
        if not os.path.isfile(place) and not os.path.isdir(place):
            what = "is not a file, so nothing can be learnt of it" if os.path.lexists(place) else "is not there"
            raise BadLedger(place, what, "Check the path; if its drive is not connected, connect it.")
    files = [true_path(place) for place in places if not os.path.isdir(place)]
    folders = [place for place in places if os.path.isdir(place)]
    found = search(forms_of([true_path(shelf) for shelf in against], means), folders, progress).found if folders else []
    more = [true_path(one.path) for one in found if one.live() and not known_as(one.path, maps)]
    return list(dict.fromkeys([*files, *more]))


def kinds_of(paths: Sequence[str]) -> list[list[str]]:
    """Files in groups of one kind: the same ending and beginning, and of databases the same tables.

    Files that cannot be read are a kind of their own: none.
    """
    groups: dict[object, list[str]] = {}
    for path in paths:
        try:
            groups.setdefault(kind_of_file(path), []).append(path)
        except UNREADABLE:
            groups.setdefault(path, []).append(path)
    return list(groups.values())


def kind_of_file(path: str) -> tuple[object, ...]:
    """What files of one kind have in common."""
    head = head_of(path)
    if claims(head):
        with reading(path) as (connection, _uri):
            return suffix_of(path), tuple((table, tuple(columns)) for table, columns in tables(connection))
    wrapping = next((magic for magic in (GZIP_MAGIC, ZIP_MAGIC) if head.startswith(magic)), b"")
    return suffix_of(path), wrapping or head.lstrip(b"\xef\xbb\xbf\xff\xfe \t\r\n\0")[:1] or b"", b"\0" in head


def learn(
    paths: Sequence[str],
    against: Sequence[str],
    means: Sequence[str] = (),
    name: str | None = None,
    past: Past = NO_PAST,
) -> Learnt:
    """Derive a map for the files of one kind at `paths`, trying their values against the shelves `against`, or against
    what lay there in the `past`.

    Raises BadLedger when they are no container that is known, or cannot be read.
    """
    try:
        return learnt_of([true_path(path) for path in paths], against, means, name, past)
    except SaltCartError:
        raise
    except UNREADABLE as error:
        raise BadLedger(paths[0], f"cannot be read ({error})", "Restore it from a backup, or leave it out.") from error


def learnt_of(paths: list[str], against: Sequence[str], means: Sequence[str], name: str | None, past: Past) -> Learnt:
    """The same for true paths."""
    disk = Disk([true_path(shelf) for shelf in against], Resolver(Meanings(means)), means, past)
    best: tuple[int, list[Sample], list[Lesson]] | None = None
    for samples in readings(paths[:MOST_TOGETHER], disk):
        lessons = list(lessons_of(samples))[:MOST_LESSONS]
        weight = sum(lesson.resolved for lesson in lessons if lesson.sure)
        if best is None or weight > best[0]:
            best = (weight, samples, lessons)
        if weight and samples[0].content.container in STRUCTURED:
            break  # lines of it would say no more
    if best is None:
        raise BadLedger(
            paths[0],
            "is no container that is known here",
            "A signpost can serve its program; see also saltcart check --traces.",
        )
    _weight, samples, lessons = best
    content = samples[0].content
    if content.container == "sqlite":
        add_facts(samples[0].path, lessons, disk)
    stem = os.path.splitext(os.path.basename(paths[0]))[0].encode("utf-8", "replace").decode()
    text = map_text(paths, content, lessons, name or stem)
    proofs = prove(text, paths, disk) if any(lesson.sure for lesson in lessons) else [Proof(path) for path in paths]
    lost = {lesson.place for lesson in lessons if not lesson.resolved}
    values = (text for sample in samples for place in lost for text in sample.content.values.get(place, ()))
    proposed = proposed_means(values, disk.shelves)
    return Learnt(name or stem, content.container, lessons, with_remark(text, proofs), proofs, proposed)


def readings(paths: Sequence[str], disk: Disk) -> Iterator[list[Sample]]:
    """The ways to read these files, each as one sample of every file that it reads."""
    found: dict[str, list[tuple[str, Content]]] = {}
    for path in paths:
        for content in contents(path):
            key = json.dumps([content.container, content.options], sort_keys=True)
            found.setdefault(key, []).append((path, content))
    for group in found.values():
        if group[0][1].container in KEYED:
            names = general(dict.fromkeys(place for _path, content in group for place in content.values))
            for _path, content in group:
                content.values = generalised(content.values, names)
        yield [sample_of(path, content, disk) for path, content in group]


def sample_of(path: str, content: Content, disk: Disk) -> Sample:
    """One file as it is read in one way."""
    ground = Ground(os.path.dirname(path), disk)
    single = {place: values[0] for place, values in content.values.items() if len(values) == 1}
    return Sample(
        path,
        content,
        ground,
        {place: folder for place, text in single.items() if (folder := ground.folder_value(text))},
    )


def lessons_of(samples: Sequence[Sample]) -> Iterator[Lesson]:
    """What each place teaches; places whose values never look like paths are passed over."""
    lessons = list(joined_lessons(samples))
    done = {lesson.place for lesson in lessons}
    for place in dict.fromkeys(place for sample in samples for place in sample.content.values):
        if place not in done and (lesson := lesson_of(place, samples)):
            lessons.append(lesson)
    more = list(split_lessons(samples, lessons))
    better = {lesson.place for lesson in more}
    kept = [*(lesson for lesson in lessons if lesson.place not in better), *more]
    yield from with_default(without_labels(kept, samples), samples)


def without_labels(lessons: list[Lesson], samples: Sequence[Sample]) -> list[Lesson]:
    """The lessons, those of labels unsure: of single words that lead, from a folder named elsewhere, only to what other
    places of the file name in full, or to what holds that.
    """
    whole = [one for one in lessons if one.sure and "base_at" not in one.entry and "table" not in one.entry]
    explained: set[str] | None = None
    for lesson in lessons:
        texts = [text for sample in samples for text in sample.content.values.get(lesson.place, ())]
        if not lesson.sure or "base_at" not in lesson.entry or 2 * bare_words(texts, None) <= len(texts):
            continue
        explained = named_in_full(whole, samples) if explained is None else explained
        base = str(lesson.entry["base_at"])
        rules = [At(lesson.place, spelling_named(lesson.spelling), "file", base)]
        _total, paths = named(samples, [*rules, At(base, spelling_named("auto"), "folder")])
        if paths and explained.issuperset(map(os.path.normpath, paths)):
            lesson.sure, lesson.why = False, "labels: the full path is beside them"
    return lessons


def named_in_full(lessons: Sequence[Lesson], samples: Sequence[Sample]) -> set[str]:
    """What the values of these lessons lead to, and the folders that hold it."""
    found: set[str] = set()
    for lesson, sample in product(lessons, samples):
        for text in sample.content.values.get(lesson.place, ()):
            path = os.path.normpath(sample.ground.resolve(lesson.spelling, text) or "/")
            while path != os.path.dirname(path):
                found.add(path)
                path = os.path.dirname(path)
    return found


def is_one_place(place: str) -> bool:
    """Whether a place is no pattern for several."""
    return "*" not in place and NUMBER not in place


def with_default(lessons: list[Lesson], samples: Sequence[Sample]) -> list[Lesson]:
    """The lessons, the one of the folder for new things marked: it is a single value, beside folders in a list."""
    folders = [one for one in lessons if one.sure and one.entry.get("names") == "folder" and "base_at" not in one.entry]
    bases = {one.entry.get("base_at") for one in lessons}
    most = {one.place: max(len(sample.content.values.get(one.place, ())) for sample in samples) for one in folders}
    alone = [one for one in folders if most[one.place] == 1 and one.place not in bases and is_one_place(one.place)]
    if len(alone) == len(folders):
        return lessons  # any of them may be what its program looks through
    said = [one for one in alone if NEW_WORDS.search(re.split(r"[/.@]", one.place)[-1])]
    for one in said if len(said) == 1 else alone if len(alone) == 1 else ():
        one.entry["means"] = "default"
    return lessons


def add_facts(path: str, lessons: Sequence[Lesson], disk: Disk) -> None:
    """Add to the sure lessons what the columns beside them say of the same sounds."""
    whole = [lesson for lesson in lessons if lesson.sure and not lesson.entry.keys() & {"separator", "piece"}]
    for lesson in [lesson for lesson in whole if lesson.entry.get("names") != "folder"][:MOST_WITH_FACTS]:
        with suppress(OSError, SaltCartError):  # a sound that cannot be read tells nothing
            lesson.beside = column_facts(path, column_rule(convert(lesson.entry, EntryLine)), disk)


def prove(text: str, paths: Sequence[str], disk: Disk) -> list[Proof]:
    """Read the files back through their map, and rewrite each on trial as if the shelves moved."""
    with tempfile.TemporaryDirectory(prefix="saltcart-") as folder:
        place = os.path.join(folder, "map.toml")
        with open(place, "w", encoding="utf-8") as stream:
            stream.write(text)
        try:
            plan = load_map(place)
        except SaltCartError as error:
            return [Proof(path, trouble=error.what) for path in paths]
        return [proof_of(path, plan, disk) for path in paths]


def read_back(ledger: Ledger, disk: Disk) -> Iterator[str]:
    """The paths that some entries of a ledger mean."""
    start = partial(disk.resolver.start, folder=os.path.dirname(ledger.path))
    for entry in islice(ledger.entries(), MOST_READ_BACK):
        if path := disk.resolver.path(entry.spelling, entry.written, start(entry)):
            yield path


def proof_of(path: str, plan: Map, disk: Disk) -> Proof:
    """What the map makes of one file, written on trial."""
    proof, own = Proof(path), os.path.dirname(path)
    try:
        ledger = open_ledger(path, [plan], plan.name)
        if isinstance(ledger, TextLedger):
            ledger.untrusted = ""  # what is written here is thrown away
        proof.entries = sum(sum(map(batch.names_a_file, batch.texts)) for batch in ledger.batches())
        # To neighbours on the same drive, so that paths from the drive's top can be written too.
        moves = Moves(Move(old, f"{os.path.dirname(old)}/{TRIAL} {at}") for at, old in enumerate(disk.shelves))
        changes = Routes(moves, disk.resolver).changes(ledger, own, own)
        with on_trial(ledger, changes) as trial:
            left = mentions_in(trial, forms_of(disk.shelves, disk.means), own)
        proof.rewritten = changes.count(ledger)
        proof.uncovered, proof.spots = left.live(known=True), left.spots
        if proof.entries and not any(disk.kind(path) for path in read_back(ledger, disk)):
            proof.trouble = f"nothing that {show(os.path.basename(path))} refers to is where the map says"
    except UNREADABLE as error:
        proof.trouble, proof.refused = getattr(error, "what", str(error)), isinstance(error, CannotSpell)
    if plan.counting and proof.uncovered and not proof.trouble:
        proof.trouble = f"not every mention in {show(os.path.basename(path))} has its length before it"
    return proof
