"""The command `saltcart release`: remove the set-aside originals."""

import argparse

from saltcart.cart import load
from saltcart.cli.arguments import add_bell, add_cart, add_trip, add_yes, need_answer, trip_name
from saltcart.cli.documents import trip_document
from saltcart.cli.screen import Screen, many, place, size
from saltcart.errors import UsageError, show
from saltcart.proving.backups import Irreplaceable, irreplaceable
from saltcart.switching.freeing import ReleaseReport
from saltcart.switching.release import release
from saltcart.trips.summary import summary
from saltcart.trips.trip import RELEASING, SWITCHED


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The trip."""
    add_trip(parser)
    parser.add_argument(
        "--trash", action="store_true", help="put the originals into the trash instead of removing them for good"
    )
    parser.add_argument(
        "--own", action="store_true", help='with --yes: also what cannot be replaced (care = "own", or unknown)'
    )
    parser.add_argument(
        "--unsearched",
        action="store_true",
        help="release although some files could not be searched for references to the old place",
    )
    add_bell(parser)
    add_cart(parser)
    add_yes(parser)


def run(options: argparse.Namespace) -> int:
    """Check everything with digests, then remove the originals."""
    screen = Screen(options)
    name = trip_name(options, SWITCHED, RELEASING, began=RELEASING)
    plan = summary(name)
    archives = {one.shelf.old for one in plan.shelves if one.shelf.packed}
    what = "archive" if archives else "originals"
    question = (
        f"Verify every copy of trip {name}, then"
        f" {f'put its {what} into the trash' if options.trash else f'remove its {what} for good'} ({plan.files}"
        f" files, {size(plan.bytes)})?"
    )
    own = irreplaceable(name, load(options.cart))
    for one in own:
        screen.say(backed_up(one))
    if own and options.yes and not options.own:
        raise UsageError(
            f"{many(len(own), 'shelf', 'shelves')} of trip {name} cannot be replaced, so nothing was removed",
            "To release it all the same: add --own to --yes.",
        )
    if not screen.agrees(question, options):
        raise need_answer(options, "removed")
    names = ", ".join(show(one.shelf.name) for one in own)
    if own and not screen.agrees(f"{names} cannot be replaced. Remove the originals all the same?", options):
        raise need_answer(options, "removed")
    with screen.watch() as watch:
        report = release(name, options.trash, watch, options.unsearched)
    show_release(screen, report, options.trash)
    screen.document(
        {
            **trip_document(summary(name)),
            "released_files": report.files,
            "removed_bytes": report.removed_bytes,
            "freed_bytes": report.freed_bytes,
            "kept": report.kept,
            "read_again_files": report.read_files,
            "read_again_bytes": report.read_bytes,
            "own": [document(one) for one in own],
        }
    )
    return 1 if report.kept else 0


def show_release(screen: Screen, report: ReleaseReport, trash: bool) -> None:
    """What was removed, what that gained, and what was kept."""
    gone = (
        "are in the trash; empty it to gain the space"
        if trash
        else f"removed; the old drive has {size(report.freed_bytes)} more free space"
    )
    screen.say(f"Every copy was read again and verified. {many(report.files, 'original', 'originals')} {gone}.")
    if report.read_files:
        screen.say(
            f"{many(report.read_files, 'original was', 'originals were')} read once more too"
            f" ({size(report.read_bytes)}), because sizes and times were not enough to prove them unchanged."
        )
    if not trash and report.freed_bytes < report.removed_bytes // 2:
        screen.remark(
            f"{size(report.removed_bytes)} were removed: what is not free yet is shared with the copies, kept by"
            " snapshots, or has been written to by other programs meanwhile"
        )
    if report.kept:
        screen.remark(
            f"{many(len(report.kept), 'file is', 'files are')} not what was copied: edited or added since, or not"
            " copied at all. Nothing of that was removed:"
        )
    for path in report.kept:
        screen.say(f"    {place(path)}")


def backed_up(one: Irreplaceable) -> str:
    """What is known of backups of a shelf, in a sentence."""
    if one.backup:
        day = one.backup.made[:10]
        return (
            f"{show(one.shelf.name)} is your own work. Its newest backup: {place(one.backup.path)}"
            f" ({show(one.backup.drive)}, its manifest of {day} has every file with the same digest; not read"
            " again now)"
        )
    text = f"{show(one.shelf.name)} is your own work, and no backup of it is known: "
    if not one.drives:
        return text + 'no connected drive is marked for backups (role = "backup" in cart.toml)'
    if one.unproven:
        return text + f"{place(one.unproven[0])} has that name, and no manifest that agrees (check FOLDER --digests)"
    return text + f"none on the {many(one.drives, 'drive', 'drives')} for backups"


def document(one: Irreplaceable) -> dict[str, object]:
    """A shelf that cannot be had again, and its backup."""
    backup = {"path": one.backup.path, "drive": one.backup.drive, "made": one.backup.made} if one.backup else None
    return {"name": one.shelf.name, "backup": backup, "backup_drives": one.drives, "unproven": one.unproven}
