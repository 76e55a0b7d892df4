"""Everything was dragged by hand, and nobody has said which programs there are: the commonest emergency."""

import bz2
import json
import os
import shutil
import sqlite3
from contextlib import closing
from unittest import mock
from urllib.parse import quote

from saltcart.cart import load
from saltcart.mending import lost_texts
from saltcart.mending.discovery import discover, look_for_losses
from saltcart.mending.lost_texts import paths_of, runs_in
from saltcart.standins import decks, player, sampler, workstation
from tests.world import WorldCase, build_studio, cells, tree, wav


class Dragged(WorldCase):
    def setUp(self):
        super().setUp()
        self.studio = self.top / "petrel"
        build_studio(self.studio)
        self.environment |= {"HOME": str(self.studio), "SALTCART_HOME": str(self.top / "home")}

    def silent(self):
        """What the studio's programs do not find, by their names."""
        keel = self.studio / "keel"
        (collection,) = self.studio.rglob("portable.decks")
        heard = {
            "player": player.play_all(str(keel / "player" / "library.db")),
            "sampler": sampler.play_all(str(keel / "sampler" / "sampler.ini")),
            "workstation": workstation.play_all(str(keel / "workstation")),
            "decks": decks.play_all(str(collection)),
        }
        return {name: [path for path, why in found if why] for name, found in heard.items()}

    def test_all_programs_play_again_though_nobody_described_them(self):
        before = {name: len(paths) for name, paths in self.silent().items()}
        (self.studio / "cart.toml").unlink()
        shutil.rmtree(self.studio / "maps")
        dragged = self.studio / "lighter" / "Dragged"
        dragged.mkdir()
        for name in ("Sounds/Bell Tones", "Music"):
            (self.studio / "keel" / name).rename(dragged / os.path.basename(name))
        self.assertGreater(sum(map(len, self.silent().values())), 150)
        done = self.run_json("mend", "--yes", "--by-name", status=1, cwd=self.studio)
        self.assertEqual({name: len(paths) for name, paths in self.silent().items()}, before)
        self.assertEqual(done["check"]["ok"], True)
        again = self.run_json("mend", "--yes", cwd=self.studio, status=1)
        self.assertEqual(again["lost"], 3, "a song, where it was at first, and a bell that was left behind")
        undone = self.run_json("undo", done["trip"], "--yes", cwd=self.studio)
        self.assertEqual(undone["state"], "undone")

    def test_lists_of_relative_paths_alone(self):
        """Which nothing else helps to find: a playlist, and one of percent-encoded references."""
        user, away = self.top / "user", self.top / "lighter" / "Dragged"
        self.environment["HOME"] = str(user)
        names = [f"Äbc {number % 2}/track {number}.wav" for number in range(8)]
        for number, name in enumerate(names):
            wav(user / "Music" / name, number)
        lists = {
            "a.m3u8": "".join(f"Music/{name}\n" for name in names),
            "b.xspf": '<playlist version="1" xmlns="http://xspf.org/ns/0/"><trackList>'
            + "".join(f"<track><location>Music/{quote(name)}</location></track>" for name in names)
            + "</trackList></playlist>",
        }
        away.parent.mkdir(exist_ok=True)
        (user / "Music").rename(away)
        for file, text in lists.items():
            with self.subTest(file):
                (user / file).write_text(text)
                done = self.run_json("mend", "--in", away, "--yes", "--by-name")
                self.assertEqual(done["check"]["entries"]["found"], len(names))
                self.assertNotIn(">Music/", (user / file).read_text())
                (user / file).unlink()

    def test_instruments_that_start_from_a_folder_of_their_program_stay_as_they_are(self):
        """They were dragged with their samples: only the program has to learn where its folder is now."""
        before = {name: len(paths) for name, paths in self.silent().items()}
        (self.studio / "cart.toml").unlink()
        shutil.rmtree(self.studio / "maps")
        pack = self.studio / "lighter" / "Dragged" / "Fog Voices"
        pack.parent.mkdir()
        (self.studio / "keel" / "Sounds" / "Fog Voices").rename(pack)
        voices = {path: path.read_bytes() for path in pack.rglob("*.voice")}
        for _again in range(2):
            self.run_json("mend", "--in", "lighter", "--yes", "--by-name", status=None, cwd=self.studio)
            self.assertEqual({name: len(paths) for name, paths in self.silent().items()}, before)
            self.assertEqual({path: path.read_bytes() for path in voices}, voices)

    def test_what_is_found_nowhere_is_said_and_no_ledger_is_touched(self):
        """The studio's player has lost one song for good; and a packed file that nobody can read names another."""
        (self.studio / "cart.toml").unlink()
        packed = self.studio / "session.pack"
        packed.write_bytes(bz2.compress(b"/keel/Takes/gone.wav\n"))
        before = tree(self.studio, "home")
        done = self.run_program("mend", "--yes", cwd=self.studio, status=1)
        self.assertIn("07 Lost at Sea.flac", done.stdout)
        self.assertIn("session.pack lists 1 sound that is gone", done.stdout)
        self.assertEqual(tree(self.studio, "home"), before)

    def test_what_waits_for_its_drive_is_not_gone(self):
        """A drive was pulled out, and another holds a copy of what is on it."""
        copy = self.studio / "bucket" / "Copy"
        shutil.copytree(self.studio / "keel" / "Music", copy / "Music")
        words = f'[[drive]]\nname = "ballast"\nidentity = "marker:petrel-ballast"\nmount = "{self.studio}/ballast"\n'
        (self.studio / "cart.toml").write_text(words)
        listed = self.studio / "away.m3u8"
        names = sorted(path.relative_to(copy) for path in copy.rglob("*.flac"))
        listed.write_text("".join(f"{self.studio}/ballast/{name}\n" for name in names))
        before = listed.read_bytes()
        cart = str(self.studio / "cart.toml")
        with mock.patch.dict(os.environ, self.environment):
            self.assertEqual(look_for_losses(load(cart)).shown, set())
        done = self.run_json("mend", "--yes", "--by-name", "--cart", cart, status=1, cwd=self.studio)
        self.assertEqual(sum(done["offline"].values()), len(names))
        self.assertEqual(listed.read_bytes(), before)

    def test_texts_that_may_be_paths(self):
        cases = [
            (b'file = "/keel/S/a.wav"', ["/keel/S/a.wav"]),
            (b"key=/keel/S/a = b.wav\n", ["/keel/S/a = b.wav"]),
            (b'<x y="/keel/S&amp;T/a.flac"/>', ["/keel/S&T/a.flac"]),
            (b'{"f": "\\/keel\\/a.mp3"}', ["/keel/a.mp3"]),
            ("/keel/É.wav".encode("cp1252"), ["/keel/É.wav"]),
            ("/keel/É.wav\n".encode("utf-16-le"), ["/keel/É.wav"]),
            (b"/keel/notes.txt", []),
            (b"/keel/a.wav " + b"A/" * (1 << 20), ["/keel/a.wav"]),  # in time that follows its length
        ]
        for data, expected in cases:
            with self.subTest(data):
                self.assertEqual([text for text in runs_in(data) if "\x00" not in text][: len(expected)], expected)
        meant = [
            ("/keel/../keel/a.wav", ("/keel/a.wav",)),
            ("file:///keel/%C3%89.wav", ("/keel/É.wav",)),
            ("S/a.wav", ("/lists/S/a.wav", "/keel/S/a.wav")),
            ("a.wav", ()),
            ("http://radio.example/a/b.mp3", ()),
            ("$ROOT/S/a.wav", ()),
            ("", ()),
            ("file:///keel/%00/a.wav", ()),
            ("/keel/100%deep/a.wav", ("/keel/100%deep/a.wav",)),  # a name, and no percent-encoding
            ("B%C3%A9/a.wav", ("/lists/Bé/a.wav", "/keel/Bé/a.wav", "/lists/B%C3%A9/a.wav", "/keel/B%C3%A9/a.wav")),
            ("D:\\Sounds\\a.wav", ("/D:/Sounds/a.wav",)),
            ("D:\\\\Sounds\\\\a.wav", ("/D:/Sounds/a.wav",)),  # as JSON holds it
        ]
        for text, expected in meant:
            with self.subTest(text):
                self.assertEqual(paths_of(text, ("/lists", "/keel")), expected)


