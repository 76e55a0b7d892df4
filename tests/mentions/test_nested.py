"""Sounds that a document names by records in each other."""

import json
import os
import plistlib
import tempfile
import unittest
from pathlib import Path

from saltcart.mentions import nested_names
from saltcart.mentions.nested_names import nested_sounds
from tests.planning.nested_documents import SUFFIXES, document

NAMES = ("low/C1.wav", "low/D1.wav", "high/Été 50%.wav", "鐘.flac")
NO_PATHS = (
    {"name": "", "children": [{"name": "Menu", "children": [{"name": "song.mp3", "url": "http://x/song.mp3"}]}]},
    {"tmp": {"names": ["a.wav", "b.wav"]}},
    {"root": "/tmp", "items": [{"title": "x.wav"}, {"title": "y.wav"}]},
    {"sets": [["intro.wav", "outro.wav"], ["Menu", "Night", "song.wav"]]},
)


class Nested(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = os.path.realpath(folder.name)

    def test_every_kind_of_document_tells_the_paths(self):
        for kind in SUFFIXES:
            for shelf in ("Sounds/Bells", "gone/Bells Été"):
                with self.subTest(kind=kind, shelf=shelf):
                    place = os.path.join(self.folder, shelf)
                    found, whole = nested_sounds(document(kind, place, NAMES))
                    self.assertEqual(sorted(found), sorted(os.path.join(place, name) for name in NAMES))
                    self.assertTrue(whole)

    def test_names_that_lead_to_no_folder_of_this_computer_are_none(self):
        for content in NO_PATHS:
            with self.subTest(content):
                self.assertEqual(nested_sounds(json.dumps(content).encode()), ([], True))

    def test_a_drive_of_another_system_holds_folders_too(self):
        content = {"name": "D:", "inside": [{"name": "Sounds", "inside": [{"name": "Bells", "files": ["C1.wav"]}]}]}
        self.assertEqual(nested_sounds(json.dumps(content).encode()), (["D:/Sounds/Bells/C1.wav"], True))

    def test_of_several_names_those_count_that_lead_to_sounds(self):
        Path(self.folder, "Bells").mkdir()
        Path(self.folder, "Bells", "C1.wav").touch()
        tracks = [{"label": "One.wav", "file": "C1.wav"}, {"label": "Two.wav", "file": "D1.wav"}]
        content = {"path": self.folder, "packs": [{"nick": "Low", "folder": "Bells", "tracks": tracks}]}
        found, _whole = nested_sounds(json.dumps(content).encode())
        self.assertEqual(sorted(found), [f"{self.folder}/Bells/{name}.wav" for name in ("C1", "D1")])

    def test_what_is_broken_deep_or_large_comes_to_an_end(self):
        deep = b'{"a":' * 5000 + b'["x.wav"]' + b"}" * 5000
        for data in (deep, b'{"a": "x.wav"', b"<a t='x.wav'>", b"<a><b t='x.wav'/>", b"bplist00 'x.wav'"):
            self.assertEqual(nested_sounds(data), ([], True))
        large = b'["x.wav"]' + b" " * nested_names.LARGEST
        self.assertEqual(nested_sounds(large), ([], False))
        shared = [["x.wav"]]
        for _level in range(18):  # without an end, so many records are made that it is felt
            shared = [shared, shared]
        self.assertEqual(nested_sounds(plistlib.dumps(shared, fmt=plistlib.FMT_BINARY)), ([], False))
        entities = b'<!DOCTYPE a [<!ENTITY b "tmp">]><a t="/tmp"><c t="x.wav"/></a>'
        self.assertEqual(nested_sounds(entities), ([], True))


if __name__ == "__main__":
    unittest.main()
