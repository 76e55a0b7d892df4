"""What a carry would do, as data."""

from msgspec import Struct, field

from saltcart.planning.draft import Draft
from saltcart.planning.trial_rewrite import DraftedLedger
from saltcart.waybills.collection import Collection, Gone


class CarryPlan(Struct):
    """A draft of a carry to the folder `top`, and what it leaves."""

    draft: Draft
    top: str
    leftovers: dict[str, int] = field(default_factory=dict)  # sounds that no ledger lists, and their sizes
    litter: dict[str, int] = field(default_factory=dict)  # the same of litter
    gone: list[Gone] = field(default_factory=list)  # what an earlier carry brought and is gone here
    before: Collection | None = None  # what an earlier carry made there
    chosen: bool = False  # the files were chosen by a list or by ratings
    offline: dict[str, str] = field(default_factory=dict)  # places there whose originals are on a drive that is away
    apart: dict[str, int] = field(default_factory=dict)  # folders of which ledgers refer to much that does not travel
    libraries: list[str] = field(default_factory=list)  # ledgers that stay, because most of what they list stays
    cut: dict[str, int] = field(default_factory=dict)  # playlists, with how many of their lines do not travel
    unread: list[str] = field(default_factory=list)  # files that travel and refer to sounds in a way nobody can rewrite
    strange: list[str] = field(default_factory=list)  # sounds in the collection that somebody else brought

    @property
    def full(self) -> list[DraftedLedger]:
        """Ledgers that can only be carried as they are."""
        return [one for one in self.draft.ledgers if not one.line.rewrite]
