"""Shelves of which a part stays: what stays is judged by what it plays, and so is what leaves."""

import json
import os
import re
import unittest

from saltcart.standins import player
from tests.ledgers.instruments import played
from tests.world import WorldCase, cells, tree, wav


class Divided(WorldCase):
    def setUp(self):
        super().setUp()
        self.library = self.keel / "Library"
        for name in ("low", "Été", "sub/high"):
            wav(self.library / "Samples" / f"{name}.wav", len(name))
        (self.library / "Patches").mkdir()
        files = {
            "all.sfz": "<region> sample=Samples/low.wav\n<region> sample=Samples\\Été.wav\n",
            "Patches/one.sfz": '#include "../part.inc"\n',
            "part.inc": "<region> sample=../Samples/sub/high.wav\n",
            "Samples/back.m3u8": "../Patches/one.sfz\nlow.wav\n",
            "kit.zzz": '<kit><pad file="Samples/low.wav"/><pad file="Samples/Été.wav"/></kit>',
        }
        for name, text in files.items():
            (self.library / name).write_text(text, encoding="utf-8")
        self.before = tree(self.library)

    def assert_plays(self, *tops):
        """Both instruments play all of their sounds, and the other files name what is there."""
        for name, sounds in (("all.sfz", ["low.wav", "Été.wav"]), ("Patches/one.sfz", ["high.wav"])):
            main = next(top / name for top in tops if (top / name).exists())
            self.assertEqual(list(played(str(main))), [(sound, True) for sound in sounds])
        for name, sign in (("Samples/back.m3u8", "\n"), ("kit.zzz", '"')):
            place = next(top / name for top in tops if (top / name).exists())
            texts = place.read_text("utf-8").split(sign)[1 if sign == '"' else 0 : -1 : 2 if sign == '"' else 1]
            self.assertEqual([text for text in texts if not (place.parent / text).exists()], [], name)

    def test_each_way_to_divide_and_back(self):
        for words in (
            ("--only", "Samples"),
            ("--exclude", "*.sfz", "part.inc", "kit.zzz"),
            ("--exclude", "Samples"),
            ("--only", "*.wav"),
            ("--exclude", "Patches"),
        ):
            with self.subTest(words):
                report = self.run_json("move", self.library, "--to", self.lighter, *words, "--yes")
                self.assert_plays(self.library, self.lighter / "Library")
                self.run_program("check", report["trip"])
                self.run_program("undo", report["trip"], "--yes", "--drop-copies")
                self.assertEqual(tree(self.library), self.before)

    def test_folders_have_their_old_times_after_an_undo_unless_something_happened_in_them(self):
        folders = [self.library, self.library / "Samples", self.library / "Samples/sub"]
        for at, folder in enumerate(folders):
            os.utime(folder, ns=(10**18, 10**18 + at))
        for meanwhile in (False, True):
            self.run_program("move", self.library, "--to", self.lighter, "--only", "*.wav", "--yes")
            if meanwhile:
                (self.library / "Samples" / "new.txt").write_text("x")
            self.run_program("undo", "--yes", "--drop-copies")
            times = [os.stat(folder).st_mtime_ns == 10**18 + at for at, folder in enumerate(folders)]
            self.assertEqual(times, [True, not meanwhile, True])

    def test_a_piece_that_is_left_out_under_way(self):
        self.run_program("draft", self.library, "--to", self.lighter, "-o", "w.toml")
        self.run_program("haul", "w.toml")
        trip = self.run_json("trips")["trips"][0]["trip"]
        self.run_program("haul", trip, "--exclude", "all.sfz", "Patches")
        self.run_program("repoint", trip, "--yes")
        self.assertTrue((self.library / "all.sfz").exists())
        self.assert_plays(self.library, self.lighter / "Library")

    def test_what_nobody_knows_and_stays_is_told(self):
        (self.library / "odd.bin").write_text('x "Samples/low.wav" y')
        words = ("move", self.library, "--to", self.lighter, "--only", "Samples", "--yes")
        self.assertIn("odd.bin: cannot be read yet, 1 left", self.run_program(*words, status=3).stderr)
        self.run_program(*words, "--ignore", self.library / "odd.bin")
        (self.library / "new.bin").write_text('x "Samples/low.wav" y')
        self.assertIn("new.bin", self.run_program("check", status=1).stdout)


