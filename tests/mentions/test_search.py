"""A search reads large and packed files piece by piece, many by several processes, and unchanged ones once."""

import bz2
import gzip
import io
import lzma
import os
import random
import struct
import tempfile
import unittest
import zipfile
import zlib
from pathlib import Path
from unittest import mock

from backports import zstd

from saltcart.mentions import content, mention, readers
from saltcart.mentions.packed import list_size
from saltcart.mentions.place_forms import PlaceForms
from saltcart.mentions.search import LARGEST, search
from saltcart.mentions.search_places import forms_after, forms_of, parent_forms

PLACE = "/mnt/keel/Sounds/Cloches d'été"
OLD = 1_700_000_000  # seconds; long ago


def die(_paths):
    """What a process does that the system kills at its first batch."""
    os._exit(1)


class Searching(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.top = Path(os.path.realpath(folder.name))
        self.files = self.top / "files"
        self.files.mkdir()
        self.enterContext(mock.patch.dict(os.environ, {"SALTCART_HOME": str(self.top / "home")}))

    def write(self, name, text):
        """A file that was written long ago."""
        path = self.files / name
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(text)
        os.utime(path, (OLD, OLD))
        return path

    def found(self, forms=None):
        """Name to number of mentions; how many files were gone through, and how many of them not read."""
        with mock.patch("time.time_ns", lambda: 2 * OLD * 10**9):  # the files are not fresh
            done = search(forms or forms_of([PLACE]), [str(self.files)])
        return {Path(one.path).name: one.count for one in done.found}, done.files, done.unchanged

    def test_what_programs_are_installed_from_is_the_same_for_everybody(self):
        """It is no gap either, however large it is; what only has a name like it is read as anything else."""
        for name, members in (
            ("tool.whl", ("tool/a.txt", *(f"tool-1.dist-info/{one}" for one in ("METADATA", "RECORD", "WHEEL")))),
            ("half.whl", ("tool/a.txt", "tool-1.dist-info/WHEEL")),
            ("tool.jar", ("META-INF/MANIFEST.MF", "Tool.class")),
            ("other.whl", ("tool/a.txt", "inner/tool-1.dist-info/WHEEL")),
            ("other.jar", ("META-INF/MANIFEST.MF", "notes.txt")),
        ):
            with zipfile.ZipFile(self.files / name, "w") as archive:
                for member in members:
                    archive.writestr(member, PLACE)
        machine_code = Path(os.path.realpath("/proc/self/exe")).read_bytes()[:4096]
        for name, head in (("large tool", machine_code), ("large", b"RACK")):
            self.write(name, head)
            os.truncate(self.files / name, LARGEST + 1)
        done = search(forms_of([PLACE]), [str(self.files)])
        self.assertEqual({Path(one.path).name for one in done.found}, {"half.whl", "other.whl", "other.jar"})
        self.assertEqual([Path(one.path).name for one in done.gaps], ["large"])
        with mock.patch("saltcart.mentions.search.LARGEST", 50):
            done = search(forms_of([PLACE]), [str(self.files)])
        self.assertEqual(
            sorted(Path(one.path).name for one in done.gaps),
            ["half.whl", "large", "other.jar", "other.whl"],
            "told by its list",
        )

    def test_a_zip_file_that_is_nothing_but_a_list_is_not_read(self):
        with zipfile.ZipFile(self.files / "list.zip", "w") as archive:
            archive.writestr("a.txt", PLACE)
        with mock.patch("saltcart.mentions.packed.LONGEST_LIST", 10):
            done = search(forms_of([PLACE]), [str(self.files)])
        self.assertEqual(([], 1), (done.found, sum(done.gap_counts.values())))

    def test_how_long_the_list_of_a_zip_file_is_is_told_by_either_end(self):
        """A longer end is written where there are many members; one that leads nowhere is as good as the file."""
        for members, limit in ((2, 0xFFFF), (9, 0xFFFF), (9, 3)):
            with self.subTest(members=members, limit=limit), mock.patch("zipfile.ZIP_FILECOUNT_LIMIT", limit):
                packed = io.BytesIO()
                with zipfile.ZipFile(packed, "w") as archive:
                    for number in range(members):
                        archive.writestr(f"{number}.txt", PLACE)
                    archive.comment = b"of the Petrel"
                data = packed.getvalue()
                self.assertEqual(
                    list_size(packed), data.index(b"PK\5\6" if limit > 9 else b"PK\6\6") - archive.start_dir
                )
        at = data.index(b"PK\6\7") + 8
        decoy = data[:at] + struct.pack("<Q", 0) + data[at + 8 :]  # the list is read that is right before all the same
        self.assertEqual(list_size(io.BytesIO(b"PK\6\6" + bytes(52) + decoy)), list_size(io.BytesIO(data)))
        end = struct.pack("<4s4H2IH", b"PK\5\6", 0, 0, 1, 1, 999, 0x06054B50, 0)  # an end within the end
        self.assertEqual(list_size(io.BytesIO(PLACE.encode() + end)), 999)
        torn = data.replace(b"PK\6\6", b"PK\6\0")
        self.assertEqual((list_size(io.BytesIO(torn)), list_size(io.BytesIO(PLACE.encode()))), (len(torn), 0))

    def test_where_a_piece_ends_nothing_is_lost_or_counted_twice(self):
        """Mentions at and around every place where a large file is cut, each with the line it stands on."""
        chance = random.Random(5)
        with mock.patch.multiple(content, BLOCK=8192, FIRST=8192), mock.patch.object(mention, "MOST_SPOTS", 1000):
            for _turn in range(30):
                lines = [
                    chance.choice([PLACE + "/x.wav", PLACE.replace("é", "e\u0301"), "z" * chance.randrange(2000)])
                    for _line in range(400)
                ]
                wanted = [number + 1 for number, line in enumerate(lines) if "Cloches" in line]
                raw = "\n".join(lines).encode()
                with zipfile.ZipFile(self.files / "a.zip", "w", zipfile.ZIP_DEFLATED) as archive:
                    archive.writestr("a.txt", raw)
                for name, data in (("a.txt", raw), ("a.gz", gzip.compress(raw[:5000]) + gzip.compress(raw[5000:]))):
                    self.write(name, data)
                for name in ("a.txt", "a.gz", "a.zip"):
                    found = content.mentions_in(str(self.files / name), [PlaceForms(PLACE, "/")])
                    places = [int(spot.where.rpartition("line ")[2]) for spot in (*found.spots, *found.said)]
                    self.assertEqual((found.count, places), (len(wanted), wanted), name)

    def test_what_is_packed_is_read_whatever_packs_it(self):
        """Each packer, one in the other, and zlib within a binary file."""
        raw = f"level=1\nkit={PLACE}/x.wav\n".encode() * 3
        inner = io.BytesIO()
        with zipfile.ZipFile(inner, "w", zipfile.ZIP_BZIP2) as archive:
            archive.writestr("a.cfg", raw)
        packed = {
            "a.bz2": bz2.compress(raw),
            "a.xz": lzma.compress(raw),
            "a.zst": zstd.compress(raw),
            "a.zlib": b"PACK\0\1" + zlib.compress(raw) + bytes(9),
            "two.zlib": b"PACK\0\1" + zlib.compress(b"x" * 99, 9) + bytes(9) + zlib.compress(raw, 1) + b"\0",
            "in.gz": gzip.compress(inner.getvalue()),
            "in.xz": lzma.compress(gzip.compress(raw)),
            "a.zip": inner.getvalue(),
        }
        for name, data in packed.items():
            with self.subTest(name):
                self.write(name, data)
                found = content.mentions_in(str(self.files / name), [PlaceForms(PLACE, "/")])
                self.assertEqual(found.count, 3)

    def test_a_packed_part_is_read_or_told_however_long_it_is(self):
        """Within one piece of a large file, over the end of one, and among bytes that look like beginnings."""
        noise = random.Random(3).randbytes
        wanted = f"kit={PLACE}/x.wav\n".encode()
        for name, lead, packed in (
            ("in.bin", noise(3 << 20), zlib.compress(noise(1000) + wanted)),
            ("over.bin", noise(3 << 20), zlib.compress(noise(9 << 20) + wanted)),
            ("decoys.bin", b"PACK\0" + b"\x78\x01" * 9000, zlib.compress(wanted * 3)),
        ):
            with self.subTest(name):
                self.write(name, b"\0" + lead + packed + noise(3 << 20))
                result = search(forms_of([PLACE]), [str(self.files / name)])
                self.assertEqual(len(result.found) + sum(result.gap_counts.values()), 1)
        self.assertEqual(len(search(forms_of([PLACE]), [str(self.files / "in.bin")]).found), 1)

    def test_what_costs_too_much_is_a_gap(self):
        """A bomb, members that are each harmless, one packed in the other too often, and what is no packed file."""
        many = io.BytesIO()
        with zipfile.ZipFile(many, "w", zipfile.ZIP_DEFLATED) as archive:
            for number in range(6):
                archive.writestr(f"{number}.txt", bytes(20 << 20))
        deep = b"x"
        for _turn in range(5):
            deep = gzip.compress(deep)
        for name, data in (("a.gz", gzip.compress(bytes(90 << 20))), ("a.zip", many.getvalue()), ("deep.gz", deep)):
            with self.subTest(name):
                self.write(name, data)
                result = search(forms_of([PLACE]), [str(self.files / name)])
                self.assertEqual(dict(result.gap_counts), {"not searched completely": 1})
        self.write("x.zst", b"\x28\xb5\x2f\xfd" + b"\xff" * 30)
        self.assertEqual(sum(search(forms_of([PLACE]), [str(self.files / "x.zst")]).gap_counts.values()), 1)

    def test_what_goes_during_the_search_is_no_gap_but_a_drive_that_goes_is(self):
        """A temporary file of some program, and all files of a folder that is not there any more either."""
        for name, gone in (("a.txt", False), ("b.txt", True)):
            with self.subTest(name):
                path = f"{self.files}/sub/{name}"
                os.makedirs(os.path.dirname(path), exist_ok=True)
                if gone:
                    os.rmdir(os.path.dirname(path))
                answer = readers.answer_for(path, forms_of([PLACE]))
                self.assertEqual(bool(answer), gone)

    def test_each_folder_that_holds_the_place_counts_however_often_another_is_named(self):
        """All but the last are too many for a list of examples."""
        self.write("list.txt", 9 * b"dir=/mnt/keel\n" + b"dir=/mnt/keel/Sounds\n")
        (found,) = search(parent_forms([PLACE]), [str(self.files)]).found
        self.assertEqual({folder for folder, _spot in found.above}, {"/mnt/keel", "/mnt/keel/Sounds"})

    def test_many_files_are_read_by_several_processes(self):
        for number in range(1700):
            self.write(f"{number % 17}/{number}.cfg", f"{PLACE}/x.wav\n".encode() * (number % 100 == 0) + b"level=1\n")
        self.write("3/broken.gz", b"\x1f\x8b\x08" + bytes(20))
        found, files, unchanged = self.found()
        self.assertEqual((set(found.values()), len(found), files, unchanged), ({1}, 17, 1701, 0))
        again, files, unchanged = self.found()
        self.assertEqual((again, files, unchanged), (found, 1701, 1701 - 17 - 1))
        with mock.patch.object(readers, "answer", die):
            other, files, _unchanged = self.found(forms_of([PLACE, "/mnt/keel/Sounds/Other"]))
        self.assertEqual((other, files), (found, 1701))

    def test_what_changed_is_read_again_whatever_its_size_and_time_say(self):
        quiet, loud = b"x" * len(PLACE.encode()), PLACE.encode()
        for name in ("same", "rewritten", "replaced"):
            self.write(name, quiet)
        self.assertEqual(self.found(), ({}, 3, 0))
        self.write("rewritten", loud)  # in place, its time set back
        (self.files / "replaced").unlink()
        self.write("replaced", loud)
        self.assertEqual(self.found(), ({"rewritten": 1, "replaced": 1}, 3, 1))
        other = forms_of([PLACE, "/mnt/keel/Sounds/Other"])
        self.assertEqual(self.found(other)[2], 0)  # names of another shelf were not looked for before
        after = forms_after([PLACE], ["/mnt/lighter/Cloches d'été"])
        self.assertEqual(self.found(after)[2], 1)  # what does not name it in any form does not in fewer
        for damage in (self.top / "home" / "searched").iterdir():
            damage.write_bytes(damage.read_bytes()[:-1] + b"?")
        self.assertEqual(self.found(), ({"rewritten": 1, "replaced": 1}, 3, 0))

    def test_what_is_fresh_is_not_remembered(self):
        path = self.files / "now.cfg"
        path.write_bytes(b"level=1\n")
        search(forms_of([PLACE]), [str(self.files)])
        self.assertEqual(search(forms_of([PLACE]), [str(self.files)]).unchanged, 0)
