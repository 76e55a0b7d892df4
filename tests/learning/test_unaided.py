"""Learning a file of which nobody says which sounds it refers to."""

import json
import shutil
import sqlite3
from contextlib import closing

from tests.world import WorldCase, wav


class Unaided(WorldCase):
    def setUp(self):
        super().setUp()
        self.user = self.top / "user"
        self.environment["HOME"] = str(self.user)
        self.music = self.user / "Music"
        for number in range(12):
            wav(self.music / f"Äbc {number % 3}" / f"track {number}.wav", number)
        self.sounds = sorted(self.music.rglob("*.wav"))
        self.files = [self.json_file(), self.database(), self.split_database()]

    def json_file(self):
        """A session that has the user's folder, which is no place of sounds, among its texts."""
        path = self.user / "a.session"
        clips = [{"clip": str(sound), "gain": 1} for sound in self.sounds]
        path.write_text(json.dumps({"home": str(self.user), "clips": clips}))
        return path

    def database(self):
        """A library of full paths."""
        path = self.user / "b.db"
        with closing(sqlite3.connect(path)) as database, database:
            database.execute("CREATE TABLE song (id INTEGER PRIMARY KEY, place TEXT, note TEXT)")
            rows = ((f"file://{sound}".replace(" ", "%20").replace("Ä", "%C3%84"), "x") for sound in self.sounds)
            database.executemany("INSERT INTO song(place, note) VALUES (?, ?)", rows)
        return path

    def split_database(self):
        """An index with folders in one table and names in another."""
        path = self.user / "c.db"
        with closing(sqlite3.connect(path)) as database, database:
            database.execute("CREATE TABLE dir (id INTEGER PRIMARY KEY, path TEXT)")
            database.execute("CREATE TABLE item (id INTEGER PRIMARY KEY, dir INTEGER, name TEXT)")
            folders = sorted({sound.parent for sound in self.sounds})
            database.executemany("INSERT INTO dir VALUES (?, ?)", enumerate(map(str, folders)))
            rows = ((folders.index(sound.parent), sound.name) for sound in self.sounds)
            database.executemany("INSERT INTO item(dir, name) VALUES (?, ?)", rows)
        return path

    def learn_each(self):
        """Each file learnt with no word of its sounds, and read with its map: how many of its entries are sounds."""
        for path in self.files:
            plan = self.top / f"{path.name}.toml"
            self.run_program("learn", path, "-o", plan, "--force")
            listed = self.run_json("ledgers", path, "--map", plan, status=None)["listing"]
            written = [one["written"] for one in listed]
            with self.subTest(path.name):
                self.assertEqual(sum(one.endswith(".wav") for one in written), 12)
                self.assertNotIn(str(self.user), written)

    def test_of_sounds_that_are_there(self):
        self.learn_each()

    def test_of_sounds_that_were_dragged_away(self):
        (self.user / "New").mkdir()
        self.music.rename(self.user / "New" / "Songs")
        self.learn_each()

    def test_of_sounds_that_are_gone(self):
        shutil.rmtree(self.music)
        self.files = self.files[:2]  # names in folders that are gone prove nothing
        self.learn_each()

    def test_a_folder_needs_to_know_what_to_look_for(self):
        self.assertIn("Add --against SHELF", self.run_program("learn", self.user, status=2).stderr)
