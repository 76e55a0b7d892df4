"""What the headers of sounds say: length, rate, channels, bit depth, tags."""

from collections import Counter
from collections.abc import Iterable, Iterator
from typing import BinaryIO, Literal

from msgspec import Struct, field

from saltcart.progress import Progress, Tick, silent
from saltcart.shelves.audio import DECODED, kind_of, trouble_of
from saltcart.shelves.sound_stream import sound_stream
from saltcart.system import os

DEPTHS = {"PCM_S8": 8, "PCM_U8": 8, "PCM_16": 16, "PCM_24": 24, "PCM_32": 32, "FLOAT": 32, "DOUBLE": 64}
STREAMED = 0xFFFFFFFF  # the size that is written before anybody knows it
ORDERS: dict[bytes, Literal["little", "big"]] = {b"RIFF": "little", b"RIFX": "big", b"FORM": "big"}
READERS = 4  # headers wait for the drive more than for the processor


class Header(Struct, frozen=True):
    """One sound; `bits` is None for compressed kinds, `trouble` says why the header does not parse."""

    path: str
    seconds: float = 0.0
    rate: int = 0
    channels: int = 0
    bits: int | None = None
    tagged: bool = False
    trouble: str | None = None


class HeaderSums(Struct):
    """Sums over many sounds: seconds in all, and how many of each rate (hertz), channels and depth (bits)."""

    seconds: float = 0.0
    longest_seconds: float = 0.0
    rates: Counter[int] = field(default_factory=Counter)
    channels: Counter[int] = field(default_factory=Counter)
    bits: Counter[int] = field(default_factory=Counter)
    tagged: int = 0
    troubles: list[Header] = field(default_factory=list)

    def add(self, header: Header) -> None:
        """Take in one sound."""
        if header.trouble:
            self.troubles.append(header)
            return
        self.seconds += header.seconds
        self.longest_seconds = max(self.longest_seconds, header.seconds)
        self.rates[header.rate] += 1
        self.channels[header.channels] += 1
        if header.bits:
            self.bits[header.bits] += 1
        self.tagged += header.tagged


def read_header(path: str) -> Header:
    """The header of the sound at `path`, for which its file is opened once."""
    found: list[Header] = []

    def opened() -> bool:
        header = decoder_header(path) if kind_of(path) in DECODED else tag_header(path)
        found.extend([header] if header else [])
        return header is not None

    try:
        trouble = "is empty" if os.path.getsize(path) == 0 else trouble_of(path, opened)
    except OSError as error:
        trouble = error.strerror or str(error)
    return Header(path, trouble=trouble) if trouble else found[0]


def cut_off(path: str) -> bool:
    """Whether the file at `path` ends before what its header promises, as when its copying was interrupted.

    Only WAV and AIFF say how long they are.  Sources: Multimedia Programming Interface and Data Specifications 1.0
    (RIFF); EA IFF 85 (FORM).
    """
    try:
        with open(path, "rb") as stream:
            head, size = stream.read(8), os.fstat(stream.fileno()).st_size
    except OSError:
        return False
    promised = int.from_bytes(head[4:], ORDERS[head[:4]]) if head[:4] in ORDERS and len(head) == 8 else 0
    return promised != STREAMED and promised + 8 > size + 1


def decoder_header(path: str) -> Header:
    """As the decoder reads it."""
    import soundfile

    with sound_stream(path) as stream:
        with soundfile.SoundFile(stream) as facts:
            seconds, rate, channels = facts.frames / facts.samplerate, facts.samplerate, facts.channels
            bits, tagged = DEPTHS.get(facts.subtype), bool(facts.copy_metadata())
        return Header(path, seconds, rate, channels, bits, tagged or has_tags(stream.raw, kind_of(path)))


def tag_header(path: str) -> Header | None:
    """As the tag reader reads it; None when it knows no such sound."""
    import mutagen

    opened = mutagen.File(path)
    if opened is None:
        return None
    facts = opened.info
    rate, channels = getattr(facts, "sample_rate", 0), getattr(facts, "channels", 0)
    return Header(path, facts.length, rate, channels, None, bool(opened.tags))


def has_tags(stream: BinaryIO, kind: str | None) -> bool:
    """Whether a sound has tags of a kind that its decoder does not read: ID3 in a separate chunk."""
    from mutagen import aiff, wave

    reader = {"WAV": wave.WAVE, "AIFF": aiff.AIFF}.get(kind or "")
    if reader is None:
        return False
    stream.seek(0)
    try:
        return bool(reader(stream).tags)
    except Exception:  # as in trouble_of: a sound whose tags cannot be read has none to speak of
        return False


def read_headers(paths: Iterable[str], total: int, progress: Progress = silent) -> Iterator[Header]:
    """The headers of many sounds, several at a time, in order."""
    from concurrent.futures import ThreadPoolExecutor  # only when headers are asked for

    with ThreadPoolExecutor(READERS) as pool:
        for number, header in enumerate(pool.map(read_header, paths)):
            progress(Tick("read headers", os.path.basename(header.path), number + 1, total))
            yield header
