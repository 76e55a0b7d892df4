"""The recipes and the help in trouble of the documentation, each run as it stands in a fresh studio of the demo."""

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

from saltcart.standins import decks
from tests.launcher import in_shells
from tests.world import WorldCase, build_studio

NAMES = "[bcdfghjkmnpqrstvwxz23456789]{4}"  # of trips; in the recipes, k3vn stands for any
NAMED = re.compile(rf"(undo |release |set-aside-|Trip |check ){NAMES}\b")
DOCS = Path(__file__).parents[2] / "docs"
ANSWERS = dict(
    re.findall(r"^## (.+?)\n(?:(?!^## ).)*?^```text\n(.*?)^```", (DOCS / "recipes.md").read_text("utf-8"), re.M | re.S)
)
RECIPES, TROUBLE = (
    dict(re.findall(r"^## (.+?)\n.*?^```sh\n(.*?)^```", (DOCS / name).read_text("utf-8"), re.MULTILINE | re.DOTALL))
    for name in ("recipes.md", "trouble.md")
)


class Recipes(WorldCase):
    def run_recipes(self, recipes, names):
        for name in names:
            with self.subTest(name):
                place = self.top / "petrel"
                shutil.rmtree(place, ignore_errors=True)
                build_studio(place)
                lines = recipes[name].splitlines()
                wanted = [int(status[1]) if (status := re.search(r"# (\d)$", line)) else 0 for line in lines]
                script = "".join(f'{line}\necho "status $?" >&2\n' for line in lines)
                path = f"{in_shells()}:{Path(sys.executable).parent}:{os.environ['PATH']}"  # `python` is this one too
                home = {"SALTCART_HOME": str(place / "saltcart-data"), "HOME": str(self.top / "user"), "PATH": path}
                done = subprocess.run(
                    ["bash", "-c", script], cwd=place, env={**self.environment, **home}, capture_output=True, text=True
                )
                found = [int(status) for status in re.findall(r"^status (\d+)$", done.stderr, re.MULTILINE)]
                self.assertEqual(found, wanted, done.stdout + done.stderr)
                said = NAMED.sub(r"\1k3vn", done.stdout.replace(f"{place}/", ""))
                for line in ANSWERS.get(name, "").splitlines():
                    self.assertIn(f"\n{line}", f"\n{said}")

    def test_the_first_half(self):
        self.assertGreater(len(RECIPES), 10)
        self.assertGreater(len(ANSWERS), 5)
        self.run_recipes(RECIPES, list(RECIPES)[::2])

    def test_the_other_half(self):
        self.run_recipes(RECIPES, list(RECIPES)[1::2])

    def test_trouble(self):
        self.assertGreater(len(TROUBLE), 7)
        self.run_recipes(TROUBLE, [name for name, text in TROUBLE.items() if text not in RECIPES.values()])
        # The last one: a library that names sounds by their drive came back to where a signpost stood.
        played = dict(decks.play_all(str(self.top / "petrel/keel/Music/Collection/portable.decks")))
        self.assertEqual([path for path, why in played.items() if why], [])
        self.assertGreater(len(played), 10)
