"""What a check says of files that still lead to the old places and name none of them."""

import json
import unittest

from saltcart.cli.check_output import assurance
from saltcart.judging.judgements import FOUND, MISSING, Judgement, LedgerState
from saltcart.ledgers.base import Entry, Where
from saltcart.mentions.search import Search
from saltcart.proving.results import CheckReport, LedgerCheck, Problem
from saltcart.spelling import spelling_named
from saltcart.trips.trip import SWITCHED
from tests.planning.folder_trees import SOUNDS, TreeCase, played, tree
from tests.planning.nested_documents import SUFFIXES, document
from tests.world import wav

CALM = "no file that was searched still points to the old place"


class Left(TreeCase):
    def setUp(self):
        super().setUp()
        self.other = self.shelf.parent / "Other"
        wav(self.other / "x.wav", 7)
        self.new = self.lighter / self.shelf.name

    def move(self, *ignored, more=()):
        """Move the shelf, with consent to what these files lose."""
        words = [word for path in ignored for word in ("--ignore", path)]
        self.run_program("move", self.shelf, "--to", self.lighter, "--yes", *words, *more)

    def left(self, status=0):
        """What the check says of each file, and whether its words are calm."""
        found = {one["path"]: (one["standing"], one["count"]) for one in self.run_json("check", status=status)["left"]}
        self.assertEqual(CALM in self.run_program("check", status=status).stdout, not found)
        return found

    def test_a_tree_of_folders_that_was_left(self):
        library = self.programs / "tree.db"
        tree(library, self.shelf)
        self.move(library)
        self.assertEqual(played(library), 0)
        self.assertEqual(self.left(), {str(library): ("left on purpose", 4)})
        library.unlink()
        tree(library, self.new)  # its program was shown the new place
        self.assertEqual((self.left(), played(library)), ({}, 4))

    def test_a_tree_by_another_name_of_the_drive_in_which_other_sounds_are_found(self):
        library, alias = self.programs / "tree.db", self.top / "alias"
        alias.symlink_to(self.keel)
        tree(library, alias / "Sounds", [*(f"{self.shelf.name}/{name}" for name in SOUNDS), "Other/x.wav"])
        self.move(library)
        self.assertEqual(played(library), 1)
        self.assertEqual(self.left(), {str(library): ("left on purpose", 4)})

    def test_a_tree_of_folders_that_a_signpost_serves(self):
        tree(self.programs / "tree.db", self.shelf)
        self.move(more=["--signpost"])
        self.assertEqual(self.left(), {str(self.programs / "tree.db"): ("through the signpost", 4)})

    def test_a_tree_of_folders_that_comes_back_after_the_switch(self):
        """An old copy that somebody restores; a program that has looked at the new place."""
        self.move()
        tree(self.programs / "new.db", self.new)
        self.assertEqual(self.left(), {})
        tree(self.programs / "old.db", self.shelf)
        self.assertEqual(self.left(status=1), {str(self.programs / "old.db"): ("unaccounted", 4)})
        self.run_program("release", "--yes", "--own", status=3)
        self.assertTrue(list(self.shelf.parent.glob(".*set-aside*")))

    def test_records_in_each_other_that_come_back_after_the_switch(self):
        self.move()
        for kind, suffix in SUFFIXES.items():
            if kind == "root":
                continue  # which names a full path, and is searched for
            path = self.programs / f"{kind}{suffix}"
            for place, names in ((self.new, SOUNDS), (self.new, ["low/gone.wav"]), (self.shelf, SOUNDS)):
                with self.subTest(kind=kind, place=place, names=names):
                    path.write_bytes(document(kind, str(place), names))
                    wanted = {str(path): ("unaccounted", 4)} if place == self.shelf else {}
                    self.assertEqual(self.left(status=1 if wanted else 0), wanted)
            path.unlink()

    def test_records_that_come_back_where_both_places_have_the_same_names(self):
        there = self.lighter / self.shelf.parent.name
        self.run_program("move", self.shelf, "--to", there, "--yes")
        path = self.programs / "tree.json"
        for place in (there / self.shelf.name, self.shelf):
            path.write_bytes(document("children", str(place), SOUNDS))
            wanted = {str(path): ("unaccounted", 4)} if place == self.shelf else {}
            self.assertEqual(self.left(status=1 if wanted else 0), wanted)

    def test_other_sounds_that_come_to_lie_at_the_old_place(self):
        self.move()
        for name in SOUNDS:
            wav(self.shelf / name, 9)
        tree(self.programs / "new.db", self.shelf)
        self.assertEqual((self.left(), played(self.programs / "new.db")), ({}, 4))

    def test_pieces_in_a_text(self):
        """Told by the name of the folder above, where that is another now."""
        self.move()
        for place, wanted in ((self.new, {}), (self.shelf, {str(self.programs / "parts.json"): ("unaccounted", 4)})):
            rows = [place.parts[-2:] + tuple(name.split("/")) for name in SOUNDS]
            (self.programs / "parts.json").write_text(json.dumps(rows))
            self.assertEqual(self.left(status=1 if wanted else 0), wanted)

    def test_a_folder_that_shows_less(self):
        settings = self.programs / "browser.ini"
        settings.write_text(f"[browser]\nfolder = {self.shelf.parent}\n")
        self.move(settings)
        self.assertEqual(self.left(), {str(settings): ("shows less", 1)})
        settings.write_text(f"[browser]\nfolder = {self.shelf.parent}\nfolder = {self.lighter}\n")
        self.assertEqual(self.left(), {})

    def test_paths_from_their_own_folder(self):
        """A file that went away from what it names, and one that names what went away."""
        inside, beside = self.shelf / "in.rack", self.other / "out.rack"
        inside.write_bytes(b"RACK\1\xff../Other/x.wav\xff\0")
        beside.write_bytes(f"RACK\1\0../{self.shelf.name}/鐘.wav\0".encode())
        self.move(inside, beside)
        wanted = {str(self.new / "in.rack"): ("left on purpose", 1), str(beside): ("left on purpose", 1)}
        self.assertEqual(self.left(), wanted)

    def test_no_link_at_its_old_place_helps_what_went_away(self):
        inside = self.shelf / "in.rack"
        inside.write_bytes(b"RACK\1\xff../Other/x.wav\xff\0")
        words = ("move", self.shelf, "--to", self.lighter, "--yes", "--signpost")
        refused = self.run_program(*words, status=3).stderr
        self.assertIn("in.rack: cannot be read yet, 1 left", refused)
        self.assertNotIn("--signpost", refused)
        self.move(inside, more=["--signpost"])
        self.assertEqual(self.left(), {str(self.new / "in.rack"): ("left on purpose", 1)})

    def test_a_full_path_in_a_file_that_came_along(self):
        inside = self.shelf / "in.rack"
        inside.write_bytes(b"RACK\1\xff" + str(self.shelf / "low/C1.wav").encode() + b"\xff\2")
        self.move(inside)
        self.assertEqual(self.left(), {str(self.new / "in.rack"): ("left on purpose", 1)})

    def test_an_entry_that_was_left_on_purpose_is_told_whatever_the_search_sees(self):
        entry = Entry(1, Where(), "a.wav", spelling_named("native"))
        problem = Problem(Judgement(entry, "/keel/a.wav", MISSING), FOUND, left=True)
        ledger = LedgerCheck(LedgerState("/keel/a.json", "json"), [problem])
        said = assurance(CheckReport("k3vn", SWITCHED, [ledger], [], search=Search([])))
        self.assertIn("1 file still points to the old place, as you allowed", said)


if __name__ == "__main__":
    unittest.main()
