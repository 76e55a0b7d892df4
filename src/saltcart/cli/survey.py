"""saltcart survey"""

import argparse
import os
from collections.abc import Sequence

from saltcart.cli.arguments import add_ledgers
from saltcart.cli.documents import ledger_state
from saltcart.cli.screen import Screen, many, place, size
from saltcart.errors import show
from saltcart.trips.judge import LedgerState
from saltcart.trips.survey import Heap, SurveyReport, survey


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The places to look at."""
    parser.add_argument("place", nargs="+", metavar="PLACE", help="folders to look through")
    add_ledgers(parser)


def run(options: argparse.Namespace) -> int:
    """Survey the places."""
    screen = Screen(options)
    with screen.watch() as watch:
        report = survey(options.place, options.ledger, options.map, watch)
    show_shelves(screen, report.shelves)
    show_ledgers(screen, report.ledgers)
    for remark in report.remarks:
        screen.remark(remark)
    sums = many(len(report.shelves), "shelf", "shelves"), many(files(report), "file", "files"), size(total_bytes(report))
    screen.say(", ".join(sums) + ". Nothing was written.")
    screen.document(document(report))
    lost = sum(count for verdict, count in report.counts.items() if verdict != "found")
    return 1 if lost or any(state.trouble for state in report.ledgers) else 0


def files(report: SurveyReport) -> int:
    """Files in all shelves."""
    return sum(heap.files for heap in report.shelves)


def total_bytes(report: SurveyReport) -> int:
    """Bytes in all shelves."""
    return sum(heap.bytes for heap in report.shelves)


def show_shelves(screen: Screen, shelves: Sequence[Heap]) -> None:
    """The table of shelves."""
    screen.table(
        "Shelves",
        ("Shelf", ">Size", ">On disk", ">Files", ">Sounds", "Kinds", "Place"),
        [
            (show(os.path.basename(heap.path)), size(heap.bytes), size(heap.disk_bytes), heap.files, heap.audio_files, kinds(heap), place(heap.path))
            for heap in shelves
        ],
    )


def show_ledgers(screen: Screen, states: Sequence[LedgerState]) -> None:
    """The table of ledgers with their verdicts."""
    columns = ("Ledger", "Map", ">Entries", ">Found", ">Offline", ">Missing", ">Other")
    screen.table("Ledgers", columns, [(place(state.path), state.map_name, *numbers(state)) for state in states])


def numbers(state: LedgerState) -> tuple[int | str, ...]:
    """The figures of one ledger."""
    if state.trouble:
        return ("cannot be read", "", "", "", "")
    counts = state.counts()
    other = counts["altered"] + counts["unreadable"] + counts["unclear"]
    return sum(counts.values()), counts["found"], counts["offline"], counts["missing"], other


def kinds(heap: Heap) -> str:
    """Kinds of sound with their counts."""
    return ", ".join(f"{kind} {count}" for kind, count in heap.kinds.most_common())


def document(report: SurveyReport) -> dict[str, object]:
    """The survey as the design fixes it."""
    return {
        "shelves": [
            {
                "name": os.path.basename(heap.path), "path": heap.path, "care": "own", "files": heap.files, "bytes": heap.bytes,
                "disk_bytes": heap.disk_bytes, "audio_files": heap.audio_files, "kinds": dict(heap.kinds),
            }
            for heap in report.shelves
        ],
        "ledgers": [ledger_state(state) for state in report.ledgers],
        "totals": {"files": files(report), "bytes": total_bytes(report), "entries": report.counts},
        "remarks": report.remarks,
    }  # fmt: skip
