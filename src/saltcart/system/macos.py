"""macOS.  Sources: the manual pages named beside each call; written from them, and tried on a simulated system."""

import ctypes
import errno
import fcntl
import os
import plistlib
import subprocess
from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from functools import lru_cache
from typing import Any
from xml.parsers.expat import ExpatError

from saltcart.system.contract import UNKNOWN, Facts, Mount, OpenFolder
from saltcart.system.posix import FOLDER_FLAGS, Folder, copy_owner, finish_folder_with, flush_file_by, homes_of, libc
from saltcart.system.posix import INTERRUPTS as INTERRUPTS
from saltcart.system.posix import ROOTS as ROOTS
from saltcart.system.posix import disk_bytes as disk_bytes
from saltcart.system.posix import is_administrator as is_administrator
from saltcart.system.posix import is_mine as is_mine
from saltcart.system.posix import is_private as is_private
from saltcart.system.posix import is_user as is_user
from saltcart.system.posix import keeps_modes as keeps_modes
from saltcart.system.posix import lock as lock
from saltcart.system.posix import room as room
from saltcart.system.posix import set_mode as set_mode
from saltcart.system.posix import stretches as stretches

LETTERS = False
TELLS_CHANGES = True
POOL = "spawn"  # a forked process may not use most of the system's libraries: fork(2)
SHARED_PLACES = ("/Users/Shared", "/Library/Application Support")
SYSTEM_PLACES = ("/dev", "/System", "/private/var", "/Library/Developer")
FIRST_PERSON = 500
F_RDAHEAD, F_NOCACHE, F_FULLFSYNC = 45, 48, 51  # of fcntl(2)
RENAME_EXCL = 4  # of renamex_np: rename(2)
FIXED = 0x2 | 0x4 | 0x20000 | 0x40000  # UF_IMMUTABLE, UF_APPEND, SF_IMMUTABLE, SF_APPEND: chflags(2)
NETWORK = {"smbfs", "nfs", "afpfs", "webdav"}
MOST_SECONDS = 20  # that a question about a disk may take


def open_folder(path: str, links: bool = True) -> OpenFolder:
    """See System."""
    return Folder(os.open(path, FOLDER_FLAGS if links else FOLDER_FLAGS | os.O_NOFOLLOW), path)


def rename_exclusively(old: str, new: str) -> None:
    """See System: renamex_np of rename(2)."""
    if libc().renamex_np(os.fsencode(old), os.fsencode(new), RENAME_EXCL):
        number = ctypes.get_errno()
        raise OSError(number, os.strerror(number), old, None, new)


def is_fixed(path: str, _device: int | None) -> bool:
    """See System: chflags(2)."""
    try:
        return bool(getattr(os.lstat(path), "st_flags", 0) & FIXED)
    except OSError:
        return False


def flush_handle(handle: int) -> None:
    """See System.  fsync(2) there only hands a file to the drive; F_FULLFSYNC of fcntl(2) has the drive write it."""
    try:
        fcntl.fcntl(handle, F_FULLFSYNC)
    except OSError as error:
        if error.errno not in (errno.ENOTSUP, errno.EINVAL, errno.ENOTTY):
            raise
        os.fsync(handle)  # a drive that does not know it, such as one over a network


def flush_file(path: str) -> None:
    """See System."""
    flush_file_by(flush_handle, path)


def flush_drive(_top: str) -> bool:
    """See System: sync(2) does not wait there."""
    return False


def forget(handle: int) -> None:
    """See System: F_NOCACHE of fcntl(2)."""
    with suppress(OSError):
        fcntl.fcntl(handle, F_NOCACHE, 1)


def read_sparingly(handle: int) -> None:
    """See System: F_RDAHEAD of fcntl(2)."""
    with suppress(OSError):
        fcntl.fcntl(handle, F_RDAHEAD, 0)


def share_blocks(_source: int, _target: int) -> bool:
    """See System: clonefile(2) makes files anew and shares into none that is open."""
    return False


def copy_owner_and_attributes(source: int, target: int) -> Iterator[str]:
    """See System: fcopyfile(3) with COPYFILE_ACL and COPYFILE_XATTR, which takes resource forks and tags along."""
    from saltcart.system.contract import ATTRIBUTE

    yield from copy_owner(source, target)
    if libc().fcopyfile(source, target, None, 0x1 | 0x4):
        yield ATTRIBUTE


def finish_folder(source: str, target: str, mode: int, time_ns: int) -> Iterator[str]:
    """See System."""
    return finish_folder_with(copy_owner_and_attributes, source, target, mode, time_ns)


def attributes(_path: str) -> Sequence[str]:
    """See System.  Nearly every file has some there, so none is told before it is copied."""
    return []


def mount_table() -> str:
    """See System."""
    return ""


def mounts() -> Sequence[Mount]:
    """See System."""
    return ()


def identity(source: str, mount: str, number: int) -> str:
    """See System: the volume's UUID, a network share's name, or the device."""
    if source.startswith("//") or ":/" in source:
        return f"share:{source}"
    if uuid := told_of(mount).get("VolumeUUID"):
        return f"uuid:{uuid}"
    return f"fsid:{number:x}" if number else f"device:{source}"


def hardware(source: str, filesystem: str) -> Facts:
    """See System."""
    if filesystem in NETWORK or source.startswith("//"):
        return Facts(network=True)
    return facts_in(told_of(source)) if source.startswith("/dev/") else UNKNOWN


def facts_in(told: Mapping[str, Any]) -> Facts:
    """What the property list of a volume says of its disk.  `SolidState` is missing where nobody knows."""
    solid, state = told.get("SolidState"), told.get("SMARTStatus")
    wrong = f"the disk says of itself: {state}" if state in ("Failing", "About to Fail") else None
    return Facts(told.get("ParentWholeDisk"), None if solid is None else not solid, None, False, wrong)


@lru_cache(maxsize=64)
def told_of(volume: str) -> Mapping[str, Any]:
    """The property list of a volume or device (diskutil(8)); empty where there is none."""
    try:
        told = subprocess.run(
            ["/usr/sbin/diskutil", "info", "-plist", volume], capture_output=True, timeout=MOST_SECONDS, check=True
        )
        found = plistlib.loads(told.stdout)
    except (OSError, subprocess.SubprocessError, plistlib.InvalidFileException, ExpatError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def letters() -> Sequence[str]:
    """See System."""
    return []


def homes_of_others() -> Sequence[str]:
    """See System."""
    return homes_of(FIRST_PERSON)


def end_with_parent() -> None:
    """See System: there is no such call; who starts a process lets it look for its parent."""


def processors() -> int:
    """See System."""
    return os.cpu_count() or 1


def open_direct(path: str) -> int:
    """See System: F_NOCACHE."""
    handle = os.open(path, os.O_RDONLY)
    forget(handle)
    return handle


def read_into(handle: int, buffer: memoryview, start: int) -> int:
    """See System."""
    return os.preadv(handle, [buffer], start)
