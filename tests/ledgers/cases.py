"""What tests of ledgers have in common: a folder, a move, and a rewrite in two ways."""

import os
import tempfile
import unittest
from pathlib import Path

from saltcart.rewriting.routes import Routes
from saltcart.spelling import Move, Moves
from tests.world import cells

THERE = Moves([Move("/keel/S", "/lighter/New Place")])


def content(path):
    """What a rewrite must keep: bytes of a text, cells of a database."""
    data = Path(path).read_bytes()
    return cells(path) if data.startswith(b"SQLite") else data


def rewritten(ledger, moves, target, base="/lists"):
    """Rewrite `ledger` to `target` as shelves move, as if it lay in `base`; the texts asked for, by key."""
    routes = Routes(moves)
    one_by_one = {
        entry.key: text for entry in ledger.entries() if (text := routes.new_text(entry, base, base)) is not None
    }
    Path(target + "1").unlink(missing_ok=True)
    ledger.rewrite(target + "1", one_by_one)
    changes = routes.changes(ledger, base, base)
    ledger.rewrite(target, *changes)
    if content(target) != content(target + "1"):
        raise AssertionError(f"one by one {content(target + '1')}, by swaps {content(target)}")
    return one_by_one


class FolderCase(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = folder.name
        self.target = os.path.join(self.folder, "target")
