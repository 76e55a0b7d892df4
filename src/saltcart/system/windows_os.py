"""The module `os` on Windows, with what differs made the same as elsewhere.

- Paths come back with `/` between their names.
- A file is opened as bytes, and what a flag means elsewhere that Windows lacks is 0.
- An entry of a folder says all of a file that `stat` does: Windows itself leaves out its number and volume.
"""

import os as real
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from os import O_CREAT as O_CREAT
from os import O_EXCL as O_EXCL
from os import O_RDONLY as O_RDONLY
from os import O_RDWR as O_RDWR
from os import O_WRONLY as O_WRONLY
from os import SEEK_CUR as SEEK_CUR
from os import SEEK_SET as SEEK_SET
from os import W_OK as W_OK
from os import X_OK as X_OK
from os import _exit as _exit
from os import access as access
from os import close as close
from os import cpu_count as cpu_count
from os import devnull as devnull
from os import dup as dup
from os import dup2 as dup2
from os import environ as environ
from os import fdopen as fdopen
from os import fspath as fspath
from os import fstat as fstat
from os import fsync as fsync
from os import ftruncate as ftruncate
from os import getpid as getpid
from os import getppid as getppid
from os import listdir as listdir
from os import lseek as lseek
from os import lstat as lstat
from os import makedirs as makedirs
from os import mkdir as mkdir
from os import pathsep as pathsep
from os import read as read
from os import rename as rename
from os import replace as replace
from os import rmdir as rmdir
from os import sep as sep
from os import stat as stat
from os import stat_result as stat_result
from os import strerror as strerror
from os import walk as walk
from os import write as write
from typing import Any

from saltcart.system import windows_paths

path = windows_paths
O_DIRECTORY = O_NOFOLLOW = O_NONBLOCK = O_CLOEXEC = 0
BINARY = getattr(real, "O_BINARY", 0) | getattr(real, "O_NOINHERIT", 0)


class DirEntry:
    """One entry of a folder, as os.DirEntry."""

    def __init__(self, entry: Any):
        self.entry = entry
        self.name: Any = entry.name  # bytes in a folder that was given as such
        self.path: Any = path.slashed(entry.path)

    def stat(self, *, follow_symlinks: bool = True) -> stat_result:
        """All that is known of it."""
        return real.stat(self.path, follow_symlinks=follow_symlinks)

    def is_dir(self, *, follow_symlinks: bool = True) -> bool:
        """Whether it is a folder."""
        return bool(self.entry.is_dir(follow_symlinks=follow_symlinks))

    def is_file(self, *, follow_symlinks: bool = True) -> bool:
        """Whether it is a file."""
        return bool(self.entry.is_file(follow_symlinks=follow_symlinks))

    def is_symlink(self) -> bool:
        """Whether it is a link."""
        return bool(self.entry.is_symlink())


@contextmanager
def scandir(place: Any = ".") -> Iterator[Iterator[DirEntry]]:
    """The entries of a folder."""
    with real.scandir(place) as entries:
        yield map(DirEntry, entries)


def open(place: Any, flags: int, mode: int = 0o777) -> int:
    """A handle on a file."""
    return real.open(place, flags | BINARY, mode)


def pread(handle: int, size: int, start: int) -> bytes:
    """A piece of an open file."""
    real.lseek(handle, start, real.SEEK_SET)
    return real.read(handle, size)


def fsdecode(text: Any) -> str:
    """A path, or any text of a file, whose bytes may be no UTF-8."""
    return real.fsdecode(text) if not isinstance(text, bytes) else text.decode("utf-8", "surrogateescape")


def fsencode(text: Any) -> bytes:
    """The opposite; half a character of UTF-16, as a name there may hold, is written as it is."""
    try:
        return str(real.fspath(text)).encode("utf-8", "surrogateescape")
    except UnicodeEncodeError:
        return str(text).encode("utf-8", "surrogatepass")


def readlink(place: Any) -> str:
    """Where a link leads."""
    return path.slashed(str(real.readlink(place)))


def getcwd() -> str:
    """The working folder."""
    return path.slashed(real.getcwd())


def link(old: Any, new: Any, *, follow_symlinks: bool = True) -> None:
    """A second name; of a link itself, there is none."""
    real.link(old, new)


def unlink(place: Any) -> None:
    """Remove a file, or a link to a file or to a folder."""
    if real.path.islink(place) and real.path.isdir(place):
        real.rmdir(place)
    else:
        real.unlink(place)


remove = unlink


def symlink(target: str, place: str) -> None:
    """A link; Windows wants to know whether it leads to a folder."""
    led = path.join(path.dirname(place), target)
    real.symlink(target.replace("/", "\\"), place, target_is_directory=real.path.isdir(led))


def chown(_place: Any, _user: int, _group: int) -> None:
    """Nobody gives files to others."""


lchown = chown


def utime(place: Any, *, ns: tuple[int, int], follow_symlinks: bool = True) -> None:
    """Set the times of a file, which may be an open one (SetFileTime)."""
    if not isinstance(place, int):
        real.utime(place, ns=ns)
    elif sys.platform == "win32":
        import ctypes
        import msvcrt

        stamps = [ctypes.c_uint64(one // 100 + 116444736000000000) for one in ns]  # in 100 ns since 1601
        pointers = [ctypes.byref(stamp) for stamp in stamps]
        handle = ctypes.c_void_p(msvcrt.get_osfhandle(place))
        if not ctypes.windll.kernel32.SetFileTime(handle, None, *pointers):
            raise ctypes.WinError()
