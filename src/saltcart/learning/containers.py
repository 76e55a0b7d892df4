"""All values of a file that no map describes yet, grouped by place, for each container the file may be."""

import codecs
import re
import sqlite3
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from functools import partial
from itertools import product

from msgspec import Struct, field
from msgspec.structs import replace

from saltcart.errors import SaltCartError
from saltcart.ledgers.containers import chunks, counted, json, lines, plist, xml
from saltcart.ledgers.kinds import head_of
from saltcart.ledgers.rules import NUMBER, At
from saltcart.ledgers.spans import Span, Spans
from saltcart.ledgers.sqlite.cells import text_of
from saltcart.ledgers.sqlite.opening import claims, reading, tables
from saltcart.ledgers.sqlite.quoting import quoted
from saltcart.ledgers.textual import decoded
from saltcart.ledgers.wrappers import GZIP_MAGIC, PLAIN, ZIP_MAGIC, Gzip, Wrapper, ZipMember
from saltcart.spelling import spelling_named
from saltcart.system import os

FIRST = re.compile(r"([A-Za-z_ -])[01]\Z")  # at the end of a name: `folder1`, `dir_0`
MOST_VALUES = 5000  # values of one place that are tried
MOST_MEMBERS = 50  # of a zip file, in which documents are looked for
MOST_JOINED = 200  # pairs that are looked for
LONGEST_NAME = 1000  # characters of a place; a longer one shows that the content is something else
LARGEST = 256 << 20
JSON = re.compile(rb"\{|\[\s*[\"{\[]")  # how a document begins, and no section of an INI file
KEYED = ("json", "plist", "xml", "ini", "toml")  # whose places are made of names
EVERY = (At("**", spelling_named("auto")),)
KEYS = " (names)"  # behind the place of names that are paths
Finder = Callable[..., Sequence[Span] | Spans]  # of data and rules


class Content(Struct):
    """One way to read a file: its container, what a map must say besides, and the values by place."""

    container: str
    options: dict[str, object]
    values: dict[str, list[str]] = field(default_factory=dict)
    find: Finder | None = None
    wrapper: Wrapper = PLAIN

    def entry(self, place: str) -> dict[str, object]:
        """How a map points at a place."""
        if place.endswith(KEYS):
            return {"at": place.removesuffix(KEYS), "keys": True}
        if self.container != "sqlite":
            return {"at": place}
        table, _, column = place.partition(".")
        return {"table": table, "column": column}


class FolderJoin(Struct, frozen=True):
    """Names in one table whose folders are in another, with (folder, name) of some rows, and how many are there."""

    table: str
    column: str
    by: str
    folders: str
    path: str
    key: str
    pairs: tuple[tuple[str, str], ...] = ()
    there: int = 0  # how many of the first of them are


def contents(path: str) -> Iterator[Content]:
    """Every reading of the file at `path` that works, the likelier first.  Raises Refused when it cannot be read."""
    head = head_of(path)
    if claims(head):
        yield database_content(path)
        return
    with open(path, "rb") as stream:
        data = stream.read(LARGEST)
    for options, wrapper in wrappers(data, head):
        try:
            inner = wrapper.peel(data)
        except ValueError:
            continue
        for container, more, find in readers(inner):
            try:
                values = by_place(Spans.of(inner, find(inner, rules=EVERY)))
                if container == "json":
                    values |= names_by_place(inner)
            except (ValueError, RecursionError):
                continue
            if values and max(map(len, values)) <= LONGEST_NAME:
                yield Content(container, {**options, **more}, values, find, wrapper)
        if is_text(inner) and (some := lines_with_paths(path, inner)):
            yield Content("text", options, {"line": some}, None, wrapper)


def is_text(data: bytes) -> bool:
    """Whether some content may be text of lines."""
    return b"\0" not in data[:4096] or data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE))


def lines_with_paths(path: str, data: bytes) -> list[str]:
    """The lines of a text that may hold paths."""
    try:
        some = re.findall(r"[^\r\n]+", decoded(data).text)
    except ValueError:
        return []
    return [line for line in some if ("/" in line or "\\" in line)][:MOST_VALUES]


