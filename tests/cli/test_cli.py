"""The face of the program: documents, statuses, terminal habits, and that everything is documented."""

import json
import os
import pty
import re
import select
import shutil
import signal
import subprocess
import sys
import time
import unittest
from pathlib import Path

import saltcart
from saltcart.cli.completion import SHELLS
from saltcart.cli.parser import COMMANDS, build
from tests.launcher import launch
from tests.world import PROGRAM, WORDS, WorldCase, tree, wav

ROOT = Path(__file__).parents[2]
TRIP_KEYS = {"trip", "state", "shelves", "ledgers", "files", "bytes"}


class Documents(WorldCase):
    def test_each_command_prints_one_document_with_the_keys_of_the_design(self):
        self.furnish()
        waybill = str(self.top / "w.toml")
        survey = self.run_json("survey", str(self.keel), "--map", str(self.keel / "none.toml"), status=2)
        self.assertEqual(survey["status"], 2)
        survey = self.run_json("survey", str(self.keel), status=1)
        self.assertLessEqual({"shelves", "ledgers", "totals"}, set(survey))
        self.assertEqual([shelf["name"] for shelf in survey["shelves"]], ["Bell Tones", "Bell Tones Extra"])
        self.assertLessEqual(
            {"name", "path", "care", "files", "bytes", "disk_bytes", "audio_files", "kinds"}, set(survey["shelves"][0])
        )
        self.assertEqual(survey["totals"]["entries"]["missing"], 1)
        checked = self.run_json("check", "--ledger", self.ledgers[0], status=1)
        self.assertEqual(
            [
                (problem["where"], problem["verdict"], problem["before"])
                for problem in checked["ledgers"][0]["problems"]
            ],
            [("line 5", "missing", None)],
        )
        draft = self.run_json("draft", *self.plan_words("-o", waybill))
        self.assertLessEqual(TRIP_KEYS, set(draft))
        trip = self.run_json("haul", waybill)["trip"]
        for command, *more in (("repoint",), ("release", "--own")):
            document = self.run_json(command, trip, "--yes", *more)
            self.assertLessEqual(TRIP_KEYS, set(document))
            self.assertEqual((document["trip"], document["files"]), (trip, 6))
            checked = self.run_json("check", trip)
            self.assertLessEqual({"ok", "entries", "ledgers"}, set(checked))
            self.assertTrue(checked["ok"])
            problem = checked["ledgers"][0]["problems"][0]
            self.assertEqual((problem["verdict"], problem["before"]), ("missing", "missing"))
            self.assertEqual(problem["resolved"], str(self.new / "gone.wav"))
        history = self.run_json("trips")["trips"][0]
        self.assertLessEqual(
            {"trip", "state", "started", "finished", "shelves", "files", "bytes", "freed_bytes"}, set(history)
        )
        self.assertTrue(self.run_json("trips", trip)["trips"][0]["log"])

    def test_quiet_and_plain_output(self):
        self.furnish()
        done = self.run_program("move", *self.plan_words("--yes", "--quiet"))
        self.assertEqual(done.stdout + done.stderr, "")
        done = self.run_program("check")
        self.assertNotIn("\x1b", done.stdout)
        self.assertIn("1 was already broken before the trip", done.stdout)

    def test_a_question_on_a_terminal(self):
        self.furnish()
        before = tree(self.keel)
        for answer, status in ((b"n\n", 2), (b"l\ny\n", 0)):
            main, side = pty.openpty()
            child = subprocess.Popen(
                [PROGRAM, "move", *self.plan_words()],
                stdin=side,
                stdout=side,
                stderr=side,
                env=self.environment,
                cwd=self.top,
            )
            os.close(side)
            os.write(main, answer)
            text = b""
            while child.poll() is None or select.select([main], [], [], 0)[0]:
                try:
                    text += os.read(main, 65536)
                except OSError:
                    break
            os.close(main)
            self.assertEqual(child.wait(), status, text.decode())
            self.assertIn(b"[y/N", text)
            self.assertEqual(b"Every file that refers to these sounds" in text, status == 0)
            self.assertEqual(tree(self.keel) == before, status == 2)

    def test_no_control_character_reaches_a_terminal(self):
        """Names may hold any: they are shown escaped, for people and in documents."""
        odd = self.keel / "Sounds" / "a\x1b[31m\x07\x7f\x9b.wav"
        wav(odd, 3)
        (self.keel / "list.m3u8").write_text(f"{odd}\n")
        for words in (("survey", self.keel), ("survey", self.keel, "--json"), ("ledgers", self.keel / "list.m3u8"),
                      ("ledgers", self.keel / "list.m3u8", "--json"), ("check", "--ledger", self.keel / "list.m3u8"),
                      ("move", odd, "--to", self.lighter, "--yes")):  # fmt: skip
            with self.subTest(words):
                done = self.run_program(*words, status=None)
                shown = set(done.stdout + done.stderr)
                self.assertFalse(shown & set("\x1b\x07\x7f\x9b"), words)

    def test_interrupted(self):
        self.furnish()
        child = (
            subprocess.Popen(
                [
                    sys.executable,
                    "-c",
                    (
                        "import time, saltcart.hauling.shelf_copy as h, saltcart.cli.main as m\n"
                        "assert h.finish_group\n"
                        "h.finish_group = lambda *a: (print('ready', flush=True), time.sleep(300))\n"
                        "raise SystemExit(m.main())"
                    ),
                    "haul",
                    "w.toml",
                ],
                env=self.environment,
                cwd=self.top,
                stdout=subprocess.PIPE,
                stderr=subprocess.PIPE,
            )
            if self.run_program("draft", *self.plan_words("-o", "w.toml"))
            else None
        )
        child.stdout.readline()
        began = time.monotonic()
        child.terminate()
        _out, err = child.communicate()
        self.assertLess(time.monotonic() - began, 60)
        self.assertEqual(child.returncode, 4)
        self.assertIn(b"Run the same command again", err)
        self.run_program("haul", "w.toml")

    def test_a_trip_that_was_cut_off_is_told_by_whatever_is_typed_next(self):
        self.furnish()
        self.run_program("draft", *self.plan_words("-o", "w.toml"))
        code = (
            "import os, saltcart.hauling.shelf_copy as h, saltcart.cli.main as m\n"
            "assert h.finish_group; h.finish_group = lambda *a: os._exit(9)\nm.main(['haul', 'w.toml'])"
        )
        subprocess.run([sys.executable, "-c", code], env=self.environment, cwd=self.top, capture_output=True)
        told = "was interrupted while hauling. Continue with: saltcart haul"
        for words in (("ledgers",), ("survey", self.shelf)):
            self.assertIn(told, self.run_program(*words, status=None).stderr)
        wav(self.keel / "Other" / "a.wav")
        words = ("move", self.keel / "Other", "--to", self.lighter, "--no-search", "--yes")
        self.assertIn(told, self.run_program(*words).stderr)  # once it is done, for it may have been that trip
        self.trip = next(one["trip"] for one in self.run_json("trips")["trips"] if one["state"] == "hauling")
        self.run_program("trips", self.trip, "--forget", "--yes", status=3)
        self.run_program("haul", "w.toml")
        self.assertEqual(self.run_program("ledgers").stderr, "")
        self.run_program("undo", self.trip, "--yes", "--drop-copies")
        self.assertIn("forgotten", self.run_program("trips", self.trip, "--forget", "--yes").stdout)
        self.assertNotIn(self.trip, self.trip_ids())

    def trip_ids(self):
        return [one["trip"] for one in self.run_json("trips")["trips"]]

    def test_an_interrupt_while_modules_load(self):
        """From the first instruction of ours on: one line and 4, never a traceback."""
        code = (
            "import _signal, saltcart.cli.main as m\nreal = _signal.signal\n"
            "def first(*words): real(*words); _signal.signal = real; print(flush=True)\n"
            "_signal.signal = first\nraise SystemExit(m.main(['survey', '.']))"
        )
        pipes = {"stdout": subprocess.PIPE, "stderr": subprocess.PIPE}
        for delay in (0.002, 0.01, 0.03, 0.06, 0.1, 0.2):
            with subprocess.Popen(
                [sys.executable, "-c", code], env=self.environment, cwd=self.top, text=True, **pipes
            ) as child:
                child.stdout.readline()
                time.sleep(delay)
                child.send_signal(signal.SIGINT)
                rest = child.stderr.read()
            self.assertNotIn("Traceback", rest)
            # The last: the work was done, and the interpreter on its way out, with the system's own handlers again.
            self.assertIn(child.returncode, (0, 1, 4, -signal.SIGINT), rest)

    def test_what_a_shell_may_fill_in(self):
        self.furnish()
        name = self.run_json("move", *self.plan_words("--yes"))["trip"]
        self.run_program("drives", self.lighter)
        for line, there, gone in (
            ("saltcart mo", {"move"}, {"check"}),
            ("saltcart draft --arr", {"--arrange"}, {"--json"}),
            ("saltcart undo ", {name, "--drop-copies"}, {"--arrange"}),
            ("saltcart survey lig", {"lighter"}, {"keel"}),
        ):
            for shell in SHELLS:
                with self.subTest(line, shell=shell):
                    found = self.filled_in(line, shell)
                    self.assertLessEqual(there, found)
                    self.assertTrue(gone.isdisjoint(found))

    def filled_in(self, line, shell):
        """What a shell is offered for a line, asked as its own script asks."""
        script = self.run_program("help", "--completion", shell).stdout
        self.assertIn("saltcart", script)
        asked = {"_ARGCOMPLETE": "1", "COMP_LINE": line, "COMP_POINT": str(len(line)), "_ARGCOMPLETE_IFS": "\n"}
        asked |= {"_ARGCOMPLETE_STDOUT_FILENAME": str(self.top / "answer"), "COMP_TYPE": "9"}
        for name in ("_ARGCOMPLETE_SHELL", "ARGCOMPLETE_USE_TEMPFILES", "_ARGCOMPLETE_SUPPRESS_SPACE"):
            if value := re.search(rf"{name} ?=? ?['\"]?(\w+)", script):
                asked[name] = value[1]
        subprocess.run([PROGRAM], env=self.environment | asked, cwd=self.top, check=True, timeout=60)
        words = (self.top / "answer").read_text().split("\n")
        return {re.split(r"\t|:", word)[0].strip("/ ") for word in words}  # behind these it says what each is

    def test_the_page_for_man_has_every_command_and_option(self):
        page = self.run_program("help", "--man").stdout
        for name in COMMANDS:
            section = page.split(f".SS saltcart {name}\n")[1].split("\n.S")[0]
            for action in build(name).chosen._actions[1:]:
                for option in action.option_strings:
                    self.assertIn(option.replace("-", "\\-"), section, name)
        if shutil.which("groff"):
            done = subprocess.run(["groff", "-man", "-ww", "-Tutf8"], input=page.encode(), capture_output=True)
            self.assertEqual((done.returncode, done.stderr), (0, b""))


