"""Maps: TOML files that say where the entries of one kind of ledger lie and how they are written."""

from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache
from typing import NamedTuple

from msgspec import Struct
from msgspec.structs import asdict

from saltcart.errors import BadFile, show
from saltcart.ledgers.base import NEW_THINGS
from saltcart.ledgers.containers.counted import Counting
from saltcart.ledgers.containers.json_lists import JsonLists
from saltcart.ledgers.facts import COLUMNS
from saltcart.ledgers.map_file import DEFAULT, PAST, ContentLine, EntryLine, MapFile, check_entry
from saltcart.ledgers.rules import At, Parts
from saltcart.ledgers.wrappers import GZIP_MAGIC, PLAIN, ZIP_MAGIC, Gzip, Wrapper, ZipMember
from saltcart.patterns import Pattern
from saltcart.spelling import Spelling, spelling_named
from saltcart.system import os
from saltcart.toml import reading


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
    said = reading.read(path, MapFile)
    database = said.container == "sqlite"
    for number, entry in enumerate(said.entries):
        check_entry(path, number, entry, said.container)
    entries = [entry for entry in said.entries if entry.means != PAST]
    past = [entry for entry in said.entries if entry.means == PAST]
    return Map(
        said.name, path, said.container, said.program,
        with_folders(map(column_rule, entries)) if database else (),
        () if database else tuple(map(place_rule, entries)),
        said.gzip, said.member, said.encoding,
        tuple(suffix.lower() for suffix in said.recognise.suffix), said.recognise.contains.encode(),
        said.index, content_of(path, said.content), counting_of(path, said), lists_of(path, said), said.trusted,
        tuple(map(column_rule, past)) if database else (), () if database else tuple(map(place_rule, past)),
    )  # fmt: skip


def lists_of(path: str, plan: MapFile) -> Lists | JsonLists | None:
    """Where named lists are.  Raises BadFile when the map says so of neither a database nor JSON, or leaves something
    out, or names what are no entries.
    """
    if plan.lists is None:
        return None
    said = {key: text for key, text in asdict(plan.lists).items() if text}
    kind: type[Lists] | type[JsonLists] | None = {"sqlite": Lists, "json": JsonLists}.get(plan.container)
    if kind is None:
        raise BadFile(path, None, f"[lists] has no meaning in a container {plan.container}", "Take it out of the map.")
    needed = [key for key in kind._fields if key not in kind._field_defaults]
    if wrong := [key for key in needed if key not in said] or [key for key in said if key not in kind._fields]:
        remedy = f"In {plan.container} it needs: {', '.join(needed)}."
        raise BadFile(path, None, f"[lists] lacks {wrong[0]}, or does not know it here", remedy)
    found = kind(**said)
    if all((one.table if kind is Lists else one.at) != found.entries for one in plan.entries):
        problem = f'lists.entries = "{show(found.entries)}" is no table or place of this map\'s entries'
        raise BadFile(path, None, problem, "Name that whose rows or texts are the tracks.")
    return found


def counting_of(path: str, plan: MapFile) -> Counting | None:
    """How lengths are before texts.  Raises BadFile when the map does not say, or says it of another container."""
    said, counted = plan.counted, plan.container == "counted"
    if bool(said) != counted:
        problem = "a counted container needs [counted]" if counted else "[counted] has no meaning in this container"
        raise BadFile(path, None, problem, 'Write: counted = { width = 4, order = "little", of = "bytes" }')
    return Counting(said.width, said.order, said.of == "characters", plan.encoding) if said else None


def column_rule(entry: EntryLine) -> Rule:
    """A rule for a column of a database."""
    folder = entry.folder
    made = None
    if folder:
        made = FolderOf(folder.table, folder.column, folder.key, folder.by, spelling_named(folder.spelling))
    spelling = spelling_named(entry.spelling or ("name" if folder else "auto"))
    return Rule(
        entry.table or "", entry.column or "", spelling, names_of(entry), entry.where, made, parts_of(entry),
        tuple(getattr(entry, column) for column in COLUMNS), entry.length_in == "milliseconds",
        Addition(entry.add.values, entry.add.counts) if entry.add else None,
    )  # fmt: skip


def names_of(entry: EntryLine) -> str:
    """What the entries of a rule name: see Entry."""
    return NEW_THINGS if entry.means == DEFAULT else entry.names


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


def content_of(path: str, content: ContentLine | None) -> tuple[str, str] | None:
    """The ledger of content folders as the map at `path` names it, and its map, which is found from there."""
    if content is None:
        return None
    return os.path.expanduser(content.file), os.path.join(os.path.dirname(path), os.path.expanduser(content.map))


def place_rule(entry: EntryLine) -> At:
    """A rule for a place in any other container."""
    spelling = spelling_named(entry.spelling or "auto")
    return At(entry.at or "", spelling, names_of(entry), entry.base_at, parts_of(entry), entry.keys, entry.any_case)


def parts_of(entry: EntryLine) -> Parts | None:
    """Where in a value the paths are, when it is not one whole path."""
    if entry.piece is not None:
        return Parts(piece=Pattern(entry.piece))
    return Parts(entry.separator) if entry.separator else None
