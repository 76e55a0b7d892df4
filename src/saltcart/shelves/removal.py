"""Removing things below one folder and nowhere else.

Names are looked up from opened folders (openat(2)), one step at a time: a link is never followed, even when it takes a
folder's place while we are at it, and a folder on which something else is mounted is not entered, even the same
file system once more (a bind mount), which no device number tells.
"""

import errno
import stat
from collections.abc import Callable

from saltcart.safefile import remove_empty
from saltcart.system import here, os
from saltcart.system.contract import OpenFolder

# Nothing is there, or a file or link has taken the place of a folder above it.
NOT_THERE = (errno.ENOENT, errno.ENOTDIR, errno.ELOOP)


class OtherMount(OSError):
    """A folder is the top of another mount."""


class Removal:
    """Removes files, links and empty folders below the folder `top`.  OSError when that is no folder."""

    def __init__(self, top: str):
        first = here.open_folder(top, links=False)
        self.mount = first.mount_number()
        self.opened: list[tuple[str, OpenFolder]] = [("", first)]

    def __enter__(self) -> "Removal":
        return self

    def __exit__(self, *_failure: object) -> None:
        while self.opened:
            self.opened.pop()[1].close()

    def folder(self, path: str) -> OpenFolder:
        """The folder at `path` from the top.  Those above the last one asked for stay open."""
        while not (self.opened[-1][0] == "" or path == self.opened[-1][0] or path.startswith(self.opened[-1][0] + "/")):
            self.opened.pop()[1].close()
        place, opened = self.opened[-1]
        for name in path[len(place) :].strip("/").split("/"):
            if name:
                opened = opened.child(name, links=False)
                place = f"{place}/{name}".lstrip("/")
                self.opened.append((place, opened))
                if opened.mount_number() != self.mount:
                    raise OtherMount(errno.EXDEV, "another drive or folder is mounted there", place)
        return opened

    def unlink(self, path: str, expected: Callable[[os.stat_result], bool]) -> os.stat_result | None:
        """Remove the file or link at `path` if it is as expected; what it was, None when it stays or is not there."""
        parent, _slash, name = path.rpartition("/")
        try:
            folder = self.folder(parent)
            state = folder.stat(name)
        except OSError as error:
            if error.errno in NOT_THERE:
                return None
            raise
        if stat.S_ISDIR(state.st_mode) or not expected(state):
            return None
        folder.unlink(name)
        return state

    def rmdir(self, path: str) -> bool:
        """Remove the folder at `path` if it is empty; whether it is gone."""
        parent, _slash, name = path.rpartition("/")
        try:
            folder = self.folder(parent)
        except OSError as error:
            if error.errno in NOT_THERE or isinstance(error, OtherMount):
                return False
            raise
        return remove_empty(name, folder)

    def flush(self, path: str = "") -> None:
        """Flush the names in the folder at `path`."""
        self.folder(path).flush()
