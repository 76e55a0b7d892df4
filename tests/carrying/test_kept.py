"""What people made in a collection, or beside it, stays; and what is away is not gone."""

import os
import shutil

from saltcart.standins import player
from tests.carrying.machines import SOUNDS, TwoMachines
from tests.switching.crashing import KILLED, run_until
from tests.world import PLAYER_MAP, tree, wav


class Kept(TwoMachines):
    def test_what_a_person_wrote_under_our_names_stays(self):
        self.booth.mkdir()
        (self.booth / "READ ME.txt").write_text("the key to the booth is under the mat\n")
        self.carry()
        self.assertIn("under the mat", (self.booth / "READ ME.txt").read_text())
        (self.booth / "READ ME.txt").unlink()
        self.carry()
        with open(self.booth / "READ ME.txt", "a") as stream:
            stream.write("bring it back by noon\n")
        self.carry()
        self.assertIn("by noon", (self.booth / "READ ME.txt").read_text())

    def test_a_list_that_was_changed_there_stays_however_often_it_is_carried(self):
        self.carry("--lists")
        night = self.booth / "Lists" / "night.m3u8"
        with open(night, "a") as stream:
            stream.write("# and one more\n")
        for _again in range(2):
            self.carry()
            self.assertIn("# and one more", night.read_text())

    def test_an_undone_carry_leaves_of_what_lay_there_what_a_person_wrote(self):
        for edited in (False, True):
            with self.subTest(edited=edited):
                self.carry("--lists")
                words = self.booth / "READ ME.txt"
                if edited:
                    words.write_text("Take the blue cable.\n")
                self.at("ann", "undo", "--yes", "--drop-copies")
                left = [path.name for path in self.booth.rglob("*") if path.is_file()] if self.booth.exists() else []
                self.assertEqual(left, ["READ ME.txt"] if edited else [])

    def test_a_manifest_of_somebody_else_stays(self):
        mine = self.lighter / "Music.saltcart.b3"
        mine.write_text("of the backup of 2019\n")
        words = ("--to", self.lighter, "--no-search", "--ledger", self.library, "--map", PLAYER_MAP, "--yes")
        said = self.at("ann", "move", self.music, *words, status=None)
        self.assertIn("not a manifest of ours", said.stdout + said.stderr)
        self.at("ann", "undo", "--yes", "--drop-copies")
        self.assertEqual(mine.read_text(), "of the backup of 2019\n")

    def test_a_gathered_file_whose_drive_is_away_stays_and_plays(self):
        shelf = self.drive("crate")
        far = shelf / "far.wav"
        wav(far, 60)
        lists = self.homes["ann"] / "Playlists" / "full.m3u8"
        lists.write_text(lists.read_text() + f"{far}\n")
        self.carry()
        gathered = self.booth / "Gathered" / "crate" / "far.wav"
        self.assertTrue(gathered.is_file())
        os.rename(shelf, self.top / "crate.pulled")
        shelf.mkdir()
        said = self.carry("--drop-gone", status=None)
        self.assertTrue(gathered.is_file(), said.stdout + said.stderr)
        self.assert_lists_play(self.booth / "Ledgers" / "full.m3u8")
        self.assertNotIn(str(shelf), (self.booth / "Ledgers" / "full.m3u8").read_text())
        self.assertIn("far.wav", said.stdout + said.stderr)
        self.sail(self.top / "quay")
        self.assert_lists_play(self.booth / "Ledgers" / "full.m3u8")

    def test_a_drive_that_goes_in_the_first_moment_is_no_folder(self):
        """What was a drive when the command began is none any more: nothing goes into the hole."""
        self.carry()
        (self.music / "new.wav").write_bytes((self.music / SOUNDS[0]).read_bytes())
        os.rename(self.lighter, self.top / "pulled")
        self.lighter.mkdir()
        self.carry(status=3)
        self.assertEqual(os.listdir(self.lighter), [])

    def test_interrupted_and_then_things_changed_at_home(self):
        """The interrupted trip is undone first; what it copied and is still wanted is not copied again."""
        self.carry()
        wav(self.music / "Été" / "new.wav", 70)
        wav(self.music / "Été" / "second.wav", 71)
        with open(self.music / "near.m3u8", "a") as stream:
            stream.write("Été/new.wav\nÉté/second.wav\n")
        home = self.homes["ann"]
        self.environment |= {"HOME": str(home), "SALTCART_HOME": str(self.top / "saltcart-data-ann")}
        words = ("carry", home / "Music", "--to", self.booth, "--ledger", self.library, "--map", PLAYER_MAP,
                 "--map", PLAYER_MAP.with_name("decks.toml"), "--yes")  # fmt: skip
        kept = self.top.with_name(self.top.name + "-kept")
        shutil.copytree(self.top, kept, symlinks=True)
        self.addCleanup(shutil.rmtree, kept, ignore_errors=True)
        for number in range(10, 300, 5):
            status = run_until(tuple(map(str, words)), self.environment, number)
            self.assertEqual(status, KILLED)
            if (self.booth / "Music" / "Été" / "new.wav").exists():
                break
            shutil.rmtree(self.top)
            shutil.copytree(kept, self.top, symlinks=True)
        self.sql(self.library, "UPDATE tracks SET plays = 77 WHERE id = 2")
        self.carry(status=None)
        names = {name for name in tree(self.booth) if b"saltcart" not in name}
        self.assertIn("Music/Été/new.wav".encode(), names)
        self.assertIn("Music/Été/second.wav".encode(), names)
        self.assertEqual([row[3] for row in self.counts(self.booth / "Ledgers" / "library.db")[0]][1], 77)
        self.assertEqual([path.name for path in self.booth.rglob(".*")], [".saltcart-histories"])
        list(player.play_all(self.library))

    def test_a_file_that_nobody_can_read_is_told_here_and_there(self):
        """A kit of an unknown kind names a sound where it is now: it travels, and will not find it."""
        kit = self.music / "kit.lamp"
        kit.write_bytes(b"LAMP\x01\x00" + os.fsencode(str(self.music / SOUNDS[0])) + b"\x00\x7f\x81\x99 end of it")
        said = self.carry(status=1).stdout
        self.assertIn("kit.lamp", said)
        self.assertIn("1 file that travels refers to sounds", said.replace("\n", " "))
        self.assertIn("kit.lamp", self.at("bo", "settle", self.booth, "--here", "--yes", status=1).stdout)
        self.assertTrue((self.homes["bo"] / "Music" / "kit.lamp").is_file())

    def test_a_collection_in_a_collection_is_refused_and_two_beside_each_other_are_not(self):
        self.carry()
        words = ("--map", PLAYER_MAP, "--yes")
        for place in (self.booth / "Inner", self.booth / "Music" / "Inner", self.lighter):
            done = self.at("ann", "carry", self.music, "--to", place, *words, status=3)
            self.assertIn("is a collection" if place != self.lighter else "There is a collection", done.stderr)
        bells = self.homes["ann"] / "Bells"
        wav(bells / "c.wav", 90)
        (bells / "near.m3u8").write_text("c.wav\n")
        self.at("ann", "carry", bells, "--to", self.lighter / "Other", *words)
        (self.lighter / "Other" / "Bells" / "near.m3u8").write_text("c.wav\nc.wav\n")
        for place, count in ((self.booth, 1), (self.lighter / "Other", 2)):
            self.at("ann", "settle", place, "--back", "--yes")
            self.assertEqual(len((bells / "near.m3u8").read_text().splitlines()), count)
        for place in (self.booth, self.lighter / "Other"):
            self.at("bo", "settle", place, "--here", "--yes")
        self.assertTrue((self.homes["bo"] / "Bells" / "c.wav").is_file())
        self.assert_library_plays(self.homes["bo"] / "player" / "library.db")
