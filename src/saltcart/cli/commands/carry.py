"""The command `saltcart carry`: a collection on a drive that plays anywhere."""

import argparse
from datetime import date

from saltcart.carrying.carry import given_up, plan_carry
from saltcart.carrying.carry_plan import CarryPlan
from saltcart.carrying.gone import drop_gone, note_gone, places_of
from saltcart.carrying.in_use import in_use
from saltcart.carrying.record import finish
from saltcart.cart import load
from saltcart.cli.arguments import (
    add_all,
    add_arrange,
    add_cart,
    add_ledgers,
    add_list,
    add_pace,
    add_search,
    add_sha256,
    add_wait,
    add_yes,
    need_answer,
    pace,
)
from saltcart.cli.carry_output import Outcome, show_closing, show_plan
from saltcart.cli.check_output import show_check
from saltcart.cli.commands.haul import show_haul
from saltcart.cli.documents import check_document, draft_document, trip_document
from saltcart.cli.half_carried import finish_half_carried
from saltcart.cli.screen import Screen
from saltcart.drives import Presence
from saltcart.drives.known import remember
from saltcart.drives.named import meant_place
from saltcart.errors import show
from saltcart.hauling.haul import haul_waybill
from saltcart.judging.judgements import FOUND
from saltcart.planning.destination import refuse_hole
from saltcart.planning.request import Request
from saltcart.proving.check import check_trip
from saltcart.proving.results import CheckReport
from saltcart.shelves.true_names import true_path, without_detours
from saltcart.spelling.moves import tail_below
from saltcart.switching.programs import refuse_busy_ledgers
from saltcart.switching.repoint import repoint_copied
from saltcart.switching.undo import undo
from saltcart.trips.summary import summary
from saltcart.waybills import waybill_text
from saltcart.waybills.collection import Collection, clear_unfinished
from saltcart.waybills.new_place import landing_drive


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """What goes, and where."""
    parser.add_argument("shelf", nargs="*", metavar="SHELF", help="the folder of sounds to copy, or single files")
    parser.add_argument("--to", required=True, metavar="FOLDER", help="the folder on a drive for the collection")
    add_ledgers(parser)
    add_list(parser, "--only", "PATTERN", "copy only these")
    add_list(parser, "--exclude", "PATTERN", "leave these out, such as '*.ini' or 'Old Packs'")
    parser.add_argument("--rated", type=float, metavar="N", help="copy the sounds rated N or higher")
    parser.add_argument("--played-since", type=day, metavar="DAY", help="copy the sounds played since that day")
    add_list(parser, "--from-list", "LIST", "copy the sounds in this playlist")
    parser.add_argument(
        "--gather", action="store_true", help="also copy every sound from elsewhere that the ledgers use"
    )
    parser.add_argument("--with-leftovers", action="store_true", help="also copy sounds that no ledger lists")
    parser.add_argument(
        "--with-litter", action="store_true", help="also copy files that systems and programs leave behind"
    )
    parser.add_argument("--with-programs", action="store_true", help="also copy programs and plug-ins")
    parser.add_argument("--lists", action="store_true", help="also write each playlist of a database as an M3U8 file")
    parser.add_argument("--drop-gone", action="store_true", help="remove from the collection what you removed here")
    add_arrange(parser)
    add_all(parser)
    add_search(parser)
    add_sha256(parser)
    add_pace(parser)
    add_wait(parser)
    add_yes(parser)
    add_cart(parser)


def day(text: str) -> str:
    """A day in ISO 8601, as it was given."""
    try:
        return date.fromisoformat(text).isoformat()
    except ValueError:
        raise argparse.ArgumentTypeError(f"{show(text)} is not a date; write it like 2026-01-31") from None


def request(options: argparse.Namespace) -> Request:
    """What the command line asks for."""
    return Request(
        shelves=options.shelf,
        to=[options.to],
        ledgers=options.ledger,
        maps=options.map,
        leave_out=options.exclude,
        only=options.only,
        means=options.drive,
        cart=load(options.cart),
        digests=options.digests_kind,
        searches=options.no_search != [],
        not_searched=options.no_search or (),
        search=options.search,
        leave_unread=options.ignore,
        from_list=options.from_list,
        with_programs=options.with_programs,
        rated=options.rated,
        played_since=options.played_since or "",
        arrange=options.arrange,
    )


