"""What becomes of two copies that were changed apart: single cases that the law does not name."""

import copy
import unittest
from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from saltcart.errors import BadFile
from saltcart.merging.copies import prevailing
from saltcart.merging.history import History, Order, look_at
from saltcart.merging.history_file import Damaged, pack, unpack
from saltcart.merging.merged import ORDER, REMOVED, THERE
from saltcart.merging.values import woven
from tests.merging.toys import Library, Track, carry, merge


def two():
    """A library at home, and the same on a stick."""
    home = Library("home", {1: Track("a.wav", 3, 5), 2: Track("b.wav", 1, 7)}, {1: ("night", [1, 2])})
    stick = Library("stick")
    carry(home, stick)
    return home, stick


class Cases(unittest.TestCase):
    def test_each_side_alone_and_both(self):
        """A track on each side: rating here, rating there, what it becomes when HERE holds, and conflicts told."""
        for mine, other, wanted, told in (
            (3, 3, 3, 0),
            (4, 3, 4, 0),
            (3, 5, 5, 0),
            (4, 4, 4, 0),
            (4, 5, 4, 1),
            (4, None, 4, 1),
        ):
            with self.subTest(here=mine, there=other):
                home, stick = two()
                home.tracks[1].rating, stick.tracks[1].rating = mine, other
                self.assertEqual(len(merge(home, stick).conflicts), told)
                self.assertEqual(home.tracks[1].rating, wanted)
                self.assertEqual(merge(home, stick).conflicts, [], "it is told once")

    def test_a_person_says_which_holds_and_that_is_the_latest_word(self):
        home, stick = two()
        third = Library("third")
        merge(third, stick)
        home.tracks[1].rating, stick.tracks[1].rating = 4, 5
        merge(home, stick, THERE)
        self.assertEqual(home.tracks[1].rating, 5)
        carry(home, stick)
        self.assertEqual(merge(third, stick).conflicts, [])
        self.assertEqual(third.tracks[1].rating, 5)

    def test_removed_on_one_side_and_changed_on_the_other_stays(self):
        home, stick = two()
        del home.tracks[1]
        home.lists[1] = "night", [2]
        stick.tracks[1].rating = 5
        self.assertEqual([one.column for one in merge(home, stick).conflicts], [REMOVED])
        self.assertEqual(sorted(one.path for one in home.tracks.values()), ["a.wav", "b.wav"])

    def test_removed_on_one_side_alone_goes(self):
        home, stick = two()
        del stick.tracks[1]
        stick.lists[1] = "night", [2]
        merge(home, stick)
        self.assertEqual([one.path for one in home.tracks.values()], ["b.wav"])

    def test_a_track_that_was_removed_here_and_put_into_a_list_there_stays(self):
        home, stick = two()
        del home.tracks[1]
        home.lists[1] = "night", [2]
        stick.lists[2] = "new", [1]
        merge(home, stick)
        self.assertEqual(home.told()[1]["new"], ["a.wav"])

    def test_lists_of_two_orders(self):
        home, stick = two()
        home.tracks[3], home.lists[1] = Track("c.wav"), ("night", [1, 2, 3])
        carry(home, stick)
        home.lists[1], stick.lists[1] = ("night", [3, 1, 2]), ("night", [2, 1, 3])
        self.assertEqual([one.column for one in merge(home, stick).conflicts], [ORDER])
        self.assertEqual(home.lists[1][1], [3, 1, 2])

    def test_the_same_numbers_for_other_tracks(self):
        """A number was given on both sides; and one was given anew after its track had gone."""
        home, stick = two()
        home.tracks[3], stick.tracks[3] = Track("c.wav", 2), Track("d.wav", 4)
        stick.lists[1] = "night", [1, 2, 3]
        merge(home, stick)
        self.assertEqual(sorted(one.path for one in home.tracks.values()), ["a.wav", "b.wav", "c.wav", "d.wav"])
        self.assertEqual(home.told()[1]["night"], ["a.wav", "b.wav", "d.wav"])
        home, stick = two()
        stick.tracks[2] = Track("e.wav", 5, 1, "2026")
        merge(home, stick)
        self.assertEqual(home.told()[0], {"a.wav": (3, 5, None, "[]"), "e.wav": (5, 1, "2026", "[]")})

    def test_the_same_track_added_on_both_sides_is_one(self):
        """And the lists that hold it on either side hold that one; so it stays when a third copy comes."""
        home, stick = two()
        third = Library("third")
        merge(third, stick)
        home.tracks[3], stick.tracks[4], third.tracks[5] = Track("c.wav", 2, 1), Track("c.wav", 2, 2), Track("c.wav", 2)
        home.lists[2], stick.lists[2] = ("new", [3]), ("new", [1, 4])
        merge(home, stick)
        carry(home, stick)
        merge(third, stick)
        for one in (home, third):
            self.assertEqual(one.counted(), (3, 2))
            self.assertEqual(one.told()[0]["c.wav"], (2, 3, None, "[]"))
            self.assertEqual(sorted(one.told()[1]["new"]), ["a.wav", "c.wav"])

    def test_two_who_do_the_same_did_it_twice(self):
        """Their copies are alike to the letter, and yet two plays were made."""
        home, stick = two()
        other = Library("other")
        merge(other, stick)
        for one in (home, other):
            one.tracks[1].plays += 1
        for one in (home, other, home):
            merge(one, stick)
            carry(one, stick)
        self.assertEqual(home.tracks[1].plays, 7)

    def test_what_takes_the_place_of_another_keeps_its_counts(self):
        """And a third copy that knew both adds nothing to them."""
        home, stick = two()
        third = Library("third")
        merge(third, stick)
        home.tracks[1].plays, stick.tracks[1].plays = 6, 9
        ours, theirs = (look_at(one.history, one.content(), one.who) for one in (home, stick))
        home.tracks, home.history = copy.deepcopy(stick.tracks), prevailing(theirs, ours)
        carry(home, stick)
        merge(third, stick)
        self.assertEqual((home.tracks[1].plays, third.tracks[1].plays), (9, 9))

    def test_histories_as_files(self):
        home, _stick = two()
        self.assertEqual(unpack(pack({"x": home.history}), "x")["x"], home.history)
        for data in (b"", b"nonsense", pack({"x": home.history})[:-9], pack({"x": History(format=9)})):
            with self.subTest(data[:9]), self.assertRaises(BadFile):
                unpack(data, "x")

    def test_histories_that_somebody_made(self):
        """Each would end in an error, or never, were it used."""
        for name, harm in HARMS.items():
            with self.subTest(name):
                _home, stick = two()
                history = stick.history
                unpack(pack({"x": history}), "x")
                harm(history, history.tables["tracks"].rows)
                with self.assertRaises(Damaged):
                    unpack(pack({"x": history}), "x")

    def test_a_small_file_that_is_large_inside(self):
        history = History(events=[number.to_bytes(8, "big") for number in range(5000)])
        data = pack({"x": history})
        self.assertEqual(unpack(data, "x", 100_000)["x"], history)
        with self.assertRaises(Damaged):
            unpack(data, "x", 40_000)

    @given(st.lists(st.integers(0, 9)), st.lists(st.integers(0, 9), unique=True))
    def test_members_of_both(self, first, second):
        """All of the first in their order; each of the others once, behind what stands before it in the second."""
        found = woven(first, second)
        others = [one for one in second if one not in first]
        self.assertEqual([one for one in found if one not in others], first)
        self.assertEqual(sorted(one for one in found if one in others), sorted(others))
        for before, one in pairwise(second):
            if one in others and first and set(first) & set(second):
                self.assertLess(found.index(before), found.index(one))


