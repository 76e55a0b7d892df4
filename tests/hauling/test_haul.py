"""The haul with many files and strange ones, its manifest, its pace, and the ways back."""

import errno
import os
import random
import shutil
import signal
import subprocess
import sys
import time
import unittest
from contextlib import contextmanager
from pathlib import Path
from typing import ClassVar
from unittest import mock

import psutil
from blake3 import blake3

import saltcart
from saltcart.drives.limits import NAMES
from saltcart.errors import Stopped
from saltcart.hauling import file_copy as file_copy
from saltcart.hauling import haul
from saltcart.hauling import workers as workers
from saltcart.hauling.file_copy import FileCopy, copy_file
from saltcart.own_names import short_name
from saltcart.shelves.digests import digest_file
from saltcart.trips.locks import locked
from saltcart.trips.trip import names
from tests.world import PLAYER_MAP, PROGRAM, ROOT, WorldCase, tree, wav

MANIFEST = ".saltcart.b3"


class HaulCase(WorldCase):
    def setUp(self):
        super().setUp()
        for number in range(6):
            wav(self.shelf / f"{number}.wav", number)
        self.enterContext(mock.patch.dict(os.environ, self.environment))
        self.waybill, self.place = str(self.top / "w.toml"), self.lighter / "Bell Tones"

    def draft(self, *words):
        """A fresh draft of the shelf."""
        self.run_program("draft", str(self.shelf), "--to", str(self.lighter), "-o", self.waybill, "--force", *words)

    def fill(self, count):
        """Many small files in a few folders."""
        for number in range(count):
            folder = self.shelf / f"Pack {number % 7}"
            folder.mkdir(exist_ok=True)
            (folder / f"sound {number}.wav").write_bytes(random.Random(number).randbytes(200 + number))


class Many(HaulCase):
    def setUp(self):
        super().setUp()
        self.fill(450)
        self.draft()
        self.enterContext(mock.patch("saltcart.hauling.shelf_copy.GROUP_FILES", 60))

    def test_several_processes_copy_what_one_would(self):
        trip, report = saltcart.haul_waybill(self.waybill)
        self.assertEqual((report.copied_files, tree(self.place)), (456, tree(self.shelf)))
        self.assertTrue(saltcart.check_trip(trip, digests=True).ok)
        victim = self.place / "Pack 3" / "sound 3.wav"
        victim.write_bytes(bytes(victim.stat().st_size))
        (found,) = saltcart.check_trip(trip, digests=True).shelves[0].problems
        self.assertEqual((found.path, found.verdict), (str(victim), "altered"))

    def test_a_helper_that_is_ended_stops_the_haul_and_the_next_goes_on(self):
        real = workers.copy_file

        def dying(one, tell):
            if one.path.endswith("/sound 300.wav"):
                os._exit(9)
            return real(one, tell)

        with mock.patch.object(workers, "copy_file", dying), self.assertRaisesRegex(Stopped, "ended from outside"):
            saltcart.haul_waybill(self.waybill)
        self.assertEqual([path for path in self.place.rglob("*") if path.name.startswith(".saltcart-")], [])
        self.assertEqual(saltcart.haul(names()[-1]).there_already, 0)
        self.assertEqual(tree(self.place), tree(self.shelf))

    def test_a_helper_that_is_ended_while_work_is_handed_out(self):
        def slow(tasks, batches=workers.batches):
            return (time.sleep(0.1) or batch for batch in batches(tasks))

        with mock.patch.object(workers, "batches", slow):
            self.test_a_helper_that_is_ended_stops_the_haul_and_the_next_goes_on()

    def test_helpers_end_with_a_program_that_is_killed(self):
        code = (
            "import time, saltcart.hauling.workers as c, saltcart.cli.main as m\nc.copy_file = lambda *_: (print('on',"
            " flush=True), time.sleep(30))\nm.main()"
        )
        child = subprocess.Popen(
            [sys.executable, "-c", code, "haul", self.waybill],
            env=self.environment,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
        )
        self.addCleanup(child.stdout.close)
        child.stdout.readline()
        helpers = psutil.Process(child.pid).children()
        self.assertTrue(helpers)
        child.send_signal(signal.SIGKILL)
        child.wait()
        self.assertEqual(psutil.wait_procs(helpers, 5)[1], [])
        self.run_program("haul", self.waybill)
        self.assertEqual(tree(self.place), tree(self.shelf))


