"""Paths of other systems, and of drives: there and back, or a clear no."""

import os
import unittest

from hypothesis import given
from hypothesis import strategies as some

from saltcart.errors import CannotSpell, UsageError
from saltcart.spelling import Meanings, spelling_named, spelling_of
from saltcart.spelling.foreign import DRIVE, EITHER_SLASH, NAME_ONLY, WINDOWS, WINDOWS_RELATIVE

NAMES = some.text(
    some.characters(exclude_characters='/\\\0<>:"|?*', exclude_categories=("Cs", "Cc")), min_size=1, max_size=8
).filter(lambda name: name not in (".", ".."))
TAILS = some.lists(NAMES, min_size=1, max_size=4).map("/".join)


class Laws(unittest.TestCase):
    @given(some.sampled_from(["D:\\x", "d:/x", "\\\\Host\\Share\\x", "D:\\x\\"]), TAILS)
    def test_a_full_path_reads_back(self, specimen, tail):
        top = WINDOWS.read(specimen, "").rpartition("/x")[0]
        text = WINDOWS.write(specimen, f"{top}/{tail}", "")
        self.assertEqual(WINDOWS.read(text, ""), f"{top}/{tail}")
        self.assertEqual("/" in text, "/" in specimen)
        self.assertEqual(WINDOWS.write(text, WINDOWS.read(text, ""), ""), text)

    @given(
        some.sampled_from(
            [
                (WINDOWS_RELATIVE, "a\\x"),
                (WINDOWS_RELATIVE, ".\\x"),
                (EITHER_SLASH, "a/x"),
                (EITHER_SLASH, "/a"),
                (DRIVE, "/a/x"),
                (DRIVE, "a\\x"),
            ]
        ),
        TAILS,
        TAILS,
    )
    def test_a_path_from_somewhere_reads_back(self, manner, tail, base):
        spelling, specimen = manner
        base = "/drive" if spelling is DRIVE else f"/drive/{base}"
        text = spelling.write(specimen, f"/drive/{tail}", base)
        self.assertEqual(os.path.normpath(spelling.read(text, base)), f"/drive/{tail}")

    @given(TAILS)
    def test_what_is_declared_is_translated_there_and_back(self, tail):
        meanings = Meanings(["D:=/media/lighter", "/Volumes/X=/media/lighter", "\\\\h\\s=/mnt/s"])
        for like, here in (("/D:/a", "/media/lighter"), ("/Volumes/X/a", "/media/lighter"), ("/\\\\h\\s/a", "/mnt/s")):
            top = like[: -len("/a")]
            self.assertEqual(meanings.here(f"{top}/{tail}"), f"{here}/{tail}")
            self.assertEqual(meanings.there(f"{here}/{tail}", like), f"{top}/{tail}")
        self.assertEqual(meanings.there(f"/media/lighter/{tail}", "/home/x"), f"/media/lighter/{tail}")


class Cases(unittest.TestCase):
    def test_what_cannot_be_written_is_refused(self):
        for spelling, text, path, base in [
            (WINDOWS, "D:\\x", "/home/x", ""),
            (WINDOWS, "D:\\x", "/D:/a\\b", ""),
            (WINDOWS_RELATIVE, "a\\x", "/a/b\\c", "/a"),
            (DRIVE, "/x", "/other/x", "/drive"),
            (DRIVE, "/x", "/drive", "/drive"),
            (NAME_ONLY, "x", "/a/b/x", "/a"),
        ]:
            with self.subTest(path), self.assertRaises(CannotSpell):
                spelling.write(text, path, base)
        self.assertEqual(NAME_ONLY.write("x", "/a/y", "/a/"), "y")

    def test_detours_shares_and_long_paths(self):
        letter, host = "D:=/media/l", "\\\\Harbour\\Store=/media/l"
        for text, means, path, wanted in [
            ("D:\\A\\..\\B\\x.wav", [letter], "/media/l/B/x.wav", "D:\\N\\x.wav"),
            ("D:\\..\\..\\x.wav", [letter], "/media/l/x.wav", "D:\\N\\x.wav"),
            ("\\\\HARBOUR\\store\\x.wav", [host], "/media/l/x.wav", "\\\\HARBOUR\\store\\N\\x.wav"),
            ("\\\\?\\d:\\S\\x.wav", [letter], "/media/l/S/x.wav", "\\\\?\\d:\\N\\x.wav"),
            ("\\\\?\\UNC\\harbour\\store\\x.wav", [host], "/media/l/x.wav", "\\\\?\\UNC\\harbour\\store\\N\\x.wav"),
            ("D:\\x.wav", [host, letter], "/media/l/x.wav", "D:\\N\\x.wav"),
            ("\\\\harbour\\store\\x.wav", [letter, host], "/media/l/x.wav", "\\\\harbour\\store\\N\\x.wav"),
        ]:
            with self.subTest(text, means=means):
                meanings, read = Meanings(means), spelling_of(text).read(text, "/")
                self.assertEqual(meanings.here(read), path)
                self.assertEqual(WINDOWS.write(text, meanings.there("/media/l/N/x.wav", read), "/"), wanted)

    def test_looks(self):
        for text, name in [
            ("D:\\a", "windows"),
            ("D:/a", "windows"),
            ("\\\\h\\s\\a", "windows"),
            ("a\\b", "windows-relative"),
            ("a/b\\c", "relative"),
            ("~/a", "native"),
            ("$X/a", "native"),
            ("D:a", "relative"),
            ("//h/s", "native"),
        ]:
            self.assertEqual(spelling_of(text).name, name, text)
        self.assertIsNone(WINDOWS.read("a/b", ""))
        with self.assertRaises(UsageError):
            spelling_named("letters")
        for declaration in ("D:", "D:=relative", "=x", "x=/y"):
            with self.subTest(declaration), self.assertRaises(UsageError):
                Meanings([declaration])
