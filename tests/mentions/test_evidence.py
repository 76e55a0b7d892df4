"""What is passed over, and what is an old record, is told by evidence: not by names, nor by a few first bytes."""

import struct
import unittest
import zlib
from pathlib import Path

from saltcart.mentions.file_types import TYPES, holds_no_references
from saltcart.mentions.history import is_log
from tests.world import WorldCase, wav

PNG = b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR" + struct.pack(">IIBBBBB", 4, 4, 8, 2, 0, 0, 0)
REAL = {
    "png": PNG + struct.pack(">I", zlib.crc32(PNG[12:])),
    "jpeg": b"\xff\xd8\xff\xe0\0\x10JFIF\0\1\1\0\0\1\0\1\0\0\xff\xdb\0\x43" + bytes(80),
    "gif": b"GIF89a\x04\0\x04\0\x80\0\0" + bytes(20),
    "elf": b"\x7fELF\2\1\1" + bytes(9) + struct.pack("<HHI", 2, 62, 1) + bytes(28) + struct.pack("<H", 64) + bytes(40),
    "pe": b"MZ" + bytes(58) + struct.pack("<I", 128) + bytes(64) + b"PE\0\0" + bytes(40),
    "ogg": b"OggS\0\2" + bytes(12 + 4 + 4 + 1) + b"\x1e\x01vorbis" + bytes(40),
    "flac": b"fLaC\0\0\0\x22" + bytes(40),
    "id3": b"ID3\4\0\0\0\0\0\x20TIT2" + bytes(60),
    "mp4": b"\0\0\0\x18ftypisom\0\0\2\0isomiso2\0\0\0\x08free" + bytes(40),
    "pdf": b"%PDF-1.4\n%\xe2\xe3\n1 0 obj\n",
    "woff": b"wOFF\0\1\0\0" + struct.pack(">I", 48) + bytes(36),
    "ttf": b"\0\1\0\0" + struct.pack(">HHHH", 4, 64, 2, 0) + b"cmap" + struct.pack(">III", 0, 76, 20) + bytes(80),
    "class": b"\xca\xfe\xba\xbe\0\0\0\x34" + bytes(40),
}
LOGS = (
    "2026-11-01 22:10:01 opened {}\n2026-11-01 22:10:05 closed {}\n2026-11-02 09:00:00 opened {}\n",
    "[2026-11-01T22:10:01.123] INFO opened {}\n[2026-11-01T22:10:02.000] INFO x {}\n[2026-11-01T22:10:03.9] WARN {}\n",
    "Nov  1 22:10:01 petrel player: {}\nNov  1 22:10:02 petrel player: {}\nNov  1 22:10:03 petrel player: {}\n",
    "ERROR 2026/11/01 22:10:01 no such file {}\n  at line 3\nINFO 2026/11/01 22:10:02 {}\nINFO 2026/11/01 22:10:03 -\n",
    "[    1.000123] open {}\n[    1.100123] read {}\n[    2.000000] close {}\n",
    "1762035001 {}\n1762035002 {}\n1762035003 {}\n",
)
NO_LOGS = (
    "clip={}\nclip={}\nclip={}\n",
    "opened {}\nopened {}\nopened {}\n",
    "2026-11-01 22:10:01\nclip={}\nclip={}\nclip={}\n",
    "[pad 1]\nwave={}\n[pad 2]\nwave={}\n",
    "2026 {}\n2027 {}\n2028 {}\n",
)


class Types(unittest.TestCase):
    def test_real_headers_are_known(self):
        for name, head in REAL.items():
            with self.subTest(name):
                self.assertTrue(holds_no_references(head, len(head)))

    def test_a_few_first_bytes_prove_nothing(self):
        """Each beginning, with paths behind it in place of the rest of the header."""
        for magic, _parses in TYPES:
            for rest in (b"/keel/Sounds/Kits/kick 1.wav\0" * 40, b" kit 1\0/keel/Sounds/a.wav\0", b"", bytes(600)):
                with self.subTest(magic=magic, rest=rest[:12]):
                    self.assertFalse(holds_no_references(magic + rest, len(magic + rest)))

    def test_every_type_has_its_example(self):
        self.assertEqual({magic for magic, _parses in TYPES if not any(h.startswith(magic) for h in REAL.values())},
                         {b"\0\0\0\x20ftyp", b"OTTO"})  # fmt: skip

    def test_a_log_is_told_by_its_form(self):
        for text in LOGS:
            with self.subTest(text[:20]):
                self.assertTrue(is_log(text.replace("{}", "/keel/a.wav").encode()))
        for text in NO_LOGS:
            with self.subTest(text[:20]):
                self.assertFalse(is_log(text.replace("{}", "/keel/a.wav").encode()))


