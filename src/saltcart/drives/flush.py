"""Flushing written files to their drive."""

from collections.abc import Iterable

from saltcart.safefile import sync_file
from saltcart.system import here

# File systems whose group flush (syncfs(2)) is known to wait for everything; elsewhere, as with
# drives served by FUSE or over a network, it may return at once and save nothing.
GROUP_FLUSH = {"ext2", "ext3", "ext4", "xfs", "btrfs", "f2fs", "tmpfs"}


def flush_files(paths: Iterable[str], top: str, filesystem: str) -> None:
    """Flush the content of all `paths`, which lie on the drive that holds `top`.  OSError when it fails."""
    if filesystem in GROUP_FLUSH and here.flush_drive(top):
        return
    for path in paths:
        sync_file(path)
