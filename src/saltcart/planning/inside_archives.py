"""What archives hold that names what parts from it when they are split: found and tried before anything is unpacked.

Small files that may be ledgers are laid out in a temporary folder, with an empty file in place of each sound: that is
all it takes to see whether what they name is found, and whether it will be.
"""

import tempfile
from collections.abc import Sequence

from msgspec.structs import replace

from saltcart.drives import drive_of
from saltcart.ledgers.maps import Map
from saltcart.mentions.file_types import ENOUGH, holds_no_references
from saltcart.mentions.standings import UNREAD
from saltcart.planning.account import Accounted
from saltcart.planning.accountant import Accountant
from saltcart.planning.request import Request
from saltcart.planning.shelf_inspection import ShelfInspector, may_be_ledger
from saltcart.planning.trial_rewrite import DraftedLedger, Trial, gather_ledgers
from saltcart.progress import Progress
from saltcart.shelves.archive import Reader, contents
from saltcart.system import os
from saltcart.waybills.shelf import Folder, Shelf
from saltcart.waybills.waybill import Waybill

LARGEST = 16 << 20  # bytes of a file that is laid out
MOST = 256 << 20  # bytes of all of them


def inside(
    request: Request, shelves: Sequence[Shelf], maps: list[Map], progress: Progress
) -> tuple[list[DraftedLedger], list[Accounted]]:
    """The ledgers in archives of which a part goes elsewhere, as they would be rewritten, and all files in them that
    name what parts from them; maps that were learnt for them are added to `maps`.
    """
    ledgers: list[DraftedLedger] = []
    files: list[Accounted] = []
    for small in (shelf for shelf in shelves if shelf.only):
        with tempfile.TemporaryDirectory(prefix="saltcart-") as folder:
            top = os.path.join(os.path.realpath(folder), small.name)
            unseen = lay_out(small.old, top)
            some, named = tried(request, small, top, maps, progress)
        ledgers += some
        named += [Accounted(f"{top}/{place}", UNREAD, 1, 1, why="is too large to be looked into") for place in unseen]
        files += [
            replace(one, path=f"{small.old}, {os.path.relpath(one.path, top)}", archive=small.old) for one in named
        ]
    return ledgers, files


def tried(
    request: Request, small: Shelf, top: str, maps: list[Map], progress: Progress
) -> tuple[list[DraftedLedger], list[Accounted]]:
    """What is laid out at `top`, as if the small part of it moved out of it."""
    drive = drive_of(top).identity
    shelf = Folder(small.name, top, f"{top}-small", drive, drive, stay=small.stay, only=small.only)
    means = request.cart.meanings(request.means)
    waybill = Waybill([shelf], maps=[plan.path for plan in maps], means=means, left_unread=[])
    asked = replace(request, shelves=[top], to=[f"{top}-small"], ledgers=(), front=(), search=(), elsewhere=False)
    inspector = ShelfInspector(waybill, maps, (), progress)
    drafted = [inspector.inspect(shelf)]
    trial = Trial(asked, waybill, inspector, drafted)
    inspector.found |= inspector.staying  # whichever part a file goes with, it is looked at
    ledgers, _searched = gather_ledgers(asked, trial, inspector, progress)
    files = Accountant(asked, waybill, drafted, trial, maps, progress).across(ledgers)
    return ledgers, [one for one in files if one.uncovered]


def lay_out(archive: str, top: str) -> list[str]:
    """Write what may be ledgers in an archive to the new folder `top`, and an empty file for each other thing.  What
    may be a ledger and is too large for that is returned.
    """
    found = contents(archive).members
    for place in found:
        path = os.path.join(top, place)
        os.makedirs(os.path.dirname(path), exist_ok=True)
        open(path, "wb").close()
    unseen: list[str] = []
    room = MOST
    for place, stream in Reader(archive).read(filter(may_be_ledger, found)):
        size = found[place].size
        head = stream.read(ENOUGH)
        if holds_no_references(head, size):
            continue
        if size > min(LARGEST, room):
            unseen.append(place)
            continue
        room -= size
        with open(os.path.join(top, place), "wb") as target:
            target.write(head + stream.read(LARGEST))
    return unseen
