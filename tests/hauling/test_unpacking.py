"""One member of an archive on its way to the new drive: it comes whole, or it is told why not and nothing is left."""

import errno
import io
import os
import tempfile
import unittest
import zlib
from pathlib import Path

from saltcart.hauling.file_copy import FileCopy, silent
from saltcart.hauling.unpacking import unpack
from saltcart.shelves.digests import digest_stream

TIME_NS = 10**18
CONTENT = b"bell" * 5000
SIZE = len(CONTENT)
TOO_LARGE = "it is too large for the new drive (too big)"


class Failing(io.BytesIO):
    """Content that goes over into an error after some bytes."""

    def __init__(self, error):
        super().__init__(CONTENT[:100])
        self.error = error

    def read(self, size=-1):
        if not (data := super().read(size)):
            raise self.error
        return data


class Unpacking(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.top = Path(folder.name)

    def job(self, size=SIZE):
        part, final = str(self.top / "part"), str(self.top / "a.wav")
        return FileCopy("a.wav", "", part, final, size, size, TIME_NS, TIME_NS, 0o644)

    def test_a_member_comes_whole_with_its_time(self):
        outcome = unpack(self.job(), io.BytesIO(CONTENT), silent)
        self.assertEqual((outcome.why, outcome.digest), ("", digest_stream(io.BytesIO(CONTENT))))
        self.assertEqual((self.top / "part").read_bytes(), CONTENT)
        self.assertEqual(os.stat(self.top / "part").st_mtime_ns, TIME_NS)

    def test_what_does_not_come_whole_is_told_and_leaves_nothing(self):
        for name, size, stream, why in (
            ("longer than it says", 10, io.BytesIO(CONTENT), "is not as long as the archive says"),
            ("shorter than it says", SIZE + 1, io.BytesIO(CONTENT), "is not as long as the archive says"),
            ("damaged", SIZE, Failing(zlib.error("bad block")), "is damaged in the archive (bad block)"),
            ("too large for the drive", SIZE, Failing(OSError(errno.EFBIG, "too big")), TOO_LARGE),
            ("cut off", SIZE, Failing(EOFError("no end")), "is damaged in the archive (no end)"),
        ):
            with self.subTest(name):
                outcome = unpack(self.job(size), stream, silent)
                self.assertEqual((outcome.digest, outcome.why), ("", why))
                self.assertEqual(os.listdir(self.top), [])

    def test_a_drive_that_fails_and_an_interrupt_end_the_haul_and_leave_nothing(self):
        for error in (OSError(errno.ENOSPC, "full"), OSError(errno.EIO, "gone"), KeyboardInterrupt()):
            with self.subTest(error), self.assertRaises(type(error)):
                unpack(self.job(), Failing(error), silent)
            self.assertEqual(os.listdir(self.top), [])
