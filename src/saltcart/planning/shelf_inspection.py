"""Walking a shelf before a trip: its sizes, the ledgers in it, and what would be in the way."""

from collections.abc import Iterator, Sequence

from msgspec import Struct, field

from saltcart.drives.drive import landing_mount
from saltcart.errors import Refused, counted, show, typed
from saltcart.home import home
from saltcart.ledgers.maps import Map
from saltcart.looking.scan import look_for_ledger
from saltcart.planning.destination import refuse_clashes, refuse_mounts
from saltcart.progress import Progress, Tick
from saltcart.shelves.audio import kind_of
from saltcart.shelves.marks import EARLIEST_NS, LATEST_NS
from saltcart.shelves.oddities import litter
from saltcart.shelves.walk import FILE, FOLDER, LINK, Item
from saltcart.spelling.moves import tail_below
from saltcart.system import here, os
from saltcart.trips.signposts import leads_home
from saltcart.waybills.collection_file import digests_before
from saltcart.waybills.new_place import allocated, leads_out, unit_of
from saltcart.waybills.parts import MOST_TOPS
from saltcart.waybills.patterns import is_set_aside, matches
from saltcart.waybills.shelf import Shelf
from saltcart.waybills.waybill import Waybill


class DraftedShelf(Struct):
    """One shelf as the draft saw it; bytes as written in it, as its drive allocates them, and as the new one will.
    Some files, with the bytes that the new drive allocates, are `there` already by name and size.

    Of a shelf of which a part stays, `tops` are folders of which something leaves, beside something that stays, `kept`
    are folders that stay whole, and `left` are files that stay and may name sounds.  `far_times` counts things whose
    time lies beyond what we can record.
    """

    shelf: Shelf
    files: int = 0
    bytes: int = 0
    disk_bytes: int = 0
    audio_files: int = 0
    target_bytes: int = 0
    there_files: int = 0
    there_bytes: int = 0
    items: list[str] = field(default_factory=list)
    tops: list[str] = field(default_factory=list)
    kept: list[str] = field(default_factory=list)
    left: list[str] = field(default_factory=list)
    far_times: int = 0

    @property
    def coming_bytes(self) -> int:
        """The bytes that the new drive will allocate."""
        return self.target_bytes - self.there_bytes


