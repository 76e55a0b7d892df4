"""Links into what moves, and files that name it through a link: none is left to lead nowhere in silence."""

import os

from tests.world import WorldCase, wav


class Links(WorldCase):
    def setUp(self):
        super().setUp()
        self.user = self.top / "user"
        self.farm = self.user / "Favourites"
        self.farm.mkdir(parents=True)
        for number, name in enumerate(("a.wav", "b.wav")):
            wav(self.shelf / name, number)
        self.words = ("move", self.shelf, "--to", self.new.parent, "--yes")

    def link(self, name, target):
        """A link in the home folder."""
        place = self.user / name
        place.symlink_to(target)
        return place

    def test_links_into_a_shelf_hold_the_move_back(self):
        """A farm of links to single sounds, one to the folder, a relative one."""
        self.link("Favourites/one.wav", self.shelf / "a.wav")
        self.link("Favourites/two.wav", os.path.relpath(self.shelf / "b.wav", self.farm))
        self.link("bells", self.shelf)
        said = self.run_program(*self.words, status=3).stderr
        for name in ("one.wav", "two.wav", "bells"):
            self.assertIn(name, said)
        self.assertIn("--turn-links", said)
        self.assertTrue(self.shelf.is_dir())

    def test_links_are_turned_where_that_is_asked_for(self):
        farm = [self.link("Favourites/one.wav", self.shelf / "a.wav"), self.link("bells", self.shelf)]
        self.run_program(*self.words, "--turn-links", status=0)
        self.assertEqual([os.readlink(one) for one in farm], [str(self.new / "a.wav"), str(self.new)])
        self.run_program("undo", "--yes", status=0)
        self.assertEqual([os.readlink(one) for one in farm], [str(self.shelf / "a.wav"), str(self.shelf)])

    def test_a_signpost_and_a_copy_keep_links_alive(self):
        for option in ("--signpost", "--copy"):
            with self.subTest(option):
                self.setUp()
                one = self.link("Favourites/one.wav", self.shelf / "a.wav")
                self.run_program(*self.words, option, status=0)
                self.assertTrue(one.is_file())

    def test_a_link_that_is_made_later_is_seen_by_the_check(self):
        self.run_program(*self.words, status=0)
        self.link("late.wav", self.shelf / "a.wav")
        self.assertIn("late.wav", self.run_program("check", status=1).stdout)

    def test_a_file_that_names_the_sounds_through_a_link_follows(self):
        """Through a link to the folder that holds them."""
        self.link("Packs", self.shelf.parent)
        session = self.user / "song.ses"
        session.write_text(f"clip={self.user}/Packs/Bell Tones/a.wav\nclip={self.user}/Packs/Bell Tones/b.wav\n")
        self.run_program(*self.words, status=0)
        for line in session.read_text().splitlines():
            self.assertTrue(os.path.isfile(line.removeprefix("clip=")), line)

    def test_links_to_links_are_followed_to_their_end(self):
        """Before the move, with the links turned, and by the check."""
        inner = self.link("inner", self.shelf / "a.wav")
        outer = self.link("outer.wav", inner)
        said = self.run_program(*self.words, status=3).stderr
        self.assertIn("outer.wav", said)
        self.run_program(*self.words, "--turn-links", status=0)
        self.assertTrue(inner.is_file() and outer.is_file())
        inner.unlink()
        inner.symlink_to(self.shelf / "a.wav")
        self.link("late.wav", inner)
        self.assertIn("late.wav", self.run_program("check", status=1).stdout)

    def test_links_elsewhere_are_no_concern(self):
        wav(self.keel / "Sounds" / "Other" / "x.wav", 5)
        self.link("other", self.keel / "Sounds" / "Other")
        self.link("gone", self.keel / "nowhere")
        self.link("all", self.keel / "Sounds")
        self.run_program(*self.words, status=0)
