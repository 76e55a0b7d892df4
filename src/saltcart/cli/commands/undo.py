"""The command `saltcart undo`: take a trip back."""

import argparse
import sys

from saltcart.cart import load
from saltcart.cli.account import refuse_open, show_advice
from saltcart.cli.arguments import add_cart, add_list, add_pace, add_trip, add_wait, add_yes, need_answer, trip_name
from saltcart.cli.commands.draft import show_draft
from saltcart.cli.commands.move import carry_out, switch_and_prove
from saltcart.cli.documents import draft_document, trip_document
from saltcart.cli.screen import Screen, many, place, size
from saltcart.errors import Refused, show, typed
from saltcart.hauling.haul_report import HaulReport
from saltcart.planning.destination import half_switched
from saltcart.planning.way_back import way_back
from saltcart.switching.undo import undo
from saltcart.system import os
from saltcart.trips.summary import TripSummary, summary
from saltcart.trips.trip import HAULED, HAULING, RELEASED, SWITCHED, SWITCHING, UNDOING, UNDONE
from saltcart.waybills import waybill_text
from saltcart.waybills.shelf import Shelf


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The trip, and what becomes of its copies."""
    add_trip(parser)
    parser.add_argument("--drop-copies", action="store_true", help="remove the copies from the new drive too")
    parser.add_argument(
        "--without-new",
        action="store_true",
        help="continue although the new drive is not connected, and give up what programs wrote there since the move",
    )
    parser.add_argument(
        "--plan",
        metavar="FILE",
        help="for a released trip: write the plan of the way back to this file, and move nothing yet",
    )
    parser.add_argument(
        "--signpost", action="store_true", help="for a released trip: leave a link to the sounds where they were"
    )
    add_list(
        parser,
        "--ignore",
        "FILE",
        "for a released trip: do not stop because of these files, even if they still point to where the sounds were",
    )
    add_pace(parser)
    add_wait(parser)
    add_cart(parser)
    add_yes(parser)


def run(options: argparse.Namespace) -> int:
    """Take the trip back."""
    screen = Screen(options)
    states = (SWITCHED, SWITCHING, UNDOING, HAULED, HAULING)
    name = trip_name(options, *states, began=UNDOING, dropping=options.drop_copies, otherwise=RELEASED)
    before = summary(name)
    if before.state == RELEASED:
        return bring_back(screen, name, options)
    if not options.trip and before.state in (UNDOING, UNDONE):
        screen.say(f"Trip {name} was interrupted; it is finished first.")
    if not screen.agrees(question(before, options.drop_copies), options):
        raise need_answer(options, "changed")
    with screen.watch() as watch:
        report = undo(name, options.drop_copies, options.wait, options.without_new, watch)
    done = summary(name)
    screen.say(f"Trip {name} is undone. {what_changed(done, report.changed)}")
    for one in (one for one in done.shelves if not one.shelf.along):
        screen.say(f"  {show(one.shelf.name)}: {originals(one.shelf)} at {place(one.shelf.old)}")
        if not options.drop_copies:
            screen.say(
                f"  the copies stay at {place(one.shelf.new)}; remove them with: saltcart undo {name} --drop-copies"
            )
    if options.drop_copies:
        screen.say(
            f"{many(report.dropped_files, 'copy', 'copies')} removed, {size(report.dropped_bytes)} freed on the new"
            " drive."
        )
    for remark in report.remarks:
        screen.remark(remark)
    screen.document({**trip_document(done), "changed_entries": report.changed, "dropped_files": report.dropped_files,
                     "dropped_bytes": report.dropped_bytes, "remarks": report.remarks})  # fmt: skip
    return 1 if report.undropped else 0


def what_changed(done: TripSummary, changed: int) -> str:
    """What became of the entries, in a sentence."""
    if done.collection:
        return "It had changed nothing on this computer."
    if not changed:
        return "Everything is as it was before."
    entries = many(changed, "entry", "entries")
    if not done.shelves:
        return f"{entries} {'is as it was' if changed == 1 else 'are as they were'} before it."
    return f"{entries} {'points' if changed == 1 else 'point'} to the old place again."


def question(trip: TripSummary, dropping: bool) -> str:
    """What is asked before anything is changed."""
    copies = " The copies are removed from the new drive." if dropping else " The copies stay on the new drive."
    if trip.state == UNDONE:
        return f"Trip {trip.trip} is undone. Remove its copies from the new drive?"
    if not trip.shelves:
        return f"Undo trip {trip.trip}? Ledgers will be as they were before it."
    if trip.collection:
        return f"Undo trip {trip.trip}? Nothing on this computer changes.{copies}"
    return f"Undo trip {trip.trip}? Ledgers point to the old place again, and the originals return.{copies}"


def originals(shelf: Shelf) -> str:
    """What a shelf came from, as the subject of a sentence."""
    return "the archive is" if shelf.packed else "the originals are"


def bring_back(screen: Screen, name: str, options: argparse.Namespace) -> int:
    """Of a trip whose originals are gone, make one in the other direction: shown, asked about, and done as any move."""
    path = os.path.abspath(os.path.expanduser(options.plan)) if options.plan else ""
    if path and os.path.exists(path):
        raise Refused(f"There is a file at {place(path)} already", "Choose another name with --plan, or remove it.")
    moved = [one.shelf for one in summary(name).shelves if not one.shelf.along]
    places = [os.path.dirname(shelf.old) for shelf in moved]
    if not path and (begun := half_switched([shelf.new for shelf in moved], places)):
        screen.say(f"Trip {begun} was interrupted while it brought this back. It continues.")
        return switch_and_prove(screen, begun, HaulReport(), options)
    with screen.watch() as watch:
        plan = way_back(name, load(options.cart), watch, options.signpost, options.ignore)
    screen.say(f"Trip {name} is released, so its originals are gone. The copies can travel back to the old place.")
    screen.say()
    show_draft(screen, plan, options.limit)
    if path:
        waybill_text.write(plan.waybill, path)
        screen.say(f"Nothing has moved yet. Plan written: {place(path)}. Next: saltcart haul {typed(path)}")
        screen.document(draft_document(plan, path))
        return 0
    if options.yes or not sys.stdin.isatty():
        refuse_open(plan)
    show_advice(screen, plan)
    question = "Copy everything back, verify it, and let the ledgers point to the old place again?"
    if not screen.agrees(f"{question} What is at the new place is set aside, not removed.", options):
        raise need_answer(options, "moved")
    return carry_out(screen, plan, options)
