"""Which new text an entry gets when shelves move: the one rule for all ledgers, there and back."""

from collections.abc import Callable, Container, Hashable, Iterable, Iterator, Sequence
from contextlib import suppress
from functools import cached_property
from typing import NamedTuple, Self

from msgspec.structs import replace

from saltcart.errors import CannotSpell
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.base import NEW_THINGS, Batch, Entry, Ledger, ListEdits
from saltcart.rewriting.changes import Changes
from saltcart.rewriting.content_folders import AddedFolder, in_lists, listed
from saltcart.rewriting.links import link_into, turned
from saltcart.rewriting.manner import Manner
from saltcart.rewriting.parting import Parting, parting_of, with_parted
from saltcart.rewriting.swapping import Swapping
from saltcart.spelling import Moves, Spelling
from saltcart.spelling.foreign import PSEUDO, looks_foreign
from saltcart.spelling.moves import Aims, above, joined, plain, tail_below
from saltcart.system import os
from saltcart.waybills.relinks import RELATIVE


class Way(NamedTuple):
    """Where an entry leads: what is read of its text, where that leads and shall lead, and the folders from which it
    starts before and after.
    """

    text: str
    target: str
    wanted: str
    old_start: str
    start: str


class Routes:
    """Follows paths through links and detours to the moving shelves; `added` ones come in front of content folders.

    The links that it `turns` will lead to the new places, so that what goes through them stays as it is.  `links` are
    those that were met, with whether anything stays because of them.
    """

    def __init__(
        self,
        moves: Moves,
        resolver: Resolver | None = None,
        added: Sequence[AddedFolder] = (),
        turns: Callable[[str], bool] = lambda _link: False,
        aims: Aims | None = None,
        manner: Manner | None = None,
    ):
        self.moves, self.manner = moves, manner or Manner()
        self.aims = aims or Aims()
        self.added = added
        self.turns = turns
        self.resolver = resolver or Resolver()
        self.folders: dict[str, str] = {}
        self.links: dict[str, bool] = {}
        self.ways: dict[str, str | None] = {}
        self.targets: dict[str, str | None] = {}
        self.parted: dict[Hashable, Parting] = {}
        self.unwritten: CannotSpell | None = None  # why the first of some lost entries keeps its text

    def styled(self, like: str, unlike: Container[str] = ()) -> Self:
        """These routes, which write what moves in the manner of a text; see Manner."""
        self.manner = replace(self.manner, like=like, unlike=unlike)
        return self

    def led(self, path: str) -> str:
        """Where `path` leads, where the moves need to know.

        A path written below a moving shelf is taken as written.  Any other is followed through
        links and `..`; when it ends in a moving shelf, that is where it led, unless the link
        on the way is turned.
        """
        if self.moves.covers(path) or "\0" in path:
            return path
        place = self.followed(path)
        if place == path or ".." in path.split("/") or not self.moves.covers(place):
            return place
        link = self.link_on(path)
        if link is None:
            return place
        stays = self.turns(link) and self.true_when_turned(link, path, place)
        self.links[link] = stays or self.links.get(link, False)
        return path if stays else place

    def link_on(self, path: str) -> str | None:
        """The first link on a path that leads into a moving shelf by its own target; looked for once per folder."""
        folder = os.path.dirname(path)
        if folder not in self.ways:
            self.ways[folder] = link_into(self.moves, folder)
        return self.ways[folder] or (path if os.path.islink(path) and self.moves.covers(self.real(path)) else None)

    def true_when_turned(self, link: str, path: str, place: str) -> bool:
        """Whether `path`, which leads through `link` to `place`, leads to the new place when the link is turned."""
        if link not in self.targets:
            self.targets[link] = turned(self.moves, link)
        target = self.targets[link]
        return target is not None and self.moves.follow(place) == joined(target, path[len(link) + 1 :])

    def followed(self, path: str) -> str:
        """Where `path`, which is not below a moving shelf as it is written, leads through links and detours; itself
        when it leads to none.
        """
        folder, name = os.path.split(path)
        if name in ("", ".", ".."):
            return self.real(path)
        straight = os.path.join(self.real_folder(folder), name)
        if not self.moves.covers(straight) and os.path.islink(straight):
            real = self.real(straight)
            return real if self.moves.covers(real) else path
        return straight if self.moves.covers(straight) or ".." in path.split("/") else path

    def real_folder(self, folder: str) -> str:
        """`folder` without links and detours, asked of the drive once."""
        if folder not in self.folders:
            self.folders[folder] = self.real(folder)
        return self.folders[folder]

    def real(self, path: str) -> str:
        """`path` without links and detours, as its drive writes it."""
        return self.resolver.true.path(os.path.realpath(path))

    def changes(self, ledger: Ledger, old_folder: str, new_folder: str) -> "Changes":
        """What to change in `ledger` when it goes from `old_folder` to `new_folder`.  Raises CannotSpell."""
        swapping = Swapping(self.moves, self.resolver)
        found = [] if any(self.aims) or self.manner.here or self.manner.like else swapping.shown(ledger, old_folder)
        swaps = [swap for swap, move in found if not move.takes]
        partly = [(swap, move) for swap, move in found if move.takes]
        self.parted = {}
        texts: dict[Hashable, str] = {}
        for batch in ledger.batches(besides=swaps):
            done = swapping.swapped(batch, old_folder, partly)
            texts.update((batch.key(number), text) for number, text in done.items())
            texts.update(self.texts(entries_of(batch, besides=done), old_folder, new_folder))
        return with_parted(ledger, Changes(texts, swaps), self.parted)

    def texts(self, entries: Iterable[Entry], old_folder: str, new_folder: str) -> dict[Hashable, str]:
        """The new texts of those entries that need one, by their keys.  Raises CannotSpell."""
        pairs = ((entry, self.new_text(entry, old_folder, new_folder)) for entry in entries)
        return {entry.key: text for entry, text in pairs if text not in (None, entry.written)}

    def in_front(self, ledger: Ledger, old_folder: str, new_folder: str) -> "Changes":
        """As `changes`, for a ledger that lists folders when new ones come in front of those of which a part stays."""
        found = in_lists(ledger, self.resolver) or listed(ledger, self.resolver)
        known, base = {folder for _entry, folder in found}, os.path.dirname(ledger.path)
        front: dict[Hashable, list[str]] = {}
        for entry, folder in found:
            for one in self.added:
                if one.old == folder and one.new not in known:
                    known.add(one.new)
                    front.setdefault(entry.key, []).append(
                        self.resolver.text(entry, entry.written, one.new, self.resolver.start(entry, base))
                    )
        others = (entry for entry in ledger.entries() if entry.key not in front)
        return Changes(self.texts(others, old_folder, new_folder), [], ListEdits(front))

    def new_text(self, entry: Entry, old_folder: str, new_folder: str) -> str | None:
        """The text that keeps `entry` true when its ledger goes from `old_folder` to `new_folder`.

        None when it stays true as it is written.  Raises CannotSpell.
        """
        entry = self.resolver.settled(entry, old_folder)
        text, target = self.meant(entry, old_folder)
        wanted = self.wanted(entry, target)
        if self.manner.here and holds_our_paths(entry.spelling, text, wanted):
            return wanted
        if entry.base and self.meant(entry.base, old_folder)[1] in self.aims.levels:
            return None  # what starts from there was right, and the folder was not
        old_start, start = self.resolver.start(entry, old_folder), self.new_start(entry, old_folder, new_folder)
        if self.manner.bears_on(text) and (written := self.in_manner(entry, text, target, wanted, start)):
            return written
        if self.needs_nothing(entry, Way(text, target, wanted, old_start, start)):
            return None
        # Blanks, a query or a fragment around what is read stay.
        lead, own, rest = entry.written.partition(text) if text else ("", "", "")
        try:
            written = self.resolver.text(entry, text, wanted, start)
        except CannotSpell as error:
            if entry.base and (wanted == target or self.manner.partly) and not os.path.lexists(target):
                self.part(entry, parting_of(entry, text, wanted, old_folder, self.resolver), error)
                return None  # it is lost, and no reason to leave what shares its folder lost as well
            raise
        return lead + written + rest if own else written

    def part(self, entry: Entry, parting: Parting | None, error: CannotSpell) -> None:
        """Note that an entry can start from another folder, if one is known, or else why it stays."""
        if parting:
            self.parted[entry.key] = parting
        else:
            self.unwritten = self.unwritten or error

    def needs_nothing(self, entry: Entry, way: Way) -> bool:
        """Whether an entry keeps its text: it stays true, or lost, as it is written."""
        text, target, wanted, old_start, start = way
        stays = wanted == target
        # It stays, and so does its ledger: then nothing changes, unless its path climbs out of a shelf that goes.
        through = stays and self.passes_through(entry, text, old_start)
        if stays and start == old_start and not through:
            return True
        # A content folder that comes into the list will show it under the very text that it has.
        if entry.spelling.start == "content" and any(one.finds(old_start, text, wanted) for one in self.added):
            return True
        read = entry.spelling.read(text, start)
        stays_true = read is not None and same_place(self.resolver.meanings.here(read), wanted)
        # One that leads out of a moving shelf may stay true by chance, along a path that has become a detour.
        by_chance = stays and not entry.base and read != entry.spelling.read(text, old_start)
        return (stays_true and not by_chance and not through) or self.stays_lost(entry, target, wanted, read)

    def stays_lost(self, entry: Entry, target: str, wanted: str, read: str | None) -> bool:
        """Whether an entry is lost and will be, though its folder is mended: so its text need not change."""
        if not (self.manner.partly and entry.base and read and wanted == target) or os.path.lexists(target):
            return False
        return not os.path.lexists(self.resolver.meanings.here(read))

    def in_manner(self, entry: Entry, text: str, target: str, wanted: str, start: str) -> str | None:
        """The text for an entry that leads to `wanted`, in the manner that was asked for; None for what that does not
        concern.  Raises CannotSpell for what has to be relative and cannot be.
        """
        relative = self.manner.like == RELATIVE
        starts = starts_somewhere(entry.spelling, text)
        if entry.spelling.start == "content" or not (self.moves.covers(target) if relative else starts):
            return None
        if entry.base and (starts or not relative):
            return None  # it starts from its base, and that is written in the manner
        for manner in self.manners(entry, text, starts):
            with suppress(CannotSpell):
                written = entry.spelling.write(manner, wanted, start)
                read = entry.spelling.read(written, start)
                sound = read is not None and same_place(read, wanted) and not written.startswith("#")
                if sound and starts_somewhere(entry.spelling, written) == relative:
                    return written
        if relative:
            raise CannotSpell("it can hold only full paths")
        return None

    def manners(self, entry: Entry, text: str, starts: bool) -> Iterator[str]:
        """The manners that are tried for an entry, one after the other."""
        like = self.manner.like + ("/" if entry.is_folder and text.endswith(("/", "\\")) else "")
        if self.manner.like != RELATIVE:
            yield like
            return
        if starts:
            yield text
        for lead in ("", "./"):  # without which some names would mean something else
            yield (lead + like).replace("/", "\\") if "\\" in text and "/" not in text else lead + like

    def passes_through(self, entry: Entry, text: str, start: str) -> bool:
        """Whether a path that leads elsewhere goes into a moving shelf and out of it again: once that is gone, it
        leads nowhere.
        """
        path = self.resolver.path(entry.spelling, text, start) if ".." in text else None
        parts = path.split("/") if path else []
        own = len(start) if path and tail_below(path.partition("/..")[0], start) is not None else 0
        steps = ("/".join(parts[:at]) for at, part in enumerate(parts) if part == "..")
        return any(len(step) > own and self.moves.covers(os.path.normpath(step)) for step in steps)

    def new_start(self, entry: Entry, old_folder: str, new_folder: str) -> str:
        """The folder the text of `entry` will start from: for one with a base, where that will lead."""
        drive = entry.spelling.start == "drive"
        if entry.base is None:
            return self.resolver.start(entry, self.landing(new_folder) if drive else new_folder)
        _text, target = self.meant(entry.base, old_folder)
        return self.resolver.base_folder(entry.base, self.wanted(entry.base, target))

    def landing(self, folder: str) -> str:
        """A folder on the drive that `folder` will lie on: a signpost that makes room for its shelf leads elsewhere."""
        link = next((one for one in above(folder) if one in self.links_in_the_way), None)
        return os.path.dirname(link) if link else folder

    @cached_property
    def links_in_the_way(self) -> set[str]:
        """The new places at which a link still is."""
        return {move.new for move in self.moves.moves if os.path.islink(move.new)}

    def wanted(self, entry: Entry, target: str) -> str:
        """Where an entry that leads to `target` shall lead."""
        if entry.names == NEW_THINGS and target in self.aims.new_things:
            return self.aims.new_things[target]
        if entry.is_folder:
            target = self.aims.levels.get(target, target)
        return self.moves.follow(target) or target

    def meant(self, entry: Entry, folder: str) -> tuple[str, str]:
        """The reading of `entry` that leads into a moving shelf, else the likeliest, and where it leads."""
        start = self.resolver.start(entry, folder)
        paths = [(text, self.resolver.path(entry.spelling, text, start)) for text in entry.readings()]
        found = [(text, path, self.led(path)) for text, path in paths if path is not None]
        found = found or [(entry.written, start, start)]  # a base that names nothing leaves things where they start
        covered = [reading for reading in found if self.moves.covers(reading[2])] or found[:1]
        there = (one for one in covered if len(covered) > 1 and os.path.lexists(one[1]))
        text, _path, place = next(there, covered[0])
        return text, place


def holds_our_paths(spelling: Spelling, text: str, wanted: str) -> bool:
    """Whether a text is a path of another system, in a spelling that can hold one as this system writes it."""
    return looks_foreign(text) and not PSEUDO.match(wanted) and spelling.read(wanted, "/") == wanted


def starts_somewhere(spelling: Spelling, text: str) -> bool:
    """Whether what a text means depends on the folder it is read in: whether it is no full path."""
    return spelling.read(text, "/1") != spelling.read(text, "/2")


def entries_of(batch: Batch, besides: Container[int]) -> Iterator[Entry]:
    """The entries of a batch but for those with some numbers."""
    return (
        batch.entry(number)
        for number, text in enumerate(batch.texts)
        if number not in besides and batch.names_a_file(text)
    )


def same_place(one: str, other: str) -> bool:
    """Whether two absolute paths are the same but for detours within them."""
    return one == other or plain(one) == plain(other) or os.path.normpath(one) == os.path.normpath(other)
