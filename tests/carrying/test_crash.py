"""A collection that is brought up to date, interrupted anywhere: what it holds plays all the time.

The campaign has the other commands.
"""

import shutil
from pathlib import Path

from tests.carrying.machines import DECKS_MAP, SOUNDS, TwoMachines
from tests.switching.crash_cases import SAMPLED, CrashCase
from tests.world import PLAYER_MAP, cells, tree, wav


class CutOff(CrashCase, TwoMachines):
    """Interrupted everywhere and typed again, a carry ends as if it had not been."""

    step = 1 if SAMPLED == 1 else 40  # no multiple of 3, so that every kind of death comes

    def setUp(self):
        TwoMachines.setUp(self)
        self.environment |= {"HOME": str(self.homes["ann"]), "SALTCART_HOME": str(self.top / "home")}

    def world(self):
        """Everything but what tells the time, and databases by their cells."""
        found = [*Path(self.top).rglob("library.db")]
        ours = ("home", "attic", "carried.toml", "READ ME", "library.db", ".saltcart-histories")
        return tree(self.top, *ours), {str(path): cells(str(path)) for path in found if "home" not in path.parts}

    def words(self):
        where = ("--ledger", self.library, "--map", str(PLAYER_MAP), "--map", str(DECKS_MAP), "--yes")
        return ("carry", str(self.music), "--to", str(self.booth), *map(str, where), "--arrange", "{kind}/{name}")

    def test_carry_again(self):
        """What is in the collection plays at every moment, and each file is the old one or the new one."""
        self.run_again(*self.words())
        before = self.there()
        self.sql(self.library, "UPDATE tracks SET plays = 40 WHERE id = 1")
        wav(self.music / SOUNDS[0], 80)
        wav(self.music / "new.wav", 70)
        with open(self.music / "near.m3u8", "a") as stream:
            stream.write("new.wav\n")
        self.keep()
        self.run_again(*self.words())
        end, after = self.world(), self.there()
        self.restore()
        shutil.rmtree(self.kept)
        for _number in self.each_crash(*self.words()):
            self.assert_lists_play(*self.booth.rglob("*.m3u8"))
            for name, now in self.there().items():
                self.assertIn(now, (before.get(name), after[name]), name)
            self.run_again(*self.words())
            self.assertEqual(self.world(), end)

    def there(self):
        """Everything in the collection but hidden files of ours: a database by its cells, other files by content."""
        found = (path for path in self.booth.rglob("*") if not any(part[0] == "." for part in path.parts))
        paths = [path for path in found if path.is_file()]
        ours = ("carried.toml", "READ ME.txt")
        return {path.name: cells(path) if path.suffix == ".db" else path.read_bytes() for path in paths
                if path.name not in ours}  # fmt: skip
