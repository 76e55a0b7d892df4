"""saltcart undo"""

import argparse

from saltcart.cli.arguments import add_trip, add_yes, need_answer, trip_name
from saltcart.cli.documents import trip_document
from saltcart.cli.screen import Screen, place, size
from saltcart.errors import show
from saltcart.trips.account import account
from saltcart.trips.trip import HAULED, HAULING, SWITCHED, SWITCHING, UNDOING
from saltcart.trips.undo import undo


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The trip, and what becomes of its copies."""
    add_trip(parser)
    parser.add_argument("--drop-copies", action="store_true", help="remove the copies from the new drive too")
    add_yes(parser)


def run(options: argparse.Namespace) -> int:
    """Take the trip back."""
    screen = Screen(options)
    name = trip_name(options, SWITCHED, SWITCHING, UNDOING, HAULED, HAULING)
    if not screen.agrees(f"Take trip {name} back: ledgers name the old place again, the originals return?", options):
        raise need_answer(options, "changed")
    with screen.watch() as watch:
        report = undo(name, options.drop_copies, watch)
    done = account(name)
    screen.say(f"Trip {name} is taken back: {report.changed} entries name the old place again.")
    for one in done.shelves:
        screen.say(f"  {show(one.shelf.name)}: the originals are at {place(one.shelf.old)}")
        if not options.drop_copies:
            screen.say(f"  the copies stay at {place(one.shelf.new)}; remove them with: saltcart undo {name} --drop-copies")
    if options.drop_copies:
        screen.say(f"{report.dropped_files} copies removed, {size(report.dropped_bytes)} freed on the new drive.")
    for remark in report.remarks:
        screen.remark(remark)
    screen.document({**trip_document(done), "changed_entries": report.changed, "dropped_files": report.dropped_files,
                     "dropped_bytes": report.dropped_bytes, "remarks": report.remarks})  # fmt: skip
    return 0