def wrappers(data: bytes, head: bytes) -> list[tuple[dict[str, object], Wrapper]]:
    """What may be around the content."""
    if head.startswith(GZIP_MAGIC):
        return [({"gzip": True}, Gzip())]
    if head.startswith(ZIP_MAGIC):
        import io
        import zipfile

        try:
            names = zipfile.ZipFile(io.BytesIO(data)).namelist()
        except zipfile.BadZipFile:
            return []
        documents = [name for name in names if name.lower().endswith((".xml", ".json", ".plist", ".txt", ".toml"))]
        return [({"member": name}, ZipMember(name)) for name in documents[:MOST_MEMBERS]]
    return [({}, PLAIN)]


def readers(data: bytes) -> Iterator[tuple[str, dict[str, object], Finder]]:
    """The containers that the content may be, by how it begins, the likelier first."""
    start = data[:256].lstrip(b"\xef\xbb\xbf\xff\xfe \t\r\n\0")
    if start.startswith((b"bplist00", b"<?xml", b"<")) and (b"plist" in data[:400]):
        yield "plist", {}, plist.spans
    elif start.startswith(b"<"):
        yield "xml", {}, xml.spans
    elif JSON.match(start) or (start.startswith(b"[") and data[:1] != b"["):
        yield "json", {}, json.spans
    if re.fullmatch(rb"[A-Za-z0-9 ]{4}", data[:4]) and b"\0" in data[:64]:
        for encoding in ("utf-8", "utf-16-be", "utf-16-le"):
            yield "chunks", {"encoding": encoding}, partial(chunk_spans, encoding=encoding)
    if is_text(data):
        for kind in ("toml", "ini", "tsv", "csv"):
            yield kind, {}, partial(lines.spans, kind)
    elif not start.startswith(b"bplist00"):
        yield from counted_readers()


def counted_readers() -> Iterator[tuple[str, dict[str, object], Finder]]:
    """The ways in which lengths may be before texts."""
    for order in counted.ORDERS:
        for width, encoding in product((4, 2, 1), ("utf-8", "utf-16-le", "utf-16-be")):
            for of in ("bytes", "characters") if encoding != "utf-8" else ("bytes",):
                said: dict[str, object] = {"encoding": encoding, "counted": {"width": width, "order": order, "of": of}}
                counting = counted.Counting(width, order, of == "characters", encoding)
                yield "counted", said, partial(counted.spans, counting=counting)


def chunk_spans(data: bytes, rules: Sequence[At], encoding: str) -> Sequence[Span]:
    """Every payload of a chunk file, whatever chunks hold chunks: a payload that reads as chunks to its end does."""
    holders: set[str] = set()
    while True:
        more = {
            one.place
            for one in chunks.chunks(data, frozenset(holders))
            if not one.holds and holds_chunks(data, one, holders)
        }
        if not more:
            break
        holders |= more
    places = {one.place for one in chunks.chunks(data, frozenset(holders)) if not one.holds}
    found: list[Span] = []
    for place in sorted(places):
        with suppress(ValueError):  # no text
            found += chunks.spans(data, [At(place, rules[0].spelling)], encoding)
    return found


def holds_chunks(data: bytes, one: chunks.Chunk, holders: set[str]) -> bool:
    """Whether the payload of a chunk is chunks from its beginning to its end."""
    place = one.start
    order = chunks.ORDERS[not chunks.little(data)]
    while place + 8 <= one.end and re.fullmatch(rb"[A-Za-z0-9 ]{4}", data[place : place + 4]):
        size = int.from_bytes(data[place + 4 : place + 8], order)
        place += 8 + size + (size & 1)
    return one.end - one.start >= 8 and place in (one.end, one.end + 1)


def general(places: Iterable[str]) -> dict[str, str]:
    """For each place the more general one that reaches what the program adds later too: places that differ only in
    numbers (`pad1/wave` and `pad2/wave` are `pad<number>/wave`), one that is the first of such by its name (`folder1`),
    or by a name that is itself a path.
    """
    groups: dict[str, list[str]] = {}
    for place in places:
        names = re.sub(r"[^/]*\|[^/]*", "*", place.removesuffix(KEYS)) + place[len(place.removesuffix(KEYS)) :]
        names = re.sub(r"(?<![^/])[0-9]+(?![^/])", "*", names)  # a name that is only a number may be of any kind
        groups.setdefault(re.sub(r"[0-9]+", NUMBER, names), []).append(place)
    return {
        place: pattern if len(some) > 1 or "|" in place else FIRST.sub(rf"\1{NUMBER}", place)
        for pattern, some in groups.items()
        for place in some
    }


