"""The command `saltcart survey`: show shelves and ledgers, and how every entry is."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from saltcart.cart import load
from saltcart.cli.arguments import NO_FOLDER, add_all, add_cart, add_ledgers
from saltcart.cli.page_file import page_path
from saltcart.cli.screen import Screen, many, place, size, typed_place
from saltcart.cli.survey_document import document, sums
from saltcart.errors import show
from saltcart.judging.judgements import FOUND, LedgerState
from saltcart.looking.survey import read_shelf_headers, survey
from saltcart.looking.survey_report import SurveyedShelf, SurveyReport
from saltcart.shelves.folder_tree import FolderTree, packs
from saltcart.shelves.headers import HeaderSums
from saltcart.shelves.true_names import told_apart
from saltcart.system import os

if TYPE_CHECKING:
    from saltcart.looking.undescribed import Undescribed

MOST_COLUMNS = 6
PICTURE_DEPTH = 1


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The places to look at."""
    parser.add_argument(
        "place",
        nargs="*",
        metavar="PLACE",
        help="folders to look through (default: the usual ones, and those of cart.toml)",
    )
    add_ledgers(parser)
    add_cart(parser)
    parser.add_argument(
        "--depth", type=int, default=0, metavar="N", help="show the packs in each shelf, N folders deep"
    )
    parser.add_argument(
        "--headers", action="store_true", help="read every sound's header: length, rate, channels, depth"
    )
    parser.add_argument(
        "--no-search", action="store_true", help="do not search for unknown files that refer to the sounds"
    )
    add_all(parser)
    parser.add_argument("--write", metavar="FILE", help="draft a cart.toml from the findings, or add to one")
    parser.add_argument("--picture", metavar="FILE", help="draw where the room goes (.png or .svg)")
    parser.add_argument(
        "--report", metavar="FILE", help="write one page of all this, with what every header says and what tidy finds"
    )
    parser.add_argument("--force", action="store_true", help="with --report: write over an earlier page of that name")


def run(options: argparse.Namespace) -> int:
    """Survey the places."""
    screen = Screen(options)
    cart, found = load(options.cart), None
    page = page_path(options.report, options.force) if options.report else None
    with screen.watch() as watch:
        report = survey(options.place, options.ledger, options.map, cart, options.drive, watch)
        if options.headers or page:
            read_shelf_headers(report, watch)
        if report.shelves and not options.no_search:
            from saltcart.looking.undescribed import undescribed  # others use the tables here, and search for nothing

            found = undescribed(report, cart, options.map, options.drive, watch)
    show_survey(screen, report, options.depth, found)
    extras(screen, report, options)
    if page:
        write_page(screen, report, options, page)
    screen.document(document(report, options.depth, found))
    lost = sum(count for verdict, count in report.counts.items() if verdict != "found")
    return 1 if lost or any(state.trouble for state in report.ledgers) else 0


def show_survey(screen: Screen, report: SurveyReport, depth: int, found: Undescribed | None) -> None:
    """The sums, what there is, what needs attention, and what was found odd."""
    screen.say(answer(report), style="bold")
    screen.say()
    show_shelves(screen, report, depth)
    show_ledgers_in_short(screen, report.ledgers)
    if screen.all:
        show_leans(screen, report)
    screen.table(
        "Outside every shelf",
        ("Folder", ">Entries", ">Files", ">Size"),
        [(place(stray.folder), stray.entries, len(stray.files), size(stray.bytes)) for stray in report.strays],
    )
    if not report.shelves:
        screen.say("Name a folder: saltcart survey FOLDER")
    if report.unseen:
        screen.remark(elsewhere(report))
    for finding in report.findings:
        screen.remark(f"{place(finding.path)} {show(finding.what)}")
    if found:
        from saltcart.cli.undescribed import show_undescribed

        show_undescribed(screen, found)
    broken = [
        state.within or state.path for state in report.ledgers if state.counts()["missing"] + state.counts()["offline"]
    ]
    if broken := list(dict.fromkeys(broken)):
        screen.say(
            f"To see which entries are not found{' in the first three' if broken[3:] else ''}:"
            f" saltcart check --ledger {' '.join(map(typed_place, broken[:3]))}"
        )
    if report.counts["missing"]:
        screen.say("To look for them: saltcart mend")


