"""The options of a draft as data."""

from collections.abc import Mapping, Sequence

from msgspec import Struct, field

from saltcart.cart import Cart
from saltcart.shelves.digests import BLAKE3
from saltcart.spelling.renames import Pairs


class Request(Struct, frozen=True, kw_only=True):
    """What a person asks for; paths as they were typed.  The page `manual` says what each option does."""

    # what moves, and where to
    shelves: Sequence[str]  # folders, single files or archives
    to: Sequence[str]  # one folder for all shelves, or one for each
    leave_out: Sequence[str] = ()  # patterns of what stays
    only: Sequence[str] = ()  # patterns of what alone moves
    from_list: Sequence[str] = ()  # playlists whose files move
    rated: float | None = None  # of the files that `ledgers` list, those that are rated at least so high move
    played_since: str = ""  # and those that were played since that day
    with_programs: bool = False  # programs and plug-ins in shelves move too
    arrange: str = ""  # the pattern that gives each sound its place
    names: Mapping[str, Pairs] = field(default_factory=dict)  # by folder, new names for what is in it

    # links, copies, files from elsewhere
    signpost: bool = False  # leave a link at each old place
    turn_links: bool = False  # links that entries go through lead to the new place; those entries stay
    copy: bool = False  # the originals stay in use; ledgers refer to the copies
    gather: bool = False  # also copy files from elsewhere that ledgers which move refer to
    set_aside_gathered: bool = False  # and set those originals aside

    # ledgers
    ledgers: Sequence[str] = ()  # without these, those that refer to the shelves are searched for
    elsewhere: bool = True  # whether ledgers that are not given and do not move are looked at
    maps: Sequence[str] = ()
    means: Sequence[str] = ()  # `D:=/media/lighter`: paths of other systems
    cart: Cart = field(default_factory=Cart)
    front: Sequence[str] = ()  # ledgers whose lists get the new folder before the old one
    keep_entries: bool = False  # ledgers still refer to the old place, through the signpost
    trust_map: bool = False  # rewrite binary files too of which only lengths are known
    new_things: str | None = None  # the folder where programs put what is bought or recorded next
    right_level: bool = False  # correct folders that are a level too high or too low
    turn_folders: bool = False  # a ledger that can hold one folder gets the new one when part of that folder moves
    like: str = ""  # the path style of the new entries (see LedgerLine); an entry that cannot have it stays

    # the search
    searches: bool = True
    search: Sequence[str] = ()  # more places
    not_searched: Sequence[str] = ()
    leave_unread: Sequence[str] = ()  # files that may still refer to the old places

    # archives
    packed: bool = False  # move them as they are
    small_to: Sequence[str] = ()  # a folder, and patterns of what is unpacked into it
    signpost_at: str | None = None  # the folder in which a link to what was unpacked is left

    # how copies are made and compared
    digests: str = BLAKE3
    collection: str = ""  # the folder of the collection that this makes or updates
    kept: Sequence[tuple[str, str]] = ()  # pairs of a path whose drive is away, and its copy, to which entries point
