"""Writing files so that a crash leaves the old content or the new, never half of it.

What is durable when: a file's content once the file was flushed (fsync(2)), its name once its folder was.  A
drive may write folders in any order, so a folder that was just made must be flushed into its parent too, or
its name is lost with all below it.  A flush that fails is an error: only where a file system has no way to flush a
folder is that passed over.
"""

import errno
import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress

from saltcart.errors import NotReadBack, show
from saltcart.own_names import neighbour_of
from saltcart.system import here, os
from saltcart.system.contract import OpenFolder

CHUNK = 1 << 20
NOT_EMPTY = (errno.ENOTEMPTY, errno.EEXIST, errno.EBUSY, errno.ENOENT, errno.ENOTDIR)
# What SQLite may leave beside a database.
SIDE_FILES = ("-journal", "-wal", "-shm")
PRIVATE_FILE, PRIVATE_FOLDER = 0o600, 0o700


def sync_folder(folder: str) -> None:
    """Flush the names of `folder` to its drive.  OSError when the drive fails to."""
    opened = here.open_folder(folder)
    try:
        opened.flush()
    finally:
        opened.close()


def sync_file(path: str) -> None:
    """Flush the content of the file at `path` to its drive.  OSError when that fails."""
    here.flush_file(path)


def nearest(path: str, there: Callable[[str], bool]) -> str:
    """The deepest place, `path` itself or a folder above it, of which `there` holds; the top of all where none does."""
    while not there(path) and path != os.path.dirname(path):
        path = os.path.dirname(path)
    return path


def missing_folders(path: str) -> list[str]:
    """The folders at and above `path` that are missing, the topmost first."""
    missing = []
    while not os.path.isdir(path) and path != os.path.dirname(path):
        missing.append(path)
        path = os.path.dirname(path)
    return missing[::-1]


def make_folders(path: str, mode: int = 0o777, like: str = "", inside: str = "") -> list[str]:
    """Make the folder `path` and those above it that are missing; the ones made, the topmost first.  When root makes
    them, they belong to whom the thing at `like` belongs to.  FileNotFoundError where the folder `inside` is not there:
    its drive has gone, and what stands at its place is none of ours.

    Each is flushed into its parent, up to the first that stood: without that, a power cut may take the name of one of
    them, and all that was verified below it.
    """
    missing = missing_folders(path)
    if not missing:
        return []
    if inside and not os.path.isdir(inside):
        raise FileNotFoundError(errno.ENOENT, os.strerror(errno.ENOENT), inside)
    # From an opened folder: if its drive goes now, nothing is made in the empty folder that is left at its place.
    opened = here.open_folder(os.path.dirname(missing[0]))
    try:
        for folder in missing:
            name = os.path.basename(folder)
            with suppress(FileExistsError):  # someone else made it just now
                opened.mkdir(name, mode)
                if like and here.is_administrator():
                    opened.give(name, os.stat(like))
            opened.flush()
            outer, opened = opened, opened.child(name)
            outer.close()
    finally:
        opened.close()
    return missing


def remove_if_there(path: str) -> None:
    """Remove the file or link at `path`; that there is none is fine."""
    with suppress(FileNotFoundError):
        os.unlink(path)


def remove_empty(folder: str, inside: OpenFolder | None = None) -> bool:
    """Remove the folder `folder`, or the one of that name in an opened one, if it is empty; whether it is gone.

    OSError when the drive fails, or does not allow it: that is no folder with something in it.
    """
    try:
        (inside or os).rmdir(folder)
    except OSError as error:
        if error.errno not in NOT_EMPTY:
            raise
        return error.errno == errno.ENOENT
    return True


def remove_with_side_files(path: str) -> None:
    """Remove a file of ours that may be a database, and what SQLite left beside it."""
    for suffix in ("", *SIDE_FILES):
        remove_if_there(path + suffix)


def create_file(path: str, mode: int = PRIVATE_FILE) -> None:
    """Make an empty file that nobody may read whom `mode` does not allow, before anything is in it."""
    remove_if_there(path)
    os.close(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, mode))


@contextmanager
def replacing(path: str, mode: int = 0o666) -> Iterator[str]:
    """Give the name of an empty temporary neighbour to write; on success it takes the name `path`.

    The neighbour is flushed before the rename and the folder after it, so that a crash
    leaves the old file or the new one.  On any failure the neighbour is removed.
    """
    neighbour = neighbour_of(path)
    try:
        create_file(neighbour, mode)
        yield neighbour
        sync_file(neighbour)
        os.replace(neighbour, path)
        sync_folder(os.path.dirname(path) or ".")
    finally:
        with suppress(OSError):  # the drive may have gone, which the first error says better
            remove_if_there(neighbour)


def write_in(folder: str, name: str, data: bytes, check: Callable[[], None]) -> None:
    """Write a file of ours into a folder, whole or not at all.

    All is done from the opened folder, after `check` has found that it is the right one: if its drive goes meanwhile,
    nothing is written into the empty folder at its mount point.
    """
    opened = here.open_folder(folder)
    try:
        check()
        fresh = os.path.basename(neighbour_of(name))
        with suppress(FileNotFoundError):
            opened.unlink(fresh)
        with open(opened.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL, PRIVATE_FILE), "wb") as stream:
            stream.write(data)
            stream.flush()
            here.flush_handle(stream.fileno())
        opened.replace(fresh, name)
        opened.flush()
    finally:
        opened.close()


def copy_durably(source: str, target: str) -> str:
    """Copy the file `source` to `target` with its times and mode; old or new but never half.  Its digest.

    The copy is read back from its drive before it takes the name.  NotReadBack when it differs.
    """
    with replacing(target, PRIVATE_FILE) as neighbour:
        shutil.copyfile(source, neighbour)
        copy_owner(source, neighbour)
        shutil.copystat(source, neighbour)
        return read_back(neighbour, digest_of(source))


def read_back(path: str, digest: str) -> str:
    """Flush a file just written and read it from its drive; its digest, which must be `digest`.  Else NotReadBack."""
    sync_file(path)
    if digest_of(path, past_cache=True) != digest:
        raise NotReadBack(
            f"What was written to {show(os.path.dirname(path))} came back with other content",
            "That drive, its cable or the memory may be failing. Check them, then run the same command again.",
        )
    return digest


def copy_owner(source: str, target: str) -> None:
    """Give `target` the owner of `source` where the system permits it."""
    state = os.stat(source)
    with suppress(PermissionError):
        os.chown(target, state.st_uid, state.st_gid)


def digest_of(path: str, past_cache: bool = False) -> str:
    """The BLAKE3 digest of a ledger or other small file of ours, in hexadecimal; `past_cache` asks its drive for it."""
    from blake3 import blake3

    worker = blake3()
    with open(path, "rb") as stream:
        if past_cache:  # the system forgets its copy of what was flushed
            here.forget(stream.fileno())
        while block := stream.read(CHUNK):
            worker.update(block)
    return worker.hexdigest()
