"""Made-up sounds, the same on every machine: bells, foghorns and slow tracks."""

import math
import random
from array import array
from collections.abc import Iterator, Sequence
from itertools import chain, cycle, islice
from typing import NamedTuple

import soundfile

RATE = 44100
NOISE = 0.035 / 0x8000  # how loud the hiss of a track is, by the 16 bits of a random number


class Samples(NamedTuple):
    """Sound: values from -1 to 1, those of all channels of a moment side by side."""

    values: "array[float]"
    channels: int = 1


def ringing(pitch: float, fading: float = 0.0, turn: float = 0.0) -> Iterator[float]:
    """A sine of `pitch` hertz that fades as exp(-fading * seconds) and begins at the angle `turn`; each value follows
    from the two before it.
    """
    angle, kept = 2 * math.pi * pitch / RATE, math.exp(-fading / RATE)
    step, back = 2 * kept * math.cos(angle), kept * kept
    before, now = math.sin(turn - angle) / kept, math.sin(turn)
    while True:
        yield now
        before, now = now, step * now - back * before


def mixed(seconds: float, parts: Sequence[tuple[float, Iterator[float]]]) -> list[float]:
    """The sum of several parts, each so loud."""
    sound = [0.0] * int(RATE * seconds)
    for level, part in parts:
        sound = [value + level * more for value, more in zip(sound, part, strict=False)]
    return sound


def bell(pitch: float, seconds: float = 0.35, metal: float = 0.0) -> Samples:
    """A struck bell of the fundamental `pitch` in hertz and some `metal` (0 to 1), in one channel.

    Five partials of a church bell (hum, prime, tierce, quint, nominal), the higher the sooner gone.
    """
    partials = ((0.5, 0.18), (1.0, 0.3), (1.2, 0.15), (1.5, 0.12), (2.0 + 0.1 * metal, 0.15))
    return Samples(array("d", mixed(seconds, [(level, ringing(pitch * at, 6 * at)) for at, level in partials])))


def horn(pitch: float, seconds: float = 0.6) -> Samples:
    """A foghorn: odd harmonics with a slow attack and end, in one channel."""
    sound = mixed(seconds, [(0.4 / harmonic, ringing(pitch * harmonic)) for harmonic in (1, 3, 5, 7)])
    slope = [place * 8 / RATE for place in range(RATE // 8)]
    even = [1.0] * (len(sound) - 2 * len(slope))
    return Samples(array("d", map(float.__mul__, sound, chain(slope, even, reversed(slope)))))


def track(number: int, seconds: float = 2.5) -> Samples:
    """A slow made-up track in two channels: a swell over a pulse, and some hiss."""
    beat = list(islice(ringing(0, 3, math.pi / 2), RATE // 2))
    pulse = map(float.__mul__, ringing(55 + 5 * (number % 12)), cycle(beat))
    high, slow = 110 + 7 * (number % 9), 0.5 / seconds
    swell = mixed(seconds, [(0.1, ringing(high - slow, 0, math.pi / 2)), (-0.1, ringing(high + slow, 0, math.pi / 2))])
    hiss = array("h", random.Random(number).randbytes(4 * len(swell)))
    values = array("d", bytes(16 * len(swell)))
    loud = [0.4 * one for one in islice(pulse, len(swell))]
    for side, sign in enumerate((1, -1)):
        sides = zip(loud, swell, hiss[side::2], strict=True)
        values[side::2] = array("d", [one + sign * more + NOISE * noise for one, more, noise in sides])
    return Samples(values, 2)


def write(path: str, samples: Samples, depth: int = 16) -> None:
    """Write samples as WAV or FLAC, by the name's suffix, with `depth` bits."""
    with soundfile.SoundFile(path, "w", RATE, samples.channels, f"PCM_{depth}") as stream:
        stream.buffer_write(samples.values, "float64")


def tag(path: str, **tags: str) -> None:
    """Put Vorbis comments into a FLAC file."""
    from mutagen.flac import FLAC

    sound = FLAC(path)
    sound.update(tags)
    sound.save()
