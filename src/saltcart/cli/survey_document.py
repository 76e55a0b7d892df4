"""A survey for a program."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import TYPE_CHECKING

from saltcart.cli.documents import ledger_state
from saltcart.looking.survey_report import Stray, SurveyReport
from saltcart.shelves.folder_tree import FolderTree, packs
from saltcart.shelves.headers import HeaderSums

if TYPE_CHECKING:
    from saltcart.looking.undescribed import Undescribed


def stray_document(one: Stray) -> dict[str, object]:
    """What ledgers name in one folder outside every shelf."""
    return {"folder": one.folder, "entries": one.entries, "files": one.files, "bytes": one.bytes}


def document(report: SurveyReport, depth: int, found: Undescribed | None) -> dict[str, object]:
    """The survey as the design fixes it."""
    from saltcart.cli.undescribed import document as undescribed_document

    files, total = sums(report)
    return {
        "undescribed": found and undescribed_document(found),
        "places": report.places,
        "shelves": [shelf_document(report, number, depth) for number in range(len(report.shelves))],
        "ledgers": [ledger_state(state) for state in report.ledgers],
        "strays": list(map(stray_document, report.strays)),
        "not_looked_at": list(map(stray_document, report.unseen)),
        "findings": [{"kind": one.kind, "path": one.path, "what": one.what} for one in report.findings],
        "totals": {"files": files, "bytes": total, "entries": report.counts},
    }


def shelf_document(report: SurveyReport, number: int, depth: int) -> dict[str, object]:
    """One shelf."""
    shelf = report.shelves[number]
    return {
        "name": shelf.name,
        "path": shelf.tree.path,
        "reached_as": shelf.reached_as,
        "care": shelf.care,
        "drive": shelf.drive.identity if shelf.drive else None,
        "drive_share": (
            round(shelf.tree.disk_bytes / shelf.drive.total_bytes, 4)
            if shelf.drive and shelf.drive.total_bytes
            else None
        ),
        **tree_document(shelf.tree),
        "packs": [
            {"path": tree.path, "level": level, **tree_document(tree)} for level, tree in packs(shelf.tree, depth)
        ],
        "leant_on_by": {
            report.ledgers[ledger].path: count for (ledger, one), count in sorted(report.leans.items()) if one == number
        },
        **({"headers": header_document(shelf.headers)} if shelf.headers else {}),
    }


def tree_document(tree: FolderTree) -> dict[str, object]:
    """The sums of one folder."""
    newest = datetime.fromtimestamp(tree.newest, UTC).strftime("%Y-%m-%dT%H:%M:%SZ") if tree.newest else None
    return {
        "files": tree.files,
        "bytes": tree.bytes,
        "disk_bytes": tree.disk_bytes,
        "largest_file_bytes": tree.largest_bytes,
        "audio_files": tree.audio_files,
        "audio_share": round(tree.audio_share, 4),
        "kinds": dict(tree.kinds),
        "newest": newest,
    }


def header_document(found: HeaderSums) -> dict[str, object]:
    """What the headers of one shelf say."""
    return {
        "duration_seconds": round(found.seconds, 3),
        "longest_seconds": round(found.longest_seconds, 3),
        "sample_rates_hz": dict(found.rates),
        "channels": dict(found.channels),
        "bits": dict(found.bits),
        "tagged_files": found.tagged,
        "unreadable_files": len(found.troubles),
    }


def sums(report: SurveyReport) -> tuple[int, int]:
    """Files and bytes in all shelves."""
    return sum(shelf.tree.files for shelf in report.shelves), sum(shelf.tree.bytes for shelf in report.shelves)