class Passed(WorldCase):
    def setUp(self):
        super().setUp()
        for number in range(3):
            wav(self.shelf / f"kick {number}.wav", number)
        self.paths = [str(path) for path in sorted(self.shelf.glob("*.wav"))]
        self.desk = self.top / "user" / "desk"
        self.desk.mkdir(parents=True)

    def draft(self, status, *more):
        """The files that still name the shelf after the trip, by their names."""
        self.number = getattr(self, "number", 0) + 1
        words = ("draft", self.shelf, "--to", self.lighter, "-o", self.top / f"{self.number}.toml", *more)
        account = self.run_json(*words, status=status)["account"]
        return {Path(one["path"]).name: one["standing"] for one in account["mentions"]}

    def test_files_called_like_logs_and_files_that_begin_like_something(self):
        raw = b"".join(path.encode() + b"\0" for path in self.paths)
        names = ("Crash 1.rack", "Log Drum.rack", "recent_loops.rack", "History of House.kit", "error.log")
        for name in names:
            (self.desk / name).write_bytes(b"RACK\0\0" + raw)
        for number, magic in enumerate((b"\0\1\0\0", b"MZ kit\0", b"ID3 kit\0", b"\x89PNG kit\0", b"%PDF of mine\0")):
            (self.desk / f"{number}.rack").write_bytes(magic + raw)
        found = self.draft(1)
        self.assertEqual(sorted(found), sorted([*names, *(f"{number}.rack" for number in range(5))]))
        self.assertEqual(set(found.values()), {"not read"})

    def test_a_log_is_an_old_record_whatever_it_is_called(self):
        (self.desk / "what happened.txt").write_text(LOGS[0].format(*self.paths))
        self.assertEqual(self.draft(0), {"what happened.txt": "history"})

    def test_other_drives_are_searched(self):
        """The one that things move to, one that was met before, and one that is declared; not one for backups."""
        crate, vault = self.drive("crate"), self.drive("vault")
        for drive in (self.lighter, crate, vault):
            (drive / "Projects").mkdir()
            (drive / "Projects" / f"{drive.name}.song").write_bytes(b"SONG\0\0" + self.paths[0].encode() + b"\0")
        wav(crate / "Other" / "x.wav", 9)
        for drive in (crate, vault):
            self.run_program("move", crate / "Other", "--to", drive / f"to {drive.name}", "--no-search", "--yes")
            self.run_program("undo", "--yes", "--drop-copies")
        (self.top / "user" / "cart.toml").write_text(
            '[[drive]]\nname = "vault"\nidentity = "marker:test-vault"\nrole = "backup"\n'
        )
        found = self.draft(1, "--cart", self.top / "user" / "cart.toml")
        self.assertEqual(sorted(found), ["crate.song", "lighter.song"])

    def test_what_a_collection_holds_is_left_to_itself(self):
        """One that this computer made: a file that anybody can write hides nothing, not even where it says ours."""
        listed = self.top / "user" / "set.m3u8"
        listed.write_text("\n".join(self.paths) + "\n")
        booth = self.lighter / "Booth"
        self.run_program("carry", self.shelf, "--to", booth, "--ledger", listed, "--no-search", "--yes")
        (booth / "home.m3u8").write_text(self.paths[0] + "\n")
        self.assertNotIn("home.m3u8", self.draft(0))
        for number, record in enumerate((b"", (booth / "carried.toml").read_bytes())):
            strange = self.top / "user" / f"pack {number}"
            strange.mkdir()
            (strange / "carried.toml").write_bytes(record)
            (strange / f"hidden {number}.song").write_bytes(b"SONG\0\0" + self.paths[0].encode() + b"\0")
        self.assertLessEqual({"hidden 0.song", "hidden 1.song"}, set(self.draft(1)))
