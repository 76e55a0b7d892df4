"""Texts in old encodings: told by the names on disk, field by field, and written back in the same."""

import os
from pathlib import Path

from saltcart.ledgers.kinds import open_ledger
from tests.world import WorldCase, wav

# Encoding, and a name that can be written in it; the last three have bytes that mean something else in ASCII.
NAMES = (
    ("cp1252", "Größe Étude 50%.wav"),
    ("mac_roman", "Größe Été.wav"),
    ("cp1251", "Колокол ночью.wav"),
    ("cp1250", "Zvonění večer.wav"),
    ("koi8_r", "Туман.wav"),
    ("cp932", "表 ソロ 1.wav"),
    ("gb18030", "钟声 一.wav"),
    ("cp949", "종소리 둘.wav"),
)


class Legacy(WorldCase):
    def setUp(self):
        super().setUp()
        self.lists = self.keel / "lists"
        self.lists.mkdir()
        for number, (_encoding, name) in enumerate(NAMES):
            wav(self.shelf / name, number)

    def write(self, name, text, encoding):
        """A text in that encoding."""
        path = self.lists / name
        path.write_bytes(text.encode(encoding))
        return path

    def move(self, *ledgers, status=0):
        """Move the shelf with these ledgers."""
        words = ("move", self.shelf, "--to", self.lighter / "Sounds", "--ledger", *ledgers, "--no-search", "--yes")
        return self.run_json(*words, status=status)

    def test_each_encoding_in_each_kind_of_text(self):
        texts = {}
        for encoding, name in NAMES:
            for suffix, text in (
                (".m3u", f"#EXTM3U\r\n{self.shelf}/{name}\r\n"),
                (".sfz", f"<region> sample={self.shelf}/{name}\n"),
                (".cue", f'FILE "{self.shelf}/{name}" WAVE\n  TRACK 01 AUDIO\n    INDEX 01 00:00:00\n'),
            ):
                texts[self.write(f"{encoding}{suffix}", text, encoding)] = encoding, text
        before = {path: path.read_bytes() for path in texts}
        done = self.move(*texts)
        self.assertEqual(done["check"]["entries"]["missing"], 0)
        for path, (encoding, text) in texts.items():
            with self.subTest(path.name):
                self.assertEqual(path.read_bytes().decode(encoding), text.replace(str(self.shelf), str(self.new)))
        self.run_program("undo", "--yes")
        self.assertEqual({path: path.read_bytes() for path in texts}, before)

    def test_each_field_has_its_own_encoding(self):
        """One name that is no text at all, one in UTF-8, one in an old encoding, all in one instrument."""
        raw = os.fsdecode(b"caf\xe9 roh.wav")
        wav(self.shelf / raw, 20)
        wav(self.shelf / "groß.wav", 21)
        lines = [f"<region> sample={self.shelf}/".encode() + name + b"\n" for name in
                 (b"caf\xe9 roh.wav", "groß.wav".encode(), "Größe Étude 50%.wav".encode("cp1252"))]  # fmt: skip
        path = self.lists / "kit.sfz"
        path.write_bytes(b"".join(lines))
        self.move(path)
        self.assertEqual(path.read_bytes(), b"".join(lines).replace(os.fsencode(self.shelf), os.fsencode(self.new)))

    def test_where_the_disk_says_nothing_the_usual_one_is_kept(self):
        path = self.write("lost.m3u", "/nowhere/Größe.wav\r\n", "cp1252")
        (entry,) = open_ledger(str(path), []).entries()
        self.assertEqual(entry.written, "/nowhere/Größe.wav")

    def test_a_new_place_that_the_encoding_cannot_write_is_refused(self):
        path = self.write("west.m3u", f"{self.shelf}/{NAMES[0][1]}\r\n", "cp1252")
        words = ("move", self.shelf, "--to", self.lighter / "鐘", "--ledger", path, "--no-search", "--yes")
        before = path.read_bytes()
        self.run_program(*words, status=None)
        self.assertEqual(path.read_bytes(), before)
        self.assertTrue(Path(path).exists())