class ContentFolders(WorldCase):
    def test_a_list_gets_the_new_folder_beside_the_old_and_one_value_is_kept(self):
        shelf, other, new = self.shelf, self.keel / "Other", self.new
        for name in ("Samples/a.wav", "Patches/b.wav"):
            wav(shelf / name)
        other.mkdir()
        texts = {
            "list.json": '{"dirs": ["%s", "%s"]}',
            "list.xml": "<set><dir>%s</dir><dir>%s</dir></set>",
            "list.ini": "[a]\ndir=%s\ndir=%s\n",
            "list.toml": 'dirs = ["%s", "%s"]\n',
        }
        single = {"one.json": '{"dir": "%s"}', "one.xml": "<set><dir>%s</dir></set>", "one.ini": "[a]\ndir=%s\n"}
        ats = {"list.json": "dirs/*", "list.toml": "dirs/*", "one.json": "dir"}
        words = []
        for name, text in (texts | single).items():
            kind = name.rpartition(".")[2]
            (self.top / name).write_text(text % ((shelf, other) if name in texts else shelf))
            at = ats.get(name, "set/dir" if kind == "xml" else "a/dir")
            (self.top / f"{name}.toml").write_text(
                f'name = "{name}"\ncontainer = "{kind}"\n[recognise]\nsuffix = ["{name}"]\n[[entries]]\nat = "{at}"\n'
                'names = "folder"\n'
            )
            words.append(self.top / name)
        maps = ["--map", *(self.top / f"{name}.toml" for name in texts | single)]
        more = ("--only", "Samples", "--ledger", *words, *maps, "--yes")
        done = self.run_program("move", shelf, "--to", self.lighter / "Sounds", *more)
        for name in texts:
            found = re.findall('/[^"<\n]*(?=["<\n])', (self.top / name).read_text().replace("</", "<"))
            self.assertEqual(
                [one for one in found if "keel" in one or "lighter" in one], [str(new), str(shelf), str(other)]
            )
        for name, text in single.items():
            self.assertEqual((self.top / name).read_text(), text % shelf)
            self.assertIn(f"{name} lists the folder", done.stdout)
        self.run_program("undo", "--yes")
        for name, text in texts.items():
            self.assertEqual((self.top / name).read_text(), text % (shelf, other))
        self.run_program("move", shelf, "--to", self.lighter / "Sounds", *more, "--turn-folders")
        for name, text in single.items():
            self.assertEqual((self.top / name).read_text(), text % new)
        self.run_program("undo", "--yes")
        for name, text in single.items():
            self.assertEqual((self.top / name).read_text(), text % shelf)

    def test_a_detour_to_what_stays_is_no_mention_that_leads_nowhere(self):
        self.furnish()
        done = self.run_json("move", *self.plan_words("--only", "high", "--yes"))
        self.assertEqual(
            (done["check"]["ok"], [one["standing"] for one in done["check"]["left"]]),
            (True, ["history"] * len(done["check"]["left"])),
        )

    def test_settings_and_litter_that_stay_do_not_hold_a_folder_back(self):
        self.furnish()
        (self.shelf / "low" / "set.ini").write_text("x")
        (self.shelf / "Thumbs.db").write_text("x")
        one = self.top / "one.json"
        one.write_text(json.dumps({"dir": str(self.shelf)}))
        plan = self.top / "one.toml"
        plan.write_text('name = "one"\ncontainer = "json"\n[[entries]]\nat = "dir"\nnames = "folder"\n')
        words = self.plan_words("--exclude", "*.ini", "Thumbs.db", "--ledger", str(one), "--map", str(plan), "--yes")
        done = self.run_program("move", *words)
        self.assertIn("from which all sounds move", done.stdout)
        self.assertEqual(one.read_text(), json.dumps({"dir": str(self.new)}))
        self.assertEqual(cells(self.library)["folders"][0][-1].rstrip("/"), str(self.new))
        self.assert_all_play()


class Copies(WorldCase):
    def test_ledgers_name_the_copies_and_the_originals_stay(self):
        self.furnish()
        before, rows = tree(self.shelf), cells(self.library)
        report = self.run_json("move", *self.plan_words("--copy"), "--yes")
        self.assertEqual(tree(self.shelf), before)
        self.assertEqual(set(tree(self.new)), set(before))
        self.assert_all_play()
        self.assertTrue(all(path.startswith(str(self.new)) for path, _why in player.play_all(self.library)))
        self.assertNotEqual((self.new / "low" / "C1.wav").stat().st_ino, (self.shelf / "low" / "C1.wav").stat().st_ino)
        self.assertIn(
            "nothing to release", self.run_program("release", report["trip"], "--yes", "--own", status=3).stderr
        )
        self.run_program("move", *self.plan_words("--copy", "--signpost"), "--yes", status=2)
        self.run_program("undo", report["trip"], "--yes", "--drop-copies")
        self.assertEqual((tree(self.shelf), cells(self.library), self.new.exists()), (before, rows, False))

    def test_a_copy_on_the_same_drive_is_no_second_name(self):
        self.furnish()
        there = self.keel / "Copy"
        self.run_program("move", self.shelf, "--to", there, "--copy", "--yes")
        places = [top / "low" / "C1.wav" for top in (self.shelf, there / self.shelf.name)]
        self.assertEqual(len({place.stat().st_ino for place in places}), 2)


