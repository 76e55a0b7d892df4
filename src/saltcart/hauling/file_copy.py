"""Copying one file: read once, digested on the way, written under a temporary name with all that belongs to it."""

import errno
import stat
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from typing import NamedTuple

from saltcart.drives.limits import ACCESS_LISTS, APART, ATTRIBUTES, BLOCKS, FINE_TIMES, MODES, NAMES, OWNERS
from saltcart.errors import SaltCartError
from saltcart.shelves.digests import BLAKE3, CHUNK, Worker, worker_for
from saltcart.shelves.marks import Mark, mark_of, time_ns
from saltcart.system import here, os
from saltcart.system.contract import ACCESS, ATTRIBUTE, MODE, OWNER

Tell = Callable[[str, str, int], None]
RETRIES, PAUSE_SECONDS = 3, 0.2
LOST = {OWNER: OWNERS, ACCESS: ACCESS_LISTS, ATTRIBUTE: ATTRIBUTES, MODE: MODES}


# What a drive answers for one name it does not take, or one file too large for it; all others may still be copied.
REFUSALS = {
    errno.EINVAL: "the new drive refuses its name",
    errno.EILSEQ: "the new drive refuses its name",
    errno.ENAMETOOLONG: "its name is too long for the new drive",
    errno.EFBIG: "it is too large for the new drive",
}
# On making a file alone; while one is written it is the drive that fails.
REFUSALS_TO_MAKE = {**REFUSALS, errno.EIO: "the new drive refuses to make it"}


class FileTrouble(SaltCartError):
    """One file cannot be copied: it cannot be read, changes while it is read, or the new drive refuses it."""


def refusal(error: OSError, making: bool = False) -> str | None:
    """Why a drive refuses this one file, in words; None for an error of the drive itself."""
    why = (REFUSALS_TO_MAKE if making else REFUSALS).get(error.errno or 0)
    return why and f"{why} ({error.strerror})"


class FileCopy(NamedTuple):
    """One file to copy: its path in the shelf, where it is read, written and named, and what it was when it was
    listed.  `new_mtime_ns` is its time, or the nearest one that the new drive can hold.

    `replaces` holds kind and digest of what our records say we wrote under that name: nothing else may be replaced.
    What would replace something waits at `waits_at` for the switch of its trip, if that is a path.
    `exact` when the change times of the original can be trusted.
    """

    path: str
    source: str
    temporary: str
    final: str
    size: int
    disk_bytes: int
    mtime_ns: int
    new_mtime_ns: int
    mode: int
    sharing: str = APART
    digests: str = BLAKE3
    replaces: tuple[tuple[str, str], ...] = ()
    waits_at: str = ""
    exact: bool = False


def silent(_step: str, _path: str, _count: int) -> None:
    """Report no progress."""


class Copied(NamedTuple):
    """A file that was copied: the digest of what was read, what of it the new drive could not keep, and the mark of the
    original when it was read.
    """

    digest: str
    lost: frozenset[str] = frozenset()
    source: Mark | None = None


def copy_file(job: FileCopy, tell: Tell = silent) -> Copied:
    """Copy one file under its temporary name with mode, times and attributes; its digest.  FileTrouble, or OSError
    of the destination.
    """
    source = open_source(job)
    try:
        target = None
        if job.sharing != NAMES or not second_name(job, source):
            target = open_target(job)
        lost: frozenset[str] = frozenset()
        before = mark_of(os.fstat(source))  # after a second name was made, which is a change too
        try:
            digest = copy_bytes(job, source, target, tell)
            refuse_changed(job, before, os.fstat(source))
            if target is not None:
                lost = copy_attributes(source, target, job)
        except BaseException:
            with suppress(OSError):
                os.unlink(job.temporary)
            raise
        finally:
            if target is not None:
                os.close(target)
        return Copied(digest, lost, before)
    except OSError as error:
        if why := refusal(error):
            raise FileTrouble(why) from error
        raise
    finally:
        os.close(source)


