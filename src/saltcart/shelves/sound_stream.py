"""Sounds for the decoder: a file whose drive may fail while it is read.

The decoder calls back for bytes out of C, where an exception cannot pass: Python prints it and goes on.  So a failing
read is remembered, looks like the end of the file to the decoder, and is raised when the decoder has returned.
"""

import errno
from collections.abc import Iterator
from contextlib import contextmanager
from typing import BinaryIO

from saltcart.system import os


class SoundStream:
    """A file open for the decoder; `error` is the first failure of its drive."""

    def __init__(self, raw: BinaryIO):
        self.raw = raw
        self.error: OSError | None = None

    def readinto(self, buffer: bytearray) -> int:
        """Read into a buffer; 0 bytes when the drive fails."""
        data = self.read(len(buffer))
        buffer[: len(data)] = data
        return len(data)

    def read(self, count: int = -1) -> bytes:
        """Read some bytes; none when the drive fails."""
        try:
            return self.raw.read(count)
        except OSError as error:
            self.error = self.error or error
            return b""

    def seek(self, offset: int, whence: int = os.SEEK_SET) -> int:
        """Go to a place in the file; stay where that is impossible."""
        try:
            return self.raw.seek(offset, whence)
        except (OSError, ValueError) as error:
            if isinstance(error, OSError) and error.errno != errno.EINVAL:  # which a broken header asks for
                self.error = self.error or error
            return self.raw.tell()

    def tell(self) -> int:
        """Where the file is read next."""
        return self.raw.tell()


@contextmanager
def sound_stream(path: str) -> Iterator[SoundStream]:
    """The file at `path`, open for the decoder.  Raises OSError when its drive fails, whatever the decoder said."""
    with open(path, "rb") as raw:
        stream = SoundStream(raw)
        try:
            yield stream
        finally:
            if stream.error:
                raise stream.error
