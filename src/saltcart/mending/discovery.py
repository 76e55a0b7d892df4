"""Finding the ledgers that refer to lost sounds when nobody named any: everything was dragged, and nothing works.

Every file that may refer to something is read for texts that look like paths to sounds and lead nowhere.  Where files
of those names lie now says what went where.  Then all that names the old places is searched for, and for files in no
known format maps are learnt as if everything still lay there: a *mirror* shows what is at the new place at the old one.
"""

import html
import os
import re
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from functools import lru_cache
from itertools import islice
from urllib.parse import unquote

from msgspec import Struct, field
from msgspec.structs import replace

from saltcart.cart import Cart
from saltcart.drives import Presence
from saltcart.drives.drive import mount_of
from saltcart.home import home
from saltcart.learning.ground import Past
from saltcart.learning.learn import kinds_of, learn
from saltcart.ledgers import Map, load_map
from saltcart.ledgers.sqlite.opening import claims, reading, tables
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.mending.losses import ELSEWHERE
from saltcart.mending.places import Places, name_key, usual_places
from saltcart.mending.rules import parting
from saltcart.mentions.automaton import Automaton
from saltcart.mentions.content import UNREADABLE
from saltcart.mentions.packed import Budget, is_packed, unpacked
from saltcart.mentions.search import Search, Walked, candidates, known_as, search
from saltcart.mentions.search_places import forms_of, other_drives, shared_places
from saltcart.planning.account import keep_map, worth
from saltcart.progress import Progress, Tick, silent
from saltcart.shelves.audio import KINDS, kind_of
from saltcart.shelves.oddities import litter
from saltcart.shelves.true_names import true_path
from saltcart.spelling.moves import tail_below

LARGEST = 16 << 20  # bytes of a file that are read for evidence
MOST_ROWS = 5000  # texts of a column that are looked at
MOST_TEXTS = 100_000  # in one file
MOST_MIRRORS, LEAST_SHOWN = 40, 2  # sounds, or folders of such, that a mirror must show
MOST_ALIKE = 20  # folders of one name
LONGEST = 4096  # characters of a path
ENDING = re.compile(rf"(?:{'|'.join(map(re.escape, KINDS))})(?![A-Za-z0-9])", re.IGNORECASE)
APART = re.compile(r"[\0-\x1f\"<>|*?\ufffd]+")  # what no name of a sound has
MARKS = Automaton([form for name in KINDS for form in (name.encode(), name.encode("utf-16-le")[:-1])])
Meanings = dict[str, tuple[str, ...]]  # of each text the paths that it may mean, none of which is there


class Discovery(Struct):
    """Ledgers that refer to lost sounds, maps for those in no known format, and how many files were read for that.

    Files that are `unknown` name so many sounds that are gone, and nobody can read them as ledgers.  So many sounds are
    `gone` in all, though they lie elsewhere now.
    """

    ledgers: list[str] = field(default_factory=list)
    maps: list[Map] = field(default_factory=list)
    read: int = 0
    unknown: dict[str, int] = field(default_factory=dict)
    gone: int = 0


class Mirror(Struct):
    """What lay below `old` lies below `new`; `shown` are the paths that speak for it."""

    old: str
    new: str
    shown: list[str] = field(default_factory=list)

    def tops(self) -> set[str]:
        """The folders below the old place in which something was."""
        return {f"{self.old}/{path[len(self.old) + 1 :].partition('/')[0]}" for path in self.shown}


def discover(cart: Cart, maps: Sequence[Map], inside: Sequence[str] = (), progress: Progress = silent) -> Discovery:
    """Look through this user's files, and all drives, for ledgers that lost sounds; these are looked for `inside` some
    places, or the usual ones.
    """
    user = os.path.expanduser("~")
    folders = [user, *shared_places(), *cart.places, *other_drives(cart), *inside]
    found = Discovery()
    lost: dict[str, Meanings] = {}
    for path in files_in(folders):
        found.read += 1
        progress(Tick("look for ledgers", path, found.read, 0))
        if missing := missing_in(path):
            lost[true_path(path)] = missing
    waiting = [path for path, some in lost.items() if any(is_sound(*pair) for pair in some.items())]
    lost = without_offline(lost, Presence(cart.drives))
    places = Places(list(inside) or [*usual_places(cart, []), user], progress)
    mirrors = all_mirrors(lost, places)
    found.gone = len(set().union(*(mirror.shown for mirror in mirrors)))
    tops = sorted(set().union(*(mirror.tops() for mirror in mirrors)))[:MOST_MIRRORS]
    gone = {path: sum(is_sound(text, meant) for text, meant in some.items()) for path, some in lost.items()}
    naming = [path for path, some in lost.items() if gone[path] or explained(some, mirrors)]
    there = [one for one in folders if os.path.isdir(one)]
    more = search(forms_of(tops), there, progress, naming).found if tops else []
    naming += [true_path(one.path) for one in more if one.live() and not litter(os.path.basename(one.path))]
    found.maps = learnt_before(maps) if lost else []
    found.ledgers = [path for path in dict.fromkeys([*naming, *waiting]) if known_as(path, [*maps, *found.maps])]
    unknown = [path for path in dict.fromkeys(naming) if path not in found.ledgers]
    if unknown:
        past = Past([(mirror.old, mirror.new) for mirror in mirrors], sizes=sizes_of(places))
        teach_all(unknown, lost, tops, past, found)
    found.unknown = {path: count for path, count in gone.items() if count and path not in found.ledgers}
    return found


