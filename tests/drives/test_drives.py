"""Every reason for and against a drive, on real file systems where this machine allows, on simulated ones elsewhere."""

import json
import os
import shutil
import subprocess
import unittest
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as some
from msgspec.structs import replace

from saltcart.drives.limits import ADVICE, FAT, HARD, PLAIN, Limits, allowed, folded, obstacles, renames_of
from saltcart.shelves.walk import Item
from saltcart.system import here
from saltcart.system.linux import identity as identity_of
from saltcart.system.linux_disks import hardware_of as facts_of
from tests.world import ROOT, WorldCase, tree, wav


def item(path, size=1, kind="file", links=1):
    """A thing in a walk."""
    return Item(path, kind, size, size, 0, 0o644, 1, 1, links, None)


class Simulated(WorldCase):
    def declare(self, name, **facts):
        """A simulated drive with these facts."""
        (self.top / name).mkdir()
        lines = [
            f"{key} = {json.dumps(value)}"
            for key, value in {"name": name, "identity": name, "capacity_bytes": 10**9, **facts}.items()
        ]
        (self.top / name / ".saltcart-drive.toml").write_text("\n".join(lines))
        return str(self.top / name)

    def reasons(self, *words, status=1, **facts):
        """The reasons against a drive of these facts, by kind: its weight."""
        place = self.declare(f"d{len(os.listdir(self.top))}", **facts)
        report = self.run_json("drives", place, *words, status=status)
        return {reason["kind"]: reason for reason in report["drives"][0]["reasons"]}, report["drives"][0]

    def test_state_and_speed(self):
        cases = [
            ({"read_only": True}, "read-only", "hard"),
            ({"health": "it is almost worn out"}, "health", "hard"),
            ({"network": True}, "network", "advice"),
            ({"bus_bits_per_second": 480_000_000}, "bus", "advice"),
            ({"spinning": True}, "spinning", "advice"),
        ]
        for facts, kind, weight in cases:
            with self.subTest(kind):
                found, drive = self.reasons(status=0, **facts)
                self.assertEqual({word: reason["weight"] for word, reason in found.items()}, {kind: weight})
                self.assertIsNone(drive["fits"])
        self.assertEqual(self.reasons(status=0)[0], {})

    def test_room_and_limits(self):
        wav(self.shelf / "one.wav", 3)
        (self.shelf / "huge.wav").touch()
        os.truncate(self.shelf / "huge.wav", 5 << 30)
        for name in ("a:b.wav", "con.wav", "end. ", "Same.wav", "same.wav", os.fsdecode(b"\xff.wav")):
            wav(self.shelf / name)
        os.symlink("one.wav", self.shelf / "link.wav")
        os.link(self.shelf / "one.wav", self.shelf / "twin.wav")
        os.mkfifo(self.shelf / "pipe")
        found, drive = self.reasons("--for", str(self.shelf), filesystem="vfat")
        hard = {kind for kind, reason in found.items() if reason["weight"] == "hard"}
        self.assertEqual(hard, {"file size", "room"})
        self.assertEqual(
            set(found) - hard,
            {
                "forbidden character",
                "reserved name",
                "trailing character",
                "same name",
                "undecodable name",
                "link",
                "hard link",
                "no file",
                "times",
            },
        )
        self.assertEqual(
            (drive["fits"], found["forbidden character"]["files"][0]["renamed"]), (False, "Bell Tones/a_b.wav")
        )
        os.unlink(self.shelf / "huge.wav")
        found, drive = self.reasons("--for", str(self.shelf), status=0, filesystem="vfat", capacity_bytes=10**7)
        self.assertEqual(
            (drive["fits"], drive["free_after_bytes"] + drive["need_bytes"], "units" in found),
            (True, drive["free_bytes"], True),
        )
        found, drive = self.reasons("--for", str(self.shelf), "--headroom", "90", status=0, capacity_bytes=200_000)
        self.assertEqual(found["headroom"]["weight"], "advice")

    def test_backups_away_and_same_drive(self):
        wav(self.shelf / "one.wav")
        anchor = self.declare("anchor", disk="sd1")
        (self.top / "anchor" / "Night Copies").mkdir()
        marker = self.keel / ".saltcart-drive.toml"
        marker.write_text(marker.read_text() + 'disk = "sd9"\n')
        same = self.declare("same", disk="sd9")
        cart = self.top / "cart.toml"
        cart.write_text(
            'backup_marks = ["Night Copies"]\n[[drive]]\nidentity = "marker:away"\nname ='
            ' "ballast"\n[[drive]]\nidentity = "marker:same"\nrole = "backup"\nspinning = true\n'
        )
        report = self.run_json("drives", anchor, same, str(self.keel), "--for", str(self.shelf), status=1)
        kinds = [{reason["kind"] for reason in drive["reasons"]} - {"units"} for drive in report["drives"]]
        self.assertIn({"backup"}, kinds)
        self.assertIn({"backup", "same disk", "spinning"}, kinds)
        self.assertIn({"same drive"}, kinds)
        marker.write_text(marker.read_text() + 'filesystem = "ext4"\n')
        (full,) = self.run_json("drives", str(self.keel), "--for", str(self.shelf), status=1)["drives"]
        self.assertEqual((full["need_bytes"], full["fits"]), (0, True))
        self.assertIn({"identity": "marker:away", "name": "ballast"}, self.run_json("drives")["away"])
        done = self.run_program("move", str(self.shelf), "--to", anchor, "--yes", status=3)
        self.assertIn("it is for backups", done.stderr)

    def test_measuring_cleans_up(self):
        before = tree(self.keel)
        report = self.run_json("drives", str(self.keel), "--measure", "keel", "--picture", str(self.top / "d.svg"))
        measured = report["drives"][0]["measured"]
        self.assertEqual(measured["voices"], int(measured["scattered_bytes_per_second"] / (48000 * 3 * 2)))
        self.assertEqual(tree(self.keel), before)
        self.assertIn("<svg", (self.top / "d.svg").read_text())
        self.run_program("drives", "--measure", "nothing of that name", status=2)
        self.run_program("drives", str(self.keel), "--picture", str(self.top / "d.xyz"), status=2)


