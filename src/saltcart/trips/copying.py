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
"""

import os
import stat
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass

from blake3 import blake3

from saltcart.drives.flush import flush_files
from saltcart.safefile import remove_if_there, short_name, sync_folder
from saltcart.shelves.digests import CHUNK, digest_file
from saltcart.shelves.walk import Item
from saltcart.trips.waybill import Shelf
from saltcart.trips.logbook import PLACING, TROUBLE, VERIFIED, Logbook, Row

Tell = Callable[[str, str, int], None]


class SourceTrouble(Exception):
    """An original cannot be copied: it cannot be read, or it changes while it is read."""


@dataclass(slots=True)
class Copy:
    """One file on its way."""

    row: Row
    source: str
    temporary: str
    final: str
    digest: str = ""


@dataclass(frozen=True, slots=True)
class Route:
    """A shelf to copy, its number in the logbook, and the mount point and file system it goes to."""

    number: int
    shelf: Shelf
    mount: str
    filesystem: str


def copy_group(route: Route, rows: list[Row], logbook: Logbook, tell: Tell) -> None:
    """Copy one group as described above.  OSError when the destination fails; nothing has a name then that is not recorded."""
    copies: list[Copy] = []
    troubles: list[tuple[str, str]] = []
    try:
        for row in rows:
            copy = planned(route, row)
            try:
                copies.append(copy)
                copy.digest = copy_file(copy, tell)
            except SourceTrouble as trouble:
                copies.pop()
                troubles.append((row.item.path, str(trouble)))
        flush_files([copy.temporary for copy in copies], route.mount, route.filesystem)
        for copy in list(copies):
            if not comes_back(copy, route, tell):
                copies.remove(copy)
                troubles.append((copy.row.item.path, "twice came back from the new drive with other content: that drive may be failing"))
    except BaseException:
        for copy in copies:
            with suppress(OSError):
                remove_if_there(copy.temporary)
        raise
    record(route, copies, troubles, logbook)


def record(route: Route, copies: list[Copy], troubles: list[tuple[str, str]], logbook: Logbook) -> None:
    """Give the proven copies their names between the two records."""
    with logbook.together():
        logbook.mark(route.number, [(copy.row.item.path, PLACING, copy.digest, None, False) for copy in copies])
        logbook.mark(route.number, [(path, TROUBLE, None, why, False) for path, why in troubles])
        for path, why in troubles:
            logbook.tell(f"not copied: {path}: {why}")
    for copy in copies:
        os.replace(copy.temporary, copy.final)
    for folder in {os.path.dirname(copy.final) for copy in copies}:
        sync_folder(folder)
    with logbook.together():
        logbook.mark(route.number, [(copy.row.item.path, VERIFIED, copy.digest, None, False) for copy in copies])


def planned(route: Route, row: Row) -> Copy:
    """Where one file is read, written and named."""
    final = route.shelf.place(row.item.path)
    folder, name = os.path.split(final)
    temporary = os.path.join(folder, f".saltcart-{short_name(name, 12)}.part")
    source = os.path.join(route.shelf.old, row.item.path) if row.item.path else route.shelf.old
    return Copy(row, source, temporary, final)


def copy_file(copy: Copy, tell: Tell) -> str:
    """Copy one file under its temporary name with mode, times and attributes; its digest."""
    source = open_source(copy)
    try:
        remove_if_there(copy.temporary)
        target = os.open(copy.temporary, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        try:
            digest = pour(copy, source, target, tell)
        except BaseException:
            remove_if_there(copy.temporary)
            raise
        finally:
            os.close(target)
        copy_attributes(source, copy.temporary, copy.row.item)
        return digest
    finally:
        os.close(source)


def open_source(copy: Copy) -> int:
    """A handle on the original, which must be the file that was listed."""
    try:
        handle = os.open(copy.source, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
    except OSError as error:
        raise SourceTrouble(f"cannot be read ({error.strerror})") from error
    state = os.fstat(handle)
    if not stat.S_ISREG(state.st_mode) or not unchanged(state, copy.row.item):
        os.close(handle)
        raise SourceTrouble("has changed since it was listed; run the same command again")
    return handle


def pour(copy: Copy, source: int, target: int, tell: Tell) -> str:
    """Move the bytes from one handle to the other, digesting them on the way."""
    worker = blake3()
    # Asking for a megabyte costs a megabyte, whatever comes; for small files that is most of the time.
    piece = min(CHUNK, copy.row.item.size + 1)
    while block := read_source(source, piece):
        worker.update(block)
        rest = memoryview(block)
        while rest:
            rest = rest[os.write(target, rest) :]
        tell("copy", copy.row.item.path, len(block))
    if not unchanged(os.fstat(source), copy.row.item):
        raise SourceTrouble("changed while it was copied; run the same command again")
    return worker.hexdigest()


def read_source(handle: int, size: int) -> bytes:
    """The next piece of an original."""
    try:
        return os.read(handle, size)
    except OSError as error:
        raise SourceTrouble(f"cannot be read ({error.strerror})") from error


def unchanged(state: os.stat_result, item: Item) -> bool:
    """Whether an open file still has the size and time it was listed with."""
    return (state.st_size, state.st_mtime_ns) == (item.size, item.mtime_ns)


def copy_attributes(source: int, target: str, item: Item) -> None:
    """Owner and extended attributes where the destination takes them; mode and times."""
    state = os.fstat(source)
    with suppress(OSError):
        os.chown(target, state.st_uid, state.st_gid)
    with suppress(OSError):
        for name in os.listxattr(source):
            with suppress(OSError):
                os.setxattr(target, name, os.getxattr(source, name))
    with suppress(PermissionError):
        os.chmod(target, item.mode)
    os.utime(target, ns=(item.mtime_ns, item.mtime_ns))


def comes_back(copy: Copy, route: Route, tell: Tell) -> bool:
    """Whether the flushed copy reads back as what was read from the original; a second copy is tried when not."""
    if read_back(copy, tell) == copy.digest:
        return True
    try:
        copy.digest = copy_file(copy, lambda *_: None)
    except SourceTrouble:
        return False
    flush_files([copy.temporary], route.mount, route.filesystem)
    if read_back(copy, lambda *_: None) == copy.digest:
        return True
    remove_if_there(copy.temporary)
    return False


def read_back(copy: Copy, tell: Tell) -> str:
    """The digest of the temporary file as the drive gives it back."""
    return digest_file(copy.temporary, past_cache=True, tell=lambda count: tell("read back", copy.row.item.path, count))
