"""The texts of a file that look like paths to sounds and lead nowhere, whatever kind of file it is."""

import html
import json
import re
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from typing import NamedTuple
from urllib.parse import unquote

from msgspec import Struct, field

from saltcart.drives.drive import mount_of
from saltcart.ledgers.containers import plist
from saltcart.ledgers.sqlite.opening import claims, reading, tables
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.mentions.automaton import Automaton
from saltcart.mentions.encoded import encoded_parts, inside
from saltcart.mentions.file_types import holds_no_references
from saltcart.mentions.folder_trees import sounds_in
from saltcart.mentions.nested_names import nested_sounds
from saltcart.mentions.packed import Budget, is_packed, unpacked, zlib_streams
from saltcart.mentions.place_forms import HEAD, is_binary
from saltcart.mentions.whole_values import SEVERAL
from saltcart.shelves.audio import KINDS
from saltcart.spelling import encodable, spelling_named
from saltcart.spelling.foreign import looks_foreign
from saltcart.system import os

LARGEST = 16 << 20  # bytes of a file that are read for evidence
MOST_TEXTS = 100_000  # in one file
LONGEST = 4096  # characters of a path
ENDING = re.compile(rf"(?:{'|'.join(map(re.escape, KINDS))})(?![A-Za-z0-9])", re.IGNORECASE)
APART = re.compile(r"[\0-\x1f\"<>|*?\ufffd]+")  # what no name of a sound has
FULL = re.compile(r"(?:^|[=:,;]\s*)((?:/|[A-Za-z]:[\\/]|file:/)[^\r\n]*)")
FROM_VARIABLE = re.compile(r"(?:^|[\s=:(])(?:\$\w+|\$\{\w+\}|%\w+%)[/\\](?:.*[/\\])?(.+)$")  # what a script names
# Where a full path may begin in a text; Python's oldest pickles have letters right before it.
WITHIN = re.compile(r"(?:^[a-z(]{0,3}V|[\s(:,;=])(/[^/\s]+/)")
MOST_LAYERS = 3  # of percent escapes in each other
ESCAPES = re.compile(r"\\\\|(?:\\u[0-9a-fA-F]{4})+")  # RFC 8259, section 7
PERCENT = re.compile("%[0-9a-fA-F]{2}")  # RFC 3986, section 2.1
SLASHES = re.compile(r"\\{2,}")
MARKS = Automaton([form for name in KINDS for form in (name.encode(), name.encode("utf-16-le")[:-1])])
WINDOWS = spelling_named("windows")


class LostTexts(Struct):
    """What a file names that is not there: for each text the paths that it may mean.

    A mere name may belong in any folder that is named beside it, and means nothing without one.  Some of the file was
    left unread when it was `cut`.  Paths `in_trees` are written nowhere: they are made of the names in a tree,
    of which some was left out when it was `trees_cut`; `nested` ones of the names of records in each other.
    """

    meanings: dict[str, tuple[str, ...]] = field(default_factory=dict)
    cut: bool = False
    in_trees: set[str] = field(default_factory=set)
    trees_cut: bool = False
    nested: set[str] = field(default_factory=set)

    def forget_nested(self) -> None:
        """Leave out what names of records in each other make: these are of something else."""
        self.meanings = {text: meant for text, meant in self.meanings.items() if text not in self.nested}
        self.nested = set()

    def sounds(self) -> Iterator[str]:
        """The paths that can only be the full ones of sounds."""
        for text, meant in self.meanings.items():
            if len(meant) == 1 and ENDING.search(text):
                yield meant[0]


class Text(NamedTuple):
    """A text of a file, the paths that it may mean, and whether it ends like the name of a sound."""

    text: str
    meant: tuple[str, ...]
    sound: bool


