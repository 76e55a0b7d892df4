"""How paths are written: on the stick so that they are found from there, at home as they were there."""

import json
import os

from saltcart.standins import decks, player, workstation
from tests.carrying.machines import SOUNDS, TwoMachines
from tests.world import PLAYER_MAP, wav

SESSIONS_MAP = PLAYER_MAP.with_name("sessions.toml")


class Styles(TwoMachines):
    def setUp(self):
        super().setUp()
        self.songs = self.homes["ann"] / "Songs"
        self.songs.mkdir()
        wav(self.songs / "take.wav", 70)
        self.mixed = ["take.wav", f"../Music/{SOUNDS[0]}", f"{self.music}/{SOUNDS[1]}"]
        workstation.write_session(
            str(self.songs / "mix.passage"), str(self.songs), [{"file": path} for path in self.mixed]
        )
        (self.songs / "mix.m3u8").write_text("".join(f"{path}\n" for path in self.mixed))

    def carry_all(self, status=0, name="ann"):
        home = self.homes[name]
        words = ("--map", SESSIONS_MAP, "--map", PLAYER_MAP, "--map", PLAYER_MAP.with_name("decks.toml"), "--yes")
        return self.at(name, "carry", home / "Music", home / "Songs", "--to", self.booth, *words, status=status).stdout

    def clips(self, folder):
        """What the workstation plays of the sessions in a folder."""
        found = []
        for path in sorted(folder.glob("*.passage")):
            root = workstation.read_session(path)
            found += [workstation.clip_path(clip, folder / root.get("root"), []) for clip in root.iter("clip")]
        return [path.is_file() for path in found]

    def test_relative_and_full_paths_in_one_file(self):
        self.carry_all()
        self.sail(self.top / "quay")
        self.away("ann")
        self.assertEqual(self.clips(self.booth / "Songs"), [True] * 3, "from the stick alone")
        self.assert_lists_play(self.booth / "Songs" / "mix.m3u8")
        self.at("bo", "settle", self.booth, "--here", "--yes")
        self.sail(self.top / "gone")
        here = self.homes["bo"]
        self.assertEqual(self.clips(here / "Songs"), [True] * 3)
        wanted = [*self.mixed[:2], f"{here}/Music/{SOUNDS[1]}"]
        self.assertEqual((here / "Songs" / "mix.m3u8").read_text().splitlines(), wanted)
        self.carry_all(name="bo")
        self.away("ann")
        self.at("ann", "settle", self.booth, "--back", "--yes")
        self.assertEqual((self.songs / "mix.m3u8").read_text().splitlines(), self.mixed)

    def test_a_session_goes_and_comes_as_often_as_it_changes(self):
        """Nobody reads it row by row: it is taken as a whole, and asked when both changed."""
        for number in range(2):
            self.carry_all()
            workstation.write_session(str(self.songs / "mix.passage"), str(self.songs), [{"file": self.mixed[number]}])
        self.carry_all()
        self.assertEqual(self.clips(self.booth / "Songs"), [True])
        workstation.write_session(str(self.booth / "Songs" / "mix.passage"), ".", [{"file": "take.wav"}] * 2)
        self.carry_all(status=3)
        self.at("ann", "settle", self.booth, "--back", "--yes")
        self.assertEqual(self.clips(self.songs), [True] * 2)
        workstation.write_session(str(self.songs / "mix.passage"), str(self.songs), [{"file": "take.wav"}] * 3)
        workstation.write_session(str(self.booth / "Songs" / "mix.passage"), ".", [{"file": "take.wav"}] * 4)
        out = self.at("ann", "settle", self.booth, "--back", "--yes", status=1).stdout
        self.assertIn("--take Songs/mix.passage", out)
        self.at("ann", "settle", self.booth, "--back", "--yes", "--keep", "Songs/mix.passage")
        self.carry_all()
        self.assertEqual(self.clips(self.booth / "Songs"), [True] * 3)

    def test_a_slash_before_a_path_from_the_top_of_the_drive_stays(self):
        rows = [(f"/ann/Music/{SOUNDS[1]}", "fog", [10]), (f"ann/Music/{SOUNDS[0]}", "tide", [20])]
        path = self.music / "set.decks"
        decks.write(str(path), rows, {})
        path.write_text(path.read_text().replace(str(self.top), ""))
        self.carry_all()
        there = json.loads((self.booth / "Music" / "set.decks").read_text())["tracks"]
        self.assertEqual([one["file"][:1] for one in there], ["/", "B"])
        self.assertEqual([os.path.isfile(f"{self.lighter}/{one['file']}") for one in there], [True, True])

    def test_what_is_made_there_comes_home_as_things_are_written_here(self):
        """A playlist that was made on the stick, beside one of full paths at home."""
        self.carry_all()
        (self.booth / "Music" / "made there.m3u8").write_text(f"{SOUNDS[0]}\n")
        player.add_tracks(str(self.booth / "Ledgers" / "library.db"),
                          [(str(self.booth / "Music" / "new.wav"), "new", "x", 1.0, 0, 0, None)])  # fmt: skip
        wav(self.booth / "Music" / "new.wav", 80)
        self.at("ann", "settle", self.booth, "--back", "--yes")
        self.assertEqual((self.music / "made there.m3u8").read_text(), f"{SOUNDS[0]}\n")
        self.assert_library_plays(self.library)
        self.assertIn(str(self.music / "new.wav"), [path for path, _why in player.play_all(self.library)])

    def test_a_library_of_full_paths_in_the_collection_is_no_library_in_place(self):
        """It plays where it was carried from; that is said, and is no success."""
        inside = self.music / "own.db"
        player.create(str(inside))
        player.add_tracks(str(inside), [(str(self.music / SOUNDS[0]), "t", "x", 1.0, 0, 0, None)])
        self.carry_all()
        out = self.at("bo", "settle", self.booth, "--in-place", "--yes", status=1).stdout
        self.assertIn("own.db", out)
        self.assertIn("--here", out)
        self.at("bo", "settle", self.booth, "--here", "--yes", status=None)
        self.assertEqual([why for _path, why in player.play_all(str(self.homes["bo"] / "Music" / "own.db")) if why], [])

    def test_many_ledgers_of_a_kind_take_one_line(self):
        lists = self.homes["ann"] / "Playlists"
        for number in range(60):
            (lists / f"set {number}.m3u8").write_text(f"{self.music}/{SOUNDS[number % 4]}\n")
        self.assertLessEqual(len(self.carry_all().splitlines()), 40)
        for number in range(60):
            with open(self.booth / "Ledgers" / f"set {number}.m3u8", "a") as stream:
                stream.write(f"../Music/{SOUNDS[(number + 1) % 4]}\n")
            with open(lists / f"set {number}.m3u8", "a") as stream:
                stream.write(f"{self.music}/{SOUNDS[(number + 2) % 4]}\n")
        out = self.at("ann", "settle", self.booth, "--back", "--yes").stdout
        self.assertLessEqual(len(out.splitlines()), 40, out)
        self.assertEqual(len((lists / "set 7.m3u8").read_text().splitlines()), 3)
