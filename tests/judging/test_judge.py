"""Verdicts: found, offline, missing, altered, unreadable, each for its reason; and "plug it in" told from "it is
gone".
"""

import json
import os
from pathlib import Path
from unittest import mock

import soundfile

from saltcart import unchanged_files
from saltcart.cart import KnownDrive
from saltcart.drives import known
from saltcart.drives.known import Presence
from saltcart.judging.judge import Judge
from saltcart.ledgers.base import Batch, Entry
from saltcart.ledgers.kinds import open_ledger
from saltcart.proving.check import check_ledgers
from saltcart.shelves.audio import header_trouble
from saltcart.shelves.headers import read_header
from saltcart.spelling import spelling_named
from tests.world import WorldCase, wav


class Verdicts(WorldCase):
    def setUp(self):
        super().setUp()
        self.enterContext(mock.patch.dict(os.environ, self.environment))

    def verdict(self, path, **options):
        """Verdict and reason for one path."""
        return self.answers([str(path)], **options)[0][1:]

    def answers(self, texts, **options):
        """Path, verdict and reason for each text of one ledger on the keel."""
        spelling = spelling_named("auto")
        batch = Batch(texts, spelling, None, True, texts.index, lambda at: Entry(at, "", texts[at], spelling))
        return [
            (one.resolved, one.verdict, one.why) for one in Judge(**options).batch(batch, str(self.keel)).judgements()
        ]

    def test_what_a_listing_shows_is_not_found_when_more_is_known_of_it(self):
        paths = [self.keel / f"{number} ä.wav" for number in range(12)]
        for number, path in enumerate(paths):
            wav(path, number)
        paths[5].write_bytes(b"RIFF broken")
        wrong = {str(paths[7]): ("altered", "is another")}
        for texts in (list(map(str, paths)), [path.as_uri() for path in paths]):
            for headers in (True, False):
                told = [verdict for _path, verdict, _why in self.answers(texts, headers=headers, wrong=wrong)]
                wanted = {5: "unreadable"} if headers else {}
                self.assertEqual(
                    {at: one for at, one in enumerate(told) if one != "found"},
                    {**wanted, 7: "altered"},
                    (texts, headers),
                )

    def test_whatever_a_parser_raises_is_a_verdict(self):
        for module, name, path in (("mutagen", "File", "x.mp3"), ("soundfile", "info", "x.wav")):
            (self.top / path).write_bytes(b"odd")
            for error in (ZeroDivisionError("division by zero"), KeyError(3), IndexError(), MemoryError()):
                with mock.patch(f"{module}.{name}", side_effect=error):
                    self.assertIn("does not open as", header_trouble(str(self.top / path)))
                    self.assertIn("does not open as", read_header(str(self.top / path)).trouble)

    def test_a_sound_is_opened_again_only_when_it_changed(self):
        """Damage that keeps size and time is seen, and what changed just now is not trusted."""
        path, listed = self.keel / "a.wav", self.keel / "l.m3u8"
        wav(path)
        listed.write_text("a.wav\n")

        def counts():
            with mock.patch("saltcart.judging.judge.header_trouble", wraps=header_trouble) as opened:
                report = check_ledgers([str(listed)], [])
            return report.ledgers[0].state.counts()["found"], opened.call_count

        self.assertEqual([counts(), counts()], [(1, 1), (1, 1)])  # it is fresh
        with mock.patch.object(unchanged_files, "FRESH", 0):
            self.assertEqual([counts(), counts()], [(1, 1), (1, 0)])
            before = path.stat()
            while path.stat().st_ctime_ns == before.st_ctime_ns:  # clocks of drives tick slowly
                path.write_bytes(b"x" * before.st_size)
                os.utime(path, ns=(before.st_atime_ns, before.st_mtime_ns))
            self.assertEqual([counts(), counts()], [(0, 1), (0, 1)])
            wav(path)
            with mock.patch("saltcart.judging.judge.keeps_change_times", return_value=False):
                self.assertEqual([counts(), counts()], [(1, 1), (1, 1)], "on a drive whose times prove nothing")

    def test_a_raw_sign_of_a_uri_is_part_of_the_name_when_such_a_file_is_there(self):
        """Found as the name with the sign, else without what may be a query; a move keeps each to the letter."""
        for name in ("a#1.wav", "b.wav", "c.wav", "d?.wav"):
            wav(self.keel / "S" / name)
        tails = ("a#1.wav", "b.wav?v=2", "c.wav#t=10,20", "b.wav#", "d?.wav", "e%23.wav?x")
        listed = self.top / "l.m3u8"
        listed.write_text("".join(f"file://{self.keel}/S/{tail}\n" for tail in tails))
        texts = [f"file://{self.keel}/S/{tail}" for tail in tails]
        names = ["a#1.wav", "b.wav", "c.wav", "b.wav", "d?.wav", None]
        answers = self.answers(texts)
        self.assertEqual(
            [os.path.basename(path) if verdict == "found" else None for path, verdict, _why in answers], names
        )
        words = (str(self.keel / "S"), "--to", str(self.lighter / "N"), "--ledger", str(listed), "--yes")
        self.run_program("move", *words)
        self.assertEqual(listed.read_text(), "".join(f"file://{self.lighter}/N/S/{tail}\n" for tail in tails))

    def test_a_quoted_name_that_is_not_utf8(self):
        wav(self.keel / os.fsdecode(b"caf\xe9.wav"))
        sheet = self.keel / "a.cue"
        sheet.write_bytes(b'FILE "caf\xe9.wav" WAVE\r\n  TRACK 01 AUDIO\r\n')
        self.assertEqual(Judge(headers=False).ledger(open_ledger(str(sheet), [])).counts()["found"], 1)

    def test_blanks_around_an_entry_are_part_of_the_name_when_such_a_file_is_there(self):
        for name in ("a.wav", " b.wav", "c.wav "):
            wav(self.keel / "S" / name)
        listed = self.keel / "l.m3u8"
        full = f"{self.keel}/S"
        texts = [f"  {full}/a.wav\t", f"{full}/ b.wav", f"{full}/c.wav ", f"{full}/a.wav  ", " S/a.wav ", "\tS/c.wav "]
        listed.write_text("".join(f"{text}\n" for text in texts))
        self.assertEqual({verdict for _path, verdict, _why in self.answers(texts)}, {"found"})
        words = (str(self.keel / "S"), "--to", str(self.keel / "N"), "--ledger", str(listed), "--yes")
        self.run_program("move", *words)
        wanted = [text.replace(full, f"{self.keel}/N/S").replace("S/", "N/S/") for text in texts[4:]]
        self.assertEqual(
            listed.read_text().splitlines(), [text.replace(full, f"{self.keel}/N/S") for text in texts[:4]] + wanted
        )

    def test_folders_that_are_named_at_a_wrong_level_are_told_with_the_right_one(self):
        for name in ("Kits/A/One/x.wav", "Kits/A/One/é.wav", "Kits/B/x.wav", "Kits/C/x.wav", "Kits/C/deep/é.wav"):
            wav(self.keel / name)
        plan = self.keel / "kit.toml"
        plan.write_text(
            'name = "kit"\ncontainer = "json"\n[recognise]\nsuffix = [".kit"]\n[[entries]]\nat = "files/*"\n'
            'spelling = "relative"\nbase_at = "root"\n'
        )
        for root, right in (
            ("Kits", "Kits/A/One"),
            ("Kits/A/One/deep/er", "Kits/A/One"),
            ("Kits/B", None),
            ("Kits/C", None),
        ):
            kit = self.keel / "a.kit"
            kit.write_text(f'{{"root": "{self.keel}/{root}", "files": ["x.wav", "é.wav"]}}')
            report = self.run_json("check", "--ledger", kit, "--map", plan, status=1)
            self.assertEqual([one["better"] for one in report["wrong_levels"]], [f"{self.keel}/{right}"] * bool(right))

    def test_each_verdict_and_its_reason(self):
        wav(self.keel / "good.wav")
        (self.keel / "broken.wav").write_bytes(b"RIFF....")
        (self.keel / "empty.flac").touch()
        (self.keel / "notes.txt").write_text("any text")
        os.symlink("gone", self.keel / "dangling.wav")
        os.symlink(self.top / "off" / "x.wav", self.keel / "post.wav")
        os.mkfifo(self.keel / "pipe.wav")
        ballast = KnownDrive("marker:off", "ballast", mount=str(self.top / "off"))
        cases = [
            ("good.wav", "found", ""),
            ("notes.txt", "found", ""),
            ("broken.wav", "unreadable", "does not open as WAV"),
            ("empty.flac", "unreadable", "is empty"),
            ("gone.wav", "missing", "no such file"),
            ("no/such/x.wav", "missing", f"no folder no in {self.keel}"),
            ("dangling.wav", "missing", "leads nowhere"),
            ("pipe.wav", "unreadable", "is a pipe"),
            ("x" * 300, "unreadable", "too long"),
            (str(self.top / "off" / "y.wav"), "offline", "ballast is not connected"),
            ("post.wav", "offline", "ballast is not connected"),
            (f"{self.keel}/good.wav/x", "missing", ""),
            ("E:\\x.wav", "offline", "nobody has said what E:"),
        ]
        for path, verdict, why in cases:
            with self.subTest(path):
                found = self.verdict(path, presence=Presence([ballast]))
                self.assertEqual(found[0], verdict)
                self.assertIn(why, found[1])
        self.assertEqual(self.verdict("broken.wav", headers=False)[0], "found")
        post = self.top / "post"
        post.symlink_to(self.keel)
        for path, why in [(f"{post}/good.wav", "goes through a signpost"), (f"{post}/../keel/good.wav", "")]:
            self.assertEqual(self.verdict(path, signposts=[str(post), str(self.keel)]), ("found", why))
        self.assertEqual(self.verdict("good.wav", wrong={f"{self.keel}/good.wav": ("altered", "x")}), ("altered", "x"))

    def test_many_in_one_folder_are_judged_as_one_by_one(self):
        for name in ("a.wav", "b.wav", "c d.wav", ".e.wav"):
            (self.keel / name).touch()
        os.symlink("a.wav", self.keel / "to a.wav")
        os.symlink("gone", self.keel / "nowhere.wav")
        os.mkfifo(self.keel / "pipe.wav")
        names = [
            "a.wav",
            "b.wav",
            "c d.wav",
            ".e.wav",
            "to a.wav",
            "nowhere.wav",
            "pipe.wav",
            "gone.wav",
            "",
            ".",
            "..",
            "a.wav/",
            "/b.wav",
            "../keel/a.wav",
        ]
        texts = [f"{self.keel}/{name}" for name in names] * 2
        together = self.answers(texts, headers=False)
        self.assertEqual(together, [self.answers([text], headers=False)[0] for text in texts])
        self.assertEqual(
            [verdict for _path, verdict, _why in together[:8]], ["found"] * 5 + ["missing", "unreadable", "missing"]
        )

    def test_a_drive_that_is_now_elsewhere_or_back(self):
        away = KnownDrive("marker:test-lighter", "lighter", mount=str(self.top / "old place"))
        path = self.top / "old place" / "x.wav"
        self.assertEqual(self.verdict(path, presence=Presence([away]))[0], "offline")
        os.symlink(self.lighter, self.top / "old place")
        self.assertEqual(self.verdict(path, presence=Presence([away]))[0], "missing")

    def test_places_for_mounts_where_nothing_is_mounted(self):
        folder = self.top / "media"
        (folder / "stick").mkdir(parents=True)
        (folder / "full").mkdir()
        (folder / "full" / "x").touch()
        table = self.top / "fstab"
        table.write_text(f"# x\nUUID=1 {self.top}/nas\\040box nfs 0 0\nUUID=2 / ext4 0 0\nbroken\n")
        with mock.patch.object(known, "MOUNT_FOLDERS", (str(folder),)):
            self.assertIn("stick is not connected", known.unmounted(str(folder / "stick" / "a.wav")))
            self.assertIn("gone is not connected", known.unmounted(str(folder / "gone" / "a.wav")))
            self.assertIsNone(known.unmounted(str(folder / "full" / "a.wav")))
            self.assertIsNone(known.unmounted(str(self.keel / "a.wav")))
            with mock.patch.object(known, "is_user", lambda name: name == "full"):
                self.assertIn("usb is not connected", known.unmounted(str(folder / "full" / "usb" / "a.wav")))
        self.assertEqual(known.configured_mounts(str(table)), [f"{self.top}/nas box"])
        self.assertEqual(known.configured_mounts(str(self.top / "none")), [])

    def test_drives_are_remembered(self):
        self.run_program("draft", str(self.fill()), "--to", str(self.lighter), "-o", str(self.top / "w.toml"))
        facts = json.loads((self.top / "home" / "drives.json").read_text())
        self.assertEqual({fact["name"] for fact in facts.values()}, {"keel", "lighter"})
        (self.top / "home" / "drives.json").write_text("{ broken")
        self.assertEqual(known.remembered(), {})

    def fill(self):
        """A shelf with one sound."""
        wav(self.shelf / "x.wav")
        return self.shelf

    def test_headers_of_each_kind(self):
        samples, rate = soundfile.read(self.fill() / "x.wav")
        for name in ("x.flac", "x.ogg", "x.aiff", "x.mp3"):
            soundfile.write(self.keel / name, samples, rate)
            header = read_header(str(self.keel / name))
            self.assertIsNone(header.trouble, name)
            self.assertEqual((header.rate, header.channels), (44100, 1), name)
            (self.keel / f"bad-{name}").write_bytes(b"no sound at all, but long enough to be looked at" * 9)
            self.assertIsNotNone(header_trouble(str(self.keel / f"bad-{name}")), name)
        self.assertIn("No such file", read_header(str(self.keel / "gone.wav")).trouble)

    def test_a_check_without_a_trip_is_strict(self):
        self.fill()
        lists = self.keel / "l.m3u8"
        lists.write_text(f"{self.shelf}/x.wav\n")
        self.run_program("check", "--ledger", str(lists))
        with open(lists, "a") as stream:
            stream.write("gone.wav\n")
        self.run_program("check", "--ledger", str(lists), status=1)
        Path(self.shelf / "x.wav").write_bytes(b"RIFF")
        report = self.run_json("check", "--ledger", str(lists), status=1)
        self.assertEqual((report["entries"]["unreadable"], report["entries"]["missing"]), (1, 1))
        self.assertEqual(
            self.run_json("check", "--ledger", str(lists), "--no-headers", status=1)["entries"]["unreadable"], 0
        )
        self.run_program("check", "zzzz", "--ledger", str(lists), status=2)
