"""A collection to which something was written halfway, and who comes next."""

import errno
import json
import os
from types import SimpleNamespace
from unittest import mock

from saltcart.carrying import histories
from saltcart.carrying.gone import drop_gone
from saltcart.cli.commands import carry
from saltcart.own_names import neighbour_of
from saltcart.switching import all_or_nothing, undo
from saltcart.waybills.collection import Gone
from tests.carrying.machines import DECKS_MAP, SOUNDS, TwoMachines
from tests.switching.crashing import plug_in, pull, run_until
from tests.world import PLAYER_MAP, tree, wav


class HalfCarried(TwoMachines):
    def settle(self):
        """Use the collection on Bo's machine, or write back what happened there."""
        return self.at("bo", *self.settle_words())

    def settle_words(self):
        return ("settle", str(self.booth), "--in-place", "--yes")

    def play(self, times=41):
        """Something happens in Bo's library."""
        self.sql(self.homes["bo"] / "player" / "library.db", f"UPDATE tracks SET plays = {times} WHERE id = 2")

    def plays_there(self):
        """How often the second track was played, as the collection has it."""
        return self.counts(self.booth / "Ledgers" / "library.db")[0][1][3]

    def test_what_was_cut_off_before_its_first_deed_is_finished_when_typed_again(self):
        self.carry()
        self.settle()
        self.play()
        with mock.patch.object(all_or_nothing, "carry_out", side_effect=KeyboardInterrupt):
            self.assertEqual(run_until(self.settle_words(), self.environment, 0), 4)
        self.assertIn("was interrupted near its end. It is finished now", self.settle().stdout)
        self.assertEqual(self.plays_there(), 41)

    def test_a_carry_after_which_another_computer_wrote_there_is_over(self):
        """It was cut off in the switch, or after it: what came since is brought home first, and nothing is lost."""
        words = ("carry", str(self.music), "--to", str(self.booth), "--ledger", self.library, "--map", str(PLAYER_MAP),
                 "--map", str(DECKS_MAP), "--yes")  # fmt: skip
        for number, (where, what) in enumerate(((carry, "finish"), (all_or_nothing, "carry_out"))):
            with self.subTest(what):
                self.booth = self.lighter / f"Booth {number}"
                words = [*words[:3], str(self.booth), *words[4:]]
                self.carry()
                self.sql(self.library, f"UPDATE tracks SET plays = {50 + number} WHERE id = 1")
                with mock.patch.object(where, what, side_effect=KeyboardInterrupt):
                    self.assertEqual(run_until(words, self.environment, 0), 4)
                self.settle()
                self.play(41 + number)
                self.settle()
                said = (self.booth / "carried.toml").read_text()
                self.assertNotIn("finished now", self.at("ann", *words, status=3).stdout)
                self.assertEqual((self.booth / "carried.toml").read_text(), said)
                self.assertEqual(self.plays_there(), 41 + number)
                self.at("ann", "settle", self.booth, "--back", "--yes")
                self.assertEqual(self.counts(self.library)[0][1][3], 41 + number)

    def test_what_was_left_beside_a_sound_by_a_program_that_was_killed_goes(self):
        self.carry()
        wav(self.booth / "Music" / SOUNDS[0], 81)
        left = neighbour_of(str(self.music / SOUNDS[0]))
        with open(left, "wb") as stream:
            stream.write(b"half of a sound")
        self.at("ann", "settle", self.booth, "--back", "--yes")
        self.assertEqual((self.music / SOUNDS[0]).read_bytes(), (self.booth / "Music" / SOUNDS[0]).read_bytes())
        self.assertFalse(os.path.lexists(left))

    def test_what_was_removed_here_and_changed_there_is_told_to_stay(self):
        said = self.carry().stdout
        self.assertIn(f"saltcart settle {self.booth}", said)
        for name in SOUNDS[:2]:
            (self.music / name).unlink()
        (self.booth / "Music" / SOUNDS[1]).write_bytes(b"edited there")
        said = self.carry("--drop-gone", "--json", status=1).stdout
        self.assertEqual(json.loads(said)["dropped"], 1)
        self.assertEqual(json.loads(said)["not_dropped"], [f"Music/{SOUNDS[1]}"])
        self.assertEqual((self.booth / "Music" / SOUNDS[1]).read_bytes(), b"edited there")

    def test_a_drive_that_goes_at_the_end_of_an_undo_is_told(self):
        """What lies beside the copies is not gone because it is not seen."""
        self.carry()
        words = ("undo", "--yes", "--drop-copies")
        with mock.patch.object(undo, "drop_told", side_effect=lambda _trip: pull(str(self.lighter))):
            self.assertEqual(run_until(words, self.environment, 0), 4)
        self.assertEqual(plug_in(str(self.lighter)), [])
        self.assertTrue(self.booth.exists())
        self.at("ann", *words)
        self.assertFalse(self.booth.exists())

    def test_a_history_that_cannot_be_removed_is_no_success(self):
        kept = self.booth / histories.HIDDEN
        (kept / "abcd").mkdir(parents=True)  # somebody else's, whatever its name
        (kept / "efgh").write_bytes(b"")
        with (
            mock.patch.object(histories, "remove_if_there", side_effect=OSError(errno.EIO, "Input/output error")),
            self.assertRaises(OSError),
        ):
            histories.clear_there(str(self.booth))
        histories.clear_there(str(self.booth))
        self.assertEqual([path.name for path in kept.iterdir()], ["abcd"])

    def test_what_is_on_a_drive_that_has_gone_is_not_called_removed(self):
        wav(self.booth / SOUNDS[0])
        pull(str(self.lighter))
        plan = SimpleNamespace(top=str(self.booth), gone=[Gone(SOUNDS[0], "blake3", "0" * 64)])
        self.assertEqual(drop_gone(plan), [SOUNDS[0]])

    def test_no_history_is_written_where_a_drive_was(self):
        self.booth.mkdir()
        pull(str(self.lighter))
        with self.assertRaises(FileNotFoundError):
            histories.note_there(SimpleNamespace(top=str(self.booth)), {}, "abcd")
        self.assertEqual(tree(self.lighter), {})
        self.assertTrue(os.path.isdir(self.lighter))
