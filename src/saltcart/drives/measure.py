"""Measuring a drive with a file of our own, past the system's memory, and saying the result in a musician's terms."""

import mmap
import random
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress

from msgspec import Struct

from saltcart.drives.drive import Drive
from saltcart.errors import Refused, Stopped, show
from saltcart.progress import Progress, Tick, silent
from saltcart.system import here, os

TEST_BYTES = 256 << 20
PIECE = 4 << 20
VOICE_BYTES_PER_SECOND = 48_000 * 3 * 2  # 48 kHz, 24 bits, two channels
# A sampler reads ahead for each voice in pieces of this size, wherever its sample lies.
READ_AHEAD = 64 << 10
READS = 400
NAME = ".saltcart-measure"


class Speed(Struct, frozen=True):
    """Bytes per second of writing, reading in one go, and reading pieces of 64 KiB here and there.

    `past_cache` is False when the file system would not let us by the system's memory, so that
    the reading rates may be too good.
    """

    write: float
    read: float
    scattered: float
    past_cache: bool

    @property
    def voices(self) -> int:
        """How many stereo 24-bit 48 kHz voices the scattered reads would feed."""
        return int(self.scattered / VOICE_BYTES_PER_SECOND)


def measure(drive: Drive, progress: Progress = silent) -> Speed:
    """Write and read a test file on `drive`, of 256 MiB or a quarter of its free room, and remove it.

    Raises Refused when it does not fit or cannot be written, Stopped when the drive fails meanwhile.
    """
    size = min(TEST_BYTES, drive.free_bytes // 4) // PIECE * PIECE
    if drive.read_only or not size:
        raise Refused(
            f"The drive {show(drive.name)} is read-only, or has no room for a test file",
            "Free some room, or leave out --measure.",
        )
    path = os.path.join(drive.mount, NAME)
    try:
        with removed(path):
            write = timed_write(path, size, progress)
            past, read = timed_read(path, size, progress)
            scattered = timed_scatter(path, size)
            return Speed(write, read, scattered, past)
    except PermissionError as error:
        raise Refused(f"You may not write to {show(drive.mount)}", "Measure as a user who may.") from error
    except OSError as error:
        raise Stopped(
            f"The drive {show(drive.name)} failed while it was measured: {error.strerror}",
            "Do not trust it; check its cable.",
        ) from error


@contextmanager
def removed(path: str) -> Iterator[None]:
    """Remove the test file whatever happens."""
    try:
        yield
    finally:
        with suppress(FileNotFoundError):
            os.unlink(path)


def timed_write(path: str, size: int, progress: Progress) -> float:
    """Bytes per second of writing `size` bytes that do not compress, flushed."""
    piece = random.Random(1).randbytes(PIECE)
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    try:
        began = time.perf_counter()
        for done in range(0, size, PIECE):
            os.write(handle, piece)
            progress(Tick("measure: write", path, done, 2 * size, in_bytes=True))
        os.fsync(handle)
        return size / (time.perf_counter() - began)
    finally:
        os.close(handle)


def timed_read(path: str, size: int, progress: Progress) -> tuple[bool, float]:
    """Whether it was read past the cache, and bytes per second of reading it in one go."""
    with direct(path) as (handle, past):
        buffer = mmap.mmap(-1, PIECE)  # page-aligned, as direct reads must be
        began = time.perf_counter()
        done = 0
        while count := here.read_into(handle, memoryview(buffer), done):
            done += count
            progress(Tick("measure: read", path, size + done, 2 * size, in_bytes=True))
        return past, done / (time.perf_counter() - began)


def timed_scatter(path: str, size: int) -> float:
    """Bytes per second of reading small pieces in no order, as a sampler does."""
    places = random.Random(2)
    with direct(path) as (handle, _past):
        buffer = mmap.mmap(-1, READ_AHEAD)
        began = time.perf_counter()
        for _read in range(READS):
            here.read_into(handle, memoryview(buffer), places.randrange(size // READ_AHEAD) * READ_AHEAD)
        return READS * READ_AHEAD / (time.perf_counter() - began)


@contextmanager
def direct(path: str) -> Iterator[tuple[int, bool]]:
    """A handle that reads past the cache where the file system allows it, and whether it does."""
    try:
        handle, past = here.open_direct(path), True
    except OSError:
        handle, past = os.open(path, os.O_RDONLY), False
        here.forget(handle)
    try:
        yield handle, past
    finally:
        os.close(handle)