class Pages(WorldCase):
    def test_pages_come_with_the_program_and_no_message_points_elsewhere(self):
        told = self.run_json("help")
        for name in told["pages"]:
            text = (ROOT / "docs" / f"{name}.md").read_text("utf-8")
            self.assertEqual(self.run_program("help", name).stdout.strip(), text.strip())
        said = "".join(path.read_text("utf-8") for path in (ROOT / "src" / "saltcart").rglob("*.py"))
        known = {*told["pages"], *told["commands"], "COMMAND", "lists", "shows"}
        self.assertLessEqual(set(re.findall(r"saltcart help (\w+)", said)), known)
        self.assertEqual(re.findall(r"docs/[a-z]+\.md", said), [])


class DryRuns(WorldCase):
    def test_a_dry_run_shows_what_it_would_do_and_changes_nothing(self):
        self.furnish()
        before = tree(self.top, "home")
        words = ("move", self.shelf, "--to", self.lighter / "Sounds", "--no-search", "--ledger", self.ledgers[0])
        self.assertIn("Dry run: nothing was changed", self.run_program(*words, "--dry-run").stdout)
        self.assertEqual(tree(self.top, "home"), before)
        self.run_program(*words, "--yes", status=None)
        moved = tree(self.top, "home")
        for command in (
            ("undo",),
            ("release", "--own"),
            ("carry", self.lighter / "Sounds", "--to", self.lighter / "C"),
        ):
            with self.subTest(command[0]):
                self.assertIn("Dry run", self.run_program(*command, "--dry-run", "--yes").stdout)
                self.assertEqual(tree(self.top, "home"), moved)


