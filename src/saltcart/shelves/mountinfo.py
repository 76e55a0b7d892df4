"""What is mounted where, as the system tells it."""

from saltcart.system import here, os


def mounts_below(path: str) -> list[str]:
    """The places below the absolute `path` where something is mounted, read only from the mount table: a bind mount of
    the same file system has the same device number.  The place itself is not among them.
    """
    return sorted({mount.place for mount in here.mounts() if mount.place.startswith(path.rstrip("/") + "/")})


def is_top(path: str) -> bool:
    """Whether `path` is the top of a mounted volume; also that of a subvolume, which has its own device number too,
    is not.
    """
    return os.path.ismount(path) and (
        not (all_mounts := here.mounts()) or os.path.realpath(path) in {mount.place for mount in all_mounts}
    )
