"""The command `saltcart repoint`: rewrite the ledgers and set the originals aside."""

import argparse

from saltcart.cli.arguments import add_trip, add_wait, add_yes, need_answer, trip_name
from saltcart.cli.documents import trip_document
from saltcart.cli.screen import Screen, many, place
from saltcart.switching.repoint import RepointReport, repoint
from saltcart.trips.summary import summary
from saltcart.trips.trip import HAULED, SWITCHING


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The trip."""
    add_trip(parser)
    parser.add_argument(
        "--reread", action="store_true", help="take ledgers as they are now, though they changed since the draft"
    )
    add_wait(parser)
    add_yes(parser)


def run(options: argparse.Namespace) -> int:
    """Switch the ledgers and set the originals aside."""
    screen = Screen(options)
    name = trip_name(options, HAULED, SWITCHING, began=SWITCHING)
    if not screen.agrees(f"Rewrite the ledgers of trip {name} and set its originals aside?", options):
        raise need_answer(options, "changed")
    with screen.watch() as watch:
        report = repoint(name, options.reread, options.wait, watch)
    if report.already:
        screen.say(f"Trip {name} was repointed before; nothing was left to do.")
    else:
        show_repoint(screen, report)
    for folder in report.aside:
        screen.say(f"Originals set aside, nothing removed: {place(folder)}")
    screen.say(f"Next: saltcart check {name}   To undo it: saltcart undo {name}")
    screen.document(
        {
            **trip_document(summary(name)),
            "changed_entries": report.changed,
            "set_aside": report.aside,
            "turned_links": report.turned,
            "already_done": report.already,
        }
    )
    return 0


def show_repoint(screen: Screen, report: RepointReport) -> None:
    """What was switched."""
    screen.say(
        f"{many(report.changed, 'entry', 'entries')} rewritten; in each ledger nothing else differs (compared before it"
        " took its place)."
    )
    show_turned(screen, report)


def show_turned(screen: Screen, report: RepointReport) -> None:
    """The links that were turned."""
    if report.turned:
        screen.say(
            f"Turned to the new place, with entries that go through {'it' if len(report.turned) == 1 else 'them'} as"
            f" they were: {', '.join(map(place, report.turned))}"
        )
