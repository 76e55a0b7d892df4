"""Shelves of which a part stays: what stays is judged by what it plays, and so is what leaves."""

import unittest

from tests.ledgers.test_instruments import played
from tests.world import WorldCase, tree, wav


class Divided(WorldCase):
    def setUp(self):
        super().setUp()
        self.library = self.keel / "Library"
        for name in ("low", "Été", "sub/high"):
            wav(self.library / "Samples" / f"{name}.wav", len(name))
        (self.library / "Patches").mkdir()
        files = {
            "all.sfz": "<region> sample=Samples/low.wav\n<region> sample=Samples\\Été.wav\n",
            "Patches/one.sfz": '#include "../part.inc"\n',
            "part.inc": "<region> sample=../Samples/sub/high.wav\n",
            "Samples/back.m3u8": "../Patches/one.sfz\nlow.wav\n",
            "kit.zzz": '<kit><pad file="Samples/low.wav"/><pad file="Samples/Été.wav"/></kit>',
        }
        for name, text in files.items():
            (self.library / name).write_text(text, encoding="utf-8")
        self.before = tree(self.library)

    def assert_plays(self, *tops):
        """Both instruments play all of their sounds, and the other files name what is there."""
        for name, sounds in (("all.sfz", ["low.wav", "Été.wav"]), ("Patches/one.sfz", ["high.wav"])):
            main = next(top / name for top in tops if (top / name).exists())
            self.assertEqual(list(played(str(main))), [(sound, True) for sound in sounds])
        for name, sign in (("Samples/back.m3u8", "\n"), ("kit.zzz", '"')):
            place = next(top / name for top in tops if (top / name).exists())
            texts = place.read_text("utf-8").split(sign)[1 if sign == '"' else 0 : -1 : 2 if sign == '"' else 1]
            self.assertEqual([text for text in texts if not (place.parent / text).exists()], [], name)

    def test_each_way_to_divide_and_back(self):
        for words in (
            ("--only", "Samples"),
            ("--leave-out", "*.sfz", "part.inc", "kit.zzz"),
            ("--leave-out", "Samples"),
            ("--only", "*.wav"),
            ("--leave-out", "Patches"),
        ):
            with self.subTest(words):
                report = self.run_json("move", self.library, "--to", self.lighter, *words, "--yes")
                self.assert_plays(self.library, self.lighter / "Library")
                self.run_program("check", report["trip"])
                self.run_program("undo", report["trip"], "--yes", "--drop-copies")
                self.assertEqual(tree(self.library), self.before)

    def test_a_piece_that_is_left_out_under_way(self):
        self.run_program("draft", self.library, "--to", self.lighter, "-o", "w.toml")
        self.run_program("haul", "w.toml")
        trip = self.run_json("trips")["trips"][0]["trip"]
        self.run_program("haul", trip, "--leave-out", "all.sfz", "Patches")
        self.run_program("repoint", trip, "--yes")
        self.assertTrue((self.library / "all.sfz").exists())
        self.assert_plays(self.library, self.lighter / "Library")

    def test_what_nobody_knows_and_stays_is_told(self):
        (self.library / "odd.bin").write_text('x "Samples/low.wav" y')
        words = ("move", self.library, "--to", self.lighter, "--only", "Samples", "--yes")
        self.assertIn("odd.bin: not understood, 1 left", self.run_program(*words, status=3).stderr)
        self.run_program(*words, "--leave-unread", self.library / "odd.bin")
        (self.library / "new.bin").write_text('x "Samples/low.wav" y')
        self.assertIn("new.bin", self.run_program("check", status=1).stdout)


if __name__ == "__main__":
    unittest.main()
