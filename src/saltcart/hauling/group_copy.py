"""Copying files in groups so that none has its name before it is proven.

For each group, in this order:
  1. every file is read once, digested while it is read, and written under a temporary name;
  2. the group is flushed to the drive;
  3. every copy is read back from the drive and its digest compared; one that differs is
     copied once more, and reported when it differs again;
  4. the logbook records the group as `placing`, with digests;
  5. the copies take their names, and their folders are flushed;
  6. the logbook records the group as `verified`.
A crash before 4 leaves temporary files, which the next start overwrites; one between 4 and 6
leaves files whose digests the logbook knows, so the next start sees that they are ours.
`send` does 1, `land` the rest; with a crew, the next group is sent while one lands.
"""

import os
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field

from saltcart.drives.flush import flush_files
from saltcart.drives.limits import APART, NAMES
from saltcart.safefile import remove_if_there, short_name, sync_folder
from saltcart.trips.crew import Hands, Outcome, Reading, read_one
from saltcart.trips.errand import Errand, SourceTrouble, Tell, copy_file
from saltcart.trips.logbook import PLACING, TROUBLE, Logbook, Row
from saltcart.trips.waybill import Shelf


@dataclass(frozen=True, slots=True)
class Route:
    """A shelf to copy, its number in the logbook, the mount point and file system it goes to, what copies share, the kind of their digests, and who helps.

    `ledgers` are written to by their programs at the new place, so they share nothing but blocks.
    """

    number: int
    shelf: Shelf
    mount: str
    filesystem: str
    sharing: str
    ledgers: frozenset[str]
    digests: str
    tell: Tell
    hands: Hands


@dataclass(slots=True)
class Load:
    """One group on its way: its errands, how to learn what became of them, and what came of it so far."""

    errands: list[Errand]
    outcomes: Callable[[], list[Outcome]]
    digests: dict[str, str] = field(default_factory=dict)
    troubles: list[tuple[str, str]] = field(default_factory=list)

    def drop(self) -> None:
        """Remove the temporary files."""
        for errand in self.errands:
            with suppress(OSError):
                remove_if_there(errand.temporary)


def copy_group(route: Route, rows: list[Row], logbook: Logbook) -> None:
    """Copy one group as described above.  OSError when the destination fails; nothing has a name then that is not recorded."""
    land(route, send(route, rows), logbook)


def send(route: Route, rows: list[Row]) -> Load:
    """Begin to copy a group; one alone begins when it lands."""
    errands = [errand_for(route, row) for row in rows]
    return Load(errands, route.hands.copy(errands, route.tell))


def land(route: Route, load: Load, logbook: Logbook) -> None:
    """Flush a group that was sent, read it back, and give the proven copies their names."""
    try:
        for errand, (digest, why) in zip(load.errands, load.outcomes()):
            if why:
                load.troubles.append((errand.path, why))
            else:
                load.digests[errand.path] = digest
        copied = [errand for errand in load.errands if errand.path in load.digests]
        flush_files([errand.temporary for errand in copied], route.mount, route.filesystem)
        shared = {errand.path for errand in copied if errand.sharing == NAMES and os.path.samefile(errand.source, errand.temporary)}
        written = [errand for errand in copied if errand.path not in shared]
        readings = [Reading(errand.path, errand.temporary, errand.size, errand.digests) for errand in written]
        for errand, (found, _why) in zip(written, route.hands.read(readings, route.tell)()):
            if found != load.digests[errand.path] and not comes_back(route, load, errand):
                del load.digests[errand.path]
                load.troubles.append((errand.path, "twice came back from the new drive with other content: that drive may be failing"))
        for errand in copied:
            if errand.path in shared:
                route.tell("share", errand.path, errand.size)
    except BaseException:
        route.hands.dismiss()
        load.drop()
        raise
    record(route, load, logbook)


def record(route: Route, load: Load, logbook: Logbook) -> None:
    """Give the proven copies their names between the two records."""
    proven = [errand for errand in load.errands if errand.path in load.digests]
    with logbook.together():
        logbook.mark(route.number, [(path, PLACING, digest, None, False) for path, digest in load.digests.items()])
        logbook.mark(route.number, [(path, TROUBLE, None, why, False) for path, why in load.troubles])
        for path, why in load.troubles:
            logbook.tell(f"not copied: {path}: {why}")
    for errand in proven:
        os.replace(errand.temporary, errand.final)
    for folder in {os.path.dirname(errand.final) for errand in proven}:
        sync_folder(folder)
    if load.digests:
        logbook.mark_placed(route.number, min(load.digests, key=os.fsencode), max(load.digests, key=os.fsencode))


def errand_for(route: Route, row: Row) -> Errand:
    """Where one file is read, written and named."""
    item = row.item
    final = route.shelf.place(item.path)
    folder, _slash, name = final.rpartition("/")
    temporary = f"{folder}/.saltcart-{short_name(name, 12)}.part"
    source = f"{route.shelf.old}/{item.path}" if item.path else route.shelf.old
    sharing = APART if route.sharing == NAMES and final in route.ledgers else route.sharing
    return Errand(item.path, source, temporary, final, item.size, item.disk_bytes, item.mtime_ns, item.mode, sharing, route.digests)


def comes_back(route: Route, load: Load, errand: Errand) -> bool:
    """Whether a second copy of a file reads back as what was read from the original."""
    try:
        load.digests[errand.path] = copy_file(errand)
    except SourceTrouble:
        return False
    flush_files([errand.temporary], route.mount, route.filesystem)
    if read_one(Reading(errand.path, errand.temporary, errand.size, errand.digests))[0] == load.digests[errand.path]:
        return True
    remove_if_there(errand.temporary)
    return False
