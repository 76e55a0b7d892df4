"""Drafts in depth: what stays, what alone travels, new names, kept entries, ledgers found by themselves."""

import os
import subprocess
import unittest
from pathlib import Path
from typing import ClassVar

from hypothesis import given
from hypothesis import strategies as some

from saltcart.shelves.walk import FILE, FOLDER, Item
from saltcart.waybills.patterns import matches
from saltcart.waybills.shelf import CopiedFile, Folder
from saltcart.waybills.waybill import Waybill
from saltcart.waybills.waybill_file import read
from saltcart.waybills.waybill_text import write
from tests.world import PLAYER_MAP, ROOT, WorldCase, cells, tree, wav


class Drafts(WorldCase):
    def setUp(self):
        super().setUp()
        self.furnish()

    def there_and_back(self, *words):
        """Move with these words and take it back; the new place in between is left in `self.moved`.  Everything must
        be as before.
        """
        before, rows = tree(self.keel, "library.db"), cells(self.library)
        done = self.run_json("move", *words, "--yes")
        self.moved = tree(self.lighter)
        self.between = tree(self.keel)
        self.assertTrue(done["check"]["ok"])
        self.assert_all_play()
        self.run_program("undo", done["trip"], "--yes", "--drop-copies")
        self.assertEqual(tree(self.keel, "library.db"), before)
        self.assertEqual(cells(self.library), rows)
        return done

    def test_what_is_left_out_stays_where_it_is_and_its_entries_too(self):
        (self.shelf / "settings.ini").write_text("[x]\n")
        for signpost in ((), ("--signpost",)):
            self.there_and_back(*self.plan_words("--exclude", "*.ini", "high", *signpost))
            names = {name for name in self.moved if name.startswith(b"Sounds/Bell Tones/")}
            self.assertFalse([name for name in names if b"high" in name or b".ini" in name])
            self.assertIn(b"Sounds/Bell Tones/settings.ini", self.between)
            self.assertIn("Sounds/Bell Tones/high/Été 50%.wav".encode(), self.between)
            self.assertEqual(
                self.between.get(b"Sounds/Bell Tones/low", "gone") == os.fsencode(self.new / "low"), bool(signpost)
            )

    def test_only_what_is_asked_travels(self):
        self.there_and_back(*self.plan_words("--only", "low"))
        names = {name.decode() for name in self.moved if name.startswith(b"Sounds/") and not name.endswith(b".b3")}
        self.assertEqual(
            names,
            {
                "Sounds/Bell Tones",
                "Sounds/Bell Tones/low",
                "Sounds/Bell Tones/low/C1.wav",
                "Sounds/Bell Tones/low/D1 #2.wav",
            },
        )

    def test_release_leaves_what_stayed(self):
        self.run_program("move", *self.plan_words("--exclude", "low/C1.wav"), "--yes")
        self.run_program("release", "--yes", "--own")
        left = {name for name in tree(self.keel / "Sounds") if b"Extra" not in name}
        self.assertEqual(left, {b"Bell Tones", b"Bell Tones/low", b"Bell Tones/low/C1.wav"})
        self.assert_all_play()

    def test_entries_can_be_kept_behind_a_signpost(self):
        before = {path: Path(path).read_bytes() for path in self.ledgers[:3]}
        self.run_program("move", *self.plan_words("--keep-entries"), "--yes", status=2)
        done = self.run_json("move", *self.plan_words("--keep-entries", "--signpost"), "--yes")
        self.assertEqual({path: Path(path).read_bytes() for path in before}, before)
        self.assert_all_play()
        remarks = [
            problem["why"]
            for ledger in done["check"]["ledgers"]
            for problem in ledger["problems"]
            if problem["verdict"] == "found"
        ]
        self.assertIn("goes through a signpost", remarks)
        self.assertTrue(done["check"]["ok"])

    def test_two_shelves_of_one_name(self):
        other = self.keel / "Old" / "Bell Tones"
        wav(other / "x.wav", 40)
        with open(self.ledgers[0], "ab") as stream:
            stream.write(os.fsencode(other / "x.wav") + b"\r\n")
        self.there_and_back(str(self.shelf), str(other), *self.plan_words()[1:])
        self.assertIn(b"Sounds/Bell Tones (2)/x.wav", self.moved)
        done = self.there_and_back(
            str(self.shelf),
            str(other),
            "--to",
            str(self.lighter / "A"),
            "--to",
            str(self.lighter / "B"),
            *self.plan_words()[3:],
        )
        self.assertEqual(
            [shelf["to"] for shelf in done["shelves"]],
            [str(self.lighter / "A/Bell Tones"), str(self.lighter / "B/Bell Tones")],
        )

    def test_a_shelf_whose_own_name_the_new_drive_cannot_hold(self):
        with open(self.lighter / ".saltcart-drive.toml", "a") as marker:
            marker.write('filesystem = "exfat"\n')
        odd = self.shelf.rename(self.shelf.with_name("Bell: Tones."))
        ledger = self.top / "odd.m3u8"
        ledger.write_text(f"{odd}/low/C1.wav\n")
        words = (str(odd), "--ledger", str(ledger), "--yes", "--to")
        self.assertIn(
            "cannot be made on the new drive",
            self.run_program("move", *words, str(self.lighter / "Sounds?"), status=3).stderr,
        )
        done = self.run_json("move", *words, str(self.lighter / "Sounds"))
        self.assertEqual(
            (done["shelves"][0]["name"], ledger.read_text()),
            ("Bell_ Tones", f"{self.lighter}/Sounds/Bell_ Tones/low/C1.wav\n"),
        )
        self.run_program("undo", "--yes", "--drop-copies")
        self.assertEqual(
            (ledger.read_text(), odd.is_dir(), (self.lighter / "Sounds").exists()), (f"{odd}/low/C1.wav\n", True, False)
        )

    def test_the_room_that_a_release_gains_on_a_drive_that_could_share(self):
        for drive, name in ((self.keel, "keel"), (self.lighter, "lighter")):
            (drive / ".saltcart-drive.toml").write_text(
                f'name = "{name}"\nidentity = "test-{name}"\ncapacity_bytes = 50000000\nfilesystem = "xfs"\n'
            )
        drafted = self.run_json("draft", str(self.shelf), "--to", str(self.lighter), "-o", str(self.top / "r.toml"))
        room = {
            one["name"]: (one["free_after_haul_bytes"], one["free_after_release_bytes"]) for one in drafted["drives"]
        }
        self.assertGreater(room["keel"][1], room["keel"][0])
        self.assertEqual(*room["lighter"])

    def test_patterns_that_match_nothing(self):
        words = ("draft", str(self.shelf), "--to", str(self.lighter), "-o", str(self.top / "p.toml"))
        self.assertIn("Nothing in", self.run_program(*words, "--only", "Nowhere", status=3).stderr)
        self.assertIn(
            "--exclude Nowhere matches nothing",
            self.run_program(*words, "--exclude", "Nowhere", "low", status=3).stderr,
        )

    def test_ledgers_are_found_where_programs_keep_them(self):
        settings = self.top / "user" / ".config" / "player"
        settings.mkdir(parents=True)
        (settings / "last.m3u8").write_text(f"{self.shelf}/low/C1.wav\n")
        (settings / "other.m3u8").write_text("/nowhere/x.wav\n")
        cart = self.top / "cart.toml"
        cart.write_text(f'maps = ["{PLAYER_MAP}"]\n[[ledger]]\npath = "{self.library}"\n')
        waybill = self.top / "w.toml"
        words = ("draft", str(self.shelf), "--to", str(self.lighter), "-o", str(waybill), "--force")
        for more, also in ((), {"full.m3u8", "near.m3u8", "old.m3u"}), (("--no-search",), set()):
            report = self.run_json(*words, *more)
            self.assertEqual(
                {os.path.basename(ledger["path"]) for ledger in report["ledgers"]},
                {"last.m3u8", "library.db", "inside.m3u8"} | also,
            )
        self.assertEqual(report["searched"], [str(cart), str(self.top / "user" / ".config")])
        rooms = {drive["name"]: drive for drive in report["drives"]}
        self.assertGreater(rooms["keel"]["free_after_release_bytes"], rooms["keel"]["free_bytes"])
        self.assertLess(rooms["lighter"]["free_after_haul_bytes"], rooms["lighter"]["free_bytes"])

    def test_wrong_pairs(self):
        self.run_program(
            "move", str(self.shelf), "--to", str(self.lighter), "--to", str(self.lighter / "x"), "--yes", status=2
        )


