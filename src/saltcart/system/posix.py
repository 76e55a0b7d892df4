"""What Linux and macOS have in common (POSIX.1-2024)."""

import ctypes
import errno
import fcntl
import os
import pwd
import signal
import stat
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from functools import cache

from saltcart.system.contract import ACCESS, ATTRIBUTE, MODE, OWNER, Room

ROOTS = ("/",)
INTERRUPTS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
FOLDER_FLAGS = os.O_RDONLY | os.O_DIRECTORY
# What fsync(2) answers for a folder where a file system cannot flush one.
CANNOT_FLUSH = (errno.EINVAL, errno.ENOTSUP, errno.ENOSYS)


@cache
def libc() -> ctypes.CDLL:
    """What calls the system, made once: files are renamed by it, and there are many."""
    return ctypes.CDLL(None, use_errno=True)


class Folder:
    """An opened folder (openat(2) and its like).  See OpenFolder."""

    def __init__(self, handle: int, path: str):
        self.handle, self.path = handle, path

    def close(self) -> None:
        """See OpenFolder."""
        os.close(self.handle)

    def child(self, name: str, links: bool = True) -> "Folder":
        """See OpenFolder."""
        flags = FOLDER_FLAGS if links else FOLDER_FLAGS | os.O_NOFOLLOW
        return type(self)(os.open(name, flags, dir_fd=self.handle), os.path.join(self.path, name))

    def open(self, name: str, flags: int, mode: int) -> int:
        """See OpenFolder."""
        return os.open(name, flags, mode, dir_fd=self.handle)

    def mkdir(self, name: str, mode: int = 0o777) -> None:
        """See OpenFolder."""
        os.mkdir(name, mode, dir_fd=self.handle)

    def stat(self, name: str) -> os.stat_result:
        """See OpenFolder."""
        return os.stat(name, dir_fd=self.handle, follow_symlinks=False)

    def unlink(self, name: str) -> None:
        """See OpenFolder."""
        os.unlink(name, dir_fd=self.handle)

    def rmdir(self, name: str) -> None:
        """See OpenFolder."""
        os.rmdir(name, dir_fd=self.handle)

    def replace(self, old: str, new: str) -> None:
        """See OpenFolder."""
        os.replace(old, new, src_dir_fd=self.handle, dst_dir_fd=self.handle)

    def give(self, name: str, like: os.stat_result) -> None:
        """See OpenFolder."""
        with suppress(PermissionError):  # of a drive that keeps no owners
            os.chown(name, like.st_uid, like.st_gid, dir_fd=self.handle)

    def flush(self) -> None:
        """See OpenFolder.  Only where a file system has no way to flush a folder is that passed over."""
        try:
            os.fsync(self.handle)
        except OSError as error:
            if error.errno not in CANNOT_FLUSH:
                raise OSError(error.errno, error.strerror, self.path) from error

    def mount_number(self) -> int:
        """See OpenFolder."""
        return os.fstat(self.handle).st_dev


def lock(handle: int) -> None:
    """See System."""
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        if error.errno in (errno.EWOULDBLOCK, errno.EACCES):
            raise BlockingIOError(error.errno, error.strerror) from error
        raise


def flush_file_by(flush: Callable[[int], None], path: str) -> None:
    """Flush the content of the file at `path` with the call that flushes an open one."""
    handle = os.open(path, os.O_RDONLY)
    try:
        flush(handle)
    except OSError as error:
        raise OSError(error.errno, error.strerror, path) from error
    finally:
        os.close(handle)


def flush_handle(handle: int) -> None:
    """See System."""
    os.fsync(handle)


def stretches(handle: int, size: int) -> Iterator[tuple[int, int | None]]:
    """See System: SEEK_DATA and SEEK_HOLE of lseek(2)."""
    place = 0
    while place < size:
        try:
            start = min(os.lseek(handle, place, os.SEEK_DATA), size)
            hole = os.lseek(handle, start, os.SEEK_HOLE) if start < size else start
        except OSError as error:
            if error.errno != errno.ENXIO:  # a file system that does not tell holes
                yield place, size
                return
            start = hole = size  # nothing but a hole follows
        if start > place:
            yield start - place, None
        place = hole
        if place > start:
            yield start, min(place, size)


def copy_owner(source: int, target: int) -> Iterator[str]:
    """Give an open file or folder owner and group of another; OWNER where that is not allowed."""
    state, made = os.fstat(source), os.fstat(target)
    if (made.st_uid, made.st_gid) != (state.st_uid, state.st_gid):
        try:
            os.fchown(target, state.st_uid, state.st_gid)
        except OSError:
            yield OWNER


def finish_folder_with(
    copy: Callable[[int, int], Iterator[str]], source: str, target: str, mode: int, time_ns: int
) -> Iterator[str]:
    """See System.finish_folder; `copy` is its `copy_owner_and_attributes`."""
    flags = FOLDER_FLAGS | os.O_NOFOLLOW
    old, new = os.open(source, flags), os.open(target, flags)
    try:
        yield from copy(old, new)
        with suppress(PermissionError):
            os.fchmod(new, mode)
        if os.fstat(new).st_mode & 0o7777 != mode:
            yield MODE
        Folder(new, target).flush()
        os.utime(new, ns=(time_ns, time_ns))
    finally:
        os.close(old)
        os.close(new)


def kind_of_attribute(name: str) -> str:
    """What an extended attribute holds."""
    return ACCESS if name.startswith("system.posix_acl") else ATTRIBUTE


def set_mode(handle: int, mode: int) -> None:
    """See System."""
    os.fchmod(handle, mode)


def keeps_modes() -> bool:
    """See System."""
    return True


def disk_bytes(state: os.stat_result) -> int:
    """See System."""
    return state.st_blocks * 512


def room(path: str) -> Room:
    """See System (statvfs(3))."""
    volume = os.statvfs(path)
    unit = volume.f_frsize or 1
    blocks = (volume.f_blocks, volume.f_bfree, volume.f_bavail)
    total, free, free_here = (count * volume.f_frsize for count in blocks)
    return Room(total, free, free_here, unit, bool(volume.f_flag & os.ST_RDONLY), volume.f_fsid)


def homes_of(first: int) -> Sequence[str]:
    """The homes of other people than this user, whose numbers begin at `first`."""
    return sorted({one.pw_dir for one in pwd.getpwall() if one.pw_uid >= first and one.pw_uid != os.getuid()})


def is_user(name: str) -> bool:
    """See System."""
    try:
        pwd.getpwnam(name)
    except (KeyError, ValueError):
        return False
    return True


def is_private(path: str) -> bool:
    """See System; many systems give each user a group of one."""
    state = os.stat(path)
    others = stat.S_IWOTH if state.st_gid == state.st_uid else stat.S_IWOTH | stat.S_IWGRP
    return state.st_uid == os.getuid() and not state.st_mode & others


def is_mine(state: os.stat_result) -> bool:
    """See System."""
    return state.st_uid == os.geteuid()


def is_administrator() -> bool:
    """See System."""
    return os.geteuid() == 0
