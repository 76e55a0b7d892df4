"""The paths of sounds in a document whose folders are records in each other: each has its own name, and nothing in it
is a path.

As in a database with a tree of folders, which of the names in a record is that of a folder is only told by what comes
of it: of several the one by which most sounds are there, or most are told apart.
"""

import json
import re
from collections.abc import Iterable, Iterator, Mapping
from contextlib import suppress
from itertools import islice
from typing import NamedTuple
from xml.parsers import expat

from saltcart.ledgers.containers import plist
from saltcart.ledgers.containers.records import parse
from saltcart.mentions.automaton import Automaton
from saltcart.mentions.folder_trees import SAMPLE, is_sound, likely
from saltcart.mentions.packed import TooMuch
from saltcart.shelves.audio import KINDS
from saltcart.system import os

LARGEST = 8 << 20  # bytes of a document that is read whole
DEEPEST = 100  # records in each other
MOST_NAMES = 12  # fields that may hold the names of folders
MOST_SOUNDS, MOST_RECORDS = 100_000, 200_000
LONGEST = 255  # bytes of a name
BARE = re.compile(rb"[\"'>][^\"'<>/]{1,255}(?:%s)\s*[\"'<]" % b"|".join(map(re.escape, map(str.encode, KINDS))), re.I)
MARKS = Automaton([form for name in KINDS for form in (name.encode(), name.encode("utf-16-be"))])
FULL = re.compile(r"/|[A-Za-z]:(?:[\\/]|$)")  # how a full path begins, or what holds all folders of a drive
# Fields that hold the name by which a record is in another; of arrays, which may be folders or not, the one alone.
KEY, KEY_OF_OBJECT = "(name)", "(name of an object)"
ANY = "(any)"  # the folder that records are in, whatever their names are called
OWN, INSIDE, BESIDE = "own", "inside", "beside"  # a record is the sound, or the folder of it, or is in the same one
Paths = Mapping[str, str]  # by the field that names folders, the path of a record, or of what it is in


class Way(NamedTuple):
    """A way to read a document: the field that names folders, where that of a sound is named, the field of sounds."""

    folders: str
    where: str
    field: str


class Record(NamedTuple):
    """One record of a document: its texts, each with the name of its field or "", and the records in it."""

    texts: list[tuple[str, str]]
    inside: list["Record"]


def nested_sounds(data: bytes) -> tuple[list[str], bool]:
    """The full paths of the sounds that a JSON, XML or property-list document names by records in each other, and
    whether all of it was looked at.
    """
    binary = data.startswith(plist.MAGIC)
    if not binary and data[:512].count(b"\0") > 100:
        data = in_bytes(data)
    if not (MARKS.any_in(data.lower()) if binary else BARE.search(data)):
        return [], True
    if len(data) > LARGEST:
        return [], False
    try:
        top = record_in(data, binary or b"<plist" in data[:1024])
    except TooMuch:
        return [], False
    except (ValueError, RecursionError, expat.ExpatError):  # what is broken, or of no known kind
        top = None
    return best_paths(top) if top else ([], True)


def in_bytes(data: bytes) -> bytes:
    """A text in UTF-16 as one in UTF-8."""
    coding = "utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-16-be" if not data[0] else "utf-16-le"
    return data.decode(coding, "replace").encode("utf-8", "replace")


def record_in(data: bytes, is_plist: bool) -> Record | None:
    """A document as a record; None for what is none of the known kinds.  ValueError when it is broken."""
    start = data[:256].lstrip(b"\xef\xbb\xbf\xff\xfe \t\r\n\0")[:1]
    if is_plist:
        return Records().of(plist.loaded(data))
    if start == b"<":
        return XmlRecords(data).top
    return Records().of(json.loads(data)) if start in (b"{", b"[") else None


class Records:
    """Makes records of objects and arrays, but not without end: a binary property list may hold one very often."""

    def __init__(self) -> None:
        self.left = MOST_RECORDS

    def of(self, value: object, key: str = "", depth: int = 0) -> Record:
        """The record of an object or array, which another has under that key.  TooMuch when there are too many."""
        self.left -= 1
        if not self.left:
            raise TooMuch("holds too much")
        named = [(KEY, key)] if key else []
        if depth == DEEPEST:
            return Record(named, [])
        if isinstance(value, dict):
            pairs = [(str(name), one) for name, one in value.items()]
            named += [(KEY_OF_OBJECT, key)] if key else []
        else:
            pairs = [("", one) for one in value] if isinstance(value, list) else []
        texts = [(name, one) for name, one in pairs if isinstance(one, str)]
        return Record(
            named + texts, [self.of(one, name, depth + 1) for name, one in pairs if isinstance(one, dict | list)]
        )


