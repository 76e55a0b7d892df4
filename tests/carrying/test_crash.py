"""A carry and a settling that are cut off anywhere, and typed again."""

import shutil
from pathlib import Path

from tests.carrying.machines import DECKS_MAP, TwoMachines
from tests.switching.test_crash import SAMPLED, CrashCase
from tests.world import PLAYER_MAP, cells, tree, wav


class CutOff(CrashCase, TwoMachines):
    """Cut off everywhere and typed again, a carry and a settling end as if they had not been."""

    step = 1 if SAMPLED == 1 else 25  # no multiple of 3, so that every kind of death comes

    def setUp(self):
        TwoMachines.setUp(self)
        self.environment |= {"HOME": str(self.homes["ann"]), "SALTCART_HOME": str(self.top / "home")}

    def world(self):
        """Everything but what tells the time, and databases by their cells."""
        found = [*Path(self.top).rglob("library.db")]
        ours = ("home", "attic", "carried.toml", "READ ME", "library.db")
        return tree(self.top, *ours), {str(path): cells(str(path)) for path in found if "home" not in path.parts}

    def each(self, *words):
        self.keep()
        self.run_again(*words)
        end = self.world()
        self.restore()
        shutil.rmtree(self.kept)
        for _number in self.each_crash(*words):
            self.run_again(*words)
            self.assertEqual(self.world(), end)

    def words(self):
        where = ("--ledger", self.library, "--map", str(PLAYER_MAP), "--map", str(DECKS_MAP), "--yes")
        return ("carry", str(self.music), "--to", str(self.booth), *map(str, where), "--arrange", "{kind}/{name}")

    def test_carry(self):
        self.each(*self.words())

    def test_settle_back(self):
        self.run_again(*self.words())
        self.sql(self.booth / "Ledgers" / "library.db", "UPDATE tracks SET plays = 40 WHERE id = 1")
        self.sql(self.library, "UPDATE tracks SET plays = 41 WHERE id = 2")
        wav(self.booth / "Music" / "new.wav", 70)
        with open(self.booth / "Music" / "near.m3u8", "a") as stream:
            stream.write("new.wav\n")
        self.each("settle", str(self.booth), "--back", "--yes")

    def test_settle_here(self):
        self.run_again(*self.words())
        self.environment |= {"HOME": str(self.homes["bo"]), "SALTCART_HOME": str(self.top / "home" / "bo")}
        self.each("settle", str(self.booth), "--here", "--yes")
