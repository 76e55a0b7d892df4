"""The quick look at WAV files agrees with the decoder: what it passes, the decoder opens."""

import io
import os
import struct
import tempfile
import unittest
from pathlib import Path

import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from saltcart.shelves.plain_wav import BEFORE_DATA, FLOAT, PCM, is_plain_wav

KINDS = [(PCM, 8), (PCM, 16), (PCM, 24), (PCM, 32), (FLOAT, 32), (FLOAT, 64)]


def chunk(name, body, length=None):
    """A chunk, whatever it says of its length."""
    return name + struct.pack("<I", len(body) if length is None else length) + body + b"\0" * (len(body) & 1)


def wave(form, before, data, promised=None):
    """A WAV file of a `fmt` chunk, chunks before the data, and data of which the header promises so much."""
    body = b"WAVE" + chunk(b"fmt ", form) + before + chunk(b"data", data, promised)
    return b"RIFF" + struct.pack("<I", len(body)) + body


forms = st.builds(
    lambda kind, channels, rate, wrong: struct.pack(
        "<HHIIHH",
        kind[0],
        channels,
        rate,
        rate * channels * kind[1] // 8 % 2**32,
        channels * kind[1] // 8 + wrong,
        kind[1],
    ),
    *(st.sampled_from([*KINDS, (2, 4), (PCM, 12)]), st.integers(0, 300), st.integers(0, 2**31), st.integers(0, 1)),
)
chunks = st.lists(
    st.builds(chunk, st.sampled_from([*BEFORE_DATA, b"smpl", b"cue "]), st.binary(max_size=40)), max_size=3
)
waves = st.builds(
    wave, forms, chunks.map(b"".join), st.binary(max_size=200), st.none() | st.integers(0, 400)
)  # fmt: skip


class PlainWav(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = os.path.join(folder.name, "x.wav")

    def passes(self, data):
        """Whether the quick look passes a file of this content."""
        Path(self.path).write_bytes(data)
        return is_plain_wav(self.path)

    @settings(deadline=None, max_examples=600)
    @given(waves, st.integers(0, 80), st.binary(max_size=4))
    def test_what_it_passes_the_decoder_opens(self, data, at, noise):
        for content in (data, data[:at] + noise + data[at + len(noise) :], data[:-at] if at else data):
            if self.passes(content):
                soundfile.info(io.BytesIO(content))

    def test_every_plain_kind_passes(self):
        """Else it would save nothing."""
        for kind, bits in KINDS:
            for before in (b"", chunk(b"bext", b"x" * 603)):
                form = struct.pack("<HHIIHH", kind, 2, 44100, 44100 * bits // 4, bits // 4, bits)
                self.assertTrue(self.passes(wave(form, before, b"\0" * 96)), (kind, bits))
        self.assertFalse(self.passes(wave(form, b"", b"\0" * 96, 97)), "its data is not all there")
        self.assertFalse(self.passes(b""))
