"""The command `saltcart settle`: a collection that was carried, at home on this computer."""

import argparse
import sys
from contextlib import nullcontext

from msgspec.structs import replace

from saltcart.carrying.agreement import BACK, HERE, IN_PLACE
from saltcart.carrying.giving_back import giving_back
from saltcart.carrying.in_use import in_use
from saltcart.carrying.record import finish
from saltcart.carrying.settle import SettleRequest, made_here, plan_settle, remember_here, take_up, unfinished
from saltcart.carrying.stands import BOTH, STAYS, SettlePlan
from saltcart.cart import load
from saltcart.cli.arguments import add_all, add_cart, add_list, add_pace, add_wait, add_yes, need_answer, pace
from saltcart.cli.check_output import show_check
from saltcart.cli.commands.haul import show_haul
from saltcart.cli.documents import check_document, trip_document
from saltcart.cli.half_carried import finish_half_carried
from saltcart.cli.screen import Screen, many, place
from saltcart.cli.settle_closing import Outcome, changed_entries, compared, show_closing
from saltcart.cli.settle_output import plan_document, show_choice, show_merges, show_plan
from saltcart.drives.named import meant_place
from saltcart.hauling.haul import haul, haul_waybill
from saltcart.hauling.haul_report import HaulReport
from saltcart.proving.check import check_trip
from saltcart.shelves.true_names import true_path
from saltcart.switching.programs import refuse_busy_ledgers
from saltcart.switching.repoint import repoint_copied
from saltcart.trips.summary import summary
from saltcart.trips.trip import HAULED, HAULING
from saltcart.waybills import waybill_text
from saltcart.waybills.collection import clear_unfinished

