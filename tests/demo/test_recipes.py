"""The recipes of the documentation, each run as it stands in a fresh studio of the demo."""

import os
import re
import shutil
import subprocess
from pathlib import Path

from tests.world import PROGRAM, WorldCase, build_studio

TEXT = (Path(__file__).parents[2] / "docs" / "recipes.md").read_text("utf-8")
RECIPES = dict(re.findall(r"^## (.+?)\n.*?^```sh\n(.*?)^```", TEXT, re.MULTILINE | re.DOTALL))


class Recipes(WorldCase):
    def run_recipes(self, names):
        for name in names:
            with self.subTest(name):
                place = self.top / "petrel"
                shutil.rmtree(place, ignore_errors=True)
                build_studio(place)
                lines = RECIPES[name].splitlines()
                wanted = [1 if line.endswith("# 1") else 0 for line in lines]
                script = "".join(f'{line}\necho "status $?" >&2\n' for line in lines)
                path = f"{os.path.dirname(PROGRAM)}:{os.environ['PATH']}"
                home = {"SALTCART_HOME": str(place / "saltcart-data"), "HOME": str(self.top / "user"), "PATH": path}
                done = subprocess.run(
                    ["bash", "-c", script], cwd=place, env={**self.environment, **home}, capture_output=True, text=True
                )
                found = [int(status) for status in re.findall(r"^status (\d+)$", done.stderr, re.MULTILINE)]
                self.assertEqual(found, wanted, done.stdout + done.stderr)

    def test_the_first_half(self):
        self.assertGreater(len(RECIPES), 10)
        self.run_recipes(list(RECIPES)[::2])

    def test_the_other_half(self):
        self.run_recipes(list(RECIPES)[1::2])
