"""Survey and tidy on the Petrel, which shows each finding once, and on what they must survive."""

import os
import shutil
import struct
import time
import unittest
from pathlib import Path

from saltcart.shelves.duplicates import duplicates
from saltcart.shelves.folder_tree import all_folders, proposed_shelves, read_tree
from saltcart.shelves.oddities import litter, plain_name, shortcut
from saltcart.shelves.walk import FOLDER, walk
from tests.world import ROOT, WorldCase, build_studio, tree, wav


def png_size(path):
    """Width and height of a PNG file."""
    return struct.unpack(">II", Path(path).read_bytes()[16:24])


# What else names the shelf that the findings are about, and is no part of that trip.
OTHERS = (
    "lists/old glasses.m3u",
    *(f"workstation/{name}" for name in ("settings.json", "index.db", "night ferry.passage")),
)


class Petrel(WorldCase):
    @classmethod
    def setUpClass(cls):

        cls.master = Path(os.path.realpath(os.environ.get("TMPDIR", "/tmp"))) / f"petrel-{os.getpid()}"
        build_studio(cls.master)
        cls.master.chmod(0o700)  # nobody else's programs can reach it
        cls.addClassCleanup(shutil.rmtree, cls.master)

    def test_survey_finds_everything_once(self):
        before = tree(self.master, "monitor feed")
        picture = self.top / "room.png"
        report = self.run_json(
            "survey",
            "keel",
            "lighter",
            "--headers",
            "--depth",
            "1",
            "--picture",
            str(picture),
            status=1,
            cwd=self.master,
        )
        width, height = png_size(picture)
        self.assertEqual(width, 1280)
        self.assertLess(height, 801)
        shelves = {shelf["name"]: shelf for shelf in report["shelves"]}
        self.assertEqual(
            set(shelves),
            {
                "Recordings",
                "Collection",
                "Bell Tones",
                "Fog Voices",
                "Bell Tones Extra",
                "Extra bells, copied in spring",
                "Deck Noise",
            },
        )
        bells = shelves["Bell Tones"]
        self.assertEqual(
            (bells["files"], bells["audio_files"], bells["kinds"], len(bells["packs"])), (144, 141, {"WAV": 141}, 5)
        )
        files = [item for item in walk(bells["path"]) if item.kind == "file"]
        self.assertEqual(bells["bytes"], sum(item.size for item in files))
        self.assertEqual(bells["disk_bytes"], sum(item.disk_bytes for item in files))
        self.assertEqual(bells["largest_file_bytes"], max(item.size for item in files))
        leant = {os.path.basename(path): count for path, count in bells["leant_on_by"].items()}
        self.assertEqual(
            leant,
            {
                "mooring.m3u8": 4,
                "old glasses.m3u": 5,
                "favourites.m3u8": 3,
                "settings.json": 1,
                "index.db": 146,
                "night ferry.passage": 3,
            },
        )
        self.assertEqual(shelves["Collection"]["headers"]["tagged_files"], 22)
        self.assertEqual(shelves["Recordings"]["headers"]["bits"], {"24": 3})
        self.assertTrue(shelves["Deck Noise"]["reached_as"].endswith("Deck Noise "))
        kinds = sorted(finding["kind"] for finding in report["findings"])
        self.assertEqual(
            kinds, ["broken link", "link", "link name", "link name", "odd", "offline", "shortcut", "twin", "unreadable"]
        )
        twin = next(finding["what"] for finding in report["findings"] if finding["kind"] == "twin")
        self.assertIn("use this one: 0, the other: 2", twin)
        self.assertEqual(
            [(one["entries"], os.path.basename(one["folder"])) for one in report["strays"]], [(1, "Downloads")]
        )
        self.assertEqual(len(report["ledgers"]), 9)
        self.assertEqual(report["totals"]["entries"]["missing"], 1)
        text = self.run_program("survey", "keel", "lighter", "--all", status=1, cwd=self.master).stdout
        for words in (
            "is a shortcut file",
            "ballast is not connected",
            "contains files with the same names and sizes",
            "Outside every shelf",
            "Which ledger uses which shelf",
        ):
            self.assertIn(words, text)
        self.assertEqual(tree(self.master, "monitor feed"), before)

    def test_survey_drafts_a_configuration_and_keeps_edits(self):
        cart = self.top / "cart.toml"
        words = ("survey", "keel", "--map", "maps/player.toml", "--write", str(cart), "--quiet")
        self.run_program(*words, status=1, cwd=self.master)
        text = (
            cart.read_text()
            .replace('name = "Bell Tones"', 'name = "Bells" # mine')
            .replace('care = "own"', 'care = "replaceable"', 1)
        )
        text = text.replace(text[text.rindex("[[shelf]]") : text.index("[[ledger]]")], "")
        cart.write_text("# my own words\n" + text)
        self.run_program(*words, status=1, cwd=self.master)
        after = cart.read_text()
        self.assertTrue(after.startswith("# my own words\n"))
        self.assertIn('name = "Bells" # mine', after)
        self.assertEqual((after.count("[[shelf]]"), after.count("[[drive]]")), (6, 2))
        self.run_program(*words, status=1, cwd=self.master)
        self.assertEqual(cart.read_text(), after)
        names = {
            shelf["name"]: shelf["care"] for shelf in self.run_json("survey", "--cart", str(cart), status=1)["shelves"]
        }
        self.assertEqual((names["Bells"], "replaceable" in names.values()), ("own", True))
        cart.write_text(after.replace("[[drive]]", "[[drives]]"))
        self.assertIn("cart.toml, line", self.run_program("survey", "--cart", str(cart), status=2).stderr)

    def test_a_part_is_judged_by_itself(self):
        """What ledgers name elsewhere is no stray for that, and what lies beside the shelves is seen."""
        for part in ("keel/Music", "keel/Music/Collection"):
            report = self.run_json("tidy", part, cwd=self.master)
            finds = {find["kind"]: find for find in report["finds"]}
            self.assertEqual([os.path.basename(path) for path in finds["stray"]["paths"]], ["fog bank (take 2).wav"])
            self.assertEqual([os.path.basename(path) for path in finds["litter"]["paths"]], ["library.db.bak"])
            self.assertIn("folders of sounds not searched", " ".join(report["remarks"]))
        self.assertTrue(self.run_json("survey", "keel/Music", status=1, cwd=self.master)["not_looked_at"])

    def test_a_ledger_that_cannot_be_read_is_not_among_what_is_found(self):
        wav(self.shelf / "a.wav")
        (self.keel / "good.m3u8").write_text(f"{self.shelf}/a.wav\n")
        (self.keel / "bad.xspf").write_text("<playlist><broken")
        words = ("survey", self.keel, "--ledger", self.keel / "bad.xspf", self.keel / "good.m3u8", "--no-search")
        page = self.top / "own.html"
        out = self.run_program(*words, "--report", page, status=1).stdout
        self.assertIn("1 ledger cannot be read", out.splitlines()[0])
        self.assertIn('class="answer bad"', page.read_text())

    def test_tidy_finds_everything_and_writes_decisions(self):
        report = self.run_json("tidy", "keel", "lighter", cwd=self.master)
        finds = {find["kind"]: find for find in report["finds"]}
        self.assertEqual(
            set(finds), {"unlisted", "copies", "stray", "never played", "long ago", "litter", "empty folders"}
        )
        self.assertEqual([find["number"] for find in report["finds"]], list(range(1, len(report["finds"]) + 1)))
        unplayed = [find for find in report["finds"] if find["kind"] == "never played"]
        self.assertEqual(
            [os.path.basename(find["folder"]) for find in unplayed],
            ["Collection"],
            "an index that counts no plays says nothing of them",
        )
        inner = next(find for find in report["finds"] if find["kind"] == "copies" and "Low Bells" in find["folder"])
        self.assertEqual(
            [os.path.basename(path) for path in inner["paths"] + inner["kept"]], ["C1 low (final).wav", "C1 low.wav"]
        )
        self.assertEqual({one["name"]: one["collection"] for one in report["judged"]}["Fog Voices"], False)
        text = self.run_program("tidy", "keel", "lighter", cwd=self.master).stdout
        self.assertIn("rehearsal, nobody", text)
        waybill = self.top / "w.toml"
        lists = str(self.master / "keel/lists/mooring.m3u8")
        self.run_program(
            "draft",
            "keel/Sounds/Bell Tones",
            "--to",
            str(self.lighter / "S"),
            "--ledger",
            lists,
            "--no-search",
            "--ignore",
            *(f"keel/{name}" for name in OTHERS),
            "-o",
            str(waybill),
            cwd=self.master,
        )
        waybill.write_text(waybill.read_text().replace("[[shelf]]", "# my note\n[[shelf]]"))
        chosen = [str(inner["number"]), str(finds["stray"]["number"]), str(finds["litter"]["number"])]
        for words in (["99"], ["x"], ["3-"], []):
            self.run_program("tidy", "--into", str(waybill), *words, status=2)
        self.run_program("tidy", "--into", str(waybill), *chosen)
        self.assertIn("# my note", waybill.read_text())
        self.run_program("tidy", "--into", str(waybill), str(finds["unlisted"]["number"]), status=3)
        trip = self.run_json("haul", str(waybill))["trip"]
        self.run_program("repoint", trip, "--yes", "--reread")
        self.addCleanup(self.run_program, "undo", trip, "--yes", "--drop-copies")
        self.assertTrue((self.lighter / "S/Bell Tones/Gathered/Downloads/fog bank (take 2).wav").exists())
        self.assertTrue((self.master / "keel/Downloads/fog bank (take 2).wav").exists())
        self.assertFalse((self.lighter / "S/Bell Tones/Low Bells/C1 low (final).wav").exists())
        self.assertTrue((self.master / "keel/Sounds/Bell Tones/Low Bells/C1 low (final).wav").exists())
        self.assertIn("S/Bell Tones/Gathered/Downloads/fog bank", Path(lists).read_text())
        self.assertTrue(self.run_json("check", trip)["ok"])


