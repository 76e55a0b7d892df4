"""Walking a shelf before a trip: its sizes, the ledgers in it, and what would be in the way."""

import os
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from saltcart.drives.drive import mount_of
from saltcart.errors import Refused, show
from saltcart.ledgers import Map
from saltcart.looking.survey import look_for_ledger
from saltcart.planning.destination import refuse_clashes, refuse_mounts
from saltcart.progress import Progress, Tick
from saltcart.shelves.audio import kind_of
from saltcart.shelves.oddities import litter
from saltcart.shelves.walk import FILE, LINK, Item, walk
from saltcart.trips.signposts import leads_home
from saltcart.waybills.new_place import allocated, leads_out, unit_of
from saltcart.waybills.waybill import Shelf, Waybill, is_set_aside, matches


@dataclass(slots=True)
class DraftedShelf:
    """One shelf as the draft saw it; bytes as written in it, as its drive allocates them, and as the new one will."""

    shelf: Shelf
    files: int = 0
    bytes: int = 0
    disk_bytes: int = 0
    audio_files: int = 0
    target_bytes: int = 0
    items: list[str] = field(default_factory=list)


class ShelfInspector:
    """Looks over shelves: walks each once for sizes, ledgers (into `found` and `staying`), clashes, remarks."""

    def __init__(self, waybill: Waybill, maps: Sequence[Map], left_out: Sequence[str], progress: Progress):
        self.waybill, self.maps, self.progress = waybill, maps, progress
        self.found: dict[str, None] = {}
        self.staying: dict[str, None] = {}
        # Of what a person asked to leave out, the patterns that have matched nothing yet.
        self.unmatched: set[str] = set(left_out)
        self.remarks: list[str] = []

    def inspect(self, shelf: Shelf) -> DraftedShelf:
        """One shelf.  Refused when a part of it cannot be read, or other files stand at its new place."""
        one = DraftedShelf(shelf)
        unit = unit_of(mount_of(shelf.new))
        refuse_mounts(shelf)
        clashes: list[str] = []
        occupied = os.path.isdir(shelf.new) and not leads_home(shelf.new, shelf.old)
        for item in shelf.sift(self.noting_patterns(shelf)):
            one.items.append(item.path)
            if item.kind == FILE:
                count_file(one, item, unit)
                self.progress(Tick(f"look over {shelf.name}", item.path, one.files, 0))
            self.note(shelf, item)
            if occupied and clash(shelf, item):
                clashes.append(shelf.place(item.path))
        refuse_clashes(shelf, clashes)
        if shelf.only and not one.files:
            raise Refused(
                f"Nothing in {show(shelf.old)} matches --only {' '.join(map(show, shelf.only))}",
                "Patterns are matched against paths from the shelf's top, such as 'Low Bells' or '*.wav'.",
            )
        return one

    def noting_patterns(self, shelf: Shelf) -> Iterator[Item]:
        """Everything in a shelf, taking note of the patterns that match something, and of ledgers that stay."""
        unknown = 0
        for item in walk(shelf.old, refuse_unreadable):
            if self.unmatched:
                self.unmatched -= {pattern for pattern in self.unmatched if matches(item.path, [pattern])}
            if item.kind == FILE and not shelf.takes(item.path) and may_be_ledger(item.path):
                path = os.path.join(shelf.old, item.path)
                look_for_ledger(path, self.maps, self.staying, self.remarks)
                unknown += path not in self.staying
            yield item
        if unknown:
            self.remarks.append(
                f"{unknown} file(s) that stay in {show(shelf.old)} are in no format known here; what they name by their"
                " own folder alone cannot be seen"
            )

    def note(self, shelf: Shelf, item: Item) -> None:
        """Take up a ledger that will travel, and a link that leads out.  Refused for another drive that is mounted in
        the shelf.
        """
        if item.kind == FILE and may_be_ledger(item.path):
            look_for_ledger(os.path.join(shelf.old, item.path), self.maps, self.found, self.remarks)
        elif item.kind == LINK and (remark := leads_out(shelf, item.path, self.waybill.link_target(item.target or ""))):
            self.remarks.append(remark)


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


def clash(shelf: Shelf, item: Item) -> bool:
    """Whether something of another kind or size stands at the new place of `item`; content is compared by the haul."""
    place = shelf.place(item.path)
    if not os.path.lexists(place):
        return False
    if item.kind == FILE:
        return os.path.islink(place) or not os.path.isfile(place) or os.path.getsize(place) != item.size
    return os.path.islink(place) != (item.kind == LINK)