class OtherDrive(WorldCase):
    kinds: ClassVar = {"lighter": "exfat"}

    def test_entries_follow_names_that_the_new_drive_writes_otherwise(self):
        name = os.fsdecode(b"caf\xe9.wav")
        wav(self.shelf / name)
        wav(self.shelf / "a:b.wav", 1)
        ledger = self.top / "old.m3u"
        ledger.write_bytes(os.fsencode(f"{self.shelf}/{name}\r\n{self.shelf}/a:b.wav\r\n"))
        words = (self.shelf, "--to", self.lighter / "Sounds", "--ledger", ledger, "--yes")
        self.run_program("move", *words)
        self.assertEqual({path.name for path in self.new.iterdir()}, {"café.wav", "a_b.wav"})
        self.assertEqual(ledger.read_bytes(), f"{self.new}/café.wav\r\n{self.new}/a_b.wav\r\n".encode("cp1252"))

    @unittest.skipUnless(ROOT, "only root can mount")
    def test_a_ledger_in_a_folder_that_cannot_be_written_is_told_at_draft(self):
        wav(self.shelf / "x.wav")
        lists = self.top / "lists"
        lists.mkdir()
        (lists / "a.m3u8").write_text(f"{self.shelf}/x.wav\n")
        for words in (("--bind", lists, lists), ("-o", "remount,bind,ro", lists)):
            subprocess.run(["mount", *words], check=True)
        self.addCleanup(subprocess.run, ["umount", lists])
        words = ("move", self.shelf, "--to", self.lighter / "Sounds", "--ledger", lists / "a.m3u8", "--yes")
        self.assertIn("cannot be written to", self.run_program(*words, status=3).stderr)
        self.assertFalse(self.new.exists())