class FolderRows(WorldCase):
    def test_one_file_that_is_gone_is_no_reason_to_leave_its_folder(self):
        """A database that nobody described, with folders in a table of their own."""
        library = self.top / "user" / ".config" / "crates" / "lib.db"
        library.parent.mkdir(parents=True)
        with closing(sqlite3.connect(library)) as made:
            made.execute("CREATE TABLE dirs (id INTEGER PRIMARY KEY, path TEXT)")
            made.execute("CREATE TABLE sounds (id INTEGER PRIMARY KEY, dir INT, name TEXT, bytes INT, stars INT)")
            made.execute("INSERT INTO dirs VALUES (1, ?)", (f"{self.keel}/Sounds/Kit/",))
            for number in range(12):
                path = self.lighter / "Kit" / f"hit {number}.wav"
                wav(path, number)
                row = (path.name, path.stat().st_size, number)
                made.execute("INSERT INTO sounds (dir, name, bytes, stars) VALUES (1, ?, ?, ?)", row)
            made.commit()
        (self.lighter / "Kit" / "hit 7.wav").unlink()
        (self.lighter / "Other").mkdir()  # where one went by itself, for which a row of folders must be added
        (self.lighter / "Kit" / "hit 9.wav").rename(self.lighter / "Other" / "hit 9.wav")
        done = self.run_program("mend", "--in", self.lighter, "--yes", status=1)
        self.assertIn("11 of 12 lost sounds found again", done.stdout)
        self.assertIn("12 of 13 lost entries found again", done.stdout)
        self.assertIn("Still missing: hit 7.wav.", done.stdout)
        rows = cells(library)
        folders = dict(rows["dirs"])
        self.assertEqual(folders, {1: f"{self.lighter}/Kit/", 2: f"{self.lighter}/Other/"})
        self.assertEqual(sorted(row[4] for row in rows["sounds"]), list(range(12)), "ratings stay")
        self.assertEqual([row[2] for row in rows["sounds"] if row[1] == 2], ["hit 9.wav"])
        self.assertEqual(sum(os.path.exists(folders[row[1]] + row[2]) for row in rows["sounds"]), 11)

    def test_slots_with_a_folder_and_a_name_each_follow_it_and_what_stays_lost_keeps_its_name(self):
        names = ["One.wav", "Two.wav", "deep/Three.wav", "deep/Four.wav"]
        for at, name in enumerate(names):
            wav(self.lighter / "Kit" / name, at)
        files = ["One.wav", "Two.wav", "Three.wav", "deep/Four.wav"]  # with a path among them, and so all may be paths
        folders = [self.keel / "Kit" / name.removesuffix(file) for name, file in zip(names, files, strict=True)]
        slots = [{"dir": str(folder), "file": file} for folder, file in zip(folders, files, strict=True)]
        session = self.top / "user" / "slots.json"
        session.parent.mkdir()
        session.write_text(json.dumps(slots))
        settings = session.with_name("look.cfg")  # it lists folders that are lost, beside which the sounds of one lay
        settings.write_text(f"first={self.keel}/Kit/deep\nlast={self.keel}/Kit/One.wav\n")
        done = self.run_program("mend", "--in", self.lighter, "--dry-run", status=1)
        self.assertIn("10 entries are lost in 2 ledgers; 0 can be mended; 10 more may be", done.stdout)
        self.assertNotIn("likely by its name", done.stdout, "one rule says it all")
        for gone, lost in ((None, 0), ("Two.wav", 1)):
            if gone:
                self.run_program("undo", "--yes")
                (self.lighter / "Kit" / gone).unlink()
            self.run_program("mend", "--in", self.lighter, "--by-name", "--yes", status=1 if gone else 0)
            now = json.loads(session.read_text())
            self.assertEqual([one["file"] for one in now], files)
            self.assertEqual([os.path.exists(f"{one['dir']}/{one['file']}") for one in now].count(False), lost)


