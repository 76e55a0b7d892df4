"""Walking a folder tree once, without following links and without opening anything."""

import os
import stat
from collections.abc import Callable, Iterator
from dataclasses import dataclass

FILE, FOLDER, LINK, OTHER = "file", "folder", "link", "other"


@dataclass(frozen=True, slots=True)
class Item:
    """One thing in a tree.

    `path` is relative to the tree's top ("" for the top itself).  `size` is in bytes, `disk_bytes`
    as its drive allocates them, `mtime_ns` in nanoseconds since 1970 (UTC).  `target` is where a
    link points, as written.  `other` stands for pipes, sockets and devices, which hold no sound.
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


Trouble = Callable[[str, OSError], None]


def ignore(_path: str, _error: OSError) -> None:
    """A trouble callback for those who count on reading everything."""


def walk(top: str, trouble: Trouble = ignore) -> Iterator[Item]:
    """Everything in the tree below `top`, folders before what is in them, names in order.

    What cannot be looked at is told to `trouble` with its full path and left out.
    """
    waiting = [""]
    while waiting:
        folder = waiting.pop()
        place = os.path.join(top, folder) if folder else top
        try:
            yield item_of(top, folder)
            names = sorted(os.listdir(place), reverse=True)
        except OSError as error:
            trouble(place, error)
            continue
        deeper = []
        for name in reversed(names):
            path = f"{folder}/{name}" if folder else name
            try:
                item = item_of(top, path)
            except OSError as error:
                trouble(os.path.join(top, path), error)
                continue
            if item.kind == FOLDER:
                deeper.append(path)
            else:
                yield item
        waiting += reversed(deeper)


def item_of(top: str, path: str) -> Item:
    """The thing at `path` below `top`; OSError when it cannot be looked at."""
    place = os.path.join(top, path) if path else top
    state = os.lstat(place)
    kind = kind_of(state.st_mode)
    target = os.readlink(place) if kind == LINK else None
    return Item(
        path,
        kind,
        state.st_size if kind == FILE else 0,
        state.st_blocks * 512,
        state.st_mtime_ns,
        stat.S_IMODE(state.st_mode),
        state.st_dev,
        state.st_ino,
        state.st_nlink,
        target,
    )


def kind_of(mode: int) -> str:
    """File, folder, link or other, from a `st_mode`."""
    if stat.S_ISREG(mode):
        return FILE
    if stat.S_ISDIR(mode):
        return FOLDER
    return LINK if stat.S_ISLNK(mode) else OTHER