@unittest.skipUnless(ROOT, "mounting needs root")
class Real(WorldCase):
    def mount(self, *words, kind=None):
        """A small real file system, mounted; skipped where the machine cannot."""
        place = self.top / "mnt"
        place.mkdir()
        self.addCleanup(subprocess.run, ["umount", str(place)], capture_output=True)
        if subprocess.run([*words, str(place)], capture_output=True).returncode:
            self.skipTest(f"{words[0]} {kind or ''} does not work here")
        return place

    def image(self, maker, *options):
        """A new file system in a file."""
        if not shutil.which(maker):
            self.skipTest(f"{maker} is not installed")
        image = self.top / "image"
        image.touch()
        os.truncate(image, 32 << 20)
        subprocess.run([maker, *options, str(image)], check=True, capture_output=True)
        return str(image)

    def test_a_drive_that_comes_or_goes_meanwhile_is_known_in_every_process(self):
        def known(place):
            return str(place) in {mount.place for mount in here.mounts()}

        def known_in_a_child(place):
            child = os.fork()
            if not child:
                os._exit(known(place))
            return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 1

        self.assertFalse(known(self.top / "mnt"))
        place = self.mount("mount", "-t", "tmpfs", "none")
        self.assertEqual((known_in_a_child(place), known(place)), (True, True))
        subprocess.run(["umount", str(place)], check=True)
        self.assertEqual((known_in_a_child(place), known(place)), (False, False))

    def exfat(self):
        """A mounted exFAT drive."""
        image = self.image("mkfs.exfat")
        if not shutil.which("mount.exfat-fuse"):
            self.skipTest("mount.exfat-fuse is not installed")
        device = subprocess.run(["losetup", "-f", "--show", image], capture_output=True, text=True).stdout.strip()
        self.addCleanup(subprocess.run, ["losetup", "-d", device], capture_output=True)
        return self.mount("mount.exfat-fuse", device)

    def test_entries_that_a_forgiving_drive_finds_follow_to_a_strict_one(self):
        place = self.exfat()
        names = ["Low/Été One.wav", "Low/two.wav"]
        for number, name in enumerate(names):
            wav(place / "Sounds/Bell Tones" / name, number)
        low, new = str(place / "sounds/bell tones/low"), self.keel / "S/Bell Tones"
        outside, inside = self.top / "l.m3u8", place / "Sounds/Bell Tones/in.m3u8"
        outside.write_text(
            f"{low}/été one.WAV\n{place}/Sounds/Bell Tones/Low/TWO.wav\n{low}/gone.wav\nmnt/SOUNDS/Bell"
            f" Tones/Low/two.wav\n{low}\n"
        )
        inside.write_text("LOW/two.wav\nLow/Été One.wav\n")
        texts = outside.read_text(), inside.read_text()
        report = self.run_json("check", "--ledger", str(outside), str(inside), "--drive", f"D:={place}", status=1)
        self.assertEqual(
            report["entries"],
            {"found": 6, "missing": 1, **dict.fromkeys(("offline", "altered", "unreadable", "unclear"), 0)},
        )
        self.assertEqual(
            {one["why"] for one in report["ledgers"][1]["problems"]},
            {"is found only because its drive does not care about case"},
        )
        done = self.run_json(
            "move", str(place / "SOUNDS/bell tones"), "--to", str(self.keel / "S"), "--ledger", str(outside), "--yes"
        )
        self.assertEqual(done["check"]["entries"], report["entries"])
        self.assertEqual(
            outside.read_text(),
            f"{new}/{names[0]}\n{new}/{names[1]}\n{new}/Low/gone.wav\nkeel/S/Bell Tones/Low/two.wav\n{new}/Low\n",
        )
        self.assertEqual((new / "in.m3u8").read_text(), "Low/two.wav\nLow/Été One.wav\n")
        self.run_program("undo", "--yes", "--drop-copies")
        self.assertEqual((outside.read_text(), inside.read_text()), texts)

    def test_exfat_names_and_a_move_there(self):
        place = self.exfat()
        for number, name in enumerate(["a:b.wav", "Same.wav", "same.wav", "deep?/x.wav", "deep?/y*.wav", "plain.wav"]):
            wav(self.shelf / name, number)
        os.symlink("plain.wav", self.shelf / "link.wav")
        originals = {path.name: path.read_bytes() for path in self.shelf.rglob("*.wav") if not path.is_symlink()}
        playlist = self.keel / "l.m3u8"
        playlist.write_text("".join(f"{path}\n" for path in sorted(self.shelf.rglob("*.wav"))))
        text = playlist.read_bytes()
        waybill = self.top / "w.toml"
        self.run_program(
            "draft", str(self.shelf), "--to", str(place / "S"), "--ledger", str(playlist), "-o", str(waybill)
        )
        self.assertIn('"Same.wav"' if '"Same.wav"' in waybill.read_text() else '"same.wav"', waybill.read_text())
        trip = self.run_json("haul", str(waybill))["trip"]
        self.run_program("repoint", trip, "--yes")
        self.assertTrue(self.run_json("check", trip, "--digests")["ok"])
        copies = [Path(line) for line in playlist.read_text().splitlines()]
        self.assertTrue(all(path.exists() for path in copies))
        self.assertEqual({path.read_bytes() for path in copies}, set(originals.values()))
        self.assertEqual(
            copies.count(place / "S" / "Bell Tones" / "plain.wav"), 2, "the entry of the link names what it led to"
        )
        self.assertEqual(sorted(os.listdir(place / "S" / "Bell Tones" / "deep_")), ["x.wav", "y_.wav"])
        self.assertEqual(self.run_json("undo", trip, "--yes", "--drop-copies")["remarks"], [])
        self.assertEqual(playlist.read_bytes(), text)
        self.assertFalse((place / "S").exists())

    def test_names_that_only_copying_finds_refused(self):
        """The driver of a drive in a file does not tell what it serves; all get other names at once, nested too."""
        image = self.image("mkfs.ntfs", "-Q", "-F")
        place = self.mount("mount.ntfs-3g", "-o", "windows_names", image)
        sounds = [self.shelf / name for name in ("Sub./deep /a:b.wav", "x?.wav", "y.wav")]
        for number, path in enumerate(sounds):
            wav(path, number)
        bytes_before = {path.read_bytes() for path in sounds}
        playlist = self.keel / "l.m3u8"
        playlist.write_text("".join(f"{path}\n" for path in sounds))
        text = playlist.read_text()
        words = ("--to", str(place), "--ledger", str(playlist), "--yes")
        said = self.run_program("move", str(self.shelf), *words, status=None)
        if said.returncode == 0:
            self.skipTest("this ntfs-3g takes all names")
        self.assertIn("refuses its name", said.stderr)
        trip = self.run_json("trips")["trips"][-1]["trip"]
        self.run_program("haul", trip, "--rename", "*")
        self.run_program("repoint", trip, "--yes")
        copies = [Path(line) for line in playlist.read_text().splitlines()]
        self.assertEqual({path.read_bytes() for path in copies if path.is_relative_to(place)}, bytes_before)
        self.run_program("undo", trip, "--yes", "--drop-copies")
        self.assertEqual(playlist.read_text(), text)

    def test_a_real_drive_has_identity_room_and_system(self):
        place = self.mount("mount", "-o", "loop", self.image("mkfs.ext4"), kind="ext4")
        drive = self.run_json("drives", str(place))["drives"][0]
        room = os.statvfs(place)
        self.assertEqual((drive["mount"], drive["filesystem"]), (str(place), "ext4"))
        self.assertEqual(
            (drive["total_bytes"], drive["free_bytes"]), (room.f_blocks * room.f_frsize, room.f_bavail * room.f_frsize)
        )
        self.assertGreater(drive["reserved_bytes"], 0)
        subprocess.run(["mount", "-o", "remount,ro", str(place)], check=True)
        again = self.run_json("drives", str(place))["drives"][0]
        self.assertEqual(
            (again["identity"], [reason["kind"] for reason in again["reasons"]]), (drive["identity"], ["read-only"])
        )
        mounts = [one["mount"] for one in self.run_json("drives")["drives"]]
        self.assertTrue(str(place) in mounts and not {"/proc", "/sys", "/dev"} & set(mounts))


