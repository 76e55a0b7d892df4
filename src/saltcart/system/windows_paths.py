"""The module `os.path` on Windows, with `/` between the names of every path that comes back; see `ntpath`."""

import ntpath
import os
from ntpath import basename as basename
from ntpath import exists as exists
from ntpath import getsize as getsize
from ntpath import isdir as isdir
from ntpath import isfile as isfile
from ntpath import islink as islink
from ntpath import ismount as ismount
from ntpath import lexists as lexists
from ntpath import samefile as samefile
from ntpath import samestat as samestat
from ntpath import split as split
from ntpath import splitdrive as splitdrive
from ntpath import splitext as splitext
from typing import Any, AnyStr

LONG = "\\\\?\\"


def slashed(path: AnyStr) -> AnyStr:
    """A path with `/` between its names, and its drive in upper case."""
    if isinstance(path, bytes):
        return os.fsencode(slashed(os.fsdecode(path)))
    text = path.removeprefix(LONG).replace("\\", "/")
    return text[:1].upper() + text[1:] if text[1:2] == ":" else text


def join(path: Any, *more: Any) -> str:
    """See os.path."""
    return slashed(str(ntpath.join(path, *more)))


def normpath(path: Any) -> str:
    """See os.path."""
    return slashed(str(ntpath.normpath(path)))


def abspath(path: Any) -> str:
    """See os.path."""
    return slashed(str(ntpath.abspath(path)))


def realpath(path: Any) -> str:
    """See os.path; of a name that Windows keeps for itself, such as `con`, there is nothing to follow."""
    try:
        return slashed(str(ntpath.realpath(path)))
    except OSError:
        return normpath(path)


def relpath(path: Any, start: Any = ".") -> str:
    """See os.path; a path on another drive stays whole."""
    try:
        return slashed(str(ntpath.relpath(path, start)))
    except ValueError:
        return abspath(path)


def expanduser(path: Any) -> str:
    """See os.path."""
    return slashed(str(ntpath.expanduser(path)))


def expandvars(path: Any) -> str:
    """See os.path."""
    return slashed(str(ntpath.expandvars(path)))


def commonpath(paths: Any) -> str:
    """See os.path."""
    return slashed(str(ntpath.commonpath(paths)))


def dirname(path: AnyStr) -> AnyStr:
    """See os.path."""
    return slashed(ntpath.dirname(path))


def isabs(path: str) -> bool:
    """Whether a path begins at the top of a drive or a share.  `/x`, on whatever drive one is, does not."""
    return path[1:3] in (":/", ":\\") or path[:2] in ("//", "\\\\")
