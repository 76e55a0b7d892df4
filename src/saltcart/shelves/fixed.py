"""Files and folders that are marked as not to be changed, so that nobody, not even the system's owner, can move them.

Source: ioctl_iflags(2).
"""

import fcntl
import os

GET_FLAGS = 0x80086601  # FS_IOC_GETFLAGS, of a long
FIXED = 0x10 | 0x20  # FS_IMMUTABLE_FL, FS_APPEND_FL
UNKNOWN: set[int] = set()  # devices whose file systems know no such marks


def is_fixed(path: str, device: int | None = None) -> bool:
    """Whether the file or folder at `path` is marked so; False where that cannot be told."""
    if device in UNKNOWN:
        return False
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_NOFOLLOW)
    except OSError:
        return False
    try:
        return bool(int.from_bytes(fcntl.ioctl(handle, GET_FLAGS, bytes(8))[:4], "little") & FIXED)
    except OSError:
        UNKNOWN.update([device] if device is not None else [])
        return False
    finally:
        os.close(handle)
