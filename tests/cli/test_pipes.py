"""What is no file where a file is expected: a pipe waits for ever for whoever reads it, and a stick may hold one."""

import os
import subprocess

from tests.world import PROGRAM, WorldCase, wav


class Pipes(WorldCase):
    def setUp(self):
        super().setUp()
        wav(self.shelf / "one.wav", 1)
        self.list = self.top / "list.m3u8"
        self.list.write_text(f"{self.shelf}/one.wav\n")
        self.pipe = self.made(self.top / "pipe.toml")

    def made(self, path):
        """A pipe that nobody writes to."""
        path.parent.mkdir(parents=True, exist_ok=True)
        os.mkfifo(path)
        return path

    def ends(self, *words):
        """The command ends, with an answer and no traceback."""
        command = [PROGRAM, *map(str, words)]
        options = {"env": self.environment, "cwd": self.top, "stdin": subprocess.DEVNULL, "capture_output": True}
        done = subprocess.run(command, timeout=120, **options)
        said = (done.stdout + done.stderr).decode()
        self.assertIn(done.returncode, (1, 2, 3), said)
        self.assertNotRegex(said, "Traceback|Internal error")
        return said

    def test_given_by_a_person(self):
        for words in (
            ("learn", self.pipe),
            ("learn", self.pipe, "--against", self.shelf),
            ("ledgers", self.pipe),
            ("ledgers", self.list, "--map", self.pipe),
            ("check", "--ledger", self.pipe),
            ("check", "--ledger", self.list, "--cart", self.pipe),
            ("haul", self.pipe),
            ("mend", self.pipe),
            ("mend", "--ledger", self.pipe),
            ("move", "--from-list", self.pipe, "--to", self.lighter, "--dry-run"),
            ("move", self.pipe, "--to", self.lighter, "--dry-run"),
            ("tidy", "--into", self.pipe, "1"),
        ):
            with self.subTest(words):
                self.ends(*words)

    def test_on_a_stick(self):
        stick = self.lighter / "Stick"
        self.made(stick / "Bells.saltcart.b3")
        wav(stick / "Bells" / "one.wav", 1)
        self.made(stick / "Booth" / "carried.toml")
        self.made(stick / "Other" / ".saltcart-in-use")
        for words in (
            ("check", stick / "Bells", "--digests"),
            ("settle", stick / "Booth"),
            ("carry", self.shelf, "--to", stick / "Booth", "--no-search", self.top, "--yes"),
            ("carry", self.shelf, "--to", stick / "Other", "--no-search", self.top, "--yes"),
        ):
            with self.subTest(words):
                self.ends(*words)

    def test_a_manifest_of_one_endless_line(self):
        (self.lighter / "Bells.saltcart.b3").write_bytes(b"0" * (1 << 20))
        wav(self.lighter / "Bells" / "one.wav", 1)
        self.assertIn("is no line of digest and path", self.ends("check", self.lighter / "Bells", "--digests"))

    def test_a_file_that_looks_like_a_database_is_reported(self):
        broken = self.top / "broken.db"
        broken.write_bytes(b"SQLite format 3\0garbage")
        self.assertIn("cannot be read", self.ends("learn", broken))
