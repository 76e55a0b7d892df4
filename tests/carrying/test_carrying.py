"""A collection that travels: made on one machine, played from the drive alone, at home on another, and back again."""

import json
import os
import shutil
import sqlite3
from contextlib import closing
from itertools import cycle

from saltcart.standins import decks, player
from tests.carrying.machines import SOUNDS, TwoMachines
from tests.world import PLAYER_MAP, cells, tree, wav


def rot(path):
    """Let a file hold something else, and no clock know of it."""
    state = path.stat()
    path.write_bytes(path.read_bytes()[:-1] + b"x")
    os.utime(path, ns=(state.st_atime_ns, state.st_mtime_ns))


class LeftOut(TwoMachines):
    def test_a_library_that_cannot_be_read_is_told_and_the_rest_is_carried(self):
        """It does not stay behind in silence: its name is said, and the exit status is 1."""
        with open(self.library, "r+b") as stream:
            stream.truncate(3000)
        cart = self.top / "cart.toml"
        cart.write_text(f'maps = ["{PLAYER_MAP}"]\n[[ledger]]\npath = "{self.library}"\n')
        words = (self.homes["ann"] / "Music", "--to", self.booth, "--cart", cart, "--yes")
        done = self.at("ann", "carry", *words, status=1)
        self.assertIn("NOT copied", done.stdout)
        self.assertIn("library.db", done.stdout)
        self.assert_lists_play(self.booth / "Music" / "near.m3u8")


