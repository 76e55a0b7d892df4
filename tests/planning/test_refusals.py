"""Bad input: a clear error, the right exit status, and nothing changed."""

import os
import shutil
import sqlite3
import subprocess
import sys
import unittest
from contextlib import closing
from pathlib import Path

from tests.world import PLAYER_MAP, ROOT, WorldCase, tree, wav


class Refusals(WorldCase):
    def setUp(self):
        super().setUp()
        self.furnish()

    def refused(self, *words, status=3, says=()):
        """The command is refused with these words and changes nothing but our own data."""
        before = tree(self.top, "home")
        done = self.run_program(*words, status=status)
        for text in [says] if isinstance(says, str) else says:
            self.assertIn(text, done.stderr)
        if status != 4:
            self.assertEqual(tree(self.top, "home"), before)
        return done

    def test_shelf_and_destination(self):
        sounds, file = self.keel / "Sounds", self.ledgers[0]
        small = self.drive("small", capacity=5000)
        shutil.copytree(self.shelf, self.lighter / "other" / "Bell Tones")
        wav(self.lighter / "other" / "Bell Tones" / "low" / "C1.wav", 50)
        cases = [
            ((sounds / "absent", "--to", self.lighter), "There is no shelf at"),
            ((self.shelf, "--to", sounds), "is already there"),
            ((self.shelf, "--to", self.shelf / "low"), "lies inside the shelf itself"),
            ((self.keel, "--to", self.lighter), "is a whole drive"),
            ((self.shelf, "--to", file), "is a file"),
            ((self.shelf, "--to", small), "the trip needs"),
            ((self.shelf, self.shelf / "low", "--to", self.lighter), "overlap"),
            ((self.shelf, "--to", self.lighter / "other"), ("already contains 1 other", "C1.wav")),
            ((self.shelf, "--to", self.lighter, "--ledger", sounds / "no.m3u"), "There is no ledger"),
            ((self.shelf, "--to", self.lighter, "--ledger", self.shelf), "is not a file"),
        ]
        for words, says in cases:
            with self.subTest(says):
                self.refused("move", *map(str, words), "--yes", says=says)

    def test_a_place_on_a_drive_that_is_known_and_not_connected(self):
        """What cart.toml says of a drive counts before its first trip too: nothing is written into the hole."""
        hole = self.top / "ballast"
        cart = self.top / "cart.toml"
        cart.write_text(f'[[drive]]\nname = "ballast"\nidentity = "test-ballast"\nmount = "{hole}"\n')
        for words in (("move", self.shelf, "--to", hole / "Sounds"), ("carry", self.shelf, "--to", hole / "Booth")):
            for there in (False, True):
                with self.subTest(words[0], empty_folder_is_there=there):
                    if there:
                        hole.mkdir()
                    said = self.run_program(*words, "--cart", cart, "--yes", status=3).stderr
                    self.assertIn("the drive ballast is not connected", said)
                    self.assertFalse(hole.exists() and os.listdir(hole))
                    shutil.rmtree(hole, ignore_errors=True)

    def test_what_is_marked_as_not_to_be_changed(self):
        """A shelf is refused before it is copied; of single files the draft says that release cannot remove them."""
        victim = self.shelf / "low" / "C1.wav"

        def mark(sign, path):
            return subprocess.run(["chattr", f"{sign}i", path], capture_output=True).returncode == 0

        if not shutil.which("chattr") or not mark("+", self.shelf):
            self.skipTest("nothing can be marked so here")
        try:
            self.refused("move", *self.plan_words("--yes"), says=("marked as not to be changed", "chattr -i -a"))
        finally:
            mark("-", self.shelf)
        mark("+", victim)
        self.addCleanup(mark, "-", victim)
        words = self.plan_words("-o", self.top / "w.toml")
        remarks = " ".join(self.run_json("draft", *words)["remarks"])
        self.assertIn(f"1 locked file or folder in Bell Tones, such as {victim}", remarks)

    def test_same_size_other_content_is_refused_by_the_haul(self):
        shutil.copytree(self.shelf, self.new)
        victim = self.new / "low" / "C1.wav"
        victim.write_bytes(victim.read_bytes()[::-1])
        self.refused("move", *self.plan_words("--yes"), says=("already contains 1 other", "C1.wav"))
        self.assertEqual(self.run_json("trips")["trips"], [])

    @unittest.skipUnless(ROOT, "mounting needs root")
    def test_real_drives_full_and_read_only(self):
        mount = self.top / "stick"
        mount.mkdir()
        self.addCleanup(subprocess.run, ["umount", str(mount)], capture_output=True)
        subprocess.run(["mount", "-t", "tmpfs", "-o", "size=16k", "none", str(mount)], check=True)
        self.refused("move", str(self.shelf), "--to", str(mount), "--yes", says="bytes free")
        subprocess.run(["mount", "-o", "remount,ro", str(mount)], check=True)
        self.refused("move", str(self.shelf), "--to", str(mount / "x"), "--yes", says="mounted read-only")
        subprocess.run(["mount", "-o", "remount,rw", str(mount)], check=True)
        (mount / "Pack").mkdir()
        subprocess.run(["mount", "-o", "remount,ro", str(mount)], check=True)
        self.refused(
            "move",
            str(mount / "Pack"),
            "--to",
            str(self.lighter),
            "--yes",
            says=("cannot be set aside", "mounted read-only"),
        )

    def test_a_damaged_record_of_one_trip_leaves_the_others_be(self):
        words = (
            "move",
            str(self.keel / "Sounds/Bell Tones Extra"),
            "--to",
            str(self.lighter),
            "--ledger",
            self.ledgers[0],
            "--yes",
        )
        first = self.run_json(*words)["trip"]
        folder = self.top / "home" / "trips" / first
        kept = {name: (folder / name).read_bytes() for name in ("logbook.sqlite", "waybill.toml")}
        for name, says in (("logbook.sqlite", "is damaged"), ("waybill.toml", "not valid TOML")):
            (folder / name).write_bytes(b"x = [" * 200)
            self.refused("check", first, status=3 if name.startswith("log") else 2, says=says)
            told = self.run_program("trips", status=1)
            self.assertIn(says, told.stdout + told.stderr)
            self.run_program("draft", *self.plan_words("-o", str(self.top / "w.toml"), "--force"))
            (folder / name).write_bytes(kept[name])
        self.assertEqual(self.run_json("trips")["damaged"], [])
        self.run_program("undo", first, "--yes")

    def test_nothing_goes_to_a_drive_that_only_the_configuration_knows(self):
        """A shelf, single files, or an archive: what is there is an ordinary folder of this computer."""
        ballast = self.top / "ballast"
        cart = self.top / "cart.toml"
        cart.write_text(f'[[drive]]\nidentity = "test-ballast"\nname = "ballast"\nmount = "{ballast}"\n')
        archive = shutil.make_archive(str(self.keel / "pack"), "zip", self.shelf)
        for what in (self.shelf, self.shelf / "low" / "C1.wav", archive):
            for make in (False, True):
                with self.subTest(what, folder=make):
                    ballast.mkdir(exist_ok=True) if make else None
                    words = ("move", what, "--to", ballast / "Sounds", "--cart", cart, "--yes")
                    self.refused(*words, says="the drive ballast is not connected")

    def test_a_trip_of_an_older_version_is_checked_and_undone(self):
        before = tree(self.top, "home")
        trip = self.run_json("move", *self.plan_words("--yes"))["trip"]
        with closing(sqlite3.connect(self.top / "home" / "trips" / trip / "logbook.sqlite")) as book, book:
            book.execute("DELETE FROM fact WHERE name = 'format'")
            for table, column in (
                ("file", "ctime_ns"),
                ("file", "copy_inode"),
                ("file", "copy_ctime_ns"),
                ("entry", "after"),
            ):
                book.execute(f"ALTER TABLE {table} DROP COLUMN {column}")
        self.run_program("check", trip)
        self.run_program("undo", trip, "--yes", "--drop-copies")
        self.assertEqual(tree(self.top, "home"), before)

    def test_a_trip_of_a_newer_version_is_left_alone(self):
        trip = self.run_json("move", *self.plan_words("--yes"))["trip"]
        folder = self.top / "home" / "trips" / trip
        plan, before = folder / "waybill.toml", tree(self.top, "home")
        with closing(sqlite3.connect(folder / "logbook.sqlite")) as book, book:
            book.execute("INSERT OR REPLACE INTO fact VALUES ('format', '99')")
            book.execute("ALTER TABLE entry DROP COLUMN after")  # a later version may do without
            book.execute("DROP TABLE waiting")
        for command in ("check", "undo", "release", "report"):
            self.refused(command, trip, says="made by a newer version")
        with closing(sqlite3.connect(folder / "logbook.sqlite")) as book, book:
            schema = "".join(text for (text,) in book.execute("SELECT sql FROM sqlite_master WHERE sql IS NOT NULL"))
            self.assertNotRegex(schema, "waiting|after TEXT NOT NULL")
            book.execute("UPDATE fact SET value = '\"later\"' WHERE name = 'format'")
        self.refused("check", trip, says="made by a newer version")
        self.assertIn(f"Trip {trip} was made by a newer", self.run_program("trips", status=1).stdout)
        with closing(sqlite3.connect(folder / "logbook.sqlite")) as book, book:
            book.execute("DELETE FROM fact WHERE name = 'format'")  # as in those of the first versions
        text = plan.read_text()
        plan.write_text(text.replace("format = 1", "format = 2"))
        self.refused("undo", trip, status=2, says=("format 2", "Update Salt Cart"))
        self.assertEqual(tree(self.top, "home"), before)
        plan.write_text(text)
        self.run_program("undo", trip, "--yes")

    @unittest.skipUnless(ROOT, "mounting needs root")
    def test_another_drive_in_the_shelf(self):
        inner = self.shelf / "more sounds"
        inner.mkdir()
        self.addCleanup(subprocess.run, ["umount", str(inner)], capture_output=True)
        subprocess.run(["mount", "-t", "tmpfs", "none", str(inner)], check=True)
        (inner / "x.wav").touch()
        self.refused(
            "move", str(self.shelf), "--to", str(self.lighter), "--yes", says=(str(inner), "--exclude 'more sounds'")
        )
        self.run_program("move", str(self.shelf), "--to", str(self.lighter), "--exclude", "more sounds", "--yes")
        self.assertTrue((inner / "x.wav").exists())

    def test_ledgers_that_cannot_be_read(self):
        for name, data, says in [
            ("b.m3u", b"a\0b", "binary data"),
            ("t.db", b"text", "not an SQLite"),
            ("x.xyz", b"?", "saltcart learn"),
        ]:
            path = self.top / name
            path.write_bytes(data)
            maps = () if name == "x.xyz" else ("--map", str(PLAYER_MAP))
            with self.subTest(name):
                self.refused(
                    "move",
                    str(self.shelf),
                    "--to",
                    str(self.lighter),
                    "--ledger",
                    str(path),
                    *maps,
                    "--yes",
                    says=(str(path), says),
                )

    def test_locked_and_changed_ledgers(self):
        waybill, own = str(self.top / "w.toml"), self.top / "own.toml"
        # Other tests run beside this one: what runs here must be the program of no ledger of theirs.
        own.write_text(PLAYER_MAP.read_text().replace("petrel-player", "own-player"))
        words = [str(own) if word == str(PLAYER_MAP) else word for word in self.plan_words("-o", waybill)]
        self.run_program("draft", *words)
        trip = self.run_json("haul", waybill)["trip"]
        with closing(sqlite3.connect(self.library, isolation_level=None)) as database:
            database.execute("BEGIN EXCLUSIVE")
            self.refused("repoint", trip, "--yes", says=("library.db", "Close them"))
            database.execute("ROLLBACK")
        holder = subprocess.Popen(
            [sys.executable, "-c", "import sys; f = open(sys.argv[1]); print(1, flush=True); input()", self.ledgers[0]],
            stdin=-1,
            stdout=-1,
        )
        holder.stdout.readline()
        self.refused("repoint", trip, "--yes", says=("full.m3u8", str(holder.pid)))
        holder.communicate(b"\n")
        busy = subprocess.Popen(["sleep", "60"], executable=shutil.copy(shutil.which("sleep"), self.top / "own-player"))
        self.addCleanup(busy.wait)
        self.addCleanup(busy.kill)
        self.refused("repoint", trip, "--yes", says="own-player is running")
        busy.kill()
        busy.wait()
        with open(self.ledgers[0], "ab") as stream:
            stream.write(b"# changed\r\n")
        self.refused("repoint", trip, "--yes", says=("full.m3u8", "--reread"))
        self.run_program("repoint", trip, "--yes", "--reread")
        self.assertTrue(Path(self.ledgers[0]).read_bytes().endswith(b"# changed\r\n"))

    def test_maps_and_waybills_edited_into_nonsense(self):
        good = PLAYER_MAP.read_text()
        cases = [
            (good.replace("spelling =", "speling ="), ("line 9", 'unknown key "speling"')),
            (good.replace('"uri"', '"url"'), ("line 9", "is not one of")),
            (good.replace("table = ", "#", 1), ("line 6", '"table" is missing')),
            (good + "[", "not valid TOML"),
            ("\xff", "not UTF-8"),
        ]
        for text, says in cases:
            path = self.top / "m.toml"
            path.write_bytes(text.encode("latin-1") if text == "\xff" else text.encode())
            with self.subTest(says):
                words = [str(self.shelf), "--to", str(self.lighter), "--ledger", self.library, "--map", str(path)]
                self.refused("move", *words, "--yes", status=2, says=says)
        path.write_text(good + "# of the same name, and not the same\n")
        twins = self.refused("move", *self.plan_words("--map", str(path), "--yes"), says="Two maps are called")
        self.assertIn(str(path), twins.stderr)
        (self.top / "open.xspf").write_text("<playlist><broken")
        said = self.run_program("check", "--ledger", self.ledgers[1], str(self.top / "open.xspf"), status=1).stdout
        self.assertIn("2 of 2 entries work", said)  # one that cannot be read does not hide the others
        self.assertIn("not well-formed", said)
        (self.top / "open.xspf").unlink()
        path = self.top / "w.toml"
        self.run_program("draft", *self.plan_words("-o", str(path)))
        good = path.read_text()
        for old, new, says in [
            ("format = 1", "format = 9", "format 9"),
            ("care =", "car =", 'unknown key "car"'),
            ('leave = "nothing"', 'leave = "a mess"', "is not one of"),
            (f'to = "{self.new}"', 'to = "somewhere"', "is not a full path"),
            ("[[shelf]]", "[shelf]", "must be a list"),
            ("rewrite = true", 'rewrite = "yes"', "must be true or false"),
        ]:
            path.write_text(good.replace(old, new))
            with self.subTest(says):
                self.refused("haul", str(path), status=2, says=("w.toml", says))
        self.refused("haul", "nope.toml", status=2, says="nope.toml")
        for command in ("haul", "repoint", "check", "release", "undo", "trips"):
            self.refused(command, "zzzz", status=2, says="There is no trip zzzz")

    def test_a_drive_that_is_not_the_waybills(self):
        waybill = str(self.top / "w.toml")
        self.run_program("draft", *self.plan_words("-o", waybill))
        marker = self.lighter / ".saltcart-drive.toml"
        marker.rename(self.top / "marker")
        self.refused("haul", waybill, says=("its drive lighter is not connected", "nothing is lost"))
        (self.top / "marker").rename(marker)
        trip = self.run_json("haul", waybill)["trip"]
        self.run_program("repoint", trip, "--yes")
        self.lighter.rename(self.top / "unplugged")
        self.lighter.mkdir()
        report = self.run_json("check", trip, status=1)
        self.assertEqual((report["entries"]["missing"], report["entries"]["altered"]), (0, 0))
        self.assertEqual(report["entries"]["offline"], 11)
        self.assertIn("not connected", report["ledgers"][-1]["trouble"])
        self.refused("release", trip, "--yes", "--own", says="not connected")

    def test_a_shelf_that_changes_between_the_steps(self):
        waybill = str(self.top / "w.toml")
        self.run_program("draft", *self.plan_words("-o", waybill))
        (self.shelf / "low" / "C1.wav").unlink()
        wav(self.shelf / "new.wav", 30)
        done = self.run_json("haul", waybill)
        self.assertTrue(any("low/C1.wav is no longer" in remark for remark in done["remarks"]))
        self.assertTrue((self.new / "new.wav").exists())
        wav(self.shelf / "new.wav", 31)
        wav(self.shelf / "newer.wav", 32)
        (self.shelf / "low" / "D1 #2.wav").unlink()
        self.refused(
            "repoint",
            done["trip"],
            "--yes",
            says=("new.wav", "newer.wav", "vanished: ", "saltcart haul " + done["trip"]),
        )
        self.run_program("haul", done["trip"])
        self.run_program("repoint", done["trip"], "--yes")
        self.assertEqual(
            (self.new / "new.wav").read_bytes(),
            (self.keel / "Sounds" / f".Bell Tones.set-aside-{done['trip']}" / "new.wav").read_bytes(),
        )

    def test_a_ledger_that_cannot_spell_the_new_place_is_left_and_reported(self):
        before = Path(self.ledgers[2]).read_bytes()
        words = ("move", str(self.shelf), "--to", str(self.lighter / "łódź"), "--ledger", *self.ledgers)
        words = (*words, "--map", str(PLAYER_MAP), "--yes")
        self.refused(*words, says=("old.m3u", "has no letter ł", "--ignore"))
        done = self.run_program(*words, "--ignore", self.ledgers[2])
        self.assertEqual(Path(self.ledgers[2]).read_bytes(), before)
        self.assertIn("has no letter ł", done.stdout)
        self.assertIn("1 was left on purpose and does not work", done.stdout)
        self.assertIn("1 file still points to the old place, as you allowed", done.stdout)
        self.run_program("release", "--yes", "--own")
        self.assertTrue(Path(self.ledgers[0]).read_bytes().decode().count("łódź"))
