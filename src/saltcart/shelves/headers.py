"""What the headers of sounds say: length, rate, channels, bit depth, tags."""

import os
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

from saltcart.progress import Progress, Tick, silent
from saltcart.shelves.audio import DECODED, header_trouble, kind_of

DEPTHS = {"PCM_S8": 8, "PCM_U8": 8, "PCM_16": 16, "PCM_24": 24, "PCM_32": 32, "FLOAT": 32, "DOUBLE": 64}
READERS = 4  # headers wait for the drive more than for the processor


@dataclass(frozen=True, slots=True)
class Header:
    """One sound; `bits` is None for compressed kinds, `trouble` says why the header does not parse."""

    path: str
    seconds: float = 0.0
    rate: int = 0
    channels: int = 0
    bits: int | None = None
    tagged: bool = False
    trouble: str | None = None


@dataclass(slots=True)
class HeaderSums:
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
    """The header of the sound at `path`."""
    try:
        trouble = header_trouble(path)
        if trouble:
            return Header(path, trouble=trouble)
        return decoder_header(path) if kind_of(path) in DECODED else tag_header(path)
    except OSError as error:
        return Header(path, trouble=error.strerror or str(error))
    except Exception as error:  # what parsers of other people raise on odd files; see audio.trouble_of
        return Header(path, trouble=f"does not open as {kind_of(path)} ({error or type(error).__name__})")


def decoder_header(path: str) -> Header:
    """As the decoder reads it."""
    import soundfile

    with open(path, "rb") as stream:
        facts = soundfile.info(stream)
    return Header(path, facts.duration, facts.samplerate, facts.channels, DEPTHS.get(facts.subtype), has_tags(path))


def tag_header(path: str) -> Header:
    """As the tag reader reads it."""
    import mutagen

    opened = mutagen.File(path)
    facts = opened.info
    return Header(
        path, facts.length, getattr(facts, "sample_rate", 0), getattr(facts, "channels", 0), None, bool(opened.tags)
    )


def has_tags(path: str) -> bool:
    """Whether the sound at `path` says anything about itself."""
    import mutagen

    try:
        opened = mutagen.File(path)
    except Exception:  # as in read_header: a sound whose tags cannot be read has none to speak of
        return False
    return bool(opened is not None and opened.tags)


def read_headers(paths: Iterable[str], total: int, progress: Progress = silent) -> Iterator[Header]:
    """The headers of many sounds, several at a time, in order."""
    from concurrent.futures import ThreadPoolExecutor  # only when headers are asked for

    with ThreadPoolExecutor(READERS) as pool:
        for number, header in enumerate(pool.map(read_header, paths)):
            progress(Tick("read headers", os.path.basename(header.path), number + 1, total))
            yield header