def without_offline(lost: Mapping[str, Meanings], presence: Presence) -> dict[str, Meanings]:
    """What files name that is gone; what only waits for a drive is not."""
    away = lru_cache(maxsize=None)(presence.away)
    found: dict[str, Meanings] = {}
    for path, some in lost.items():
        left = {
            text: meant
            for text, meant in some.items()
            if not any((why := away(os.path.dirname(one))) and ELSEWHERE not in why for one in meant)
        }
        if any(left.values()):
            found[path] = left
    return found


def sizes_of(places: Places) -> frozenset[int]:
    """The sizes in bytes of all sounds that are there."""
    sizes: set[int] = set()
    for path in filter(kind_of, places.files):
        with suppress(OSError):
            sizes.add(os.path.getsize(path))
    return frozenset(sizes)


def teach_all(
    unknown: Sequence[str], lost: Mapping[str, Meanings], tops: Sequence[str], past: Past, found: Discovery
) -> None:
    """Learn maps for files of any kinds by what mirrors show; where that is too little, by where their sounds were."""
    for group in kinds_of(unknown):
        teach(group, tops, past, found)
        left = [path for path in group if path not in found.ledgers]
        texts = (pair for path in left for pair in lost.get(path, {}).items())
        if once := frozenset(path for text, meant in texts if is_sound(text, meant) for path in meant):
            teach(left, outermost_of(once), replace(past, once=once), found)


def learnt_before(maps: Sequence[Map]) -> list[Map]:
    """The maps that were learnt for files of this computer, but for those of names that are taken."""
    names = {plan.name for plan in maps}
    found: list[Map] = []
    for path in sorted((home() / "maps").glob("*.toml")):
        with suppress(*UNREADABLE):
            plan = load_map(str(path))
            if plan.name not in names:
                names.add(plan.name)
                found.append(plan)
    return found


def is_sound(text: str, meant: Sequence[str]) -> bool:
    """Whether a text can only be the full path of a sound."""
    return len(meant) == 1 and ENDING.search(text) is not None


def explained(some: Meanings, mirrors: Sequence[Mirror]) -> bool:
    """Whether a mirror shows something of what a file lost."""
    shown = {path for mirror in mirrors for path in mirror.shown}
    return any(not shown.isdisjoint(meant) for meant in some.values())


def files_in(tops: Iterable[str]) -> Iterator[str]:
    """The files below some folders that may refer to something, but what programs keep as backups."""
    seen: set[str] = set()
    for top in dict.fromkeys(os.path.realpath(top) for top in tops if os.path.isdir(top)):
        for path, _item in candidates(top, Walked(Search([top]), frozenset(), [])):
            if path not in seen and not litter(os.path.basename(path)):
                seen.add(path)
                yield path


def missing_in(path: str) -> Meanings:
    """The texts of a file that look like paths to sounds and lead nowhere: as full paths, or from its folder and from
    the top of its drive.  Names alone may lie in any folder that is named beside them, and mean nothing by themselves.
    """
    missing: Meanings = {}
    starts = tuple(dict.fromkeys([os.path.dirname(path), mount_of(path)]))
    with suppress(*UNREADABLE):
        for text in islice(texts_in(path), MOST_TEXTS):
            meant = paths_of(text, starts) if text[:1] == "/" or ENDING.search(text) else ()
            if meant and not any(map(os.path.lexists, meant)):
                missing[text] = meant
            elif not meant and ENDING.search(text) and "/" not in text:
                missing[text] = ()
    return missing if any(missing.values()) else {}


def paths_of(text: str, starts: Sequence[str]) -> tuple[str, ...]:
    """The paths that a text may mean."""
    if text.startswith("file:"):
        text = unquote(text.removeprefix("file:"), errors="surrogateescape").lstrip("/").removeprefix("localhost/")
        text = f"/{text}"
    if len(text) > LONGEST or text[0] in "$%~{" or "://" in text or text.count("/") < 1:
        return ()
    return (os.path.normpath(text),) if text[0] == "/" else tuple(os.path.normpath(f"{one}/{text}") for one in starts)


def texts_in(path: str) -> Iterator[str]:
    """The texts of a file that end like the name of a sound: cells of a database, else runs of text."""
    with open(path, "rb") as stream:
        head = stream.read(4096)
        if claims(head):
            yield from cells_of(path)
        elif is_packed(head):
            stream.seek(0)
            for inner in unpacked(head, stream, "", Budget(os.fstat(stream.fileno()).st_size)):
                yield from runs_in(inner.stream.read(LARGEST))
        else:
            yield from runs_in(head + stream.read(LARGEST))