def elsewhere(report: SurveyReport) -> str:
    """What ledgers name in folders of sounds that were not looked at."""
    files = many(sum(len(one.files) for one in report.unseen), "file", "files")
    folders = many(len(report.unseen), "folder", "folders")
    first = place(report.unseen[0].folder)
    return (
        f"Ledgers also list {files} in {folders} that you did not give, such as {first}. To include them, give them too"
    )


def answer(report: SurveyReport) -> str:
    """How much there is, which files refer to it, and whether every entry is found."""
    files, total = sums(report)
    shelves, counts = many(len(report.shelves), "shelf", "shelves"), report.counts
    what = f"{shelves}, {many(files, 'file', 'files')}, {size(total)}" if report.shelves else NO_FOLDER
    text = f"{what}. Nothing moved or changed."
    if not report.ledgers:
        return text
    entries = sum(counts.values())
    broken = [f"{counts[verdict]:,} {verdict}" for verdict in counts if verdict != "found" and counts[verdict]]
    unread = sum(state.trouble is not None for state in report.ledgers)
    broken += [f"{many(unread, 'ledger', 'ledgers')} cannot be read"] if unread else []
    state = ", ".join(broken) if broken else "all found"
    return f"{text} {many(len(report.ledgers), 'ledger', 'ledgers')}, {many(entries, 'entry', 'entries')}: {state}."


def extras(screen: Screen, report: SurveyReport, options: argparse.Namespace) -> None:
    """The configuration and the picture, when asked for."""
    if options.write:
        from saltcart.looking import cart_draft as cartfile

        path = os.path.abspath(os.path.expanduser(options.write))
        added = cartfile.write(report, options.map, path)
        screen.say(f"{place(path)}: {many(added, 'table', 'tables')} added; what you wrote there stayed.")
    if options.picture:
        from saltcart.report.drawing import save
        from saltcart.report.pictures import Bar, room_picture

        bars = []
        for shelf in report.shelves:
            bars.append(Bar(shelf.name, 0, shelf.tree.bytes))
            bars += [
                Bar(os.path.basename(tree.path), level, tree.bytes) for level, tree in packs(shelf.tree, PICTURE_DEPTH)
            ]
        title = f"What takes up space: {size(sums(report)[1])} in {many(len(report.shelves), 'shelf', 'shelves')}"
        save(room_picture(bars, title), options.picture)
        screen.say(f"Picture written: {place(os.path.abspath(options.picture))}")


def write_page(screen: Screen, report: SurveyReport, options: argparse.Namespace, path: str) -> None:
    """The page of what is here, for which the findings of tidy are looked for too."""
    from saltcart.looking.tidy import tidied
    from saltcart.report.page import write
    from saltcart.report.survey_page import survey_page

    with screen.watch() as watch:
        found = tidied(report, options.map, load(options.cart), progress=watch)
    write(path, survey_page(report, found, answer(report)))
    screen.say(f"Page written: {place(path)}. It needs nothing else and opens in any browser.")


def show_shelves(screen: Screen, report: SurveyReport, depth: int) -> None:
    """The table of shelves and, to `depth`, their packs."""
    rows: list[tuple[str | int, ...]] = []
    names = told_apart([shelf.name for shelf in report.shelves], [shelf.tree.path for shelf in report.shelves])
    for number, (shelf, name) in enumerate(zip(report.shelves, names, strict=True)):
        naming = sum(report.leans[ledger, number] > 0 for ledger in range(len(report.ledgers)))
        rows.append((show(name), whereabouts(shelf), naming, *shelf_row(shelf.tree, shelf.care)))
        rows += [
            ("  " * level + show(os.path.basename(tree.path)), "", "", *shelf_row(tree, ""))
            for level, tree in packs(shelf.tree, depth)
        ]
    columns = ("Shelf", "Place", ">Ledgers", ">Size", "?>On disk", ">Files", "?>Largest", "Sounds", "Newest", "Care")
    screen.table("Shelves", columns, rows)
    if any(shelf.headers for shelf in report.shelves):
        screen.table(
            "Headers",
            ("Shelf", ">Plays for", ">Longest", "Rates", "Channels", "Bits", ">Tagged", ">Broken"),
            list(map(header_row, report.shelves)),
        )


