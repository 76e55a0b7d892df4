"""Linux.  Sources: the manual pages named beside each call; the kernel's documentation of /proc and /sys."""

import ctypes
import errno
import fcntl
import os
import re
import select
import signal
from collections.abc import Iterator, Sequence
from contextlib import suppress
from functools import lru_cache

from saltcart.system.contract import Facts, Mount, OpenFolder
from saltcart.system.linux_disks import hardware_of
from saltcart.system.posix import (
    FOLDER_FLAGS,
    Folder,
    copy_owner,
    finish_folder_with,
    flush_file_by,
    homes_of,
    kind_of_attribute,
    libc,
)
from saltcart.system.posix import INTERRUPTS as INTERRUPTS
from saltcart.system.posix import ROOTS as ROOTS
from saltcart.system.posix import disk_bytes as disk_bytes
from saltcart.system.posix import flush_handle as flush_handle
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
POOL = "fork"  # so that a program which uses this as a library needs no guarded main module
SHARED_PLACES = ("/opt", "/srv")
SYSTEM_PLACES = ("/dev", "/proc", "/sys", "/run/", "/boot", "/snap", "/var/lib/docker")
FROM_WINDOWS = {"9p", "drvfs", "v9fs"}  # the kinds of file systems by which Linux inside Windows sees its drives
FIRST_PERSON = 1000  # users with smaller numbers are the system's
AT_FDCWD, RENAME_NOREPLACE = -100, 1  # of renameat2(2)
GET_FLAGS = 0x80086601  # FS_IOC_GETFLAGS, of a long: ioctl_iflags(2)
FIXED = 0x10 | 0x20  # FS_IMMUTABLE_FL, FS_APPEND_FL
FICLONE = 0x40049409  # of ioctl_ficlone(2)
PR_SET_PDEATHSIG = 1  # of prctl(2)
MOUNT_TABLE = "/proc/self/mountinfo"
UNKNOWN: set[int] = set()  # devices whose file systems know no such marks as FIXED


class LinuxFolder(Folder):
    """An opened folder."""

    def mount_number(self) -> int:
        """The number of its mount (proc_pid_fdinfo(5)): the same file system once more has another (a bind mount)."""
        with suppress(OSError), open(f"/proc/self/fdinfo/{self.handle}", encoding="ascii") as stream:
            for line in stream:
                if line.startswith("mnt_id:"):
                    return int(line.split()[1])
        return super().mount_number()


def open_folder(path: str, links: bool = True) -> OpenFolder:
    """See System."""
    return LinuxFolder(os.open(path, FOLDER_FLAGS if links else FOLDER_FLAGS | os.O_NOFOLLOW), path)


def rename_exclusively(old: str, new: str) -> None:
    """See System: renameat2(2)."""
    if not hasattr(libc(), "renameat2"):
        raise OSError(errno.ENOSYS, os.strerror(errno.ENOSYS), old, None, new)
    if libc().renameat2(AT_FDCWD, os.fsencode(old), AT_FDCWD, os.fsencode(new), RENAME_NOREPLACE):
        number = ctypes.get_errno()
        raise OSError(number, os.strerror(number), old, None, new)


def is_fixed(path: str, device: int | None) -> bool:
    """See System: ioctl_iflags(2)."""
    if device in UNKNOWN:
        return False
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_NOFOLLOW)
    except OSError:
        return False
    try:
        return bool(int.from_bytes(fcntl.ioctl(handle, GET_FLAGS, bytes(8))[:4], "little") & FIXED)
    except OSError:
        UNKNOWN.update([device] if device is not None else [])
        return False
    finally:
        os.close(handle)


def flush_file(path: str) -> None:
    """See System."""
    flush_file_by(flush_handle, path)


def flush_drive(top: str) -> bool:
    """See System: syncfs(2)."""
    if not hasattr(libc(), "syncfs"):
        return False
    handle = os.open(top, os.O_RDONLY)
    try:
        if libc().syncfs(handle):
            code = ctypes.get_errno()
            raise OSError(code, os.strerror(code), top)
    finally:
        os.close(handle)
    return True


def forget(handle: int) -> None:
    """See System: posix_fadvise(2) drops the pages of a flushed file."""
    os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)


def read_sparingly(handle: int) -> None:
    """See System: posix_fadvise(2) turns reading ahead off, which fetches 128 kB for 16 bytes."""
    os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_RANDOM)


def share_blocks(source: int, target: int) -> bool:
    """See System: btrfs and xfs can (ioctl_ficlone(2))."""
    try:
        fcntl.ioctl(target, FICLONE, source)
    except OSError:
        return False
    return True


