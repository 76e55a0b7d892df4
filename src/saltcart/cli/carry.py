"""The command `saltcart carry`: a collection on a drive that plays anywhere."""

import argparse
import os
from collections import Counter
from datetime import date
from shlex import quote

from saltcart.carrying.carry import given_up, plan_carry, unfinished
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
from saltcart.cli.check import show_check
from saltcart.cli.documents import check_document, draft_document, trip_document
from saltcart.cli.draft import show_arranged, slowed
from saltcart.cli.drives import duration
from saltcart.cli.haul import show_haul
from saltcart.cli.screen import Screen, many, place, size
from saltcart.drives.known import remember
from saltcart.drives.named import meant_place
from saltcart.errors import show
from saltcart.hauling.haul import haul_waybill
from saltcart.judging.judge import FOUND
from saltcart.planning.destination import refuse_hole
from saltcart.planning.request import Request
from saltcart.proving.check import check_trip
from saltcart.proving.results import CheckReport
from saltcart.shelves.true_names import true_path, without_detours
from saltcart.spelling.moves import tail_below
from saltcart.switching.programs import refuse_busy_ledgers
from saltcart.switching.repoint import repoint, repoint_copied
from saltcart.switching.undo import undo
from saltcart.trips.summary import summary
from saltcart.waybills import waybill_text
from saltcart.waybills.collection import Collection, clear_unfinished
from saltcart.waybills.new_place import landing_drive
from saltcart.waybills.waybill import LedgerLine

MOST = 8  # of a kind, each in a line


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
    refuse_hole(true_path(options.to))
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
    with screen.watch() as watch:
        if not options.dry_run and (name := unfinished(options.to)):
            repoint(name, wait=options.wait, progress=watch)
            finish(name)
            screen.say(f"Trip {name} to {place(options.to)} was interrupted near its end. It is finished now.")
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
    dropped = drop_gone(plan) if options.drop_gone else 0
    made, lacking = finish(name, options.lists, plan.unread)
    with screen.watch() as watch:
        report = check_trip(name, progress=watch)
    out = leading_out(report, made)
    if not report.ok:
        show_check(screen, report)
    screen.say()
    show_closing(screen, plan, made, report, out, dropped, lacking)
    carried = {"leading_out": out, "lacking_in_lists": lacking, "dropped": dropped, "check": check_document(report)}
    copied = {"copied_files": hauled.copied_files, "copied_bytes": hauled.copied_bytes}
    screen.document({**trip_document(summary(name)), **carried_document(plan, made), **carried, **copied})
    return 0 if report.ok and (plan.chosen or not out) and not plan.unread else 1


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


def show_plan(screen: Screen, plan: CarryPlan, drop: bool, limit: int | None) -> None:
    """What goes, what stays, and how much room is left."""
    show_what_goes(screen, plan)
    show_ledgers(screen, plan)
    show_what_stays(screen, plan, drop)
    show_room(screen, plan, limit)
    if plan.unread:
        names = ", ".join(map(place, plan.unread[:MOST]))
        screen.remark(
            f"{many(len(plan.unread), 'file that travels refers', 'files that travel refer')} to sounds in a way Salt"
            f" Cart cannot rewrite. On another computer they will not find them: {names}"
        )
    for text in plan.draft.remarks:
        screen.remark(text)


def show_what_goes(screen: Screen, plan: CarryPlan) -> None:
    """The sounds that go along."""
    draft = plan.draft
    files, total = sum(one.files for one in draft.shelves), sum(one.bytes for one in draft.shelves)
    ledgers = many(len(draft.ledgers), "ledger", "ledgers")
    screen.say(
        f"{many(files, 'file', 'files')}, {size(total)}, with {ledgers}. Nothing on this computer changes.",
        style="bold",
    )
    screen.say()
    shelves = [one for one in draft.shelves if not one.shelf.gathered]
    screen.table(
        "What is copied" if plan.before is None else f"Brings the collection of {plan.before.made[:10]} up to date",
        ("Shelf", ">Files", ">Size", "From", "To"),
        [
            (show(one.shelf.name), one.files, size(one.bytes), place(one.shelf.old), place(one.shelf.new))
            for one in shelves
        ],
    )
    show_arranged(screen, draft)
    if draft.strays:
        folders = ", ".join(sorted({place(os.path.dirname(path)) for path in draft.strays})[:3])
        screen.say(
            f"{many(len(draft.strays), 'file', 'files')} from elsewhere ({size(sum(draft.strays.values()))}) are"
            f" copied too,"
            f" because these ledgers use them: from {folders}."
        )


def show_ledgers(screen: Screen, plan: CarryPlan) -> None:
    """The ledgers that go along, and how: each, or where there are many, a line for each kind."""
    draft = plan.draft
    moves = draft.waybill.moves()
    rows = [
        (
            place(one.line.path),
            manner(plan, one.line),
            sum(one.state.counts().values()),
            one.line.map_name,
            place(moves.follow(one.line.path) or one.line.path),
        )
        for one in draft.ledgers
    ]
    if screen.all or len(rows) <= MOST:
        screen.table("Ledgers", ("Ledger", "Plays anywhere", ">Entries", "Map", "There"), rows)
    else:
        kinds = Counter((row[3], row[1]) for row in rows)
        entries = {kind: sum(row[2] for row in rows if (row[3], row[1]) == kind) for kind in kinds}
        screen.table(
            "Ledgers (--all lists each)",
            ("Kind", "Plays anywhere", ">Ledgers", ">Entries"),
            [(*kind, count, entries[kind]) for kind, count in kinds.items()],
        )
    if plan.full:
        first = plan.full[0]
        count = many(len(plan.full), "ledger is", "ledgers are")
        screen.say(
            f"{count} copied unchanged, because {first.line.why} ({place(first.line.path)}). saltcart settle adjusts"
            " that on the other computer."
        )
    if not draft.ledgers:
        screen.remark("No ledger that was found lists these sounds. Only the sounds are copied.")


