"""The parts a trip stands on: safe files, the logbook, decisions in waybills, errors that name their line, the bar."""

import argparse
import io
import json
import os
import shlex
import sqlite3
import tempfile
import unittest
from contextlib import closing, redirect_stderr
from pathlib import Path
from unittest import mock

from rich.console import Console

from saltcart.cli import screen as screens
from saltcart.errors import show
from saltcart.progress import WAITING, Tick
from saltcart.safefile import replacing
from saltcart.shelves.walk import FILE, FOLDER, LINK, Item
from saltcart.trips.facts import Fact
from saltcart.trips.logbook import Logbook
from saltcart.trips.records import LISTED, VERIFIED
from saltcart.trips.stock import Stock
from saltcart.trips.trip_shelf import TripShelf
from saltcart.waybills.shelf import Folder
from tests.world import WorldCase, tree, wav


def item(path, kind=FILE, size=1, inode=1, links=1, target=None):
    """A thing in a shelf."""
    return Item(path, kind, size, size, 5, 0o644, 1, inode, links, target)


class Parts(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_a_file_is_wholly_old_or_wholly_new(self):
        path = self.folder / "x"
        path.write_text("old")
        for failure in (OSError("full"), KeyboardInterrupt()):
            with self.assertRaises(type(failure)), replacing(str(path)) as neighbour:
                Path(neighbour).write_text("half")
                raise failure
            self.assertEqual((path.read_text(), os.listdir(self.folder)), ("old", ["x"]))
        with replacing(str(path)) as neighbour:
            Path(neighbour).write_text("new")
            self.assertEqual(path.read_text(), "old")
        self.assertEqual((path.read_text(), os.listdir(self.folder)), ("new", ["x"]))

    def test_the_logbook_reads_on_while_it_is_marked(self):
        book = Logbook(str(self.folder / "l"))
        first, second = (
            TripShelf(book, "name", number, Folder(f"s{number}", f"/k/{number}", f"/l/{number}", "k", "l"))
            for number in range(2)
        )
        names = [f"f{number:05d}" for number in range(2500)]
        stock = Stock(first, [item("", FOLDER), item("a", FOLDER), item("a b"), item("a/x\udcff"), *map(item, names)])
        self.assertEqual(len(stock.differences()["new"]), 2504)
        stock.adopt()
        self.assertEqual([row.item.path for row in book.rows(0)][:4], ["", "a", "a b", "a/x\udcff"])
        seen = []
        for row in book.rows(0, LISTED, kind=FILE):
            seen.append(row.item.path)
            book.mark(0, [(row.item.path, VERIFIED, "d", None, False)])
        self.assertEqual(len(seen), 2502)
        self.assertEqual((book.totals(0, VERIFIED), book.totals(0, LISTED)), ((2502, 2502), (0, 0)))
        stock = Stock(first, [item("", FOLDER), item("a b", size=2), *map(item, names[1:]), item("new")])
        found = stock.differences()
        self.assertEqual(
            (found["new"], found["changed"], sorted(found["vanished"])),
            (["new"], ["a b"], ["a", "a/x\udcff", names[0]]),
        )
        stock.adopt()
        self.assertEqual(
            [(row.item.path, row.digest) for row in book.rows(0, LISTED, kind=FILE)], [("a b", "d"), ("new", None)]
        )
        with self.assertRaises(ZeroDivisionError), book.together():
            book.record({Fact.NOTED: True})
            raise ZeroDivisionError
        self.assertIsNone(book.fact(Fact.NOTED))
        Stock(
            second,
            [
                item("b", inode=7, links=2),
                item("a", inode=7, links=2),
                item("c", inode=8, links=3),
                item("l", LINK, target="x"),
            ],
        ).adopt()
        self.assertEqual(book.hard_links(1), {"b": "a"})
        stock = Stock(second, [item("a", inode=9), item("b", inode=9), item("c", inode=8), item("l", LINK, target="y")])
        self.assertEqual(stock.differences()["changed"], ["l"])
        book.close()

    def test_names_fit_to_print(self):
        self.assertEqual(show("a\udcff\n\x1b[31mé"), "a\\xff\\n\\x1b[31mé")
        self.assertEqual(show(b"\xff"), "\\xff")

    def test_a_bar_on_a_terminal_and_plain_lines_elsewhere(self):
        options = argparse.Namespace(json=False, quiet=False, yes=False)
        with (
            mock.patch.object(screens, "PATIENCE", -1.0),
            mock.patch.object(screens, "PLAIN_EVERY", -1.0),
            redirect_stderr(io.StringIO()),
        ):
            for terminal, words in (
                (True, "1/4"),
                (True, "5/10 bytes"),
                (True, "Waiting until it is closed; then it continues automatically: player uses x\n"),
                (False, "haul 50% (2,000 of 4,000 files, copy): odd\\n.wav\n"),
            ):
                screen = screens.Screen(options)
                screen.err = Console(file=io.StringIO(), force_terminal=terminal, width=80)
                with screen.watch() as watch:
                    watch(Tick("haul", "odd\n.wav", 5, 10, "2,000 of 4,000 files, copy", in_bytes=True))
                    watch(Tick("check", "b.wav", 1, 4))
                    watch(Tick(WAITING, "player uses x", 0, 0))
                self.assertIn(words, screen.err.file.getvalue())
                self.assertEqual(screen.rendering.bar_width(screen.err), 20, "at 80 columns")
            options.quiet = True
            silent = screens.Screen(options)
            silent.err = Console(file=io.StringIO())
            with silent.watch() as watch:
                watch(Tick("haul", "a", 1, 2))
            self.assertEqual(silent.err.file.getvalue(), "")


class Decisions(WorldCase):
    def test_what_is_given_as_a_plan_and_is_none_says_so(self):
        library, listed, half = self.top / "library.db", self.top / "my list.m3u8", self.top / "half.toml"
        with closing(sqlite3.connect(library)) as database, database:
            database.execute("CREATE TABLE track (place TEXT)")
        listed.write_text("#EXTM3U\n/keel/a.wav\n")
        half.write_text("[[shelf]\n")
        for path in (library, listed):
            for command, help_for_it in (
                ("haul", "saltcart draft"),
                ("mend", f"mend --ledger {shlex.quote(str(path))}"),
            ):
                said = self.run_program(command, path, status=2).stderr
                self.assertIn(f"{path.name} is not a plan", said)
                self.assertIn(help_for_it, said)
        self.assertIn("line 1", self.run_program("haul", half, status=2).stderr)

    def test_strays_of_one_name_and_a_second_look(self):
        wav(self.shelf / "x.wav")
        for number, folder in enumerate(("Downloads", "Desk/Downloads")):
            wav(self.keel / folder / "take.wav", number + 3)
        lists = self.keel / "l.m3u8"
        lists.write_text(f"{self.shelf}/x.wav\n{self.keel}/Downloads/take.wav\n{self.keel}/Desk/Downloads/take.wav\n")
        text = lists.read_bytes()
        self.run_program("draft", str(self.shelf), "--to", str(self.lighter), "-o", "w.toml")
        finds = self.run_json("tidy", str(self.keel), "--ledger", str(lists))["finds"]
        numbers = [str(find["number"]) for find in finds if find["kind"] == "stray"]
        self.assertEqual(len(numbers), 2)
        for _twice in range(2):
            self.run_program("tidy", "--into", "w.toml", f"{numbers[0]}-{numbers[-1]}", "--ledger", str(lists))
        self.assertEqual((self.top / "w.toml").read_text().count("[[gather]]"), 2)
        trip = self.run_json("haul", "w.toml")["trip"]
        self.run_program("repoint", trip, "--yes")
        gathered = self.lighter / "Bell Tones" / "Gathered" / "Downloads"
        self.assertEqual(
            lists.read_text().splitlines()[1:],
            sorted(
                map(str, [gathered / "take (2).wav", gathered / "take.wav"]),
                reverse=lists.read_text().splitlines()[1].endswith("take.wav"),
            ),
        )
        self.assertEqual(
            {path.read_bytes() for path in gathered.iterdir()},
            {(self.keel / name / "take.wav").read_bytes() for name in ("Downloads", "Desk/Downloads")},
        )
        shown = self.run_program("trips", trip).stdout
        self.assertIn("switched: ledgers updated", shown)
        self.run_program("undo", trip, "--yes", "--drop-copies")
        self.assertEqual(lists.read_bytes(), text)
        self.assertEqual([name for name in tree(self.lighter) if b"take" in name], [])

    def test_a_waybill_edited_by_hand_chooses_for_each_shelf(self):
        other = self.keel / "Sounds" / "Horns"
        wav(self.shelf / "x.wav")
        wav(other / "y.wav", 2)
        lists = self.keel / "l.m3u8"
        lists.write_text(f"{self.shelf}/x.wav\n{other}/y.wav\n")
        self.run_program(
            "draft", str(self.shelf), str(other), "--to", str(self.lighter), "--ledger", str(lists), "-o", "w.toml"
        )
        path = self.top / "w.toml"
        head, first, second = path.read_text().split("[[shelf]]")
        second = second.replace('leave = "nothing"', 'leave = "signpost"').replace(
            'entries = "rewrite"', 'entries = "keep"'
        )
        path.write_text(
            "[[shelf]]".join([head, first.replace('/Bell Tones"\nfrom_drive', '/Renamed"\nfrom_drive'), second])
        )
        trip = self.run_json("haul", "w.toml")["trip"]
        self.run_program("repoint", trip, "--yes")
        self.assertEqual(lists.read_text(), f"{self.lighter}/Renamed/x.wav\n{other}/y.wav\n")
        self.assertEqual(os.readlink(other), str(self.lighter / "Horns"))
        self.assertFalse(os.path.lexists(self.shelf))
        self.assertTrue(json.loads(self.run_program("check", trip, "--json").stdout)["ok"])
