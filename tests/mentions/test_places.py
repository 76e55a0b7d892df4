"""Every place is searched where something may name the sounds; what was not searched is told, and is not all well."""

import os
import shutil
import subprocess
import unittest

from saltcart.shelves.sound_stream import begins_as_sound
from tests.world import ROOT, WorldCase, wav

HUGE = 600 << 20  # bytes; none of them written


class Places(WorldCase):
    def setUp(self):
        super().setUp()
        self.user = self.top / "user"
        self.sounds = self.user / "Sounds" / "Bells"
        wav(self.sounds / "a.wav", 1)

    def mounted(self, place):
        """A drive of its own, mounted at that place."""
        if not ROOT:
            self.skipTest("mounting needs root")
        place.mkdir(parents=True)
        subprocess.run(["mount", "-t", "tmpfs", "-o", "size=4m", "none", str(place)], check=True)
        self.addCleanup(subprocess.run, ["umount", str(place)], check=False)
        return place

    def session(self, path):
        """A session in no format known that names a sound, with a text that nothing here can change."""
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(b"SESS\xff" + os.fsencode(str(self.sounds / "a.wav")) + b"\xff")
        return path

    def move(self, *more, status=None):
        """Move the sounds without a question."""
        return self.run_program("move", self.sounds, "--to", self.lighter, "--yes", *more, status=status)

    def test_what_names_the_sounds_is_found_wherever_it_lies(self):
        """In caches, in folders of sources, among sounds and under the name of one."""
        for place in ("Library/Caches/a.bin", "node_modules/a.bin", "Cache/x.ses", "loops/x.wav",
                      "__pycache__/x.ses", ".git/config", "Trash/a.ses"):  # fmt: skip
            with self.subTest(place):
                path = self.session(self.user / place)
                self.assertIn(str(path), self.move(status=3).stderr)
                path.unlink()

    def test_a_list_beside_a_copy_of_the_sounds_means_the_copy(self):
        """As on a stick that they were exported to: its paths do not say where they begin.  Without the copy they may
        be from the home folder, or from the top of its drive.
        """
        stick = self.lighter / "stick"
        wav(stick / "Sounds" / "Bells" / "a.wav", 1)
        (stick / "list.m3u8").write_text("Sounds/Bells/a.wav\n")
        (stick / "deck.bin").write_bytes(b"DECK\0\x13Sounds/Bells/a.wav\0")
        self.assertIn("No file refers to these sounds", self.move("--dry-run", status=0).stdout)
        wav(self.user / str(self.sounds)[1:] / "a.wav", 1)  # a copy by its whole path is none by the path from home
        program = self.user / "conf" / "deck.bin"
        program.parent.mkdir()
        program.write_bytes(b"DECK\0\x13Sounds/Bells/a.wav\0")
        self.assertIn(str(program), self.move("--dry-run", status=3).stderr)
        shutil.rmtree(stick / "Sounds")
        self.assertIn(str(stick / "deck.bin"), self.move("--dry-run", status=3).stderr)

    def test_what_a_program_can_do_without_is_told_and_no_alarm(self):
        """In the folder that the system has for caches; not in one that is only called so."""
        self.session(self.user / ".cache" / "prog" / "a.bin")
        self.assertIn("only mentioned in a text", self.move(status=0).stdout)

    def test_what_was_thrown_away_names_nothing(self):
        """In a trash that is one, and among the packed versions of sources."""
        trash = self.user / ".local/share/Trash"
        for part in ("files", "info"):
            (trash / part).mkdir(parents=True)
        self.session(trash / "files" / "a.ses")
        for part in ("refs", "objects"):
            (self.user / ".git" / part).mkdir(parents=True)
        (self.user / ".git" / "HEAD").write_text("ref: refs/heads/main\n")
        self.session(self.user / ".git" / "objects" / "ab")
        self.move(status=0)

    def test_what_is_called_like_a_trash_is_one_by_what_is_in_it(self):
        for folder, inside, status in (
            ("$RECYCLE.BIN", "S-1-5-21-9", 0), ("$RECYCLE.BIN", "S-1-5-21-9/../songs", 3), ("$RECYCLE.BIN", "songs", 3),
            (".Trashes", "501", 0), (".Trashes", "songs", 3), (".Trash-501", "files", 3),
        ):  # fmt: skip
            with self.subTest(folder=folder, inside=inside):
                self.setUp()
                (self.user / folder / inside.partition("/")[0]).mkdir(parents=True)
                self.session(self.user / folder / inside / "a.ses")
                self.move(status=status)

    def test_what_only_looks_like_ours_is_searched(self):
        """A manifest that holds something else, hidden files and folders of trips that nobody made."""
        for place in ("Bells.saltcart.b3", ".song.ses.saltcart-ab12", ".saltcart-ab12-0", ".song.ses.saltcart-new",
                      ".saltcart-0123456789ab.part", ".Old.set-aside-ab12/a.ses"):  # fmt: skip
            with self.subTest(place):
                path = self.session(self.user / place)
                self.assertIn(str(path), self.move(status=3).stderr)
                path.unlink()
        (self.user / "Bells.saltcart.b3").write_text(f"{64 * '0'}  {self.sounds}/a.wav\n")
        self.move(status=0)

    def test_drives_beside_and_inside_what_is_searched(self):
        """A drive that hangs beside that of the sounds, and one that hangs in the home folder."""
        for place in (self.top / "third", self.user / "Drives" / "usb"):
            with self.subTest(place):
                path = self.session(self.mounted(place) / "Projects" / "song.ses")
                self.assertIn(str(path), self.move(status=3).stderr)
                path.unlink()

    def test_names_through_variables_and_second_mounts(self):
        """A setting that starts from a variable of the profile, and one that names a bind mount of the folder."""
        (self.user / ".profile").write_text(f'export PACKS="{self.user}/Sounds"\n')
        path = self.user / "song.ses"
        path.write_bytes(b"SESS\xff$PACKS/Bells/a.wav\xff")
        self.assertIn(str(path), self.move(status=3).stderr)
        if ROOT:
            again = self.user / "again"
            again.mkdir()
            subprocess.run(["mount", "--bind", str(self.user / "Sounds"), str(again)], check=True)
            self.addCleanup(subprocess.run, ["umount", str(again)], check=False)
            path.write_bytes(b"SESS\xff" + os.fsencode(f"{again}/Bells/a.wav") + b"\xff")
            self.assertIn(str(path), self.move(status=3).stderr)

    def test_a_file_at_the_root_of_a_drive_searches_that_drive_and_nothing_above(self):
        stick = self.mounted(self.top / "sticks" / "usb")
        wav(stick / "one.wav", 3)
        self.session(self.top / "sticks" / "above.ses")
        document = self.run_json("draft", stick / "one.wav", "--to", self.lighter, "-o", self.top / "w.toml", status=0)
        searched = document["account"]["searched"] if "searched" in document["account"] else document["account"]
        self.assertIn(str(stick), str(searched))
        self.assertNotIn(f"'{self.top}/sticks'", str(searched))

    def test_what_is_too_large_to_be_read_is_a_gap(self):
        """Nothing is called well while it stands; a person may say that it does not matter."""
        self.large()
        said = self.move(status=1).stdout
        self.assertNotIn("Everything that worked before works now", said)
        self.assertIn("user/library.big", said)
        for option in ("--no-search", "--cart"):
            with self.subTest(option):
                self.setUp()
                huge = self.large()
                value = huge if option == "--no-search" else self.told(huge)
                self.assertIn("Everything that worked before works now", self.move(option, value, status=0).stdout)

    def large(self):
        """A file that is larger than is read."""
        huge = self.user / "library.big"
        with open(huge, "wb") as stream:
            stream.truncate(HUGE)
        return huge

    def told(self, place):
        """A configuration that says that a place is not searched."""
        path = self.top / "told.toml"
        path.write_text(f'not_searched = ["{place}"]\n')
        return path

    def test_a_place_that_is_left_out_is_counted(self):
        self.session(self.user / "Old" / "song.ses")
        said = self.move("--no-search", self.user / "Old", status=0).stdout
        self.assertIn("left out, as you said", said)

    def test_a_person_says_once_what_may_stay_as_it_is(self):
        path = self.session(self.user / "Old" / "song.ses")
        (self.top / "told.toml").write_text(f'leave_unread = ["{path}"]\n')
        self.move("--cart", self.top / "told.toml", status=0)


class Sounds(unittest.TestCase):
    def test_a_sound_is_told_by_how_it_begins(self):
        for head in (
            b"RIFF\0\0\0\0WAVE",
            b"FORM",
            b"fLaC",
            b"OggS",
            b"ID3\4",
            b"\xff\xfb\x90\x64",
            b"\0\0\0\x18ftypM4A ",
        ):
            self.assertTrue(begins_as_sound(head), head)
        for head in (b"/keel/Sounds/a.wav", b"[pads]\n", b"<xml>", b"{}", b"", b"SESS\xff"):
            self.assertFalse(begins_as_sound(head), head)