WAYS = {"here": HERE, "in_place": IN_PLACE, "back": BACK}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The collection, and which of the three ways."""
    parser.add_argument(
        "folder", nargs="?", default=".", metavar="FOLDER", help="the folder of the collection (default: this one)"
    )
    ways = parser.add_mutually_exclusive_group()
    ways.add_argument("--here", action="store_true", help="copy sounds and ledgers to their places on this computer")
    ways.add_argument(
        "--in-place",
        action="store_true",
        help="leave the sounds on the drive; ledgers on this computer refer to them there",
    )
    ways.add_argument(
        "--back", action="store_true", help="bring home what happened on the way: plays, ratings, playlists, sounds"
    )
    parser.add_argument(
        "--place",
        action="append",
        default=[],
        metavar="PLACE=FOLDER",
        help="where to put a shelf or ledger of the collection on this computer",
    )
    add_list(
        parser, "--take", "LEDGER", "of ledgers and sounds that changed in both places: take these from the collection"
    )
    add_list(parser, "--keep", "LEDGER", "of ledgers and sounds that changed in both places: keep the ones here")
    parser.add_argument(
        "--prefer",
        choices=("here", "there"),
        help="which one wins when the same thing changed in both places (default: here)",
    )
    parser.add_argument("--damaged-too", action="store_true", help="continue although files are missing or damaged")
    add_all(parser)
    add_pace(parser)
    add_wait(parser)
    add_yes(parser)
    add_cart(parser)


def run(options: argparse.Namespace) -> int:
    """Look, ask, copy, rewrite, prove."""
    screen = Screen(options)
    way = next((way for key, way in WAYS.items() if getattr(options, key)), "")
    options.folder = meant_place(options.folder)
    works = way and not options.dry_run
    with in_use(true_path(options.folder)) if works else nullcontext("") as told:
        if told:
            screen.remark(told)
        if works:
            finish_half_carried(screen, options.folder, options)
            clear_unfinished(true_path(options.folder))
        return settle(screen, options, way)


def settle(screen: Screen, options: argparse.Namespace, way: str) -> int:
    """Settle in one way, or only look."""
    with screen.watch() as watch:
        cart, begun = load(options.cart), unfinished(options.folder, way) if way else None
        asks = SettleRequest(options.folder, way, options.place, options.damaged_too, options.take, options.keep)
        plan = plan_settle(replace(asks, way="") if begun else asks, cart, watch)
        if begun:
            take_up(plan, begun, way)
    name = begun.name if begun else None
    show_plan(screen, plan)
    document = plan_document(plan)
    if not way:
        show_choice(screen, plan)
        screen.document(document)
        return 1 if plan.problems else 0
    show_merges(screen, plan)
    if way == IN_PLACE and not plan.something and not unsettled(plan):
        return give_back(screen, options, plan, document)
    if not plan.something:
        if not options.dry_run and (told := remember_here(plan, "")):
            screen.remark(told)
        screen.say(left_word(plan))
        screen.document({**document, "trip": None})
        return 1 if unsettled(plan) else 0
    if name:
        screen.say(f"Trip {name} was interrupted while it settled this. It continues.")
    return bring_home(screen, options, plan, name, document)


def bring_home(
    screen: Screen, options: argparse.Namespace, plan: SettlePlan, name: str | None, document: dict[str, object]
) -> int:
    """Ask, copy, switch and prove, in a new trip or in that one which was interrupted."""
    ask_which(screen, plan, options)
    if not screen.agrees(QUESTIONS[plan.way], options):
        raise need_answer(options, "settled")
    name, hauled = copied(plan, name, screen, options)
    with screen.watch() as watch:
        switched = repoint_copied(name, wait=options.wait, progress=watch)
    with screen.watch() as watch:
        report = check_trip(name, progress=watch)
    if told := remember_here(plan, name):
        screen.remark(told)
    if not report.ok:
        show_check(screen, report)
    proof = compared(plan, report)
    screen.say()
    outcome = Outcome(name, hauled.copied_files, changed_entries(plan, switched), proof)
    show_closing(screen, plan, report, outcome)
    more = {"compared": proof, "check": check_document(report)}
    screen.document({**trip_document(summary(name)), **document, **more})
    if plan.way == IN_PLACE and report.ok:
        tell_of_giving_back(screen, options, plan)
    return 0 if report.ok and not unsettled(plan) and all(one["equal"] for one in proof) else 1


def tell_of_giving_back(screen: Screen, options: argparse.Namespace, plan: SettlePlan) -> None:
    """Say what to type when something happened here that the collection does not have."""
    with screen.watch() as watch:
        again = SettleRequest(options.folder, places=options.place)
        seen = plan_settle(again, load(options.cart), watch, plan)
    if giving_back(seen.found, seen.ledgers):
        screen.say("To write what happened here to the drive, run the same command again.")


def give_back(screen: Screen, options: argparse.Namespace, plan: SettlePlan, document: dict[str, object]) -> int:
    """Write into the collection what happened to the ledgers here that name the sounds there."""
    waybill = giving_back(plan.found, plan.ledgers)
    if waybill is None:
        if not options.dry_run and (told := remember_here(plan, "")):
            screen.remark(told)
        screen.say("Everything is up to date here.")
        screen.document({**document, "trip": None})
        return 0
    names = ", ".join(place(line.path) for line in waybill.ledgers)
    screen.say(f"Writes to the collection what happened here: {names}. What was there before is kept.")
    if not screen.agrees("Write this to the collection?", options):
        raise need_answer(options, "given back")
    with screen.watch() as watch:
        refuse_busy_ledgers(waybill, options.wait, watch)
        name, _hauled = haul_waybill(waybill_text.keep(waybill), pace(options), watch)
        repoint_copied(name, wait=options.wait, progress=watch)
    finish(name)
    with screen.watch() as watch:
        report = check_trip(name, progress=watch)
    if not report.ok:
        show_check(screen, report)
    screen.facts([("Trip", name), ("Written back", f"{names}"), ("To undo it", f"saltcart undo {name}")])
    screen.document({**trip_document(summary(name)), **document, "check": check_document(report)})
    return 0 if report.ok else 1


def copied(plan: SettlePlan, name: str | None, screen: Screen, options: argparse.Namespace) -> tuple[str, HaulReport]:
    """Copy what comes here, in a new trip or in that one which was interrupted; its id."""
    with screen.watch() as watch:
        refuse_busy_ledgers(plan.waybill, options.wait, watch)
        if name is None:
            name, hauled = haul_waybill(waybill_text.keep(plan.waybill), pace(options), watch)
        elif summary(name).state in (HAULING, HAULED):
            hauled = haul(name, pace(options), watch)
        else:
            hauled = HaulReport()
    if plan.waybill.shelves:
        show_haul(screen, name, hauled)
    return name, hauled


QUESTIONS = {
    HERE: "Copy and verify all this, and adjust the ledgers for this computer?",
    IN_PLACE: "Use the sounds on the drive from the ledgers on this computer?",
    BACK: "Bring this home?",
}


def unsettled(plan: SettlePlan) -> bool:
    """Whether something needs the person: what changed on both sides, what cannot play here, damage."""
    both = [one for one in plan.ledgers if one.step == BOTH or (one.step == STAYS and not one.carried.relative)]
    unread = plan.found.unread if plan.way == HERE and not made_here(plan.found) else []
    return bool(both or unread or plan.clashing or plan.problems or plan.unasked or plan.sounds.beside)


def left_word(plan: SettlePlan) -> str:
    """What is left to do when there is nothing to write, in a sentence."""
    both = [one for one in plan.ledgers if one.step == BOTH]
    if not both:
        return "Everything is up to date here."
    return (
        f"Nothing else is new there. {many(len(both), 'ledger', 'ledgers')} changed in both places: say which one to"
        " use, see above."
    )


def ask_which(screen: Screen, plan: SettlePlan, options: argparse.Namespace) -> None:
    """Of what both sides changed, each in its way: which holds."""
    asked = sum(len(one.merged.conflicts) for one in plan.ledgers if one.merged)
    if not asked:
        return
    word = options.prefer
    if word is None and sys.stdin.isatty():
        question = f"{many(asked, 'thing', 'things')} changed in both places. Which one wins, here or there?"
        word = screen.ask(question, "here", options)
    word = "there" if word == "there" else "here"
    screen.say(f"{many(asked, 'thing', 'things')} changed in both places: the one {word} wins.")
    plan.waybill.ledgers = [replace(line, prefer=word) if line.merge else line for line in plan.waybill.ledgers]
