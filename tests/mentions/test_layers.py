"""Paths with something around them: escapes in each other, a letter before each text."""

import pickle
import tempfile
import unittest
from pathlib import Path
from urllib.parse import quote

from saltcart.mentions.content import mentions_in
from saltcart.mentions.search_places import forms_of

SHELVES = ("/tmp/keel/Sounds/Bells", "/tmp/keel/Sounds/Bell Tones Été", "/tmp/keel/Sounds/鐘 Bells")
NAMES = ("low/C1.wav", "high/Été 50%.wav")


def layers(path, times):
    """The address of a file as a part of that many others."""
    text = quote(f"file://{path}")
    for _time in range(times - 1):
        text = quote(text, safe="")
    return text


class Layers(unittest.TestCase):
    def count(self, data, shelf):
        """How often some content names a shelf."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "state")
            path.write_bytes(data)
            return mentions_in(str(path), forms_of([shelf])).live()

    def test_addresses_in_each_other(self):
        for shelf in SHELVES[:2]:
            for times in (1, 2, 3):
                with self.subTest(shelf=shelf, times=times):
                    data = "\n".join(f"open?u={layers(f'{shelf}/{name}', times)}" for name in NAMES)
                    self.assertEqual(self.count(data.encode(), shelf), 2)

    def test_pickles_of_every_kind(self):
        for shelf in SHELVES[:2]:
            for protocol in range(pickle.HIGHEST_PROTOCOL + 1):
                with self.subTest(shelf=shelf, protocol=protocol):
                    data = pickle.dumps([f"{shelf}/{name}" for name in NAMES], protocol)
                    self.assertEqual(self.count(data, shelf), 2)
                    self.assertEqual(self.count(data, f"{shelf} of others"), 0)

    def test_a_path_below_another_folder_is_another(self):
        self.assertEqual(self.count(f"aV{SHELVES[0]}/C1.wav\nW{SHELVES[0]}/C1.wav\n".encode(), SHELVES[0]), 0)


if __name__ == "__main__":
    unittest.main()
