"""Three machines and two sticks, in any order: what anybody did arrives everywhere, once."""

import os
import shutil
import sqlite3
from contextlib import closing
from urllib.parse import unquote

from saltcart.standins import player
from tests.carrying.machines import SOUNDS, TwoMachines
from tests.world import PLAYER_MAP, wav


class Three(TwoMachines):
    def setUp(self):
        super().setUp()
        self.met = set()
        self.homes["cy"] = self.top / "cy"
        self.homes["cy"].mkdir()
        os.remove(self.music / "set.decks")

    def library_of(self, name):
        return str(self.homes[name] / "player" / "library.db")

    def both_ways(self, name):
        """What people do: bring the two together, then carry."""
        way = "--back" if (name, self.booth) in self.met or name == "ann" else "--here"
        self.met.add((name, self.booth))
        self.at(name, "settle", self.booth, way, "--yes")
        self.carry(name=name)

    def told(self, name):
        """What an independent reader sees: by file names, ratings and plays; lists; and what does not play."""
        with closing(sqlite3.connect(self.library_of(name))) as database:
            rows = database.execute("SELECT place, rating, plays FROM tracks").fetchall()
            lists = database.execute(
                "SELECT name, place FROM list_tracks JOIN lists ON lists.id = list JOIN tracks ON tracks.id = track"
                " ORDER BY name, position"
            ).fetchall()
        tracks = sorted((os.path.basename(unquote(place)), rating, plays) for place, rating, plays in rows)
        broken = [path for path, why in player.play_all(self.library_of(name)) if why]
        return tracks, [(listed, os.path.basename(unquote(place))) for listed, place in lists], broken

    def add(self, name, title, seed):
        """A new recording on one machine, in its library and in a list of its own."""
        path = self.homes[name] / "Music" / f"{title}.wav"
        wav(path, seed)
        player.add_tracks(self.library_of(name), [(str(path), title, "x", 1.0, 0, 0, None)])
        with closing(sqlite3.connect(self.library_of(name))) as database:
            number = database.execute("SELECT max(id) FROM tracks").fetchone()[0]
        player.add_list(self.library_of(name), f"of {name}", [number])

    def play(self, path, number, times=1, rating=None):
        rated = f", rating = {rating}" if rating else ""
        self.sql(path, f"UPDATE tracks SET plays = plays + {times}{rated} WHERE id = {number}")

    def test_in_turns(self):
        self.carry()
        self.both_ways("bo")
        self.both_ways("cy")
        for name, seed in (("ann", 101), ("bo", 102), ("cy", 103)):
            self.play(self.library_of(name), 1, seed - 100)
            self.add(name, f"tape of {name}", seed)
        self.play(self.library_of("ann"), 2, rating=5)
        self.play(self.library_of("bo"), 3, rating=1)
        for name in ("cy", "bo", "ann", "cy", "bo"):
            self.both_ways(name)
        wanted = self.told("ann")
        self.assertEqual(wanted[2], [], "all of it plays")
        plays = {title: plays for title, _rating, plays in wanted[0]}
        ratings = {title: rating for title, rating, _plays in wanted[0]}
        self.assertEqual(len(plays), 8, "nothing is doubled")
        self.assertEqual(plays["01 Slack Tide.wav"], 1 + 2 + 3)
        self.assertEqual((ratings["02 50% Fog.wav"], ratings["03 Über dem Wasser.wav"]), (5, 1))
        self.assertEqual([name for name, _path in wanted[1]], ["night", "night", "of ann", "of bo", "of cy"])
        for name in ("bo", "cy"):
            self.assertEqual(self.told(name), wanted)
        for name in ("ann", "bo", "cy"):
            self.assertIn("Everything is up to date", self.at(name, "settle", self.booth, "--back", "--yes").stdout)

    def test_an_old_stick(self):
        """A copy of the stick from before comes again, after things went on, and was played from."""
        self.carry()
        self.both_ways("bo")
        old = self.top / "old stick"
        shutil.copytree(self.lighter, old)
        self.play(self.library_of("ann"), 1, 4, rating=4)
        self.both_ways("ann")
        self.both_ways("bo")
        shutil.rmtree(self.lighter)
        shutil.copytree(old, self.lighter)
        self.play(self.booth / "Ledgers" / "library.db", 1, 2)
        self.carry(name="ann", status=3)
        self.both_ways("ann")
        self.both_ways("bo")
        for name in ("ann", "bo"):
            found = {title: (rating, plays) for title, rating, plays in self.told(name)[0]}
            self.assertEqual(found["01 Slack Tide.wav"], (4, 6))

    def test_two_sticks(self):
        """What came by one stick and comes again by another is no news, and counts once."""
        self.carry()
        other = self.drive("coaster")
        first, second = (self.lighter, self.booth), (other, other / "Booth")
        self.lighter, self.booth = second
        self.carry()
        self.both_ways("bo")
        self.play(self.library_of("ann"), 1, 3)
        for stick, name in ((first, "ann"), (second, "ann"), (first, "bo"), (second, "bo"), (first, "ann")):
            self.lighter, self.booth = stick
            self.both_ways(name)
        for name in ("ann", "bo"):
            self.assertEqual({title: plays for title, _rating, plays in self.told(name)[0]}["01 Slack Tide.wav"], 3)

    def test_what_changes_again_on_the_way_is_held_against_what_came_home_before(self):
        """And not against the carry: a rating that goes back to what it was then is a change too."""
        self.carry()
        stick = self.booth / "Ledgers" / "library.db"

        def ratings(path):
            with closing(sqlite3.connect(path)) as database:
                return [rating for (rating,) in database.execute("SELECT rating FROM tracks ORDER BY id LIMIT 3")]

        before = ratings(self.library)
        self.sql(stick, f"UPDATE tracks SET rating = {before[0] + 1} WHERE id = 1")
        self.at("ann", "settle", self.booth, "--back", "--yes")
        self.assertEqual(ratings(self.library)[0], before[0] + 1)
        self.sql(stick, f"UPDATE tracks SET rating = {before[0]} WHERE id = 1")
        self.at("ann", "settle", self.booth, "--back", "--yes")
        self.assertEqual(ratings(self.library), before)
        # On both sides at once it is brought together, and where both changed the same the person decides.
        for there, wanted in ((before[0] + 2, "here"), (before[0], "there")):
            self.sql(stick, f"UPDATE tracks SET rating = {there} WHERE id = 1")
            self.sql(self.library, "UPDATE tracks SET rating = 9 WHERE id = 2")
            self.at("ann", "settle", self.booth, "--back", "--yes")
            self.assertEqual(ratings(self.library)[:2], [there, 9])
            self.sql(self.library, "UPDATE tracks SET rating = 8 WHERE id = 1")
            self.sql(stick, "UPDATE tracks SET rating = 7 WHERE id = 1")
            self.at("ann", "settle", self.booth, "--back", "--prefer", wanted, "--yes")
            self.assertEqual(ratings(self.library)[0], 8 if wanted == "here" else 7)
            self.carry()  # so that the stick knows of it too

    def test_a_playlist_a_cue_and_a_track_made_on_the_way_are_never_written_over(self):
        self.carry()
        there = self.booth / "Ledgers" / "library.db"
        player.add_list(str(there), "on the way", [1, 3])
        self.play(self.library, 2, 1)
        self.assertIn("--back", self.carry(status=3).stderr)
        self.at("ann", "settle", self.booth, "--back", "--yes")
        self.assertEqual([name for name, _path in self.told("ann")[1]], ["night", "night", "on the way", "on the way"])
        self.carry()

    def test_a_carry_that_was_taken_back(self):
        """The collection is as it was, and what happens there since is known as before."""
        self.carry()
        self.play(self.library, 1, 5)
        before = self.counts(self.booth / "Ledgers" / "library.db")
        told = (self.booth / "carried.toml").read_text()
        self.carry()
        self.at("ann", "undo", "--yes")
        self.assertEqual(self.counts(self.booth / "Ledgers" / "library.db"), before)
        self.assertEqual((self.booth / "carried.toml").read_text(), told)
        self.play(self.booth / "Ledgers" / "library.db", 1, 2)
        self.carry(status=3)
        self.both_ways("ann")
        self.assertEqual({title: plays for title, _rating, plays in self.told("ann")[0]}["01 Slack Tide.wav"], 7)

    def test_a_part_is_a_part(self):
        """One album: its playlists are cut to it, a library of much more stays; what is missing there is not gone."""
        album, words = self.music / "Low Water", ("--map", PLAYER_MAP, "--yes")
        lists = self.homes["ann"] / "Playlists" / "full.m3u8"
        text = lists.read_text()
        out = self.at("ann", "carry", album, "--to", self.booth, *words).stdout
        self.assertEqual(
            sorted(path.name for path in self.booth.rglob("*.wav")), sorted(map(os.path.basename, SOUNDS[:2]))
        )
        self.assertIn("Cut to what travels", out)
        self.assertEqual([path.name for path in self.booth.rglob("*.db")], [])
        played = [*player.play_list(str(self.booth / "Ledgers" / "full.m3u8"))]
        self.assertEqual([why for _path, why in played], [None, None])
        there = self.booth / "Ledgers" / "full.m3u8"
        head, *tracks = there.read_text().splitlines(keepends=True)
        there.write_text("".join([head, *reversed(tracks)]))
        self.at("ann", "settle", self.booth, "--back", "--yes")
        lines = lists.read_text().splitlines()
        self.assertEqual(sorted(lines), sorted(text.splitlines()), "nothing that was not there is gone here")
        self.assertLess(lines.index(f"{self.music}/{SOUNDS[1]}"), lines.index(f"{self.music}/{SOUNDS[0]}"))
        self.at("ann", "carry", album, "--to", self.booth, *words)
        self.at("ann", "carry", album, "--to", self.lighter / "All", "--gather", *words)
        self.assertEqual(len([*(self.lighter / "All").rglob("*.wav")]), 5)

    def test_in_place_and_back(self):
        """A booth's computer names the sounds on the stick; what it counts goes into the collection, and home."""
        self.carry()
        self.at("bo", "settle", self.booth, "--in-place", "--yes")
        self.play(self.library_of("bo"), 1, 6)
        self.play(self.library, 1, 1)
        out = self.at("bo", "settle", self.booth, "--in-place", "--yes").stdout
        self.assertIn("Written back", out)
        self.assertIn("Everything is up to date", self.at("bo", "settle", self.booth, "--in-place", "--yes").stdout)
        self.sail(self.top / "media" / "boot")
        self.both_ways("ann")
        found = {title: plays for title, _rating, plays in self.told("ann")[0]}
        self.assertEqual(found["01 Slack Tide.wav"], 7)
        self.assert_library_plays(self.library)
        self.assertIn(str(self.music), player.file_of(self.told_places("ann")[0]))
        self.at("bo", "settle", self.booth, "--in-place", "--yes")
        self.assertEqual({title: plays for title, _rating, plays in self.told("bo")[0]}["01 Slack Tide.wav"], 7)

    def told_places(self, name):
        with closing(sqlite3.connect(self.library_of(name))) as database:
            return [place for (place,) in database.execute("SELECT place FROM tracks ORDER BY id")]

    def test_what_is_no_longer_chosen_goes_when_it_is_said_so(self):
        words = ("--rated", "3", "--to", self.booth, "--ledger", self.library, "--map", PLAYER_MAP, "--lists", "--yes")
        player.add_list(self.library, "a\\b", [4])
        self.at("ann", "carry", *words)
        self.assertEqual([path.name for path in (self.booth / "Lists").glob("a*")], ["a\\b.m3u8"])
        self.sql(self.library, "UPDATE tracks SET rating = 1 WHERE id = 4")
        self.assertIn("Removed here: 1 file", self.at("ann", "carry", *words).stdout)
        self.assertEqual(len([*self.booth.rglob("*.wav")]), 2)
        self.at("ann", "carry", *words, "--drop-gone")
        self.assertEqual([path.name for path in self.booth.rglob("*.wav")], ["stray.wav"])

    def test_what_somebody_else_brought_does_not_go_with_what_is_gone_here(self):
        self.carry()
        self.both_ways("bo")
        self.add("bo", "tape of bo", 120)
        self.carry(name="bo")
        os.remove(self.music / SOUNDS[0])
        self.sql(self.library, "DELETE FROM tracks WHERE id = 1")
        self.at("ann", "settle", self.booth, "--back", "--yes")
        os.remove(self.music / "tape of bo.wav")
        self.assertIn("tape of bo.wav", os.listdir(self.booth / "Music"))
        self.at("bo", "settle", self.booth, "--back", "--yes")
        wav(self.homes["bo"] / "Music" / "second.wav", 121)
        player.add_tracks(
            self.library_of("bo"), [(str(self.homes["bo"] / "Music" / "second.wav"), "s", "x", 1.0, 0, 0, None)]
        )
        self.carry(name="bo")
        self.sql(self.library, "DELETE FROM tracks WHERE title LIKE 'tape%'")
        self.carry("--drop-gone", status=3)
        self.at("ann", "settle", self.booth, "--back", "--yes", status=None)
        os.remove(self.music / "second.wav")
        self.carry("--drop-gone", status=None)
        self.assertNotIn("second.wav", os.listdir(self.booth / "Music"), "it was known here, and was removed here")
