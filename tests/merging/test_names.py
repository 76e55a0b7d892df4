"""What a person reads of a row that has no name: what it refers to, never a key made of a digest."""

import unittest

from saltcart.merging.merged import told_name
from saltcart.merging.rows import Row

SONG = Row("song", (1,), {"stars": 3}, places={"place": "Music/Peak.wav"})
CRATE = Row("crate", (2,), {"title": "Friday"})
MEMBER = Row("crate_song", ("40d1fc254c0d1ccf",), {"pos": 4}, refs={"crate": ("crate", (2,)), "song": ("song", (1,))})


class Names(unittest.TestCase):
    def test_each_kind(self):
        rows = {row.spot: row for row in (SONG, CRATE, MEMBER)}
        for row, others, wanted in (
            (SONG, None, "Peak.wav"),
            (CRATE, None, "Friday"),
            (MEMBER, rows, "Friday, Peak.wav"),
            (MEMBER, None, "crate_song: pos 4"),
            (Row("log", (7, "x"), {}), rows, "7 x"),
        ):
            with self.subTest(wanted):
                self.assertEqual(told_name(row, others), wanted)
