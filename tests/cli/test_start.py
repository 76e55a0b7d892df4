"""A person sets up for the first time, in a terminal: few questions, and each answer counts."""

import os
import pty
import re
import shutil
import subprocess
import tomllib

from saltcart.standins import player, sampler, workstation
from tests.world import PROGRAM, WorldCase, build_studio

MOST_QUESTIONS = 6


class Start(WorldCase):
    def setUp(self):
        super().setUp()
        self.studio = self.top / "petrel"
        build_studio(self.studio)
        (self.studio / "cart.toml").unlink()
        shutil.rmtree(self.studio / "maps")
        self.environment |= {"HOME": str(self.studio), "XDG_CONFIG_HOME": str(self.top / "config"), "TERM": "dumb"}

    def talk(self, *answers, status=(0,)):
        """What the program says in a terminal to a person with these answers, who types Enter after the last of them;
        and how many questions it asked.
        """
        near, far = pty.openpty()
        with subprocess.Popen(
            [PROGRAM, "start"], stdin=far, stdout=far, stderr=far, env=self.environment, cwd=self.studio
        ) as program:
            os.close(far)
            said, asked, seen = b"", 0, 0
            while True:
                try:
                    said += os.read(near, 65536)
                except OSError:  # which is how the end of a terminal shows
                    break
                if re.search(rb"\[[^\]\r\n]*\] (\x1b\[0m)?$", said[seen:]):
                    os.write(near, f"{answers[asked] if asked < len(answers) else ''}\n".encode())
                    asked, seen = asked + 1, len(said)
            os.close(near)
        text = said.decode()
        self.assertIn(program.returncode, status, text)
        return text, asked

    def cart(self):
        return tomllib.loads((self.top / "config/saltcart/cart.toml").read_text())

    def test_each_answer_counts(self):
        sessions = self.top / "Sessions"
        sessions.mkdir()
        text, asked = self.talk("keel", f"nowhere, {sessions}", str(sessions), "9", "1")
        self.assertLessEqual(asked, MOST_QUESTIONS + 2)  # two answers made no sense
        self.assertIn("there is no such folder", text)
        self.assertIn("Type numbers from 1 to 6", text)
        first = re.search(r"\b1 +keel/(\S+)", text)[1]
        ledgers = [one["path"] for one in self.cart()["ledger"]]
        self.assertEqual([one for one in ledgers if one.endswith(first)], [])
        self.assertEqual(self.cart()["places"], [str(sessions)])
        self.assertIn("Known now", text)
        for command in ("saltcart drives --for", "saltcart move", "saltcart check"):
            self.assertIn(command, text)

    def test_after_a_drag_it_goes_straight_to_the_repair(self):
        """And a no to it still leaves what was set up."""
        (self.studio / "lighter/Sounds/Dragged").mkdir(parents=True)
        shutil.move(self.studio / "keel/Sounds/Fog Voices", self.studio / "lighter/Sounds/Dragged/Fog Voices")
        text, asked = self.talk("keel, lighter", "", "", "n", status=(0, 1))
        self.assertIn("saltcart mend", text)
        self.assertLessEqual(asked, MOST_QUESTIONS)
        text, _asked = self.talk("keel, lighter", "", "", "y", "y", "y", "y", status=(0, 1))
        rows = [
            *player.play_all(str(self.studio / "keel/player/library.db")),
            *workstation.play_all(str(self.studio / "keel/workstation")),
            *sampler.play_all(str(self.studio / "keel/sampler/sampler.ini")),
        ]
        self.assertEqual([os.path.basename(path) for path, why in rows if why], ["07 Lost at Sea.flac"], text)
