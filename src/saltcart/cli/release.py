"""The command `saltcart release`: remove the set-aside originals."""

import argparse

from saltcart.cli.arguments import add_trip, add_yes, need_answer, trip_name
from saltcart.cli.documents import trip_document
from saltcart.cli.screen import Screen, many, place, size
from saltcart.switching.release import release
from saltcart.trips.summary import summary
from saltcart.trips.trip import RELEASING, SWITCHED


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The trip."""
    add_trip(parser)
    parser.add_argument(
        "--trash", action="store_true", help="put the originals into the trash instead of removing them for good"
    )
    add_yes(parser)


def run(options: argparse.Namespace) -> int:
    """Check everything with digests, then remove the originals."""
    screen = Screen(options)
    name = trip_name(options, SWITCHED, RELEASING)
    plan = summary(name)
    question = (
        f"Verify every copy of trip {name}, then"
        f" {'put its originals into the trash' if options.trash else 'remove its originals for good'} ({plan.files}"
        f" files, {size(plan.bytes)})?"
    )
    if not screen.agrees(question, options):
        raise need_answer(options, "removed")
    with screen.watch() as watch:
        report = release(name, options.trash, watch)
    gone = (
        "are in the trash; empty it to gain the room"
        if options.trash
        else f"removed; the old drive has {size(report.freed_bytes)} more room"
    )
    screen.say(f"Every copy was read again and verified. {many(report.files, 'original', 'originals')} {gone}.")
    if not options.trash and report.freed_bytes < report.removed_bytes // 2:
        screen.remark(
            f"{size(report.removed_bytes)} were removed: what is not free yet is shared with the copies, kept by"
            " snapshots, or has been written to by other programs meanwhile"
        )
    for path in report.kept:
        screen.remark(f"kept, for it is not what was copied: {place(path)}")
    screen.document(
        {
            **trip_document(summary(name)),
            "released_files": report.files,
            "removed_bytes": report.removed_bytes,
            "freed_bytes": report.freed_bytes,
            "kept": report.kept,
        }
    )
    return 1 if report.kept else 0
