"""Lost entries mended in place: dragged, renamed, remounted, restored; and all that is left alone."""

import json
import os
import re
import shutil
import sqlite3
import subprocess
from contextlib import closing
from pathlib import Path
from unittest.mock import patch

import mutagen
import soundfile

from saltcart.errors import BadLedger
from saltcart.mending import evidence
from saltcart.mending.evidence import KnownMoves
from saltcart.standins import player
from saltcart.switching import repoint
from tests.mending.cases import NAMES, MendCase
from tests.switching.crash_cases import CrashCase
from tests.switching.crashing import run_until
from tests.world import PLAYER_MAP, PROGRAM, cells


class Mended(MendCase):
    def test_dragged_renamed_or_both(self):
        for place in (
            self.lighter / "Sounds" / "Bell Tones",
            self.lighter / "Deep" / "er" / "Bell Tones",
            self.keel / "Sounds" / "Bell Tones (old)",
            self.lighter / "Other Name",
        ):
            with self.subTest(place):
                before = self.state()
                place.parent.mkdir(parents=True, exist_ok=True)
                self.shelf.rename(place)
                asked = self.run_program("mend", status=2)
                self.assertIn("14 entries are lost in 3 ledgers; 14 can be mended", asked.stdout)
                self.assertEqual(self.state(), before)
                done = self.mend("--yes")
                self.assertEqual([(one["sure"], one["entries"]) for one in done["rules"]], [("proven", 14)])
                self.assertIn("length", done["rules"][0]["evidence"][0])
                self.assert_mended(place, done, before)
                place.rename(self.shelf)

    def test_a_drive_that_hangs_elsewhere_now(self):
        image, one, two = self.top / "image", self.top / "one", self.top / "two"
        image.touch()
        os.truncate(image, 16 << 20)
        for place in (one, two):
            place.mkdir()
            self.addCleanup(subprocess.run, ["umount", "-l", str(place)], capture_output=True)
        if not shutil.which("mkfs.ext4") or subprocess.run(["mkfs.ext4", str(image)], capture_output=True).returncode:
            self.skipTest("no file system can be made here")
        if subprocess.run(["mount", "-o", "loop", str(image), str(one)], capture_output=True).returncode:
            self.skipTest("nothing can be mounted here")
        self.run_program("move", self.shelf, "--to", one, "--yes")
        self.run_program("release", "--yes", "--own")
        before = self.state()
        subprocess.run(["umount", str(one)], check=True)
        away = self.mend(status=1)
        self.assertEqual((away["lost"], list(away["offline"].values())), (0, [14]))
        subprocess.run(["mount", "-o", "loop", str(image), str(two)], check=True)
        done = self.mend("--yes")
        self.assertEqual((done["rules"][0]["from"], done["rules"][0]["to"]), (str(one), str(two)))
        self.assertEqual(done["rules"][0]["evidence"][0], "same drive")
        self.assertEqual([why for _path, why in player.play_all(self.library) if why], [])
        self.run_program("undo", done["trip"], "--yes")
        self.assertEqual(self.state(), before)

    def test_this_users_home_under_another_name(self):
        home, sounds = Path(self.environment["HOME"]), ("low/C1.wav", "high/Été 50%.wav")
        shutil.copytree(self.shelf, home / "Music" / "Bells")
        late = home / "late.m3u8"
        late.write_text("".join(f"/home/ann-as-she-was/Music/Bells/{name}\n" for name in sounds))
        rule = self.mend("--ledger", late, "--in", home, "--yes")["rules"][0]
        self.assertEqual((rule["from"], rule["to"]), ("/home/ann-as-she-was", str(home)))
        self.assertEqual(rule["evidence"][0], "home folder")
        self.assertEqual(late.read_text(), "".join(f"{home}/Music/Bells/{name}\n" for name in sounds))

    def test_what_a_trip_carried_and_a_program_named_again(self):
        self.run_program("move", self.shelf, "--to", self.new.parent, "--yes")
        late = self.keel / "lists" / "late.m3u8"
        late.write_text(f"{self.shelf}/low/C1.wav\n")
        done = self.mend("--ledger", late, "--yes")
        self.assertEqual((done["rules"][0]["evidence"][0], late.read_text()), ("trip", f"{self.new}/low/C1.wav\n"))

    def test_a_link_that_leads_nowhere_is_put_right(self):
        link = self.keel / "lists" / "bells"
        link.symlink_to(self.shelf)
        self.near.write_text("".join(f"bells/{name}\n" for name in NAMES))
        before = self.state()
        self.shelf.rename(self.lighter / "Moved")
        words = ("--ledger", self.near, "--by-name", "--yes")
        self.mend(*words, "--signposts")
        self.assertEqual((os.readlink(link), self.state()), (str(self.lighter / "Moved"), before))
        self.run_program("undo", "--yes")
        self.assertEqual(os.readlink(link), str(self.shelf))
        self.mend(*words)
        self.assertEqual(os.readlink(link), str(self.shelf))
        self.assertNotIn("bells", self.near.read_text())

    def test_what_was_tagged_anew_is_known_by_length_title_and_artist(self):
        path, tagged = self.shelf / "high" / "it's & all.wav", self.shelf / "high" / "x.flac"
        soundfile.write(os.fsencode(tagged), soundfile.read(os.fsencode(path))[0], 8000)
        tags = mutagen.File(tagged)
        tags["title"], tags["artist"], tags["tracknumber"] = "Été", "Bilge Choir", "03/9"
        tags.save()
        with closing(sqlite3.connect(self.library)) as database:
            database.execute("DELETE FROM tracks")
            database.execute("DELETE FROM folders")
            database.execute("ALTER TABLE tracks ADD COLUMN number TEXT")
            database.execute(
                "INSERT INTO tracks (place, title, artist, number, seconds) VALUES (?, 'été', 'BILGE CHOIR', '3', ?)",
                (f"file://{self.shelf}/high/x.flac".replace(" ", "%20"), self.seconds(3)),
            )
            database.commit()
        self.shelf.rename(self.lighter / "Other")
        plan = self.top / "numbered.toml"
        plan.write_text(PLAYER_MAP.read_text().replace('title = "title"', 'title = "title"\ntrack = "number"'))
        (self.top / "cart.toml").write_text(f'maps = ["{plan}"]\nplaces = ["{self.lighter}"]\n')
        done = self.mend("--ledger", self.library, "--yes")
        words = [f"{word} (1 of 1)" for word in ("length", "title", "artist", "track number")]
        self.assertEqual(done["rules"][0]["evidence"], words, "and that is proof")

    def test_what_is_there_and_is_no_sound_is_told_as_such(self):
        self.shelf.rename(self.lighter / "Bells")
        (self.lighter / "Bells" / NAMES[0]).write_bytes(b"no sound")
        told = " ".join(self.run_program("mend", "--yes", status=1).stdout.split())
        self.assertIn("14 of 14 lost entries found again", told)
        self.assertRegex(told, "3 entries lead to a file that is there and does not read as a sound: saltcart check")

    def test_a_home_that_is_there_is_somebody_elses(self):
        known = KnownMoves()
        known.home = str(self.top / "ann")
        with patch.object(evidence, "HOMES", (str(self.top),)):
            self.assertEqual(known.why(str(self.top / "ann-as-she-was"), known.home), "home folder")
            self.assertIsNone(known.why(str(self.keel), known.home))

    def test_whoever_is_there_is_asked_about_what_is_likely(self):
        for name in NAMES:
            self.sound(self.shelf / name, 3)
        with closing(sqlite3.connect(self.library)) as database:
            database.execute("UPDATE tracks SET seconds = ?", (self.seconds(3),))
            database.commit()
        self.shelf.rename(self.keel / "Sounds" / "Bell Tones (old)")
        before = self.state()
        for answers, status, same in (("n\n", 1, True), ("y\nn\n", 2, True), ("y\ny\n", 0, False)):
            ours, theirs = os.openpty()
            os.write(ours, answers.encode())
            words = [PROGRAM, "mend", "--ledger", self.library]
            done = subprocess.run(
                words, stdin=theirs, env=self.environment, cwd=self.top, capture_output=True, text=True
            )
            for handle in (ours, theirs):
                os.close(handle)
            with self.subTest(answers):
                self.assertIn("Take rule 1 too (6 entries)? It is based only on names.", done.stderr)
                self.assertEqual((done.returncode, self.state() == before), (status, same), done.stdout)

    def test_another_album_of_the_same_artist_proves_nothing(self):
        """Its tracks have the same names, numbers and artist, and other titles: each rule would have been proven."""
        with closing(sqlite3.connect(self.library)) as database:
            database.execute("DELETE FROM tracks")
            database.execute("ALTER TABLE tracks ADD COLUMN number TEXT")
            for number in range(1, 7):
                there = self.lighter / "Second" / f"0{number}.flac"
                there.parent.mkdir(exist_ok=True)
                soundfile.write(there, [0.1] * 8000 * number, 8000)
                tags = mutagen.File(there)
                tags["title"], tags["artist"], tags["tracknumber"] = f"Ebb {number}", "Bilge Choir", str(number)
                tags.save()
                database.execute(
                    "INSERT INTO tracks (place, title, artist, number) VALUES (?, ?, 'Bilge Choir', ?)",
                    (f"file://{self.keel}/First/0{number}.flac", f"Flood {number}", str(number)),
                )
            database.commit()
        plan = self.top / "numbered.toml"
        plan.write_text(PLAYER_MAP.read_text().replace('title = "title"', 'title = "title"\ntrack = "number"'))
        (self.top / "cart.toml").write_text(f'maps = ["{plan}"]\nplaces = ["{self.lighter}"]\n')
        done = self.mend("--ledger", self.library, "--yes", status=1)
        self.assertEqual((done["rules"], {one["why"] for one in done["entries"]}), ([], {"another file"}))

    def test_a_manifest_that_was_left_tells_by_digest(self):
        self.run_program("check", self.shelf, "--digests", "--write")
        os.remove(self.library)
        (self.top / "cart.toml").write_text(f'places = ["{self.lighter}"]\n[[ledger]]\npath = "{self.near}"\n')
        self.shelf.rename(self.lighter / "Other Name")
        done = self.mend("--yes")
        self.assertEqual(done["rules"][0]["evidence"], ["digest (3 of 3)"])
        self.assertEqual(done["changed_entries"], 3)

    def test_a_plan_is_written_edited_and_carried_out(self):
        before, plan = self.state(), self.top / "plan.toml"
        self.shelf.rename(self.lighter / "Bells")
        self.mend("--plan", plan)
        text = plan.read_text()
        self.assertIn("# length", text)
        self.assertEqual(self.state(), before)
        for old, new, words in [
            (f'to = "{self.lighter}/Bells"', 'to = "/nowhere"', "is not there any more"),
            ("from =", "form =", "unknown key"),
            (f'from = "{self.shelf}"', "from = 3", "must be"),
        ]:
            plan.write_text(text.replace(old, new))
            self.assertIn(words, self.run_program("mend", plan, "--yes", status=None).stderr)
            self.assertEqual(self.state(), before)
        plan.write_text(text)
        with open(self.near, "a") as stream:
            stream.write("# later\n")
        self.assertIn("has changed since", self.run_program("mend", plan, "--yes", status=3).stderr)
        self.near.write_bytes(before[1])
        self.assert_mended(self.lighter / "Bells", self.run_json("mend", plan, "--yes"), before)


