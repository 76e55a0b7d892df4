"""Plain WAV files, told by their beginning: most samples are, and to ask the decoder takes six times as long.

Source: Multimedia Programming Interface and Data Specifications 1.0, 1991, "Waveform Audio File Format".
"""

import struct

from saltcart.shelves.beginning import beginning_and_size

HEAD_BYTES = 4096  # in which nearly all have their data begin; those that do not are left to the decoder
PCM, FLOAT = 1, 3
WIDTHS = {PCM: (8, 16, 24, 32), FLOAT: (32, 64)}  # bits of a value
BEFORE_DATA = (b"fmt ", b"LIST", b"bext", b"JUNK", b"junk", b"PAD ", b"FLLR")  # which decoders pass over
MOST_CHANNELS, HIGHEST_RATE = 256, 1_000_000


def is_plain_wav(path: str) -> bool:
    """Whether a file is a WAV of plain numbers whose data is all there.  False says nothing.  OSError when it cannot be
    read.
    """
    head, size = beginning_and_size(path, HEAD_BYTES)
    if head[:4] != b"RIFF" or head[8:12] != b"WAVE":
        return False
    at, plain = 12, False
    while at + 8 <= len(head):
        name, length = struct.unpack_from("<4sI", head, at)
        if name == b"data":
            return plain and 0 < length <= size - at - 8
        if name not in BEFORE_DATA or (plain and name == b"fmt "):
            return False
        if name == b"fmt ":
            plain = is_plain(head[at + 8 : at + 8 + min(length, 16)])
        at += 8 + length + (length & 1)
    return False


def is_plain(form: bytes) -> bool:
    """Whether a `fmt` chunk says that values are plain numbers, and makes sense."""
    if len(form) < 16:
        return False
    kind, channels, rate, _per_second, block, bits = struct.unpack("<HHIIHH", form)
    sane = 0 < channels <= MOST_CHANNELS and 0 < rate <= HIGHEST_RATE
    return sane and bits in WIDTHS.get(kind, ()) and block == channels * bits // 8
