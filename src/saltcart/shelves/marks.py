"""What a file system says of a file that changes whenever its content does: its mark.

Size and time of last change are not enough: programs that write tags put the old time back, and write into spare room.
The inode (which file it is) and the change time (when anything about it changed, which no program can set) tell such an
edit, on file systems that keep them.
"""

from typing import NamedTuple

from saltcart.system import os

EARLIEST_NS, LATEST_NS = -(2**63), 2**63 - 1


class Mark(NamedTuple):
    """Which file it is, and when anything about it last changed, in nanoseconds since 1970 (UTC)."""

    inode: int
    ctime_ns: int


def time_ns(state: os.stat_result) -> int:
    """When a file was last changed, in nanoseconds since 1970; what lies beyond 2262 or before 1677 counts as that."""
    return within(state.st_mtime_ns)


def within(nanoseconds: int) -> int:
    """The nearest number of nanoseconds that databases and other systems can hold (signed 64 bits)."""
    return max(EARLIEST_NS, min(LATEST_NS, nanoseconds))


def mark_of(state: os.stat_result) -> Mark:
    """The mark of a file, from its state."""
    return Mark(state.st_ino % 2**63, within(state.st_ctime_ns))
