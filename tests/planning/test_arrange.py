"""Sounds that get their places from their tags: what each pattern gives, and the whole job with ledgers that follow."""

import json
import os
import re
import shutil
from typing import ClassVar

import soundfile
from mutagen.flac import FLAC
from mutagen.id3 import TALB, TIT2, TPE1, TRCK
from mutagen.wave import WAVE

from saltcart.drives.limits import EXFAT, PLAIN
from saltcart.errors import UsageError
from saltcart.planning.arrange import Arranger, Pattern, Taken
from saltcart.shelves.tags import recording_kind, tags_of
from saltcart.standins import player
from saltcart.waybills.shelf import Folder
from tests.carrying.machines import TwoMachines
from tests.world import PLAYER_MAP, WorldCase, noise, tree, wav

KNOWN = {"artist": "Quay Nine", "album": "Night/Ferry", "track": "3/12", "title": ".hidden", "kind": "music"}


def flac(path, seed=0, seconds=0.05, **tags):
    """A tagged sound."""
    noise(path, int(8000 * seconds) + seed, seed, 8000)
    sound = FLAC(path)
    sound.update(tags)
    sound.save()


class Patterns(WorldCase):
    def test_what_a_pattern_gives(self):
        for text, wanted in (
            ("{artist}/{album}/{track:02} {title}", "Quay Nine/Night_Ferry/03 _hidden"),
            ("{folder}/{name}", "In/Deep/x"),
            ("{kind}/{name}", "music/x"),
            ("{{{track}}} {name}", "{3_12} x"),
            ("{year}/{name}", None),
            ("{title:02}", None),
        ):
            with self.subTest(text):
                self.assertEqual(Pattern(text).place("In/Deep/x.wav", KNOWN), wanted)
        self.assertEqual(Pattern("{folder}/{name}").place("x.wav", {}), "x")
        for text in (
            "",
            "plain",
            "{nothing}",
            "{title",
            "{title:x}",
            "/{title}",
            "a/../{title}",
            "{name}/",
            "a//{name}",
        ):
            with self.subTest(text), self.assertRaises(UsageError):
                Pattern(text)

    def test_what_a_link_in_the_shelf_leads_to_stays(self):
        for name in ("a", "b", "deep/c"):
            wav(self.shelf / f"{name}.wav")
        (self.shelf / "first.wav").symlink_to("a.wav")
        (self.shelf / "all").symlink_to("deep")
        shelf = Folder("s", str(self.shelf), str(self.new), "", "")
        pairs = Arranger(shelf, Pattern("{kind}/{name}")).pairs(set())
        self.assertEqual(list(pairs), [("b.wav", "one-shots/b.wav")])

    def test_names_that_are_taken(self):
        taken = Taken(EXFAT)
        got = [taken.file(path)[0] for path in ("A/x?.wav", "a/X_.wav", "A/x_.wav/y.wav", "CON/z.wav")]
        self.assertEqual(got, ["A/x_.wav", "A/X_ (2).wav", "A/x_ (3).wav/y.wav", "_CON/z.wav"])
        taken = Taken(PLAIN)
        self.assertEqual([taken.file(path)[0] for path in ("A/x", "a/x", "A/x")], ["A/x", "a/x", "A/x (2)"])

    def test_kinds_and_tags_of_recordings(self):
        sounds = self.top / "kinds"
        flac(sounds / "t.flac", title="T", artist="A", date="2024-05-06", tracknumber="07")
        flac(sounds / "s.flac", genre="Audiobook")
        flac(sounds / "long.flac", seconds=31)
        flac(sounds / "tempo.flac", bpm="120")
        for name in ("hit.wav", "beat 120bpm.wav", "looped.wav", "sustained.wav", "tagged.wav"):
            wav(sounds / name)
        for name, end in (("looped.wav", 399), ("sustained.wav", 100)):
            chunk = bytearray(60)
            chunk[28:32], chunk[48:52] = (1).to_bytes(4, "little"), end.to_bytes(4, "little")
            raw = (sounds / name).read_bytes() + b"smpl" + (60).to_bytes(4, "little") + chunk
            (sounds / name).write_bytes(raw[:4] + (len(raw) - 8).to_bytes(4, "little") + raw[8:])
        tagged = WAVE(sounds / "tagged.wav")
        tagged.add_tags()
        for frame in (TIT2(text="Tíde"), TPE1(text="A"), TALB(text="B"), TRCK(text="2/9")):
            tagged.tags.add(frame)
        tagged.save()
        (sounds / "broken.wav").write_bytes(b"no sound")
        (sounds / "fog.mkv").write_bytes(b"x")
        kinds = {path.name: recording_kind(str(path), tags_of(str(path))) for path in sounds.iterdir()}
        self.assertEqual(
            kinds,
            {"t.flac": "music", "s.flac": "spoken word", "long.flac": "music", "tempo.flac": "loops",
             "hit.wav": "one-shots", "beat 120bpm.wav": "loops", "looped.wav": "loops", "sustained.wav": "one-shots",
             "tagged.wav": "music", "broken.wav": "", "fog.mkv": "film"},
        )  # fmt: skip
        self.assertEqual(tags_of(str(sounds / "t.flac")), {"title": "T", "artist": "A", "year": "2024", "track": "07"})
        self.assertEqual(
            tags_of(str(sounds / "tagged.wav")), {"title": "Tíde", "artist": "A", "album": "B", "track": "2/9"}
        )