HARMS = {
    "a name that leads to itself": lambda history, rows: history.aliases.update({b"a": b"b", b"b": b"a"}),
    "a row made by an event that is not there": lambda history, rows: setattr(rows[0], "made", 99),
    "a row made before all events": lambda history, rows: setattr(rows[0], "made", -1),
    "a cell of an event that is not there": lambda history, rows: setattr(rows[0], "stamps", [77] * 5),
    "cells without events": lambda history, rows: setattr(rows[0], "stamps", []),
    "digests of less than all cells": lambda history, rows: setattr(rows[0], "digests", b"x"),
    "a count of an event that is not there": lambda history, rows: setattr(rows[0], "counts", {2: {99: 1}}),
    "a count of a column that is not there": lambda history, rows: setattr(rows[0], "counts", {99: {0: 1}}),
    "more plays than there can be": lambda history, rows: setattr(rows[0], "counts", {2: {0: 2**63}}),
    "an order of an event that is not there": lambda history, rows: history.orders.update({b"l" * 8: Order(99, [])}),
    "a row that went with an event that is not there": lambda history, rows: history.gone.update({b"q" * 8: 99}),
    "two rows of one name": lambda history, rows: setattr(rows[0], "uid", rows[1].uid),
    "one event twice": lambda history, rows: history.events.append(history.events[0]),
    "a name of an event that is too short": lambda history, rows: history.events.append(b"e"),
    "a column twice": lambda history, rows: history.tables["tracks"].columns.__setitem__(0, "rating"),
}
