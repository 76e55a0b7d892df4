"""Documents whose folders are records in each other: what they have lost is told, and no name becomes a path."""

import json
import os
import pickle
import sqlite3
import unittest
import zlib
from contextlib import closing
from pathlib import Path
from urllib.parse import quote

from saltcart.mending.lost_texts import lost_texts
from tests.planning.folder_trees import SOUNDS, TreeCase
from tests.planning.nested_documents import SUFFIXES, document


class Nested(TreeCase):
    def setUp(self):
        super().setUp()
        self.files = {kind: self.programs / f"{kind}{suffix}" for kind, suffix in SUFFIXES.items()}
        for kind, path in self.files.items():
            path.write_bytes(document(kind, str(self.shelf), SOUNDS))

    def contents(self):
        """What is in the documents."""
        return {kind: path.read_bytes() for kind, path in self.files.items()}

    def session(self, *more):
        """The one document, which names sounds beside their folder, with the names of these; it may name `more`."""
        for path in self.files.values():
            path.unlink()
        session = self.programs / "session.json"
        sounds = sorted(path.name for path in (self.shelf / "low").iterdir())
        session.write_text(json.dumps({"root": str(self.shelf / "low"), "hits": [*sounds, *more]}))
        return session, sounds

    def test_what_they_have_lost_is_told_until_a_link_leads_there(self):
        look = ("mend", "--in", self.lighter, "--yes")
        self.assertIn("found no file that lists sounds that are gone", self.run_program(*look, status=None).stdout)
        before = self.contents()
        self.shelf.rename(self.lighter / "Bells")
        told = {Path(path).name: count for path, count in self.run_json(*look, status=1)["not_understood"].items()}
        now = self.contents()
        changed = {kind for kind in now if now[kind] != before[kind]}
        self.assertEqual(told | {self.files[kind].name: 4 for kind in changed}, dict.fromkeys(
            (path.name for path in self.files.values()), 4))  # fmt: skip
        self.assertNotIn(b"..", b"".join(self.contents().values()))
        for kind, path in self.files.items():
            path.write_bytes(before[kind])
        os.symlink(self.lighter / "Bells", self.shelf)
        self.assertIn("found no file that lists sounds that are gone", self.run_program(*look, status=None).stdout)

    def test_what_is_around_them_is_taken_away(self):
        """Cells, packed parts, UTF-16, elements that are names, addresses in others, words before a path."""
        paths = [str(self.shelf / name) for name in SOUNDS]
        parts = [list(Path(path).parts[1:]) for path in paths]
        written = {
            "packed.bin": b"SET1\0\0" + zlib.compress(json.dumps(parts).encode()) + b"END.",
            "wide.json": json.dumps(parts, ensure_ascii=False).encode("utf-16"),
            "names.xml": b"<all>%b</all>" % "".join(
                f"<one>{''.join(f'<at>{part}</at>' for part in one)}</one>" for one in parts).encode(),
            "twice.json": json.dumps(["open?u=" + quote("file://" + quote(path), safe="") for path in paths]).encode(),
            "play.sh": "".join("play {}\n".format(path.replace(" ", "\\ ")) for path in paths).encode(),
            "old.pickle": pickle.dumps(paths[:3], 0),
        }  # fmt: skip
        for name, content in written.items():
            (self.programs / name).write_bytes(content)
        with closing(sqlite3.connect(self.programs / "cells.db")) as made:
            made.execute("CREATE TABLE sound (said TEXT, packed BLOB)")
            packed = zlib.compress(json.dumps(parts[2:]).encode())
            made.executemany(
                "INSERT INTO sound VALUES (?, ?)", [(json.dumps(parts[0]), None), (json.dumps(parts[1]), packed)]
            )
            made.commit()
        self.shelf.rename(self.lighter / "Bells")
        for name in (*written, "cells.db"):
            with self.subTest(name):
                found = set(lost_texts(str(self.programs / name)).sounds())
                self.assertEqual(found, set(paths[:3] if name == "old.pickle" else paths))

    def test_what_is_written_as_a_path_too_counts_wherever_it_may_be(self):
        """Names that make the same path beside it are no reason to leave it out."""
        path = self.programs / "both.json"
        place = f"{self.shelf}/never.wav"
        path.write_text(json.dumps({"root": str(self.shelf), "file": "never.wav", "path": place}))
        found = lost_texts(str(path))
        found.forget_nested()  # as it is where no name tells that they are those of sounds
        self.assertEqual(list(found.sounds()), [place])

    def test_a_map_that_leads_there_and_cannot_write_it_says_why(self):
        path = self.files["children"]
        self.run_program("learn", path, "--against", self.shelf, "--keep")
        before = path.read_bytes()
        self.shelf.rename(self.lighter / "Bells")
        done = self.run_program("mend", "--in", self.lighter, "--ledger", path, "--by-name", "--yes", status=1)
        self.assertIn("children.json cannot be mended so", done.stdout)
        self.assertIn("Nothing was changed", done.stdout)
        self.assertEqual(path.read_bytes(), before)

    def test_names_that_are_those_of_no_sound_here_raise_no_alarm(self):
        """A program's own sounds lie in the program, beside a path of something else."""
        for path in self.files.values():
            path.unlink()
        (self.programs / "alerts.json").write_text(f'{{"home": "{self.programs}", "alerts": [{{"file": "ding.mp3"}}]}}')
        done = self.run_program("mend", "--in", self.lighter, "--yes", status=None)
        self.assertIn("found no file that lists sounds that are gone", done.stdout)

    def test_a_part_of_a_folder_whose_sounds_are_named_beside_it_is_held_back(self):
        session, sounds = self.session()
        words = ("move", self.shelf / "low", "--to", self.lighter / "Sounds", "--yes")
        self.assertIn("session.json", self.run_program(*words, "--only", sounds[0], status=3).stderr)
        self.run_program(*words)
        now = json.loads(session.read_text())
        self.assertEqual((now["hits"], Path(now["root"], sounds[0]).is_file()), (sounds, True))

    def test_what_was_left_on_purpose_is_told_and_needs_nobody(self):
        session, sounds = self.session("gone.wav")
        words = ("move", self.shelf / "low", "--to", self.lighter / "Sounds", "--only", sounds[0])
        done = self.run_json(*words, "--ignore", session, "--yes")
        self.assertEqual((done["check"]["ok"], done["check"]["left_on_purpose"]), (True, 1))
        self.assertEqual({one["standing"] for one in done["check"]["left"]}, {"left on purpose"})
        said = self.run_program("check").stdout
        told = "2 of 4 entries work; 1 was already broken before the trip; 1 was left on purpose and does not work."
        self.assertIn(told, said)
        self.assertIn("1 file still points to the old place, as you allowed", said)
        self.assertNotIn("Everything that worked before works now", said)
        (self.shelf / "low" / sounds[1]).unlink()  # which is another matter
        self.assertFalse(self.run_json("check", status=1)["ok"])

    def test_what_was_broken_before_in_what_is_left_stays_so(self):
        path = self.files["children"]
        for other in self.files.values():
            other.unlink()
        path.write_bytes(document("children", str(self.shelf), [*SOUNDS, "low/gone.wav"]))
        done = self.run_json("move", self.shelf, "--to", self.lighter, "--ignore", path, "--yes")
        self.assertEqual((done["check"]["ok"], done["check"]["broken_before"]["missing"]), (True, 1))

    def test_a_move_is_held_back_and_no_name_becomes_a_path(self):
        before = self.contents()
        words = ("move", self.shelf, "--to", self.lighter / "Sounds", "--yes")
        done = self.run_program(*words, status=3)
        for kind, path in self.files.items():
            self.assertTrue(kind == "root" or path.name in done.stderr, done.stderr)
        self.run_program(*words, "--signpost")
        self.assertEqual({kind for kind, now in self.contents().items() if now != before[kind]}, {"root"})
        self.assertNotIn(b"..", self.contents()["root"])
        self.run_program("check")
        self.assertTrue(Path(self.shelf, SOUNDS[0]).is_file())


if __name__ == "__main__":
    unittest.main()
