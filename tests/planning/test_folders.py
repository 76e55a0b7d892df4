"""Folders that programs look in: shown, added, removed and turned, with and without a move."""

import json
import os
import sqlite3
from contextlib import closing
from pathlib import Path

from saltcart.standins import workstation
from tests.planning.cases import FolderCase
from tests.world import PLAYER_MAP, cells, wav


class Lists(FolderCase):
    def test_a_folder_is_added_and_removed_and_nothing_else_changes(self):
        before, rows = self.settings.read_bytes(), cells(self.library)
        for first in ((), ("--first",)):
            with self.subTest(first):
                ledgers = ("--ledger", self.settings, self.library)
                done = self.folders("add", self.more, *ledgers, *first, "--yes")
                self.assertEqual((done["changed_entries"], done["check"]["ok"], done["shelves"]), (2, True, []))
                listed = json.loads(self.settings.read_text())["content"]["folders"]
                self.assertEqual(listed, [str(self.more), str(self.shelf)][:: 1 if first else -1])
                self.assertEqual(cells(self.library)["folders"], [*rows["folders"], (2, str(self.more))])
                self.assertEqual({**cells(self.library), "folders": rows["folders"]}, rows)
                self.assertEqual(self.lost(), [])
                self.assertIn("moved nothing", self.run_program("release", "--yes", "--own", status=3).stderr)
                self.assertIn("already", self.run_program("folders", "add", self.more, *ledgers, status=3).stderr)
                self.folders("remove", self.more, *ledgers, "--yes")
                self.run_program("undo", "--yes")  # of the removal
                self.assertEqual(cells(self.library)["folders"][1][1], str(self.more))
                self.write(colour="red")  # by its program, since
                self.run_program("undo", "--yes")
                self.assertEqual((json.loads(self.settings.read_text())["colour"], cells(self.library)), ("red", rows))
                self.write(colour="grey")
                self.assertEqual(json.loads(self.settings.read_text()), json.loads(before))
                self.settings.write_bytes(before)
        trips = self.run_json("trips")["trips"]
        self.assertEqual([(one["state"], one["files"]) for one in trips], [("undone", 0), ("undone", 0)] * 2)

    def test_what_cannot_be_is_refused_and_what_is_odd_is_told(self):
        before = self.settings.read_bytes()
        (self.top / "one.toml").write_text(
            'name = "one"\ncontainer = "json"\n[recognise]\nsuffix = ["one.json"]\n[[entries]]\nat = "f"\n'
            'names = "folder"\nspelling = "native"\n'
        )
        one, empty = self.desk / "one.json", self.desk / "empty.m3u8"
        one.write_text(json.dumps({"f": str(self.shelf)}))
        empty.write_text("#EXTM3U\n")
        for words, status, text in [
            (("remove", self.shelf, "--ledger", self.settings), 3, "only through that folder"),
            (("remove", self.more, "--ledger", self.settings), 3, "does not list"),
            (("add", self.top / "gone", "--ledger", self.settings), 3, "There is no folder"),
            (("add", self.more, "--ledger", one, "--map", self.top / "one.toml"), 3, "holds one folder only"),
            (("add", self.more, "--ledger", empty), 3, "lists no folders"),
            (("add", self.more), 2, "Which program is it for?"),
            (("add",), 2, "needs a folder"),
            (("new-things", self.more, "--ledger", self.settings), 3, "is the folder for new things is not known"),
            (("add", self.shelf.parent, "--ledger", self.settings), 2, "lies in it: a program that looks through both"),
            (("add", self.shelf / "low", "--ledger", self.settings), 2, "holds it: a program that looks through both"),
        ]:
            with self.subTest(words):
                done = self.run_program("folders", *words, status=status)
                self.assertIn(text, " ".join((done.stdout + done.stderr).split()))
                self.assertEqual((self.settings.read_bytes(), self.run_json("trips")["trips"]), (before, []))

    def test_a_database_whose_map_does_not_say_what_a_row_needs(self):
        plan = self.top / "player.toml"
        text = PLAYER_MAP.read_text().replace("petrel player", "other")
        for add, words in [
            ("add = { values = { colour = 1 } }", "has no column colour"),
            ("where = \"path LIKE '/old%'\"\nadd = {}", "would not be one of those"),
        ]:
            with self.subTest(add):
                plan.write_text(text.replace("add = {}", add))
                with closing(sqlite3.connect(self.library)) as database:
                    database.execute("UPDATE folders SET path = '/old/x'")
                    database.execute("INSERT OR REPLACE INTO folders VALUES (2, '/old/y')")
                    database.commit()
                (self.top / "c.toml").write_text(f'maps = ["{plan}"]\n')
                before = cells(self.library)
                options = ("--ledger", self.library, "--cart", self.top / "c.toml", "--yes")
                self.assertIn(words, self.run_program("folders", "add", self.more, *options, status=3).stderr)
                self.assertEqual(cells(self.library), before)

    def test_a_part_of_a_listed_folder_moves_and_a_database_gets_a_row(self):
        wav(self.shelf / "high" / "E9.wav", 3)
        words = (self.shelf, "--to", self.new.parent, "--only", "high", "--yes")
        self.assertTrue(self.run_json("move", *words)["check"]["ok"])
        self.assertEqual(
            [row[1] for row in cells(self.library)["folders"]],
            [str(self.shelf), str(self.new)],
            "and keeps the old one",
        )
        self.assertEqual(self.lost(), [])