def open_source(job: FileCopy) -> int:
    """A handle on the original, which must be the file that was listed."""
    try:
        handle = os.open(job.source, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
    except OSError as error:
        raise FileTrouble(f"cannot be read ({error.strerror})") from error
    state = os.fstat(handle)
    if not stat.S_ISREG(state.st_mode) or not unchanged(state, job):
        os.close(handle)
        raise FileTrouble("has changed since it was listed; run the same command again")
    return handle


def second_name(job: FileCopy, source: int) -> bool:
    """Give an open original the temporary name too; whether its file system, and what is allowed there, lets us."""
    with suppress(FileNotFoundError):
        os.unlink(job.temporary)  # of a start that was interrupted
    try:
        os.link(job.source, job.temporary, follow_symlinks=False)
    except OSError:
        refuse_last_room(job)
        return False
    if os.path.samestat(os.lstat(job.temporary), os.fstat(source)):
        return True
    os.unlink(job.temporary)
    return False


def refuse_last_room(job: FileCopy) -> None:
    """Raise OSError when a copy, which nobody has counted since a second name needs no room, would leave less than a
    fiftieth of its drive free.
    """
    room = here.room(os.path.dirname(job.temporary))
    if room.free_here - room.total // 50 < job.disk_bytes:
        raise OSError(
            errno.ENOSPC,
            "hard links are not allowed there, and there is not enough free space for a copy",
            job.temporary,
        )


def open_target(job: FileCopy) -> int:
    """A handle on a new file of the temporary name.  FileTrouble when the drive refuses this one file."""
    flags, mode = os.O_WRONLY | os.O_CREAT | os.O_EXCL, job.mode & 0o777
    try:
        try:
            return os.open(job.temporary, flags, mode)
        except FileExistsError:  # from a start that was interrupted
            os.unlink(job.temporary)
            return os.open(job.temporary, flags, mode)
    except OSError as error:
        if why := refusal(error, making=True):
            raise FileTrouble(why) from error
        raise


def copy_bytes(job: FileCopy, source: int, target: int | None, tell: Tell) -> str:
    """Move the bytes from one handle to the other, digesting them on the way; holes stay holes.

    Where both share what they have, or there is but one, the bytes are read only for their digest.
    """
    worker = worker_for(job.digests)
    if target is not None and job.sharing == BLOCKS and here.share_blocks(source, target):
        target = None
    for start, end in data_and_holes(job, source):
        if end is None:  # a hole
            if target is not None:
                os.lseek(target, start, os.SEEK_CUR)
            digest_hole(worker, start)
            tell("copy", job.path, start)
            continue
        while start < end and (block := read_source(source, min(CHUNK, end - start), start)):
            worker.update(block)
            rest = memoryview(block)
            while target is not None and rest:
                rest = rest[os.write(target, rest) :]
            start += len(block)
            tell("copy", job.path, len(block))
    if job.disk_bytes < job.size and target is not None:
        os.ftruncate(target, job.size)
    return worker.hexdigest()


def refuse_changed(job: FileCopy, before: Mark, now: os.stat_result) -> None:
    """Raise FileTrouble when an original changed while it was read, even if its size and time were kept."""
    edited = job.exact and job.sharing != NAMES and mark_of(now) != before
    if edited or not unchanged(now, job):
        raise FileTrouble("changed while it was copied; run the same command again")


def data_and_holes(job: FileCopy, source: int) -> Iterator[tuple[int, int | None]]:
    """Start and end of each stretch of data; for a hole between them, its size and None."""
    if job.disk_bytes >= job.size:
        yield 0, job.size
    else:
        yield from here.stretches(source, job.size)


def digest_hole(worker: Worker, count: int) -> None:
    """Digest a hole as what reads from it."""
    zeros = bytes(min(CHUNK, count))
    while count:
        worker.update(zeros[: min(CHUNK, count)])
        count -= min(CHUNK, count)


def read_source(handle: int, size: int, start: int) -> bytes:
    """A piece of an original; drives that fail are asked again, because some come back."""
    for attempt in range(RETRIES + 1):
        try:
            return os.pread(handle, size, start)
        except OSError as error:
            if attempt == RETRIES:
                raise FileTrouble(f"cannot be read ({error.strerror}, {attempt + 1} times)") from error
            time.sleep(PAUSE_SECONDS)
    raise AssertionError("not reached")


def unchanged(state: os.stat_result, job: FileCopy) -> bool:
    """Whether an open file still has the size and time it was listed with."""
    return (state.st_size, time_ns(state)) == (job.size, job.mtime_ns)


def copy_attributes(source: int, target: int, job: FileCopy) -> frozenset[str]:
    """Owner, access lists and other extended attributes, mode and times, where the destination takes them; the kinds it
    does not.
    """
    state, made = os.fstat(source), os.fstat(target)
    lost = set(map(LOST.__getitem__, here.copy_owner_and_attributes(source, target)))
    if made.st_mode & 0o7777 != job.mode or made.st_uid != state.st_uid:
        try:
            here.set_mode(target, job.mode)
        except PermissionError:
            lost.add(MODES)
    os.utime(target, ns=(job.new_mtime_ns, job.new_mtime_ns))
    kept = os.fstat(target)
    if kept.st_mode & 0o7777 != job.mode and here.keeps_modes():
        lost.add(MODES)
    if time_ns(kept) != job.mtime_ns:
        lost.add(FINE_TIMES)
    return frozenset(lost)
