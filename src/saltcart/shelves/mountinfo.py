"""What is mounted where, as the system tells it."""

from collections.abc import Callable, Sequence
from functools import lru_cache

from saltcart.system import here, os
from saltcart.system.contract import Mount


def mounts_below(path: str) -> list[str]:
    """The places below the absolute `path` where something is mounted, read only from the mount table: a bind mount of
    the same file system has the same device number.  The place itself is not among them.
    """
    return sorted({mount.place for mount in here.mounts() if mount.place.startswith(path.rstrip("/") + "/")})


def is_top(path: str) -> bool:
    """Whether `path`, a real one, is the top of a mounted volume; also that of a subvolume, which has its own device
    number too, is not.
    """
    return tops()(path)


def tops() -> Callable[[str], bool]:
    """The same for several paths at one moment: what is mounted is asked once for all of them."""
    places = places_of(here.mounts())
    return lambda path: (not places or path in places) and os.path.ismount(path)


@lru_cache(maxsize=2)
def places_of(all_mounts: Sequence[Mount]) -> frozenset[str]:
    """Where these are mounted; most questions are of folders that are none of these."""
    return frozenset(mount.place for mount in all_mounts)
