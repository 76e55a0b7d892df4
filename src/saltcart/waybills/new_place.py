"""Questions about the new place of a shelf: which drive, how much room, and links that lead out."""

from saltcart.drives import Drive
from saltcart.drives.drive import drive_at, landing_mount
from saltcart.drives.limits import APART, NAMES
from saltcart.errors import Refused, show
from saltcart.spelling import Moves
from saltcart.spelling.moves import tail_below
from saltcart.system import here, os
from saltcart.waybills.shelf import Shelf


def landing_drive(place: str) -> Drive:
    """The drive on which `place` is to be made; a signpost that is there says nothing about that."""
    return drive_at(landing_mount(place))


def sharing(shelf: Shelf, drive: Drive) -> str:
    """What the files of a shelf that stays on its drive share with their originals there, so that they take no room:
    APART for nothing.

    A second name is as good as a rename, and can be undone file by file; what is copied for
    good, while its original stays in use, gets none.
    """
    stays_in_use = shelf.original_stays and drive.sharing == NAMES
    return APART if shelf.old_drive != drive.identity or stays_in_use else drive.sharing


def refuse_lack_of_room(drive: Drive, need: int) -> None:
    """Raise Refused when `need` bytes, counted in the drive's allocation units, do not fit on it."""
    if need > drive.free_bytes:
        raise Refused(
            f"The drive {show(drive.name)} has {drive.free_bytes:,} bytes free, the trip needs {need:,}",
            f"Free {need - drive.free_bytes:,} bytes there, leave shelves out, or choose another drive.",
        )


def allocated(size: int, unit: int) -> int:
    """The bytes a file of `size` takes on a drive that gives room in units of `unit` bytes."""
    return -(-size // unit) * unit


def unit_of(mount: str) -> int:
    """The bytes in which the drive mounted at `mount` gives room."""
    return here.room(mount).unit


def leads_out(shelf: Shelf, path: str, target: str, moves: Moves) -> str | None:
    """The remark on a link of the shelf, at `path` in it, that will say `target` and leads out of all that moves; None
    for others.
    """
    place = os.path.normpath(os.path.join(os.path.dirname(shelf.place(path)), target))
    if any(tail_below(place, move.new) is not None for move in moves.moves):
        return None
    ending = "kept as it is" if os.path.isabs(target) else "kept as it is, so from the new place it leads elsewhere"
    return f"{show(shelf.name)}: the link {show(path)} leads out of the shelf to {show(target)}; {ending}"
