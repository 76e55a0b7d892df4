"""Archives as sources: unpacked, verified, split, and taken back; and those that are not to be trusted."""

import os
import shlex
import tarfile
import zipfile

from saltcart.planning import inside_archives
from tests.hauling.cases import ArchiveCase
from tests.world import tree

KINDS = ("zip", "tar", "tar.gz", "tar.xz")


class Parted(ArchiveCase):
    """Presets in no format known name their sounds from their own folder, and go elsewhere than these."""

    def setUp(self):
        super().setUp()
        self.presets = self.made / "presets"
        self.presets.mkdir()
        self.small = self.keel / "Small"

    def parted(self, path, *more, status=0):
        """Unpack, with the presets going elsewhere."""
        words = ("--to", self.lighter / "Packs", "--small-to", self.small, "*.tin", "*.sfz", "*.m3u8")
        return self.run_program("move", path, *words, *more, "--yes", status=status)

    def test_presets_of_a_kind_nobody_described_follow(self):
        for kind in KINDS:
            with self.subTest(kind):
                self.setUp()
                (self.presets / "One.tin").write_text("tin preset\nsample: ../low/C1.wav\nlevel: 7\n")
                (self.presets / "Two.tin").write_text("tin preset\nsample: ../high/Été 50%.wav\nlevel: 3\n")
                self.parted(self.pack(kind))
                for path in (self.small / "Bêlls" / "presets").iterdir():
                    (name,) = (line[8:] for line in path.read_text().splitlines() if line.startswith("sample: "))
                    self.assertTrue((path.parent / name).is_file(), name)

    def test_what_cannot_follow_holds_the_trip_back_by_name(self):
        """Before anything is unpacked; a person may say that it may be so."""
        (self.presets / "One.tin").write_bytes(b"TIN\1\xff../low/C1.wav\xff\0\1\2../high/x.wav\xff")
        path, before = self.pack("zip"), tree(self.top, "home")
        said = self.parted(path, status=3).stderr
        self.assertIn("presets/One.tin", said)
        self.assertEqual(tree(self.top, "home"), before)
        self.parted(path, "--ignore", path)

    def test_what_is_too_large_to_be_looked_into_is_named(self):
        """A picture of that size is not: it holds no references."""
        size = inside_archives.LARGEST + 1
        picture = b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR" + bytes(8) + b"\x08\2"
        for name, content, status in (("Cover.png", picture, 0), ("Big.tin", b"TIN", 3)):
            with self.subTest(name):
                self.setUp()
                (self.presets / name).write_bytes(content.ljust(size, b"\0"))
                path = self.pack("zip")
                said = self.parted(path, status=status).stderr
                if status:
                    self.assertIn("Big.tin", said)
                    self.assertIn("too large", said)
                    self.assertIn(f"--ignore {shlex.quote(str(path))}", said)

    def test_drive_letters_that_are_declared_stand_in_the_waybill(self):
        waybill = self.top / "w.toml"
        words = ("--to", self.lighter, "--drive", f"D:={self.keel}", "-o", waybill)
        self.run_program("draft", self.pack("zip"), *words)
        self.assertIn("D:", waybill.read_text())

    def test_an_archive_that_stays_whole_needs_no_look(self):
        (self.presets / "One.tin").write_bytes(b"TIN\1\xff../low/C1.wav\xff\0")
        self.unpack(self.pack("zip"))