class Facts(WorldCase):
    def test_what_the_systems_files_say(self):
        sys = self.top / "sys"
        usb = sys / "devices" / "usb1"
        disk = usb / "host" / "block" / "sdx"
        (disk / "sdx1").mkdir(parents=True)
        (disk / "queue").mkdir()
        (disk / "device").mkdir()
        for path, text in [
            (usb / "busnum", "1"),
            (usb / "speed", "480"),
            (disk / "queue/rotational", "1\n"),
            (disk / "sdx1/partition", "1"),
            (disk / "device/life_time", "0x01 0x0b"),
        ]:
            path.write_text(text)
        (sys / "class" / "block").mkdir(parents=True)
        os.symlink(disk / "sdx1", sys / "class" / "block" / "sdx1")
        facts = facts_of("/dev/sdx1", "ext4", str(sys))
        self.assertEqual(
            (facts.disk, facts.spinning, facts.bus_bits_per_second, facts.health),
            ("sdx", True, 480_000_000, "it is almost worn out, by its own estimate"),
        )
        (sys / "fs/ext4/sdx1").mkdir(parents=True)
        (sys / "fs/ext4/sdx1/errors_count").write_text("2")
        self.assertIn("2 error", facts_of("/dev/sdx1", "ext4", str(sys)).health)
        self.assertTrue(facts_of("//host/share", "cifs").network)
        self.assertEqual(identity_of("//host/share", "", 7), "share://host/share")
        by_uuid = self.top / "by-uuid"
        by_uuid.mkdir()
        os.symlink("/dev/null", by_uuid / "12-34")
        self.assertEqual(identity_of("/dev/null", "", 7, str(by_uuid)), "uuid:12-34")