class Kit(WorldCase):
    """Sounds that went, and what a user keeps of them."""

    def setUp(self):
        super().setUp()
        self.user = self.top / "user"
        self.user.mkdir()
        for number in range(6):
            wav(self.lighter / "Kit" / f"hit {number}.wav", number)
        self.old = [f"{self.keel}/Kit/hit {number}.wav" for number in range(6)]

    def write(self, name, text):
        """A file of the user's."""
        path = self.user / name
        path.write_text(text)
        return path

    def mend(self, *more, status):
        return self.run_json("mend", "--in", self.lighter, "--by-name", "--yes", *more, status=status)


class Discovered(Kit):
    def test_what_speaks_of_the_past_or_to_people_is_not_rewritten(self):
        log = "".join(f'2026-01-0{at + 1} 10:00:00 played "{path}"\n' for at, path in enumerate(self.old))
        notes = "Dear Ann,\n\n" + "".join(f'yesterday I made "{path}" and liked it.\n' for path in self.old)
        kept = [self.write("play.log", log), self.write("notes.txt", notes)]
        before = [path.read_text() for path in kept]
        listed = self.write("kit.m3u8", "\n".join(self.old))
        done = self.mend(status=0)
        self.assertEqual([path.read_text() for path in kept], before)
        self.assertIn(f"{self.lighter}/Kit/hit 0.wav", listed.read_text())
        self.assertEqual(done["not_understood"], {})

    def test_a_file_that_is_not_understood_is_no_reason_to_say_that_all_is_well(self):
        packed = self.user / "session.pack"
        packed.write_bytes(bz2.compress(f"{self.old[0]}\n{self.old[1]}\n".encode()))
        self.write("kit.m3u8", "\n".join(self.old))
        done = self.mend(status=1)
        self.assertEqual(done["not_understood"], {str(packed): 2})
        self.assertEqual(self.mend(status=1)["not_understood"], {str(packed): 2}, "nothing is lost in ledgers by now")

    def test_what_could_not_be_looked_into_is_said(self):
        damaged = self.user / "library.db"
        damaged.write_bytes(b"SQLite format 3\0" + b"?" * 5000)
        self.write("kit.m3u8", "\n".join(self.old))
        done = self.mend(status=1)
        self.assertEqual([gap["path"] for gap in done["not_searched"]], [str(damaged)])

    def test_a_playlist_is_found_though_what_it_lost_stands_at_its_end(self):
        there = [str(self.lighter / "Kit" / f"hit {number}.wav") for number in range(6)]
        with mock.patch.dict(os.environ, self.environment), mock.patch.object(lost_texts, "MOST_TEXTS", 4):
            listed = self.write("kit.m3u8", "\n".join([*there, *self.old]))
            self.assertIn(str(listed), discover(look_for_losses(load(), [str(self.lighter)]), []).ledgers)

    def test_a_name_that_no_file_can_have_is_none(self):
        self.write("odd.cfg", "a=file:///keel/%00/b.wav\nb=/keel/\ud7ff/c.wav\n")
        self.write("kit.m3u8", "\n".join(self.old))
        self.mend(status=1)  # one of them stays lost

    def test_two_lost_sounds_are_not_both_the_one_file_of_their_name(self):
        self.write("two.m3u8", f"{self.keel}/A/hit 3.wav\n{self.keel}/B/hit 3.wav\n")
        done = self.mend(status=1)
        self.assertEqual([one["chosen"] for one in done["entries"]], [None, None])

    def test_all_that_will_change_is_shown_before_the_question(self):
        listed = self.write("kit.m3u8", "\n".join(self.old))
        done = self.run_program("mend", "--in", self.lighter, "--by-name", status=2)
        self.assertRegex(done.stdout, rf"Files in which[\s\S]*{listed.name}\s+m3u")


