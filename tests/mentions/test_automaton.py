"""Many runs of bytes are found in one pass, wherever pieces of the content end."""

import unittest
from unittest.mock import patch

from hypothesis import given
from hypothesis import strategies as st

from saltcart.mentions import automaton
from saltcart.mentions.automaton import Automaton
from saltcart.mentions.finder import find
from saltcart.mentions.place_forms import PlaceForms

RUNS = st.lists(st.text("ab", min_size=1, max_size=4).map(str.encode), min_size=1, max_size=6, unique=True)


class Runs(unittest.TestCase):
    @given(RUNS, st.text("abc", max_size=40).map(str.encode), st.integers(1, 9))
    def test_each_spot_is_found_once_however_small_the_pieces(self, runs, data, chunk):
        expected = [
            (number, at, at + len(run))
            for number, run in enumerate(runs)
            for at in range(len(data))
            if data.startswith(run, at)
        ]
        with patch.object(automaton, "CHUNK", chunk):
            self.assertEqual(expected, sorted(Automaton(runs).spots(data)))
            self.assertEqual(bool(expected), Automaton(runs).any_in(data))

    def test_of_runs_that_begin_alike_the_longest_is_found(self):
        some = Automaton([b"pads", b"pads soft"], longest=True)
        self.assertEqual([(1, 2, 11), (0, 12, 16)], list(some.spots(b"/-pads soft-pads")))


class ManyPlaces(unittest.TestCase):
    def test_thousands_of_files_are_each_found(self):
        """They were looked for by one pattern, which took minutes with a thousand of them."""
        forms = tuple(PlaceForms(f"/media/keel/Takes/Gäng {number:05d}.wav", "/media/keel") for number in range(3000))
        text = "".join(f"{one.place}\n" for one in forms).encode()
        hits = find(text, forms, "/media/keel/Lists", False)
        self.assertEqual(list(range(3000)), sorted(hit.place for hit in hits))