def manner(plan: CarryPlan, line: LedgerLine) -> str:
    """How a ledger goes along, in a word."""
    if line.path in plan.cut:
        return "yes, cut to what travels"
    return "yes" if line.rewrite else "after settle"


def show_what_stays(screen: Screen, plan: CarryPlan, drop: bool) -> None:
    """What stays at home, and what is in the collection and not at home any more."""
    for found, word, option in (
        (plan.leftovers, "that no ledger lists", "--with-leftovers"),
        (plan.litter, "of litter", "--with-litter"),
    ):
        if found:
            screen.say(
                f"Not copied: {many(len(found), 'file', 'files')} {word}, {size(sum(found.values()))}. To copy them:"
                f" {option}"
            )
    if plan.strange:
        count, top = many(len(plan.strange), "file", "files"), quote(show(plan.top))
        screen.say(
            f"{count} in the collection came from others and are not on this computer yet: saltcart settle {top} --back"
        )
    if plan.apart:
        count = many(len(plan.apart), "file", "files")
        screen.say(
            f"Not copied: {count} elsewhere that ledgers use, {size(sum(plan.apart.values()))}. To copy them: --gather"
        )
    if plan.libraries:
        names = ", ".join(map(place, plan.libraries[:MOST]))
        screen.say(f"Not copied: {names}, because most of what it lists does not travel. To copy it: --ledger FILE")
    if plan.cut:
        lines = many(sum(plan.cut.values()), "line", "lines")
        names = ", ".join(map(place, [*plan.cut][:MOST]))
        screen.say(f"Cut to what travels, only in the copy: {names} ({lines} with other sounds).")
    if plan.gone:
        ends = "removed there too" if drop else "kept there; to remove them: --drop-gone"
        names = ", ".join(show(one.place) for one in plan.gone[:MOST])
        screen.say(f"Removed here: {many(len(plan.gone), 'file', 'files')} of the collection ({names}); {ends}.")


def show_room(screen: Screen, plan: CarryPlan, limit: int | None) -> None:
    """How much room is left, how long it takes, and what waits for a drive."""
    draft = plan.draft
    for room in draft.rooms:
        if room.drive.identity == draft.waybill.shelves[0].new_drive:
            screen.say(
                f"{show(room.drive.name)}: {size(room.before)} free now, {size(room.hauled)} after this;"
                f" about {duration(slowed(draft, limit))}."
            )
    if plan.offline:
        count = many(len(plan.offline), "item", "items")
        first = next(iter(plan.offline.values()))
        screen.remark(
            f"{count} in the collection stay as they are, because their drive is not connected: {place(first)}"
            + (" and others" if len(plan.offline) > 1 else "")
        )


def show_closing(
    screen: Screen,
    plan: CarryPlan,
    made: Collection,
    report: CheckReport,
    out: list[dict[str, str]],
    dropped: int,
    lacking: int,
) -> None:
    """What is there, what plays anywhere, what does not, and what to type next."""
    relative = [one for one in made.ledgers if one.relative]
    full = [one for one in made.ledgers if not one.relative]
    rows = [("Collection", place(made.top))]
    carried = [one for one in plan.draft.shelves if not one.shelf.gathered]
    files, room = sum(one.files for one in carried), sum(one.bytes for one in carried)
    rows += [("Holds", f"{many(files, 'file', 'files')}, {size(room)}, each copy verified")]
    if along := len(plan.draft.strays):
        rows += [("Gathered", many(along, "file", "files") + " from elsewhere")]
    if relative:
        entries = sum(one.entries for one in relative)
        rows += [
            ("Plays anywhere", f"{many(len(relative), 'ledger', 'ledgers')} with {many(entries, 'entry', 'entries')}")
        ]
    if made.lists:
        less = f"; {many(lacking, 'track', 'tracks')} of them were not copied" if lacking else ""
        rows += [("Lists", f"{many(len(made.lists), 'playlist', 'playlists')} in {place(made.at('Lists'))}{less}")]
    if full:
        names = ", ".join(place(made.at(one.place)) for one in full[:2]) + (" ..." if len(full) > 2 else "")
        rows += [("After settle", f"{many(len(full), 'ledger', 'ledgers')}: {names}")]
    if out:
        rows += [
            (
                "Leads out",
                f"{many(len(out), 'entry', 'entries')} to sounds that"
                f" {'were not chosen' if plan.chosen else 'are not in the collection'}, first"
                f" {place(out[0]['resolved'])} in {place(out[0]['ledger'])}",
            )
        ]
    if before := sum(report.before_counts.values()):
        rows += [("Broken before", f"{many(before, 'entry', 'entries')}, on this computer too")]
    if dropped:
        rows += [("Removed", f"{many(dropped, 'file', 'files')} that you removed here")]
        rows += [
            (
                "Elsewhere",
                f"saltcart settle {quote(show(made.top))}   on the other computer, or here to bring home what changed",
            )
        ]
    rows += [("Again", "the same command brings the collection up to date")]
    screen.facts(rows)
