"""Every kind of deed: done, undone and repeated in any order, it leaves what it says, and says what it left."""

import os
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from hypothesis import given
from hypothesis import strategies as some

from saltcart.own_names import superseded
from saltcart.safefile import digest_of
from saltcart.shelves.digests import BLAKE3
from saltcart.switching.deed_kinds import BringBack, Rename, Supersede, Swap
from saltcart.switching.deeds import recorded, standing, text_of
from saltcart.switching.deeds_on_places import Link, Make, Remove, Unlink
from saltcart.switching.one_deed import DONE, OPPOSITE, UNDONE, UNSEEN
from saltcart.switching.superseding import remove_superseded

CALLS = some.lists(some.sampled_from(["do", "undo"]), min_size=1, max_size=5)
SECOND_NAMES = some.booleans()  # whether the drive knows them


class Log:
    """A trip in whose logbook one deed is recorded."""

    def __init__(self, deed):
        self.logbook, self.text, self.told, self.name = self, text_of(deed), [], "abcd"
        self.tell = self.told.append

    def deeds(self, _plan):
        return [(0, self.text, False)]


def content(top):
    """What lies in a folder."""
    return {
        str(path.relative_to(top)): os.readlink(path) if path.is_symlink() else path.is_file() and path.read_text()
        for path in sorted(top.rglob("*"))
    }


def kinds(top):
    """A deed of each kind that can be done and undone again and again, by its name."""
    (top / "folder").mkdir()
    for name in ("here", "now", "newer"):
        (top / name).write_text(name)
    os.symlink("folder", top / "post")
    (top / "empty").mkdir()
    was = (BLAKE3, digest_of(str(top / "now")))
    now, newer, aside = (str(top / name) for name in ("now", "newer", "aside"))
    return {
        "rename": Rename(str(top / "here"), str(top / "there")),
        "rename of a folder": Rename(str(top / "folder"), str(top / "set aside")),
        "link": Link(str(top / "link"), "folder"),
        "unlink": Unlink(str(top / "post"), "folder"),
        "make": Make(str(top / "made"), str(top / "folder")),
        "remove": Remove(str(top / "empty")),
        "supersede": Supersede(now, newer, aside, was),
    }


NAMES = ("rename", "rename of a folder", "link", "unlink", "make", "remove", "supersede")


def refused(*_args, **_more):
    raise PermissionError


class Deeds(unittest.TestCase):
    def world(self, name):
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        top = Path(folder.name)
        return top, kinds(top)[name]

    @given(some.sampled_from(NAMES), CALLS, SECOND_NAMES)
    def test_the_last_word_counts_however_often_it_is_said(self, name, calls, second_names):
        with TemporaryDirectory() as folder, mock.patch("os.link", os.link if second_names else refused):
            top = Path(folder)
            deed, before = kinds(top)[name], content(top)
            deed.do()
            after = content(top)
            self.assertNotEqual(before, after)
            for call in calls:
                getattr(deed, call)()
                ends = (after, DONE) if call == "do" else (before, UNDONE)
                self.assertEqual((content(top), deed.look()), ends)

    @given(some.sampled_from([name for name in NAMES if name != "remove"]), SECOND_NAMES)
    def test_the_deed_that_takes_it_back_does_what_undoing_does(self, name, second_names):
        """All but the removal of a folder, which itself takes the making of one back."""
        with TemporaryDirectory() as folder, mock.patch("os.link", os.link if second_names else refused):
            top = Path(folder)
            deed, before = kinds(top)[name], content(top)
            deed.do()
            after, back = content(top), deed.inverse()
            self.assertEqual(back.look(), UNDONE)
            back.do()
            self.assertEqual((content(top), back.look(), deed.look()), (before, DONE, UNDONE))
            back.undo()
            self.assertEqual((content(top), back.look(), deed.look()), (after, UNDONE, DONE))

    def test_what_is_recorded_is_the_same_deed(self):
        for name in NAMES:
            with self.subTest(name):
                _top, deed = self.world(name)
                self.assertEqual(recorded(Log(deed), "plan"), [(0, deed, False)])

    def test_a_newer_file_that_came_half_way_comes_or_goes(self):
        """It was cut off when the older one had its second name, or, where drives know none, its other name."""
        for second_names, call in ((True, "do"), (True, "undo"), (False, "do"), (False, "undo")):
            with self.subTest(second_names=second_names, call=call):
                top, deed = self.world("supersede")
                before = content(top)
                with (
                    mock.patch("os.link", os.link if second_names else refused),
                    mock.patch("os.replace", refused),
                    mock.patch("saltcart.switching.deed_kinds.rename_new", self.only_aside),
                    self.assertRaises(PermissionError),
                ):
                    deed.do()
                self.assertEqual((top / "aside").read_text(), "now")
                getattr(deed, call)()
                after = {**before, "now": "newer", "aside": "now"}
                del after["newer"]
                self.assertEqual(content(top), after if call == "do" else before)

    @staticmethod
    def only_aside(old, new):
        """Rename what goes aside, and nothing that takes its place."""
        if not new.endswith("aside"):
            raise PermissionError
        os.rename(old, new)

    def test_what_was_put_aside_and_is_gone_needs_nothing(self):
        top, deed = self.world("supersede")
        deed.do()
        (top / "aside").unlink()
        self.assertEqual((standing(deed), standing(deed.inverse())), (UNSEEN, DONE))
        before = content(top)
        deed.inverse().do()
        self.assertEqual(content(top), before)

    def test_what_was_edited_right_before_it_was_replaced_is_kept_beside_it(self):
        for edited in (False, True):
            with self.subTest(edited=edited):
                top, deed = self.world("supersede")
                log = Log(deed)
                aside = Path(superseded(deed.path, log.name))
                aside.write_text("edited" if edited else "now")
                remove_superseded(log, deed.path, deed.was)
                self.assertFalse(aside.exists())
                kept = [path.read_text() for path in top.iterdir() if "before trip" in path.name]
                self.assertEqual((kept, len(log.told)), (["edited"], 1) if edited else ([], 0))

    def test_a_ledger_that_somebody_wrote_to_is_neither_before_nor_after(self):
        with TemporaryDirectory() as folder:
            top = Path(folder)
            for name, text in (("list", "old"), ("staged", "new"), ("backup", "old")):
                (top / name).write_text(text)
            digests = (digest_of(str(top / name)) for name in ("list", "staged"))
            deed = Swap(str(top / "list"), str(top / "staged"), *digests, str(top / "backup"))
            self.assertEqual(standing(deed), UNDONE)
            deed.do()
            deed.do()
            self.assertEqual(standing(deed), DONE)
            (top / "list").write_text("written since")
            deed.undo()
            self.assertEqual((standing(deed), (top / "list").read_text()), (UNSEEN, "written since"))
            (top / "list").write_text("new")
            deed.undo()
            self.assertEqual((standing(deed), (top / "list").read_text()), (UNDONE, "old"))

    def test_a_place_that_cannot_be_looked_at_is_unseen(self):
        _top, deed = self.world("rename")
        with mock.patch("os.path.lexists", refused):
            self.assertEqual(standing(deed), UNSEEN)
        self.assertEqual(OPPOSITE[UNSEEN], UNSEEN)
        self.assertIsInstance(self.world("supersede")[1].inverse(), BringBack)