def copy_owner_and_attributes(source: int, target: int) -> Iterator[str]:
    """See System: xattr(7)."""
    yield from copy_owner(source, target)
    try:
        names = os.listxattr(source)
    except OSError:
        names = []
    for name in names:
        try:
            os.setxattr(target, name, os.getxattr(source, name))
        except OSError:
            yield kind_of_attribute(name)


def finish_folder(source: str, target: str, mode: int, time_ns: int) -> Iterator[str]:
    """See System."""
    return finish_folder_with(copy_owner_and_attributes, source, target, mode, time_ns)


def attributes(path: str) -> Sequence[str]:
    """See System."""
    try:
        return sorted({kind_of_attribute(name) for name in os.listxattr(path, follow_symlinks=False)})
    except OSError:
        return []


class MountTable:
    """The table of mounts (proc_pid_mountinfo(5)), read again only when the kernel says that it is another."""

    def __init__(self) -> None:
        self.stream = open(MOUNT_TABLE, encoding="utf-8", errors="surrogateescape")  # noqa: SIM115 (to be asked again)
        self.text = self.stream.read()
        self.changes = select.poll()
        self.changes.register(self.stream, select.POLLPRI)

    def now(self) -> str:
        """Its text at this moment: what comes after the question makes the next one read it again."""
        if self.changes.poll(0):
            self.stream.seek(0)
            self.text = self.stream.read()
        return self.text


@lru_cache(maxsize=1)
def opened_table(_process: int) -> MountTable:
    """The table of this process: one that is shared with a child tells a change to one of the two."""
    return MountTable()


def mount_table() -> str:
    """See System."""
    try:
        return opened_table(os.getpid()).now()
    except OSError:
        return ""


def mounts() -> Sequence[Mount]:
    """See System."""
    return mounts_of(mount_table())


@lru_cache(maxsize=2)
def mounts_of(text: str) -> Sequence[Mount]:
    """The mounts that a table tells; it is asked for often, and seldom another one."""
    rows = [line.split() for line in text.split("\n")]
    return tuple(
        Mount(os.makedev(*map(int, row[2].split(":"))), plain(row[4]), row[row.index("-") + 1], plain(row[3]))
        for row in rows
        if "-" in row
    )


def plain(place: str) -> str:
    """A place without the escapes that stand for blanks and the like."""
    return re.sub(r"\\([0-7]{3})", lambda match: chr(int(match[1], 8)), place)


def identity(source: str, mount: str, number: int, folder: str = "/dev/disk/by-uuid") -> str:
    """See System: the UUID by the system's own links, a network share's name, the number, or the device."""
    device = os.path.realpath(source) if source.startswith("/dev/") else ""
    if device and os.path.isdir(folder):
        for uuid in os.listdir(folder):
            if os.path.realpath(os.path.join(folder, uuid)) == device:
                return f"uuid:{uuid}"
    if source.startswith("//") or ":/" in source:
        return f"share:{source}"
    # Drives that programs serve may all have the number 0.
    return f"fsid:{number:x}" if number else f"device:{source}"


def hardware(source: str, filesystem: str) -> Facts:
    """See System."""
    return hardware_of(source, filesystem)


@lru_cache(maxsize=1)
def inside_windows() -> bool:
    """Whether this Linux runs inside Windows: its kernel says whose it is."""
    return "microsoft" in os.uname().release.lower()


def letters() -> Sequence[str]:
    """See System: Linux inside Windows mounts the drives of that below `/mnt`."""
    if not inside_windows():
        return []
    found = (re.fullmatch(r"/mnt/([a-z])", one.place) for one in mounts() if one.kind in FROM_WINDOWS)
    return sorted({f"{one[1].upper()}:={one[0]}" for one in found if one})


def homes_of_others() -> Sequence[str]:
    """See System; inside Windows the homes of its users are among them, whose programs' files lie there."""
    users = [f"{one.partition('=')[2]}/Users" for one in letters()]
    theirs = []
    for top in users:
        with suppress(OSError):
            theirs += [os.path.join(top, name) for name in sorted(os.listdir(top))]
    return [*homes_of(FIRST_PERSON), *(place for place in theirs if os.access(place, os.R_OK))]


def end_with_parent() -> None:
    """See System: prctl(2)."""
    libc().prctl(PR_SET_PDEATHSIG, signal.SIGKILL)


def processors() -> int:
    """See System."""
    return len(os.sched_getaffinity(0))


def open_direct(path: str) -> int:
    """See System: O_DIRECT of open(2)."""
    return os.open(path, os.O_RDONLY | os.O_DIRECT)


def read_into(handle: int, buffer: memoryview, start: int) -> int:
    """See System: preadv(2)."""
    return os.preadv(handle, [buffer], start)
