"""Worlds of each kind of loss: no wrong link is set, and what can be known is found."""

import os
import tempfile
import unittest

from bench.mend_worlds import BASES, WORLDS, judged
from saltcart.mending.volumes import volumes_differ
from tests.launcher import launch
from tests.world import WORDS

COUNT = 45
ALL_OF_IT = 0.95
BY_CHOICE = ("alike_pack",)  # where nothing contradicts the names, and a person takes them


def started(words, environment):
    """Run the program to its end."""
    return launch([*WORDS, *words], {**os.environ, **environment}, tempfile.gettempdir())


class Worlds(unittest.TestCase):
    """No link is wrong, and of what sizes can tell nearly all is found."""

    def judge(self, kind, *more):
        for make in WORLDS:
            if more and make.__name__ in BY_CHOICE:
                continue
            with self.subTest(make.__name__, kind=kind, more=more):
                right, wrong, left = judged(make, kind, COUNT, more, started)
                self.assertEqual(wrong, 0)
                if kind in BASES:
                    self.assertGreaterEqual(right, ALL_OF_IT * (right + left))

    def test_from_a_list(self):
        self.judge("list", "--by-name")

    def test_from_a_list_of_sounds_with_tags(self):
        self.judge("tagged", "--by-name")

    def test_from_a_database(self):
        self.judge("database")

    def test_from_a_database_that_nobody_described(self):
        self.judge("undescribed", "--by-name")


class Volumes(unittest.TestCase):
    def test_folders_that_differ_in_numbers_alone(self):
        cases = [
            ("Loops Vol 1", "Loops Vol 2", True),
            ("Loops Vol. 01", "loops vol 1", False),
            ("Loops II", "Loops iv", True),
            ("Loops", "Loops 2", True),
            ("Loops", "Loops 1", False),
            ("Été 2019", "E\u0301te\u0301 2020", True),
            ("Loops 1", "Pads 2", False),
            ("keel", "lighter", False),
            ("Loops 1 of 2", "Loops 3", False),
        ]
        for one, other, differ in cases:
            with self.subTest(one, other=other):
                self.assertEqual(bool(volumes_differ(f"/a/{one}/x.wav", f"/b/{other}/x.wav")), differ)
                self.assertEqual(bool(volumes_differ(f"/a/{other}/d/x.wav", f"/b/{one}/d/x.wav")), differ)
