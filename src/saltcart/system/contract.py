"""What each operating system must answer, whatever it is."""

import os
import signal
from collections.abc import Iterator, Sequence
from typing import NamedTuple, Protocol


class Room(NamedTuple):
    """The room on a volume in bytes: of all, free, and free for this user; what a file takes at least; whether nothing
    may be written; and the file system's own number, 0 where it has none.
    """

    total: int
    free: int
    free_here: int
    unit: int
    read_only: bool
    number: int


class Mount(NamedTuple):
    """One mount: the number of its device, its place, the kind of its file system, and what of that is mounted."""

    device: int
    place: str
    kind: str
    root: str = "/"


class Facts(NamedTuple):
    """What is known of the disk under a volume: its name, the speed of its USB link, and what is wrong with it."""

    disk: str | None = None
    spinning: bool | None = None
    bus_bits_per_second: int | None = None
    network: bool = False
    health: str | None = None


UNKNOWN = Facts()


class OpenFolder(Protocol):
    """A folder that stays the same one while names in it are made and removed, whatever takes its place meanwhile.

    `name` is a single name in it.  Each call raises OSError as the call of `os` with its name does.
    """

    def close(self) -> None:
        """Let go of it."""

    def child(self, name: str, links: bool = True) -> "OpenFolder":
        """A folder in it; without `links` one that is none itself."""

    def open(self, name: str, flags: int, mode: int) -> int:
        """A handle on a file in it."""

    def mkdir(self, name: str, mode: int = 0o777) -> None:
        """Make a folder; `name` may be a path below it."""

    def stat(self, name: str) -> os.stat_result:
        """What something in it is, a link itself."""

    def unlink(self, name: str) -> None:
        """Remove a file or link."""

    def rmdir(self, name: str) -> None:
        """Remove an empty folder."""

    def replace(self, old: str, new: str) -> None:
        """Let a file in it take the name of another."""

    def give(self, name: str, like: os.stat_result) -> None:
        """Give something in it the owner of another thing, where the system allows that."""

    def flush(self) -> None:
        """Flush its names to the drive, where the system can."""

    def mount_number(self) -> int:
        """The number of the mount that it lies on; its device's where that is not told."""


class System(Protocol):
    """The calls that differ.  What a system does not know is None, empty or False, as each call says."""

    @property
    def ROOTS(self) -> Sequence[str]:
        """The tops of what holds the system itself."""

    @property
    def LETTERS(self) -> bool:
        """Whether full paths begin with the letter of a drive, or are those of a share."""

    @property
    def TELLS_CHANGES(self) -> bool:
        """Whether the system keeps the moment of the last change of anything about a file."""

    @property
    def INTERRUPTS(self) -> Sequence[signal.Signals]:
        """What ends a program in order."""

    @property
    def POOL(self) -> str:
        """How processes that copy are started: `fork` or `spawn`."""

    @property
    def SHARED_PLACES(self) -> Sequence[str]:
        """Where programs and services of all users keep what is their own."""

    @property
    def SYSTEM_PLACES(self) -> Sequence[str]:
        """Where nobody keeps sounds."""

    def lock(self, handle: int, /) -> None:
        """Hold a lock on an open file for as long as it is open.  BlockingIOError when somebody else has it."""

    def open_folder(self, path: str, /, links: bool = True) -> OpenFolder:
        """Open a folder; without `links` OSError when it is a link itself."""

    def rename_exclusively(self, old: str, new: str, /) -> None:
        """Rename in one step that fails when `new` exists: FileExistsError.  OSError ENOSYS where there is none."""

    def is_fixed(self, path: str, device: int | None, /) -> bool:
        """Whether something is marked as not to be changed by anybody; False where that cannot be told."""

    def flush_file(self, path: str, /) -> None:
        """Flush the content of a file to its drive."""

    def flush_handle(self, handle: int, /) -> None:
        """Flush the content of an open file to its drive."""

    def flush_drive(self, top: str, /) -> bool:
        """Flush the whole drive that holds `top`; whether the system can."""

    def forget(self, handle: int, /) -> None:
        """Let the system forget its copy of an open file, so that what is read comes from the drive; where it can."""

    def read_sparingly(self, handle: int, /) -> None:
        """Let what is read of an open file be fetched and no more: it is asked for its beginning only."""

    def share_blocks(self, source: int, target: int, /) -> bool:
        """Let an empty open file share the blocks of another on the same drive; whether it does."""

    def stretches(self, handle: int, size: int, /) -> Iterator[tuple[int, int | None]]:
        """Start and end of each stretch of data in an open file; for a hole between them, its size and None."""

    def copy_owner_and_attributes(self, source: int, target: int, /) -> Iterator[str]:
        """Give an open file or folder owner, group and extended attributes of another; the kinds that are lost: OWNER,
        ACCESS or ATTRIBUTE.
        """

    def finish_folder(self, source: str, target: str, mode: int, time_ns: int, /) -> Iterator[str]:
        """Give a folder, which is no link, owner, attributes, mode and times of another, and flush it; the kinds that
        are lost, MODE among them.
        """

    def attributes(self, path: str, /) -> Sequence[str]:
        """Which of ACCESS and ATTRIBUTE a file or folder has."""

    def set_mode(self, handle: int, mode: int, /) -> None:
        """Give an open file or folder its permissions, where the system has such."""

    def keeps_modes(self) -> bool:
        """Whether files and folders have permissions and owners."""

    def disk_bytes(self, state: os.stat_result, /) -> int:
        """What a file takes on its drive."""

    def room(self, path: str, /) -> Room:
        """The room on the volume that holds `path`."""

    def mount_table(self) -> str:
        """What the system says is mounted now, as a text that changes when that does; empty where it does not tell."""

    def mounts(self) -> Sequence[Mount]:
        """Every mount, the latest last; none where the system has no such table."""

    def identity(self, source: str, mount: str, number: int, /) -> str:
        """What tells the volume on a device, or share, from all others, wherever it is mounted."""

    def hardware(self, source: str, filesystem: str, /) -> Facts:
        """What is known of the disk under a volume."""

    def homes_of_others(self) -> Sequence[str]:
        """The homes of the other people who use this computer."""

    def letters(self) -> Sequence[str]:
        """What the letters of another system's drives mean here, such as `D:=/mnt/d`, where that is known."""

    def is_user(self, name: str, /) -> bool:
        """Whether a person or program with an account here has that name."""

    def is_private(self, path: str, /) -> bool:
        """Whether a file or folder is this user's, and nobody else may write it.  OSError when it is not there."""

    def is_mine(self, state: os.stat_result, /) -> bool:
        """Whether a file or folder belongs to this user."""

    def is_administrator(self) -> bool:
        """Whether this user may give files to others."""

    def processors(self) -> int:
        """How many processors this process may use."""

    def open_direct(self, path: str, /) -> int:
        """A handle that reads past the system's memory, in whole blocks.  OSError where the file system has none."""

    def read_into(self, handle: int, buffer: memoryview, start: int, /) -> int:
        """Read from a place of an open file until a buffer is full; the bytes that were read."""

    def end_with_parent(self) -> None:
        """Let this process end when the one that started it does, where the system can arrange that."""


OWNER, ACCESS, ATTRIBUTE, MODE = "owner", "access", "attribute", "mode"