def cells_of(path: str) -> Iterator[str]:
    """The texts in the columns of a database, of each the first ones; of folders and names in two columns, together."""
    with reading(path) as (connection, _uri):
        for table, columns in tables(connection):
            for column in columns:
                name = quoted(column)
                words = f"SELECT DISTINCT {name} FROM {quoted(table)} WHERE typeof({name}) = 'text' LIMIT {MOST_ROWS}"
                for (text,) in connection.execute(words):
                    yield text if isinstance(text, str) else os.fsdecode(text)


def runs_in(data: bytes) -> Iterator[str]:
    """The runs of text in some content that end like the name of a sound, as its escapes mean them."""
    if not MARKS.any_in(data.lower()):
        return
    wide = data.count(b"\0") > len(data) // 4
    for shift in (0, 1) if wide else (0,):
        text = decoded(data[shift:], wide).replace("\\/", "/")
        for run in APART.split(html.unescape(text) if "&" in text else text):
            for found in ending_in(run):
                key, sign, value = found.partition("=")
                yield (value if sign and "/" not in key else found).strip(" \t'")


def ending_in(run: str) -> Iterator[str]:
    """What of a run of text ends like the name of a sound; in time that follows its length, whatever it holds."""
    start = 0
    for found in ENDING.finditer(run):
        yield run[max(start, found.end() - LONGEST) : found.end()]
        start = found.end()


def decoded(data: bytes, wide: bool) -> str:
    """Some content as text, of whatever encoding."""
    try:
        return data.decode("utf-16-le" if wide else "utf-8", "replace" if wide or b"\0" in data else "strict")
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace")


def holding_sounds(places: Places) -> dict[str, list[str]]:
    """The folders in which sounds lie, by their names."""
    inside: set[str] = set()
    for path in places.files:
        folder = path.rpartition("/")[0]
        while kind_of(path) and folder not in inside and folder in places.folders:
            inside.add(folder)
            folder = folder.rpartition("/")[0]
    named: defaultdict[str, list[str]] = defaultdict(list)
    for folder in inside:
        named[name_key(os.path.basename(folder))].append(folder)
    return named


def all_mirrors(lost: Mapping[str, Meanings], places: Places) -> list[Mirror]:
    """What went where, as full paths show; and, as relative ones do in files that went along: in others these may start
    from a folder that is told elsewhere, and lead somewhere.
    """
    full: list[Meanings] = [{text: paths for text, paths in some.items() if len(paths) < 2} for some in lost.values()]
    mirrors = mirrors_of(full, places)
    along = [some for path, some in lost.items() if any(tail_below(path, mirror.new) for mirror in mirrors)]
    relative = [{text: paths for text, paths in some.items() if len(paths) > 1} for some in along]
    return mirrors + mirrors_of(relative, places)


def mirrors_of(lost: Iterable[Meanings], places: Places) -> list[Mirror]:
    """What lay where, and where it lies now: those that explain most texts first, each of them by one alone."""
    votes: defaultdict[tuple[str, str], dict[str, str]] = defaultdict(dict)
    folders = holding_sounds(places)
    for some in lost:
        names = [text for text, paths in some.items() if not paths]
        for text, path in ((text, path) for text, paths in some.items() for path in paths):
            key = name_key(os.path.basename(path))
            for found in places.called(path) if ENDING.search(text) else folders.get(key, [])[:MOST_ALIKE]:
                old, new, count, _exact = parting(path, found)
                if count and old != "/":
                    votes[old, new][text] = path
                    inside = (name for name in names if f"{found}/{name}" in places.files)
                    votes[old, new] |= {f"{path}/{name}": f"{path}/{name}" for name in inside}
    mirrors: list[Mirror] = []
    explained: set[str] = set()
    for (old, new), texts in sorted(votes.items(), key=lambda pair: (-len(pair[1]), pair[0])):
        left = [path for text, path in texts.items() if text not in explained]
        if len(left) >= LEAST_SHOWN and len(mirrors) < MOST_MIRRORS:
            mirrors.append(Mirror(old, new, left))
            explained.update(texts)
    return mirrors


def outermost_of(paths: Iterable[str]) -> list[str]:
    """The folders in which some files were, without those that lay in others."""
    folders = sorted({path.rpartition("/")[0] for path in paths}, key=len)
    found: list[str] = []
    for folder in folders:
        if folder and not any(tail_below(folder, other) is not None for other in found):
            found.append(folder)
    return found[:MOST_MIRRORS]


def teach(paths: Sequence[str], tops: Sequence[str], past: Past, found: Discovery) -> None:
    """Learn a map for files of one kind, and take those that it reads."""
    with suppress(*UNREADABLE):
        lesson = learn(paths, tops, past=past) if tops else None
        if lesson is None:
            return
        if any(map(worth, lesson.proofs)):
            found.maps.append(keep_map(lesson.map_text))
            found.ledgers += [proof.path for proof in lesson.proofs if worth(proof)]
