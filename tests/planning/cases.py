"""A studio whose programs list folders."""

import json

from saltcart.standins import player, workstation
from tests.world import PLAYER_MAP, WorldCase, wav


class FolderCase(WorldCase):
    def setUp(self):
        super().setUp()
        self.desk, self.more = self.keel / "desk", self.lighter / "More"
        for path in (self.shelf / "low" / "C1.wav", self.more / "low" / "B0.wav"):
            wav(path)
        self.desk.mkdir()
        self.settings, self.library = self.desk / "settings.json", str(self.desk / "library.db")
        workstation.write_settings(str(self.desk), [str(self.shelf)])
        workstation.write_session(str(self.desk / "a.passage"), str(self.desk), [{"find": "low/C1.wav"}])
        workstation.write_index(str(self.desk), [])
        sessions, settings = self.top / "finds.toml", self.top / "settings.toml"
        settings.write_text(
            PLAYER_MAP.with_name("settings.toml").read_text()
            + '\n[[entries]]\nat = "recordings"\nspelling = "native"\nnames = "folder"\nmeans = "default"\n'
        )
        sessions.write_text(
            PLAYER_MAP.with_name("sessions.toml")
            .read_text()
            .replace("[recognise]", f'content = {{ file = "settings.json", map = "{settings}" }}\n\n[recognise]')
            + '\n[[entries]]\nat = "session/clip/@find"\nspelling = "content"\n'
        )
        player.create(self.library)
        player.add_folder(self.library, str(self.shelf))
        maps = [str(sessions), str(settings), str(PLAYER_MAP)]
        ledgers = [{"path": str(path)} for path in (self.settings, self.desk / "a.passage", self.library)]
        (self.top / "cart.toml").write_text(
            f"maps = {json.dumps(maps)}\n" + "".join(f'[[ledger]]\npath = "{one["path"]}"\n' for one in ledgers)
        )

    def lost(self):
        """What the workstation does not find."""
        return [path for path, why in workstation.play_all(str(self.desk)) if why]

    def write(self, **more):
        """Write the settings again, with more in them."""
        self.settings.write_text(json.dumps(json.loads(self.settings.read_text()) | more, indent="\t"))

    def folders(self, *words, status=0):
        return self.run_json("folders", *words, status=status)