class Strays(WorldCase):
    def setUp(self):
        super().setUp()
        self.lists = self.keel / "Lists"
        for place in (self.lists / "own.wav", self.keel / "Down" / "é.wav", self.keel / "Other" / "Down" / "x.wav"):
            wav(place, len(place.name))
        (self.keel / "Down" / "kit.sfz").write_text("<region> sample=é.wav\n")
        (self.lists / "set.m3u8").write_text(f"own.wav\n../Down/kit.sfz\n{self.keel}/Other/Down/x.wav\n")
        self.before = tree(self.keel)

    def test_what_moving_ledgers_name_elsewhere_comes_along_in_one_word(self):
        words = (self.lists, "--to", self.lighter)
        told = self.run_json("draft", *words, "-o", "w.toml")
        self.assertEqual(
            [one["path"] for one in told["strays"]], [f"{self.keel}/Down/kit.sfz", f"{self.keel}/Other/Down/x.wav"]
        )
        for word in ("--gather", "--set-aside-gathered"):
            with self.subTest(word):
                report = self.run_json("move", *words, word, "--yes")
                there = self.lighter / "Lists"
                lines = (there / "set.m3u8").read_text().splitlines()
                self.assertTrue(all((there / line).resolve().is_relative_to(there) for line in lines), lines)
                self.assertTrue(all((there / line).is_file() for line in lines), lines)
                self.assertEqual(list(played(str(there / lines[1]))), [("é.wav", True)])
                self.assertEqual((self.keel / "Down" / "é.wav").exists(), word == "--gather")
                self.run_program("undo", report["trip"], "--yes", "--drop-copies")
                self.assertEqual((tree(self.keel), there.exists()), (self.before, False))

    def test_what_is_set_aside_is_freed_and_comes_home(self):
        self.run_program("move", self.lists, "--to", self.lighter, "--set-aside-gathered", "--yes")
        self.run_program("release", "--yes", "--own")
        self.assertFalse((self.keel / "Down" / "é.wav").exists())
        self.run_program("undo", "--yes")
        self.assertEqual(tree(self.keel, "aside", ".b3", "Gathered"), self.before)


class Programs(WorldCase):
    def test_programs_stay_with_their_bundles_unless_they_shall_come(self):
        for name in ("Bells.lv2/bells.so", "Voice.bundle/Contents/voice", "tool"):
            (self.shelf / name).parent.mkdir(parents=True, exist_ok=True)
            (self.shelf / name).write_bytes(b"\x7fELF" + bytes(60))
            (self.shelf / name).chmod(0o755)
        (self.shelf / "Bells.lv2" / "bells.ttl").write_text("<> <urn:y> <bells.so> .\n")
        wav(self.shelf / "a.wav")
        (self.shelf / "run.txt").write_text("not code")
        (self.shelf / "run.txt").chmod(0o755)
        (self.shelf / "all.m3u").write_text("MZ first.wav\n")
        (self.shelf / "all.m3u").chmod(0o755)
        survey = self.run_json("survey", self.keel, status=1)
        self.assertIn("all.m3u", {os.path.basename(one["path"]) for one in survey["ledgers"]})
        self.assertIn("3 programs", next(one["what"] for one in survey["findings"] if one["kind"] == "programs"))
        words = ("move", self.shelf, "--to", self.lighter / "Sounds", "--yes")
        self.run_program(*words)
        moved = {str(one.relative_to(self.new)) for one in self.new.rglob("*") if one.is_file()}
        self.assertEqual(moved, {"a.wav", "run.txt", "all.m3u"})
        self.assertTrue((self.shelf / "Bells.lv2" / "bells.ttl").exists())
        self.run_program("undo", "--yes", "--drop-copies")
        self.run_program(*words, "--with-programs")
        self.assertTrue((self.new / "Voice.bundle" / "Contents" / "voice").exists())

    def test_what_is_marked_stays(self):
        wav(self.shelf / "a.wav")
        wav(self.shelf / "Core" / "b.wav")
        (self.top / "cart.toml").write_text(f'[[shelf]]\npath = "{self.shelf}/Core"\nkeep = true\n')
        words = ("move", self.shelf / "Core", "--to", self.lighter / "x", "--yes")
        self.assertIn("keep = true", self.run_program(*words, status=3).stderr)
        self.run_program("move", self.shelf, "--to", self.lighter / "Sounds", "--yes")
        self.assertTrue((self.shelf / "Core" / "b.wav").exists() and (self.new / "a.wav").exists())


