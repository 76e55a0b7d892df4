"""The command `saltcart haul`: copy and verify."""

import argparse

from saltcart.cli.arguments import add_cart, add_list, add_pace, pace
from saltcart.cli.documents import trip_document
from saltcart.cli.screen import Screen, many, place, size
from saltcart.errors import UsageError, show
from saltcart.hauling.haul import haul, haul_waybill
from saltcart.hauling.haul_report import HaulReport
from saltcart.switching.omissions import accept, leave_out, rename
from saltcart.system import os
from saltcart.trips.summary import summary


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The waybill, or the trip to continue."""
    parser.add_argument(
        "waybill", metavar="WAYBILL|TRIP", help="a plan (waybill file), or the id of a trip to continue"
    )
    add_list(
        parser,
        "--exclude",
        "PATTERN",
        "when continuing a trip: leave these where they are after all, such as a file that cannot be read",
    )
    parser.add_argument(
        "--accept",
        nargs="+",
        action="extend",
        default=[],
        metavar="PATTERN",
        help=(
            "when continuing a trip: go without these files, which could not be copied; their originals are set aside"
            " with the others and never deleted"
        ),
    )
    add_list(
        parser,
        "--rename",
        "PATTERN",
        "when continuing a trip: give these files another name that the new drive accepts; entries follow",
    )
    add_pace(parser)
    add_cart(parser)


def run(options: argparse.Namespace) -> int:
    """Copy and verify."""
    screen = Screen(options)
    waybill = os.path.exists(options.waybill) or os.sep in options.waybill or options.waybill.endswith(".toml")
    if waybill and (options.exclude or options.accept or options.rename):
        raise UsageError(
            "--exclude, --accept and --rename are for continuing a trip by its id",
            "For a new trip, draft it with --exclude.",
        )
    with screen.watch() as watch:
        if options.exclude:
            leave_out(options.waybill, options.exclude)
        if options.accept:
            accept(options.waybill, options.accept)
        for old, new in rename(options.waybill, options.rename) if options.rename else ():
            screen.say(f"{show(old)} will be called {show(new)} at the new place.")
        if waybill:
            name, report = haul_waybill(options.waybill, pace(options), watch)
        else:
            name, report = options.waybill, haul(options.waybill, pace(options), watch)
    show_haul(screen, name, report)
    for one in summary(name).shelves:
        screen.say(
            f"  {show(one.shelf.name)}: {many(one.files, 'file', 'files')}, {size(one.bytes)}, all verified, at"
            f" {place(one.shelf.new)}"
        )
    for path in report.manifests:
        screen.say(f"  Manifest, for any checksum command: {place(path)}")
    screen.say(f"Originals and ledgers are unchanged. Next: saltcart repoint {name}")
    screen.document(
        {
            **trip_document(summary(name)),
            "copied_files": report.copied_files,
            "copied_bytes": report.copied_bytes,
            "named_files": report.named_files,
            "named_bytes": report.named_bytes,
            "there_already": report.there_already,
            "remarks": report.remarks,
            "manifests": report.manifests,
        }
    )
    return 1 if report.without_manifest else 0


def show_haul(screen: Screen, name: str, report: HaulReport) -> None:
    """What was copied."""
    for remark in report.remarks:
        screen.remark(remark)
    there = f", {report.there_already} were there already" if report.there_already else ""
    done = (
        [f"{many(report.copied_files, 'file', 'files')} copied and read back ({size(report.copied_bytes)})"]
        if report.copied_files
        else []
    )
    if report.named_files:
        done.append(
            f"{many(report.named_files, 'file', 'files')} ({size(report.named_bytes)}) stay on their drive: read, and"
            " given a second name at the new place"
        )
    screen.say(f"Trip {name}: {'; '.join(done) or 'nothing was left to copy'}{there}.")