class LeftAlone(MendCase):
    def test_nothing_lost_and_a_drive_that_is_away(self):
        before = self.state()
        self.assertIn("Nothing is missing", self.run_program("mend").stdout)
        self.run_program("move", self.shelf, "--to", self.new.parent, "--yes")
        switched = self.state()
        self.lighter.rename(self.top / "gone")
        done = self.mend("--yes", status=1)
        self.assertEqual((done["lost"], sum(done["offline"].values())), (0, 14))
        self.assertEqual(self.state(), switched)
        (self.top / "gone").rename(self.lighter)
        self.run_program("undo", "--yes")
        self.assertEqual(self.state(), before)

    def test_names_alone_are_not_enough_unless_that_is_said(self):
        os.remove(self.library)
        (self.top / "cart.toml").write_text(f'places = ["{self.lighter}"]\n[[ledger]]\npath = "{self.near}"\n')
        before = self.near.read_bytes()
        self.shelf.rename(self.lighter / "Bell Tones")
        done = self.mend("--yes", status=1)
        self.assertEqual([(one["sure"], one["taken"]) for one in done["rules"]], [("only by name", False)])
        self.assertEqual(self.near.read_bytes(), before)
        self.assertEqual(self.mend("--by-name", "--yes")["changed_entries"], 3)
        self.run_program("undo", "--yes")
        one = ("--ledger", self.near)  # the drive is known by now, and more of its lists would be found
        self.assertEqual(self.mend("--only-rule", "1", *one, "--yes")["changed_entries"], 3)

    def test_a_plan_holds_what_is_not_taken_as_comments(self):
        os.remove(self.library)
        before = self.near.read_bytes()
        self.shelf.rename(self.lighter / "Bell Tones")
        plan = self.top / "plan.toml"
        words = ("--ledger", self.near, "--in", self.lighter)
        self.run_program("mend", *words, "--plan", plan)
        self.assertIn("says nothing to do", self.run_program("mend", plan, "--yes", status=2).stderr)
        self.assertEqual(self.near.read_bytes(), before)
        plan.write_text(re.sub("(?m)^# (?=\\[\\[relink|from|to)", "", plan.read_text()))
        self.run_program("mend", plan, "--yes")
        self.assertEqual([why for _path, why in player.play_list(str(self.near)) if why], [])

    def test_another_sound_of_the_same_name_is_not_taken(self):
        before = self.state()
        self.shelf.rename(self.lighter / "Bell Tones")
        self.sound(self.lighter / "Bell Tones" / "low" / "C1.wav", 17)
        done = self.mend("--yes", status=1)
        self.assertEqual([(one["why"], one["chosen"]) for one in done["entries"]], [("another file", None)])
        self.assertIn(os.fsencode(self.shelf) + b"/low/C1.wav", self.full.read_bytes())
        self.assertEqual(self.full.read_bytes().count(os.fsencode(self.lighter)), 4)
        self.run_program("undo", "--yes")
        self.assertEqual(self.state(), before)

    def test_two_places_that_hold_the_same_are_chosen_from(self):
        shutil.copytree(self.shelf, self.lighter / "A" / "Bell Tones")
        (self.lighter / "B").mkdir()
        self.shelf.rename(self.lighter / "B" / "Bell Tones")
        before = self.state()
        done = self.mend("--yes", status=1)
        self.assertEqual({one["why"] for one in done["entries"] if one["files"]}, {"unclear"})
        self.assertEqual([one["as_good_as"] for one in done["rules"]], [[2], [1]])
        self.assertEqual(self.state(), before)
        for number, name in enumerate("AB", 1):
            mended = self.mend("--only-rule", number, "--yes")
            self.assert_mended(self.lighter / name / "Bell Tones", mended, before)
        self.assert_mended(self.lighter / "B" / "Bell Tones", self.mend("--not", "1", "--yes"), before)
        with open(self.top / "cart.toml", "a") as stream:
            stream.write(f'[[shelf]]\npath = "{self.lighter}/B/Bell Tones"\n')
        self.assert_mended(self.lighter / "B" / "Bell Tones", self.mend("--yes"), before)

    def test_of_two_copies_the_one_on_the_drive_that_others_went_to_is_meant(self):
        vault = self.drive("vault")
        other = self.keel / "Sounds" / "Other"
        for number in range(20, 23):
            self.sound(other / f"{number}.wav", number)
        rows = [(str(other / f"{number}.wav"), "o", "a", self.seconds(number), 1, 1, None) for number in range(20, 23)]
        player.add_tracks(self.library, rows)
        before = self.state()
        shutil.copytree(self.shelf, vault / "Bell Tones")
        self.shelf.rename(self.lighter / "Bell Tones")
        other.rename(self.lighter / "Other")
        done = self.mend("--in", self.lighter, vault, "--yes")
        self.assertEqual({one["to"].startswith(str(self.lighter)) for one in done["rules"]}, {True})
        self.assertEqual([why for _path, why in player.play_all(self.library) if why], [])
        self.run_program("undo", "--yes")
        self.assertEqual(self.state(), before)

    def test_choosing_one_by_one(self):
        self.full.write_text(f"{self.shelf}/low/C1.wav\n")
        (self.top / "cart.toml").write_text(f'places = ["{self.lighter}"]\n[[ledger]]\npath = "{self.full}"\n')
        for name in ("A", "B"):
            self.sound(self.lighter / name / "C1.wav", 1 + (name == "B"))
        shutil.rmtree(self.shelf)
        (one,) = self.mend("--yes", status=1)["entries"]
        self.assertEqual(len(one["files"]), 2)
        for wrong in ("1=3", "2=1", "x"):
            self.assertIn("no choice", self.run_program("mend", "--choose", wrong, status=2).stderr)
        self.mend("--choose", "1=2", "--yes")
        self.assertEqual(self.full.read_text(), one["files"][1] + "\n")

    def test_what_a_ledger_names_already_is_not_named_twice(self):
        place = self.lighter / "Bell Tones"
        self.shelf.rename(place)
        with closing(sqlite3.connect(self.library)) as database:
            database.execute(
                "INSERT INTO tracks (place, title, rating, plays) VALUES (?, 'again', 0, 4)",
                (f"file://{place}/low/C1.wav",),
            )
            database.commit()
        done = self.mend("--yes", status=1)
        self.assertEqual(
            [(one["why"], one["evidence"]) for one in done["entries"]],
            [("listed already", ["0 plays of it, 4 of the one that is listed"])],
        )
        rows = {row[1] for row in cells(self.library)["tracks"]}
        self.assertIn(f"file://{self.shelf}/low/C1.wav", {row.replace("%20", " ") for row in rows})

    def test_renamed_by_itself_and_in_another_format(self):
        with closing(sqlite3.connect(self.library)) as database:
            database.execute("ALTER TABLE tracks ADD COLUMN bytes INTEGER")
            for number, name in enumerate(NAMES):
                size = os.path.getsize(self.shelf / name)
                database.execute("UPDATE tracks SET bytes = ? WHERE title = ?", (size, f"t{number}"))
            database.commit()
        plan = self.top / "sized.toml"
        plan.write_text(PLAYER_MAP.read_text().replace('title = "title"', 'title = "title"\nsize = "bytes"', 1))
        words = ("--ledger", self.library, "--map", plan, "--cart", self.top / "none.toml")
        (self.top / "none.toml").write_text("")
        (self.shelf / "low" / "C1.wav").rename(self.shelf / "low" / "C1 (final).wav")
        sound, rate = soundfile.read(self.shelf / "high" / "Été 50%.wav")
        soundfile.write(self.shelf / "high" / "Été 50%.flac", sound, rate)
        (self.shelf / "high" / "Été 50%.wav").unlink()
        done = self.mend(*words, "--yes", status=1)
        found = {one["why"]: (one["chosen"], one["evidence"]) for one in done["entries"]}
        self.assertEqual(found["renamed"], (str(self.shelf / "low" / "C1 (final).wav"), ["size", "length"]))
        self.assertEqual(found["in another format"], (None, ["length"]))
        self.assertEqual(done["changed_entries"], 1)

    def test_that_nothing_was_looked_at_is_no_good_news(self):
        (self.top / "cart.toml").write_text("")
        for command in ("mend", "folders"):
            done = self.run_program(command, status=1)
            self.assertIn("--ledger", done.stdout)

    def test_refusals(self):
        self.shelf.rename(self.lighter / "Bells")
        for words, status, text in [
            (("--in", self.top / "no"), 3, "is not a folder"),
            (("--only-rule", "7"), 2, "There is no rule 7"),
            (("--not", "x"), 2, "There is no rule x"),
            (("--plan", self.top / "cart.toml"), 3, "There is a file"),
            (("--in", self.keel, "--plan", self.top / "p"), 3, "nothing that could be mended"),
            ((self.top / "nope.toml",), 2, "nope.toml"),
        ]:
            with self.subTest(words):
                self.assertIn(text, self.run_program("mend", *words, status=status).stderr)
        self.run_program(
            "draft", self.lighter / "Bells", "--to", self.keel / "x", "-o", self.top / "w.toml", status=None
        )
        self.assertIn("no plan of mending", self.run_program("mend", self.top / "w.toml", status=2).stderr)
        self.assertEqual(json.loads(self.run_program("trips", "--json").stdout)["trips"], [])


