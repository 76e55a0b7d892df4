"""Sounds that change while a collection travels: edited, renamed, removed, damaged, on either side or both."""

import os

from saltcart.standins import player
from tests.carrying.machines import SOUNDS, TwoMachines
from tests.world import tree, wav


class Sounds(TwoMachines):
    def setUp(self):
        super().setUp()
        os.remove(self.music / "set.decks")
        self.carry()
        self.there = self.booth / "Music"

    def back(self, *more, status=0, name="ann"):
        return self.at(name, "settle", self.booth, "--back", "--yes", *more, status=status).stdout

    def test_edited_there_comes_home_and_goes_on(self):
        """A program writes its analysis into a sound while it plays: to the next machine, and to the first."""
        self.at("bo", "settle", self.booth, "--here", "--yes")
        old = (self.music / SOUNDS[0]).read_bytes()
        wav(self.there / SOUNDS[0], 200)
        new = (self.there / SOUNDS[0]).read_bytes()
        before = tree(self.homes["ann"])
        self.assertIn("Edited there: 1 file", self.back())
        self.assertEqual((self.music / SOUNDS[0]).read_bytes(), new)
        self.at("ann", "undo", "--yes")
        self.assertEqual(tree(self.homes["ann"]), before)
        self.assertEqual((self.music / SOUNDS[0]).read_bytes(), old)
        self.back()
        self.carry()
        self.back(name="bo")
        self.assertEqual((self.homes["bo"] / "Music" / SOUNDS[0]).read_bytes(), new)
        for name in ("ann", "bo"):
            self.assertIn("Everything is up to date", self.back(name=name))

    def test_edited_by_another_machine_and_carried(self):
        """What the manifest says by then is not what this machine knew."""
        self.at("bo", "settle", self.booth, "--here", "--yes")
        wav(self.homes["bo"] / "Music" / SOUNDS[1], 201)
        self.carry(name="bo")
        self.back()
        self.assertEqual((self.music / SOUNDS[1]).read_bytes(), (self.there / SOUNDS[1]).read_bytes())

    def test_edited_on_both_sides_is_asked(self):
        for word, winner in (("--take", 0), ("--keep", 1)):
            with self.subTest(word):
                wav(self.there / SOUNDS[0], 210 + winner)
                wav(self.music / SOUNDS[0], 220 + winner)
                both = (self.there / SOUNDS[0]).read_bytes(), (self.music / SOUNDS[0]).read_bytes()
                self.assertIn("1 file changed in both places", self.back(status=1))
                self.assertEqual(((self.there / SOUNDS[0]).read_bytes(), (self.music / SOUNDS[0]).read_bytes()), both)
                self.carry(status=3)
                self.back(word, f"Music/{SOUNDS[0]}")
                self.assertEqual((self.music / SOUNDS[0]).read_bytes(), both[winner])
                self.carry()
                self.assertEqual((self.there / SOUNDS[0]).read_bytes(), both[winner])

    def test_renamed_there_is_renamed_here_and_its_entries_follow(self):
        old, new = self.there / SOUNDS[1], self.there / "Low Water" / "02 Clear Fog.wav"
        os.rename(old, new)
        before = tree(self.homes["ann"])
        self.assertIn("Renamed in Music: 1 file", self.back())
        self.assertFalse((self.music / SOUNDS[1]).exists())
        self.assertTrue((self.music / "Low Water" / "02 Clear Fog.wav").is_file())
        self.assert_library_plays(self.library)
        self.assert_lists_play(self.homes["ann"] / "Playlists" / "full.m3u8")
        self.at("ann", "undo", "--yes")
        self.assertEqual(tree(self.homes["ann"]), before)
        self.back()
        self.carry()
        self.assertEqual(len(list(self.there.rglob("*.wav"))), 4, "once, under its new name")
        self.assert_lists_play(self.booth / "Ledgers" / "full.m3u8")

    def test_new_on_both_sides_under_one_name(self):
        """The same sound is there already; of two others neither takes the place of the other before it is said."""
        name = "Low Water/09 New.wav"
        wav(self.there / name, 230)
        wav(self.music / name, 230)
        before = tree(self.homes["ann"])
        self.assertNotIn("in both places and stay as they are", self.back())
        self.assertEqual(tree(self.homes["ann"]), before)
        wav(self.music / name, 231)
        ours, theirs = (self.music / name).read_bytes(), (self.there / name).read_bytes()
        self.assertIn("in both places and stay as they are", self.back(status=1))
        self.assertEqual(((self.music / name).read_bytes(), (self.there / name).read_bytes()), (ours, theirs))
        self.back("--take", f"Music/{name}")
        self.assertEqual((self.music / name).read_bytes(), theirs)
        self.at("ann", "undo", "--yes")
        self.assertEqual((self.music / name).read_bytes(), ours)

    def test_removed_there_stays_here(self):
        os.remove(self.there / SOUNDS[1])
        self.assertIn("Removed from Music there: 1 file", self.back())
        self.assert_library_plays(self.library)

    def test_removed_here_and_edited_there(self):
        os.remove(self.music / SOUNDS[1])
        wav(self.there / SOUNDS[1], 230)
        self.back()
        self.assertFalse((self.music / SOUNDS[1]).exists())
        self.assertTrue((self.there / SOUNDS[1]).exists())

    def test_a_second_settling_brings_what_changed_alone(self):
        self.at("bo", "settle", self.booth, "--here", "--yes")
        wav(self.music / SOUNDS[0], 240)
        wav(self.music / "later.wav", 241)
        with open(self.music / "near.m3u8", "a") as stream:
            stream.write("later.wav\n")
        self.carry()
        own = self.homes["bo"] / "Music" / "own.wav"
        wav(own, 242)
        self.at("bo", "settle", self.booth, "--here", "--yes")
        self.assertEqual((self.homes["bo"] / "Music" / SOUNDS[0]).read_bytes(), (self.music / SOUNDS[0]).read_bytes())
        self.assertEqual([why for _path, why in player.play_list(self.homes["bo"] / "Music" / "near.m3u8") if why], [])
        self.assertTrue(own.exists())

    def test_edited_under_another_name_than_at_home(self):
        """The collection arranges its sounds; here they have the names that they had."""
        self.booth = self.lighter / "Arranged"
        self.carry("--arrange", "{kind}/{name}")
        there = next(path for path in self.booth.rglob("*.wav") if path.name == os.path.basename(SOUNDS[0]))
        self.assertNotIn("Low Water", str(there))
        wav(there, 250)
        out = self.back()
        self.assertEqual((self.music / SOUNDS[0]).read_bytes(), there.read_bytes())
        self.assertNotIn("New in", out)
