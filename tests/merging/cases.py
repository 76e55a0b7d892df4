"""A ledger here and a copy of it elsewhere."""

import os
import shutil
import sqlite3
import unittest
from contextlib import closing
from tempfile import TemporaryDirectory

from saltcart.judging.resolver import Resolver
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.merging import copies
from saltcart.merging.forms import Places
from saltcart.merging.history import History, look_at
from saltcart.standins import player
from tests.world import PLAYER_MAP

MAPS = [load_map(str(PLAYER_MAP.with_name(f"{name}.toml"))) for name in ("player", "decks")]


class Apart(unittest.TestCase):
    """One ledger here and a copy of it there; each is changed, then what happened there comes here."""

    maps = MAPS

    def setUp(self):
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.top = folder.name

    def start(self, name, make):
        """Make a ledger here, and its copy there with the same history."""
        self.here, self.there = f"{self.top}/{name}", f"{self.top}/there {name}"
        if os.path.exists(self.here):
            os.remove(self.here)
        make(self.here)
        shutil.copy(self.here, self.there)
        places = Places(self.top, Resolver(), str)
        ledger = open_ledger(self.here, self.maps)
        _form, content = copies.read(ledger, copies.form_of(ledger, self.maps), places)
        self.history = look_at(History(), content, "here").history

    def meeting(self):
        places = Places(self.top, Resolver(), str)
        ledgers = open_ledger(self.here, self.maps), open_ledger(self.there, self.maps)
        return (
            copies.meet(ledgers, self.maps, (places, places), (self.history, self.history), ("here", "there")),
            ledgers,
            places,
        )

    def together(self):
        """Write here what both became; what was merged."""
        merged, history, form = self.written("here")
        _form, content = copies.read(open_ledger(self.here, self.maps), form, Places(self.top, Resolver(), str))
        self.assertEqual(look_at(history, content, "here").history, history, "nothing is left to be seen")
        return merged

    def written(self, holds):
        """Write here what both became, where both changed one cell that of one side."""
        meeting, (here, there), places = self.meeting()
        target = f"{self.top}/both"
        shutil.copy(self.here, target)
        merged, history = copies.write(meeting, here, there, target, places, holds)
        shutil.move(target, self.here)
        return merged, history, meeting.form

    def sql(self, path, *statements):
        with closing(sqlite3.connect(path)) as database, database:
            for one in statements:
                database.executescript(one)

    def rows(self, query):
        with closing(sqlite3.connect(self.here)) as database:
            return database.execute(query).fetchall()

    def library(self, path):
        player.create(path)
        player.add_tracks(path, [(f"/s/{name}.wav", name, "x", 1.0, 3, 5, None) for name in "abc"])
        player.add_list(path, "night", [1, 2, 3])