class NewThings(FolderCase):
    def test_where_new_things_go_is_shown_and_set(self):
        self.write(recordings=str(self.shelf))
        (self.lighter / "New").mkdir()
        before = self.settings.read_bytes()
        found = {(one["use"], one["folder"]) for one in self.folders()["folders"]}
        self.assertIn(("new things", str(self.shelf)), found)
        done = self.folders("new-things", self.lighter / "New", "--ledger", self.settings, "--yes")
        self.assertEqual(
            (done["changed_entries"], self.settings.read_bytes()),
            (
                1,
                before.replace(
                    b'"recordings": "%b"' % os.fsencode(self.shelf),
                    b'"recordings": "%b/New"' % os.fsencode(self.lighter),
                ),
            ),
        )
        self.run_program("undo", "--yes")
        self.assertEqual(self.settings.read_bytes(), before)
        words = (self.shelf, "--to", self.new.parent)
        for more, then in (((), self.new), (("--new-things", self.lighter / "New"), self.lighter / "New")):
            with self.subTest(more):
                plan = self.run_json("draft", *words, *more, "-o", self.top / "w.toml", "--force")
                self.assertEqual(
                    plan["new_things"], [{"ledger": str(self.settings), "folder": str(self.shelf), "then": str(then)}]
                )
                self.run_program("move", *words, *more, "--yes")
                self.assertEqual(json.loads(self.settings.read_text())["recordings"], str(then))
                self.assertEqual(self.lost(), [])
                self.run_program("undo", "--yes", "--drop-copies")
                self.assertEqual(self.settings.read_bytes(), before)
        self.assertIn(
            "There is no folder", self.run_program("draft", *words, "--new-things", self.top / "no", status=3).stderr
        )


class RightLevel(FolderCase):
    def setUp(self):
        super().setUp()
        for number in range(3):
            wav(self.keel / "Kits" / "Deck" / f"{number}.wav", number)
        finds = [{"find": f"Deck/{number}.wav"} for number in range(3)]
        workstation.write_session(str(self.desk / "a.passage"), str(self.desk), finds)
        workstation.write_settings(str(self.desk), [str(self.keel / "Kits" / "Deck")])

    def test_by_itself(self):
        before = self.settings.read_bytes()
        self.assertEqual(len(self.lost()), 3)
        shown = self.folders(status=1)["folders"]
        self.assertEqual([one["better"] for one in shown if one["better"]], [str(self.keel / "Kits")])
        self.assertTrue(self.folders("fix-level", "--yes")["check"]["ok"])
        self.assertEqual(
            (self.lost(), json.loads(self.settings.read_text())["content"]["folders"]), ([], [str(self.keel / "Kits")])
        )
        self.run_program("undo", "--yes")
        self.assertEqual(self.settings.read_bytes(), before)

    def test_with_a_move(self):
        words = (self.keel / "Kits", "--to", self.lighter, "--yes")
        self.run_json("move", *words, "--fix-folder-level")
        self.assertEqual(self.lost(), [])
        self.assertEqual(json.loads(self.settings.read_text())["content"]["folders"], [str(self.lighter / "Kits")])

    def test_of_a_folder_that_entries_of_the_same_ledger_start_from(self):
        (self.desk / "a.passage").unlink()
        root = self.keel / "Kits" / "Deck"
        workstation.write_session(
            str(self.desk / "a.passage"), str(root), [{"file": f"Deck/{n}.wav"} for n in range(3)]
        )
        workstation.write_settings(str(self.desk), [])
        self.folders("fix-level", "--ledger", self.desk / "a.passage", "--yes")
        self.assertEqual(self.lost(), [])
        self.assertEqual(workstation.read_session(Path(self.desk, "a.passage")).get("root"), str(self.keel / "Kits"))
