"""A drive: a mounted volume with an identity that outlives its mount point.

The identity is the file system's UUID where the system tells it, else what a marker file at the drive's top says,
else the file system's own number (statvfs `f_fsid`), or the name of its device where that is 0.  A marker may also
describe a *simulated* drive: a plain folder with a declared capacity, for demonstrations and tests; it goes through
the same code as any other.
"""

import stat
from collections.abc import Mapping
from contextlib import suppress
from functools import cached_property, lru_cache
from typing import Any

from msgspec import Struct

from saltcart.drives.limits import APART, CHANGE_TIMES, SHARING, Limits, limits_of
from saltcart.errors import Refused, show
from saltcart.safefile import nearest
from saltcart.shelves.mountinfo import tops
from saltcart.shelves.walk import walk
from saltcart.system import here, os
from saltcart.system.contract import UNKNOWN, Facts
from saltcart.toml import reading

MARKER = ".saltcart-drive.toml"
FACTS = ("disk", "spinning", "bus_bits_per_second", "network", "health")
# Kernel file systems that hold no files of a person's.
PSEUDO = {
    "autofs",
    "binfmt_misc",
    "bpf",
    "cgroup",
    "cgroup2",
    "configfs",
    "debugfs",
    "devpts",
    "devtmpfs",
    "efivarfs",
    "fuse.gvfsd-fuse",
    "fuse.portal",
    "fusectl",
    "hugetlbfs",
    "mqueue",
    "nsfs",
    "overlay",
    "proc",
    "pstore",
    "ramfs",
    "rpc_pipefs",
    "securityfs",
    "squashfs",
    "sysfs",
    "tracefs",
}


class Marker(Struct, frozen=True):
    """What a file at the top of a drive says of it; with a `capacity_bytes` the folder only stands for a drive."""

    name: str
    identity: str
    capacity_bytes: int | None = None
    filesystem: str = "simulated"
    read_only: bool | None = None
    spinning: bool | None = None
    bus_bits_per_second: int | None = None
    disk: str | None = None
    network: bool | None = None
    health: str | None = None

    @property
    def key(self) -> str:
        """The identity of the drive."""
        return f"marker:{self.identity}"


class Drive(Struct, frozen=True, dict=True):
    """One mounted volume; sizes in bytes.  `left_bytes` are free for its system, which knows of no simulated drive."""

    name: str
    mount: str
    identity: str
    filesystem: str
    total_bytes: int
    left_bytes: int
    read_only: bool
    simulated: bool = False
    reserved_bytes: int = 0
    source: str = ""
    said: Facts = UNKNOWN

    @cached_property
    def facts(self) -> Facts:
        """What is known of the disk under it, looked up when first asked: most who want a drive want its identity."""
        return self.said if self.simulated else here.hardware(self.source, self.filesystem)

    @cached_property
    def free_bytes(self) -> int:
        """What is free on it, as it was when this was first asked; a simulated one is walked through."""
        if not self.simulated:
            return self.left_bytes
        used = sum(item.disk_bytes for item in walk(self.mount))
        return min(self.left_bytes, max(0, self.total_bytes - used))

    @property
    def limits(self) -> Limits:
        """What its file system can hold."""
        return limits_of(self.filesystem)

    @property
    def sharing(self) -> str:
        """What two files on it can share: APART, BLOCKS or NAMES."""
        return SHARING.get(self.filesystem, APART)


def existing(path: str) -> str:
    """The nearest folder at or above `path` that is there, links followed."""
    return nearest(os.path.realpath(path), os.path.isdir)


def mount_of(path: str) -> str:
    """The top of the drive that holds `path`: the nearest mount point or drive marker at or above it."""
    is_top = tops()
    return nearest(existing(path), lambda place: is_top(place) or os.path.isfile(os.path.join(place, MARKER)))


def landing_mount(place: str) -> str:
    """The top of the drive on which `place` is to be made; a signpost that is there says nothing about that."""
    return mount_of(os.path.dirname(place) if os.path.islink(place) else place)


def drive_of(path: str) -> Drive:
    """The drive that holds `path`, or would hold it once it is made.  BadFile for a broken marker."""
    return drive_at(mount_of(path))


def keeps_change_times(path: str) -> bool:
    """Whether inode and change time of files on the drive that holds `path` prove that they are unchanged."""
    return here.TELLS_CHANGES and drive_at(mount_of(path)).filesystem in CHANGE_TIMES


