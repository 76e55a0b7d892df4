"""A ledger that nobody can read row by row: one row, which holds all of it."""

from collections.abc import Mapping

from saltcart.errors import show
from saltcart.ledgers.base import Ledger
from saltcart.merging.forms import REMEDY, CannotMerge, Places
from saltcart.merging.history import Uid
from saltcart.merging.merged import Merged
from saltcart.merging.rows import Content, Row, Spot
from saltcart.safefile import digest_of

TABLE, COLUMN = "whole", "content"


class WholeForm:
    """A ledger as one row, of which one copy or the other holds."""

    def read(self, ledger: Ledger, places: Places) -> Content:
        """See Form.read."""
        return Content([Row(TABLE, ("",), {"name": "", COLUMN: digest_of(ledger.path)})], {}, {TABLE: ("name",)})

    def write(self, ledger: Ledger, target: str, merged: Merged, ours: Mapping[Uid, Row]) -> dict[Spot, Uid]:
        """See Form.write: it cannot."""
        raise CannotMerge(f"{show(ledger.path)} cannot be read row by row", REMEDY)