def meanings_in(path: str, found: LostTexts, here: Callable[[str], str] = str) -> Iterator[Text]:
    """The texts of a file that may be paths, or names of sounds; `here` is what a full path means on this computer.
    `found` learns whether the file was cut.  Raises one of UNREADABLE when it cannot be read.
    """
    starts: Sequence[str] = ()  # asked of the drive for the first text: most files have none
    for count, text in enumerate(texts_in(path, found)):
        if count == MOST_TEXTS:
            found.cut = True
            return
        sound = ENDING.search(text) is not None
        starts = starts or tuple(dict.fromkeys([os.path.dirname(path), mount_of(path)]))
        yield Text(text, tuple(map(here, paths_of(text, starts))) if sound or os.path.isabs(text) else (), sound)


def lost_texts(path: str, here: Callable[[str], str] = str) -> LostTexts:
    """The texts of a file that look like paths to sounds and lead nowhere: as full paths, which are `here` what that
    says, or from its folder and from the top of its drive.  Raises one of UNREADABLE when it cannot be read.
    """
    found = LostTexts()
    for one in meanings_in(path, found, here):
        take_up(found, one)
    return found


def take_up(found: LostTexts, one: Text) -> None:
    """Take a text up that leads nowhere, or that is only a name."""
    if one.meant and not any(map(os.path.lexists, one.meant)):
        found.meanings[one.text] = one.meant
    elif one.sound and not one.meant and not {"/", "\\"} & set(one.text):
        found.meanings[one.text] = ()


def folders_there(one: Text) -> Iterator[str]:
    """The folders that a text leads to, or in which the sound lies that it leads to."""
    for place in one.meant:
        if one.sound and os.path.isfile(place):
            yield os.path.dirname(place)
        elif not one.sound and os.path.isdir(place):
            yield place


def paths_of(text: str, starts: Sequence[str]) -> tuple[str, ...]:
    """The paths that a text may mean."""
    if text.startswith("file:"):
        text = unquote(text.removeprefix("file:"), errors="surrogateescape").lstrip("/").removeprefix("localhost/")
        return as_it_is(f"/{text}", starts)
    return tuple(one for way in readings_of(text) for one in as_it_is(way, starts))


def readings_of(text: str) -> list[str]:
    """A text as it is; before that, as the reference it may be, when it is relative and percent-encoded.  A full path
    means itself, whatever characters are in its names.
    """
    if text[:1] == "/" or not PERCENT.search(text):
        return [text]
    return list(dict.fromkeys((unquote(text, errors="surrogateescape"), text)))


def as_it_is(text: str, starts: Sequence[str]) -> tuple[str, ...]:
    """The paths that a text may mean in which nothing is percent-encoded."""
    if not text or len(text) > LONGEST or text[0] in "$%~{" or "://" in text or "\0" in text or not encodable(text):
        return ()
    if looks_foreign(text):
        read = WINDOWS.read(SLASHES.sub(r"\\", text), "/")
        return (read,) if read else ()
    if "/" not in text:
        return ()
    return (
        (os.path.normpath(text),)
        if text[0] == "/"
        else tuple(os.path.normpath(os.path.join(one, text)) for one in starts)
    )


def texts_in(path: str, found: LostTexts) -> Iterator[str]:
    """The texts of a file that end like the name of a sound, and full paths; `found` learns whether it was cut."""
    with open(path, "rb") as stream:
        head, budget = stream.read(4096), Budget(os.fstat(stream.fileno()).st_size)
        if claims(head):
            yield from cells_of(path, found, budget)
        elif is_packed(head):
            stream.seek(0)
            for inner in unpacked(head, stream, "", budget):
                yield from content_of(inner.stream.read(LARGEST), found)
                found.cut = found.cut or bool(inner.stream.read(1))
        else:
            data = head + stream.read(LARGEST)
            found.cut = found.cut or bool(stream.read(1))
            yield from content_of(data, found)
            for _at, content in (zlib_streams if is_binary(head) else encoded_parts)(data, 0, len(data), False, budget):
                yield from content_of(content, found)