def drive_at(mount: str) -> Drive:
    """The drive whose top is `mount`.  BadFile for a broken marker."""
    marker = marker_of(os.path.join(mount, MARKER))
    volume = here.room(mount)
    read_only = volume.read_only
    if marker and marker.capacity_bytes is not None:
        return simulated(mount, marker, volume.free_here, read_only)
    source, filesystem = source_of(mount)
    identity = marker.key if marker else here.identity(source, mount, volume.number)
    name = (marker.name if marker else "") or os.path.basename(mount) or "system"
    if marker and marker.read_only is not None:
        read_only = marker.read_only
    return Drive(
        name,
        mount,
        identity,
        filesystem,
        volume.total,
        volume.free_here,
        read_only,
        False,
        volume.free - volume.free_here,
        source,
    )


def simulated(mount: str, marker: Marker, left: int, read_only: bool) -> Drive:
    """A folder that stands for a drive, of which its marker says what it is."""
    facts = Facts(**{key: said for key in FACTS if (said := getattr(marker, key)) is not None})
    return Drive(
        marker.name or os.path.basename(mount) or "system",
        mount,
        marker.key,
        marker.filesystem,
        marker.capacity_bytes or 0,
        left,
        read_only if marker.read_only is None else marker.read_only,
        True,
        0,
        "",
        facts,
    )


def marker_of(path: str) -> Marker | None:
    """What a marker says; None where there is none.  BadFile for a broken one."""
    if not os.path.isfile(path):
        return None
    state = os.stat(path)
    return marker_as(path, state.st_dev, state.st_ino, state.st_size, state.st_mtime_ns, state.st_ctime_ns)


@lru_cache(maxsize=64)
def marker_as(path: str, *_state: int) -> Marker:
    """The same, read once as long as the file is the same."""
    return reading.read(path, Marker)


def source_of(mount: str) -> tuple[str, str]:
    """Device (or share) and file system of the drive mounted at or above `mount`."""
    mounted = partitions()
    part = mounted.get(nearest(mount, mounted.__contains__))
    return (part.device, exact_kind(part.device, part.fstype)) if part else ("", "")


def partitions() -> Mapping[str, Any]:
    """What is mounted, by place, as psutil tells it; of several in one place the latest, which hides the others."""
    return partitions_of(now) if (now := here.mount_table()) else partitions_of.__wrapped__("")


@lru_cache(maxsize=2)
def partitions_of(_table: str) -> Mapping[str, Any]:
    """The same, asked for once as long as the system's table of mounts stays the same."""
    import psutil

    return {os.path.normpath(part.mountpoint): part for part in psutil.disk_partitions(all=True)}


def exact_kind(device: str, kind: str) -> str:
    """`fuseblk` is whatever a user-space driver serves: the device's own boot sector says which, where it may be
    read.
    """
    kind = {"fat32": "vfat", "fat": "vfat"}.get(kind.lower(), kind.lower())
    if kind != "fuseblk":
        return kind
    with suppress(OSError), open(device, "rb") as stream:
        sign = stream.read(11)[3:]
        return {b"EXFAT   ": "fuseblk.exfat", b"NTFS    ": "fuseblk.ntfs"}.get(sign, kind)
    return kind


def find_drive(identity: str, last_mount: str) -> Drive | None:
    """The connected drive of that identity, looked for first where it was last; None when it is away."""
    # Once the drive is mounted elsewhere, a device's name or no number says nothing: another may have it now.
    elsewhere = [] if identity.startswith(("device:", "fsid:0")) else mounts()
    found: dict[int, Drive] = {}
    for mount in dict.fromkeys(map(os.path.realpath, [last_mount, *elsewhere])):
        if os.path.isdir(mount) and mount_of(mount) == mount:
            drive = drive_at(mount)
            if drive.identity == identity:
                # One drive may be mounted in several places; two drives may not have one identity.
                found.setdefault(os.stat(mount).st_dev if not drive.simulated else hash(mount), drive)
    if len(found) > 1:
        places = " and ".join(show(one.mount) for one in found.values())
        raise Refused(
            f"Two drives answer to the identity {show(identity)}: {places}",
            "Disconnect the one that is not meant (a copy of a whole drive has its number too), and try again.",
        )
    return next(iter(found.values()), None)


def mounts() -> list[str]:
    """Mount points of drives a person could mean: each volume once, no kernel pseudo mounts."""
    found: dict[int, str] = {}
    for mount, part in partitions().items():
        if part.fstype in PSEUDO or (
            f"{mount}/".startswith(tuple(here.SYSTEM_PLACES)) and not mount.startswith("/run/media/")
        ):
            continue
        with suppress(OSError):
            state = os.stat(mount)
            if stat.S_ISDIR(state.st_mode) and here.room(mount).total:
                best = found.get(state.st_dev)
                found[state.st_dev] = min(best, mount, key=len) if best else mount
    return list(found.values())