class Strange(HaulCase):
    def test_holes_stay_holes(self):
        sparse = self.shelf / "sparse.wav"
        with sparse.open("wb") as stream:
            stream.write(b"head")
            stream.seek(5_000_000)
            stream.write(b"middle")
            stream.truncate(9_000_000)
        self.draft()
        saltcart.haul_waybill(self.waybill)
        copy = self.place / "sparse.wav"
        self.assertEqual(copy.read_bytes(), sparse.read_bytes())
        if sparse.stat().st_blocks * 512 < 1_000_000:
            self.assertLess(copy.stat().st_blocks * 512, 1_000_000)
        self.assertIn(
            f"{blake3(sparse.read_bytes()).hexdigest()}  Bell Tones/sparse.wav\n",
            Path(f"{self.place}{MANIFEST}").read_text(),
        )

    def test_no_manifest_is_written_where_the_drive_has_gone(self):
        self.draft()
        marker = self.lighter / ".saltcart-drive.toml"
        gone = mock.patch.object(haul.ShelfCopy, "finish_folders", lambda _copy: marker.rename(self.top / "marker"))
        with gone, self.assertRaisesRegex(Stopped, "manifest"):
            saltcart.haul_waybill(self.waybill)
        self.assertFalse(os.path.exists(f"{self.place}{MANIFEST}"))
        (self.top / "marker").rename(marker)
        with mock.patch.object(haul, "write_manifest", side_effect=[OSError(28, "No space left on device")]):
            self.assertIn("no manifest could be written", saltcart.haul(names()[-1]).remarks[-1])

    @contextmanager
    def third_file_failing(self, times):
        """As if reading one file failed so many times."""
        real, bad, failures = os.pread, os.stat(self.shelf / "3.wav").st_ino, [OSError(5, "Input/output error")] * times

        def failing(handle, size, start):
            if os.fstat(handle).st_ino == bad and failures:
                raise failures.pop()
            return real(handle, size, start)

        with mock.patch.object(file_copy, "PAUSE_SECONDS", 0), mock.patch.object(file_copy.os, "pread", failing):
            yield

    def stopped_trip(self, *words):
        """A trip whose third file cannot be read."""
        self.draft(*words)
        with self.third_file_failing(9), self.assertRaisesRegex(Stopped, "1 file"):
            saltcart.haul_waybill(self.waybill)
        return names()[-1]

    def test_reads_that_fail_are_tried_again(self):
        self.draft()
        with self.third_file_failing(2):
            saltcart.haul_waybill(self.waybill)
        self.assertEqual(tree(self.place), tree(self.shelf))

    def test_a_file_that_cannot_be_read_is_accepted_and_its_original_kept(self):
        (self.keel / "list.m3u").write_text(f"{self.shelf}/3.wav\n{self.shelf}/2.wav\n")
        trip = self.stopped_trip("--ledger", str(self.keel / "list.m3u"))
        self.run_program("haul", trip, "--accept", "[34].wav", "7.wav", status=2)
        self.assertIn("5 files", self.run_program("haul", trip, "--accept", "3.wav").stdout)
        self.run_program("repoint", trip, "--yes")
        told = self.run_program("check", trip).stdout
        self.assertIn("goes without it, as accepted", " ".join(told.split()))
        self.run_program("report", trip, "-o", self.top / "page.html")
        self.assertIn("Not checked, or not copied", (self.top / "page.html").read_text())
        check = self.run_json("check", trip)
        self.assertEqual(
            ([Path(one["path"]).name for one in check["shelves"][0]["accepted"]], check["broken_before"]["missing"]),
            (["3.wav"], 1),
        )
        self.assertIn("3.wav", self.run_program("release", trip, "--yes", "--own", status=1).stdout)
        self.assertEqual([path.name for path in self.shelf.parent.glob(".*set-aside*/*")], ["3.wav"])
        self.assertEqual(len(list(self.place.glob("*.wav"))), 5)

    def test_a_file_that_cannot_be_read_is_left_out(self):
        trip = self.stopped_trip()
        self.run_program("haul", self.waybill, "--exclude", "3.wav", status=2)
        shutil.move(self.shelf / "5.wav", self.top)  # of which the copy is all there is in its place
        self.run_program("haul", trip, "--exclude", "[345].wav")
        self.run_program("repoint", trip, "--yes")
        self.assertEqual(
            (sorted(os.listdir(self.shelf)), sorted(os.listdir(self.place))),
            (["3.wav", "4.wav"], ["0.wav", "1.wav", "2.wav", "5.wav"]),
        )
        self.run_program("undo", trip, "--yes")
        self.assertEqual(len(list(self.shelf.glob("*.wav"))), 5)

    def test_the_manifest_is_what_the_checksum_commands_read(self):
        (self.shelf / "new\nline \\ slash.wav").write_bytes(b"x")
        self.draft()
        saltcart.haul_waybill(self.waybill)
        lines = Path(f"{self.place}{MANIFEST}").read_bytes().splitlines()
        self.assertIn(b"\\" + blake3(b"x").hexdigest().encode() + b"  Bell Tones/new\\nline \\\\ slash.wav", lines)
        self.assertEqual(len(lines), len([path for path in self.shelf.rglob("*") if path.is_file()]))
        self.assertIn("is as it was", self.run_program("check", str(self.place), "--digests").stdout)
        (self.place / "1.wav").write_bytes((self.place / "2.wav").read_bytes())
        (self.place / "4.wav").unlink()
        (self.place / "later.wav").touch()
        found = self.run_json("check", str(self.place), "--digests", status=1)["shelves"][0]["problems"]
        self.assertEqual(
            [(os.path.basename(one["path"]), one["verdict"]) for one in found],
            [("4.wav", "missing"), ("1.wav", "altered")],
        )
        self.run_program("check", str(self.shelf), "--digests", status=3)
        self.assertIn("add --digests", self.run_program("check", str(self.shelf), status=2).stderr)
        self.run_program("check", str(self.shelf), "--digests", "--write")
        self.run_program("check", str(self.shelf), "--digests")
        self.run_program("check", str(self.shelf), "--digests", "--write", "--sha256")
        subprocess.run(
            ["sha256sum", "--check", "--quiet", f"{self.shelf}.saltcart.sha256"], cwd=self.shelf.parent, check=True
        )
        Path(f"{self.place}{MANIFEST}").write_text("nonsense\n")
        self.assertIn("line 1", self.run_program("check", str(self.place), "--digests", status=2).stderr)

    @unittest.skipUnless(ROOT, "only root can give files away")
    def test_what_root_makes_belongs_to_whom_the_sounds_belong_to(self):
        """New folders above the shelf, the copies and the manifest."""
        for path in (self.shelf, *self.shelf.rglob("*")):
            os.chown(path, 1234, 1234)
        self.run_program("move", self.shelf, "--to", self.lighter / "A" / "B", "--yes", "--no-search", status=None)
        top = self.lighter / "A"
        owners = {str(path): path.stat().st_uid for path in (top, *top.rglob("*"))}
        self.assertEqual(set(owners.values()), {1234}, owners)

    def test_sha256_on_request(self):
        self.fill(250)
        self.draft("--sha256")
        trip, _report = saltcart.haul_waybill(self.waybill)
        listed = f"{self.place}.saltcart.sha256"
        subprocess.run(["sha256sum", "--check", "--quiet", listed], cwd=self.lighter, check=True)
        self.assertEqual(Path(listed).read_text().count("\n"), 256)
        self.run_program("check", trip, "--digests")
        (self.place / "1.wav").write_bytes(bytes((self.place / "1.wav").stat().st_size))
        for words in (["check", trip], ["check", str(self.place)]):
            found = self.run_json(*words, "--digests", status=1)["shelves"][0]["problems"]
            self.assertEqual([(os.path.basename(one["path"]), one["verdict"]) for one in found], [("1.wav", "altered")])
        saltcart.haul(trip)
        saltcart.undo(trip, drop_copies=True)
        self.assertFalse(os.path.exists(listed))

    @unittest.skipUnless(ROOT, "mounting needs root")
    def test_on_one_drive_blocks_are_shared(self):
        image, drive = self.top / "image", self.top / "drive"
        with image.open("wb") as stream:
            stream.truncate(400 << 20)
        drive.mkdir()
        for words in (["mkfs.xfs", "-q", str(image)], ["mount", "-o", "loop", str(image), str(drive)]):
            if not shutil.which(words[0]) or subprocess.run(words, capture_output=True, check=False).returncode:
                self.skipTest(f"{words[0]} does not work here")
        self.addCleanup(subprocess.run, ["umount", str(drive)], check=True)
        shelf = drive / "Old" / "Takes"
        wav(shelf / "1.wav")
        (shelf / "long.wav").write_bytes(os.urandom(150_000_000))
        os.sync()
        free = os.statvfs(drive).f_bfree * os.statvfs(drive).f_frsize
        self.run_program("move", str(shelf), "--to", str(drive / "New"), "--yes")
        os.sync()
        self.assertLess(free - os.statvfs(drive).f_bfree * os.statvfs(drive).f_frsize, 20_000_000)
        self.assertEqual((drive / "New/Takes/long.wav").stat().st_size, 150_000_000)
        self.run_program("check", "--digests")
        self.run_program("release", "--yes", "--own")

    @unittest.skipUnless(ROOT, "mounting needs root")
    def test_a_drive_that_is_mounted_elsewhere_between_two_steps(self):
        image, places = self.top / "image", [self.top / "media" / name for name in ("lighter", "lighter1")]
        with image.open("wb") as stream:
            stream.truncate(20 << 20)
        for place in places:
            place.mkdir(parents=True)
        for words in (["mkfs.ext4", "-q", "-F", str(image)], ["mount", "-o", "loop", str(image), str(places[0])]):
            if not shutil.which(words[0]) or subprocess.run(words, capture_output=True, check=False).returncode:
                self.skipTest(f"{words[0]} does not work here")
        for place in places:
            self.addCleanup(subprocess.run, ["umount", str(place)], capture_output=True, check=False)
        ledger = self.keel / "list.m3u8"
        ledger.write_text(f"{self.shelf}/1.wav\n")
        self.run_program(
            "draft", str(self.shelf), "--to", str(places[0] / "Sounds"), "-o", self.waybill, "--ledger", str(ledger)
        )
        trip = self.run_json("haul", self.waybill)["trip"]
        subprocess.run(["umount", str(places[0])], check=True)
        self.assertIn("is not connected", self.run_program("repoint", "--yes", status=3).stderr)
        subprocess.run(["mount", "-o", "loop", str(image), str(places[1])], check=True)
        self.run_program("repoint", "--yes")
        self.assertEqual(ledger.read_text(), f"{places[1]}/Sounds/Bell Tones/1.wav\n")
        self.run_program("check", "--digests")
        subprocess.run(["umount", str(places[1])], check=True)
        self.assertIn("connect it, nothing is lost", self.run_program("check", status=1).stdout)
        self.assertIn("--without-new", self.run_program("undo", "--yes", status=3).stderr)
        undone = self.run_json("undo", "--yes", "--drop-copies", "--without-new", status=1)
        self.assertIn("their drive is not connected", undone["remarks"][0])
        self.assertEqual(ledger.read_text(), f"{self.shelf}/1.wav\n")
        subprocess.run(["mount", "-o", "loop", str(image), str(places[0])], check=True)
        self.run_program("undo", trip, "--yes", "--drop-copies")
        self.assertFalse((places[0] / "Sounds").exists())