class Stations(TwoMachines):
    def test_there_on_the_way_on_another_machine_and_home_again(self):
        home, said = tree(self.homes["ann"]), self.counts(self.library)
        out = self.carry().stdout
        self.assertIn("1 file that no ledger lists", out)
        self.assertIn("1 file of litter", out)
        self.assertEqual(tree(self.homes["ann"]), home, "nothing at home changes")
        self.sail(self.homes["bo"] / "media" / "boot")
        self.away("ann")
        # From the drive alone, with nothing of the first machine reachable.
        self.assert_lists_play(self.booth / "Ledgers" / "full.m3u8", self.booth / "Music" / "near.m3u8")
        self.assertEqual([why for _path, why in decks.play_all(str(self.booth / "Music" / "set.decks"))], [None])
        self.assertFalse((self.booth / "Music" / "left over.wav").exists())
        # Another machine names the sounds where they are; taken back, nothing of it is left there.
        bare = tree(self.homes["bo"], "media")
        self.at("bo", "settle", self.booth, "--in-place", "--yes")
        library = self.homes["bo"] / "player" / "library.db"
        self.assert_library_plays(library)
        self.assertEqual(self.counts(library), said)
        self.assertIn(str(self.booth), (self.homes["bo"] / "Playlists" / "full.m3u8").read_text())
        self.at("bo", "undo", "--yes", "--drop-copies")
        self.assertEqual(tree(self.homes["bo"], "media"), bare)
        # Or they come to it, and play there without the drive.
        self.at("bo", "settle", self.booth, "--here", "--yes")
        self.sail(self.top / "quay")
        self.assert_library_plays(library)
        self.assert_lists_play(self.homes["bo"] / "Playlists" / "full.m3u8", self.homes["bo"] / "Music" / "near.m3u8")
        self.assertEqual(self.counts(library), said)
        # New plays and a new recording there, and all of it home.
        self.sql(library, "UPDATE tracks SET plays = plays + 10, rating = 5 WHERE id = 1")
        wav(self.homes["bo"] / "Music" / "Été" / "new tape.wav", 60)
        with open(self.homes["bo"] / "Music" / "near.m3u8", "a") as stream:
            stream.write("Été/new tape.wav\n")
        self.carry(name="bo")
        self.away("ann")
        self.away("bo")
        now = self.counts(self.booth / "Ledgers" / "library.db")
        self.at("ann", "settle", self.booth, "--back", "--yes")
        self.assertEqual(self.counts(self.library), now)
        self.assert_library_plays(self.library)
        self.assertIn(str(self.music), player.file_of(self.rows()[0]))
        self.assertTrue((self.music / "Été" / "new tape.wav").is_file())
        self.sail(self.top / "elsewhere")
        self.assert_lists_play(self.music / "near.m3u8", self.homes["ann"] / "Playlists" / "full.m3u8")
        self.sail(self.top / "quay")
        self.assertIn("Everything is up to date", self.at("ann", "settle", self.booth, "--back", "--yes").stdout)
        self.at("ann", "undo", "--yes", "--drop-copies")
        self.assertEqual(tree(self.homes["ann"]), home)
        # What was taken back can be taken again.
        self.at("ann", "settle", self.booth, "--back", "--yes")
        self.assertEqual(self.counts(self.library), now)

    def rows(self):
        with closing(sqlite3.connect(self.library)) as database:
            return [place for (place,) in database.execute("SELECT place FROM tracks ORDER BY id")]

    def test_a_list_that_was_shortened_on_the_way_is_whole_to_whom_it_comes(self):
        self.carry()
        there = self.booth / "Ledgers" / "full.m3u8"
        there.write_text("".join(there.read_text().splitlines(keepends=True)[:-1]))
        self.at("ann", "settle", self.booth, "--back", "--yes")
        done = self.at("bo", "settle", self.booth, "--here", "--yes")
        self.assertIn("everything that works there works here", done.stdout)

    def test_both_sides_changed(self):
        """Each change is kept; plays are added up; of what both changed in other ways the person says which holds."""
        self.carry()
        there, lists = self.booth / "Ledgers" / "library.db", self.homes["ann"] / "Playlists" / "full.m3u8"
        for number in (1, 2):
            wav(self.music / f"x{number}.wav", 90 + number)
        new = f"INSERT INTO tracks (id, place, title) VALUES ({{}}, 'file://{self.music}/x{{}}.wav', 'n')"
        self.sql(there, "UPDATE tracks SET plays = 40, rating = 5 WHERE id = 1")
        self.sql(there, "UPDATE tracks SET rating = 4 WHERE id = 3")
        self.sql(there, new.format(9, 2), "UPDATE tracks SET plays = plays + 2 WHERE id IN (2, 9)")  # another sound
        self.sql(self.library, "UPDATE tracks SET plays = plays + 4, rating = 2 WHERE id = 2", new.format(9, 1))
        self.sql(self.library, "UPDATE tracks SET rating = 1 WHERE id = 3")
        for path, line in ((lists, "# at home\n"), (self.booth / "Ledgers" / "full.m3u8", "# on the way\n")):
            with open(path, "a") as stream:
                stream.write(line)
        before = tree(self.homes["ann"])
        self.assertIn("--back", self.carry(status=3).stderr, "or what changed there would be written over")
        out = self.at("ann", "settle", self.booth, "--back", "--yes", "--prefer", "there").stdout
        self.assertIn("1 thing changed in both places: the one there wins", out)
        rows = {row[0]: row[2:] for row in self.counts(self.library)[0]}
        self.assertEqual(rows, {1: (5, 40), 2: (2, 9), 3: (4, 6), 4: (3, 9), 5: (4, 12), 9: (None, 0), 10: (None, 2)})
        self.assertTrue(lists.read_text().endswith("# at home\n# on the way\n"))
        self.assert_lists_play(lists)
        self.assertIn("Everything is up to date", self.at("ann", "settle", self.booth, "--back", "--yes").stdout)
        self.at("ann", "undo", "--yes")
        self.assertEqual(tree(self.homes["ann"]), before)
        self.carry(status=3)
        self.at("ann", "settle", self.booth, "--back", "--yes", "--keep", "Ledgers/library.db")
        self.assertEqual({row[0]: row[2] for row in self.counts(self.library)[0]}[3], 1, "the one here holds")
        self.carry()
        self.assertEqual(self.counts(there), self.counts(self.library))

    def test_a_ledger_here_that_never_came_from_there_stays(self):
        """Nothing is written over that was not known before, unless it is said so; then it is kept."""
        self.carry()
        own = self.homes["bo"] / "Playlists" / "full.m3u8"
        own.parent.mkdir()
        own.write_text("/somewhere/else.wav\n")
        out = self.at("bo", "settle", self.booth, "--here", "--yes", status=1).stdout
        self.assertIn("--take Ledgers/full.m3u8", out)
        self.assertEqual(own.read_text(), "/somewhere/else.wav\n")
        self.at("bo", "settle", self.booth, "--here", "--yes", "--take", "Ledgers/full.m3u8")
        self.assert_lists_play(own)
        self.at("bo", "undo", "--yes")
        self.assertEqual(own.read_text(), "/somewhere/else.wav\n")

    def test_a_program_that_keeps_its_library_elsewhere_here(self):
        """The search finds it: it is told, stays unless it is said otherwise, and is what the carried one replaces."""
        self.carry()
        own = self.homes["bo"] / ".config" / "petrel" / "library.db"
        own.parent.mkdir(parents=True)
        player.create(str(own))
        player.add_folder(str(own), "/nowhere")
        empty = cells(str(own))
        out = self.at("bo", "settle", self.booth, "--here", "--yes", status=1).stdout
        self.assertIn(".config/petrel/library.db", out)
        self.assertEqual(cells(str(own)), empty)
        self.at("bo", "settle", self.booth, "--here", "--yes", "--take", "Ledgers/library.db")
        self.assert_library_plays(own)
        self.at("bo", "undo", "--yes")
        self.assertEqual(cells(str(own)), empty)

    def test_a_collection_is_no_home_that_mending_leads_to(self):
        self.carry()
        os.rename(self.music, self.top / "gone")
        words = ("--ledger", self.library, "--map", PLAYER_MAP, "--plan", self.top / "plan.toml", "--json")
        rules = json.loads(self.at("ann", "mend", *words, status=None).stdout)["rules"]
        self.assertEqual([rule for rule in rules if "trip" in rule["evidence"]], [])

    def test_no_configuration_of_ours_goes_along(self):
        """Be it the one in force or not: what it names would come along too."""
        config = self.homes["ann"] / ".config" / "saltcart"
        config.mkdir(parents=True)
        for place in (config, self.homes["ann"]):
            (place / "cart.toml").write_text(f'[[shelf]]\npath = "{self.music}"\n[[ledger]]\npath = "{self.library}"\n')
        self.carry()
        self.assertEqual([path for path in self.booth.rglob("*.toml") if path.name == "cart.toml"], [])

    def test_its_trip_is_listed_and_has_a_page(self):
        """Also one that an early build recorded, which wrote that all was done where a trip keeps when it ended."""
        self.carry()
        (logbook,) = (self.top / "saltcart-data-ann" / "trips").glob("*/logbook.sqlite")
        for early in (False, True):
            with closing(sqlite3.connect(logbook)) as made:
                made.execute("UPDATE fact SET name = 'finished' WHERE name = 'collection written' AND ?", (early,))
                made.commit()
            self.assertRegex(self.at("ann", "trips").stdout, rf"{logbook.parent.name}.*Music.*; with \d+ files from")
            self.at("ann", "report", "-o", self.top / f"page {early}.html")
        self.assertNotIn("interrupted", self.carry().stdout)

    def test_two_carries_into_one_collection(self):
        """The second adds a shelf, and takes nothing of the first for gone."""
        self.carry()
        bells = self.homes["ann"] / "Bells"
        wav(bells / "c.wav", 90)
        words = ("--map", PLAYER_MAP, "--yes")
        out = self.at("ann", "carry", bells, "--to", self.booth, *words).stdout
        self.assertNotIn("No longer at home", out)
        self.at("bo", "settle", self.booth, "--here", "--yes")
        self.assertTrue((self.homes["bo"] / "Bells" / "c.wav").is_file())
        self.assert_library_plays(self.homes["bo"] / "player" / "library.db")

    def test_a_database_of_another_version_is_refused_with_both(self):
        self.carry()
        there = self.booth / "Ledgers" / "library.db"
        self.sql(there, "ALTER TABLE tracks ADD COLUMN mood TEXT")
        self.sql(self.library, "UPDATE tracks SET plays = 99")
        before = tree(self.homes["ann"])
        out = self.at("ann", "settle", self.booth, "--back", "--yes", status=1).stdout
        self.assertIn("other tables", out.replace("\n", " "))
        self.assertEqual(tree(self.homes["ann"]), before)

    def test_run_again_only_what_is_new_travels_and_nothing_is_removed_by_itself(self):
        self.carry()
        os.remove(self.music / SOUNDS[2])
        wav(self.music / SOUNDS[0], 77)
        wav(self.music / "Été" / "fresh.wav", 78)
        with open(self.music / "near.m3u8", "a") as stream:
            stream.write("Été/fresh.wav\n")
        out = self.carry("--json", status=0).stdout
        self.assertIn('"copied_files": 2', out)  # sounds; ledgers take their places in the switch
        self.assertTrue((self.booth / "Music" / SOUNDS[2]).is_file())
        self.assertEqual(tree(self.booth / "Music")[SOUNDS[0].encode()], tree(self.music)[SOUNDS[0].encode()])
        self.at("ann", "settle", self.booth)
        wav(self.music / SOUNDS[1], 79)
        (self.booth / "Music" / SOUNDS[1]).write_bytes(b"somebody else's, made there")
        self.carry(status=3)
        self.assertEqual((self.booth / "Music" / SOUNDS[1]).read_bytes(), b"somebody else's, made there")
        os.remove(self.booth / "Music" / SOUNDS[1])
        out = self.carry("--drop-gone").stdout
        self.assertIn("1 file that you removed here", out)
        self.assertFalse((self.booth / "Music" / SOUNDS[2]).exists())

    def test_chosen_by_rating_with_playlists_as_files(self):
        """What is chosen goes, and no ledger that names more than this unless it is named; it plays from its lists."""
        self.sql(self.library, "UPDATE tracks SET last_played = '2026-03-0' || id || 'T10:00:00Z'")
        music, words = self.homes["ann"], ("--ledger", self.library, "--map", PLAYER_MAP, "--yes")
        cases = {
            ("--rated", "3"): 2,
            ("--played-since", "2026-03-03"): 3,
            ("--from-list", music / "Music/near.m3u8"): 2,
        }
        for number, (choice, count) in enumerate(cases.items()):
            with self.subTest(choice[0]):
                self.booth = self.lighter / f"Booth {number}"
                self.at("ann", "carry", *choice, "--to", self.booth, "--lists", *words)
                found = sorted(path.name for path in self.booth.rglob("*.wav"))
                self.assertEqual(len(found), count)
                lists = [*self.booth.rglob("*.m3u8")]
                self.assertTrue(lists)
                played = [pair for path in lists for pair in player.play_list(str(path))]
                self.assertEqual([why for _path, why in played if why], [])
        self.booth = self.lighter / "Whole"
        self.carry("--lists")
        names = [os.path.basename(path) for path, _why in player.play_list(str(self.booth / "Lists" / "night.m3u8"))]
        self.assertEqual(names, [os.path.basename(SOUNDS[3]), os.path.basename(SOUNDS[1])], "in its order")
        fog = [os.path.basename(path) for path, _why in player.play_list(str(self.booth / "Lists" / "one.m3u8"))]
        self.assertEqual(fog, [os.path.basename(SOUNDS[1])], "a set of the decks, which are JSON")
        self.at("ann", "carry", "--rated", "9", "--to", self.booth, *words, status=3)
        self.at("ann", "carry", "--played-since", "yesterday", "--to", self.booth, *words, status=2)

    def test_names_that_the_drive_cannot_keep_come_back_at_home(self):
        self.environment["COLUMNS"] = "200"
        mark = self.lighter / ".saltcart-drive.toml"
        mark.write_text(mark.read_text() + 'filesystem = "exfat"\n')
        old, new = self.music / SOUNDS[3], self.music / "Été" / "04: Lamp?.wav"
        os.rename(old, new)
        self.sql(self.library, "UPDATE tracks SET place = replace(place, '04%20%231%20Lamp', '04:%20Lamp%3F')")
        (self.music / "near.m3u8").write_text(f"{SOUNDS[0]}\nÉté/{new.name}\n")
        lists = self.homes["ann"] / "Playlists"
        (lists / "full.m3u8").rename(lists / "Fri: full?.m3u8")
        (lists / "Fri: full?.m3u8").write_text(f"{self.music}/{SOUNDS[0]}\n{new}\n")
        self.carry()
        self.assertEqual([path for path in self.booth.rglob("*") if set(path.name) & set(':?"*')], [])
        self.assert_lists_play(self.booth / "Ledgers" / "Fri_ full_.m3u8", self.booth / "Music" / "near.m3u8")
        for way in ("--in-place", "--here"):
            self.at("bo", "settle", self.booth, way, "--yes")
            self.assert_library_plays(self.homes["bo"] / "player" / "library.db")
            self.assert_lists_play(self.homes["bo"] / "Playlists" / "Fri: full?.m3u8")
            if way == "--in-place":
                self.at("bo", "undo", "--yes", "--drop-copies")
        self.assertTrue((self.homes["bo"] / "Music" / "Été" / new.name).is_file())

    def test_one_at_a_time_on_a_folder_that_several_reach(self):
        """Somebody else's mark is honoured; that of a process of ours which has ended is taken over, and told."""
        self.carry()
        mark, own = self.booth / ".saltcart-in-use", (self.top / "saltcart-data-ann" / "machine").read_text()
        ours = {"who": "ann", "machine": own, "process": 1 << 30, "began": 1.0, "since": "2026-01-02T03:04:05Z"}
        for content, status, word in (
            ({**ours, "machine": "other", "who": "bo@quay"}, 3, "bo@quay since 2026-01-02"),
            ("not ours at all", 3, "somebody"),
            (ours, 0, "was interrupted there"),
        ):
            with self.subTest(word):
                mark.write_text(content if isinstance(content, str) else json.dumps(content))
                done = self.at("ann", "settle", self.booth, "--back", "--yes", status=status)
                self.assertIn(word, done.stdout + done.stderr)
                self.assertEqual(mark.exists(), status == 3)

    def test_a_signpost_at_home_goes_on_leading_home(self):
        words = ("--ledger", self.library, "--map", PLAYER_MAP, "--yes")
        os.remove(self.music / "set.decks")
        self.at("ann", "move", self.music, "--to", self.keel, "--signpost", *words)
        self.assertEqual(os.readlink(self.music), str(self.keel / "Music"))
        self.at("ann", "carry", self.keel / "Music", "--to", self.booth, *words)
        self.assertEqual(os.readlink(self.music), str(self.keel / "Music"))

    def test_bad_collections_are_refused_before_anything_begins(self):
        self.carry()
        told = (self.booth / "carried.toml").read_text()
        whole = self.top / "whole"
        shutil.copytree(self.lighter, whole)
        sound, other = self.booth / "Music" / SOUNDS[1], self.booth / "Music" / SOUNDS[3]
        cases = {
            "no collection": (lambda: os.remove(self.booth / "carried.toml"), 3, "holds no carried.toml"),
            "newer": (lambda: self.tell(told.replace("format = 1", "format = 9")), 2, "format 9"),
            "nonsense": (lambda: self.tell(told + "\n]["), 2, "line"),
            "out": (lambda: self.tell(told.replace('place = "Music"', 'place = "../Music"')), 2, "../Music"),
            "full": (lambda: self.tell(told.replace('place = "Music"', 'place = "/etc"')), 2, "/etc"),
            "link": (lambda: self.lead_out(), 2, "leads out"),
            "altered": (lambda: rot(sound), 3, "02 50% Fog.wav"),
            "cut off": (lambda: sound.write_bytes(sound.read_bytes()[:-9]), 3, "02 50% Fog.wav"),
            "incomplete": (lambda: os.remove(other), 3, "04 #1 Lamp.wav"),
            "no manifest": (lambda: os.remove(self.booth / "Music.saltcart.b3"), 3, "manifest"),
        }
        ways = cycle(("--here", "--in-place", "--back"))
        for name, (spoil, status, word) in cases.items():
            with self.subTest(name):
                shutil.rmtree(self.lighter)
                shutil.copytree(whole, self.lighter)
                spoil()
                before = tree(self.top, "saltcart-data-bo")
                done = self.at("bo", "settle", self.booth, next(ways), "--yes", status=status)
                self.assertIn(word, done.stdout + done.stderr)
                self.assertEqual(tree(self.top, "saltcart-data-bo"), before)
        for words in (("--place", "Nowhere=/x"), ("--take", "Nowhere", "--back"), ("--place", "Music")):
            self.at("bo", "settle", self.booth, *words, status=2 if self.restored(whole) else None)

    def restored(self, whole):
        shutil.rmtree(self.lighter)
        shutil.copytree(whole, self.lighter)
        return True

    def tell(self, text):
        (self.booth / "carried.toml").write_text(text)

    def lead_out(self):
        shutil.move(self.booth / "Music", self.top / "out")
        os.symlink(self.top / "out", self.booth / "Music")
