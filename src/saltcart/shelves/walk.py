"""Walking a folder tree once, without following links and without opening anything."""

import stat
from collections.abc import Callable, Iterator
from operator import attrgetter
from typing import NamedTuple

from saltcart.shelves.marks import time_ns, within
from saltcart.system import here, os

FILE, FOLDER, LINK, OTHER = "file", "folder", "link", "other"
KINDS = {stat.S_IFREG: FILE, stat.S_IFDIR: FOLDER, stat.S_IFLNK: LINK}


class Item(NamedTuple):
    """One thing in a tree.

    `path` is relative to the tree's top ("" for the top itself).  `size` is in bytes, `disk_bytes`
    as its drive allocates them, `mtime_ns` (when its content changed) and `ctime_ns` (when anything
    about it did) in nanoseconds since 1970 (UTC).  `target` is where a link points, as written.
    `other` stands for pipes, sockets and devices, which hold no sound.
    """

    path: str
    kind: str
    size: int
    disk_bytes: int
    mtime_ns: int
    mode: int
    device: int
    inode: int
    links: int
    target: str | None = None
    ctime_ns: int = 0


Trouble = Callable[[str, OSError], None]


def ignore(_path: str, _error: OSError) -> None:
    """A trouble callback that does nothing: what cannot be read is left out."""


def anywhere(_path: str) -> bool:
    """Go into every folder."""
    return True


def walk(top: str, trouble: Trouble = ignore, enter: Callable[[str], bool] = anywhere) -> Iterator[Item]:
    """Everything in the tree below `top`, folders before what is in them, names in order.

    What cannot be looked at is reported to `trouble` with its full path and left out.  A `top`
    that is a file is a tree of one.  Of folders whose path below `top` `enter` refuses, the inside is left out.
    """
    try:
        first = item_of("", top, os.lstat(top))
    except OSError as error:
        trouble(top, error)
        return
    yield first
    waiting = [""] if first.kind == FOLDER else []
    while waiting:
        folder = waiting.pop()
        place, lead = (os.path.join(top, folder), folder + "/") if folder else (top, "")
        try:
            with os.scandir(place) as scan:
                entries = sorted(scan, key=attrgetter("name"))
        except OSError as error:
            trouble(place, error)
            continue
        deeper = []
        for entry in entries:
            try:
                item = item_of(lead + entry.name, entry.path, entry.stat(follow_symlinks=False))
            except OSError as error:
                trouble(entry.path, error)
                continue
            if item.kind is FOLDER and enter(item.path):
                deeper.append(item.path)
            yield item
        waiting += reversed(deeper)


def item_of(path: str, place: str, state: os.stat_result) -> Item:
    """The thing at `place`, which is `path` in its tree; OSError when a link cannot be read."""
    mode = state.st_mode
    kind = KINDS.get(mode & 0o170000, OTHER)
    size = state.st_size if kind is FILE else 0
    target = os.readlink(place) if kind is LINK else None
    return Item(
        path,
        kind,
        size,
        here.disk_bytes(state),
        time_ns(state),
        mode & 0o7777,
        state.st_dev,
        state.st_ino,
        state.st_nlink,
        target,
        within(state.st_ctime_ns),
    )
