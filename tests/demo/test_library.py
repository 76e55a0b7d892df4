"""The page about the library: its examples run as they stand, and it lists every step that there is."""

import re
import subprocess
import sys
from pathlib import Path

import saltcart
from saltcart.standins import sampler
from tests.world import WorldCase, build_studio

PAGE = (Path(__file__).parents[2] / "docs" / "library.md").read_text("utf-8")
EXAMPLES = dict(re.findall(r"^## ([^\n]+)\n\n```python\n(.*?)^```", PAGE, re.MULTILINE | re.DOTALL))
TELLS = {
    "Judge a library": ("library.db", "'found': 23", "missing tracks.place, row 23"),
    "Move a shelf, and show how far it is": ("all is well 50", "look over Fog Voices"),
    "See what an entry means": ("tracks.place, row 1 file file:///", "Slack Tide 0 /"),
}


class Library(WorldCase):
    def test_its_examples_run_as_they_stand(self):
        studio = self.top / "petrel"
        build_studio(studio)
        self.assertEqual(EXAMPLES.keys(), TELLS.keys())
        for name, text in EXAMPLES.items():
            with self.subTest(name):
                words = [sys.executable, "-W", "error", "-c", text]
                done = subprocess.run(words, cwd=studio, env=self.environment, capture_output=True, text=True)
                self.assertEqual(done.returncode, 0, done.stderr)
                for words in TELLS[name]:
                    self.assertIn(words, done.stdout)
        heard = list(sampler.play_all(str(studio / "keel/sampler/sampler.ini")))
        self.assertEqual([path for path, why in heard if why], [])

    def test_every_step_is_listed_and_is_there(self):
        table = PAGE[PAGE.index("## The steps") :]
        for name in saltcart.STEPS:
            with self.subTest(name):
                self.assertTrue(callable(getattr(saltcart, name)))
                self.assertIn(f"`{name}`" if name not in ("SaltCartError", "Tick") else f"saltcart.{name}", PAGE)
        named = set(re.findall(r"`(\w+)`", table))
        self.assertEqual(named - set(saltcart.STEPS), set())
