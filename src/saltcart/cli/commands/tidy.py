"""The command `saltcart tidy`: show what need not travel, and write decisions about it."""

import argparse
from collections.abc import Sequence

from saltcart.cart import load
from saltcart.cli.arguments import add_all, add_cart, add_ledgers
from saltcart.cli.screen import Screen, many, place, size
from saltcart.errors import UsageError, show, typed
from saltcart.looking.tidy import Find, TidyReport, remember, remembered, tidy, totals
from saltcart.system import os

SHOWN = 3


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Where to look, or what to decide."""
    parser.add_argument(
        "word",
        nargs="*",
        metavar="PLACE|NUMBER",
        help="folders to look through; with --into, numbers of findings such as 3 5 7-9",
    )
    parser.add_argument(
        "--into", metavar="WAYBILL", help="write decisions about these findings into a waybill: left out, or gathered"
    )
    parser.add_argument(
        "--older-than", type=int, default=730, metavar="DAYS", help="what counts as long ago (default: 730)"
    )
    add_ledgers(parser)
    add_all(parser)
    add_cart(parser)


def run(options: argparse.Namespace) -> int:
    """Look, or decide."""
    screen = Screen(options)
    return decide(screen, options) if options.into else look(screen, options)


def look(screen: Screen, options: argparse.Namespace) -> int:
    """Show what need not travel."""
    with screen.watch() as watch:
        report = tidy(options.word, options.ledger, options.map, load(options.cart), options.older_than, watch)
    remember(report)
    show_report(screen, report)
    screen.document(
        {
            "finds": [document(find) for find in report.finds],
            "judged": [
                {"name": one.name, "path": one.path, "collection": one.collection, "why": one.why}
                for one in report.judged
            ],
            "remarks": report.remarks,
        }
    )
    return 0


def show_report(screen: Screen, report: TidyReport) -> None:
    """The findings, and how shelves were judged."""
    rows = [
        (find.number, find.kind, len(find.paths), size(find.bytes), place(find.folder), names(find), show(find.what))
        for find in report.finds
    ]
    if report.finds:
        count, room = totals(report.finds)
        found = f"{many(len(report.finds), 'finding', 'findings')} about {many(count, 'file', 'files')}, {size(room)}"
        screen.say(f"{found}. Nothing is deleted.", style="bold")
        screen.say()
    screen.table("Findings", (">No.", "Kind", ">Files", ">Size", "Folder", "Which", "?What"), rows)
    for one in report.judged:
        if screen.all or not one.collection:
            word = "searched" if one.collection else "not searched"
            screen.say(f"  {show(one.name)}: {word} for sounds that no ledger lists; {one.why}")
    for remark in report.remarks:
        screen.remark(show(remark))
    if not report.finds:
        screen.say("Nothing found that could stay behind.")
        return
    screen.say(
        "To leave findings out of a trip, or to copy files from outside too: saltcart tidy --into WAYBILL NUMBER..."
    )
    screen.say(
        "To change that for a shelf, set collection = true or false for it in cart.toml (saltcart survey --write"
        " cart.toml)."
    )


def names(find: Find) -> str:
    """The first names of a finding."""
    first = ", ".join(show(os.path.basename(path)) for path in find.paths[:SHOWN])
    return f"{first} ..." if len(find.paths) > SHOWN else first


def decide(screen: Screen, options: argparse.Namespace) -> int:
    """Write decisions into the waybill."""
    from saltcart.planning.decisions import apply_decisions

    finds = {find.number: find for find in remembered()}
    wanted = numbers(options.word)
    unknown = [number for number in wanted if number not in finds]
    if unknown or not wanted:
        word = f"There is no finding {unknown[0]}" if unknown else "No finding was given"
        raise UsageError(word, f"The last look had findings 1 to {len(finds)}: saltcart tidy PLACE")
    lines = apply_decisions(
        options.into,
        [finds[number] for number in wanted],
        [os.path.realpath(os.path.expanduser(path)) for path in options.ledger],
    )
    for line in lines:
        screen.say(line)
    screen.say(
        f"{many(len(lines), 'decision', 'decisions')} written into {place(os.path.abspath(options.into))}. Next:"
        f" saltcart haul {typed(options.into)}"
    )
    screen.document({"waybill": os.path.abspath(options.into), "decisions": lines})
    return 0


def numbers(words: Sequence[str]) -> list[int]:
    """Numbers and ranges such as 7-9.  UsageError for anything else."""
    found: list[int] = []
    for word in words:
        first, _, last = word.partition("-")
        if not first.isdecimal() or (last and not last.isdecimal()) or word.endswith("-"):
            raise UsageError(f"{show(word)} is no number of a finding", "Write numbers or ranges: 3 5 7-9.")
        found += range(int(first), min(int(last or first), int(first) + 100_000) + 1)
    return list(dict.fromkeys(found))


def document(find: Find) -> dict[str, object]:
    """One finding."""
    return {
        "number": find.number,
        "kind": find.kind,
        "folder": find.folder,
        "paths": find.paths,
        "bytes": find.bytes,
        "what": find.what,
        "kept": find.kept,
    }