class Totals(WorldCase):
    def test_a_file_counts_once_and_a_shadow_is_no_sound(self):
        """Played long ago, and a copy of another: still one file; what a file manager left beside it is litter."""
        for name, seed in (("a.wav", 1), ("b.wav", 1), ("c.wav", 2)):
            wav(self.shelf / name, seed)
        (self.shelf / "._a.wav").write_bytes(bytes(4096))
        (self.top / "list.m3u8").write_text("".join(f"{self.shelf}/{name}.wav\n" for name in "ac"))
        words = ("tidy", self.shelf, "--ledger", self.top / "list.m3u8")
        finds = self.run_json(*words)["finds"]
        kinds = {find["kind"]: [os.path.basename(path) for path in find["paths"]] for find in finds}
        self.assertEqual(kinds, {"unlisted": ["b.wav"], "copies": ["b.wav"], "litter": ["._a.wav"]})
        self.assertIn("3 findings about 2 files", self.run_program(*words).stdout)


class Shapes(WorldCase):
    folder = "/dev/shm" if os.access("/dev/shm", os.W_OK) else None

    def test_shelves_are_cut_where_a_person_would(self):
        home = self.keel / "home"
        for path in (
            "Sounds/Lib/Pack A/x.wav",
            "Sounds/Lib/Pack B/x.wav",
            "Sounds/Other/x.wav",
            "Music/All/Artist/Album/x.flac",
            "Music/All/Artist 2/x.flac",
            "Downloads/x.wav",
            "Projects/song/take.wav",
        ):
            wav(home / path)
        (home / "Projects/song/picture.raw").write_bytes(bytes(50_000))
        found = [os.path.relpath(tree.path, home) for tree in proposed_shelves(read_tree(str(home)), top=True)]
        self.assertEqual(sorted(found), ["Music/All", "Projects/song", "Sounds/Lib", "Sounds/Other"])

    def test_shelves_of_one_name_are_told_apart(self):
        places = ["A/Loops", "B/Loops", "B/Kits", "C/x/One/Loops", "D/x/One/Loops"]
        for number, name in enumerate(places):
            wav(self.keel / name / "s.wav", number)
        names = {one["name"] for one in self.run_json("survey", *(self.keel / name for name in places))["shelves"]}
        self.assertEqual(names, {"Kits", "Loops (A)", "Loops (B)", "Loops (C/x/One)", "Loops (D/x/One)"})
        there = [
            word for at, name in enumerate(places[:2]) for word in (self.keel / name, "--to", self.lighter / str(at))
        ]
        drafted = self.run_json("draft", there[0], there[3], *there[1:3], *there[4:], "-o", "w.toml")
        self.assertEqual([one["name"] for one in drafted["shelves"]], ["Loops (A)", "Loops (B)"])

    def test_what_is_no_news(self):
        home = self.keel / "home"
        for name in ("Sounds/One/01.wav", "Sounds/Two/01.wav", "Sounds/Keys/grand.sf2", "Sounds/Scores/a.mid"):
            wav(home / name)
        (home / "apps").mkdir()
        (home / "apps" / "player.desktop").write_text("[Desktop Entry]\nType=Application\nExec=player\n")
        os.symlink("/nowhere", home / "apps" / "lost")
        os.symlink("/", home / "Sounds" / "One" / "machine")
        os.symlink(self.top, home / "up")
        report = self.run_json("survey", str(home))
        self.assertEqual({os.path.basename(one["path"]) for one in report["shelves"]}, {"One", "Two", "Keys", "Scores"})
        self.assertEqual({one["kind"] for one in report["findings"]}, {"link"})
        (home / "Sounds" / "sounds.desktop").write_text("[Desktop Entry]\nType=Link\nURL=file:///x\n")
        os.symlink("/nowhere", home / "Sounds" / "Three")
        found = {one["kind"] for one in self.run_json("survey", str(home))["findings"]}
        self.assertEqual(found, {"link", "shortcut", "broken link"})

    def test_deep_wide_odd_and_circular_places(self):
        place = self.keel
        for _level in range(200):
            place = place / "d"
        place.mkdir(parents=True)
        os.symlink(self.keel, place / "back")
        os.symlink("loop", self.keel / "loop")
        wide = self.keel / "wide"
        wide.mkdir()
        for number in range(100_000):
            os.close(os.open(wide / f"{number}.wav", os.O_CREAT | os.O_WRONLY))
        os.mkfifo(self.keel / "pipe")
        (self.keel / os.fsdecode(b"\xff\n.wav")).touch()
        began = time.monotonic()
        report = self.run_json("survey", str(self.keel), status=0)
        self.assertLess(time.monotonic() - began, 120)
        self.assertEqual(report["totals"]["files"], 100_002)  # the drive's marker too
        self.assertIn("odd", [finding["kind"] for finding in report["findings"]])
        self.run_program("survey", str(self.keel / "none"), status=3)
        self.run_program("survey", str(self.keel / "pipe"), status=3)

    def test_a_place_that_vanishes_while_it_is_walked(self):
        for name in "abc":
            wav(self.keel / name / "x.wav")
        troubles = []
        seen = []
        for item in walk(str(self.keel), lambda path, error: troubles.append(path)):
            seen.append(item.path)
            if item.path == "a":
                shutil.rmtree(self.keel / "b")
        self.assertEqual(([os.path.basename(path) for path in troubles], "c/x.wav" in seen), (["b"], True))
        self.assertEqual(len(all_folders(read_tree(str(self.keel)))), 3)
        self.assertEqual(sum(item.kind == FOLDER for item in walk(str(self.keel))), 3)

    @unittest.skipUnless(ROOT, "only root can become somebody else")
    def test_what_cannot_be_read_is_named(self):
        (self.keel / "closed").mkdir(mode=0)
        os.chmod(self.top, 0o755)
        child = os.fork()
        if child == 0:
            troubles = []
            try:
                os.setuid(65534)
                read_tree(str(self.keel), lambda path, error: troubles.append(path))
            finally:
                os._exit(0 if [os.path.basename(path) for path in troubles] == ["closed"] else 1)
        self.assertEqual(os.waitpid(child, 0)[1], 0)