class Unpacked(ArchiveCase):
    def test_each_kind_there_and_back(self):
        for kind in KINDS:
            with self.subTest(kind):
                path, place = self.pack(kind), self.lighter / kind / "Bêlls"
                before = path.read_bytes()
                words = ("move", path, "--to", place.parent, "--yes")
                done = self.run_json(*words)
                self.assertEqual((done["files"], done["check"]["ok"], done["check"]["entries"]["found"]), (5, True, 3))
                self.assertEqual(tree(place), tree(self.made))
                self.assertLessEqual(abs(os.stat(place / "low" / "C1.wav").st_mtime - 1_700_000_000), 2)
                self.run_program("check", place, "--digests")
                self.assertEqual(path.read_bytes(), before)
                self.run_program("undo", "--yes", "--drop-copies")
                self.assertFalse(place.parent.exists())
                self.run_json(*words)
                self.assertEqual(self.run_json("release", "--yes")["released_files"], 1)
                self.assertEqual((path.exists(), tree(place)), (False, tree(self.made)))
                self.assertIn("nothing is packed again", self.run_program("undo", "--yes", status=3).stderr)

    def test_small_things_go_elsewhere_and_what_names_across_the_cut_follows(self):
        small, drawer = self.keel / "Settings", self.keel / "Plug"
        drawer.mkdir()
        path = self.pack("zip")
        done = self.unpack(path, "--small-to", small, "*.m3u8", "*.sfz", "--signpost-at", drawer)
        self.assertEqual(
            (done["check"]["ok"], done["check"]["entries"]["found"], done["changed_entries"]), (True, 3, 3)
        )
        self.assertEqual(sorted(os.listdir(small / "Bêlls")), ["bell.sfz", "set.m3u8"])
        self.assertEqual(sorted(os.listdir(self.place)), ["high", "low"])
        self.assertEqual(os.readlink(drawer / "Bêlls"), str(self.place))
        listed = (small / "Bêlls" / "set.m3u8").read_text().split("\n")[0]
        self.assertTrue((small / "Bêlls" / listed).is_file(), listed)
        self.run_program("undo", "--yes", "--drop-copies")
        self.assertFalse(small.exists() or self.place.exists() or os.path.lexists(drawer / "Bêlls"))

    def test_one_that_stays_packed_and_one_whose_files_have_no_folder(self):
        path = self.members("a.txt", "b/c.txt", name="Loose Ends.zip")
        self.unpack(path)
        self.assertTrue((self.lighter / "Packs" / "Loose Ends" / "b" / "c.txt").is_file())
        self.run_json("move", path, "--to", self.lighter, "--packed", "--yes")
        self.assertTrue((self.lighter / "Loose Ends.zip").is_file())


