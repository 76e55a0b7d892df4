"""Archives of every kind, with what comes in them."""

import os
import tarfile
import zipfile

from tests.world import WorldCase, wav


class ArchiveCase(WorldCase):
    def setUp(self):
        super().setUp()
        self.downloads = self.keel / "Downloads"
        self.downloads.mkdir()
        self.made = self.top / "made" / "Bêlls"
        for number, name in enumerate(["low/C1.wav", "high/Été 50%.wav", "high/x.wav"]):
            wav(self.made / name, number)
        (self.made / "set.m3u8").write_text("low/C1.wav\nhigh/Été 50%.wav\n")
        (self.made / "bell.sfz").write_text("<region> sample=high/x.wav\n")
        os.utime(self.made / "low" / "C1.wav", (1_700_000_000, 1_700_000_000))
        self.place = self.lighter / "Packs" / "Bêlls"

    def pack(self, kind, name="pack", packing=zipfile.ZIP_DEFLATED):
        """An archive of what was made."""
        path = self.downloads / f"{name}.{kind}"
        if kind == "zip":
            with zipfile.ZipFile(path, "w", packing) as archive:
                for file in sorted(self.made.rglob("*")):
                    archive.write(file, file.relative_to(self.made.parent))
                archive.writestr("__MACOSX/Bêlls/._x.wav", "x")
        else:
            with tarfile.open(path, f"w:{kind[4:]}") as archive:
                archive.add(self.made, "Bêlls")
        return path

    def members(self, *members, name="odd.zip"):
        """A zip of members of these names."""
        path = self.downloads / name
        with zipfile.ZipFile(path, "w") as archive:
            for member in members:
                archive.writestr(member, "x" * 100)
        return path

    def unpack(self, path, *more, status=0):
        return self.run_json("move", path, "--to", self.lighter / "Packs", *more, "--yes", status=status)