class ShelfInspector:
    """Looks over shelves: walks each once for sizes, ledgers (into `found` and `staying`), clashes, remarks."""

    def __init__(self, waybill: Waybill, maps: Sequence[Map], left_out: Sequence[str], progress: Progress):
        self.waybill, self.maps, self.progress = waybill, maps, progress
        self.found: dict[str, None] = {}
        self.staying: dict[str, None] = {}
        # Of what a person asked to leave out, the patterns that have matched nothing yet.
        self.unmatched: set[str] = set(left_out)
        self.remarks: list[str] = []
        self.left_out: dict[str, str] = {}  # ledgers that cannot be read, with why
        self.mixed: set[str] = set()  # folders from the top of the shelf in which something stays
        self.left: list[str] = []  # files that stay and may name sounds

    def inspect(self, shelf: Shelf) -> DraftedShelf:
        """One shelf.  Refused when a part of it cannot be read, or other files are at its new place."""
        one = DraftedShelf(shelf)
        unit = unit_of(landing_mount(shelf.new))
        refuse_mounts(shelf)
        clashes: list[str] = []
        folders: list[str] = []
        self.mixed, self.left = set(), []
        fixed: list[str] = []
        earlier = digests_before(self.waybill.collection)
        occupied = os.path.lexists(shelf.new) and not leads_home(shelf.new, shelf.old)
        for item in shelf.sift(self.noting_patterns(shelf)):
            one.items.append(item.path)
            if item.kind == FOLDER and item.path:
                folders.append(item.path)
            if item.kind in (FILE, FOLDER) and not shelf.original_stays:
                place = f"{shelf.old}/{item.path}"
                fixed += [place] if here.is_fixed(place, item.device) else []
            # The ends of what is counted stand for all that lies beyond them.
            one.far_times += item.mtime_ns in (EARLIEST_NS, LATEST_NS)
            if item.kind == FILE:
                count_file(one, item, unit)
                self.progress(Tick(f"look over {shelf.name}", item.path, one.files, 0))
            self.note(shelf, item)
            if occupied and os.path.lexists(shelf.place(item.path)):
                if not clash(shelf, item):
                    count_there(one, item, unit)
                elif shelf.place(item.path) not in earlier:
                    clashes.append(shelf.place(item.path))
        self.part_ways(shelf, one, folders)
        self.tell_locked(shelf, fixed)
        refuse_clashes(shelf, clashes)
        if shelf.only and not one.files:
            raise Refused(
                f"Nothing in {show(shelf.old)} matches --only {' '.join(map(show, shelf.only))}",
                "Patterns are matched against paths from the shelf's top, such as 'Low Bells' or '*.wav'.",
            )
        return one

    def tell_locked(self, shelf: Shelf, places: Sequence[str]) -> None:
        """Say which things of a shelf cannot be deleted as they are."""
        if places:
            what = counted(len(places), "locked file or folder", "locked files or folders")
            self.remarks.append(
                f"{what} in {show(shelf.name)}, such as {show(places[0])}: release cannot delete them until they are"
                f" unlocked: chattr -R -i -a {typed(shelf.old)}"
            )

    def part_ways(self, shelf: Shelf, one: DraftedShelf, folders: Sequence[str]) -> None:
        """Note where the folders of a shelf of which something stays part: into those that leave, and the others."""
        if self.mixed:
            leaving = {folder for path in {*one.items}.difference(folders) for folder in folders_above(path)}
            one.tops = self.parts(shelf, leaving, beside=self.mixed)
            one.kept = self.parts(shelf, self.mixed - leaving, beside=leaving)
            one.left = self.left

    def parts(self, shelf: Shelf, folders: set[str], beside: set[str]) -> list[str]:
        """The paths of the folders of a shelf that lie directly in one of the folders they are `beside`."""
        found = [f"{shelf.old}/{path}" for path in sorted(folders) if path and os.path.dirname(path) in beside]
        if len(found) > MOST_TOPS:
            self.remarks.append(
                f"{len(found)} folders of {show(shelf.name)} are parted from what stays. Only the first {MOST_TOPS} are"
                " looked for in files that Salt Cart cannot read yet; such files may refer to the others too"
            )
        return found[:MOST_TOPS]

    def noting_patterns(self, shelf: Shelf) -> Iterator[Item]:
        """Everything in a shelf, taking note of the patterns that match something, and of ledgers that stay."""
        for item in shelf.everything(refuse_unreadable):
            if self.unmatched:
                self.unmatched -= {pattern for pattern in self.unmatched if matches(item.path, [pattern])}
            if item.kind == FILE and not shelf.takes(item.path):
                self.mixed.update(folders_above(item.path))
                path = os.path.join(shelf.old, item.path)
                if may_be_ledger(item.path) and not shelf.packed and tail_below(path, home().as_posix()) is None:
                    look_for_ledger(path, self.maps, self.staying, self.remarks)
                    self.left.append(path)
            yield item

    def note(self, shelf: Shelf, item: Item) -> None:
        """Take up a ledger that will travel, and a link that leads out.  Refused for another drive that is mounted in
        the shelf.
        """
        if shelf.packed:
            return  # what is in it is looked at when it is unpacked
        if item.kind == FILE and may_be_ledger(item.path or shelf.old):
            look_for_ledger(f"{shelf.old}/{item.path}" if item.path else shelf.old, self.maps, self.found, self.remarks)
        elif item.kind == LINK:
            says = self.waybill.link_target(shelf, item.path, item.target or "")
            if remark := leads_out(shelf, item.path, says, self.waybill.moves()):
                self.remarks.append(remark)


def folders_above(path: str) -> Iterator[str]:
    """The folders that lead to a path from the top of its shelf, and the top itself, "", the deepest first."""
    while path:
        path = os.path.dirname(path)
        yield path


def may_be_ledger(path: str) -> bool:
    """Whether a file may name sounds: what is a sound itself, set aside or litter does not."""
    return kind_of(path) is None and not is_set_aside(path) and not litter(os.path.basename(path))


def refuse_unreadable(path: str, error: OSError) -> None:
    """Raise Refused: a shelf moves whole."""
    raise Refused(f"{show(path)} cannot be read: {error.strerror}", "Mend its permissions; a shelf moves whole.")


def count_file(one: DraftedShelf, item: Item, unit: int) -> None:
    """Add one file to the sums."""
    one.files += 1
    one.bytes += item.size
    one.disk_bytes += item.disk_bytes
    one.target_bytes += allocated(item.size, unit)
    one.audio_files += kind_of(item.path) is not None


def count_there(one: DraftedShelf, item: Item, unit: int) -> None:
    """Add one file that is at its new place already."""
    if item.kind == FILE:
        one.there_files += 1
        one.there_bytes += allocated(item.size, unit)


def clash(shelf: Shelf, item: Item) -> bool:
    """Whether what is at the new place of `item` is of another kind or size; content is compared by the haul."""
    place = shelf.place(item.path)
    if item.kind == FILE:
        return os.path.islink(place) or not os.path.isfile(place) or os.path.getsize(place) != item.size
    return os.path.islink(place) != (item.kind == LINK)
