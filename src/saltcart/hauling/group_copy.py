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
In 5 no name is taken that something has, unless our records say that we wrote exactly that content there.
`start_group` does 1, `finish_group` the rest; with several processes, the next group is started while one is finished.
"""

import errno
import stat
from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress

from msgspec import Struct, field

from saltcart.drives.flush import flush_files
from saltcart.drives.limits import APART, NAMES, limits_of
from saltcart.errors import show
from saltcart.hauling.file_copy import REFUSALS_TO_MAKE, FileCopy, FileTrouble, Tell, copy_file, refusal
from saltcart.hauling.workers import Outcome, Reading, Workers, read_one
from saltcart.own_names import part_of, staged_for
from saltcart.renaming import rename_new
from saltcart.safefile import remove_if_there, sync_folder
from saltcart.shelves.digests import digest_file, worker_for
from saltcart.shelves.marks import Mark, mark_of
from saltcart.system import os
from saltcart.trips.logbook import Logbook
from saltcart.trips.records import PLACING, Placed, Row, Trouble
from saltcart.waybills.shelf import Shelf

TAKEN = "another file has that name at the new place now; it was left as it is"


class ShelfTarget(Struct, frozen=True):
    """A shelf to copy, and how."""

    number: int  # in the logbook
    shelf: Shelf
    mount: str
    filesystem: str
    sharing: str  # what copies share with originals
    ledgers: frozenset[str]  # new places that programs write to: these share nothing but blocks
    digests: str  # their kind
    exact: bool  # the change times of the originals can be trusted
    earlier: Mapping[str, tuple[str, str]]  # kind and digest of what earlier trips brought, which may be replaced
    waits_for: str  # the trip whose switch replaces it
    tell: Tell
    workers: Workers
    remark: Callable[[str], None]  # takes a sentence for a person
    lost: Counter[str]  # what the new drive could not keep


class Group(Struct):
    """One group on its way: its jobs, the function that waits for their outcomes, and what is known of them so far."""

    jobs: list[FileCopy]
    outcomes: Callable[[], list[Outcome]]
    digests: dict[str, str] = field(default_factory=dict)
    sources: dict[str, Mark | None] = field(default_factory=dict)
    troubles: list[Trouble] = field(default_factory=list)

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
    """Begin to copy a group; a single group begins when it lands."""
    group = Group([file_copy_for(target, row) for row in rows], list)
    try:
        group.outcomes = target.workers.copy(group.jobs, target.tell)
    except BaseException:
        # The processes may have ended while the work was handed out: some of it is done by then.
        target.workers.stop()
        group.remove_temporaries()
        raise
    return group


def finish_group(target: ShelfTarget, group: Group, logbook: Logbook) -> None:
    """Flush a group that was sent, read it back, and give the proven copies their names."""
    try:
        for job, outcome in zip(group.jobs, group.outcomes(), strict=True):
            target.lost.update(outcome.lost)
            if outcome.why:
                group.troubles.append(Trouble(job.path, outcome.why))
            else:
                group.digests[job.path] = outcome.digest
                group.sources[job.path] = outcome.source
        refuse_failing_drive(target, group)
        copied = [job for job in group.jobs if job.path in group.digests]
        flush_files([job.temporary for job in copied], target.mount, target.filesystem)
        # A second name of its original is the original: reading it back would prove nothing.
        shared = {job.path for job in copied if job.sharing == NAMES and os.path.samefile(job.source, job.temporary)}
        prove(target, group, [job for job in copied if job.path not in shared], logbook)
        for job in copied:
            if job.path in shared:
                target.tell("share", job.path, job.size)
    except BaseException:
        target.workers.stop()
        group.remove_temporaries()
        raise
    name_copies(target, group, logbook)


def refuse_failing_drive(target: ShelfTarget, group: Group) -> None:
    """Raise OSError when a drive refuses every one of several files: then it is not about their names."""
    if len(group.jobs) > 1 and not group.digests and len({one.why for one in group.troubles}) == 1:
        (why,) = {one.why for one in group.troubles}
        if why.startswith(REFUSALS_TO_MAKE[errno.EIO]):
            raise OSError(errno.EIO, os.strerror(errno.EIO), target.mount)


def prove(target: ShelfTarget, group: Group, written: list[FileCopy], logbook: Logbook) -> None:
    """Read copies back from their drive.  One that differs is made once more; either is kept in the log."""
    readings = [Reading(job.path, job.temporary, job.size, job.digests) for job in written]
    for job, outcome in zip(written, target.workers.read(readings, target.tell)(), strict=True):
        if outcome.digest == group.digests[job.path]:
            continue
        if second_copy_verifies(target, group, job):
            note = f"{job.path}: came back from {target.mount} with other content, and was right only when copied again"
            logbook.tell(note)
            target.remark(f"{show(note)}: that drive, its cable or the memory may be failing")
        else:
            group.digests.pop(job.path, None)
            why = "twice came back from the new drive with other content: that drive may be failing"
            group.troubles.append(Trouble(job.path, why))


def name_copies(target: ShelfTarget, group: Group, logbook: Logbook) -> None:
    """Give the proven copies their names between the two records."""
    with logbook.together():
        placed = [Placed(path, digest, group.sources.get(path)) for path, digest in group.digests.items()]
        logbook.mark_placing(target.number, placed)
        record_troubles(target, group.troubles, logbook)
    refused, waiting = [], []
    for job in [job for job in group.jobs if job.path in group.digests]:
        try:
            waiting += [job.path] if take_name(job) else []
        except (OSError, FileTrouble) as error:
            taken = isinstance(error, FileTrouble)
            why = str(error) if isinstance(error, FileTrouble) else refusal(error)
            if why is None:
                raise
            remove_if_there(job.temporary)
            refused.append(Trouble(job.path, why, taken))
            del group.digests[job.path]
    named = [job for job in group.jobs if job.path in group.digests]
    for folder in {os.path.dirname(job.final) for job in named}:
        sync_folder(folder)
    copies = [(job.path, mark_of(os.lstat(job.waits_at if job.path in waiting else job.final))) for job in named]
    with logbook.together():
        record_troubles(target, refused, logbook)
        logbook.mark_placed(target.number, copies)
        logbook.put_waiting(target.number, waiting)


def take_name(job: FileCopy) -> bool:
    """Give a proven copy its name; whether it waits under another instead, since an older one of ours has that name.

    FileTrouble when something has it that is not ours, which stays as it is.
    """
    try:
        rename_new(job.temporary, job.final)
    except FileExistsError:
        if os.path.samefile(job.temporary, job.final):
            os.unlink(job.temporary)  # two names of one file, of which a rename would leave both
            return False
        if not may_replace(job.final, job.replaces):
            raise FileTrouble(TAKEN) from None
        os.replace(job.temporary, job.waits_at or job.final)
        return bool(job.waits_at)
    return False


def may_replace(place: str, replaces: Iterable[tuple[str, str]]) -> bool:
    """Whether the file at `place` is exactly what our records say we wrote there, by kind and digest.

    Not guaranteed: that nobody writes to it between this look and the rename that follows.
    """
    if not stat.S_ISREG(os.lstat(place).st_mode):
        return False
    return any(digest_file(place, kind) == digest for kind, digest in replaces)


def record_troubles(target: ShelfTarget, troubles: list[Trouble], logbook: Logbook) -> None:
    """Record files that could not be copied, and why."""
    logbook.mark_trouble(target.number, troubles)
    for one in troubles:
        logbook.tell(f"not copied: {one.path}: {one.why}")


def file_copy_for(target: ShelfTarget, row: Row) -> FileCopy:
    """Where one file is read, written and named."""
    item = row.item
    final = target.shelf.place(item.path)
    temporary = part_of(final)
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
        limits_of(target.filesystem).nearest_time(item.mtime_ns),
        item.mode,
        sharing,
        target.digests,
        what_may_be_replaced(target, row, final),
        staged_for(final, target.waits_for) if target.waits_for and final in target.earlier else "",
        target.exact,
    )


def what_may_be_replaced(target: ShelfTarget, row: Row, place: str) -> tuple[tuple[str, str], ...]:
    """Kind and digest of what our records say we wrote at the place of a row: an older copy of this trip or of an
    earlier one; and, where a start was interrupted while it gave names, the empty file that kept the name.
    """
    ours = [(target.digests, row.digest)] if row.digest else []
    before = [target.earlier[place]] if place in target.earlier else []
    empty = [(target.digests, worker_for(target.digests).hexdigest())] if row.state == PLACING else []
    return (*ours, *before, *empty)


def second_copy_verifies(target: ShelfTarget, group: Group, job: FileCopy) -> bool:
    """Whether a second copy of a file reads back as what was read from the original."""
    try:
        copied = copy_file(job)
        group.digests[job.path], group.sources[job.path] = copied.digest, copied.source
    except FileTrouble:
        return False
    flush_files([job.temporary], target.mount, target.filesystem)
    if read_one(Reading(job.path, job.temporary, job.size, job.digests)).digest == group.digests[job.path]:
        return True
    remove_if_there(job.temporary)
    return False
