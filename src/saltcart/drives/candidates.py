"""The drives to choose from: all that are connected, and the known ones that are not."""

from collections.abc import Iterable

from saltcart.cart import Cart
from saltcart.drives.drive import MARKER, Drive, drive_at, drive_of, mount_of, mounts
from saltcart.drives.known import remembered
from saltcart.errors import SaltCartError
from saltcart.shelves.mountinfo import is_top
from saltcart.system import os

IN_MEMORY = ("tmpfs", "ramfs")
LEAST_ROOM = 1_000_000_000  # bytes of a drive that a person would put sounds on


def for_sounds(drive: Drive) -> bool:
    """Whether a person would put sounds on a drive: it is no part of the system, and this user may write on it."""
    if drive.simulated:
        return not drive.read_only
    roomy = drive.total_bytes >= LEAST_ROOM and drive.filesystem not in IN_MEMORY
    at_home = drive.mount == mount_of(os.path.expanduser("~"))
    return roomy and not drive.read_only and (at_home or os.access(drive.mount, os.W_OK))


def candidates(places: Iterable[str], cart: Cart) -> list[Drive]:
    """The drives that hold `places`; without places, all that are mounted, seen or declared, the roomiest first."""
    tops = [drive_of(os.path.expanduser(place)).mount for place in places]
    if not tops:
        tops = mounts()
        tops += [fact["mount"] for fact in remembered().values()]
        tops += [drive.mount for drive in cart.drives if drive.mount]
    found: dict[str, Drive] = {}
    for top in dict.fromkeys(map(os.path.realpath, tops)):
        if os.path.isdir(top) and (is_top(top) or os.path.isfile(os.path.join(top, MARKER))):
            try:
                drive = drive_at(top)
            except SaltCartError:
                continue  # a broken marker of a drive nobody asked about
            found.setdefault(drive.identity, drive)
    return sorted(found.values(), key=lambda drive: -drive.free_bytes)


def away(present: Iterable[Drive], cart: Cart) -> list[tuple[str, str]]:
    """Identity and name of the drives that are declared, or were seen on a trip, and are not connected."""
    here = {drive.identity for drive in present}
    known = {identity: fact["name"] for identity, fact in remembered().items()} | {
        drive.identity: drive.name for drive in cart.drives
    }
    return [(identity, name) for identity, name in known.items() if identity not in here]