class Defaults(WorldCase):
    def test_places_by_default_and_a_shelf_whose_drive_is_away(self):
        wav(self.top / "user" / "Music" / "Album" / "x.wav")
        wav(self.top / "user" / "Samples" / "Kit" / "x.wav", 4)
        cart = self.top / "cart.toml"
        cart.write_text(
            'places = ["keel"]\n[[shelf]]\npath = "away/Tapes"\n[[shelf]]\npath = "keel/Deep/er/Shelf"\nname ='
            ' "Mine"\ncare = "replaceable"\n'
        )
        wav(self.keel / "Deep" / "er" / "Shelf" / "Pack" / "x.wav")
        report = self.run_json("survey")
        self.assertEqual(
            {shelf["name"]: shelf["care"] for shelf in report["shelves"]},
            {"Mine": "replaceable", "Album": "own", "Kit": "own"},
        )
        self.assertEqual(
            [(one["kind"], one["path"], one["what"]) for one in report["findings"]],
            [("place", str(self.top / "away/Tapes"), "is not there")],
        )
        self.run_program("survey", str(self.top / "away/Tapes"), status=3)


class Details(WorldCase):
    def test_copies_are_told_by_content(self):
        big = bytes(range(256)) * 1024
        contents = {
            "a": b"x" * 10,
            "b": b"x" * 10,
            "c": b"y" * 10,
            "d": big,
            "e": big,
            "f": big[:100_000] + b"!" + big[100_001:],
            "empty": b"",
            "empty2": b"",
        }
        for name, content in contents.items():
            (self.keel / name).write_bytes(content)
        os.link(self.keel / "c", self.keel / "c2")
        files = [
            (str(self.keel / item.path), item.size, (item.device, item.inode))
            for item in walk(str(self.keel))
            if item.kind == "file"
        ]
        troubles = []
        groups = duplicates([*files, (str(self.keel / "gone"), 10, "gone")], lambda path, error: troubles.append(path))
        self.assertEqual([[os.path.basename(path) for path in group] for group in groups], [["d", "e"], ["a", "b"]])
        self.assertEqual(troubles, [str(self.keel / "gone")])

    def test_names_with_something_stuck_to_them(self):
        stuck = {
            "Bells ": "Bells",
            "Bells - shortcut": "Bells",
            "Link to Bells": "Bells",
            "Bells alias": "Bells",
            "Bells (2)": "Bells",
            "Bells": None,
            "Aliases": None,
        }
        self.assertEqual({name: plain_name(name) for name in stuck}, stuck)
        self.assertIsNotNone(shortcut("x", b"book\0\0\0\0mark\0"))
        self.assertIsNone(shortcut("x.wav", b"RIFF"))
        self.assertEqual(
            [
                bool(litter(name))
                for name in ("._x.wav", "Thumbs.db", "library.db.bak", "library-backup.db", "library.db", "x.wav")
            ],
            [True, True, True, True, False, False],
        )