class Untrusted(ArchiveCase):
    def test_names_and_sizes_that_cannot_be_are_refused_at_the_draft(self):
        """A name that no drive holds, a size that is not that of what is stored, one that nothing deflated becomes."""
        long = self.members("Pack/" + "é" * 200 + ".wav", "Pack/a.wav", name="long.zip")
        stored, deflated = self.members("a.wav", "b.wav", name="stored.zip"), self.pack("zip", "deflated")
        for path in (stored, deflated):
            raw = bytearray(path.read_bytes())
            place = raw.index(b"PK\1\2") + 24
            raw[place : place + 4] = (1 << 30).to_bytes(4, "little")
            path.write_bytes(raw)
        before = tree(self.top, "home")
        for path, words in ((long, "too long for any drive"), (stored, "cannot be"), (deflated, "cannot be")):
            with self.subTest(path.name):
                done = self.run_program("move", path, "--to", self.lighter / "Packs", "--yes", status=3)
                self.assertIn(words, done.stderr)
        self.assertEqual(tree(self.top, "home"), before)

    def test_what_would_make_a_folder_a_drive_stays_in_the_archive(self):
        for name in (".saltcart-drive.toml", "Bêlls/deep/.saltcart-drive.toml", "Bêlls/.SALTCART-DRIVE.toml"):
            with self.subTest(name):
                self.setUp()
                path = self.pack("zip")
                with zipfile.ZipFile(path, "a") as archive:
                    archive.writestr(name, 'name = "x"\nidentity = "x"\ncapacity_bytes = 1\n')
                self.unpack(path)
                found = [
                    one for one in (self.lighter / "Packs").rglob("*") if one.name.lower() == ".saltcart-drive.toml"
                ]
                self.assertEqual(found, [])
                self.run_program("undo", "--yes", "--drop-copies", status=0)

    def test_what_would_lead_out_or_is_there_twice_is_refused(self):
        link = tarfile.TarInfo("Bêlls/link")
        link.type, link.linkname = tarfile.SYMTYPE, "/etc/passwd"
        with tarfile.open(self.downloads / "link.tar", "w") as archive:
            archive.add(self.made / "low" / "C1.wav", "Bêlls/C1.wav")
            archive.addfile(link)
        self.unpack(self.downloads / "link.tar")
        self.assertEqual(os.listdir(self.place), ["C1.wav"], "links are left out")
        self.run_program("release", "--yes", status=1)
        self.assertTrue((self.downloads / "link.tar").exists(), "and what holds them stays")
        before = tree(self.lighter)
        twice = self.members("a.wav", name="twice.zip")
        with zipfile.ZipFile(twice, "a") as archive, self.assertWarns(UserWarning):
            archive.writestr("a.wav", "other")
        plain = self.pack("zip", "cut").read_bytes()
        (self.downloads / "cut.zip").write_bytes(plain[: len(plain) // 2])
        for path, words in [
            (self.members("../x.wav", name="1.zip"), "leads out"),
            (self.members("a/../../x.wav", name="2.zip"), "leads out"),
            (self.members("/etc/x.wav", name="3.zip"), "leads out"),
            (self.members("C:/x.wav", name="4.zip"), "leads out"),
            (self.members("a\\..\\..\\x.wav", name="5.zip"), "leads out"),
            (self.members("a", "a/b", name="6.zip"), "as a file and as a folder"),
            (twice, "twice"),
            (self.members(), "holds no files"),
            (self.downloads / "cut.zip", "is damaged"),
        ]:
            with self.subTest(words):
                self.assertIn(words, self.run_program("move", path, "--to", self.lighter, "--yes", status=3).stderr)
                self.assertEqual(tree(self.lighter), before)
        words = ("move", self.made, self.downloads / "link.tar", "--to", self.lighter, "--yes")
        self.assertIn("cannot be moved in one trip", self.run_program(*words, status=2).stderr)

    def test_damage_in_one_member_stops_before_the_switch_and_the_rest_is_there(self):
        for packing in (zipfile.ZIP_DEFLATED, zipfile.ZIP_STORED):  # of which the sum alone tells the second
            with self.subTest(packing):
                path = self.pack("zip", packing=packing)
                data = bytearray(path.read_bytes())
                with zipfile.ZipFile(path) as archive:
                    (fact,) = [one for one in archive.infolist() if one.filename.endswith("C1.wav")]
                data[fact.header_offset + 200] ^= 0xFF
                path.write_bytes(data)
                done = self.run_program("move", path, "--to", self.lighter / "Packs", "--yes", status=4)
                self.assertIn("is damaged in the archive", done.stderr)
                self.assertEqual(sorted(os.listdir(self.place)), ["bell.sfz", "high", "low", "set.m3u8"])
                self.assertEqual(os.listdir(self.place / "low"), [])
                self.assertEqual(self.run_json("trips")["trips"][-1]["state"], "hauling")
                self.run_program("undo", "--yes", "--drop-copies")
                self.assertFalse(self.place.exists())

    def test_one_that_holds_more_than_it_says_is_not_believed(self):
        path = self.downloads / "lie.zip"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("big.wav", "xyz" * 100)
        raw = bytearray(path.read_bytes())
        for place in (raw.index(b"PK\3\4") + 22, raw.index(b"PK\1\2") + 24):
            raw[place : place + 4] = (9).to_bytes(4, "little")
        path.write_bytes(raw)
        done = self.run_program("move", path, "--to", self.lighter, "--yes", status=4)
        self.assertRegex(done.stderr, "damaged in the archive|as long as")

    def test_an_archive_that_changed_or_was_not_unpacked_whole_stays(self):
        path = self.pack("zip")
        self.unpack(path, "--exclude", "*.sfz")
        done = self.run_json("release", "--yes", status=1)
        self.assertEqual((done["kept"], path.exists()), ([str(path)], True))