class Names(unittest.TestCase):
    limits = some.sampled_from([PLAIN, FAT, replace(FAT, name_units=20), Limits(folds_case=True, folds_unicode=True)])
    parts = some.text(
        some.characters(exclude_characters="/\0", exclude_categories=("Cs",)), min_size=1, max_size=30
    ).filter(lambda name: name not in (".", ".."))

    @given(limits, some.lists(parts, min_size=1, max_size=12, unique=True))
    def test_renamed_names_are_allowed_and_differ(self, limits, names):
        items = [item(name) for name in names]
        renames = dict(renames_of(obstacles(items, limits)))
        final = [renames.get(name, name) for name in names]
        if limits.name_units > 20:
            self.assertEqual(len({folded(name, limits) for name in final}), len(final))
            for name in final:
                self.assertEqual(allowed(name, limits)[1] in ("", "name length"), True)

    def test_names_in_renamed_folders(self):
        items = [item("a?", kind="folder"), item("a?/b*.wav"), item("a?/c.wav"), item("ok/d:.wav")]
        self.assertEqual(
            sorted(renames_of(obstacles(items, FAT))),
            [("a?", "a_"), ("a?/b*.wav", "a_/b_.wav"), ("ok/d:.wav", "ok/d_.wav")],
        )

    def test_weights(self):
        found = {
            one.kind: one.weight
            for one in obstacles([item("x", size=5 << 30), item("y" * 300), item("z/" * 2000)], FAT, 100)
        }
        self.assertEqual((found["file size"], found["path length"], found["name length"]), (HARD, HARD, ADVICE))
