"""What a carry would do, as data."""

from msgspec import Struct, field

from saltcart.planning.draft import Draft
from saltcart.planning.trial_rewrite import DraftedLedger
from saltcart.waybills.collection import Collection, Gone


class CarryPlan(Struct):
    """What a carry would do.  `leftovers` and `litter` stay at home, by their sizes; `gone` files of an earlier carry
    are no longer at home; `before` is the collection as that left it.  Of what ledgers name, a part was `chosen`.
    `offline` is what stays in the collection as it is, since the drive of its original is away: the place of each file,
    shelf or ledger there, and its path at home.  When just a part was meant, files `apart` from it stay, with their
    sizes, and `libraries` that name much else; of playlists so many lines are `cut`.  What is named in `unread` files
    that travel could not be written for other places.  Sounds at the places `strange` there came from others, and are
    not known here.
    """

    draft: Draft
    top: str
    leftovers: dict[str, int] = field(default_factory=dict)
    litter: dict[str, int] = field(default_factory=dict)
    gone: list[Gone] = field(default_factory=list)
    before: Collection | None = None
    chosen: bool = False
    offline: dict[str, str] = field(default_factory=dict)
    apart: dict[str, int] = field(default_factory=dict)
    libraries: list[str] = field(default_factory=list)
    cut: dict[str, int] = field(default_factory=dict)
    unread: list[str] = field(default_factory=list)
    strange: list[str] = field(default_factory=list)

    @property
    def full(self) -> list[DraftedLedger]:
        """Ledgers that can only be carried as they are."""
        return [one for one in self.draft.ledgers if not one.line.rewrite]
