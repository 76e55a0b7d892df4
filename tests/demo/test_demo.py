"""The demonstration plays to its end, and leaves nothing behind unless asked."""

import os
from collections import Counter

from tests.world import WorldCase, build_studio, tree


class Demo(WorldCase):
    def test_the_story_ends_well(self):
        scratch = self.top / "scratch"
        scratch.mkdir()
        self.environment["TMPDIR"] = str(scratch)
        done = self.run_json("demo")
        self.assertEqual([scene["status"] for scene in done["scenes"]], [scene["expected"] for scene in done["scenes"]])
        outputs = [scene["output"] for scene in done["scenes"] if scene["command"][:1] == ["player"]]
        self.assertIn("23 of 24 play", outputs[0])
        self.assertIn("0 of 24 play", outputs[1])
        self.assertTrue(any("23 of 24 play" in output and "lighter" in output for output in outputs))
        self.assertEqual(os.listdir(scratch), [])

    def test_into_a_folder_of_the_users(self):
        studio = self.top / "studio"
        self.run_program("demo", "--into", str(studio), "--build-only")
        names = tree(studio)
        self.assertIn(b"keel/Sounds/Bell Tones Extra", names)
        self.run_program("demo", "--into", str(studio), status=3)
        self.assertEqual(tree(studio), names)
        other = self.top / "other"
        build_studio(other)
        sounds = {name: digest for name, digest in tree(other).items() if name.endswith((b".wav", b".flac"))}
        self.assertEqual(sounds, {name: names[name] for name in sounds})
        met = Counter(sounds[name] for name in sounds if name.startswith(b"keel/Sounds/"))
        alike = sorted(name for name in sounds if met[sounds[name]] > 1)
        low = b"keel/Sounds/Bell Tones/Low Bells/C1 low"
        self.assertEqual(alike, [low + b" (final).wav", low + b".wav"], "what only seems to be a copy misleads")