class Folders(Kit):
    """Only folders are written whole, and the names of sounds beside them."""

    def shapes(self):
        """Files by their names, each with the folders it names whole: all of these held in one way what is there."""
        names = [f"hit {number}.wav" for number in range(6)]
        kit = self.keel / "Sounds" / "Kît Ö"
        return {
            "sections.ini": f"[{kit}]\n" + "".join(f"pad{at}={name}\n" for at, name in enumerate(names)),
            "script.sh": f"ROOT={kit.parent}\n" + "".join(f'play "$ROOT/Kît Ö/{name}"\n' for name in names),
            "tree.yaml": f"root: {kit.parent}\nfolders:\n  - name: Kît Ö\n    files:\n"
            + "".join(f"      - {name}\n" for name in names),
        }

    def test_they_are_found_and_offered_and_mended_by_consent(self):
        (self.lighter / "Sounds").mkdir()
        (self.lighter / "Kit").rename(self.lighter / "Sounds" / "Kît Ö")
        for name, text in self.shapes().items():
            with self.subTest(name):
                path = self.write(name, text)
                done = self.run_json("mend", "--in", self.lighter, "--yes", status=1)
                self.assertEqual([one["chosen"] for one in done["entries"]], [None] * len(done["entries"]))
                self.assertEqual({one["why"] for one in done["entries"]}, {"likely by its name"})
                self.assertEqual(path.read_text(), text)
                self.assertTrue(self.mend(status=0)["check"]["ok"])
                self.assertEqual(path.read_text(), text.replace(str(self.keel), str(self.lighter)))
                path.unlink()

    def test_of_two_of_one_name_none_is_likely(self):
        path = self.write("sections.ini", self.shapes()["sections.ini"])
        (self.lighter / "Kit").rename(self.lighter / "Kît Ö")
        wav(self.lighter / "Other" / "Kît Ö" / "hit 1.wav", 1)
        (done,) = self.mend(status=1)["entries"]
        self.assertEqual((done["why"], done["chosen"], len(done["files"])), ("unclear", None, 2))
        self.assertNotIn(str(self.lighter), path.read_text())

    def test_nor_is_one_in_which_a_lost_sound_is_missing(self):
        path = self.write("sections.ini", self.shapes()["sections.ini"])
        (self.lighter / "Kit").rename(self.lighter / "Kît Ö")
        self.write("list.m3u8", f"{self.keel}/Sounds/Kît Ö/another.wav\n")
        done = [one for one in self.mend(status=1)["entries"] if one["files"]]
        self.assertEqual([(one["why"], one["chosen"]) for one in done], [("not found", None)])
        self.assertNotIn(str(self.lighter), path.read_text())

    def test_a_file_that_nobody_can_read_is_told_where_others_show_what_went(self):
        slots = "".join(f'<s path="{self.keel}/Kit/hit {number}" type="wav"/>' for number in range(6))
        slots = slots.replace(str(self.keel / "Kit"), os.path.dirname(self.old[0]))
        path = self.write("slots.dat", f"<kit>{slots}</kit>")
        self.write("kit.m3u8", "\n".join(self.old))
        self.assertEqual(self.mend(status=1)["not_understood"], {str(path): 6})
