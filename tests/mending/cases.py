"""A studio out of which sounds are dragged."""

import os
from pathlib import Path

from saltcart.standins import player
from tests.world import PLAYER_MAP, WorldCase, cells, noise

NAMES = ["low/C1.wav", "low/D1 #2.wav", "high/Été 50%.wav", "high/it's & all.wav", "Ünder/Ko\u0308rper.wav"]


class MendCase(WorldCase):
    def setUp(self):
        WorldCase.setUp(self)
        for number, name in enumerate(NAMES):
            self.sound(self.shelf / name, number)
        lists = self.keel / "lists"
        lists.mkdir()
        self.full, self.near, self.library = lists / "full.m3u8", lists / "near.m3u8", str(lists / "library.db")
        self.full.write_text("#EXTM3U\r\n" + "".join(f"#EXTINF:1,t\r\n{self.shelf / name}\r\n" for name in NAMES))
        self.near.write_text("".join(f"../Sounds/Bell Tones/{name}\n" for name in NAMES[:3]))
        player.create(self.library)
        player.add_folder(self.library, str(self.shelf))
        rows = [
            (str(self.shelf / name), f"t{number}", "a", self.seconds(number), number, number * 3, None)
            for number, name in enumerate(NAMES)
        ]
        player.add_tracks(self.library, rows)
        ledgers = "".join(f'[[ledger]]\npath = "{path}"\n' for path in (self.full, self.near, self.library))
        (self.top / "cart.toml").write_text(f'maps = ["{PLAYER_MAP}"]\nplaces = ["{self.lighter}"]\n{ledgers}')

    @staticmethod
    def seconds(number):
        return 0.5 + number / 10

    def sound(self, path, number):
        """A sound of which no other has the length."""
        noise(path, round(8000 * self.seconds(number)), number, 8000)

    def state(self):
        """The bytes of every ledger."""
        return [Path(path).read_bytes() for path in (self.full, self.near, self.library)]

    def mend(self, *words, status=0):
        return self.run_json("mend", *words, status=status)

    def assert_mended(self, place, done, before):
        """Everything is named at `place` now, nothing else differs, and it can be taken back to the byte."""
        self.assertEqual((done["state"], done["check"]["ok"], done["files"]), ("switched", True, 0))
        self.assertEqual([why for _path, why in player.play_all(self.library) if why], [])
        self.assertEqual(self.full.read_bytes(), before[0].replace(os.fsencode(self.shelf), os.fsencode(place)))
        lines = self.near.read_text().split("\n")[:-1]
        found = [os.path.normpath(self.near.parent / line) for line in lines]
        self.assertEqual(found, [str(place / name) for name in NAMES[:3]])
        self.assertFalse(any(line.startswith("/") for line in lines))
        rows = cells(self.library)["tracks"]
        self.assertEqual([row[5:7] for row in sorted(rows)], [(number, number * 3) for number in range(5)])
        self.run_program("undo", done["trip"], "--yes")
        self.assertEqual(self.state(), before)