def run(options: argparse.Namespace) -> int:
    """Plan, ask, copy, make the ledgers portable, prove."""
    screen = Screen(options)
    options.to = meant_place(options.to)
    refuse_hole(true_path(options.to), Presence(load(options.cart).drives))
    remember(
        [landing_drive(true_path(options.to))]
    )  # from now on it is known when it goes, and that its mount point is none
    if options.dry_run:
        return carry(screen, options)
    with in_use(true_path(options.to)) as told:
        if told:
            screen.remark(told)
        clear_unfinished(true_path(options.to))
        return carry(screen, options)


def carry(screen: Screen, options: argparse.Namespace) -> int:
    """Carry, with the place to ourselves."""
    if not options.dry_run:
        finish_half_carried(screen, options.to, options)
    with screen.watch() as watch:
        plan = plan_carry(request(options), options.with_leftovers, options.with_litter, options.gather, watch)
    show_plan(screen, plan, options.drop_gone, options.limit)
    if not screen.agrees("Copy and verify all this? Nothing on this computer changes.", options):
        raise need_answer(options, "carried")
    with screen.watch() as watch:
        refuse_busy_ledgers(plan.draft.waybill, options.wait, watch)
    path = waybill_text.keep(plan.draft.waybill)
    undo_given_up(screen, plan, path, options.wait)
    note_gone(plan)
    with screen.watch() as watch:
        name, hauled = haul_waybill(path, pace(options), watch)
    show_haul(screen, name, hauled)
    with screen.watch() as watch:
        repoint_copied(name, wait=options.wait, progress=watch)
    stays = drop_gone(plan) if options.drop_gone else []
    made, lacking = finish(name, options.lists, plan.unread)
    with screen.watch() as watch:
        report = check_trip(name, progress=watch)
    dropped = len(plan.gone) - len(stays) if options.drop_gone else 0
    outcome = Outcome(leading_out(report, made), lacking, dropped, stays)
    if not report.ok:
        show_check(screen, report)
    screen.say()
    show_closing(screen, plan, made, report, outcome)
    carried = {**outcome._asdict(), "check": check_document(report)}
    copied = {"copied_files": hauled.copied_files, "copied_bytes": hauled.copied_bytes}
    screen.document({**trip_document(summary(name)), **carried_document(plan, made), **carried, **copied})
    well = report.ok and (plan.chosen or not outcome.leading_out) and not plan.unread and not plan.draft.left_out
    return 0 if well and not stays else 1


def undo_given_up(screen: Screen, plan: CarryPlan, path: str, wait: bool) -> None:
    """Undo an interrupted trip to this folder after which something here changed; copies that are of use stay."""
    if name := given_up(plan, path):
        screen.say(
            f"Trip {name} to this folder was interrupted, and something here has changed since. It is undone first."
            " What it copied and is still needed stays."
        )
        with screen.watch() as watch:
            undo(name, drop_copies=True, wait=wait, progress=watch, spare=places_of(plan))


def carried_document(plan: CarryPlan, made: Collection) -> dict[str, object]:
    """What was carried, and what stayed, for a program."""
    return {
        "collection": made.top,
        "draft": draft_document(plan.draft, None),
        "portable": [made.at(one.place) for one in made.ledgers if one.relative],
        "full_paths": [made.at(one.place) for one in made.ledgers if not one.relative],
        "unread": plan.unread,
        "left_out": plan.draft.left_out,
        "from_others": plan.strange,
        "cut": plan.cut,
        "apart": sorted(plan.apart),
        "libraries_left": plan.libraries,
        "leftovers": plan.leftovers,
        "litter": plan.litter,
        "kept_offline": sorted(plan.offline),
        "gone": [one.place for one in plan.gone],
        "lists": [made.at(one.place) for one in made.lists],
    }


def leading_out(report: CheckReport, made: Collection) -> list[dict[str, str]]:
    """The entries of ledgers that play anywhere which are found, and not in the collection."""
    relative = {made.at(one.place) for one in made.ledgers if one.relative}
    return [
        {"ledger": one.state.path, "where": str(judgement.entry.where), "resolved": judgement.resolved}
        for one in report.ledgers
        if one.state.path in relative
        for judgement in one.state.judgements()
        if judgement.verdict == FOUND and tail_below(without_detours(judgement.resolved), made.top) is None
    ]
