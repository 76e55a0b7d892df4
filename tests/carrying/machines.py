"""Two machines and a drive that goes from one to the other."""

import os
import sqlite3
from contextlib import closing

from saltcart.standins import decks, player
from tests.world import PLAYER_MAP, WorldCase, wav

DECKS_MAP = PLAYER_MAP.with_name("decks.toml")
SOUNDS = ("Low Water/01 Slack Tide.wav", "Low Water/02 50% Fog.wav", "Été/03 Über dem Wasser.wav", "Été/04 #1 Lamp.wav")


class TwoMachines(WorldCase):
    """Ann's machine and Bo's, each a home folder, and one drive that hangs at another place in each."""

    def setUp(self):
        super().setUp()
        self.homes = {name: self.top / name for name in ("ann", "bo")}
        for home in self.homes.values():
            home.mkdir()
        self.music = self.homes["ann"] / "Music"
        for number, name in enumerate(SOUNDS):
            wav(self.music / name, number)
        wav(self.music / "left over.wav", 50)
        (self.music / ".DS_Store").write_text("litter")
        wav(self.homes["ann"] / "Downloads" / "stray.wav", 51)
        paths = [str(self.music / name) for name in SOUNDS] + [str(self.homes["ann"] / "Downloads" / "stray.wav")]
        lists = self.homes["ann"] / "Playlists"
        lists.mkdir()
        (lists / "full.m3u8").write_text("#EXTM3U\n" + "".join(f"{path}\n" for path in paths))
        (self.music / "near.m3u8").write_text(f"{SOUNDS[0]}\n./{SOUNDS[3]}\n")
        self.library = str(self.homes["ann"] / "player" / "library.db")
        os.mkdir(os.path.dirname(self.library))
        player.create(self.library)
        player.add_folder(self.library, str(self.music))
        rows = [(path, f"t{number}", "x", 1.0, number % 6, number * 3, None) for number, path in enumerate(paths)]
        player.add_tracks(self.library, rows)
        player.add_list(self.library, "night", [4, 2])
        decks.write(str(self.music / "set.decks"), [(f"ann/Music/{SOUNDS[1]}", "fog", [10, 20])], {"one": [0]})
        (self.top / ".saltcart-drive.toml").write_text('name = "ship"\nidentity = "test-ship"\n')
        self.booth = self.lighter / "Booth"

    def at(self, name, *words, status=0):
        """Run the program on one of the machines."""
        self.environment |= {"HOME": str(self.homes[name]), "SALTCART_HOME": str(self.top / f"saltcart-data-{name}")}
        return self.run_program(*words, status=status, cwd=self.homes[name])

    def carry(self, *more, name="ann", status=0):
        """Carry the music of one of them."""
        home = self.homes[name]
        words = ("--ledger", home / "player" / "library.db", "--map", PLAYER_MAP, "--map", DECKS_MAP, "--yes")
        return self.at(name, "carry", home / "Music", "--to", self.booth, *words, *more, status=status)

    def sail(self, place):
        """Let the drive hang elsewhere."""
        os.makedirs(os.path.dirname(place), exist_ok=True)
        os.rename(self.lighter, place)
        self.lighter, self.booth = place, place / "Booth"

    def away(self, name):
        """Take one machine out of reach, or bring it back."""
        here, gone = self.homes[name], self.top / f"{name} is away"
        os.rename(*((here, gone) if here.exists() else (gone, here)))

    def assert_lists_play(self, *lists):
        for path in lists:
            found = list(player.play_list(str(path)))
            self.assertGreater(len(found), 1)
            self.assertEqual([why for _path, why in found if why], [], path)

    def assert_library_plays(self, path):
        found = list(player.play_all(str(path)))
        self.assertGreater(len(found), 4)
        self.assertEqual([pair for pair in found if pair[1]], [])

    def sql(self, path, *statements):
        with closing(sqlite3.connect(path)) as database, database:
            for statement in statements:
                database.execute(statement)

    def counts(self, path):
        """What an independent reader sees of a library: titles, ratings, plays, and the order of its list."""
        with closing(sqlite3.connect(path)) as database:
            rows = database.execute("SELECT id, title, rating, plays FROM tracks ORDER BY id").fetchall()
            return rows, database.execute("SELECT * FROM list_tracks ORDER BY position").fetchall()
