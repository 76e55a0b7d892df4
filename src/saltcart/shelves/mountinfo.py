"""What is mounted where, as Linux tells it (proc_pid_mountinfo(5)); other systems tell nothing here."""

import os
import re
from functools import lru_cache
from typing import NamedTuple

SOURCE = "/proc/self/mountinfo"


class Mount(NamedTuple):
    """One mount: the number of its device, its place, the kind of its file system, and what of that is mounted."""

    device: int
    place: str
    kind: str
    root: str = "/"


def table() -> str:
    """What the system says is mounted now; nothing where it does not tell."""
    try:
        with open(SOURCE, encoding="utf-8", errors="surrogateescape") as stream:
            return stream.read()
    except OSError:
        return ""


def mounted() -> tuple[Mount, ...]:
    """Every mount, the latest last; none where the system does not tell."""
    return mounts_of(table())


@lru_cache(maxsize=2)
def mounts_of(text: str) -> tuple[Mount, ...]:
    """The mounts that a table tells; it is asked for often, and seldom another one."""
    rows = [line.split() for line in text.split("\n")]
    return tuple(
        Mount(os.makedev(*map(int, row[2].split(":"))), plain(row[4]), row[row.index("-") + 1], plain(row[3]))
        for row in rows
        if "-" in row
    )


def mounts_below(path: str) -> list[str]:
    """The places below the absolute `path` where something is mounted, told by the mount table alone: a bind mount of
    the same file system has the same device number.  The place itself is not among them.
    """
    return sorted({mount.place for mount in mounted() if mount.place.startswith(path.rstrip("/") + "/")})


def plain(place: str) -> str:
    """A place without the escapes that stand for blanks and the like."""
    return re.sub(r"\\([0-7]{3})", lambda match: chr(int(match[1], 8)), place)


def is_top(path: str) -> bool:
    """Whether `path` is the top of a mounted volume; also that of a subvolume, which has its own device number too,
    is not.
    """
    return os.path.ismount(path) and (
        not (all_mounts := mounted()) or os.path.realpath(path) in {mount.place for mount in all_mounts}
    )