def generalised(values: Mapping[str, Sequence[str]], names: Mapping[str, str]) -> dict[str, list[str]]:
    """The values by their more general places."""
    found: dict[str, list[str]] = {}
    for place, texts in values.items():
        some = found.setdefault(names.get(place, place), [])
        some += texts[: MOST_VALUES - len(some)]
    return found


def names_by_place(data: bytes) -> dict[str, list[str]]:
    """The names in a JSON document that look like paths, by what they are in."""
    rule = At("**", EVERY[0].spelling, keys=True)
    found: dict[str, list[str]] = {}
    for place, texts in by_place(Spans.of(data, json.spans(data, [rule]))).items():
        texts = [text for text in texts if "/" in text or "\\" in text]
        holder = place.rpartition("/")[0]
        if texts:
            found.setdefault(f"{holder}/*{KEYS}".lstrip("/"), []).extend(texts)
    return found


def by_place(spans: Spans) -> dict[str, list[str]]:
    """The values of spans by their places, without the numbers that `where` adds."""
    values: dict[str, list[str]] = {}
    for number, (kind, raw) in enumerate(zip(spans.kinds, spans.inside, strict=True)):
        place = spans.where(number).place
        found = values.setdefault(place, [])
        if len(found) < MOST_VALUES:
            try:
                found.append(kind.coding.decode(raw))
            except UnicodeDecodeError:
                continue
    return {place: found for place, found in values.items() if found}


def database_content(path: str) -> Content:
    """The text columns of every table of a database, and blobs that are UTF-16 text."""
    content = Content("sqlite", {})
    with reading(path) as (connection, _uri):
        for table, columns in tables(connection):
            for column in columns:
                query = (
                    f"SELECT {quoted(column)} FROM {quoted(table)} WHERE typeof({quoted(column)}) IN ('text', 'blob')"
                    f" LIMIT {MOST_VALUES}"
                )
                cells = (text_of(cell) for (cell,) in connection.execute(query))
                if values := [text for text in cells if text]:
                    content.values[f"{table}.{column}"] = values
    return content


def folder_joins(path: str, content: Content, kind: Callable[[str], str | None]) -> Iterator[FolderJoin]:
    """Pairs of columns where bare names in one table and folders in another may belong together; `kind` says what is at
    a path.
    """
    if content.container != "sqlite":
        return
    folders = {
        place for place, values in content.values.items() if any(kind(value) == "folder" for value in values[:50])
    }
    names = {
        place
        for place, values in content.values.items()
        if not any("/" in value or "\\" in value for value in values) and any("." in value for value in values)
    }
    with reading(path) as (connection, _uri):
        columns = dict(tables(connection))
        for name_place, folder_place in product(sorted(names), sorted(folders)):
            (table, _, column), (held, _, place) = name_place.partition("."), folder_place.partition(".")
            ways = product(columns[held], columns[table]) if held != table else [("", "")]
            wanted = [FolderJoin(table, column, by, held, place, key) for key, by in ways]
            joins = [filled(one, connection, kind) for one in wanted if one.by != column and one.key != place]
            # Numbers of rows may join by chance: what leads most names to files is what its program goes by.
            if best := max(filter(None, joins), key=lambda join: join.there, default=None):
                yield best


def filled(one: FolderJoin, connection: sqlite3.Connection, kind: Callable[[str], str | None]) -> FolderJoin | None:
    """The join over these columns, or of two in one row, when its rows lead to files that are there."""
    name, folder, held = f"n.{quoted(one.column)}", f"f.{quoted(one.path)}", quoted(one.folders)
    same_row = one.folders == one.table
    on = "f.rowid = n.rowid" if same_row else f"f.{quoted(one.key)} = n.{quoted(one.by)}"
    query = (
        f"SELECT {folder}, {name} FROM {quoted(one.table)} n JOIN {held} f ON {on}"
        f" WHERE typeof({name}) = 'text' AND typeof({folder}) = 'text' LIMIT {MOST_VALUES}"
    )
    try:
        pairs = tuple(connection.execute(query))
    except (sqlite3.Error, SaltCartError):
        return None
    there = sum(kind(os.path.join(folder, name)) is not None for folder, name in pairs[:MOST_JOINED])
    return replace(one, pairs=pairs, there=there) if 2 * there > len(pairs[:MOST_JOINED]) else None
