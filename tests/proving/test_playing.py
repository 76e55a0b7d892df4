"""Sounds of ledgers that are decoded to their end, chosen from every kind and folder, and let be heard."""

import json
import os
from pathlib import Path

import soundfile
from hypothesis import given
from hypothesis import strategies as some

from saltcart.proving.playing import EVERY, choose
from saltcart.shelves.audio import kind_of
from tests.world import WorldCase, wav

SUFFIXES = some.sampled_from([".wav", ".flac", ".mp3"])
NAMES = some.lists(
    some.builds("/{}/{}{}".format, some.sampled_from("abcdef"), some.integers(0, 99), SUFFIXES), unique=True
)


class Playing(WorldCase):
    @given(NAMES, some.integers(1, 30))
    def test_every_kind_and_folder_is_met_as_far_as_the_number_reaches(self, paths, count):
        chosen = choose(paths, count)
        self.assertEqual(len(chosen), min(count, len(paths)))
        self.assertLessEqual(set(chosen), set(paths))
        self.assertEqual(len(set(chosen)), len(chosen))
        self.assertEqual(choose(paths, EVERY), paths)
        kinds, folders = {kind_of(path) for path in paths}, {os.path.dirname(path) for path in paths}
        self.assertEqual(len({kind_of(path) for path in chosen}), min(count, len(kinds)))
        if count >= len(kinds) + len(folders):
            self.assertEqual({os.path.dirname(path) for path in chosen}, folders)

    def test_what_stops_is_told_and_what_plays_is_heard(self):
        sounds, words = self.keel / "Sounds", ["one.wav", "short.wav", "deep/broken.flac", "deep/two.wav", "odd.ape"]
        for number, name in enumerate(words):
            wav(sounds / name, number)
        whole = (sounds / "short.wav").read_bytes()
        (sounds / "short.wav").write_bytes(whole[:-100])
        (sounds / "odd.ape").write_bytes(b"MAC " + bytes(200))
        soundfile.write(sounds / "deep/broken.flac", [0.1] * 60000, 44100)
        raw = bytearray((sounds / "deep/broken.flac").read_bytes())
        raw[len(raw) // 2 :] = b"\0" * (len(raw) - len(raw) // 2)
        (sounds / "deep/broken.flac").write_bytes(raw)
        ledger = self.keel / "all.m3u8"
        ledger.write_text("".join(f"Sounds/{name}\n./Sounds/{name}\n" for name in words))
        report = self.run_json("check", "--no-headers", "--play", "all", "--ledger", ledger, status=1)
        (played,) = report["played"]
        self.assertEqual((played["named"], played["decoded"], played["all_folders"]), (5, 4, 2))
        troubles = {os.path.basename(one["path"]): one["why"] for one in played["troubles"]}
        self.assertEqual(sorted(troubles), ["broken.flac", "short.wav"])
        self.assertIn("cut short: ", troubles["short.wav"])
        self.assertIn("stops after", troubles["broken.flac"])
        self.assertEqual([os.path.basename(one["path"]) for one in played["not_judged"]], ["odd.ape"])
        out = self.run_program("check", "--no-headers", "--play", "all", "--ledger", ledger, status=1).stdout
        self.assertIn("2 sounds do not play to the end", out)
        # What nothing decodes is not known to play, and where there is no sound, none does.
        ledger.write_text("Sounds/odd.ape\n")
        out = self.run_program("check", "--no-headers", "--play", "all", "--ledger", ledger, status=1).stdout
        self.assertIn("so whether they play is not known", out)
        ledger.write_text("Sounds/gone.wav\n")
        self.run_program("check", "--play", "all", "--ledger", ledger, status=3)
        # Nothing to listen with, then a player of one's own, and one that fails.
        self.run_program("check", "--listen", "--ledger", ledger, status=2)
        good = self.keel / "good.m3u8"
        good.write_text("Sounds/one.wav\nSounds/deep/two.wav\n")
        heard = self.top / "heard"
        heard.mkdir()
        for command, status in ((["sh", "-c", f'cp "$0" {heard}/$$.wav'], 0), (["sh", "-c", "exit 3", "{}"], 1)):
            (self.top / "cart.toml").write_text(f"listen = {json.dumps(command)}\n")
            own = ("--cart", self.top / "cart.toml")
            self.run_program("check", "--listen", "--ledger", good, *own, status=status, cwd=self.keel)
            self.run_program("check", "--listen", "--ledger", good, status=2, cwd=self.keel)  # it is not named
        # Nor is a configuration believed that somebody else may have put there; named, it is.
        (self.top / "cart.toml").chmod(0o666)
        said = self.run_program("check", "--ledger", good, cwd=self.keel).stderr
        self.assertIn("cart.toml is not used, because others can write to it", said)
        self.assertNotIn("not used", self.run_program("check", "--ledger", good, *own, cwd=self.keel).stderr)
        self.assertEqual(self.run_json("ledgers", good, cwd=self.keel)["named_twice"], [])
        good.write_text("Sounds/one.wav\nSounds/deep/../one.wav\n")
        self.assertEqual(self.run_json("ledgers", good)["named_twice"], [str(sounds / "one.wav")])
        self.assertEqual(sorted(soundfile.info(path).frames for path in Path(heard).iterdir()), [400, 403])
