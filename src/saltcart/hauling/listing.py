"""What a trip will copy: its files and its ledgers, listed in the logbook."""

from saltcart.drives.drive import keeps_change_times
from saltcart.errors import Refused, counted, show
from saltcart.hauling.altered import altered_since
from saltcart.hauling.haul_report import HaulReport
from saltcart.ledgers.kinds import open_ledger
from saltcart.looking.scan import look_for_ledger
from saltcart.planning.destination import refuse_mounts
from saltcart.planning.shelf_inspection import may_be_ledger
from saltcart.shelves.marks import mark_of
from saltcart.shelves.true_names import true_path
from saltcart.shelves.walk import FILE, OTHER
from saltcart.system import os
from saltcart.trips.facts import archive_fact
from saltcart.trips.records import LISTED, VERIFIED, LedgerRow
from saltcart.trips.stock import Stock
from saltcart.trips.trip import Trip
from saltcart.trips.trip_shelf import TripShelf
from saltcart.waybills import snapshots as drafts
from saltcart.waybills.shelf import Shelf

MOST_TOLD = 5  # of things that have vanished, each in a remark


def list_shelf(trip: Trip, one: TripShelf, report: HaulReport) -> None:
    """Record what lies in the shelf today, and remark on what differs from before."""
    shelf, log = one.shelf, trip.logbook
    if not shelf.is_there():
        raise Refused(
            f"The shelf {show(shelf.old)} is not there", "Check the path in the waybill, or plug its drive in."
        )
    refuse_replaced(shelf)
    refuse_mounts(shelf)
    if shelf.packed:
        state = os.stat(shelf.old)
        trip.logbook.put_values({archive_fact(shelf.old): [state.st_size, state.st_mtime_ns, *mark_of(state)]})
    unread: list[str] = []
    stock = Stock(one, shelf.walk(lambda path, error: unread.append(f"{show(path)}: {error.strerror}")))
    if unread:
        raise Refused(
            f"Parts of the shelf {show(shelf.old)} cannot be read", "Mend their permissions and try again.", unread[:20]
        )
    fresh = one.totals() == (0, 0)
    before = stock.since(drafts.seen(trip.waybill.draft, shelf.source)) if fresh else stock.differences()
    # An empty shelf is more often the folder that a drive left at its mount point than a person's wish.
    if before["vanished"] and not stock.files():
        raise Refused(
            f"The shelf {show(shelf.old)} is empty now;"
            f" {counted(len(before['vanished']), 'file or folder was', 'files or folders were')} seen there before",
            "Look where they went; if its drive is not connected, plug it in.",
        )
    # Some programs give a file its old time back when they write tags; its change time tells.
    if not fresh and not shelf.packed and keeps_change_times(shelf.stays_at):
        edited = altered_since(trip, stock, shelf.old).paths
        one.mark([(path, LISTED, log.digest(one.number, path), None, False) for path in edited])
    stock.adopt()
    for path in before["vanished"]:
        log.tell(f"vanished from {shelf.name}: {path}")
    gone = sorted(before["vanished"])
    report.remarks += [f"{show(shelf.name)}: {show(path)} is no longer in the shelf" for path in gone[:MOST_TOLD]]
    if more := gone[MOST_TOLD:]:
        report.remarks.append(f"{show(shelf.name)}: nor are {len(more):,} more (saltcart trips {trip.name} has them)")
    if before["new"]:
        report.remarks.append(
            f"{show(shelf.name)}: {len(before['new']):,} new since {'the draft' if fresh else 'the last haul'}, taken"
            " along"
        )
    for row in one.rows(kind=OTHER):
        report.remarks.append(
            f"{show(shelf.name)}: {show(row.item.path)} is a pipe, socket or device; it is not copied"
        )
        one.mark([(row.item.path, VERIFIED, None, "not copied", True)])


def refuse_replaced(shelf: Shelf) -> None:
    """Raise Refused when the shelf, or a folder above it, has become a link since the draft."""
    if true_path(shelf.old) != shelf.old:
        raise Refused(
            f"{show(shelf.old)} now leads through a link to {show(os.path.realpath(shelf.old))}",
            "Put the folder back, or draft anew; the waybill must contain the folder itself.",
        )


def record_ledgers(trip: Trip) -> None:
    """Put the waybill's ledgers into the logbook, each once."""
    if trip.logbook.ledgers():
        return
    moves = trip.waybill.moves()
    with trip.logbook.together():
        for number, line in enumerate(trip.waybill.ledgers):
            place = line.over or moves.follow(line.path) or line.path
            trip.logbook.put_ledger(
                LedgerRow(number, line.path, place, line.map_name, line.rewrite, line.digest, None, None, 0)
            )


def record_unpacked_ledgers(trip: Trip) -> None:
    """Put the ledgers that came out of archives into the logbook, to be made true for where things lie, and checked."""
    found: dict[str, None] = {}
    for one in trip.shelves:
        for row in one.rows(VERIFIED, kind=FILE) if one.shelf.packed else ():
            if may_be_ledger(row.item.path):
                look_for_ledger(one.place(row), trip.maps(), found, [])
    known = trip.logbook.ledgers()
    with trip.logbook.together():
        for place in [place for place in found if all(row.place != place for row in known)]:
            name = open_ledger(place, trip.maps()).map_name
            trip.logbook.put_ledger(
                LedgerRow(len(trip.logbook.ledgers()), place, place, name, True, None, None, None, 0)
            )
