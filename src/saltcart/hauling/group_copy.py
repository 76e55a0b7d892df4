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
`start_group` does 1, `finish_group` the rest; with several processes, the next group is started while one is finished.
"""

import os
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field

from saltcart.drives.flush import flush_files
from saltcart.drives.limits import APART, NAMES
from saltcart.hauling.file_copy import FileCopy, SourceTrouble, Tell, copy_file
from saltcart.hauling.workers import Outcome, Reading, Workers, read_one
from saltcart.safefile import remove_if_there, short_name, sync_folder
from saltcart.trips.logbook import Logbook
from saltcart.trips.records import PLACING, TROUBLE, Row
from saltcart.waybills.waybill import Shelf


@dataclass(frozen=True, slots=True)
class ShelfTarget:
    """A shelf to copy, its number in the logbook, the mount point and file system it goes to, what copies share, the
    kind of their digests, and who helps.

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
    workers: Workers


@dataclass(slots=True)
class Group:
    """One group on its way: its jobs, the function that waits for their outcomes, and what is known of them so far."""

    jobs: list[FileCopy]
    outcomes: Callable[[], list[Outcome]]
    digests: dict[str, str] = field(default_factory=dict)
    troubles: list[tuple[str, str]] = field(default_factory=list)

    def remove_temporaries(self) -> None:
        """Remove the temporary files."""
        for job in self.jobs:
            with suppress(OSError):
                remove_if_there(job.temporary)


def copy_group(target: ShelfTarget, rows: list[Row], logbook: Logbook) -> None:
    """Copy one group as described above.  OSError when the destination fails; nothing has a name then that is not
    recorded.
    """
    finish_group(target, start_group(target, rows), logbook)


def start_group(target: ShelfTarget, rows: list[Row]) -> Group:
    """Begin to copy a group; one alone begins when it lands."""
    jobs = [file_copy_for(target, row) for row in rows]
    return Group(jobs, target.workers.copy(jobs, target.tell))


def finish_group(target: ShelfTarget, group: Group, logbook: Logbook) -> None:
    """Flush a group that was sent, read it back, and give the proven copies their names."""
    try:
        for job, (digest, why) in zip(group.jobs, group.outcomes(), strict=True):
            if why:
                group.troubles.append((job.path, why))
            else:
                group.digests[job.path] = digest
        copied = [job for job in group.jobs if job.path in group.digests]
        flush_files([job.temporary for job in copied], target.mount, target.filesystem)
        shared = {job.path for job in copied if job.sharing == NAMES and os.path.samefile(job.source, job.temporary)}
        written = [job for job in copied if job.path not in shared]
        readings = [Reading(job.path, job.temporary, job.size, job.digests) for job in written]
        for job, (found, _why) in zip(written, target.workers.read(readings, target.tell)(), strict=True):
            if found != group.digests[job.path] and not second_copy_verifies(target, group, job):
                del group.digests[job.path]
                group.troubles.append(
                    (job.path, "twice came back from the new drive with other content: that drive may be failing")
                )
        for job in copied:
            if job.path in shared:
                target.tell("share", job.path, job.size)
    except BaseException:
        target.workers.stop()
        group.remove_temporaries()
        raise
    name_copies(target, group, logbook)


def name_copies(target: ShelfTarget, group: Group, logbook: Logbook) -> None:
    """Give the proven copies their names between the two records."""
    proven = [job for job in group.jobs if job.path in group.digests]
    with logbook.together():
        logbook.mark(target.number, [(path, PLACING, digest, None, False) for path, digest in group.digests.items()])
        logbook.mark(target.number, [(path, TROUBLE, None, why, False) for path, why in group.troubles])
        for path, why in group.troubles:
            logbook.tell(f"not copied: {path}: {why}")
    for job in proven:
        os.replace(job.temporary, job.final)
    for folder in {os.path.dirname(job.final) for job in proven}:
        sync_folder(folder)
    if group.digests:
        logbook.mark_placed(target.number, min(group.digests, key=os.fsencode), max(group.digests, key=os.fsencode))


def file_copy_for(target: ShelfTarget, row: Row) -> FileCopy:
    """Where one file is read, written and named."""
    item = row.item
    final = target.shelf.place(item.path)
    folder, _slash, name = final.rpartition("/")
    temporary = f"{folder}/.saltcart-{short_name(name, 12)}.part"
    source = f"{target.shelf.old}/{item.path}" if item.path else target.shelf.old
    sharing = APART if target.sharing == NAMES and final in target.ledgers else target.sharing
    return FileCopy(
        item.path,
        source,
        temporary,
        final,
        item.size,
        item.disk_bytes,
        item.mtime_ns,
        item.mode,
        sharing,
        target.digests,
    )


def second_copy_verifies(target: ShelfTarget, group: Group, job: FileCopy) -> bool:
    """Whether a second copy of a file reads back as what was read from the original."""
    try:
        group.digests[job.path] = copy_file(job)
    except SourceTrouble:
        return False
    flush_files([job.temporary], target.mount, target.filesystem)
    if read_one(Reading(job.path, job.temporary, job.size, job.digests))[0] == group.digests[job.path]:
        return True
    remove_if_there(job.temporary)
    return False