class ChosenFiles(WorldCase):
    def setUp(self):
        super().setUp()
        self.films = self.keel / "Films"
        for name in ("The Long Tide [1].wav", "b.wav", "Old/c.wav", "Old/b.wav"):
            wav(self.films / name, len(name))
        self.list = self.keel / "set.m3u8"
        self.list.write_text(f"{self.films}/The Long Tide [1].wav\nFilms/b.wav\nFilms/Old/c.wav\ngone.wav\n")
        (self.films / "here.m3u8").write_text("The Long Tide [1].wav\nb.wav\n")
        self.before = tree(self.films)

    def assert_found(self, count):
        """So many of the lists' lines lead to a file."""
        lines = [
            (one.parent, line) for one in (self.list, self.films / "here.m3u8") for line in one.read_text().split("\n")
        ]
        self.assertEqual(sum((folder / line).is_file() for folder, line in lines if line), count)

    def test_files_move_to_stand_among_others_and_come_back(self):
        wav(self.lighter / "Store" / "other.wav", 50)
        for words, there in (
            ((self.films / "The Long Tide [1].wav",), {"The Long Tide [1].wav"}),
            ((self.films / "b.wav", self.films / "Old/c.wav"), {"b.wav", "c.wav"}),
            (("--from-list", self.list), {"The Long Tide [1].wav", "b.wav", "Old/c.wav"}),
        ):
            with self.subTest(words):
                report = self.run_json("move", *words, "--to", self.lighter / "Store", "--yes")
                found = {str(one.relative_to(self.lighter / "Store")) for one in self.lighter.rglob("*.wav")}
                self.assertEqual(found, there | {"other.wav"})
                self.assert_found(5)
                self.assertFalse(list(self.lighter.rglob("*.b3")))
                self.run_program("check", report["trip"])
                self.run_program("undo", report["trip"], "--yes", "--drop-copies")
                self.assertEqual(tree(self.films), self.before)
                self.assertEqual({one.name for one in self.lighter.rglob("*.wav")}, {"other.wav"})

    def test_signposts_and_release(self):
        self.run_program("move", self.films / "Old" / "c.wav", "--to", self.lighter / "Store", "--signpost", "--yes")
        self.assertTrue((self.films / "Old" / "c.wav").is_symlink())
        self.run_program("release", "--yes", "--own")
        self.assertEqual((self.films / "Old" / "c.wav").read_bytes(), (self.lighter / "Store" / "c.wav").read_bytes())
        self.assertFalse([one for one in self.keel.rglob(".*") if "aside" in one.name])
        self.assert_found(5)

    def test_a_file_at_the_top_of_a_drive(self):
        wav(self.keel / "top.wav", 7)
        self.run_program("move", self.keel / "top.wav", "--to", self.lighter / "Store", "--yes")
        self.assertTrue((self.lighter / "Store" / "top.wav").is_file() and not (self.keel / "top.wav").exists())
        self.run_program("undo", "--yes", "--drop-copies")
        self.assertTrue((self.keel / "top.wav").is_file())

    def test_refusals(self):
        (self.films / "empty.m3u8").write_text("none.wav\n")
        wav(self.films / "Old" / "b.wav", 70)
        wav(self.lighter / "Store" / "b.wav", 71)
        store = self.lighter / "Store"
        for words, status, says in (
            ((self.films / "b.wav", "--to", store), 3, "already contains 1 other"),
            ((self.films / "b.wav", "--to", self.films), 3, "already there"),
            ((self.films / "b.wav", self.films / "Old/b.wav", "--to", self.lighter / "New"), 3, "one name there"),
            ((self.films / "b.wav", "--only", "x", "--to", store), 2, "are for folders"),
            (("--from-list", self.films / "empty.m3u8", "--to", store), 3, "lists no existing file"),
            (("--to", store), 2, "No folder was given"),
        ):
            with self.subTest(says):
                self.assertIn(says, self.run_program("move", *words, "--yes", status=status).stderr)
        waybill = self.top / "w.toml"
        self.run_program("draft", self.films / "b.wav", "--to", self.lighter / "New", "-o", waybill)
        good = waybill.read_text()
        for text in (
            good.replace('only = ["b.wav"]', 'only = ["*.wav"]'),
            good.replace('only = ["b.wav"]', "only = []"),
        ):
            self.assertNotEqual(text, good)
            waybill.write_text(text)
            self.assertIn("does not name each of them", self.run_program("haul", waybill, status=2).stderr)

    def test_a_file_and_a_folder_go_together(self):
        wav(self.keel / "Extra" / "e.wav")
        words = (self.films / "b.wav", self.keel / "Extra", "--to", self.lighter / "Store", "--yes")
        self.assertNotIn("through a link", self.run_program("move", *words).stdout)
        self.assertTrue((self.lighter / "Store" / "Extra" / "e.wav").exists())
        self.assert_found(5)


if __name__ == "__main__":
    unittest.main()
