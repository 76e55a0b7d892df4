"""What somebody wrote is told from records of values: it is never rewritten, holds nothing back, and is told."""

import json
import sqlite3
import unittest
from contextlib import closing

from saltcart.mentions.free_text import in_sentence, is_free
from tests.world import WorldCase, wav

FREE = {
    "letter.txt": "Dear Ilse,\n\nI moved the drums to {} last night, as we said.\nThey are all there now.\n\nBo\n",
    "notes": "drums: I keep them in {} and never anywhere else, mind you, whatever Ilse says to that\n"
    "The horn goes to the other room when the tide is low.\nAsk her about the lamp and the rope.\n",
    "tool.py": 'import os\n\n\ndef kit():\n    """The kit in {}."""\n    return os.listdir("{}")\n',
    "play.sh": "#!/bin/sh\nif [ -d '{}' ]; then\n  play '{}/C1.wav'\nfi\nfor one in 1 2; do\n  echo $one\ndone\n",
    "page.html": "<!DOCTYPE html>\n<html><body><p>Kits are in <b>{}</b>.</p></body></html>\n",
    "box.mbox": "From bo@petrel Mon Nov 30 10:00:00 2026\nFrom: bo@petrel\nTo: ilse@petrel\nSubject: drums\n\nSee {}\n",
    "read me.md": '# Kits\n\nAll of the kits that we made are in "{}" by now.\n\n- the one that sounds like rain\n'
    "- another one that nobody likes but me\n",
}
RECORDS = {
    "a.json": '{{"kit": "{}", "volume": 3}}\n',
    "lines.jsonl": '{{"kit": "{}"}}\n{{"kit": "x"}}\n',
    "a.ini": "[kit]\nfolder={}\nlevel=7\n",
    "a.conf": "theme dark\nfolder {}\nvolume 3\n",
    "a.toml": 'kit = "{}"\nlevel = 3\n',
    "a.csv": "name,place\nkit,{}\n",
    "a.xml": '<kits><kit at="{}"/></kits>\n',
    "list": "{}/C1.wav\n{}/D1.wav\n",
    "patch": '! patch\n  file "{}/C1.wav" vol=0.3\nend\n',
    "profile": "export KITS={}\nalias ll='ls -l'\n",
    "words.yaml": "kits:\n  - path: {}\n    name: Amber drums of the north\n",
    "packed": "\x7fkindx){}/One of the many sounds in there.wav",
    "counted": 'a:2:{{\ni:1;s:35:"{}";\n}}\n',
}


class Told(unittest.TestCase):
    def test_texts_and_records(self):
        for texts, free in ((FREE, True), (RECORDS, False)):
            for name, text in texts.items():
                with self.subTest(name):
                    data = text.format(*["/keel/Sounds/Bell Tones"] * text.count("{}")).encode()
                    self.assertEqual(is_free(data, True), free, data)

    def test_a_sentence_in_a_value(self):
        for line, path, wanted in (
            ('"note": "I put all of it in /keel/Kits"', "/keel", True),
            ('"kit": "/keel/Kits"', "/keel", False),
            ("clip:/keel/Kits|0.5", "/keel", False),
            ("open the kit /keel/Kits", "/keel", True),
            ("folder /keel/Kits", "/keel", False),
        ):
            self.assertEqual(in_sentence(line, line.index(path)), wanted, line)


class Unchanged(WorldCase):
    def setUp(self):
        super().setUp()
        for number, name in enumerate(("C1.wav", "D1.wav")):
            wav(self.shelf / name, number)
        self.user = self.top / "user"
        self.user.mkdir()
        self.words = ("move", self.shelf, "--to", self.new.parent, "--yes")

    def test_texts_stay_as_they_are_and_are_told(self):
        for name, text in FREE.items():
            (self.user / name).write_text(text.format(*[str(self.shelf)] * text.count("{}")))
        before = {name: (self.user / name).read_bytes() for name in FREE}
        done = self.run_json(*self.words, status=0)
        self.assertEqual({name: (self.user / name).read_bytes() for name in FREE}, before)
        told = {one["path"].rpartition("/")[2]: one["standing"] for one in done["check"]["left"]}
        self.assertEqual(told, dict.fromkeys(FREE, "said in a text"))

    def test_where_somebody_was_on_the_web_is_no_library(self):
        path = self.user / "visits.db"
        with closing(sqlite3.connect(path)) as made, made:
            made.execute("CREATE TABLE visits (id INTEGER PRIMARY KEY, address TEXT)")
            some = [*(f"https://petrel.example/{number}" for number in range(9)), f"file://{self.shelf}/C1.wav"]
            made.executemany("INSERT INTO visits (address) VALUES (?)", [(one,) for one in some])
        before = path.read_bytes()
        self.run_program(*self.words, status=0)
        self.assertEqual(path.read_bytes(), before)

    def test_a_label_is_no_path(self):
        """The name of a pack beside its place, in the same record: the place follows, the label stays."""
        place, root, label = str(self.shelf), str(self.shelf.parent), self.shelf.name
        packs = {"root": root, "packs": [{"name": label, "place": place}]}
        files = {
            "packs.json": json.dumps(packs),
            "deep.json": json.dumps({"root": root, "packs": [{"pack": label, "sound": f"{place}/C1.wav"}]}),
            "packs.xml": f'<packs root="{root}"><pack name="{label}"><at>{place}</at></pack></packs>',
            "packs.toml": f'root = "{root}"\n[[pack]]\nname = "{label}"\nplace = "{place}"\n',
            "packs.ini": f"[packs]\nroot={root}\nname={label}\nplace={place}\n",
        }
        for name, text in files.items():
            (self.user / name).write_text(text)
        self.run_program(*self.words, "--ignore", *(self.user / name for name in files), status=None)
        for name, text in files.items():
            with self.subTest(name):
                said = (self.user / name).read_text()
                self.assertEqual(said.replace(str(self.new), place).replace(str(self.new.parent), root), text)
                self.assertIn(str(self.new), said)
