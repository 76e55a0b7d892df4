"""Windows.  Sources: the documentation of the calls named beside each; what Python's `os` makes of them there."""

import errno
import os
import shutil
import signal
import stat
import sys
from collections.abc import Iterator, Sequence
from contextlib import suppress

from saltcart.system import windows_os
from saltcart.system.contract import UNKNOWN, Facts, Mount, OpenFolder, Room

ROOTS = (windows_os.path.slashed(os.environ.get("SYSTEMDRIVE", "C:")) + "/",)
INTERRUPTS = (signal.SIGINT, signal.SIGTERM)
LETTERS = True
TELLS_CHANGES = False  # `st_ctime` is when a file was made
POOL = "spawn"
SHARED_PLACES: Sequence[str] = ()
SYSTEM_PLACES = tuple(
    windows_os.path.slashed(place)
    for name in ("SystemRoot", "ProgramFiles", "ProgramFiles(x86)")
    if (place := os.environ.get(name))
)
UNIT = 4096  # the usual cluster
HELD = (errno.EACCES, errno.EDEADLK)


class Folder:
    """A folder by its path.  Windows lets nobody rename or remove one that a process has open below; a drive that is
    pulled out takes its letter along, so that nothing is made in an empty folder that is left.  See OpenFolder.
    """

    def __init__(self, path: str):
        self.path = path.rstrip("/")

    def close(self) -> None:
        """See OpenFolder."""

    def child(self, name: str, links: bool = True) -> "Folder":
        """See OpenFolder."""
        return opened(f"{self.path}/{name}", links)

    def open(self, name: str, flags: int, mode: int) -> int:
        """See OpenFolder."""
        return windows_os.open(f"{self.path}/{name}", flags, mode)

    def mkdir(self, name: str, mode: int = 0o777) -> None:
        """See OpenFolder."""
        os.mkdir(f"{self.path}/{name}", mode)

    def stat(self, name: str) -> os.stat_result:
        """See OpenFolder."""
        return os.lstat(f"{self.path}/{name}")

    def unlink(self, name: str) -> None:
        """See OpenFolder.  What is only marked as read-only can be removed by whoever marked it."""
        path = f"{self.path}/{name}"
        mode = os.lstat(path).st_mode
        try:
            windows_os.unlink(path)
        except PermissionError:
            os.chmod(path, mode | stat.S_IWRITE)
            try:
                windows_os.unlink(path)
            except OSError:  # a program has it open: it stays as it was
                os.chmod(path, mode)
                raise

    def rmdir(self, name: str) -> None:
        """See OpenFolder."""
        os.rmdir(f"{self.path}/{name}")

    def replace(self, old: str, new: str) -> None:
        """See OpenFolder."""
        os.replace(f"{self.path}/{old}", f"{self.path}/{new}")

    def give(self, name: str, like: os.stat_result) -> None:
        """See OpenFolder.  A new file has the owner and the access list of its folder."""

    def flush(self) -> None:
        """See OpenFolder.  Windows has no call for it: NTFS keeps a journal of names."""

    def mount_number(self) -> int:
        """See OpenFolder: the serial number of the volume."""
        return os.stat(f"{self.path}/").st_dev


def opened(path: str, links: bool) -> Folder:
    """The folder at `path`.  NotADirectoryError for anything else; without `links` for a link too."""
    state = os.stat(path) if links else os.lstat(path)
    if not stat.S_ISDIR(state.st_mode):
        raise NotADirectoryError(errno.ENOTDIR, os.strerror(errno.ENOTDIR), path)
    return Folder(path)


def open_folder(path: str, links: bool = True) -> OpenFolder:
    """See System."""
    return opened(path, links)


def lock(handle: int) -> None:
    """See System: LockFile, of the first byte."""
    if sys.platform == "win32":
        import msvcrt

        try:
            msvcrt.locking(handle, msvcrt.LK_NBLCK, 1)
        except OSError as error:
            if error.errno in HELD:
                raise BlockingIOError(error.errno, error.strerror) from error
            raise


def rename_exclusively(old: str, new: str) -> None:
    """See System: MoveFileEx without MOVEFILE_REPLACE_EXISTING."""
    os.rename(old, new)


def is_fixed(_path: str, _device: int | None) -> bool:
    """See System: there is only the mark read-only, which does not keep a thing in its place."""
    return False


def flush_handle(handle: int) -> None:
    """See System: FlushFileBuffers, which needs a handle that may write."""
    os.fsync(handle)