class Ways(HaulCase):
    def test_a_limit_is_kept(self):
        (self.shelf / "long.wav").write_bytes(random.Random(1).randbytes(300_000))
        self.draft()
        began = time.monotonic()
        self.run_program("haul", self.waybill, "--limit", "0.4M")
        self.assertGreater(time.monotonic() - began, 1.4)
        self.assertIn("is not a speed", self.run_program("haul", self.waybill, "--limit", "fast", status=2).stderr)

    def test_a_shelf_or_ledger_that_another_trip_works_on(self):
        self.draft()
        lock = self.top / "home" / "locks" / short_name(str(self.shelf), 16)
        lock.parent.mkdir(parents=True)
        with locked(str(lock)):
            self.assertIn(f"working on {self.shelf}", self.run_program("haul", self.waybill, status=3).stderr)
        self.run_program("haul", self.waybill)

    def test_waiting_for_a_program_to_be_closed(self):
        ledger = self.keel / "list.m3u8"
        ledger.write_text(f"{self.shelf}/1.wav\n")
        self.draft("--ledger", str(ledger))
        self.run_program("haul", self.waybill)
        player = subprocess.Popen(
            [sys.executable, "-c", f"stream = open({str(ledger)!r}); import time; time.sleep(60)"]
        )
        self.addCleanup(player.kill)
        while not any(file.path == str(ledger) for file in psutil.Process(player.pid).open_files()):
            time.sleep(0.05)
        self.assertIn("--wait", self.run_program("repoint", "--yes", status=3).stderr)
        waiting = subprocess.Popen(
            [PROGRAM, "repoint", "--yes", "--wait"],
            env=self.environment,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
        )
        said = waiting.stderr.readline().decode()
        self.assertIn(f"(process {player.pid}) has {ledger} open", said)
        time.sleep(1.5)
        self.assertIsNone(waiting.poll())
        player.kill()
        player.wait()
        self.assertEqual(waiting.communicate(timeout=300)[1], b"", "said once")
        self.assertEqual(waiting.returncode, 0)
        self.assertEqual(ledger.read_text(), f"{self.place}/1.wav\n")

    def test_the_trash(self):
        self.environment["XDG_DATA_HOME"] = str(self.top / "data")
        (self.top / "user").mkdir()
        originals = tree(self.shelf)
        self.run_program("move", str(self.shelf), "--to", str(self.lighter), "--yes")
        done = self.run_program("release", "--yes", "--own", "--trash")
        self.assertIn("empty it to gain the space", done.stdout)
        (trashed,) = (self.top / "data" / "Trash" / "files").iterdir()
        self.assertEqual(tree(trashed), originals)

    def test_the_way_back_after_a_release_makes_a_signpost_give_room(self):
        ledger = self.keel / "list.m3u8"
        ledger.write_text(f"{self.shelf}/1.wav\n")
        before = tree(self.keel)
        trip = self.run_json(
            "move", str(self.shelf), "--to", str(self.lighter), "--ledger", str(ledger), "--signpost", "--yes"
        )["trip"]
        self.run_program("move", str(self.place), "--to", str(self.shelf.parent), "--yes", status=3)
        self.run_program("release", trip, "--yes", "--own")
        self.assertIn("makes room", self.run_program("undo", trip, "--plan", "back.toml").stdout)
        self.run_program("haul", "back.toml")
        self.run_program("undo", "--yes", "--drop-copies")
        self.assertEqual(os.readlink(self.shelf), str(self.place), "the signpost stands again")
        self.run_program("haul", "back.toml")
        self.run_program("repoint", "--yes")
        self.assertEqual(tree(self.keel, MANIFEST), before)
        self.run_program("check")


