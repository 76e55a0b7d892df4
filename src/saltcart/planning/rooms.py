"""Whether the new drives have room for a load, what else is to be said of them, and how long it takes."""

from collections.abc import Sequence

from msgspec import Struct

from saltcart.cart import Cart
from saltcart.drives import Drive, drive_of
from saltcart.drives.fit import Reason, assumed_rate, state_reasons
from saltcart.drives.limits import ADVICE, APART, BLOCKS, HARD, NAMES
from saltcart.errors import Refused, show
from saltcart.planning.shelf_inspection import DraftedShelf
from saltcart.waybills.new_place import refuse_lack_of_room, sharing

ON_ITS_DRIVE = {
    NAMES: (
        "stays on its drive: its files are read and get a second name at the new place; nothing is copied, and no room"
        " is needed or gained"
    ),
    BLOCKS: "stays on its drive: the copies share their room with the originals; none is needed or gained",
    APART: "stays on its drive and is copied there: it takes its room twice until its originals are released",
}
COPIED = "is copied on the drive that it lies on; that is no backup, and takes its room again"


class Room(Struct, frozen=True):
    """Free bytes on one drive now, after the haul and after the release."""

    drive: Drive
    before: int
    hauled: int
    released: int


def seconds_for(one: DraftedShelf, drive: Drive, cart: Cart) -> float:
    """The seconds that a shelf should take: every byte is written and read back, or only read."""
    times = 1 if sharing(one.shelf, drive) == NAMES else 2
    return times * one.coming_bytes / assumed_rate(drive, cart)


def weigh(drive: Drive, drafted: Sequence[DraftedShelf], cart: Cart) -> list[str]:
    """What is to be said of a drive for this load.  Refused when something hard speaks against it."""
    mine = [one for one in drafted if one.shelf.new_drive == drive.identity]
    need = sum(one.coming_bytes for one in mine if not sharing(one.shelf, drive))
    refuse_lack_of_room(drive, need)
    reasons = [reason for reason in state_reasons(drive, cart) if reason.kind not in ("read-only", "not writable")]
    for reason in reasons:
        if reason.weight == HARD:
            raise Refused(
                f"The drive {show(drive.name)} is not for this: {reason.what}",
                "Choose another drive, or mend what cart.toml says of it.",
            )
    if drive.free_bytes - need < drive.total_bytes * cart.headroom_percent // 100:
        reasons.append(Reason(ADVICE, "headroom", f"less than {cart.headroom_percent} % of it would be left free"))
    staying = [
        f"{show(one.shelf.name)}: {COPIED if one.shelf.original_stays else ON_ITS_DRIVE[sharing(one.shelf, drive)]}"
        for one in mine
        if one.shelf.old_drive == drive.identity and one.shelf.in_folder
    ]
    return [f"{show(drive.name)}: {reason.what}" for reason in reasons] + staying


def rooms_of(drafted: Sequence[DraftedShelf], drives: dict[str, Drive]) -> list[Room]:
    """The room before and after on the drives the shelves come from and go to."""
    everything = dict(drives)
    for one in drafted:
        everything.setdefault(one.shelf.old_drive, drive_of(one.shelf.old))
    rooms = []
    for identity, drive in everything.items():
        moving = [one for one in drafted if not sharing(one.shelf, drives[one.shelf.new_drive])]
        coming = sum(one.coming_bytes for one in moving if one.shelf.new_drive == identity)
        going = sum(
            one.disk_bytes for one in moving if one.shelf.old_drive == identity and not one.shelf.original_stays
        )
        rooms.append(Room(drive, drive.free_bytes, drive.free_bytes - coming, drive.free_bytes - coming + going))
    return rooms
