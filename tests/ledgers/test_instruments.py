"""Instruments that include files, moved by the real program; a witness of our own says which sounds they play."""

import os
import shutil
import unittest

from tests.ledgers.instruments import played
from tests.world import WorldCase, tree, wav


class Included(WorldCase):
    def setUp(self):
        super().setUp()
        self.lib = self.keel / "Lib"
        for name in ("Kick_60.wav", "Kick_61.wav", "sub/Été & co.wav", "Snare.wav"):
            wav(self.keel / "Samples" / "K" / name, len(name))

    def write(self, **files):
        """Files of the library, by names with `_` for the slash and the dot."""
        for name, text in files.items():
            folder, stem, suffix = name.split("_")
            (self.lib / folder).mkdir(parents=True, exist_ok=True)
            (self.lib / folder / f"{stem}.{suffix}").write_text(text, encoding="utf-8", newline="")

    def kit(self):
        """An instrument in two files, and one whose default path ends within a name."""
        self.write(
            a_one_sfz='#define $K 60\n#include "../common/note.inc"\n#define $K 61\n#include "../common/note.inc"\n'
            "<region> sample=Snare.wav\n",
            common_note_inc="<control> default_path=../../Samples/K/\n<region> sample=Kick_$K.wav // x\n"
            '#include "../common/more.txt"\n',
            common_more_txt="<region> sample=sub/Été & co.wav\n",
            b_two_sfz='<control> default_path=../../Samples/K/Ki\n#include "../common/tail.sfz"\n',
            common_tail_sfz="<region> sample=ck_60.wav\n",
        )
        return [self.lib / "a" / "one.sfz", self.lib / "b" / "two.sfz"]

    def heard(self, *mains):
        """What instruments play, one after the other; all of it must be there."""
        found = [one for main in mains for one in played(str(main))]
        self.assertTrue(all(there for _name, there in found), found)
        return [name for name, _there in found]

    def test_samples_move_and_come_back(self):
        mains = self.kit()
        before, heard = tree(self.lib), self.heard(*mains)
        self.assertEqual(len(heard), 6)
        words = ("move", self.keel / "Samples", "--to", self.lighter, "--yes", "--ledger", *mains)
        report = self.run_json(*words)
        self.assertEqual(self.heard(*mains), heard)
        self.assertFalse((self.keel / "Samples").exists())
        checked = self.run_json("check", report["trip"])
        maps = {os.path.basename(one["path"]): one["map"] for one in checked["ledgers"]}
        self.assertEqual([maps["note.inc"], maps["tail.sfz"], maps["one.sfz"]], ["sfz part", "sfz part", "sfz"])
        self.run_program("undo", report["trip"], "--yes")
        self.assertEqual((tree(self.lib), self.heard(*mains)), (before, heard))

    def test_library_moves_away_from_its_samples(self):
        mains = self.kit()
        heard = self.heard(*mains)
        self.run_program("move", self.lib, "--to", self.lighter / "deep" / "er", "--yes")
        shutil.rmtree(self.lib, ignore_errors=True)
        there = self.lighter / "deep" / "er" / "Lib"
        self.assertEqual(self.heard(there / "a" / "one.sfz", there / "b" / "two.sfz"), heard)

    def test_survey_and_check_look_into_what_is_included(self):
        mains = self.kit()
        (self.keel / "Samples" / "K" / "Kick_61.wav").unlink()
        self.run_program("check", "--ledger", *mains, status=1)
        shown = self.run_program("survey", self.keel, status=1).stdout
        self.assertIn(f"check --ledger {os.path.relpath(mains[0], self.top)}", shown)
        self.run_program("check", "--ledger", self.lib / "common" / "note.inc", status=3)

    def test_what_instruments_disagree_on_is_left_and_told(self):
        wav(self.keel / "Lib" / "a" / "x" / "s.wav", 1)
        wav(self.keel / "Lib" / "b" / "x" / "s.wav", 2)
        self.write(a_one_sfz='#include "../common/p.inc"', b_two_sfz='#include "../common/p.inc"')
        self.write(common_p_inc="<region> sample=x/s.wav")
        mains = [self.lib / "a" / "one.sfz", self.lib / "b" / "two.sfz"]
        words = ("draft", self.lib / "a" / "x", "--to", self.lighter, "-o", "w.toml", "--ledger", *mains)
        self.assertIn("different things", self.run_program(*words, status=None).stdout)
        self.assertEqual(len(self.heard(*mains)), 2)

    def test_hostile(self):
        circle = "".join(f'#include "p{number}.inc"\n#include "p{number}.inc"\n' for number in range(2))
        self.write(a_p0_inc='#include "p1.inc"\n<region> sample=no.wav', a_p1_inc='#include "p0.inc"', a_m_sfz=circle)
        self.run_program("check", "--ledger", self.lib / "a" / "m.sfz", status=1)
        for number in range(20):
            text = f'#include "d{number + 1}.inc"\n' * 2 if number < 19 else "<region> sample=x.wav"
            self.write(**{f"a_d{number}_inc": text})
        self.write(a_m_sfz='#include "d0.inc"')
        done = self.run_program("check", "--ledger", self.lib / "a" / "m.sfz", status=None)
        self.assertIn("includes more than", done.stdout + done.stderr)


if __name__ == "__main__":
    unittest.main()
