"""The command `saltcart trips`: show the history of all trips, or the log of one."""

import argparse

from saltcart.cli.arguments import add_yes, need_answer
from saltcart.cli.documents import trip_document
from saltcart.cli.screen import Screen, many, place, size
from saltcart.errors import UsageError, show
from saltcart.shelves.walk import walk
from saltcart.system import os
from saltcart.trips.holding import forget
from saltcart.trips.leftovers import leftovers, remove
from saltcart.trips.summary import ShelfSummary, TripSummary, history, summary
from saltcart.trips.trip import damaged, next_step, opened

NAMES = 3  # of shelves that are shown of each trip


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """One trip, or all."""
    parser.add_argument("trip", nargs="?", metavar="TRIP", help="show the log of this trip")
    parser.add_argument(
        "--forget",
        action="store_true",
        help="remove the record of this trip, which is over, with the ledgers kept in it",
    )
    parser.add_argument(
        "--clean", action="store_true", help="list and remove files of Salt Cart's own that no trip needs any more"
    )
    add_yes(parser)


def run(options: argparse.Namespace) -> int:
    """Show the history."""
    screen = Screen(options)
    if options.forget:
        return forget_one(screen, options)
    if options.clean:
        return clean(screen, options)
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
                names_of(trip),
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


def names_of(trip: TripSummary) -> str:
    """What a trip is about, in a cell: its first shelves, and how many more; what only came along is a number."""
    chosen, along = chosen_in(trip)
    text = ", ".join(show(one.shelf.name) for one in chosen[:NAMES]) or "none: only ledgers changed"
    text += f" and {len(chosen) - NAMES:,} more" if chosen[NAMES:] else ""
    return text + (f"; with {many(along, 'file', 'files')} from elsewhere" if along else "")


def chosen_in(trip: TripSummary) -> tuple[list[ShelfSummary], int]:
    """The shelves that a person chose, and how many files only came along."""
    chosen = [one for one in trip.shelves if not one.shelf.along] or trip.shelves
    return chosen, len(trip.shelves) - len(chosen)


def forget_one(screen: Screen, options: argparse.Namespace) -> int:
    """Forget one trip that is over, once it was said what that gives up."""
    if not options.trip:
        raise UsageError("Which trip?", "Name it: saltcart trips TRIP --forget")
    done = summary(options.trip)
    kept = [row for row in done.ledgers if row.backup and os.path.exists(row.backup)]
    room = sum(item.size for item in walk(done.folder))
    ledgers = many(len(kept), "ledger", "ledgers")
    screen.say(
        f"Trip {done.trip} is {done.state}. Its record takes {size(room)}; it holds {ledgers} as they were then."
        " Without it undo cannot plan the way back, check cannot compare with before, and mend does not know where it"
        " moved things."
    )
    if not screen.agrees(f"Forget trip {done.trip}?", options):
        raise need_answer(options, "forgotten")
    forget(done.trip)
    screen.say(f"Trip {done.trip} is forgotten. Sounds and ledgers are as they were.")
    screen.document({**document(done), "forgotten": True, "freed_bytes": room})
    return 0


def clean(screen: Screen, options: argparse.Namespace) -> int:
    """List what no trip needs, and remove it once that is agreed to."""
    if options.trip:
        raise UsageError("--clean is about all trips", "Leave the trip out: saltcart trips --clean")
    found = leftovers()
    ours = [one for one in found if not one.foreign]
    screen.table(
        "Left over, needed by no trip",
        ("Path", "What it is", "Trip", ">Size"),
        [(place(one.path), one.what, one.trip or "-", size(one.bytes)) for one in ours],
    )
    for one in found:
        if one.foreign:
            screen.remark(
                f"{place(one.path)} was prepared by trip {one.trip}, which this computer does not know. If no other"
                " computer is working on that drive, you can remove it yourself."
            )
    freed = 0
    if not ours:
        screen.say("There is nothing to clean. No sound and no ledger is ever removed here.")
    else:
        count = many(len(ours), "file", "files")
        if not screen.agrees(f"Remove {count} of Salt Cart's own? No sound and no ledger is among them.", options):
            raise need_answer(options, "removed")
        freed = remove(ours)
        screen.say(f"{count} removed, {size(freed)} freed. Sounds and ledgers are as they were.")
    screen.document(
        {"removed": [one.path for one in ours], "freed_bytes": freed,
         "not_ours": [one.path for one in found if one.foreign]}
    )  # fmt: skip
    return 0


def show_one(screen: Screen, trip: TripSummary) -> None:
    """The log of one trip."""
    screen.facts([("Trip", trip.trip), ("State", trip.state), ("Kept in", trip.folder)])
    chosen, along = chosen_in(trip)
    screen.table(
        "Shelves",
        ("Shelf", ">Files", ">Size", "From", "To"),
        [
            (show(one.shelf.name), one.files, size(one.bytes), place(one.shelf.old), place(one.shelf.new))
            for one in chosen
        ],
    )
    if along:
        screen.say(f"{many(along, 'file', 'files')} from elsewhere came along (--json lists them).")
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
