"""What every ledger can do, whatever its format."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple, Protocol

from msgspec import Struct, field

from saltcart.ledgers.facts import Facts
from saltcart.ledgers.where import Where
from saltcart.spelling import Spelling, encodable, readings
from saltcart.spelling.swaps import Swap

# What finds an entry again in its file: the number of a span, or (rule, *key of the row) in a database.
Key = Any
NEW_THINGS = "new things"  # what an entry names that says where its program puts what is bought or recorded next
REMEDY_DEPENDANT = "Leave a link at the old place (--signpost), or change its paths in its own program."
REMEDY_LIST = "Add or remove the folder in its program."


class ListEdits(Struct, frozen=True):
    """What changes besides texts, by the keys of entries: new folders in front of or behind one in a list, entries that
    go, and those that part from the others of their folder: for each the text of the folder that it starts from now.
    """

    front: Mapping[Key, Sequence[str]] = field(default_factory=dict)
    behind: Mapping[Key, Sequence[str]] = field(default_factory=dict)
    gone: frozenset[Key] = frozenset()
    parted: Mapping[Key, str] = field(default_factory=dict)

    def __bool__(self) -> bool:
        """Whether anything changes."""
        return bool(self.front or self.behind or self.gone or self.parted)

    def count(self) -> int:
        """How many come, go and part."""
        return sum(map(len, [*self.front.values(), *self.behind.values()])) + len(self.gone) + len(self.parted)


NO_EDITS = ListEdits()


class Entry(Struct, frozen=True):
    """One spot in a ledger that names one file or folder.

    `key` finds the spot again in the same file, `where` says it to a person, `written` is what
    is there with its container's escapes undone.  `otherwise` is a second reading of the
    same bytes, for text whose encoding is a guess.  With a `base`, the text starts from the
    folder that this other entry names; with `tried` ones, from the first of theirs that has it.
    """

    key: Key
    where: Where
    written: str
    spelling: Spelling
    names: str = "file"
    otherwise: str | None = None
    base: "Entry | None" = None
    tried: "tuple[Entry, ...]" = ()

    @property
    def is_folder(self) -> bool:
        """Whether it names a folder."""
        return self.names != "file"

    def readings(self) -> tuple[str, ...]:
        """Every text the spot may mean, the likelier first."""
        texts = (self.written,) if self.otherwise is None else (self.written, self.otherwise)
        return readings(self.spelling, texts)


class Batch(NamedTuple):
    """Spots of one kind that follow each other in a ledger: their texts, and how to make a key and an entry of each.

    A text that the spelling cannot read (a web address) is among them and makes no entry.  In a
    batch that is not `sure`, a text does not say it all: entries have second readings, or
    are looked for in several folders.
    """

    texts: Sequence[str]
    spelling: Spelling | None
    base: Entry | None
    sure: bool
    key: Callable[[int], Key]
    entry: Callable[[int], Entry]

    @property
    def of_the_web(self) -> bool:
        """Whether the texts start from a web address, so that they name no files."""
        base = self.base
        return base is not None and bool(base.written) and base.spelling.read(base.written, "/") is None

    def names_a_file(self, text: str) -> bool:
        """Whether a text of this batch names a file at all."""
        spelling = None if self.of_the_web else self.spelling
        return spelling is not None and encodable(text) and spelling.read(text, "/") is not None


class Ledger(Protocol):
    """A file that names sounds, opened by the format or map that reads it; `within` is the ledger that it is a part
    of.  It `adds` to its list of folders as its map says, be there one in it or several.
    `content` are the folders that its program looks in, as another ledger lists them: that is where each is.
    It `lists` folders when its map says that some entries name them.
    """

    path: str
    map_name: str
    program: str | None
    within: str | None
    adds: bool
    lists: bool
    content: "tuple[Entry, ...]"

    def batches(self, besides: Sequence[Swap] = ()) -> Iterator[Batch]:
        """Every spot, in the ledger's order, but for those that one of the swaps covers.  Raises BadLedger."""

    def entries(self, besides: Sequence[Swap] = ()) -> Iterator[Entry]:
        """Every entry in those batches."""

    def remote(self) -> int:
        """How many spots name something that is no file, such as a web address."""

    def rewrite(
        self, target: str, changes: Mapping[Key, str], swaps: Sequence[Swap] = (), edits: ListEdits = NO_EDITS
    ) -> None:
        """Write the ledger to the new file `target` with new texts and nothing else changed.

        `changes` gives texts by the keys of entries; of the others, those that a swap covers are swapped.
        `edits` are what comes into lists, and what goes.
        Proves it before it returns.  Raises CannotSpell, with nothing of use in `target`, when a
        text has no form in this ledger or something else than the entries would change.
        """

    def facts(self) -> Iterable[Facts]:
        """What it says itself of the sounds that its entries name, where its map says which columns do."""

    def said(self) -> Iterable[tuple[Facts, int]]:
        """Each different one of these facts, keys aside, with how many entries it is said of; some may come again."""

    def past(self) -> Iterable[str]:
        """What it says in the places that its map calls records of what was."""

    def busy(self) -> str | None:
        """Why the ledger must not be replaced now (locked, pages unwritten), or None."""


class Batched:
    """What a ledger can tell from its batches.  `content` are the folders that its program looks in, if the map
    tells.
    """

    content: "tuple[Entry, ...]" = ()
    within: str | None = None
    adds: bool = False
    lists: bool = False

    def batches(self, besides: Sequence[Swap] = ()) -> Iterator[Batch]:
        """See Ledger.batches."""
        raise NotImplementedError

    def entries(self, besides: Sequence[Swap] = ()) -> Iterator[Entry]:
        """See Ledger.entries."""
        for batch in self.batches(besides):
            for number, text in enumerate(batch.texts):
                if batch.names_a_file(text):
                    yield batch.entry(number)

    def facts(self) -> Iterable[Facts]:
        """See Ledger.facts."""
        return ()

    def past(self) -> Iterable[str]:
        """See Ledger.past."""
        return ()

    def said(self) -> Iterator[tuple[Facts, int]]:
        """See Ledger.said."""
        return ((fact, 1) for fact in self.facts())

    def remote(self) -> int:
        """See Ledger.remote."""
        return sum(bool(text) and not batch.names_a_file(text) for batch in self.batches() for text in batch.texts)
