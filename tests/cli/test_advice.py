"""What the program says to type next works as it is printed, whatever the names."""

import shlex
import shutil
import subprocess

from saltcart.errors import typed
from tests.advice import printed, words
from tests.launcher import in_shells
from tests.world import WorldCase, wav

NAMES = [
    *("-Fog", "it's", 'say "ho"', "$HOME `id`", "a;b & c", "two\nlines", "ünï\udcff", "~", "~ana", "*?[x]"),
    *("back\\slash", "#1", "plain", "--json", "tab\there", "\x1b[0m", "'", "\\'\n"),
]
WORST = ("-it's $HOME", 'two\nlines "x" `id`;& \\', "~")


class Typed(WorldCase):
    def test_a_shell_reads_back_every_name(self):
        for name in NAMES:
            with self.subTest(name):
                word = words(f"saltcart haul {typed(name)}")[2]
                self.assertFalse(word.startswith(("-", "~")))
                self.assertEqual(word.removeprefix("./"), name)
                self.assertTrue(typed(name).isprintable())


class Advice(WorldCase):
    def type(self, command, status=0):
        """What a command prints that is typed into a shell as it was printed."""
        command = command.replace("saltcart", shlex.quote(f"{in_shells()}/saltcart"), 1)
        done = subprocess.run(
            ["bash", "-c", command], cwd=self.top, env=self.environment, stdin=subprocess.DEVNULL, capture_output=True
        )
        said = (done.stdout + done.stderr).decode()
        self.assertEqual(done.returncode, status, said)
        return said

    def follow(self, said, name, more="", status=0):
        """Type the printed command `name`, with `more` words."""
        self.assertIn(name, [one.split()[1] for one in printed(said)], said)
        command = next(one for one in printed(said) if one.split()[1] == name)
        return self.type(f"{command} {more}", status)

    def test_a_look_at_nothing_says_so_and_what_to_name(self):
        said = self.type("saltcart survey")
        self.assertIn("No folder of sounds was given", said)
        self.assertNotIn("Searched", said)
        wav(self.shelf / "a.wav", 1)
        self.assertIn("1 shelf, 1 file, ", self.type(f"saltcart survey {typed(str(self.shelf))}"))

    def test_a_whole_job_by_what_is_printed(self):
        for name in WORST:
            with self.subTest(name):
                shelf, plan = self.top / "keel" / "Odd" / name, f"{name}.toml"
                for number in range(3):
                    wav(shelf / f"{name}{number}.wav", number)
                said = self.type(
                    f"saltcart draft {typed(str(shelf))} --to {typed(str(self.lighter / name))} --no-search -o"
                    f" {typed(plan)}"
                )
                said = self.follow(said, "haul")
                said = self.follow(said, "repoint", "--yes")
                said = self.follow(said, "check")
                said = self.follow(said, "release", "--yes --own")
                self.assertEqual(len(list((self.lighter / name).rglob("*.wav"))), 3)
                shutil.rmtree(self.lighter / name)

    def test_a_collection_by_what_is_printed(self):
        for name in WORST[:2]:
            with self.subTest(name):
                folder, place = self.top / "keel" / "Lists" / name, self.lighter / "Booth" / name
                wav(folder / "1.wav", 1)
                (folder / "list.m3u8").write_text("1.wav\n")
                self.type(f"saltcart carry {typed(str(folder))} --to {typed(str(place))} --yes")
                said = self.run_program("settle", place).stdout
                self.assertEqual(len(printed(said)), 3, said)
                for command in printed(said):
                    self.type(f"{command} --dry-run")

    def test_lost_sounds_by_what_is_printed(self):
        for name in WORST[::2]:
            with self.subTest(name):
                old, new = self.top / "keel" / "Old" / name[-5:], self.top / "keel" / "New" / name
                wav(new / "1.wav", 1)
                ledger = self.top / f"{name}.m3u8"
                ledger.write_text(f"{old}/1.wav\n")
                said = self.run_program("survey", self.top / "keel", "--ledger", ledger, status=None).stdout
                self.follow(said, "check", status=1)
                words = f"--ledger {typed(str(ledger))} --in {typed(str(new))} --by-name --plan {typed(name)}"
                self.follow(self.type(f"saltcart mend {words}"), "mend", "--yes")
                self.assertEqual(ledger.read_text(), f"{new}/1.wav\n")