def ran(*words):
    """The program run to its end with these words."""
    return launch([*WORDS, *words], dict(os.environ), str(ROOT))


class Structure(unittest.TestCase):
    def test_every_command_is_in_the_manual_and_its_options_too(self):
        manual = (ROOT / "docs" / "manual.md").read_text()
        for name in COMMANDS:
            usage = ran(name, "--help").stdout
            section = manual.split(f"\n## {name}\n")[1].split("\n## ")[0]
            for option in set(re.findall(r"--[a-z-]+", usage)) - {"--help", "--json", "--quiet", "--wide"}:
                self.assertIn(option, section, name)

    def test_the_library_offers_the_steps(self):
        for name in dir(saltcart):
            self.assertIsNotNone(getattr(saltcart, name))
        self.assertEqual(
            subprocess.check_output([PROGRAM, "--version"], text=True), f"saltcart {saltcart.__version__}\n"
        )

    def test_wrong_words_are_told_with_what_was_perhaps_meant(self):
        cases = {
            ("fly",): 'no command "fly"',
            ("mov", "x"): 'Did you mean "move"',
            ("status",): '"trips"',
            ("move",): "move needs --to",
            ("haul",): "haul needs WAYBILL|TRIP",
            ("release", "--yess"): 'Did you mean "--yes"',
            ("tidy", "--older-than", "x"): "saltcart help tidy",
            ("help", "fly"): 'no command or page "fly"',
            ("check", "one", "two"): '"two" is not known to check',
        }
        for words, said in cases.items():
            with self.subTest(words):
                done = ran(*words)
                self.assertEqual(done.returncode, 2)
                self.assertIn(said, done.stderr)
                self.assertIn("  -> ", done.stderr)
                if words[0] in ("fly", "move"):
                    done = ran(*words, "--json")
                    self.assertEqual(json.loads(done.stdout)["status"], 2)

    def test_help_tells_the_words_and_every_command(self):
        whole = ran().stdout
        self.assertEqual(whole, ran("help").stdout)
        for name in (*COMMANDS, "signpost", "set aside"):
            self.assertRegex(whole, rf"(?m)^ *{name} ")
        one = ran("help", "settle").stdout
        self.assertIn("--in-place", one)
