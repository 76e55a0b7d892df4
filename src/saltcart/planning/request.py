"""The options of a draft as data."""

from collections.abc import Mapping, Sequence

from msgspec import Struct, field

from saltcart.cart import Cart
from saltcart.shelves.digests import BLAKE3
from saltcart.spelling.renames import Pairs


class Request(Struct, frozen=True, kw_only=True):
    """What a person asks for.

    `to` is one folder for all shelves, or one for each.  Without `ledgers`, those that lean on
    the shelves are looked for.  `leave_out` and `only` are patterns of what stays and what alone
    travels.  `keep_entries` leaves ledgers naming the old place, through the signpost.
    `means` declares drives of other systems.  The ledgers in `front` get new content folders in
    front of the old ones.  `digests` is the kind that copies are compared by.  With `turn_links`
    links that entries go through are turned to the new places, and those entries stay.
    Unless it is told not to, a draft `searches` for whatever names the shelves, also in the places `search`, but in
    none of those `not_searched`; the files `leave_unread` may go on naming the old places.  What the lists in
    `from_list` name moves too, to where shelves do.
    With `gather` files elsewhere that ledgers which travel name come along; with `set_aside_gathered` theirs are set
    aside like other originals.  Programs in shelves stay, unless they come `with_programs`.  With `copy` the originals
    stay in use, and ledgers name the copies.  Programs will put what comes next into the folder `new_things`; with
    `right_level` folders that are a level too high or too low for what starts from them are turned.  Archives among the
    shelves are unpacked, unless they shall stay `packed`; with `small_to`, a folder and patterns, what these match goes
    into that folder; and a link to the new place is left in the folder `signpost_at`.  With `turn_folders` a ledger
    that can hold one folder alone, of which a part moves, names the new one.  With `like` what the ledgers name of the
    shelves gets the manner of that text (see LedgerLine); what cannot have it stays as it is.
    What travels makes a `collection` in the folder of that path, or brings it up to date.
    As what a list names, so what the `ledgers` rate at least so high, or say was played since that day, moves.
    Each sound gets a place by the pattern `arrange`, as far as enough is known of it; `names` are those that things in
    the folders of these paths get anew.
    With `trust_map` maps learnt for binary files of which nothing is known but lengths are used too.
    Unless `elsewhere`, ledgers that are not named and do not travel are left alone.  Entries for the first of each pair
    in `kept` point to the second, where a copy is kept while the drive of the original is away.
    """

    shelves: Sequence[str]
    to: Sequence[str]
    ledgers: Sequence[str] = ()
    maps: Sequence[str] = ()
    signpost: bool = False
    leave_out: Sequence[str] = ()
    only: Sequence[str] = ()
    keep_entries: bool = False
    means: Sequence[str] = ()
    cart: Cart = field(default_factory=Cart)
    front: Sequence[str] = ()
    digests: str = BLAKE3
    turn_links: bool = False
    searches: bool = True
    search: Sequence[str] = ()
    leave_unread: Sequence[str] = ()
    from_list: Sequence[str] = ()
    copy: bool = False
    gather: bool = False
    set_aside_gathered: bool = False
    with_programs: bool = False
    new_things: str | None = None
    right_level: bool = False
    packed: bool = False
    small_to: Sequence[str] = ()
    signpost_at: str | None = None
    turn_folders: bool = False
    like: str = ""
    collection: str = ""
    rated: float | None = None
    played_since: str = ""
    elsewhere: bool = True
    arrange: str = ""
    names: Mapping[str, Pairs] = field(default_factory=dict)
    kept: Sequence[tuple[str, str]] = ()
    not_searched: Sequence[str] = ()
    trust_map: bool = False
