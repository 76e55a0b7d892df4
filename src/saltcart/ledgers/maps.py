"""Maps: TOML files that say where the entries of one kind of ledger lie and how they are written."""

import os
from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache
from typing import Any, NamedTuple

from msgspec import Struct

from saltcart import tomlfile
from saltcart.errors import BadFile, show
from saltcart.ledgers.base import NEW_THINGS
from saltcart.ledgers.containers.counted import Counting
from saltcart.ledgers.containers.json_lists import JsonLists
from saltcart.ledgers.facts import COLUMNS
from saltcart.ledgers.rules import At, Parts
from saltcart.ledgers.wrappers import GZIP_MAGIC, PLAIN, ZIP_MAGIC, Gzip, Wrapper, ZipMember
from saltcart.patterns import BadPattern, Pattern
from saltcart.spelling import Spelling, spelling_named
from saltcart.spelling.forms import SPELLINGS

CONTAINERS = ("sqlite", "xml", "json", "ini", "csv", "tsv", "toml", "text", "plist", "chunks", "counted")
COLUMN_KEYS = ("table", "column", "where", "folder", "add", *COLUMNS, "length_in")
# What an entry is besides: the folder for new things; or a record of what was, which stays as it is.
MEANS = DEFAULT, PAST = ("default", "past")
SHAPE: dict[str, Any] = {
    "!name": str,
    "!container": CONTAINERS,
    "program": str,
    "index": bool,
    "trusted": bool,
    "gzip": bool,
    "member": str,
    "encoding": str,
    "content": {"!file": str, "!map": str},
    "counted": {"!width": (1, 2, 4), "!order": ("little", "big"), "!of": ("bytes", "characters")},
    "recognise": {"suffix": [str], "contains": str},
    "lists": dict.fromkeys(
        ("at", "table", "key", "name", "members", "by", "track", "order", "!entries", "entry_key"), str
    ),
    "!entries": [
        {
            "table": str,
            "column": str,
            "where": str,
            "at": str,
            "base_at": str,
            "separator": str,
            "piece": str,
            "keys": bool,
            "any_case": bool,
            "spelling": tuple(SPELLINGS),
            "names": ("file", "folder"),
            "means": MEANS,
            "add": {"values": dict, "counts": [str]},
            "folder": {"table": str, "!column": str, "key": str, "by": str, "spelling": tuple(SPELLINGS)},
            **dict.fromkeys(COLUMNS, str),
            "length_in": ("seconds", "milliseconds"),
        }
    ],
}


class FolderOf(Struct, frozen=True):
    """A table that holds the folders: its rows are found by `key`, whose value is in column `by` of the entry's
    row.

    Without a `table` the folder is in another column of the entry's own row.
    """

    table: str | None
    column: str
    key: str
    by: str
    spelling: Spelling


class Addition(Struct, frozen=True):
    """What else is in a row that is added to a table of folders: `values` by column, and in the columns `counts` a
    number one higher than any there.
    """

    values: Mapping[str, object]
    counts: Sequence[str]


class Rule(Struct, frozen=True):
    """One column whose cells are entries, of the rows that meet the SQL condition `where`.

    `facts` are columns of the same table that say more of the sound, in the order of COLUMNS; None for one that no
    column says.  To a list of folders `add` lets rows be added.
    """

    table: str
    column: str
    spelling: Spelling
    names: str
    where: str | None = None
    folder: FolderOf | None = None
    parts: Parts | None = None
    facts: tuple[str | None, ...] = (None,) * len(COLUMNS)
    milliseconds: bool = False
    add: Addition | None = None


class Lists(NamedTuple):
    """Where the named lists of a database are: a row of `table` for each, told by `key`, with its `name`; a row of
    `members` for each of its tracks, which says in `by` whose it is, in `track` which, and in `order` at which place.
    A track is the row of the table `entries` that has it in the column `entry_key`.
    """

    table: str
    key: str
    name: str
    members: str
    by: str
    track: str
    order: str
    entries: str
    entry_key: str


