"""Digests of sounds: BLAKE3, or SHA-256 on request; read once, in large pieces."""

from collections.abc import Callable
from hashlib import sha256
from typing import IO, Protocol

from blake3 import blake3

from saltcart.system import here, os

CHUNK = 1 << 20
BLAKE3, SHA256 = "blake3", "sha256"


class Worker(Protocol):
    """What takes a digest of the pieces it is given."""

    def update(self, data: bytes, /) -> object:
        """Take in the next piece."""

    def hexdigest(self) -> str:
        """The digest of all pieces, in hexadecimal."""


def worker_for(kind: str) -> Worker:
    """A fresh worker for digests of that kind."""
    return sha256() if kind == SHA256 else blake3()


def digest_stream(stream: IO[bytes], kind: str = BLAKE3) -> str:
    """The digest of all that a stream still holds, in hexadecimal."""
    worker = worker_for(kind)
    while block := stream.read(CHUNK):
        worker.update(block)
    return worker.hexdigest()


def digest_file(
    path: str, kind: str = BLAKE3, past_cache: bool = False, tell: Callable[[int], None] | None = None
) -> str:
    """The digest of the regular file at `path`, in hexadecimal.

    With `past_cache` it is read from the drive rather than from memory.  `tell` gets the
    number of bytes of each piece.  Raises OSError; links are not followed.
    """
    worker = worker_for(kind)
    handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW)
    try:
        if past_cache:
            # The system forgets its copy of a flushed file, so that the reads below ask the drive.
            here.forget(handle)
        rest = os.fstat(handle).st_size  # asking for more than there is costs as much as reading it
        while rest and (block := os.read(handle, min(CHUNK, rest))):
            worker.update(block)
            rest -= len(block)
            if tell:
                tell(len(block))
    finally:
        os.close(handle)
    return worker.hexdigest()
