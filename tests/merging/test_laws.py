"""The law of copies that are changed apart: nothing is lost, nothing doubled, in whatever order they meet."""

import copy
import os
import unittest
from tempfile import TemporaryDirectory

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.merging.toys import KEYLESS, LARGER, Library, Track, carry, carry_files, merge, merge_files

# How many histories are tried; all of a release: SALTCART_HISTORIES=2000 python -m tests tests.merging.test_laws
HISTORIES = int(os.environ.get("SALTCART_HISTORIES", "100"))
OF_FILES = HISTORIES if "SALTCART_HISTORIES" in os.environ else 3
PATHS = [f"{name}.wav" for name in "abcde"]
CHANGES = ("play", "rate", "remove", "cue", "list", "unlist", "shuffle", "add")
MEETING = st.tuples(st.just("meet"), st.integers(0, 3), st.integers(0, 1))
STEPS = st.one_of(
    MEETING,
    MEETING,
    st.tuples(st.sampled_from(CHANGES), st.integers(0, 5), st.integers(0, 4), st.integers(1, 5)),
    st.tuples(st.sampled_from(["keep", "old stick"]), st.integers(0, 1)),
)


WITHOUT_LISTS = STEPS.filter(lambda step: step[0] not in ("list", "unlist", "shuffle"))


class World:
    """Four computers and two sticks, and what was done by anybody."""

    merge, carry = staticmethod(lambda home, stick: len(merge(home, stick, LARGER).conflicts)), staticmethod(carry)

    def __init__(self):
        start = {number: Track(path, number % 3 or None, number) for number, path in enumerate(PATHS[:3])}
        lists = {} if getattr(self, "tables", "") else {1: ("night", [0, 1])}
        self.copies = [Library("home 0", copy.deepcopy(start), lists)]
        self.copies += [Library(name) for name in ("home 1", "home 2", "home 3", "stick 0", "stick 1")]
        self.kept = [None, None]
        self.plays = {one.path: one.plays for one in start.values()}
        self.added, self.added_on_sticks, self.removed = set(PATHS[:3]), set(), set()
        self.clock, self.conflicts, self.an_old_one_came = 0, 0, False
        self.cues = {}
        self.carry(self.copies[0], self.copies[4])

    def meet(self, home, stick):
        home, stick = self.copies[home], self.copies[4 + stick]
        self.conflicts += self.merge(home, stick)
        assert self.carry(home, stick), "all of the stick is known at home by now"

    def change(self, what, who, which, number):
        """Somebody does something to one copy."""
        one, path = self.copies[who], PATHS[which]
        ours = {track.path: key for key, track in one.tracks.items()}
        if what == "add":
            self.add(one, path, ours, who)
        elif path in ours:
            getattr(self, what)(one, path, ours[path], number)

    def add(self, one, path, ours, who):
        if path not in ours and one.tracks:
            one.tracks[max(one.tracks) + 1] = Track(path, None, 0)
            (self.added if who < 4 else self.added_on_sticks).add(path)
            self.plays.setdefault(path, 0)

    def play(self, one, path, key, _number):
        self.clock += 1
        one.tracks[key].plays += 1
        one.tracks[key].last = f"2026-{self.clock:04}"
        self.plays[path] += 1

    def rate(self, one, _path, key, number):
        one.tracks[key].rating = number

    def cue(self, one, path, key, _number):
        self.clock += 1
        one.tracks[key].cues = str([*eval(one.tracks[key].cues), self.clock])
        self.cues.setdefault(path, set()).add(self.clock)

    def remove(self, one, path, key, _number):
        del one.tracks[key]
        self.removed.add(path)
        for number in one.lists:
            name, members = one.lists[number]
            one.lists[number] = name, [each for each in members if each != key]

    def list(self, one, _path, key, number):
        names = {name: at for at, (name, _members) in one.lists.items()}
        at = names.get(f"list {number}", max(one.lists, default=0) + 1)
        name, members = one.lists.get(at, (f"list {number}", []))
        one.lists[at] = name, [*members, key]

    def unlist(self, one, _path, key, _number):
        for _name, members in one.lists.values():
            if key in members:
                members.remove(key)

    def shuffle(self, one, _path, _key, _number):
        for at, (name, members) in one.lists.items():
            one.lists[at] = name, members[::-1]

    def keep(self, stick):
        self.kept[stick] = copy.deepcopy(self.copies[4 + stick])

    def old_stick(self, stick):
        if self.kept[stick]:
            self.copies[4 + stick] = copy.deepcopy(self.kept[stick])
            self.an_old_one_came = True

    def take(self, what, *more):
        known = {"meet": self.meet, "keep": self.keep, "old stick": self.old_stick}
        known[what](*more) if what in known else self.change(what, *more)

    def everyone_meets(self):
        for home in range(4):
            for stick in range(2):
                self.meet(home, stick)


class FileWorld(World):
    """The same with databases of the player and playlists, each in a folder of its own."""

    def __init__(self, top, tables=""):
        self.top, self.tables = top, tables
        super().__init__()

    def merge(self, home, stick):
        return merge_files(self.top, home, stick, self.tables)

    def carry(self, home, stick):
        return carry_files(self.top, home, stick, self.tables)


class Laws(unittest.TestCase):
    @settings(max_examples=HISTORIES, deadline=None, suppress_health_check=list(HealthCheck))
    @given(st.lists(STEPS, max_size=40))
    def test_everyone_agrees_after_everyone_has_met_twice(self, steps):
        self.live(World(), steps)

    @settings(max_examples=OF_FILES, deadline=None, suppress_health_check=list(HealthCheck))
    @given(st.lists(STEPS, max_size=40))
    def test_the_same_with_databases(self, steps):
        with TemporaryDirectory() as top:
            self.live(FileWorld(top), steps)

    @settings(max_examples=OF_FILES, deadline=None, suppress_health_check=list(HealthCheck))
    @given(st.sampled_from(sorted(KEYLESS)), st.lists(WITHOUT_LISTS, max_size=40))
    def test_the_same_where_no_number_tells_tracks_apart(self, kind, steps):
        with TemporaryDirectory() as top:
            self.live(FileWorld(top, KEYLESS[kind]), steps)

    def live(self, world, steps):
        for step in steps:
            world.take(*step)
        world.everyone_meets()
        world.everyone_meets()
        told = world.conflicts
        world.everyone_meets()
        self.assertEqual(world.conflicts, told, "a conflict is told once")
        first = world.copies[0]
        for one in world.copies[1:]:
            self.assertEqual(one.told(), first.told())
            self.assertEqual(one.counted(), first.counted())
        tracks, lists = first.told()
        self.assertEqual((len(tracks), len(lists)), first.counted(), "nothing is doubled")
        self.assertLessEqual(world.added - world.removed, set(tracks), "nothing is gone that nobody removed")
        if not world.an_old_one_came:  # which loses what was done on the stick alone
            self.assertLessEqual(world.added_on_sticks - world.removed, set(tracks))
            for path in (world.added | world.added_on_sticks) - world.removed:
                self.assertEqual(tracks[path][1], world.plays[path], "every play is counted, and once")
                self.assertLessEqual(world.cues.get(path, set()), set(eval(tracks[path][3])))
