"""The command `saltcart move`: draft, ask, haul, repoint and check in one go."""

import argparse
import sys
from collections.abc import Sequence
from contextlib import ExitStack
from functools import partial

from saltcart.carrying.in_use import in_use
from saltcart.cli.account import refuse_open, searched_text, show_advice, show_learnt
from saltcart.cli.arguments import add_pace, add_plan, add_wait, add_yes, need_answer, pace
from saltcart.cli.check_output import assurance, closing, show_check, show_notes
from saltcart.cli.commands.draft import request, show_draft
from saltcart.cli.commands.haul import show_haul
from saltcart.cli.commands.repoint import show_turned
from saltcart.cli.documents import check_document, trip_document
from saltcart.cli.screen import Screen, many, place, size
from saltcart.drives import drive_of
from saltcart.drives.drive import mount_of
from saltcart.drives.named import meant_place
from saltcart.errors import show
from saltcart.hauling.haul import haul_waybill, note_remarks
from saltcart.hauling.haul_report import HaulReport
from saltcart.planning.destination import half_switched
from saltcart.planning.draft import Draft, draft
from saltcart.proving.check import check_trip
from saltcart.proving.results import CheckReport
from saltcart.shelves.true_names import true_path
from saltcart.switching.programs import refuse_busy_ledgers
from saltcart.switching.repoint import RepointReport, repoint_copied
from saltcart.system import os
from saltcart.trips import trip as trips
from saltcart.trips.summary import TripSummary, summary
from saltcart.waybills import waybill_text


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The plan."""
    add_plan(parser)
    add_pace(parser)
    add_wait(parser)
    add_yes(parser)


def run(options: argparse.Namespace) -> int:
    """Draft, ask, haul, repoint, check; on a share, with the places there to ourselves."""
    screen = Screen(options)
    with ExitStack() as stack:
        places = dict.fromkeys(map(true_path, map(meant_place, options.to)))
        for there in (one for one in places if os.path.isdir(mount_of(one)) and drive_of(one).facts.network):
            if told := stack.enter_context(in_use(there)):
                screen.remark(told)
        return move(screen, options)


def move(screen: Screen, options: argparse.Namespace) -> int:
    """Move."""
    if name := half_switched(options.shelf, list(map(meant_place, options.to))):
        screen.say(f"Trip {name} was interrupted while it moved this. It continues.")
        return switch_and_prove(screen, name, HaulReport(), options)
    with screen.watch() as watch:
        plan = draft(request(options), watch)
    show_draft(screen, plan, options.limit)
    if options.yes or not sys.stdin.isatty():
        refuse_open(plan)
    show_advice(screen, plan)
    account = plan.account
    look = partial(show_learnt, screen, account) if account and account.files else None
    ends = "leave the originals as they are" if options.copy else "set the originals aside"
    question = f"Copy and verify the sounds, update these ledgers, and {ends}?"
    if any(one.shelf.packed for one in plan.shelves):
        question = "Unpack and verify the sounds, and keep the archive?"
    if not screen.agrees(question, options, look):
        raise need_answer(options, "moved")
    return carry_out(screen, plan, options)


def carry_out(screen: Screen, plan: Draft, options: argparse.Namespace) -> int:
    """Do what a plan says, which was shown and agreed to: copy, switch, prove; the exit status."""
    with screen.watch() as watch:
        refuse_busy_ledgers(plan.waybill, options.wait, watch)
    path = waybill_text.keep(plan.waybill)
    for one in plan.ledgers:
        one.state.judged.clear()  # of very many entries, all texts would stay in memory beside those of the switch
    with screen.watch() as watch:
        name, hauled = haul_waybill(path, pace(options), watch)
    with trips.opened(name) as trip:
        note_remarks(trip, plan.remarks)
    show_haul(screen, name, hauled)
    return switch_and_prove(screen, name, hauled, options)


def switch_and_prove(screen: Screen, name: str, hauled: HaulReport, options: argparse.Namespace) -> int:
    """Let the programs use the new place, and look how all is then; the exit status."""
    with screen.watch() as watch:
        switched = repoint_copied(name, wait=options.wait, progress=watch)
    show_turned(screen, switched)
    with screen.watch() as watch:
        report = check_trip(name, progress=watch)
    done = summary(name)
    screen.say()
    screen.say(answer(report), style="bold")
    if screen.all or not report.ok:
        show_check(screen, report)
    else:
        show_notes(screen, report)
    screen.say()
    show_closing(screen, done, hauled, switched, report)
    screen.document(
        {
            **trip_document(done),
            "copied_files": hauled.copied_files,
            "copied_bytes": hauled.copied_bytes,
            "named_files": hauled.named_files,
            "named_bytes": hauled.named_bytes,
            "changed_entries": switched.changed,
            "set_aside": switched.aside,
            "turned_links": switched.turned,
            "check": check_document(report),
        }
    )
    return 0 if report.ok and not hauled.without_manifest else 1


def answer(report: CheckReport) -> str:
    """How it ended, in a sentence or two."""
    if not report.ok:
        return f"Moved, but something needs your attention: {closing(report)}"
    return f"Done. {'Copied' if report.copies else 'Moved'} and verified. {assurance(report)}"


def show_closing(
    screen: Screen, done: TripSummary, hauled: HaulReport, switched: RepointReport, report: CheckReport
) -> None:
    """What was moved, what was rewritten, how it is, and what to type next."""
    before = sum(report.before_counts.values())
    lines = f"{many(switched.changed, 'entry', 'entries')} in {sum(row.changed > 0 for row in done.ledgers)}"
    rows = [("Trip", done.trip), *shelf_rows(done, report.copies)]
    rows += [("Updated", f"{lines} of {many(len(done.ledgers), 'ledger', 'ledgers')}; nothing else in them changed")]
    rows += [("Entries", closing(report).split(". ")[0].rstrip("."))]
    if before:
        where = "listed above" if screen.all or not report.ok else f"listed by saltcart check {done.trip}"
        rows += [("Broken before", f"{many(before, 'entry', 'entries')}, {where}; not caused by the move")]
    if report.search and not screen.all and report.ok:
        rows += [("Searched", searched_text(report.search).removeprefix("Searched "))]
    aside = list(map(place, switched.aside)) if screen.all else [first_of(switched.aside)] if switched.aside else []
    rows += [("Set aside", f"{one} (nothing has been deleted)") for one in aside]
    copied = hauled.copied_files > 0 or not hauled.named_files
    screen.facts([*rows, *next_rows(done, report, copied), ("To undo it", f"saltcart undo {done.trip}")])


def first_of(paths: Sequence[str]) -> str:
    """One place, and how many there are besides; the plan that was shown lists them all."""
    return place(paths[0]) + (f" and {len(paths) - 1} more" if paths[1:] else "")


def shelf_rows(done: TripSummary, copies: bool) -> list[tuple[str, str]]:
    """What went where."""
    verb = "Unpacked" if any(one.shelf.packed for one in done.shelves) else "Copied" if copies else "Moved"
    moved = [one for one in done.shelves if not one.shelf.along]
    count, total = sum(one.files for one in moved), sum(one.bytes for one in moved)
    name = show(moved[0].shelf.name) if len(moved) == 1 else many(len(moved), "shelf", "shelves")
    what = f"{name}: {many(count, 'file', 'files')}, {size(total)}"
    rows = [(verb, f"{what}, now at {first_of([one.shelf.new for one in moved])}")] if moved else []
    if along := [one for one in done.shelves if one.shelf.along]:
        folders = ", ".join(sorted({place(os.path.dirname(one.shelf.old)) for one in along})[:3])
        files, room = many(len(along), "file", "files"), size(sum(one.bytes for one in along))
        rows.append(("Gathered", f"{files} from {folders}, copied; the originals stay there and take {room}"))
    return rows


def next_rows(done: TripSummary, report: CheckReport, copied: bool) -> list[tuple[str, str]]:
    """What became of the originals, and what to type about them; whether new copies were made of what they hold."""
    free, after = f"saltcart release {done.trip}   deletes", "after verifying the copies again"
    archives = sorted({one.shelf.old for one in done.shelves if one.shelf.packed})
    if archives and report.ok:
        rows = [("Archive", f"stays at {place(path)}") for path in archives]
        return [*rows, ("To free it", f"{free} the archive {after}")]
    if report.copies:
        return [("Originals", f"stay at {first_of([one.shelf.old for one in done.shelves])}, and are still used")]
    if not report.ok:
        return [("Needs you", f"see above; saltcart check {done.trip}   shows it again")]
    room = size(sum(one.bytes for one in done.shelves if not one.shelf.original_stays))
    what = f"the originals, {room}," if copied else "the old names of the files, which frees no space,"
    return [("To free it", f"{free} {what} {after}")]
