"""The parts of the JSON documents that several commands share."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:  # every command loads this module, few need what these bring in
    from saltcart.judging.judgements import LedgerState
    from saltcart.mentions.mention import Spot
    from saltcart.mentions.search import Search
    from saltcart.planning.account import Account, Accounted
    from saltcart.planning.draft import Draft
    from saltcart.planning.rooms import Room
    from saltcart.proving.playing import Played
    from saltcart.proving.results import CheckReport, FileProblem, LeftMentions, Problem
    from saltcart.trips.summary import TripSummary
    from saltcart.waybills.shelf import Shelf


def ledger_state(state: LedgerState) -> dict[str, Any]:
    """One judged ledger."""
    trouble = {"trouble": state.trouble.what} if state.trouble else {}
    return {"path": state.path, "map": state.map_name, "entries": state.counts(), "remote": state.remote, **trouble}


def shelf_document(shelf: Shelf, files: int, size: int) -> dict[str, Any]:
    """One shelf, and how much there is of it."""
    return {
        "name": shelf.name,
        "from": shelf.old,
        "to": shelf.new,
        "care": shelf.care,
        "leave": shelf.leave,
        "files": files,
        "bytes": size,
    }


def trip_document(summary: TripSummary) -> dict[str, Any]:
    """What every step of a trip tells of it."""
    return {
        "trip": summary.trip,
        "state": summary.state,
        "shelves": [
            {**shelf_document(one.shelf, one.files, one.bytes), "set_aside": one.aside} for one in summary.shelves
        ],
        "ledgers": [
            {
                "path": row.place if summary.state in ("switched", "releasing", "released") else row.path,
                "map": row.map_name,
                "rewrite": row.rewrite,
                "changed_entries": row.changed,
            }
            for row in summary.ledgers
        ],
        "files": summary.files,
        "bytes": summary.bytes,
    }


def draft_document(draft: Draft, waybill: str | None) -> dict[str, Any]:
    """A draft, which has no trip yet."""
    return {
        "trip": None,
        "state": "drafted",
        "waybill": waybill,
        "shelves": [
            {
                **shelf_document(one.shelf, one.files, one.bytes),
                "disk_bytes": one.disk_bytes,
                "audio_files": one.audio_files,
                "stay": list(one.shelf.stay),
                "only": list(one.shelf.only),
                "renames": [{"from": old, "to": new} for old, new in one.shelf.renames],
            }
            for one in draft.shelves
        ],
        "ledgers": [
            {
                **ledger_state(one.state),
                "changes": one.changes,
                "rewrite": one.line.rewrite,
                "why": one.line.why,
                "travels": one.travels,
            }
            for one in draft.ledgers
        ],
        "arranged": [
            {
                "shelf": one.name,
                "folders": dict(one.folders),
                "kept": dict(one.kept),
                "clashes": [{"from": old, "to": new} for old, new in one.clashes],
            }
            for one in draft.arranged
        ],
        "strays": [{"path": path, "bytes": size} for path, size in sorted(draft.strays.items())],
        "new_things": [{"ledger": path, "folder": now, "then": then} for path, now, then in draft.new_things],
        "files": sum(one.files for one in draft.shelves),
        "bytes": sum(one.bytes for one in draft.shelves),
        "drives": list(map(room_document, draft.rooms)),
        "haul_seconds": round(draft.seconds, 1),
        "links": [{"path": link, "turned": turned} for link, turned in draft.links.items()],
        "searched": draft.searched,
        "account": account_document(draft.account),
        "in_archives": list(map(mention_document, draft.inside)),
        "remarks": draft.remarks,
    }


def room_document(room: Room) -> dict[str, Any]:
    """The room on one drive."""
    return {
        "name": room.drive.name,
        "mount": room.drive.mount,
        "identity": room.drive.identity,
        "free_bytes": room.before,
        "free_after_haul_bytes": room.hauled,
        "free_after_release_bytes": room.released,
    }


def check_document(report: CheckReport) -> dict[str, Any]:
    """A check, with or without a trip."""
    return {
        "ok": report.ok,
        "trip": report.trip,
        "state": report.state,
        "entries": report.counts,
        "broken_before": report.before_counts if report.trip else None,
        "left_on_purpose": report.left_entries,
        "ledgers": [
            {**ledger_state(one.state), "problems": [problem(found) for found in one.problems]}
            for one in report.ledgers
        ],
        "shelves": [
            {
                "name": shelf.name,
                "path": shelf.path,
                "files": shelf.files,
                "bytes": shelf.bytes,
                "problems": [file_problem(found) for found in shelf.problems],
                "accepted": [file_problem(found) for found in shelf.accepted],
            }
            for shelf in report.shelves
        ],
        "left": list(map(left_document, report.left)),
        "search": search_document(report.search) if report.search else None,
        "unsearched": report.unsearched,
        "wrong_levels": [level._asdict() for level in report.levels],
        "played": list(map(played_document, report.played)),
    }


def played_document(one: Played) -> dict[str, Any]:
    """What came of the sounds of one ledger."""
    return {
        "ledger": one.ledger,
        "named": one.named,
        "decoded": one.decoded,
        "seconds": round(one.seconds, 3),
        "folders": one.folders,
        "all_folders": one.all_folders,
        "troubles": [{"path": path, "why": why} for path, why in one.troubles],
        "not_judged": [{"path": path, "why": why} for path, why in one.unknown],
    }


def file_problem(found: FileProblem) -> dict[str, str]:
    """One file that is not as it should be."""
    return {"path": found.path, "verdict": found.verdict, "why": found.why}


def problem(found: Problem) -> dict[str, Any]:
    """One entry that needs a word."""
    judgement = found.judgement
    return {
        "where": str(judgement.entry.where),
        "written": judgement.entry.written,
        "resolved": judgement.resolved,
        "verdict": judgement.verdict,
        "why": judgement.why,
        "before": found.before,
        "left_on_purpose": found.left,
    }


def account_document(account: Account | None) -> dict[str, Any] | None:
    """The account of a draft."""
    if account is None:
        return None
    return {
        **search_document(account.search),
        "unsearched": account.away,
        "backups": account.backups,
        "mentions": list(map(mention_document, account.files)),
    }


def mention_document(one: Accounted) -> dict[str, Any]:
    """One file that names the shelves."""
    return {
        "path": one.path,
        "standing": one.standing,
        "count": one.count,
        "left": one.uncovered,
        "map": one.map_name or None,
        "learnt": one.learnt,
        "counted": one.counted,
        "why": one.why,
        "spots": list(map(spot_document, one.spots)),
        "folders": [
            {"path": view.folder, "sounds_before": view.before, "sounds_after": view.after} for view in one.views
        ],
    }


def search_document(search: Search) -> dict[str, Any]:
    """Where was searched."""
    return {
        "places": search.places,
        "files_read": search.files - search.unchanged,
        "files_unchanged": search.unchanged,
        "passed_over": dict(search.passed_over),
        "not_searched": [{"path": gap.path, "why": gap.why} for gap in search.gaps],
    }


def left_document(one: LeftMentions) -> dict[str, Any]:
    """One file that still names an old place."""
    return {
        "path": one.path,
        "standing": one.standing,
        "count": one.count,
        "spots": list(map(spot_document, one.spots)),
    }


def spot_document(spot: Spot) -> dict[str, str]:
    """One spot."""
    return {"where": spot.where, "form": spot.form, "text": spot.text}
