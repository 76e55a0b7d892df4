"""The page of one trip: what moved where, what was rewritten, how it is now, and how to take it back."""

from collections.abc import Iterator

from rich.filesize import decimal

from saltcart.drives import drive_of, find_drive
from saltcart.errors import show
from saltcart.proving.results import CheckReport, Problem
from saltcart.report.drawing import as_svg
from saltcart.report.page import render
from saltcart.report.pictures import DriveBar, before_and_now, pace_picture
from saltcart.safefile import digest_of
from saltcart.system import os
from saltcart.trips import trip as trips
from saltcart.trips.facts import Fact
from saltcart.trips.summary import TripSummary, summary_of
from saltcart.trips.trip import RELEASED, SWITCHED, Trip

LEFT_BEHIND = {"signpost": "a signpost (link)", "original": "the originals"}

LEAST_SECONDS = 1.0


def trip_page(report: CheckReport, answer: str) -> str:
    """The page of the trip that a check has judged; `answer` is what is said of it first."""
    with trips.opened(report.trip or "") as trip:
        done = summary_of(trip)
        problems = [(one.state.path, problem) for one in report.ledgers for problem in one.problems]
        return render(
            "trip",
            f"Trip {done.trip}: {', '.join(show(one.shelf.name) for one in done.shelves if not one.shelf.along)}",
            ok=report.ok,
            answer=answer,
            when=f"Started {clock(done.started)}; {done.state}" + (f" {clock(done.finished)}" if done.finished else ""),
            shelves=list(shelf_rows(done)),
            drives=drives_figure(trip),
            ledgers=list(ledger_rows(done, report)),
            worse=[problem_row(path, one) for path, one in problems if one.new],
            before=[problem_row(path, one) for path, one in problems if one.known],
            left_entries=[problem_row(path, one) for path, one in problems if one.left],
            copies=[(show(one.path), one.verdict, show(one.why)) for shelf in report.shelves for one in shelf.problems],
            left=[(show(one.path), one.standing, one.count) for one in report.left],
            renames=[
                (show(one.shelf.name), show(old), show(new)) for one in done.shelves for old, new in one.shelf.renames
            ],
            unknown=list(unknown(report)),
            remarks=list(map(show, trip.logbook.fact(Fact.REMARKS, []))),
            pace=pace_figure(trip),
            manifests=list(manifest_rows(trip)),
            commands=commands(done),
            events=[(at, show(what)) for at, what in done.events],
        )


def shelf_rows(done: TripSummary) -> Iterator[tuple[str | int, ...]]:
    """Each shelf, and in one row what was gathered."""
    for one in done.shelves:
        if not one.shelf.along:
            left = "the archive" if one.shelf.packed else LEFT_BEHIND.get(one.shelf.leave, "nothing")
            left = f"set aside: {show(one.aside)}" if one.aside and not one.shelf.original_stays else left
            places = show(one.shelf.old), show(one.shelf.new)
            yield (show(one.shelf.name), one.files, decimal(one.bytes), *places, left)
    if along := [one for one in done.shelves if one.shelf.along]:
        folders = ", ".join(sorted({show(os.path.dirname(one.shelf.new)) for one in along}))
        size = decimal(sum(one.bytes for one in along))
        yield ("gathered", sum(one.files for one in along), size, "elsewhere", folders, "the originals")


def unknown(report: CheckReport) -> Iterator[str]:
    """What could not be judged, or searched, and what the trip goes without."""
    for one in report.ledgers:
        if one.state.trouble:
            yield show(f"{one.state.trouble.what}. {one.state.trouble.remedy}")
    yield from (f"Not searched, because it is not there: {show(place)}" for place in report.unsearched)
    yield from (f"Not searched: {show(gap.path)} ({gap.why})" for gap in (report.search.gaps if report.search else ()))
    for found in (found for shelf in report.shelves for found in shelf.accepted):
        yield f"{show(found.path)}: {show(found.why)}"


def ledger_rows(done: TripSummary, report: CheckReport) -> Iterator[tuple[str | int, ...]]:
    """Each ledger with its verdicts."""
    changed = {path: row.changed for row in done.ledgers for path in (row.path, row.place)}
    for one in report.ledgers:
        counts = one.state.counts()
        other = counts["altered"] + counts["unreadable"] + counts["unclear"]
        figures = counts["found"], counts["offline"], counts["missing"], other
        entries = sum(counts.values())
        yield (show(one.state.path), one.state.map_name, entries, changed.get(one.state.path, 0), *figures)


def problem_row(path: str, problem: Problem) -> tuple[str, ...]:
    """One entry that needs a word."""
    found = problem.judgement
    return found.verdict, show(path), str(found.entry.where), show(found.entry.written), show(found.why)


def drives_figure(trip: Trip) -> str:
    """The drives before the haul and now; "" where nothing was recorded of them."""
    pairs: list[tuple[DriveBar, DriveBar | None]] = []
    words = []
    for identity, (name, mount, total, free) in (trip.logbook.fact(Fact.ROOM) or {}).items():
        there = find_drive(identity, mount)
        now = drive_of(there.mount) if there else None  # this time with its room
        after = DriveBar(name, total - now.free_bytes, now.free_bytes, 0) if now else None
        pairs.append((DriveBar(name, total - free, free, 0), after))
        words.append(f"{name}: {decimal(free)} free before, {decimal(now.free_bytes) if now else 'not connected'} now")
    return as_svg(before_and_now(pairs, "Before the haul, and now"), "; ".join(words)) if pairs else ""


def clock(time: str) -> str:
    """A time in ISO 8601 for a person."""
    return f"{time[:10]} at {time[11:16]} UTC"


def pace_figure(trip: Trip) -> str:
    """How fast the haul went; "" where nothing was recorded, or where it took no time worth a picture."""
    points = [(float(at), int(done)) for at, done in trip.logbook.fact(Fact.PACE) or ()]
    if len(points) < 2 or points[-1][0] < LEAST_SECONDS:
        return ""
    seconds, size = points[-1]
    words = f"{decimal(size)} copied and read back in {seconds:,.1f} s, {decimal(int(size / seconds))} a second"
    return as_svg(pace_picture(points, words), words)


def manifest_rows(trip: Trip) -> Iterator[tuple[str, ...]]:
    """The manifest of each shelf, with its own digest as it is now."""
    for one in trip.shelves:
        if one.manifest:
            path = one.manifest[0]
            there = os.path.isfile(path)
            yield show(one.shelf.name), show(path), digest_of(path) or "" if there else "it is not there"


def commands(done: TripSummary) -> list[tuple[str, str, str]]:
    """What can be typed next."""
    rows = [("Look again", f"saltcart check {done.trip}", "")]
    if done.state == SWITCHED:
        if any(not one.shelf.original_stays for one in done.shelves):
            rows.append(("Free the old drive", f"saltcart release {done.trip}", "after one more verification"))
        rows.append(("Undo it", f"saltcart undo {done.trip}", "byte for byte; what programs wrote since stays"))
    if done.state == RELEASED:
        rows.append(("Undo it", f"saltcart undo {done.trip}", "moves the copies back, because the originals are gone"))
    return rows
