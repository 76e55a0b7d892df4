"""Removing things below one folder and nowhere else.

Names are looked up from opened folders (openat(2)), one step at a time: a link is never followed, even when it takes a
folder's place while we are at it, and a folder on which something else is mounted is not entered, even the same
file system once more (a bind mount), which no device number tells.
"""

import errno
import os
import stat
from collections.abc import Callable
from contextlib import suppress

from saltcart.safefile import remove_empty

# Nothing is there, or a file or link has taken the place of a folder above it.
NOT_THERE = (errno.ENOENT, errno.ENOTDIR, errno.ELOOP)
FOLDER_FLAGS = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW


class OtherMount(OSError):
    """A folder is the top of another mount."""


class Removal:
    """Removes files, links and empty folders below the folder `top`.  OSError when that is no folder."""

    def __init__(self, top: str):
        self.handle = os.open(top, FOLDER_FLAGS)
        self.mount = mount_number(self.handle)
        self.opened: list[tuple[str, int]] = [("", self.handle)]

    def __enter__(self) -> "Removal":
        return self

    def __exit__(self, *_failure: object) -> None:
        while self.opened:
            os.close(self.opened.pop()[1])

    def folder(self, path: str) -> int:
        """A handle on the folder at `path` from the top.  Those above the last one asked for stay open."""
        while not (self.opened[-1][0] == "" or path == self.opened[-1][0] or path.startswith(self.opened[-1][0] + "/")):
            os.close(self.opened.pop()[1])
        place, handle = self.opened[-1]
        for name in path[len(place) :].strip("/").split("/"):
            if name:
                handle = os.open(name, FOLDER_FLAGS, dir_fd=handle)
                place = f"{place}/{name}".lstrip("/")
                self.opened.append((place, handle))
                if mount_number(handle) != self.mount:
                    raise OtherMount(errno.EXDEV, "another drive or folder is mounted there", place)
        return handle

    def unlink(self, path: str, expected: Callable[[os.stat_result], bool]) -> os.stat_result | None:
        """Remove the file or link at `path` if it is as expected; what it was, None when it stays or is not there."""
        parent, _slash, name = path.rpartition("/")
        try:
            handle = self.folder(parent)
            state = os.stat(name, dir_fd=handle, follow_symlinks=False)
        except OSError as error:
            if error.errno in NOT_THERE:
                return None
            raise
        if stat.S_ISDIR(state.st_mode) or not expected(state):
            return None
        os.unlink(name, dir_fd=handle)
        return state

    def rmdir(self, path: str) -> bool:
        """Remove the folder at `path` if it is empty; whether it is gone."""
        parent, _slash, name = path.rpartition("/")
        try:
            handle = self.folder(parent)
        except OSError as error:
            if error.errno in NOT_THERE or isinstance(error, OtherMount):
                return False
            raise
        return remove_empty(name, handle)

    def flush(self, path: str = "") -> None:
        """Flush the names in the folder at `path`."""
        os.fsync(self.folder(path))


def mount_number(handle: int) -> int:
    """The number of the mount that an open folder lies on (proc_pid_fdinfo(5)); its device's where that is not told."""
    with suppress(OSError), open(f"/proc/self/fdinfo/{handle}", encoding="ascii") as stream:
        for line in stream:
            if line.startswith("mnt_id:"):
                return int(line.split()[1])
    return os.fstat(handle).st_dev
