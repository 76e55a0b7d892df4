"""What the system's own files tell of the hardware under a drive; what they do not tell is None.

Sources: the Linux kernel's documentation of /sys/block (queue/rotational, the USB device's
speed in Mbit/s), /sys/fs/ext4 (errors_count) and the eMMC life_time estimate.
"""

import os
import re
from contextlib import suppress

from saltcart.system.contract import UNKNOWN, Facts

NETWORK = {"nfs", "nfs4", "cifs", "smb3", "9p", "ceph", "fuse.sshfs", "fuse.rclone", "davfs", "afs"}
WORN = 0x0A  # eMMC life time estimate: 90 to 100 % used


def hardware_of(source: str, filesystem: str, sys: str = "/sys") -> Facts:
    """The facts of the drive on the device (or share) `source`."""
    if filesystem in NETWORK or source.startswith("//"):
        return Facts(network=True)
    name = os.path.basename(os.path.realpath(source)) if source.startswith("/dev/") else ""
    place = os.path.realpath(f"{sys}/class/block/{name}") if name else ""
    if not place or not os.path.isdir(place):
        return UNKNOWN
    disk = os.path.dirname(place) if os.path.exists(os.path.join(place, "partition")) else place
    rotational = read(os.path.join(disk, "queue", "rotational"))
    return Facts(
        os.path.basename(disk),
        None if rotational is None or is_virtual(disk) else rotational == "1",
        bus_speed(disk),
        False,
        health(disk, name, sys),
    )


def is_virtual(disk: str) -> bool:
    """Whether a block device is made of others, of nothing (loop, mapper, memory) or lent by a host: its own flag
    says little.
    """
    return "/virtual/" in disk or "/virtio" in disk


def bus_speed(disk: str) -> int | None:
    """Bits per second of the USB link a disk is connected by; None for other disks."""
    place = os.path.join(disk, "device")
    place = os.path.realpath(place) if os.path.exists(place) else disk
    while place not in ("/", ""):
        if os.path.exists(os.path.join(place, "busnum")) and (speed := read(os.path.join(place, "speed"))):
            return int(float(speed) * 1_000_000)
        place = os.path.dirname(place)
    return None


def health(disk: str, name: str, sys: str) -> str | None:
    """What the system has noted against a disk or the file system on it."""
    errors = read(f"{sys}/fs/ext4/{name}/errors_count")
    if errors not in (None, "0"):
        return f"the system has noted {errors} errors in its file system"
    worn = re.findall(r"0x([0-9a-fA-F]+)", read(os.path.join(disk, "device", "life_time")) or "")
    if any(int(level, 16) >= WORN for level in worn):
        return "it is almost worn out, by its own estimate"
    if read(os.path.join(disk, "device", "state")) == "offline":
        return "the system has taken it offline"
    return None


def read(path: str) -> str | None:
    """The text of one of the system's files, or None."""
    with suppress(OSError, UnicodeDecodeError), open(path, encoding="ascii") as stream:
        return stream.read(256).strip()
    return None