class Foreign(MendCase):
    def test_paths_of_another_system_get_a_meaning_or_the_spelling_of_this_one(self):
        letters = self.keel / "lists" / "other.m3u8"
        lines = [f"D:\\Musik\\bell tones\\{name}".replace("/", "\\") for name in NAMES]
        letters.write_text("\n".join(lines) + "\n")
        place = self.lighter / "Bell Tones"
        self.shelf.rename(place)
        (self.top / "cart.toml").write_text(f'maps = ["{PLAYER_MAP}"]\nplaces = ["{self.lighter}"]\n')
        words, before = ("--ledger", letters, "--by-name"), letters.read_bytes()
        done = self.mend(*words, "--yes", status=1)
        (rule,) = done["rules"]
        self.assertEqual(
            (rule["means"], rule["taken"], letters.read_bytes()), (f"D:\\Musik={self.lighter}", False, before)
        )
        self.assertEqual(self.run_json("check", "--ledger", letters, "--drive", rule["means"])["entries"]["found"], 5)
        self.mend(*words, "--for-here", "--yes")
        self.assertEqual(letters.read_text().split("\n")[:-1], [str(place / name) for name in NAMES])
        self.run_program("undo", "--yes")
        self.assertEqual(letters.read_bytes(), before)
        self.mend("--ledger", letters, "--drive", rule["means"], "--for-here", "--yes")
        self.assertEqual(letters.read_text().split("\n")[:-1], [str(place / name) for name in NAMES])

    def test_names_in_another_case_or_form_are_found_to_the_letter(self):
        place = self.lighter / "Sounds" / "BELL TONES"
        place.parent.mkdir()
        self.shelf.rename(place)
        before = self.state()
        self.assert_mended(place, self.mend("--yes"), before)

    def test_a_ledger_that_cannot_spell_the_place_is_no_reason_to_mend_none(self):
        old = self.keel / "lists" / "old.m3u"
        old.write_bytes(os.fsencode(self.shelf / "low" / "C1.wav") + b"\r\n" + "# é\r\n".encode("cp1252"))
        with open(self.top / "cart.toml", "a") as stream:
            stream.write(f'[[ledger]]\npath = "{old}"\n')
        before = old.read_bytes()
        self.shelf.rename(self.lighter / "Колокола")
        done = self.run_program("mend", "--yes", status=1)
        self.assertIn("has no letter", done.stdout + done.stderr)
        self.assertIn("14 of 15 lost entries found again", done.stdout)
        self.assertEqual(old.read_bytes(), before)

    def test_what_is_proven_is_no_excuse_for_what_is_not(self):
        other = self.keel / "Sounds" / "Other"
        for number in range(5):
            self.sound(other / f"x{number}.wav", 20 + number)
        late = self.keel / "lists" / "late.m3u8"
        late.write_text("".join(f"{other}/x{number}.wav\n" for number in range(5)))
        with open(self.top / "cart.toml", "a") as stream:
            stream.write(f'[[ledger]]\npath = "{late}"\n')
        other.rename(self.lighter / "Another")
        self.shelf.rename(self.lighter / "Bells")
        done = self.run_program("mend", "--yes", status=1)
        self.assertIn("14 of 19 lost entries found again", done.stdout)
        self.assertIn("5 entries stay as before", done.stdout)
        self.assertIn("only by name, not applied", done.stdout)