def flush_file(path: str) -> None:
    """See System."""
    state = os.stat(path)
    if not state.st_mode & stat.S_IWRITE:  # the mark "read-only" goes for a moment
        os.chmod(path, state.st_mode | stat.S_IWRITE)
    try:
        handle = windows_os.open(path, os.O_RDWR)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
    except OSError as error:
        raise OSError(error.errno, error.strerror, path) from error
    finally:
        if not state.st_mode & stat.S_IWRITE:
            os.chmod(path, state.st_mode)


def flush_drive(_top: str) -> bool:
    """See System: only an administrator may flush a volume."""
    return False


def forget(_handle: int) -> None:
    """See System: there is no such call; what was flushed may be read back from memory."""


def read_sparingly(_handle: int) -> None:
    """See System: that is said when a file is opened, and here it is open already."""


def share_blocks(_source: int, _target: int) -> bool:
    """See System: FSCTL_DUPLICATE_EXTENTS works on few drives, and is not used."""
    return False


def stretches(_handle: int, size: int) -> Iterator[tuple[int, int | None]]:
    """See System: holes are copied as zeros."""
    yield 0, size


def copy_owner_and_attributes(_source: int, _target: int) -> Iterator[str]:
    """See System.  A copy has the owner and the access list of its new folder, as every file that is made there."""
    return iter(())


def finish_folder(_source: str, target: str, _mode: int, time_ns: int) -> Iterator[str]:
    """See System."""
    os.utime(target, ns=(time_ns, time_ns))
    return iter(())


def attributes(_path: str) -> Sequence[str]:
    """See System."""
    return []


def set_mode(_handle: int, _mode: int) -> None:
    """See System."""


def keeps_modes() -> bool:
    """See System."""
    return False


def disk_bytes(state: os.stat_result) -> int:
    """See System: what its length takes in whole clusters; what a compressed file takes is not told."""
    return -(-state.st_size // UNIT) * UNIT


def room(path: str) -> Room:
    """See System: GetDiskFreeSpaceEx; the number is the serial number of the volume."""
    usage = shutil.disk_usage(path)
    return Room(usage.total, usage.free, usage.free, UNIT, not os.access(path, os.W_OK), os.stat(path).st_dev)


def mount_table() -> str:
    """See System: the letters that are in use."""
    if sys.platform == "win32" and hasattr(os, "listdrives"):
        return " ".join(os.listdrives())
    return ""


def mounts() -> Sequence[Mount]:
    """See System."""
    return ()


def identity(source: str, mount: str, number: int) -> str:
    """See System: the name of a share, or the serial number of the volume, which a change of its letter leaves."""
    if windows_os.path.slashed(mount).startswith("//"):
        return f"share:{windows_os.path.slashed(mount).lower()}"
    return f"serial:{number & 0xFFFFFFFF:08x}" if number else f"device:{source}"


def hardware(source: str, _filesystem: str) -> Facts:
    """See System."""
    return Facts(network=True) if windows_os.path.slashed(source).startswith("//") else UNKNOWN


def homes_of_others() -> Sequence[str]:
    """See System: the folders beside this user's own, and what all share."""
    home = windows_os.path.expanduser("~")
    found = []
    with suppress(OSError):
        for name in sorted(os.listdir(windows_os.path.dirname(home))):
            place = windows_os.path.join(windows_os.path.dirname(home), name)
            if place != home and os.access(place, os.R_OK) and os.path.isdir(place):
                found.append(place)
    return found


def letters() -> Sequence[str]:
    """See System: they are this system's own."""
    return []


def is_user(name: str) -> bool:
    """See System."""
    return name.casefold() == os.path.basename(os.path.expanduser("~")).casefold()


def is_private(path: str) -> bool:
    """See System: what lies in the user's own home, into which Windows lets no other user write."""
    home, place = (windows_os.path.realpath(one).casefold() for one in (windows_os.path.expanduser("~"), path))
    return place == home or place.startswith(f"{home}/")


def is_mine(_state: os.stat_result) -> bool:
    """See System."""
    return True


def is_administrator() -> bool:
    """See System: nobody gives files to others."""
    return False


def end_with_parent() -> None:
    """See System: who starts a process lets it look for its parent."""


def processors() -> int:
    """See System."""
    return os.cpu_count() or 1


def open_direct(path: str) -> int:
    """See System."""
    raise OSError(errno.ENOTSUP, os.strerror(errno.ENOTSUP), path)


def read_into(handle: int, buffer: memoryview, start: int) -> int:
    """See System."""
    piece = windows_os.pread(handle, len(buffer), start)
    buffer[: len(piece)] = piece
    return len(piece)
