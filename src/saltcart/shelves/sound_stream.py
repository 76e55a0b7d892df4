"""Sounds for the decoder: a file whose drive may fail while it is read.

The decoder calls back for bytes out of C, where an exception cannot pass: Python prints it and goes on.  So a failing
read is remembered, looks like the end of the file to the decoder, and is raised when the decoder has returned.
"""

import errno
from collections.abc import Iterator
from contextlib import contextmanager
from typing import BinaryIO

from saltcart.system import os

BEGINNING = 16  # bytes that tell what a file is
CONTAINERS = (b"RIFF", b"RIFX", b"RF64", b"riff", b"FORM", b"fLaC", b"OggS", b"ID3", b"wvpk", b"MAC ", b".snd", b"caff")


class OtherContent(RuntimeError):
    """What is named as a sound begins as something else."""


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
    """The file at `path`, open for the decoder.  Raises OSError when its drive fails, whatever the decoder said, and
    OtherContent when it does not begin as sounds do: the decoder knows many more formats, and what a stranger's stick
    holds need not reach all of them.
    """
    with open(path, "rb") as raw:
        stream = SoundStream(raw)
        if not begins_as_sound(raw.read(BEGINNING)):
            raise OtherContent("its beginning is that of no sound")
        raw.seek(0)
        try:
            yield stream
        finally:
            if stream.error:
                raise stream.error


def begins_as_sound(head: bytes) -> bool:
    """Whether a file with the suffix of a sound begins as one: the signature of its container, an ID3 tag, or a frame
    of MPEG or AAC audio.
    """
    frame = len(head) > 3 and head[0] == 0xFF and head[1] & 0xE0 == 0xE0 and not head[:4].isascii()
    return head.startswith(CONTAINERS) or head[4:8] == b"ftyp" or frame
