"""Following a drive that is mounted elsewhere than when the trip was drafted."""

from msgspec.structs import replace

from saltcart.drives import Drive
from saltcart.drives.drive import find_drive
from saltcart.drives.known import remembered
from saltcart.errors import show
from saltcart.spelling import Move, Moves
from saltcart.trips.trip import Trip
from saltcart.waybills.new_place import landing_drive


def follow_remounts(trip: Trip) -> None:
    """Let the new places of a trip that has not switched yet be where their drives are mounted now."""
    known = remembered()
    moves: list[Move] = []
    for shelf in trip.waybill.shelves:
        last = known.get(shelf.new_drive, {}).get("mount")
        if last and landing_drive(shelf.new).identity != shelf.new_drive and (now := find_drive(shelf.new_drive, last)):
            moves.append(Move(last, now.mount))
            trip.logbook.tell(remount_line(now, last))
    if not moves:
        return
    there = Moves(moves)
    trip.replan([replace(shelf, new=there.follow(shelf.new) or shelf.new) for shelf in trip.waybill.shelves])
    for one in trip.shelves:  # what an undo would remove
        one.relocate(lambda path: there.follow(path) or path)
    follow_shelves(trip)


def follow_shelves(trip: Trip) -> None:
    """Let the ledgers that travel have their places where the waybill's shelves go now."""
    follows = trip.waybill.moves()
    for row in trip.logbook.ledgers():
        row.place = follows.follow(row.path) or row.path
        trip.logbook.put_ledger(row)


def remount_line(drive: Drive, last: str) -> str:
    """The line of the history for a drive that is elsewhere now."""
    return f"the drive {show(drive.name)} was at {show(last)} and is now at {show(drive.mount)}; the trip follows it"
