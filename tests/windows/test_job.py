"""The whole job under Windows: drives D: and E:, programs' files as Windows programs write them, and their players."""

import json
import os
import shutil
import stat
import subprocess
import sys
import unittest
from pathlib import Path

from saltcart.standins import player, sampler, workstation
from tests.world import noise

MAPS = Path(player.__file__).parents[1] / "demo" / "maps"
NAMES = ("low/C1.wav", "low/D1 #2.wav", "high/Été 50%.wav", "high/it's & all.wav", "鐘/kö.wav")


def even_read_only(call, path, _error):
    """Let what could not be removed be so."""
    os.chmod(path, stat.S_IWRITE)
    call(path)


def emptied():
    """Take everything from the drives."""
    for path in (Path(drive, one) for drive in ("D:/", "E:/", "G:/") for one in os.listdir(drive)):
        shutil.rmtree(path, onerror=even_read_only) if path.is_dir() else path.unlink()


@unittest.skipUnless(sys.platform == "win32", "Windows only")
class Job(unittest.TestCase):
    def setUp(self):
        emptied()
        self.addCleanup(emptied)  # other tests search these drives too
        for drive, name in (("D:/", "keel"), ("E:/", "lighter")):
            marker = f'name = "{name}"\nidentity = "windows-{name}"\ncapacity_bytes = 50000000\nfilesystem = "ntfs"\n'
            Path(drive, ".saltcart-drive.toml").write_text(marker)
        self.environment = {**os.environ, "SALTCART_HOME": r"D:\data", "COLUMNS": "120"}
        self.shelf = Path(r"D:\Sounds\Bell Tones")
        for number, name in enumerate(NAMES):
            noise(self.shelf / name, 400 + number, number)
        noise(r"D:\Sounds\Bell Tones Extra\spare.wav", 300, 9)
        lists = Path(r"D:\lists")
        lists.mkdir()
        self.library, self.list = str(lists / "library.db"), lists / "all.m3u8"
        player.create(self.library)
        player.add_folder(self.library, str(self.shelf))
        player.add_tracks(
            self.library,
            [(str(self.shelf / name), f"t{at}", "a", 1.0, at, at * 3, None) for at, name in enumerate(NAMES)],
        )
        near, full = r"..\Sounds\Bell Tones\low\C1.wav", rf"{self.shelf}\high\Été 50%.wav"
        small, slashed = r"d:\sounds\bell tones\LOW\c1.wav", "D:/Sounds/Bell Tones/low/D1 #2.wav"
        extra = r"D:\Sounds\Bell Tones Extra\spare.wav"
        self.entries = [near, full, small, slashed, extra]
        self.list.write_bytes("".join(f"{text}\r\n" for text in ("#EXTM3U", *self.entries)).encode())

    def saltcart(self, *words, status=0):
        """What a command prints; its exit status must be `status`."""
        done = subprocess.run(
            [sys.executable, "-X", "utf8", "-m", "saltcart", *map(str, words)],
            env=self.environment, cwd="D:/", stdin=subprocess.DEVNULL, capture_output=True,
        )  # fmt: skip
        said = (done.stdout + done.stderr).decode("utf-8", "replace")
        self.assertEqual(done.returncode, status, said)
        self.assertNotIn("Traceback", said)
        return said

    def move(self, *more, status=0):
        words = (self.shelf, "--to", r"E:\Sounds", "--map", MAPS / "player.toml", *more)
        return self.saltcart("move", *words, "--yes", status=status)

    def lost(self):
        """What the player does not find in its library."""
        return [name for name, why in player.play_all(self.library) if why]

    def lines(self):
        return self.list.read_bytes().decode().splitlines()[1:]

    def state(self):
        """Every file of the shelf and the lists, with its bytes."""
        tops = [self.shelf, self.list.parent]
        return {str(path): path.read_bytes() for top in tops for path in sorted(top.rglob("*")) if path.is_file()}

    def test_all_that_refers_to_a_shelf_is_found_and_follows_and_comes_back(self):
        before = self.state()
        self.assertEqual(self.lost(), [])
        self.move()
        self.assertFalse(self.shelf.exists())
        self.assertEqual(self.lost(), [])
        self.assertEqual(
            self.lines(),
            [
                r"E:\Sounds\Bell Tones\low\C1.wav",
                r"E:\Sounds\Bell Tones\high\Été 50%.wav",
                r"e:\Sounds\Bell Tones\low\C1.wav",
                "E:/Sounds/Bell Tones/low/D1 #2.wav",
                self.entries[-1],
            ],
        )
        self.assertTrue(all(os.path.isfile(line) for line in self.lines()))
        self.saltcart("check")
        self.saltcart("undo", "--drop-copies", "--yes")
        self.assertEqual(self.state(), before)
        self.assertFalse(Path(r"E:\Sounds").exists())

    def test_originals_go_only_at_the_release_read_only_ones_too(self):
        os.chmod(self.shelf / NAMES[0], 0o444)
        self.move()
        aside = next(Path(r"D:\Sounds").glob(".Bell Tones.set-aside-*"))
        self.assertEqual(sum(path.is_file() for path in aside.rglob("*")), len(NAMES))
        self.saltcart("release", "--own", "--yes")
        self.assertFalse(aside.exists())
        self.assertEqual(self.lost(), [])

    def test_a_library_that_is_open_elsewhere_is_wholly_old_or_new(self):
        before = self.state()
        with open(self.list, "rb"):
            said = subprocess.run(
                [sys.executable, "-X", "utf8", "-m", "saltcart", "move", str(self.shelf), "--to", r"E:\Sounds", "--yes",
                 "--map", str(MAPS / "player.toml")],
                env=self.environment, cwd="D:/", stdin=subprocess.DEVNULL, capture_output=True,
            )  # fmt: skip
        if said.returncode:  # Windows lets nobody replace a file that is open: all is as it was
            self.assertIn(said.returncode, (3, 4))
            self.assertEqual({path: text for path, text in self.state().items()}, before)
            self.saltcart("repoint", "--yes")
        self.assertEqual(self.lost(), [])

    def test_a_drive_that_comes_back_under_another_letter_is_followed(self):
        """It is known by what it is and not by its letter, between the copying and the switch, and after it."""
        before = self.state()
        words = (self.shelf, "--to", r"E:\Sounds", "--map", MAPS / "player.toml", "-o", r"D:\plan.toml")
        self.saltcart("draft", *words)
        self.saltcart("haul", r"D:\plan.toml")
        self.replug("E:/", "G:/")
        self.saltcart("repoint", "--yes")
        self.assertEqual(self.lost(), [])
        self.assertEqual(self.lines()[0], r"G:\Sounds\Bell Tones\low\C1.wav")
        self.assertEqual([name for name in self.lines() if not os.path.isfile(name)], [])
        self.saltcart("undo", "--drop-copies", "--yes")
        self.assertEqual(self.state(), before)
        # Switched, and then under another letter: not gone, but elsewhere.
        self.replug("G:/", "E:/")
        self.move()
        self.replug("E:/", "G:/")
        said = self.saltcart("check", status=1)
        self.assertIn("is now connected at G:/", said)
        self.replug("G:/", "E:/")
        self.saltcart("check")

    def replug(self, old, new):
        """All that is on a drive is on another letter now; where it was is another drive."""
        for one in os.listdir(old):
            shutil.move(f"{old}{one}", f"{new}{one}")

    def test_what_was_dragged_is_found_again(self):
        shutil.move(self.shelf, r"E:\Bells")
        self.assertEqual(len(self.lost()), len(NAMES) + 1)
        self.saltcart(
            "mend", "--in", "E:/", "--map", MAPS / "player.toml", "--ledger", self.library, "--by-name", "--yes"
        )
        self.assertEqual([name for name in self.lost() if name.endswith(".wav")], [])

    def test_a_sampler_and_a_workstation_follow(self):
        settings, folder = Path(r"D:\lists\sampler.ini"), Path(r"D:\studio")
        sampler.write_settings(str(settings), str(self.shelf))
        sampler.write_voice(str(self.shelf / "Bell.voice"), {60: NAMES[0], 61: NAMES[1]})
        folder.mkdir()
        workstation.write_settings(str(folder), [str(self.shelf)])
        workstation.write_index(str(folder), [str(self.shelf)])
        clips = [{"file": r"low\C1.wav"}, {"file": str(self.shelf / NAMES[2])}, {"find": NAMES[3]}]
        workstation.write_session(str(folder / "a.passage"), f"{self.shelf}\\", clips)
        self.move("--map", *(MAPS / name for name in ("settings.toml", "index.toml", "sessions.toml")))
        for results in (sampler.play_all(str(settings)), workstation.play_all(str(folder))):
            self.assertEqual([row for row in results if row[1]], [])

    def test_a_drive_that_is_not_connected_is_offline_and_no_place_to_copy_to(self):
        with open(self.list, "ab") as stream:
            stream.write(b"Q:\\Sounds\\away.wav\r\n")
        self.assertIn("Q:", self.saltcart("move", self.shelf, "--to", "Q:/Sounds", "--yes", status=3))
        self.saltcart("ledgers", self.list, status=1)
        report = json.loads(self.saltcart("ledgers", self.list, "--json", status=1))
        self.assertEqual((report["entries"]["offline"], report["entries"]["missing"]), (1, 0))

    def test_a_collection_goes_to_another_drive_and_its_counts_come_home(self):
        words = (r"D:\Sounds", "--to", r"E:\Booth", "--map", MAPS / "player.toml", "--ledger", self.library, self.list)
        self.saltcart("carry", *words, "--yes")
        there = r"E:\Booth\Ledgers\library.db"
        self.assertIsNone(player.play(there, "t1"))
        self.saltcart("settle", r"E:\Booth", "--back", "--yes")
        self.assertEqual(self.lost(), [])

    def test_names_that_windows_keeps_for_itself_are_refused(self):
        self.assertIn("con", self.saltcart("move", self.shelf, "--to", r"E:\con", "--yes", status=3))

    def test_survey_drives_and_trips_answer(self):
        self.assertIn("5 files", self.saltcart("survey", self.shelf, "--map", MAPS / "player.toml"))
        self.assertIn("lighter", self.saltcart("drives", "--for", self.shelf))
        self.assertIn("no trips", self.saltcart("trips").casefold())


if __name__ == "__main__":
    unittest.main()
