"""A map as its TOML file holds it, and what of it makes no sense."""

from typing import Annotated, Any, Literal

from msgspec import Struct, field

from saltcart.ledgers.added import container_names
from saltcart.ledgers.facts import COLUMNS
from saltcart.patterns import BadPattern, Pattern
from saltcart.spelling.forms import SPELLINGS
from saltcart.toml import reading
from saltcart.toml.kinds import NotThat, one_of, text_kind

CONTAINERS = ("sqlite", "xml", "json", "ini", "csv", "tsv", "toml", "text", "plist", "chunks", "counted")
COLUMN_KEYS = ("table", "column", "where", "folder", "add", *COLUMNS, "length_in")
# What an entry is besides: the folder for new things; or a record of what was, which stays as it is.
MEANS = DEFAULT, PAST = ("default", "past")


def known_container(text: str, _folder: str = "") -> str:
    """The name of a container that can be read here; NotThat for any other."""
    if text in CONTAINERS or text in (more := container_names()):
        return text
    raise NotThat(f"is not one of {', '.join(map(repr, (*CONTAINERS, *more)))}", "Use one of these words.")


PathStyle = Annotated[str, one_of(*SPELLINGS)]


class ContentLine(Struct, frozen=True):
    """The ledger that lists the content folders of a program, and its map."""

    file: str
    map: str


class CountedLine(Struct, frozen=True):
    """How the lengths before texts are written."""

    width: Annotated[int, one_of(1, 2, 4)]
    order: Annotated[Literal["little", "big"], one_of("little", "big")]
    of: Annotated[str, one_of("bytes", "characters")]


class RecogniseLine(Struct, frozen=True):
    """How a file of this kind is known."""

    suffix: tuple[str, ...] = ()
    contains: str = ""


class ListsLine(Struct, frozen=True):
    """Where named lists are, in a database or in JSON."""

    entries: str
    at: str = ""
    table: str = ""
    key: str = ""
    name: str = ""
    members: str = ""
    by: str = ""
    track: str = ""
    order: str = ""
    entry_key: str = ""


class AddLine(Struct, frozen=True):
    """What else is in a row that is added to a list of folders."""

    values: dict[str, Any] = field(default_factory=dict)
    counts: tuple[str, ...] = ()


class FolderColumn(Struct, frozen=True):
    """Where the folder of a name is: in a column beside it, or in another table."""

    column: str
    table: str | None = None
    key: str = ""
    by: str = ""
    spelling: PathStyle = "auto"


class EntryLine(Struct, frozen=True):
    """One kind of entries: where they are, and how they are written."""

    table: str | None = None
    column: str | None = None
    where: str | None = None
    at: str | None = None
    base_at: str | None = None
    separator: str | None = None
    piece: str | None = None
    keys: bool = False
    any_case: bool = False
    spelling: PathStyle | None = None
    names: Annotated[str, one_of("file", "folder")] = "file"
    means: Annotated[str, one_of(*MEANS)] | None = None
    add: AddLine | None = None
    folder: FolderColumn | None = None
    plays: str | None = None
    last_played: str | None = None
    size: str | None = None
    length: str | None = None
    title: str | None = None
    digest: str | None = None
    artist: str | None = None
    rating: str | None = None
    track: str | None = None
    length_in: Annotated[str, one_of("seconds", "milliseconds")] = "seconds"

    def says(self, key: str) -> bool:
        """Whether it says something under this key."""
        return getattr(self, key) not in (None, False) and not (key == "length_in" and self.length is None)


class MapFile(Struct, frozen=True):
    """A whole map."""

    name: str
    container: Annotated[str, text_kind(known_container)]
    entries: list[EntryLine]
    program: str | None = None
    index: bool = False
    trusted: bool = False
    gzip: bool = False
    member: str | None = None
    encoding: str = "utf-8"
    content: ContentLine | None = None
    counted: CountedLine | None = None
    recognise: RecogniseLine = field(default_factory=RecogniseLine)
    lists: ListsLine | None = None


def check_entry(path: str, number: int, entry: EntryLine, container: str) -> None:
    """Raise BadFile when an entry lacks what its container needs, or has what makes no sense there."""
    needed, strange = keys_of(container)
    with open(path, encoding="utf-8-sig") as stream:
        place = reading.Place(path, stream.read(), ("entries", number))
    for key in needed:
        if not entry.says(key):
            raise place.fail(f'the key "{key}" is missing', f"Add {key} = ...")
    for key in strange:
        if entry.says(key):
            raise place.at(key).fail(f'"{key}" has no meaning in this container', "Leave it out.")
    for key in ("add", "means"):
        if entry.says(key) and entry.means != PAST and entry.names != "folder":
            raise place.at(key).fail(f'"{key}" is for folders', 'Write names = "folder" beside it.')
    check_parts(place, entry)
    for key in ("at", "piece") if container == "text" else ("piece",):
        if pattern := getattr(entry, key):
            check_pattern(place.at(key), pattern)


def keys_of(container: str) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """The keys that an entry of a container needs, and those that make no sense there."""
    strange: tuple[str, ...] = () if container == "json" else ("keys",)
    if container == "sqlite":
        return ("table", "column"), ("at", "base_at", "any_case", *strange)
    if container in ("text", "chunks", "counted"):
        strange += ("base_at", "separator", "piece", "any_case")
    return ("at",), COLUMN_KEYS + strange


def check_parts(place: reading.Place, entry: EntryLine) -> None:
    """Raise BadFile when what an entry says of its folder, or of the parts of a value, does not go together."""
    parts = (entry.folder.table, entry.folder.key, entry.folder.by) if entry.folder else ()
    if any(parts) and not all(parts):
        raise place.at("folder").fail(
            "a folder in another table needs table, key and by",
            "Add the missing one, or give only column for a folder in the same row.",
        )
    if entry.folder and entry.separator:
        raise place.at("separator").fail("a list of names cannot start from a folder column", "Leave one of them out.")
    if entry.separator and entry.piece:
        raise place.at("piece").fail("a value has either a separator or a piece", "Leave one of them out.")


def check_pattern(place: reading.Place, pattern: str) -> None:
    """Raise BadFile for what is no pattern with a group named path."""
    try:
        if Pattern(pattern).names_path:
            return
        problem = "a pattern needs a group named path"
    except BadPattern as error:
        problem = f"is no pattern that could be used ({error})"
    raise place.fail(problem, "Write it like: file=(?P<path>.+)")
