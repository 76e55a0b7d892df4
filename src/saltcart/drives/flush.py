"""Flushing written files to their drive."""

import ctypes
import os
from collections.abc import Iterable

from saltcart.safefile import sync_file

# File systems whose group flush (syncfs(2)) is known to wait for everything; elsewhere, as with
# drives served by FUSE or over a network, it may return at once and save nothing.
GROUP_FLUSH = {"ext2", "ext3", "ext4", "xfs", "btrfs", "f2fs", "tmpfs"}


def flush_files(paths: Iterable[str], top: str, filesystem: str) -> None:
    """Flush the content of all `paths`, which lie on the drive that holds `top`.  OSError when it fails."""
    if filesystem in GROUP_FLUSH and hasattr(ctypes.CDLL(None), "syncfs"):
        sync_drive(top)
        return
    for path in paths:
        sync_file(path)


def sync_drive(top: str) -> None:
    """Flush the whole drive that holds `top`."""
    library = ctypes.CDLL(None, use_errno=True)
    handle = os.open(top, os.O_RDONLY)
    try:
        if library.syncfs(handle):
            code = ctypes.get_errno()
            raise OSError(code, os.strerror(code), top)
    finally:
        os.close(handle)
