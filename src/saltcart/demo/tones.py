"""Made-up sounds, the same on every machine: bells, foghorns and slow tracks."""

import math
import random
from array import array
from collections.abc import Iterable, Iterator
from functools import partial, reduce
from itertools import accumulate, chain, cycle, islice, repeat
from operator import add, mul, sub
from typing import NamedTuple

import soundfile

RATE = 44100
WAVE = 1500  # samples at most that are repeated for a tone
NOISE = 0.035 / 0x8000  # how loud the hiss of a track is, by the 16 bits of a random number


class Samples(NamedTuple):
    """Sound: values from -1 to 1, those of all channels of a moment side by side."""

    values: "array[float]"
    channels: int = 1


def ringing(pitch: float, loud: float = 1.0, fading: float = 0.0, turn: float = 0.0) -> Iterator[float]:
    """A sine of `pitch` hertz, so `loud`, that fades as exp(-fading * seconds) and begins at the angle `turn`."""
    wave = cycle(periods(pitch, loud, turn))
    return map(mul, wave, accumulate(repeat(math.exp(-fading / RATE)), mul, initial=1.0)) if fading else wave


def periods(pitch: float, loud: float, turn: float) -> list[float]:
    """As many periods of a sine as come next to a whole number of samples: to repeat these is quick."""
    if not pitch:
        return [loud * math.sin(turn)]
    most = max(1, int(WAVE * pitch / RATE))
    count = min(range(1, most + 1), key=lambda number: abs(number * RATE / pitch - round(number * RATE / pitch)))
    length = round(count * RATE / pitch)
    return [loud * math.sin(turn + 2 * math.pi * count * at / length) for at in range(length)]


def mixed(seconds: float, parts: Iterable[Iterator[float]]) -> list[float]:
    """The sum of several parts."""
    return list(islice(reduce(partial(map, add), parts), int(RATE * seconds)))


def bell(pitch: float, seconds: float = 0.35, metal: float = 0.0) -> Samples:
    """A struck bell of the fundamental `pitch` in hertz and some `metal` (0 to 1), in one channel.

    Five partials of a church bell (hum, prime, tierce, quint, nominal), the higher the sooner gone.
    """
    partials = ((0.5, 0.18), (1.0, 0.3), (1.2, 0.15), (1.5, 0.12), (2.0 + 0.1 * metal, 0.15))
    return Samples(array("d", mixed(seconds, (ringing(pitch * at, level, 6 * at) for at, level in partials))))


def horn(pitch: float, seconds: float = 0.6) -> Samples:
    """A foghorn: odd harmonics with a slow attack and end, in one channel."""
    sound = mixed(seconds, (ringing(pitch * harmonic, 0.4 / harmonic) for harmonic in (1, 3, 5, 7)))
    slope = [place * 8 / RATE for place in range(RATE // 8)]
    even = [1.0] * (len(sound) - 2 * len(slope))
    return Samples(array("d", map(mul, sound, chain(slope, even, reversed(slope)))))


def track(number: int, seconds: float = 2.5) -> Samples:
    """A slow made-up track in two channels: a swell over a pulse, and some hiss."""
    beat = list(islice(ringing(0, 0.4, 3, math.pi / 2), RATE // 2))
    pulse = map(mul, ringing(55 + 5 * (number % 12)), cycle(beat))
    high, slow = 110 + 7 * (number % 9), 0.5 / seconds
    swell = mixed(seconds, [ringing(high - slow, 0.1, 0, math.pi / 2), ringing(high + slow, -0.1, 0, math.pi / 2)])
    hiss = array("h", random.Random(number).randbytes(4 * len(swell)))
    values = array("d", bytes(16 * len(swell)))
    loud = list(islice(pulse, len(swell)))
    for side, join in enumerate((add, sub)):
        noise = map(mul, hiss[side::2], repeat(NOISE))
        values[side::2] = array("d", map(add, map(join, loud, swell), noise))
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
