"""The command `saltcart check`: judge every entry and copy, and compare with before."""

import argparse
from collections.abc import Sequence
from typing import NamedTuple

from saltcart.cart import load, users_own
from saltcart.cli.arguments import add_all, add_cart, add_ledgers, add_sha256, add_trip
from saltcart.cli.check_output import SHOWN, closing, show_check
from saltcart.cli.documents import check_document
from saltcart.cli.screen import Screen, Watch, many, place, size
from saltcart.errors import Refused, UsageError, show
from saltcart.ledgers.maps import load_map
from saltcart.mentions.mention import Mention
from saltcart.mentions.search import known_as, search
from saltcart.mentions.search_places import forms_of
from saltcart.proving.check import check_ledgers, check_trip
from saltcart.proving.playing import EVERY, listen, play, sounds_of
from saltcart.proving.results import CheckReport
from saltcart.system import os
from saltcart.trips.history import latest
from saltcart.trips.summary import summary
from saltcart.trips.trip import HAULED, RELEASED, RELEASING, SWITCHED, UNDONE

FEW = 3  # sounds of each ledger, where no number was given


class Trace(NamedTuple):
    """A file that mentions an old place, and the format or map that reads it."""

    mention: Mention
    ledger: str | None


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The trip, or ledgers without one."""
    add_trip(parser)
    add_ledgers(parser)
    add_all(parser)
    add_cart(parser)
    parser.add_argument(
        "--digests",
        action="store_true",
        help="read every copy and compare its content, not only its size; with a FOLDER, compare it with its manifest",
    )
    parser.add_argument(
        "--write", action="store_true", help="with --digests and a FOLDER: write a new manifest of what is there now"
    )
    add_sha256(parser)
    parser.add_argument(
        "--traces",
        nargs="+",
        metavar="PLACE",
        help="search these folders for files that still mention the old places of the trip",
    )
    parser.add_argument(
        "--play",
        metavar="N",
        type=how_many,
        help="decode N sounds of each ledger to their end, of every kind and folder, or all of them: --play all",
    )
    parser.add_argument(
        "--listen",
        action="store_true",
        help='let a few seconds of each of these be heard, through the command listen = ["PLAYER", "{}"] of cart.toml',
    )
    parser.add_argument(
        "--no-headers", action="store_true", help="do not open sounds to see whether their headers parse"
    )


def run(options: argparse.Namespace) -> int:
    """Judge every entry."""
    screen = Screen(options)
    if options.trip and os.path.isdir(options.trip) and options.digests and not options.ledger:
        return against_manifest(screen, options)
    refuse_mixed(options)
    headers = not options.no_headers
    with screen.watch() as watch:
        if options.ledger:
            cart = load(options.cart)
            report = check_ledgers(
                options.ledger, [*options.map, *cart.maps], headers, cart.meanings(options.drive), watch
            )
        else:
            name = options.trip or latest(SWITCHED, HAULED, RELEASING, RELEASED, UNDONE)
            report = check_trip(name, headers, options.digests, watch)
        found = traces(report, options, watch)
        if options.play is not None or options.listen:
            play_some(report, options, watch)
    screen.say(closing(report), style="bold")
    screen.say()
    show_check(screen, report)
    show_traces(screen, found)
    show_next(screen, report)
    listed = [
        {"path": one.path, "count": one.count, "forms": list(one.forms), "ledger": ledger} for one, ledger in found
    ]
    screen.document({**check_document(report), **({"traces": listed} if options.traces else {})})
    return 0 if report.ok else 1


def refuse_mixed(options: argparse.Namespace) -> None:
    """Raise UsageError for what is neither about a trip nor about ledgers."""
    if options.trip and options.ledger:
        raise UsageError("Name a trip or ledgers, not both", "A trip knows its ledgers.")
    if options.trip and os.path.isdir(options.trip):
        raise UsageError(
            f"{show(options.trip)} is a folder, no trip", "To hold a shelf against its manifest, add --digests."
        )
    if options.write or options.digests_kind != "blake3":
        raise UsageError(
            "--write, and --sha256 with it, needs --digests and the folder of a shelf",
            "For a trip, haul writes the manifest.",
        )


def show_next(screen: Screen, report: CheckReport) -> None:
    """What to type next; when something is missing while the originals are set aside, these can come back."""
    spoilt = any(found.verdict != "offline" for shelf in report.shelves for found in shelf.problems)
    if spoilt and report.state == SWITCHED and not report.copies:
        screen.say(f"The originals are still set aside. To bring them back: saltcart undo {report.trip}")
    elif report.counts["missing"]:
        screen.say("To look for what is missing: saltcart mend")
    if report.ok and report.state == SWITCHED:  # a line each, so that no terminal breaks a command in two
        if report.shelves and not report.copies:
            screen.say(f"To free the old drive: saltcart release {report.trip}")
        screen.say(f"To undo it:            saltcart undo {report.trip}")


def how_many(text: str) -> int:
    """How many sounds of each ledger, or EVERY."""
    if text != "all" and not (text.isdecimal() and int(text)):
        raise argparse.ArgumentTypeError(f"{show(text)} is no number of sounds; write it like 20, or all")
    return EVERY if text == "all" else int(text)


def play_some(report: CheckReport, options: argparse.Namespace, watch: Watch) -> None:
    """Decode some sounds of each ledger, and let them be heard when asked for."""
    command = load(options.cart).listen
    if options.listen and not command:
        raise UsageError(
            "There is nothing here to listen with",
            f"Name a player of yours in {place(users_own())}, or in a file that you name with --cart:"
            ' listen = ["PLAYER", "{}"]. One in another folder is not used for that.',
        )
    if not any(True for one in report.ledgers for _sound in sounds_of(one.state)):
        raise Refused(
            "No ledger of this trip lists a sound that exists, so nothing can be played",
            "Choose other ledgers: --ledger",
        )
    for one in report.ledgers:
        played = play(one.state, FEW if options.play is None else options.play, watch)
        played.troubles += listen(played.heard, command) if options.listen else []
        report.played += [played] if played.named else []


def against_manifest(screen: Screen, options: argparse.Namespace) -> int:
    """A shelf and its manifest, without a trip."""
    from saltcart.proving.contents import check_folder  # reads with several processes, which take long to load

    with screen.watch() as watch:
        report = check_folder(options.trip, options.digests_kind if options.write else None, watch)
    (shelf,) = report.shelves
    what = f"{many(shelf.files, 'file', 'files')}, {size(shelf.bytes)} at {place(shelf.path)}"
    if options.write:
        screen.say(f"{show(shelf.name)}: {what} are in the manifest {place(shelf.manifest or '')}")
    else:
        good = (
            f"{many(len(shelf.problems), 'file is', 'files are')} not as in the manifest"
            if shelf.problems
            else "each file in the manifest is as it was"
        )
        unknown = (
            f"; {many(shelf.unknown, 'file is', 'files are')} not in it (ledgers, and what came later)"
            if shelf.unknown
            else ""
        )
        screen.say(f"{show(shelf.name)}: {what}: {good}{unknown}")
    for found in shelf.problems[:SHOWN]:
        screen.remark(f"{place(found.path)}: {found.verdict}, {found.why}")
    if len(shelf.problems) > SHOWN:
        screen.say(f"... and {len(shelf.problems) - SHOWN} more (see --json)")
    screen.document(check_document(report))
    return 0 if report.ok else 1


def traces(report: CheckReport, options: argparse.Namespace, watch: Watch) -> list[Trace]:
    """The files that still mention the old places of the trip, when asked for."""
    if not options.traces:
        return []
    if not report.trip:
        raise UsageError("--traces needs a trip: it searches for that trip's old places", "Leave --ledger out.")
    cart, shelves = load(options.cart), summary(report.trip).shelves
    maps = [load_map(path) for path in dict.fromkeys([*options.map, *cart.maps])]
    forms = forms_of([one.shelf.old for one in shelves], cart.meanings(options.drive))
    return [Trace(one, known_as(one.path, maps)) for one in search(forms, options.traces, watch).found]


def show_traces(screen: Screen, found: Sequence[Trace]) -> None:
    """The table of traces."""
    rows = [
        (
            place(mention.path),
            mention.count,
            ", ".join(mention.forms),
            ledger or "no: a signpost must serve its program",
        )
        for mention, ledger in found
    ]
    screen.table("Still mention the old place", ("File", ">Times", "Written as", "Known as a ledger"), rows)