def content_of(data: bytes, found: LostTexts) -> Iterator[str]:
    """The paths that records in each other make in a document; then the runs of text in it."""
    sounds, whole = nested_sounds(data)
    found.nested.update(one for one in sounds if one not in found.meanings)
    found.cut = found.cut or not whole
    yield from sounds
    for text in written_in(data):
        found.nested.discard(text)  # it is not only made of names
        yield text


def written_in(data: bytes) -> Iterator[str]:
    """The texts of some content, as they are written there."""
    if data.startswith(plist.MAGIC):  # in which a length is right before each text, and may be a letter
        with suppress(ValueError):
            yield from (text for text in plist.texts_in(data) if ENDING.search(text) or os.path.isabs(text))
            return
    yield from runs_in(data)


def cells_of(path: str, found: LostTexts, budget: Budget) -> Iterator[str]:
    """The paths that trees of folders in a database make; then the texts in its columns, each once in a column, and
    those in cells that hold several, packed ones too.
    """
    with reading(path) as (connection, _uri):
        sounds, whole = sounds_in(connection)
        found.in_trees, found.trees_cut = set(sounds), not whole
        yield from sounds
        for table, columns in tables(connection):
            for name in map(quoted, columns):
                query = f"SELECT DISTINCT {name} FROM {quoted(table)} WHERE typeof({name}) IN ('text', 'blob')"
                for (cell,) in connection.execute(query):
                    if isinstance(cell, str):
                        found.nested.discard(cell)
                        yield cell
                        several = [cell.encode("utf-8", "surrogateescape")] if SEVERAL.search(cell) else []
                    else:
                        several = [] if holds_no_references(cell[:HEAD], len(cell)) else [cell, *inside(cell, budget)]
                    for content in several:
                        yield from content_of(content[:LARGEST], found)


def runs_in(data: bytes) -> Iterator[str]:
    """The runs of text in some content that end like the name of a sound, as its escapes mean them; where there are
    some, full paths too: they may be the folders of these.
    """
    if not MARKS.any_in(data.lower()):
        return
    wide = data.count(b"\0") > len(data) // 4
    for shift in (0, 1) if wide else (0,):
        text = ESCAPES.sub(unescaped, decoded(data[shift:], wide)).replace("\\/", "/")
        for run in APART.split(html.unescape(text) if "&" in text else text):
            ends = list(ending_in(run))
            for found in ends:
                key, sign, value = found.partition("=")
                text = (value if sign and "/" not in key else found).strip(" \t'")
                yield path_within(text.replace("\\ ", " ") if "/" in text else text) or name_in(text)
            if not ends and (path := FULL.search(heading_in(run))):
                yield path[1].strip(" \t'")


def heading_in(run: str) -> str:
    """The heading of a section, which may be a folder, without its brackets; anything else as it is."""
    text = run.strip()
    return text[1:-1].strip() if text[:1] == "[" and text[-1:] == "]" else run


def name_in(text: str) -> str:
    """The name of a sound whose path begins with a variable, of which nobody here knows what it stands for, or that is
    an item of a list.
    """
    return found[1] if (found := FROM_VARIABLE.search(text)) else text.removeprefix("- ").strip(" \t'")


def path_within(text: str) -> str | None:
    """The full path that ends a text which begins with something else: a word before it, or an address that has it as a
    part.  None where what would be its top folder is not there.
    """
    if "%" in text and ":" not in text[:1]:
        for _layer in range(MOST_LAYERS):
            text = unquote(text, errors="surrogateescape")
        if (at := text.find("file:/")) >= 0:
            return text[at:]
    starts = (found.start(1) for found in WITHIN.finditer(text))
    return next((text[at:] for at in starts if at and os.path.isdir("/" + text[at:].split("/", 2)[1])), None)


def unescaped(escapes: re.Match[str]) -> str:
    """The characters that escapes of JSON and its like stand for; two backslashes stay, as some write them for one."""
    return escapes[0] if escapes[0] == "\\\\" else str(json.loads(f'"{escapes[0]}"'))


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