class Arranged(TwoMachines):
    kinds: ClassVar = {"lighter": "exfat"}
    pattern = "{kind}/{artist}/{album}/{track:02} {title}"

    def setUp(self):
        super().setUp()
        shutil.rmtree(self.music)
        for name, seed, tags in (
            ("In/a.flac", 1, ("Quay Nine", "Night Ferry", "1/2", "Fog: One")),
            ("In/deep/b.flac", 2, ("Quay Nine", "Night Ferry", "2/2", "Été")),
            ("In/deep/twin.flac", 3, ("quay nine", "Night Ferry", "2/2", "ÉTÉ")),
            ("In/untitled.flac", 4, ("Quay Nine", "Night Ferry")),
        ):
            keys = zip(("artist", "album", "tracknumber", "title"), tags, strict=False)
            flac(self.music / name, seed, **dict(keys))
        (self.music / "In/a.peaks.bin").write_bytes(b"beside")
        (self.music / "Kit").mkdir()
        wav(self.music / "Kit/hit.wav", 9)
        flac(self.music / "Kit/hum.flac", 8, artist="A", album="B", tracknumber="1", title="C")
        (self.music / "Kit/kit.sfz").write_text("<region> sample=hum.flac\n<region> sample=hit.wav\n")
        (self.music / "empty").mkdir()
        (self.music / "near.m3u8").write_text("In/a.flac\nIn/deep/b.flac\nIn/deep/twin.flac\nIn/untitled.flac\n")
        sounds = [*(self.music / "In").rglob("*.flac"), self.music / "Kit/hit.wav"]
        os.remove(self.library)
        player.create(self.library)
        player.add_folder(self.library, str(self.music))
        player.add_tracks(self.library, [(str(path), path.stem, "x", 1.0, 3, 4, None) for path in sorted(sounds)])

    def places(self, top):
        return {str(path.relative_to(top)) for path in top.rglob("*") if path.is_file()}

    def instrument(self, top):
        """How many frames each sample has that an instrument finds beside itself."""
        kit = top / "Kit/kit.sfz"
        return [soundfile.info(kit.parent / name).frames for name in re.findall(r"sample=(\S+)", kit.read_text())]

    expected: ClassVar = {
        "music/Quay Nine/Night Ferry/01 Fog_ One.flac",
        "music/Quay Nine/Night Ferry/01 Fog_ One.peaks.bin",
        "music/Quay Nine/Night Ferry/02 Été.flac",
        "music/Quay Nine/Night Ferry/02 ÉTÉ (2).flac",
        "In/untitled.flac",
        "Kit/hit.wav",
        "Kit/hum.flac",
        "Kit/kit.sfz",
        "near.m3u8",
    }

    def test_moved_undone_and_moved_back(self):
        words = ("--to", self.lighter, "--map", PLAYER_MAP, "--arrange", self.pattern)
        before = tree(self.homes["ann"])
        planned = self.run_document("draft", self.music, *words, "-o", self.top / "w.toml")
        self.assertEqual(planned["arranged"][0]["folders"], {"music/Quay Nine/Night Ferry": 3})
        self.assertEqual(len(planned["arranged"][0]["clashes"]), 1)
        self.assertEqual(sum(planned["arranged"][0]["kept"].values()), 3)
        out = self.at("ann", "move", self.music, *words, "--yes").stdout
        self.assertIn("becomes", out)
        self.assertEqual(self.places(self.lighter / "Music"), self.expected)
        self.assertFalse((self.lighter / "Music/In/deep").exists(), "what is emptied is not made anew")
        self.assertTrue((self.lighter / "Music/empty").is_dir())
        self.assert_library_plays(self.library)
        self.assert_lists_play(self.lighter / "Music/near.m3u8")
        self.at("ann", "check")
        (self.lighter / "Music/In/a.flac").write_bytes(b"came later, under the old name of another")
        self.assertIn("newer than the originals", self.at("ann", "undo", "--yes").stdout)
        (self.lighter / "Music/In/a.flac").unlink()
        self.at("ann", "undo", self.run_document("trips")["trips"][-1]["trip"], "--drop-copies", "--yes")
        self.assertEqual(tree(self.homes["ann"]), before)
        self.assertEqual(tree(self.lighter).keys(), {b".saltcart-drive.toml"}, "no folder is left that was made for it")
        self.at("ann", "move", self.music, *words, "--yes")
        self.at("ann", "release", "--yes", "--own")
        self.assert_library_plays(self.library)
        # Its originals gone, it comes home under the names it had; the configuration names the map that it went by.
        (self.homes["ann"] / "cart.toml").write_text(f'maps = ["{PLAYER_MAP}"]\n')
        back = json.loads(self.at("ann", "undo", "--json", "--plan", self.top / "back.toml").stdout)["waybill"]
        self.at("ann", "haul", back)
        self.at("ann", "repoint", "--yes")
        self.assertEqual(
            {name for name in tree(self.music)}, {name[6:] for name in before if name.startswith(b"Music/")}
        )
        self.assert_library_plays(self.library)

    def run_document(self, *words):
        return json.loads(self.at("ann", *words, "--json").stdout)

    def test_carried_brought_up_to_date_and_settled(self):
        before, said = tree(self.homes["ann"]), self.counts(self.library)
        self.carry("--arrange", self.pattern)
        self.assertEqual(self.places(self.booth / "Music"), self.expected)
        self.assertIn("Everything is up to date", self.at("ann", "settle", self.booth, "--back", "--yes").stdout)
        self.sail(self.top / "quay")
        self.away("ann")
        self.assert_lists_play(self.booth / "Music/near.m3u8")
        self.assertEqual(self.instrument(self.booth / "Music"), [408, 409])
        self.at("bo", "settle", self.booth, "--here", "--yes")
        self.assertEqual(self.places(self.homes["bo"] / "Music"), self.places(self.top / "ann is away/Music"))
        self.assert_library_plays(self.homes["bo"] / "player/library.db")
        self.assertEqual(self.counts(self.homes["bo"] / "player/library.db"), said)
        self.at("bo", "undo", "--drop-copies", "--yes")
        self.at("bo", "settle", self.booth, "--in-place", "--yes")
        self.assert_library_plays(self.homes["bo"] / "player/library.db")
        self.away("ann")
        self.assertEqual(tree(self.homes["ann"]), before)
        # A new sound at home and new plays on the way; the pattern is remembered.
        flac(self.music / "In/c.flac", 5, artist="Quay Nine", album="Night Ferry", tracknumber="4", title="D")
        self.carry("--with-leftovers")
        self.assertEqual(self.places(self.booth / "Music"), self.expected | {"music/Quay Nine/Night Ferry/04 D.flac"})
        self.sql(self.booth / "Ledgers/library.db", "UPDATE tracks SET plays = 90 WHERE id = 1")
        self.at("ann", "settle", self.booth, "--back", "--yes")
        self.assert_library_plays(self.library)
        self.assertEqual(self.counts(self.library)[0][0][3], 90)
        names = {name for name in tree(self.homes["ann"]) if not name.startswith(b"player")}
        self.assertEqual(names, {name for name in before if not name.startswith(b"player")} | {b"Music/In/c.flac"})