class Map(Struct, frozen=True):
    """One kind of ledger: how to know it, what wraps it, its program's process name, and where its entries lie.

    An `index` names whatever a program came across when it scanned, so that being named there says nothing. `content`
    is another ledger, and its map, that lists the folders in which the program looks for what is written `content`.
    The `past_rules` and `past_places` are where it records what was: they stay as they are.
    A person may say that a map is `trusted` for binary files of which nothing is known but lengths.
    """

    name: str
    path: str
    container: str
    program: str | None
    rules: tuple[Rule, ...] = ()
    places: tuple[At, ...] = ()
    gzip: bool = False
    member: str | None = None
    encoding: str = "utf-8"
    suffixes: tuple[str, ...] = ()
    contains: bytes = b""
    index: bool = False
    content: tuple[str, str] | None = None
    counting: Counting | None = None
    lists: Lists | JsonLists | None = None
    trusted: bool = False
    past_rules: tuple[Rule, ...] = ()
    past_places: tuple[At, ...] = ()

    @property
    def wrapper(self) -> Wrapper:
        """What peels off before reading."""
        return Gzip() if self.gzip else ZipMember(self.member) if self.member else PLAIN

    def claims(self, name: str, head: bytes) -> bool:
        """Whether a file of that name that begins with `head` may be of this kind; databases are recognised by their
        tables too.
        """
        if self.suffixes and not name.lower().endswith(self.suffixes):
            return False
        if self.container == "sqlite":
            return head.startswith(b"SQLite format 3\0")
        wrapped = head.startswith(GZIP_MAGIC) if self.gzip else head.startswith(ZIP_MAGIC) if self.member else True
        return (
            wrapped
            and (self.gzip or bool(self.member) or self.contains in head)
            and bool(self.suffixes or self.contains)
        )


def load_map(path: str) -> Map:
    """The map in the TOML file at `path`.  Raises BadFile with file, line and key."""
    path = os.path.abspath(os.path.expanduser(path))
    try:
        state = os.stat(path)
    except OSError:
        return map_as.__wrapped__(path)  # which says what is wrong
    return map_as(path, state.st_dev, state.st_ino, state.st_size, state.st_mtime_ns, state.st_ctime_ns)


@lru_cache(maxsize=64)
def map_as(path: str, *_state: int) -> Map:
    """The same, read once as long as the file is the same."""
    tables = tomlfile.read(path, SHAPE)
    known = tables.get("recognise", {})
    database = tables["container"] == "sqlite"
    for number, entry in enumerate(tables["entries"]):
        check_entry(path, number, entry, tables["container"])
    entries = [entry for entry in tables["entries"] if entry.get("means") != PAST]
    past = [entry for entry in tables["entries"] if entry.get("means") == PAST]
    return Map(
        tables["name"], path, tables["container"], tables.get("program"),
        with_folders(map(column_rule, entries)) if database else (),
        () if database else tuple(map(place_rule, entries)),
        tables.get("gzip", False), tables.get("member"), tables.get("encoding", "utf-8"),
        tuple(suffix.lower() for suffix in known.get("suffix", [])), known.get("contains", "").encode(),
        tables.get("index", False), content_of(path, tables.get("content")), counting_of(path, tables),
        lists_of(path, tables), tables.get("trusted", False),
        tuple(map(column_rule, past)) if database else (), () if database else tuple(map(place_rule, past)),
    )  # fmt: skip


def lists_of(path: str, tables: dict[str, Any]) -> Lists | JsonLists | None:
    """Where named lists are.  Raises BadFile when the map says so of neither a database nor JSON, or leaves something
    out, or names what are no entries.
    """
    if "lists" not in tables:
        return None
    said, container = tables["lists"], tables["container"]
    kind: type[Lists] | type[JsonLists] | None = {"sqlite": Lists, "json": JsonLists}.get(container)
    if kind is None:
        raise BadFile(path, None, f"[lists] has no meaning in a container {container}", "Take it out of the map.")
    needed = [key for key in kind._fields if key not in kind._field_defaults]
    if wrong := [key for key in needed if key not in said] or [key for key in said if key not in kind._fields]:
        remedy = f"In {container} it needs: {', '.join(needed)}."
        raise BadFile(path, None, f"[lists] lacks {wrong[0]}, or does not know it here", remedy)
    found = kind(**said)
    if all(one.get("table" if kind is Lists else "at") != found.entries for one in tables["entries"]):
        problem = f'lists.entries = "{show(found.entries)}" is no table or place of this map\'s entries'
        raise BadFile(path, None, problem, "Name that whose rows or texts are the tracks.")
    return found


def counting_of(path: str, tables: dict[str, Any]) -> Counting | None:
    """How lengths are before texts.  Raises BadFile when the map does not say, or says it of another container."""
    said, counted = tables.get("counted"), tables["container"] == "counted"
    if bool(said) != counted:
        problem = "a counted container needs [counted]" if counted else "[counted] has no meaning in this container"
        raise BadFile(path, None, problem, 'Write: counted = { width = 4, order = "little", of = "bytes" }')
    encoding = tables.get("encoding", "utf-8")
    return Counting(said["width"], said["order"], said["of"] == "characters", encoding) if said else None