class MendCrash(MendCase, CrashCase):
    """Killed, or without power, at any durable point: typed again it goes on, or undo restores the start."""

    def test_a_drive_that_goes_right_after_the_switch(self):
        """That is not 3, which would mean that nothing was changed; typed again it is done."""
        self.shelf.rename(self.lighter / "Bells")
        ledgers = [str(path) for path in (self.full, self.library)]
        words = ("mend", "--in", str(self.lighter), "--ledger", *ledgers, "--map", str(PLAYER_MAP), "--yes")
        with patch.object(repoint, "record_found", side_effect=BadLedger(str(self.full), "cannot be opened")):
            self.assertEqual(run_until(words, self.environment, 0), 4)
        self.assertIn(str(self.lighter / "Bells"), self.full.read_text())
        self.run_again("repoint", self.trips()[0], "--yes")
        self.assertIn("switched", self.run_program("trips").stdout)

    def test_each_point(self):
        self.shelf.rename(self.lighter / "Bells")
        ledgers = [str(path) for path in (self.full, self.near, self.library)]
        words = ("mend", "--in", str(self.lighter), "--ledger", *ledgers, "--map", str(PLAYER_MAP), "--yes")
        start = self.world()
        self.keep()
        self.run_again(*words)
        end = self.world()
        self.restore()
        shutil.rmtree(self.kept)
        for number in self.each_crash(*words):
            if number // 4 % 2 or not self.trips():
                self.run_again(*words)
                self.assertEqual(self.world(), end)
                self.assertEqual(len(self.trips()), 1)
            else:
                self.run_again("undo", self.trips()[0], "--yes")
                self.assertEqual(self.world(), start)


del CrashCase
