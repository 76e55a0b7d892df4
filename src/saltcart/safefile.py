"""Writing files so that a crash leaves the old content or the new, never half of it."""

import hashlib
import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager, suppress

CHUNK = 1 << 20


def sync_folder(folder: str) -> None:
    """Flush the names of `folder` to its drive; a drive that cannot flush a folder is left to its own ways."""
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        with suppress(OSError):
            os.fsync(handle)
    finally:
        os.close(handle)


def sync_file(path: str) -> None:
    """Flush the content of the file at `path` to its drive."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def remove_if_there(path: str) -> None:
    """Remove the file or link at `path`; that there is none is fine."""
    with suppress(FileNotFoundError):
        os.unlink(path)


@contextmanager
def replacing(path: str) -> Iterator[str]:
    """Give the name of a temporary neighbour to write; on success it takes the name `path`.

    The neighbour is flushed before the rename and the folder after it, so that a crash
    leaves the old file or the new one.  On any failure the neighbour is removed.
    """
    folder, name = os.path.split(path)
    neighbour = os.path.join(folder, f".{name}.saltcart-new")
    try:
        yield neighbour
        sync_file(neighbour)
        os.replace(neighbour, path)
        sync_folder(folder or ".")
    finally:
        remove_if_there(neighbour)


def copy_durably(source: str, target: str) -> None:
    """Copy the file `source` to `target` with its times and mode, flushed, old or new but never half."""
    with replacing(target) as neighbour:
        shutil.copyfile(source, neighbour)
        copy_owner(source, neighbour)
        shutil.copystat(source, neighbour)


def copy_owner(source: str, target: str) -> None:
    """Give `target` the owner of `source` where the system permits it."""
    state = os.stat(source)
    with suppress(PermissionError):
        os.chown(target, state.st_uid, state.st_gid)


def digest_of(path: str) -> str:
    """The BLAKE3 digest of a ledger or other small file of ours, in hexadecimal."""
    from blake3 import blake3

    worker = blake3()
    with open(path, "rb") as stream:
        while block := stream.read(CHUNK):
            worker.update(block)
    return worker.hexdigest()


def short_name(text: str, length: int = 8) -> str:
    """A few stable letters that stand for `text`, for names of files of ours."""
    return hashlib.sha256(text.encode("utf-8", "surrogateescape")).hexdigest()[:length]