class Laws(unittest.TestCase):
    names = some.lists(some.text("ab*?[]é \udcff", min_size=1, max_size=4), min_size=1, max_size=3).map("/".join)

    @given(
        some.lists(names, max_size=3),
        some.lists(names, max_size=2),
        some.lists(some.tuples(names, names), max_size=2, unique_by=lambda pair: pair[1]),
    )
    def test_a_waybill_reads_back_as_it_was_written(self, stay, only, renames):
        renames = tuple(
            pair for pair in renames if not any(part in (".", "..") for path in pair for part in path.split("/"))
        )
        shelf = Folder(
            "Bells \udcff",
            "/k/Bells \udcff",
            "/l/Bells\n",
            "a",
            "b",
            "replaceable",
            "signpost",
            tuple(stay),
            tuple(only),
            renames,
        )
        plan = Waybill([shelf, CopiedFile("x.wav", "/d/x.wav", "/l/x.wav", "a", "b")], maps=["/m \udcff.toml"])
        path = f"/tmp/waybill-{os.getpid()}.toml"
        try:
            write(plan, path)
            again = read(path)
        finally:
            Path(path).unlink(missing_ok=True)
        self.assertEqual(again.shelves[0].old, shelf.old)
        self.assertEqual(
            (again.shelves[0].stay, again.shelves[0].only, again.shelves[0].renames),
            (shelf.stay, shelf.only, shelf.renames),
        )
        self.assertEqual((again.shelves[1], again.maps), (plan.shelves[1], plan.maps))

    @given(some.lists(names, max_size=3), some.lists(names, max_size=3), some.lists(names, max_size=6, unique=True))
    def test_a_folder_travels_before_what_is_in_it(self, stay, only, paths):
        shelf = Folder("S", "/k/S", "/l/S", "a", "b", stay=tuple(stay), only=tuple(only))
        folders = {"/".join(path.split("/")[:count]) for path in paths for count in range(1, path.count("/") + 1)}
        items = [
            Item(path, FOLDER if path in folders or not path else FILE, 0, 0, 0, 0, 0, 0, 1)
            for path in ["", *sorted({*paths, *folders})]
        ]
        sifted = [item.path for item in shelf.sift(items)]
        taken = [item.path for item in items if item.kind == FILE and shelf.takes(item.path)]
        self.assertEqual([path for path in sifted if path not in folders and path], [path for path in taken])
        for path in sifted:
            if "/" in path and not matches(path.rpartition("/")[0], stay):
                self.assertIn(path.rpartition("/")[0], sifted)
        self.assertEqual(len(sifted), len(set(sifted)))
