"""The command `saltcart report`: one page that says what a trip did and how it is."""

import argparse

from saltcart.cli.arguments import add_output, add_trip
from saltcart.cli.check_output import closing
from saltcart.cli.page_file import page_path
from saltcart.cli.screen import Screen, place
from saltcart.proving.check import check_trip
from saltcart.trips.history import latest
from saltcart.trips.trip import HAULED, RELEASED, RELEASING, SWITCHED, UNDONE


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The trip, and where the page goes."""
    add_trip(parser)
    add_output(parser, "page", "report.html")


def run(options: argparse.Namespace) -> int:
    """Judge the trip, and write the page."""
    from saltcart.report.page import write
    from saltcart.report.trip_page import trip_page

    screen = Screen(options)
    path = page_path(options.output, options.force)
    name = options.trip or latest(SWITCHED, HAULED, RELEASING, RELEASED, UNDONE)
    with screen.watch() as watch:
        report = check_trip(name, progress=watch)
    answer = closing(report)
    write(path, trip_page(report, answer))
    screen.say(answer, style="bold")
    screen.say(f"Page written: {place(path)}. It needs nothing else and opens in any browser.")
    screen.document({"trip": report.trip, "ok": report.ok, "page": path})
    return 0 if report.ok else 1
