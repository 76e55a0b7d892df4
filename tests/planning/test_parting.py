"""Files in no format known that name sounds from their own folder: they follow, or hold the move back by name."""

import os
import re
import subprocess
import sys
from unittest import mock

from saltcart.planning import relative_references
from tests.world import WorldCase, wav

FEW = """
import sys
from saltcart.cli.main import main
from saltcart.planning import relative_references
relative_references.MOST = 5
sys.exit(main())
"""
NAMES = ("kick 1.wav", "snare é.wav", "hat.wav")


class Parting(WorldCase):
    def setUp(self):
        super().setUp()
        for number, name in enumerate(NAMES):
            wav(self.shelf / name, number)
        self.other = self.keel / "Sounds" / "Other"
        wav(self.other / "x.wav", 7)

    def move(self, *more, status):
        """Move the shelf, or a part of it, without a question."""
        return self.run_program("move", self.shelf, "--to", self.new.parent, *more, "--yes", status=status)

    def lost(self, path):
        """What a kit of lines such as `pad=NAME` does not find from its folder."""
        names = re.findall(r"(?m)^pad=(.*)$", path.read_text())
        return [name for name in names if not (path.parent / name).is_file()]

    def test_bare_names_in_a_shelf_that_is_parted(self):
        """The kit stays and a sound leaves, or the other way round: it follows."""
        for options in (("--only", "kick*"), ("--exclude", "kick*"), ("--only", "*.kit")):
            with self.subTest(options):
                self.setUp()
                kit = self.shelf / "set.kit"
                kit.write_text("".join(f"pad={name}\nlevel=7\n" for name in NAMES))
                self.move(*options, status=0)
                kit = kit if kit.exists() else self.new / "set.kit"
                self.assertEqual(self.lost(kit), [])

    def test_what_cannot_follow_is_named(self):
        """Binary files, in one and in two bytes a sign, that stay or travel."""
        for encoding in ("utf-8", "utf-16-le"):
            for options in (("--only", "kick*"), ("--exclude", "kick*")):
                with self.subTest(encoding=encoding, options=options):
                    self.setUp()
                    texts = b"".join(b"\1\xff\0" + name.encode(encoding) + b"\0\xff\2" for name in NAMES)
                    (self.shelf / "set.rack").write_bytes(b"RACK" + texts)
                    self.assertIn("set.rack", self.move(*options, status=3).stderr)
                    self.assertTrue((self.shelf / NAMES[0]).is_file())

    def test_a_kit_that_travels_and_leads_out_of_its_shelf(self):
        """A text follows; what cannot is named."""
        kit = self.shelf / "set.kit"
        kit.write_text("pad=kick 1.wav\npad=../Other/x.wav\n")
        self.move(status=0)
        self.assertEqual(self.lost(self.new / "set.kit"), [])
        self.setUp()
        (self.shelf / "set.rack").write_bytes(b"RACK\1\xff../Other/x.wav\xff\0")
        self.assertIn("set.rack", self.move(status=3).stderr)

    def test_names_are_found_wherever_they_stand_in_a_large_file(self):
        """At its end, and where one piece that is read ends and the next begins; in one and two bytes a sign."""
        path, block = self.shelf / "set.rack", 4096
        for encoding in ("utf-8", "utf-16-le"):
            for text, wanted in (("kick 1.wav", "kick 1.wav"), ("../Other/x.wav",) * 2, ("..\\Other", "../Other")):
                for place in (*range(block - 30, block + 4), 3 * block):
                    path.write_bytes(b"\xff".ljust(place, b"\1") + f"{text}\0".encode(encoding) + b"\xff")
                    with mock.patch.object(relative_references, "BLOCK", block):
                        found = relative_references.relative_targets(str(path))
                    self.assertIn(os.path.normpath(self.shelf / wanted), found, (encoding, place))

    def test_what_holds_too_many_names_is_named(self):
        (self.shelf / "set.rack").write_bytes(b"\1".join(b"%d.wav" % number for number in range(9)))
        draft = ("draft", self.shelf, "--to", self.new.parent, "--only", "kick*", "--out", self.top / "way")
        done = subprocess.run([sys.executable, "-c", FEW, *draft], env=self.environment, capture_output=True, text=True)
        self.assertEqual(done.returncode, 1, done.stderr)
        self.assertIn("set.rack", done.stdout)

    def test_what_stays_together_is_no_concern(self):
        """Kits whose sounds come with them, and words that are no sounds."""
        (self.shelf / "set.rack").write_bytes(b"RACK\1\xffkick 1.wav\xff\0")
        (self.shelf / "notes.txt").write_text("kick 1.wav is loud; ../Nowhere/x.wav is gone; see ../README\n")
        self.move(status=0)