class XmlRecords:
    """Reads a document: its elements are records, but for those that hold only a text, which are fields."""

    def __init__(self, data: bytes):
        self.top = Record([], [])
        self.open = [self.top]
        self.text: list[str] = []
        parser = expat.ParserCreate()
        parser.StartElementHandler, parser.EndElementHandler = self.begin, self.end
        parser.CharacterDataHandler = self.text.append
        parse(parser, data)

    def begin(self, _name: str, attributes: dict[str, str]) -> None:
        """An element begins: with the texts that its attributes hold."""
        self.text.clear()
        self.open.append(Record(list(attributes.items()), []))

    def end(self, name: str) -> None:
        """An element ends."""
        one, holder, text = self.open.pop(), self.open[-1], "".join(self.text).strip()
        self.text.clear()
        if text and not one.texts and not one.inside:
            holder.texts.append((name, text))
        else:
            one.texts.extend([("", text)] if text and not one.inside else [])
            holder.inside.append(one)


def best_paths(top: Record) -> tuple[list[str], bool]:
    """The paths that the likeliest of the ways to read a document makes of its sounds, and whether these are all.

    Some sounds tell which way that is: to keep the paths of all by each way would take far more than the document.
    """
    best = best_way(list(islice(sounds_of(top), SAMPLE)))
    if best is None:
        return [], True
    paths: dict[str, None] = {}
    for count, sound in enumerate(sounds_of(top)):
        if count == MOST_SOUNDS:
            return [], False
        if path := path_by(best, dict(sound)):
            paths[path] = None
    return list(paths), True


def best_way(sounds: list[list[tuple[Way, str]]]) -> Way | None:
    """The likeliest way to read some sounds; None when none leads to a folder of this computer."""
    ways = dict.fromkeys(way for sound in sounds for way, _path in sound)
    known = [dict(sound) for sound in sounds]
    some = {way: list(dict.fromkeys(filter(None, (path_by(way, one) for one in known)))) for way in ways}
    able = [(way, paths) for way, paths in some.items() if any(map(is_of_here, paths))]
    return max(able, key=how_likely)[0] if able else None


def path_by(way: Way, sound: Mapping[Way, str]) -> str | None:
    """The path of a sound by one way; where no folder has a name yet, the sound is in the one that holds all."""
    return sound.get(way) or sound.get(Way(ANY, INSIDE, way.field))


def how_likely(one: tuple[Way, list[str]]) -> tuple[int, ...]:
    """What tells which of several ways is right: as for trees; then, in how many folders these are, by names that are
    meant for that, and how deep.
    """
    way, paths = one
    folders, named = len({os.path.dirname(path) for path in paths}), way.folders not in (ANY, KEY, KEY_OF_OBJECT)
    return *likely(paths), folders, int(named), -sum(path.count("/") for path in paths)


def is_of_here(path: str) -> bool:
    """Whether a path leads on from a folder of this computer that lies in another: names of bookmarks do not."""
    while path not in ("", "/") and not os.path.isdir(path):
        path = os.path.dirname(path)
    return path.count("/") > 1 or not path.startswith("/")


def sounds_of(top: Record) -> Iterator[list[tuple[Way, str]]]:
    """For each sound in a document its paths, each with the way to read it that makes it."""
    first: set[str] = set()
    with suppress(OSError):
        first = {name for name in os.listdir("/") if os.path.isdir(f"/{name}")}
    waiting: list[tuple[Record, Paths]] = [(top, {})]
    while waiting:
        record, above = waiting.pop()
        paths = paths_of(record, above, first)
        for field, name in record.texts:
            if is_sound(name):
                own = [(Way(field, OWN, field), paths[field])] if field in paths else []
                inside = [(Way(key, INSIDE, field), f"{path}/{name}") for key, path in paths.items() if key != field]
                beside = [(Way(key, BESIDE, field), f"{path}/{name}") for key, path in above.items()]
                yield own + inside + beside
        yield from ([(Way(ANY, OWN, ANY), path)] for path in in_parts(record, first))
        waiting += [(one, paths) for one in record.inside]


def paths_of(record: Record, above: Paths, first: Iterable[str]) -> Paths:
    """The paths of a record in folders whose paths are `above`; `first` are the names in the top folder of all."""
    full = next((text for _field, text in record.texts if FULL.match(text) and not is_sound(last(text))), None)
    if full is not None:
        return {ANY: full.rstrip("/\\")}
    paths = dict(above)
    for key, name in record.texts:
        folder = above.get(key, above.get(ANY))
        if not key or not 0 < len(name) <= LONGEST or "/" in name or "\\" in name:
            continue
        if folder is not None and (key in paths or len(paths) < MOST_NAMES):
            paths[key] = f"{folder}/{name}"
        elif folder is None and name in first:
            paths[key] = f"/{name}"
    return paths


def in_parts(record: Record, first: Iterable[str]) -> Iterator[str]:
    """The paths that the texts of a record make of which each is one name: an array, or elements of one kind."""
    for field in dict.fromkeys(field for field, _text in record.texts):
        texts = [text for one, text in record.texts if one == field]
        names = texts[1:] if texts[0] in ("/", "") else texts
        apart = not any("/" in name or "\\" in name for name in names)
        if len(names) > 2 and is_sound(names[-1]) and apart and (len(names) < len(texts) or names[0] in first):
            yield f"/{'/'.join(names)}"


def last(path: str) -> str:
    """The name at the end of a path."""
    return re.split(r"[/\\]", path)[-1]
