"""Paths as Windows itself writes them, read and written by Salt Cart there."""

import os
import sys
import unittest

from saltcart.judging.resolver import Resolver
from saltcart.spelling import Meanings, spelling_named
from saltcart.system import here
from saltcart.system import os as ours


@unittest.skipUnless(sys.platform == "win32", "Windows only")
class Paths(unittest.TestCase):
    def test_each_style_is_read_and_written(self):
        cases = [
            ("native", r"D:\Sounds\a b.wav", "D:/Sounds/a b.wav", r"E:\New\a b.wav"),
            ("native", "D:/Sounds/a.wav", "D:/Sounds/a.wav", "E:/New/a.wav"),
            ("native", "d:/sounds/a.wav", "D:/sounds/a.wav", "e:/New/a.wav"),
            ("auto", r"D:\Sounds\a.wav", "D:/Sounds/a.wav", r"E:\New\a.wav"),
            ("auto", "file:///D:/Sounds/a%20b.wav", "D:/Sounds/a b.wav", "file:///E:/New/a%20b.wav"),
            ("windows", r"\\?\D:\Sounds\a.wav", "D:/Sounds/a.wav", r"\\?\E:\New\a.wav"),
            ("auto", r"\\harbour\store\a.wav", "//harbour/store/a.wav", r"E:\New\a.wav"),
        ]
        meanings = Meanings()
        for name, text, path, written in cases:
            with self.subTest(text):
                spelling = spelling_named(name)
                read = spelling.read(text, "D:/lists")
                self.assertEqual(meanings.here(read), path)
                new = f"E:/New/{path.rsplit('/', 1)[1]}"
                self.assertEqual(spelling.write(text, meanings.there(new, read), "D:/lists"), written)

    def test_a_relative_path_takes_either_slash_and_becomes_a_full_one_on_another_drive(self):
        for text, new in ((r"..\Sounds\a.wav", r"..\New\a.wav"), ("../Sounds/a.wav", "../New/a.wav")):
            spelling = spelling_named("auto")
            self.assertEqual(spelling.read(text, "D:/lists"), "D:/lists/../Sounds/a.wav")
            self.assertEqual(spelling.write(text, "D:/New/a.wav", "D:/lists"), new)

    def test_another_computers_letter_means_a_folder_here(self):
        meanings = Meanings(["M:=E:/Booth"])
        self.assertEqual(meanings.here(spelling_named("auto").read(r"M:\Set\a.wav", "D:/")), "E:/Booth/Set/a.wav")
        self.assertEqual(meanings.there("E:/Booth/Set/b.wav", "M:/Set/a.wav"), "/M:/Set/b.wav")

    def test_paths_come_back_with_slashes(self):
        os.makedirs(r"D:\in\here", exist_ok=True)
        with ours.scandir("D:/in") as entries:
            self.assertEqual([entry.path for entry in entries], ["D:/in/here"])
        self.assertEqual(ours.path.realpath(r"d:\in\.\here"), "D:/in/here")
        self.assertTrue(here.LETTERS and "C:/" in here.ROOTS)

    def test_a_drive_that_is_not_there_is_offline(self):
        judged = Resolver(Meanings())
        self.assertEqual(judged.paths(spelling_named("auto"), r"Q:\x.wav", "D:/")[0], "Q:/x.wav")


if __name__ == "__main__":
    unittest.main()