def check_entry(path: str, number: int, entry: dict[str, Any], container: str) -> None:
    """Raise BadFile when an entry lacks what its container needs, or has what makes no sense there."""
    database = container == "sqlite"
    needed = ("table", "column") if database else ("at",)
    strange: tuple[str, ...] = ("at", "base_at", "any_case") if database else COLUMN_KEYS
    strange += () if container == "json" else ("keys",)
    strange += ("base_at", "separator", "piece", "any_case") if container in ("text", "chunks", "counted") else ()
    with open(path, encoding="utf-8-sig") as stream:
        place = tomlfile.Place(path, stream.read(), ("entries", number))
    for key in needed:
        if key not in entry:
            raise place.fail(f'the key "{key}" is missing', f"Add {key} = ...")
    for key in strange:
        if key in entry:
            raise place.at(key).fail(f'"{key}" has no meaning in this container', "Leave it out.")
    folder = entry.get("folder", {})
    if folder.keys() & {"table", "key", "by"} and not folder.keys() >= {"table", "key", "by"}:
        raise place.at("folder").fail(
            "a folder in another table needs table, key and by",
            "Add the missing one, or give only column for a folder in the same row.",
        )
    if folder and "separator" in entry:
        raise place.at("separator").fail("a list of names cannot start from a folder column", "Leave one of them out.")
    if "separator" in entry and "piece" in entry:
        raise place.at("piece").fail("a value has either a separator or a piece", "Leave one of them out.")
    for key in ("add", "means"):
        if key in entry and entry[key] != PAST and entry.get("names") != "folder":
            raise place.at(key).fail(f'"{key}" is for folders', 'Write names = "folder" beside it.')
    for key in ("at", "piece") if container == "text" else ("piece",):
        if key in entry:
            check_pattern(place.at(key), entry[key])


def check_pattern(place: tomlfile.Place, pattern: str) -> None:
    """Raise BadFile for what is no pattern with a group named path."""
    try:
        if Pattern(pattern).names_path:
            return
        problem = "a pattern needs a group named path"
    except BadPattern as error:
        problem = f"is no pattern that could be used ({error})"
    raise place.fail(problem, "Write it like: file=(?P<path>.+)")


def column_rule(entry: dict[str, Any]) -> Rule:
    """A rule for a column of a database."""
    folder = entry.get("folder")
    made = folder and FolderOf(
        folder.get("table"),
        folder["column"],
        folder.get("key", ""),
        folder.get("by", ""),
        spelling_named(folder.get("spelling", "auto")),
    )
    spelling = spelling_named(entry.get("spelling", "name" if folder else "auto"))
    return Rule(
        entry["table"], entry["column"], spelling, names_of(entry), entry.get("where"), made,
        parts_of(entry), tuple(map(entry.get, COLUMNS)), entry.get("length_in") == "milliseconds",
        addition_of(entry.get("add")),
    )  # fmt: skip


def names_of(entry: dict[str, Any]) -> str:
    """What the entries of a rule name: see Entry."""
    return NEW_THINGS if entry.get("means") == DEFAULT else str(entry.get("names", "file"))


def addition_of(add: dict[str, Any] | None) -> Addition | None:
    """What a new row needs, if the map lets rows be added."""
    return None if add is None else Addition(add.get("values", {}), add.get("counts", []))


def with_folders(rules: Iterable[Rule]) -> tuple[Rule, ...]:
    """The rules, and one for each column of folders that none of them names: where names start from, that is an entry
    too.
    """
    every = list(rules)
    for rule, folder in [(rule, rule.folder) for rule in every if rule.folder]:
        own = Rule(folder.table or rule.table, folder.column, folder.spelling, "folder")
        if all((other.table, other.column) != (own.table, own.column) for other in every):
            every.append(own)
    return tuple(every)


def content_of(path: str, content: dict[str, str] | None) -> tuple[str, str] | None:
    """The ledger of content folders as the map at `path` names it, and its map, which is found from there."""
    if content is None:
        return None
    return os.path.expanduser(content["file"]), os.path.join(os.path.dirname(path), os.path.expanduser(content["map"]))


def place_rule(entry: dict[str, Any]) -> At:
    """A rule for a place in any other container."""
    return At(
        entry["at"],
        spelling_named(entry.get("spelling", "auto")),
        names_of(entry),
        entry.get("base_at"),
        parts_of(entry),
        entry.get("keys", False),
        entry.get("any_case", False),
    )


def parts_of(entry: dict[str, Any]) -> Parts | None:
    """Where in a value the paths are, when it is not one whole path."""
    if "piece" in entry:
        return Parts(piece=Pattern(entry["piece"]))
    return Parts(entry["separator"]) if entry.get("separator") else None
