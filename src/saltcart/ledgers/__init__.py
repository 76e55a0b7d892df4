"""Reading and rewriting files that refer to sounds: one module per format, one table of them (`kinds`)."""

from saltcart.ledgers.base import Batch, Entry, Ledger
from saltcart.ledgers.facts import Facts
from saltcart.ledgers.kinds import open_ledger, recognised
from saltcart.ledgers.maps import Map, load_map

__all__ = ["Batch", "Entry", "Facts", "Ledger", "Map", "load_map", "open_ledger", "recognised"]
