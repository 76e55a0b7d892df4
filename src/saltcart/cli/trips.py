"""The command `saltcart trips`: show the history of all trips, or the log of one."""

import argparse
import os

from saltcart.cli.arguments import add_yes, need_answer
from saltcart.cli.documents import trip_document
from saltcart.cli.screen import Screen, many, place, size
from saltcart.errors import UsageError, show
from saltcart.shelves.walk import walk
from saltcart.trips.summary import TripSummary, history, summary
from saltcart.trips.trip import damaged, forget, next_step, opened


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """One trip, or all."""
    parser.add_argument("trip", nargs="?", metavar="TRIP", help="show the log of this trip")
    parser.add_argument(
        "--forget",
        action="store_true",
        help="remove the record of this trip, which is over, with the ledgers kept in it",
    )
    add_yes(parser)


def run(options: argparse.Namespace) -> int:
    """Show the history."""
    screen = Screen(options)
    if options.forget:
        return forget_one(screen, options)
    if options.trip:
        show_one(screen, summary(options.trip))
        return 0
    trips = history()
    screen.table(
        "Trips",
        ("Trip", "State", "Shelves", ">Files", ">Size", "Started (UTC)", "?Finished", "?>Freed"),
        [
            (
                trip.trip,
                trip.state,
                ", ".join(show(one.shelf.name) for one in trip.shelves) or "none: ledgers alone changed",
                trip.files,
                size(trip.bytes),
                moment(trip.started),
                moment(trip.finished or ""),
                size(trip.freed_bytes),
            )
            for trip in trips
        ],
    )
    unread = damaged()
    for error in unread.values():
        screen.remark(f"{show(error.what)}. {error.remedy}")
    if not trips and not unread:
        screen.say("No trips yet. Start with: saltcart move SHELF --to FOLDER")
    screen.document({"trips": [document(trip) for trip in trips], "damaged": sorted(unread)})
    return 1 if unread else 0


def forget_one(screen: Screen, options: argparse.Namespace) -> int:
    """Forget one trip that is over, once it was said what that gives up."""
    if not options.trip:
        raise UsageError("Which trip?", "Name it: saltcart trips TRIP --forget")
    done = summary(options.trip)
    kept = [row for row in done.ledgers if row.backup and os.path.exists(row.backup)]
    room = sum(item.size for item in walk(done.folder))
    ledgers = many(len(kept), "ledger", "ledgers")
    screen.say(
        f"Trip {done.trip} is {done.state}. Its record takes {size(room)}; in it {ledgers} as before the trip."
        " Without it undo cannot draft the way back, check cannot compare with before, and mend does not know where it"
        " moved things."
    )
    if not screen.agrees(f"Forget trip {done.trip}?", options):
        raise need_answer(options, "forgotten")
    forget(done.trip)
    screen.say(f"Trip {done.trip} is forgotten. Sounds and ledgers are as they were.")
    screen.document({**document(done), "forgotten": True, "freed_bytes": room})
    return 0


def show_one(screen: Screen, trip: TripSummary) -> None:
    """The log of one trip."""
    screen.facts([("Trip", trip.trip), ("State", trip.state), ("Kept in", trip.folder)])
    screen.table(
        "Shelves",
        ("Shelf", ">Files", ">Size", "From", "To"),
        [
            (show(one.shelf.name), one.files, size(one.bytes), place(one.shelf.old), place(one.shelf.new))
            for one in trip.shelves
        ],
    )
    screen.table(
        "Ledgers", ("Ledger", "Map", ">Changed"), [(place(row.path), row.map_name, row.changed) for row in trip.ledgers]
    )
    screen.table("Log", ("When (UTC)", "What"), trip.events)
    with opened(trip.trip) as live:
        screen.say(next_step(live))
    screen.document({"trips": [{**document(trip), "log": [{"at": at, "what": what} for at, what in trip.events]}]})


def moment(stamp: str) -> str:
    """A time of the logbook, to the minute."""
    return stamp[:16].replace("T", " ")


def document(trip: TripSummary) -> dict[str, object]:
    """One trip of the history."""
    return {**trip_document(trip), "started": trip.started, "finished": trip.finished, "freed_bytes": trip.freed_bytes}