class OnItsDrive(WorldCase):
    """A shelf that gets a new place on a drive whose files can have two names."""

    kinds: ClassVar = {"keel": "ext4"}

    def setUp(self):
        super().setUp()
        self.furnish()
        self.attic = self.keel / "Attic" / "Bell Tones"
        os.link(self.shelf / "low/C1.wav", self.shelf / "low/again.wav")
        self.before = tree(self.keel, "library.db")
        self.words = [
            str(self.shelf),
            "--to",
            str(self.attic.parent),
            "--ledger",
            *self.ledgers,
            "--map",
            str(PLAYER_MAP),
            "--yes",
        ]

    def test_nothing_is_copied_and_all_of_it_can_be_taken_back(self):
        plan = self.run_program("draft", *self.words[:-1], "-o", str(self.top / "w.toml"))
        self.assertIn("nothing is copied, and no room is needed", " ".join(plan.stdout.split()))
        listed = (self.shelf / "inside.m3u8").stat().st_size
        moved = self.run_json("move", *self.words)
        self.assertEqual(
            (moved["copied_files"], moved["named_files"]), (1, 5)
        )  # its ledger is copied, for programs write to such
        aside = next(self.shelf.parent.glob(".Bell Tones.set-aside-*"))
        for path in self.attic.rglob("*.*"):
            self.assertEqual(path.samefile(aside / path.relative_to(self.attic)), path.suffix == ".wav", path)
        self.assert_all_play()
        with (self.attic / "low/D1 #2.wav").open("ab") as stream:
            stream.write(b"edited")
        undone = self.run_json("undo", "--yes", "--drop-copies")
        self.assertEqual((undone["remarks"], undone["dropped_files"], undone["dropped_bytes"]), ([], 7, listed))
        self.assertFalse(self.attic.exists())
        after = tree(self.keel, "library.db", "Attic")
        self.assertEqual(
            [name for name in after if after[name] != self.before.get(name)], [b"Sounds/Bell Tones/low/D1 #2.wav"]
        )
        self.assertEqual(after.keys(), self.before.keys())
        self.assert_all_play()

    def test_release_leaves_the_files_under_their_new_names(self):
        self.run_program("move", *self.words)
        self.run_program("release", "--yes", "--own")
        self.assertEqual([name for name in tree(self.keel) if b"set-aside" in name], [])
        self.assertEqual({path.stat().st_nlink for path in self.attic.rglob("*.wav") if path.parent.name != "low"}, {1})
        self.run_program("check", "--digests")
        self.assert_all_play()

    def test_where_names_cannot_be_given_the_files_are_copied(self):
        with mock.patch.object(os, "link", side_effect=OSError(errno.EPERM, "no")):
            self.assertEqual(
                copy_of(self.shelf / "low/D1 #2.wav", self.top / "copy"), digest_file(str(self.shelf / "low/D1 #2.wav"))
            )
            self.assertEqual((self.top / "copy").stat().st_nlink, 1)
            full = mock.Mock(f_bavail=2_000, f_bfree=2_000, f_blocks=100_000, f_frsize=4096, f_flag=0, f_fsid=1)
            with (
                mock.patch.object(os, "statvfs", return_value=full),
                self.assertRaisesRegex(OSError, "not enough free space"),
            ):
                copy_of(self.shelf / "low/D1 #2.wav", self.top / "other")
        self.assertFalse((self.top / "other").exists())


def copy_of(path, temporary):
    """Copy one file as if it stayed on its drive; its digest."""
    state = path.stat()
    return copy_file(
        FileCopy(
            path.name,
            str(path),
            str(temporary),
            "",
            state.st_size,
            state.st_blocks * 512,
            state.st_mtime_ns,
            state.st_mtime_ns,
            state.st_mode & 0o7777,
            NAMES,
        )
    ).digest