def shelf_row(tree: FolderTree, care: str) -> tuple[str | int, ...]:
    """The figures of one folder."""
    kinds = ", ".join(f"{count:,} {kind}" for kind, count in sorted(tree.kinds.items(), key=lambda pair: -pair[1])[:3])
    sounds = f"{tree.audio_share:.0%}: {kinds}" if kinds else "none"
    newest = datetime.fromtimestamp(tree.newest, UTC).strftime("%Y-%m-%d") if tree.newest else ""
    return (size(tree.bytes), size(tree.disk_bytes), tree.files, size(tree.largest_bytes), sounds, newest, care)


def whereabouts(shelf: SurveyedShelf) -> str:
    """Where a shelf lies, how it is reached, and what share of its drive it takes."""
    where = place(shelf.tree.path)
    if shelf.drive and shelf.drive.total_bytes:
        where += f" ({shelf.tree.disk_bytes / shelf.drive.total_bytes:.0%} of {show(shelf.drive.name)})"
    return f"{place(shelf.reached_as)} -> {where}" if shelf.reached_as else where


def header_row(shelf: SurveyedShelf) -> tuple[str | int, ...]:
    """What the headers of one shelf say."""
    found = shelf.headers or HeaderSums()

    def listed(counts: dict[int, int], unit: str = "") -> str:
        return ", ".join(f"{value:,}{unit} ({count})" for value, count in sorted(counts.items()))

    return (
        show(shelf.name),
        clock(found.seconds),
        clock(found.longest_seconds),
        listed(found.rates, " Hz"),
        listed(found.channels),
        listed(found.bits),
        found.tagged,
        len(found.troubles),
    )


def clock(seconds: float) -> str:
    """A length in hours, minutes and seconds."""
    minutes, rest = divmod(round(seconds), 60)
    hours, minutes = divmod(minutes, 60)
    return f"{hours}:{minutes:02d}:{rest:02d}"


def show_ledgers(screen: Screen, states: Sequence[LedgerState]) -> None:
    """The table of ledgers with their verdicts."""
    columns = ("Ledger", "Map", ">Entries", ">Found", ">Offline", ">Missing", ">Other")
    screen.table("Ledgers", columns, [(place(state.path), state.map_name, *numbers(state)) for state in states])


def show_ledgers_in_short(screen: Screen, states: Sequence[LedgerState]) -> None:
    """The same for those of which not all is found, or with --all; how many others there are."""
    shown = [state for state in states if screen.all or not all_found(state)]
    show_ledgers(screen, shown)
    if rest := len(states) - len(shown):
        others = "other ledger" if shown else "ledger"
        screen.say(f"In {many(rest, others, others + 's')} every entry is found (--all lists them).")
        screen.say()


def all_found(state: LedgerState) -> bool:
    """Whether a ledger could be read, and each of its entries is found."""
    return not state.trouble and state.counts()[FOUND] == sum(state.counts().values())


def numbers(state: LedgerState) -> tuple[int | str, ...]:
    """The figures of one ledger."""
    if state.trouble:
        return ("cannot be read", "", "", "", "")
    counts = state.counts()
    other = counts["altered"] + counts["unreadable"] + counts["unclear"]
    return sum(counts.values()), counts["found"], counts["offline"], counts["missing"], other


def show_leans(screen: Screen, report: SurveyReport) -> None:
    """Which ledger leans on which shelf, by number of entries: what a move of that shelf will touch."""
    leant = sorted({shelf for _ledger, shelf in report.leans})
    for start in range(0, len(leant), MOST_COLUMNS):
        part = leant[start : start + MOST_COLUMNS]
        rows = [
            (place(state.path), *(report.leans[number, shelf] for shelf in part))
            for number, state in enumerate(report.ledgers)
            if any(report.leans[number, shelf] for shelf in part)
        ]
        screen.table(
            "Which ledger uses which shelf (entries)",
            ("Ledger", *(f">{show(report.shelves[shelf].name)}" for shelf in part)),
            rows,
        )
