"""The whole job on real files with the real program: moved, proven, taken back, released."""

import os
import shutil
import subprocess
import sys
from pathlib import Path
from unittest import mock

import saltcart
from saltcart.standins import player, sampler, workstation
from tests.world import PLAYER_MAP, WorldCase, cells, tree, wav


class Job(WorldCase):
    def setUp(self):
        super().setUp()
        self.furnish()

    def move(self, *more):
        """Do the usual job; the document."""
        return self.run_json("move", *self.plan_words("--yes", *more))

    def test_a_naive_drag_breaks_what_a_move_keeps(self):
        self.assert_all_play()
        os.rename(self.shelf, self.lighter / "dragged")
        self.assertEqual(sum(why is not None for _path, why in player.play_all(self.library)), 6)
        os.rename(self.lighter / "dragged", self.shelf)
        before, rows, originals = tree(self.keel), cells(self.library), tree(self.shelf)
        texts = {path: Path(path).read_bytes() for path in self.ledgers[:3]}
        done = self.move()
        self.assertEqual((done["state"], done["files"], done["check"]["ok"]), ("switched", 6, True))
        self.assert_all_play()
        self.assertTrue(all(str(self.lighter) in path for path, _why in player.play_all(self.library)))
        self.check_copy(originals)
        self.check_only_paths_changed(texts, rows)
        self.check_undo(done["trip"], before, rows)

    def test_no_bar_goes_beyond_its_end_however_many_shelves_there_are(self):
        packs = [self.keel / "Packs" / name for name in "abc"]
        for pack in packs:
            for number in range(4):
                wav(pack / f"{number}.wav", 300 + number)
        words = ("move", *packs, "--to", self.lighter, "--yes")
        steps = []

        def tell(tick):
            steps.append(tick.step)
            self.assertLessEqual(tick.done, tick.total or tick.done, tick)

        with mock.patch.dict(os.environ, self.environment):
            saltcart.undo(self.run_json(*words)["trip"], drop_copies=True, progress=tell)
            saltcart.release(self.run_json(*words)["trip"], progress=tell)
        self.assertLessEqual({f"{what} {name}" for what in ("drop copies of", "release") for name in "abc"}, set(steps))

    def check_copy(self, originals):
        """The copy equals the originals, times and modes too, but for the ledger that travelled."""
        copies = tree(self.new)
        changed = {name for name in originals if originals[name] != copies[name]}
        self.assertEqual((changed, set(copies)), ({b"inside.m3u8"}, set(originals)))
        state = (self.new / "low" / "C1.wav").stat()
        self.assertEqual((state.st_mtime_ns, state.st_mode & 0o777), (10**18 + 123456789, 0o640))
        inside = (self.new / "inside.m3u8").read_text()
        self.assertEqual(
            inside,
            f"#EXTM3U\nlow/C1.wav\n{self.new}/high/Été 50%.wav\n../../../keel/Sounds/Bell Tones Extra/spare.wav\n",
        )

    def check_only_paths_changed(self, texts, rows):
        """Text ledgers differ in the paths alone, the database in its path cells alone."""
        old, new = str(self.shelf), str(self.new)
        for path, code in zip(self.ledgers[:3], ("utf-8", None, "cp1252"), strict=True):
            if code:
                wanted = texts[path].decode(code).replace(old + "/", new + "/").encode(code)
                self.assertEqual(Path(path).read_bytes(), wanted)
        near = (self.keel / "lists" / "near.m3u8").read_text().splitlines()
        base = "../../lighter/Sounds/Bell Tones/low"
        self.assertEqual(near, [f"{base}/D1 #2.wav", f"./{base}/C1.wav", "http://radio.example/x"])
        now = cells(self.library)
        self.assertEqual([row[:1] + row[2:] for row in now["tracks"]], [row[:1] + row[2:] for row in rows["tracks"]])
        self.assertEqual(now["folders"], [(1, new + "/")])

    def check_undo(self, trip, before, rows):
        """After undo everything on the old drive is byte for byte as it was; databases cell for cell."""
        self.run_program("undo", trip, "--yes", "--drop-copies")
        after = tree(self.keel)
        library = b"lists/library.db"
        self.assertEqual({**after, library: 0}, {**before, library: 0})
        self.assertEqual(cells(self.library), rows)
        self.assertEqual(
            tree(self.lighter), {key: value for key, value in tree(self.lighter).items() if b"drive" in key}
        )
        self.run_program("undo", trip, "--yes")

    def test_undo_keeps_what_programs_wrote_after_the_switch(self):
        before = {path: Path(path).read_bytes() for path in self.ledgers[:3]}
        inside = (self.shelf / "inside.m3u8").read_bytes()
        rows = cells(self.library)
        trip = self.move("--signpost")["trip"]
        player.play(self.library, "t0")
        added = f"{self.new}/low/C1.wav\n"
        full = Path(self.ledgers[0])
        full.write_bytes(full.read_bytes() + added.encode())
        wav(self.new / "recorded since.wav", 3)
        with open(self.new / "inside.m3u8", "a") as stream:
            stream.write(f"high/it's & all.wav\n{self.new}/recorded since.wav\n")
        done = self.run_json("undo", trip, "--yes", "--drop-copies")
        self.assertEqual(full.read_bytes(), before[self.ledgers[0]] + f"{self.shelf}/low/C1.wav\n".encode())
        self.assertEqual(
            (self.shelf / "inside.m3u8").read_bytes(),
            inside + f"high/it's & all.wav\n{self.new}/recorded since.wav\n".encode(),
        )
        now = cells(self.library)
        self.assertEqual([row[1] for row in now["tracks"]], [row[1] for row in rows["tracks"]])
        self.assertEqual(now["tracks"][0][6], rows["tracks"][0][6] + 1)
        self.assertTrue((self.new / "recorded since.wav").exists())
        self.assertIn("recorded since.wav", " ".join(done["remarks"]))
        self.assert_all_play()

    def test_copies_that_were_worked_on_after_an_undo_are_not_dropped(self):
        trip = self.move()["trip"]
        self.run_program("undo", trip, "--yes")
        for name in ("inside.m3u8", "low/C1.wav"):
            with open(self.new / name, "ab") as stream:
                stream.write(b"# worked on\n")
        self.run_program("undo", trip, "--yes", "--drop-copies")
        self.assertEqual({name for name, digest in tree(self.new).items() if digest}, {b"inside.m3u8", b"low/C1.wav"})

    def test_an_entry_that_named_the_new_place_before_keeps_doing_so(self):
        shutil.copytree(self.shelf, self.new)
        full = Path(self.ledgers[0])
        full.write_bytes(full.read_bytes() + f"{self.new}/low/C1.wav\r\n".encode())
        text = full.read_bytes()
        done = self.move()
        self.assertEqual(done["copied_files"], 0)
        full.write_bytes(full.read_bytes() + b"# edited since\r\n")
        self.run_program("undo", "--yes", "--drop-copies")
        self.assertEqual(full.read_bytes(), text + b"# edited since\r\n")
        self.assertEqual(len(tree(self.new)), len(tree(self.shelf)))

    def test_single_steps_and_release(self):
        waybill = str(self.top / "trip.toml")
        self.assertIsNone(self.run_json("draft", *self.plan_words("--output", waybill))["trip"])
        self.run_program("draft", *self.plan_words("--output", waybill), status=3)
        trip = self.run_json("haul", waybill)["trip"]
        self.assertEqual(self.run_json("haul", waybill)["copied_files"], 0)
        self.run_program("release", trip, "--yes", "--own", status=3)
        self.run_program("repoint", trip, "--yes")
        aside = self.keel / "Sounds" / f".Bell Tones.set-aside-{trip}"
        wav(aside / "low" / "C1.wav", 77)
        done = self.run_json("release", trip, "--yes", "--own", status=1)
        self.assertEqual(done["kept"], [str(aside / "low" / "C1.wav")])
        self.assertEqual(list(tree(aside)), [b"low", b"low/C1.wav"])
        self.assertIn("freed_bytes", done)
        self.assert_all_play()
        back = str(self.top / "back.toml")
        self.assertIn(f"saltcart haul {back}", self.run_program("undo", trip, "--plan", back).stdout)
        self.assertEqual(self.run_json("trips")["trips"][0]["state"], "released")
        self.run_program("undo", trip, "--plan", back, status=3)

    def test_a_released_trip_is_undone_in_one_command(self):
        before = tree(self.shelf), cells(self.library)
        trip = self.move()["trip"]
        self.run_program("release", trip, "--yes", "--own")
        self.assertFalse(self.shelf.exists())
        player.play(self.library, "t1")
        player.play(self.library, "t1")
        played = cells(self.library)["tracks"]
        self.run_program("undo", trip, status=2)  # nobody has agreed
        self.assertFalse(self.shelf.exists())
        self.run_program("undo", trip, "--yes")
        self.assertEqual(tree(self.shelf), before[0])
        self.assertEqual(
            [row[5:7] for row in sorted(cells(self.library)["tracks"])], [row[5:7] for row in sorted(played)]
        )
        self.assert_all_play()
        self.assertTrue(list(self.lighter.glob("Sounds/.Bell Tones.set-aside-*")), "nothing is removed")

    def test_a_released_trip_is_undone_where_our_own_configuration_followed(self):
        """After `start`: the configuration names the shelf, and is a ledger of the trip that no map reads."""
        cart = self.top / "cart.toml"
        cart.write_text(f'maps = ["{PLAYER_MAP}"]\n[[shelf]]\npath = "{self.shelf}"\n')
        before = cart.read_text()
        trip = self.run_json("move", self.shelf, "--to", self.new.parent, "--yes")["trip"]
        self.assertIn(str(self.new), cart.read_text())
        self.run_program("release", trip, "--yes", "--own")
        self.run_program("undo", trip, "--yes")
        self.assertTrue(self.shelf.is_dir())
        self.assertEqual(cart.read_text(), before)

    def test_release_only_after_a_clean_check(self):
        trip = self.move()["trip"]
        victim = self.new / "high" / "Été 50%.wav"
        raw = bytearray(victim.read_bytes())
        raw[-1] ^= 1
        state = victim.stat()
        victim.write_bytes(raw)
        os.utime(victim, ns=(state.st_mtime_ns, state.st_mtime_ns))
        self.run_program("check", trip)
        report = self.run_json("check", trip, "--digests", status=1)
        self.assertEqual(report["shelves"][0]["problems"][0]["verdict"], "altered")
        self.assertEqual(report["entries"]["altered"], 3)
        aside = self.keel / "Sounds" / f".Bell Tones.set-aside-{trip}"
        before = tree(aside)
        self.assertIn("Été 50%.wav", self.run_program("release", trip, "--yes", "--own", status=3).stderr)
        self.assertEqual(tree(aside), before)

    def test_links_inside_the_shelf(self):
        os.symlink("low/C1.wav", self.shelf / "near.wav")
        os.symlink(str(self.shelf / "low" / "C1.wav"), self.shelf / "full.wav")
        os.symlink("../Bell Tones Extra/spare.wav", self.shelf / "out.wav")
        os.link(self.shelf / "low" / "C1.wav", self.shelf / "low" / "twin.wav")
        os.mkfifo(self.shelf / "pipe")
        done = self.run_program("move", *self.plan_words("--yes"))
        self.assertEqual(os.readlink(self.new / "near.wav"), "low/C1.wav")
        self.assertEqual(os.readlink(self.new / "full.wav"), str(self.new / "low" / "C1.wav"))
        self.assertEqual(os.readlink(self.new / "out.wav"), "../Bell Tones Extra/spare.wav")
        self.assertTrue(os.path.samefile(self.new / "low" / "C1.wav", self.new / "low" / "twin.wav"))
        for word in ("out.wav leads out", "pipe is a pipe"):
            self.assertIn(word, done.stdout)
        self.run_program("release", "--yes", "--own", status=1)

    def test_a_shelf_and_entries_reached_through_links(self):
        os.symlink(self.keel / "Sounds", self.top / "shortcut")
        linked = self.keel / "lists" / "linked.m3u8"
        linked.write_text(f"{self.top}/shortcut/Bell Tones/low/C1.wav\n")
        self.ledgers.append(str(linked))
        self.shelf, real = self.top / "shortcut" / "Bell Tones", self.shelf
        trip = self.move()["trip"]
        self.shelf = real
        self.assertEqual(linked.read_text(), f"{self.new}/low/C1.wav\n")
        self.run_program("undo", trip, "--yes")
        self.assertEqual(linked.read_text(), f"{self.top}/shortcut/Bell Tones/low/C1.wav\n")

    def test_links_are_turned_and_entries_through_them_stay(self):
        (self.top / "bells").symlink_to("keel/Sounds/Bell Tones")
        (self.top / "sounds").symlink_to(self.keel / "Sounds")  # leads to more than moves
        through = self.top / "through.m3u8"
        text = f"{self.top}/bells/low/C1.wav\nbells/high/it's & all.wav\n{self.top}/sounds/Bell Tones/low/C1.wav\n"
        through.write_text(text)
        words = (str(self.shelf), "--to", str(self.lighter / "Sounds"), "--ledger", str(through))
        self.assertIn("--turn-links", self.run_program("draft", *words, status=1).stdout)
        self.assertEqual(
            self.run_json("draft", *words, "--turn-links", "--exclude", "high", "--force", status=None)["links"],
            [{"path": str(self.top / "bells"), "turned": False}],
        )
        done = self.run_json("move", *words, "--turn-links", "--yes")
        self.assertEqual((done["turned_links"], done["check"]["ok"]), ([str(self.top / "bells")], True))
        self.assertEqual(through.read_text(), text.replace(f"{self.top}/sounds/Bell Tones", str(self.new)))
        self.assertEqual(os.readlink(self.top / "bells"), str(self.new))
        self.assertIn("drop-copies", self.run_program("undo", "--yes").stdout)
        self.assertEqual((through.read_text(), os.readlink(self.top / "bells")), (text, "keel/Sounds/Bell Tones"))
        self.assertIn(
            f"saltcart undo {done['trip']} --drop-copies", self.run_program("draft", *words, "--force", status=3).stderr
        )
        self.run_program("undo", done["trip"], "--yes", "--drop-copies")
        self.run_json("draft", *words, "--turn-links", "-o", str(self.top / "way.toml"))
        (self.top / "bells").rename(self.top / "moved")
        self.assertIn("no link into a shelf", self.run_program("haul", str(self.top / "way.toml"), status=3).stderr)
        (self.top / "moved").rename(self.top / "bells")
        trip = self.run_json("haul", str(self.top / "way.toml"))["trip"]
        (self.top / "bells").unlink()
        self.assertIn("no link into a shelf", self.run_program("repoint", "--yes", status=3).stderr)
        (self.top / "bells").symlink_to(self.shelf)
        self.run_program("repoint", "--yes")
        self.run_program("release", trip, "--yes", "--own")
        self.run_program("undo", trip, "--yes")
        self.assertEqual(
            (through.read_text().splitlines()[:2], os.readlink(self.top / "bells")),
            (text.splitlines()[:2], str(self.shelf)),
        )

    def test_a_shelf_and_a_ledger_in_folders_whose_names_are_not_text(self):
        shelf, lists = (self.keel / os.fsdecode(name) for name in (b"B\xe4nke", b"Listen \xfc"))
        wav(shelf / "a.wav")
        lists.mkdir()
        ledger = lists / "all.m3u"
        ledger.write_bytes(os.fsencode(f"{shelf}/a.wav\n"))
        for more in ((), ("--signpost",)):
            self.run_program("move", shelf, "--to", self.lighter, "--ledger", ledger, "--no-search", "--yes", *more)
            self.assertEqual(ledger.read_bytes(), os.fsencode(f"{self.lighter / shelf.name}/a.wav\n"))
            self.run_program("undo", "--drop-copies", "--yes")
            self.assertEqual(ledger.read_bytes(), os.fsencode(f"{shelf}/a.wav\n"))
            self.assertTrue((shelf / "a.wav").is_file())

    def test_names_that_are_not_text(self):
        name = os.fsdecode(b"\xe9t\xe9\nnew line .wav ")
        wav(self.shelf / name, 5)
        raw = self.keel / "lists" / "raw.m3u"
        raw.write_bytes(os.fsencode(self.shelf) + b"/low/C1.wav\n" + os.fsencode(self.shelf / "\udce9.wav"))
        wav(self.shelf / "\udce9.wav", 6)
        self.ledgers.append(str(raw))
        self.move()
        self.assertTrue((self.new / name).exists())
        self.assertEqual(
            raw.read_bytes(), os.fsencode(self.new) + b"/low/C1.wav\n" + os.fsencode(self.new) + b"/\xe9.wav"
        )
        self.run_program("undo", "--yes", "--drop-copies")
        self.run_program("draft", *self.plan_words("--output", str(self.top / "w.toml")))
        self.run_program("haul", str(self.top / "w.toml"))

    def test_a_sampler_is_served_by_a_signpost(self):
        settings = str(self.top / "sampler.ini")
        (self.shelf / "Voices").mkdir()
        sampler.write_settings(settings, str(self.shelf))
        sampler.write_voice(str(self.shelf / "Voices" / "bell.voice"), {60: "low/C1.wav"})
        self.move("--signpost")
        self.assertEqual(os.readlink(self.shelf), str(self.new))
        self.assertEqual(list(sampler.play_all(settings)), [(str(self.shelf / "low" / "C1.wav"), None)])
        self.run_program("release", "--yes", "--own")
        self.assertEqual(list(sampler.play_all(settings)), [(str(self.shelf / "low" / "C1.wav"), None)])

    def desk(self, *finds):
        """A workstation with settings and a session that looks for these; the words that move the shelf with both."""
        desk, plan, settings_map = self.top / "desk", self.top / "finds.toml", PLAYER_MAP.with_name("settings.toml")
        desk.mkdir()
        workstation.write_session(str(desk / "a.passage"), str(desk), [{"find": find} for find in finds])
        workstation.write_index(str(desk), [])
        plan.write_text(
            PLAYER_MAP.with_name("sessions.toml")
            .read_text()
            .replace("[recognise]", f'content = {{ file = "settings.json", map = "{settings_map}" }}\n\n[recognise]')
            + '\n[[entries]]\nat = "session/clip/@find"\nspelling = "content"\n'
        )
        words = [
            str(self.shelf),
            "--to",
            str(self.new.parent),
            "--ledger",
            str(desk / "a.passage"),
            str(desk / "settings.json"),
            "--map",
            str(plan),
            str(settings_map),
        ]
        return desk, desk / "settings.json", desk / "a.passage", words

    def test_what_stays_of_a_content_folder_is_still_found_in_it(self):
        desk, settings, _session, words = self.desk("low/C1.wav", "high/it's & all.wav")
        workstation.write_settings(str(desk), [str(self.shelf)])
        words += ["--folder-first", str(settings), "--exclude", "high"]
        self.run_program("draft", *words, "-o", str(self.top / "w.toml"))  # no ledger is left as it is
        self.run_program("move", *words, "--yes")
        self.assertEqual(
            [(path, why) for path, why in workstation.play_all(str(desk))][2:],
            [(f"{self.new}/low/C1.wav", None), (f"{self.shelf}/high/it's & all.wav", None)],
        )

    def test_a_content_folder_that_moves_whole_is_replaced(self):
        desk, settings, _session, words = self.desk("low/C1.wav")
        workstation.write_settings(str(desk), [str(self.shelf), str(desk)])
        before = settings.read_bytes()
        self.assertTrue(self.run_json("move", *words, "--folder-first", str(settings), "--yes")["check"]["ok"])
        self.assertEqual(settings.read_bytes(), before.replace(os.fsencode(self.shelf), os.fsencode(self.new)))

    def test_a_content_folder_comes_in_front_where_a_part_of_another_moves(self):
        desk, settings, session, words = self.desk("Bell Tones/low/C1.wav", "Bell Tones Extra/spare.wav")
        sounds = self.keel / "Sounds"
        workstation.write_settings(str(desk), [str(sounds)])
        self.assertIn(
            "lists no content folders",
            self.run_program("draft", *words, "--folder-first", self.ledgers[0], status=2).stderr,
        )
        shutil.rmtree(self.keel / "lists")  # what else names the shelf would follow too
        for folders, joint in (([sounds], b'", "'), ([sounds, desk], b'",\n\t\t\t"'), ([desk, sounds], b'",\n\t\t\t"')):
            with self.subTest(folders):
                workstation.write_settings(str(desk), list(map(str, folders)))
                before = settings.read_bytes(), session.read_bytes()
                said = self.run_program("draft", *words, "-o", str(self.top / "w.toml"), "--force").stdout
                self.assertIn("the new place is added to the list", said, "without a word on it, too")
                done = self.run_json("move", *words, "--folder-first", str(settings), "--yes")
                self.assertEqual((done["check"]["ok"], done["changed_entries"]), (True, 3), "two of them in the shelf")
                self.assertEqual(
                    settings.read_bytes(),
                    before[0].replace(os.fsencode(sounds), os.fsencode(self.new.parent) + joint + os.fsencode(sounds)),
                )
                self.assertEqual([why for _path, why in workstation.play_all(str(desk)) if why], [])
                self.assertEqual(session.read_bytes(), before[1])
                self.run_program("undo", "--yes", "--drop-copies")
                self.assertEqual((settings.read_bytes(), session.read_bytes()), before)

    def test_what_cannot_be_had_again_is_asked_about_with_its_newest_backup(self):
        vault = self.drive("vault")
        (self.top / "cart.toml").write_text(
            f'[[drive]]\nidentity = "marker:test-vault"\nname = "vault"\nrole = "backup"\nmount = "{vault}"\n'
        )
        trip = self.move()["trip"]
        refused = self.run_program("release", trip, "--yes", status=2)
        self.assertIn("cannot be replaced, so nothing was removed", refused.stderr)
        self.assertIn("none on the 1 drive for backups", refused.stdout)
        backup = vault / "2026" / "Bell Tones"
        shutil.copytree(self.new, backup)
        self.assertIn(
            "no manifest that agrees", " ".join(self.run_program("release", trip, "--yes", status=2).stdout.split())
        )
        self.run_program("check", backup, "--digests", "--write")
        (backup / "low" / "C1.wav").write_bytes(b"x")
        self.assertIn(
            "no manifest that agrees", " ".join(self.run_program("release", trip, "--yes", status=2).stdout.split())
        )
        shutil.copy(self.new / "low" / "C1.wav", backup / "low" / "C1.wav")
        done = self.run_json("release", trip, "--yes", "--own")
        self.assertEqual(done["own"][0]["backup"]["path"], str(backup))
        self.assertEqual((done["state"], done["own"][0]["backup"]["drive"]), ("released", "vault"))

    def test_what_can_be_downloaded_again_goes_without_a_second_question(self):
        (self.top / "cart.toml").write_text(f'[[shelf]]\npath = "{self.shelf}"\ncare = "replaceable"\n')
        trip = self.move()["trip"]
        self.assertEqual(self.run_json("release", trip, "--yes")["own"], [])

    def test_originals_are_not_taken_for_their_own_copies(self):
        (aside,) = self.move()["set_aside"]
        shutil.rmtree(self.new / "low")
        os.symlink(os.path.join(aside, "low"), self.new / "low")
        self.assertTrue(self.run_json("check", "--digests")["ok"])
        self.assertIn("leads to the originals", self.run_program("release", "--yes", "--own", status=3).stderr)
        self.assertEqual(len(os.listdir(os.path.join(aside, "low"))), 2)

    def drop_after_another_trip(self, *more):
        """Take a trip back, make it again with signposts and release it; dropping the copies of the first must not
        take those of the second.
        """
        (self.shelf / "inside.m3u8").unlink()
        first = self.move()["trip"]
        self.run_program("undo", "--yes")
        self.run_program("release", self.move("--signpost", *more)["trip"], "--yes", "--own")
        there = tree(self.new, *more[1:])
        self.run_program("undo", first, "--yes", "--drop-copies")
        self.assertEqual(tree(self.new, *more[1:]), there)
        self.assert_all_play()

    def test_copies_stay_when_only_a_signpost_leads_to_them(self):
        self.drop_after_another_trip()

    def test_copies_stay_when_only_signposts_in_the_shelf_lead_to_them(self):
        self.drop_after_another_trip("--exclude", "high")

    def test_a_shelf_that_moves_on_turns_its_signposts(self):
        self.move("--signpost")
        third = self.drive("third")
        words = ["--to", str(third), "--ledger", *self.ledgers, "--map", str(PLAYER_MAP), "--yes"]
        for shelf, to in (
            (self.new, third),  # on, before the first trip has ended
            (self.new, self.keel / "Sounds"),  # back, in the same way
            (self.new / "low", third),  # a part of it
            (self.new.parent, third),  # all around it
            (self.keel / "Sounds", third),  # with the originals in it
        ):
            refused = self.run_program("move", str(shelf), "--to", str(to), "--yes", status=3)
            self.assertRegex(refused.stderr, "originals are still set aside(?s:.*)saltcart undo")
        self.run_program("release", "--yes", "--own")
        before, texts = tree(self.lighter), [Path(path).read_bytes() for path in self.ledgers[:3]]
        done = self.run_program("move", str(self.shelf), *words)
        self.assertIn("will lead to the new place", done.stdout)
        self.assertEqual(os.readlink(self.shelf), str(third / "Bell Tones"))
        self.assertFalse(os.path.lexists(self.new))
        self.assert_all_play()
        self.run_program("undo", "--yes", "--drop-copies")
        self.assertEqual(os.readlink(self.shelf), str(self.new))
        self.assertEqual(tree(self.lighter), before)
        self.assertEqual([Path(path).read_bytes() for path in self.ledgers[:3]], texts)
        self.assert_all_play()

    def test_a_question_without_a_terminal_is_a_no(self):
        before = tree(self.top, "home")
        self.run_program("move", *self.plan_words(), status=2)
        self.assertEqual(tree(self.top, "home"), before)

    def test_manifestly_a_stand_in_of_its_own(self):
        for module in Path(player.__file__).parent.glob("*.py"):
            source = module.read_text()
            imports = [
                line
                for line in source.splitlines()
                if "import" in line.split("#")[0].split('"')[0] and "saltcart" in line
            ]
            self.assertTrue(all("saltcart.standins" in line for line in imports), imports)
        code = (
            f"import sys; sys.argv[1:]; from saltcart.standins.player import main; sys.exit(main([{self.library!r},"
            " 'play-all']))"
        )
        self.assertEqual(subprocess.run([sys.executable, "-c", code], capture_output=True).returncode, 0)
