"""Made-up sounds, the same on every machine: bells, foghorns and slow tracks."""

import numpy
import soundfile
from numpy.typing import NDArray

RATE = 44100
Samples = NDArray[numpy.float64]


def bell(pitch: float, seconds: float = 0.35, metal: float = 0.0) -> Samples:
    """A struck bell of the fundamental `pitch` in hertz and some `metal` (0 to 1): mono samples from -1 to 1.

    Five partials of a church bell (hum, prime, tierce, quint, nominal), the higher the sooner gone.
    """
    time = numpy.arange(int(RATE * seconds)) / RATE
    partials = ((0.5, 0.6), (1.0, 1.0), (1.2, 0.5), (1.5, 0.4), (2.0 + 0.1 * metal, 0.5))
    sound = numpy.zeros_like(time)
    for ratio, level in partials:
        sound += level * numpy.sin(2 * numpy.pi * pitch * ratio * time) * numpy.exp(-time * 6 * ratio)
    return 0.3 * sound


def horn(pitch: float, seconds: float = 0.6) -> Samples:
    """A foghorn: odd harmonics with a slow attack, mono samples from -1 to 1."""
    time = numpy.arange(int(RATE * seconds)) / RATE
    sound = sum(numpy.sin(2 * numpy.pi * pitch * harmonic * time) / harmonic for harmonic in (1, 3, 5, 7))
    return 0.4 * sound * numpy.minimum(1, time * 8) * numpy.minimum(1, (seconds - time) * 8)


def track(number: int, seconds: float = 2.5) -> Samples:
    """A slow made-up track: stereo samples, shape (frames, 2), a swell over a pulse."""
    time = numpy.arange(int(RATE * seconds)) / RATE
    noise = numpy.random.default_rng(number).normal(0, 0.02, (len(time), 2))
    pulse = numpy.sin(2 * numpy.pi * (55 + 5 * (number % 12)) * time) * numpy.exp(-3 * (time % 0.5))
    swell = numpy.sin(2 * numpy.pi * (110 + 7 * (number % 9)) * time) * numpy.sin(numpy.pi * time / seconds)
    return numpy.stack([0.4 * pulse + 0.2 * swell, 0.4 * pulse - 0.2 * swell], axis=1) + noise


def write(path: str, samples: Samples, depth: int = 16) -> None:
    """Write samples as WAV or FLAC, by the name's suffix, with `depth` bits."""
    soundfile.write(path, samples, RATE, subtype=f"PCM_{depth}")


def tag(path: str, **tags: str) -> None:
    """Put Vorbis comments into a FLAC file."""
    from mutagen.flac import FLAC

    sound = FLAC(path)
    sound.update(tags)
    sound.save()
