"""The command `saltcart settle`: a collection that was carried, at home on this computer."""

import argparse
import sys
from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from contextlib import nullcontext
from shlex import quote

from msgspec.structs import asdict, replace

from saltcart.carrying.agreement import BACK, HERE, IN_PLACE
from saltcart.carrying.giving_back import giving_back
from saltcart.carrying.in_use import in_use
from saltcart.carrying.record import finish
from saltcart.carrying.settle import made_here, plan_settle, remember_here, take_up
from saltcart.carrying.stands import (
    AS_IT_WAS,
    BOTH,
    COPY,
    LEAVE,
    MERGE,
    REPLACE,
    STAYS,
    LedgerStand,
    SettlePlan,
    sums_at,
)
from saltcart.cart import load
from saltcart.cli.arguments import add_all, add_cart, add_list, add_pace, add_wait, add_yes, need_answer, pace
from saltcart.cli.check import closing, show_check
from saltcart.cli.documents import check_document, trip_document
from saltcart.cli.haul import show_haul
from saltcart.cli.screen import Screen, many, place, size
from saltcart.drives.named import meant_place
from saltcart.errors import show
from saltcart.hauling.haul import haul, haul_waybill
from saltcart.hauling.shelf_copy import HaulReport
from saltcart.ledgers import load_map
from saltcart.merging.merged import Merged
from saltcart.proving.check import check_trip
from saltcart.proving.results import CheckReport
from saltcart.shelves.true_names import true_path, without_detours
from saltcart.spelling.moves import tail_below
from saltcart.switching.programs import refuse_busy_ledgers
from saltcart.switching.repoint import RepointReport, repoint_copied
from saltcart.trips.summary import summary
from saltcart.trips.trip import HAULED, HAULING
from saltcart.waybills import waybill_text
from saltcart.waybills.collection import clear_unfinished

MOST = 8  # of a kind, each in a line
MOST_CELLS = 12
MOST_MERGES = 3  # ledgers of which it is shown what comes
WAYS = {"here": HERE, "in_place": IN_PLACE, "back": BACK}
DONE = {
    COPY: "is copied here",
    REPLACE: "replaces the one here, which is kept",
    LEAVE: "left as it is",
    BOTH: "both stay as they are",
    STAYS: "stays in the collection",
    MERGE: "both are combined here",
}


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
        "--asked",
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
            clear_unfinished(true_path(options.folder))
        return settle(screen, options, way)


def settle(screen: Screen, options: argparse.Namespace, way: str) -> int:
    """Settle in one way, or look alone."""
    with screen.watch() as watch:
        cart = load(options.cart)
        plan = plan_settle(options.folder, "", options.place, progress=watch, cart=cart)
        name = take_up(plan, way) if way else None
        if way and not name:
            damage, choice = options.damaged_too, (options.take, options.keep)
            plan = plan_settle(options.folder, way, options.place, damage, *choice, seen=plan, cart=cart)
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
        screen.say(f"Everything is up to date here. {left_word(plan)}".strip())
        screen.document({**document, "trip": None})
        return 1 if unsettled(plan) else 0
    if name:
        screen.say(f"Trip {name} was interrupted while it settled this. It continues.")
    ask_which(screen, plan, options)
    if not screen.agrees(QUESTIONS[way], options):
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
    show_closing(screen, plan, name, report, changed_entries(plan, switched), hauled.copied_files, proof)
    screen.document({**trip_document(summary(name)), **document, "compared": proof, "check": check_document(report)})
    if way == IN_PLACE and report.ok:
        with screen.watch() as watch:
            seen = plan_settle(options.folder, "", options.place, progress=watch, seen=plan, cart=cart)
        if giving_back(seen.found, seen.ledgers):
            screen.say("To write what happened here to the drive, run the same command again.")
    return 0 if report.ok and not unsettled(plan) and all(one["equal"] for one in proof) else 1


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
    """Copy what comes here, in a new trip or in that one which was cut off; its id."""
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
    both = [one for one in plan.ledgers if one.step == BOTH or (one.step == STAYS and one.why)]
    unread = plan.found.unread if plan.way == HERE and not made_here(plan.found) else []
    return bool(both or unread or plan.clashing or plan.problems or plan.unasked or plan.sounds.beside)


def left_word(plan: SettlePlan) -> str:
    """What needs the person, in a sentence."""
    both = [one for one in plan.ledgers if one.step == BOTH]
    return f"{many(len(both), 'ledger', 'ledgers')} changed in both places, see above." if both else ""


def show_plan(screen: Screen, plan: SettlePlan) -> None:
    """What is there, from when, and how it stands against what is here."""
    found = plan.found
    screen.say(
        f"The collection in {place(found.top)} was carried on {found.made[:10]} by {show(found.user)} on"
        f" {show(found.machine)}."
    )
    here = {HERE: "Goes to", IN_PLACE: "Stays at", BACK: "At home", "": "Its place on this computer"}[plan.way]
    screen.table(
        "Sounds",
        ("Shelf", ">Files", ">Size", "Came from", here),
        [
            (
                show(one.name),
                one.files,
                size(one.bytes),
                place(one.source),
                place(found.at(one.place) if plan.way == IN_PLACE else plan.homes[one.place]),
            )
            for one in found.shelves
        ],
    )
    if found.files and plan.way in (HERE, ""):
        screen.table(
            "Single files",
            ("File", here),
            [(show(one.place), place(plan.homes[one.place])) for one in found.files[: None if screen.all else MOST]],
        )
        if len(found.files) > MOST and not screen.all:
            screen.say(f"and {many(len(found.files) - MOST, 'more file', 'more files')} (--all lists them)")
    shown = [one for one in plan.ledgers if not plan.way or not (one.step == LEAVE and unchanged(one))]
    if screen.all or len(shown) <= MOST:
        screen.table(
            "Ledgers",
            ("Ledger", "In the collection", "Here", "Its place here", "What is done"),
            [ledger_row(plan, one) for one in shown],
        )
    else:
        kinds = Counter(kind_row(plan, one) for one in shown)
        screen.table(
            "Ledgers (--all lists each)",
            ("Kind", "In the collection", "Here", "What is done", ">Ledgers"),
            [(*kind, count) for kind, count in kinds.items()],
        )
    if folded := len(plan.ledgers) - len(shown):
        screen.say(f"{many(folded, 'ledger is', 'ledgers are')} unchanged in both places.")
    show_remarks(screen, plan)


def show_remarks(screen: Screen, plan: SettlePlan) -> None:
    """What is missing or altered in a collection, what is new in it, and what stays there."""
    for problem in plan.problems[:MOST]:
        screen.remark(f"{problem.verdict}: {place(problem.path)}: {problem.why}")
    if more := plan.problems[MOST:]:
        screen.remark(f"and {len(more):,} more that are missing or altered (--json has them)")
    show_sounds(screen, plan)
    if unread := plan.found.unread:
        screen.remark(
            f"{many(len(unread), 'file refers', 'files refer')} to sounds by their place on the first computer, and"
            f" Salt Cart"
            f" cannot rewrite that: {some(unread)}. Open each in its program, and let it search there."
        )
    if plan.unasked:
        first = ", ".join(map(show, [*plan.unasked][:MOST]))
        screen.remark(
            f"{many(len(plan.unasked), 'item stays', 'items stay')} there, because this computer has no record of"
            f" having sent it: {first}. To take it: --place PLACE=FOLDER"
        )
    if plan.sounds.beside:
        screen.remark(
            f"{many(len(plan.sounds.beside), 'sound lies', 'sounds lie')} outside the shelves and will not be copied:"
            f" {', '.join(map(place, plan.sounds.beside[:MOST]))}. Move them into a shelf to include them."
        )
    if not plan.problems:
        screen.say("Every file was read; none is missing or damaged.")


def show_sounds(screen: Screen, plan: SettlePlan) -> None:
    """What became of the sounds there: new, changed, renamed, gone; and what others are in the way of."""
    sounds = plan.sounds
    for shelf, names in sounds.new.items():
        screen.say(f"New in {show(shelf)}: {many(len(names), 'file', 'files')}: {some(names)}")
    if sounds.changed:
        screen.say(f"Edited there: {many(len(sounds.changed), 'file', 'files')}: {some(sounds.changed)}")
    for shelf, pairs in sounds.renamed.items():
        told = [f"{old} is {new} now" for old, new in pairs.items()]
        screen.say(f"Renamed in {show(shelf)}: {many(len(pairs), 'file', 'files')}: {some(told)}")
    for shelf, names in sounds.gone.items():
        count = many(len(names), "file,", "files,")
        screen.say(f"Removed from {show(shelf)} there: {count} kept here: {some(names)}")
    if plan.clashing:
        screen.remark(
            f"{many(len(plan.clashing), 'file', 'files')} changed in both places and stay as they are:"
            f" {some(plan.clashing)}. To use the one there: --take FILE   to use the one here: --keep FILE"
        )


def listed(paths: Iterable[str]) -> str:
    """A path, or the first of some."""
    found = list(paths)
    return place(found[0]) + (f" and {many(len(found) - 1, 'other', 'others')}" if found[1:] else "")


def some(names: Collection[str]) -> str:
    """The first of some names."""
    more = len(names) - MOST
    return ", ".join(map(show, [*names][:MOST])) + (f" and {more:,} more" if more > 0 else "")


def show_merges(screen: Screen, plan: SettlePlan) -> None:
    """What is brought together, before it is; and what can only be taken as a whole."""
    both = [one for one in plan.ledgers if one.step == BOTH]
    for one in both[: None if screen.all else MOST_MERGES]:
        which = quote(show(one.carried.place))
        screen.say(f"  To use the one there: --take {which}   to keep the one here: --keep {which}")
    if not screen.all and (more := len(both) - MOST_MERGES) > 0:
        screen.say(f"and {many(more, 'more ledger', 'more ledgers')} (--all shows them)")
    show_changes(screen, [(one.here, one.merged) for one in plan.ledgers if one.merged])


def show_changes(screen: Screen, merges: Sequence[tuple[str, Merged]]) -> None:
    """What comes from there into the ledgers here, and what both changed in other ways."""
    changes = [(here, one) for here, merged in merges for one in merged.changes]
    conflicts = [(here, merged, one) for here, merged in merges for one in merged.conflicts]
    most = None if screen.all else MOST_CELLS
    screen.table(
        "What comes from the collection",
        ("Into", "Sound or list", "What", "Here", "Will be"),
        [
            (place(here), show(one.name), told_column(one.column), told(one.here), told(one.becomes))
            for here, one in changes[:most]
        ],
    )
    if most and (more := len(changes) - most) > 0:
        screen.say(f"and {many(more, 'more change', 'more changes')} (--all lists them)")
    screen.table(
        "Changed in both places",
        ("In", "Sound or list", "What", "Here", "There"),
        [
            (place(here), show(merged.names.get(one.uid, "")), told_column(one.column), told(one.here), told(one.there))
            for here, merged, one in conflicts[:most]
        ],
    )
    if most and (more := len(conflicts) - most) > 0:
        screen.say(f"and {many(more, 'more', 'more')} (--all lists them)")


def told_column(name: str) -> str:
    """The name of a column for a person."""
    return show(name).replace("_", " ")


def told(cell: object) -> str:
    """A cell for a person."""
    return "" if cell is None else show(str(cell))


def ask_which(screen: Screen, plan: SettlePlan, options: argparse.Namespace) -> None:
    """Of what both sides changed, each in its way: which holds."""
    asked = sum(len(one.merged.conflicts) for one in plan.ledgers if one.merged)
    if not asked:
        return
    word = options.asked
    if word is None and sys.stdin.isatty():
        question = f"{many(asked, 'thing', 'things')} changed in both places. Which one wins, here or there?"
        word = screen.ask(question, "here", options)
    word = "there" if word == "there" else "here"
    screen.say(f"{many(asked, 'thing', 'things')} changed in both places: the one {word} wins.")
    plan.waybill.ledgers = [replace(line, asked=word) if line.merge else line for line in plan.waybill.ledgers]


def unchanged(one: LedgerStand) -> bool:
    """Whether a ledger is as it was, there and here."""
    return one.stands_there == one.stands_here == AS_IT_WAS


def ledger_row(plan: SettlePlan, one: LedgerStand) -> tuple[str, ...]:
    """One ledger for the table."""
    why = f": {one.why}" if one.why else ""
    done = f"{DONE[one.step]}{why}" if plan.way else ""
    there, here = (
        ", ".join(filter(None, pair))
        for pair in zip((one.stands_there, one.stands_here), map(said, one.sums), strict=True)
    )
    return (show(one.carried.place), there, here, place(one.here), done)


def kind_row(plan: SettlePlan, one: LedgerStand) -> tuple[str, str, str, str]:
    """The same for one of many."""
    done = ledger_row(plan, one)[4]
    return one.carried.map_name, one.stands_there, one.stands_here, done


def said(sums: Mapping[str, int]) -> str:
    """What a ledger says of its sounds, in a few words."""
    if not sums:
        return ""
    rated = f", {sums['rated']:,} rated" if sums["rated"] else ""
    return f"{sums['plays']:,} plays{rated}"


def show_choice(screen: Screen, plan: SettlePlan) -> None:
    """What can be typed next."""
    top = quote(show(plan.found.top))
    screen.say("Nothing has been changed. What to do with it:")
    rows = [
        ("Copy it here", f"saltcart settle {top} --here"),
        ("Play from the drive", f"saltcart settle {top} --in-place"),
        ("Bring changes home", f"saltcart settle {top} --back"),
    ]
    screen.facts(rows[::-1] if made_here(plan.found) else rows)


def compared(plan: SettlePlan, report: CheckReport) -> list[dict[str, object]]:
    """Each settled ledger held against what was carried: entries found, and what its map knows, in numbers."""
    maps = [load_map(path) for path in plan.waybill.maps]
    known = {one.state.path: one for one in report.ledgers}
    result: list[dict[str, object]] = []
    for one in plan.ledgers:
        state = known.get(one.here)
        if one.step not in (COPY, REPLACE) or state is None:
            continue
        found, now = state.state.counts()["found"], sums_at(one.here, maps, one.carried.map_name)
        changed = one.stands_there != AS_IT_WAS
        away = [
            each.resolved
            for each in state.state.judgements()
            if plan.way != IN_PLACE and tail_below(without_detours(each.resolved), plan.found.top) is not None
        ]
        wanted = dict(one.sums[0])
        result.append(
            {
                "ledger": one.here,
                "found": found,
                "found_at_home": one.carried.found,
                "says": dict(now),
                "said": wanted,
                "still_there": away,
                "lost": sum(problem.new for problem in state.problems),
                "equal": dict(now) == wanted
                and not any(problem.new for problem in state.problems)
                and (changed or found >= one.carried.found)
                and not away,
            }
        )
    return result


def changed_entries(plan: SettlePlan, switched: RepointReport) -> int:
    """How many entries were rewritten, what was brought together not counted."""
    return max(0, switched.changed - sum(one.merged.differing for one in plan.ledgers if one.merged))


def show_closing(
    screen: Screen,
    plan: SettlePlan,
    name: str,
    report: CheckReport,
    changed: int,
    copied: int,
    proof: list[dict[str, object]],
) -> None:
    """What was done, how it compares, and what to type next."""
    rows = [("Trip", name)]
    moved = [shelf for shelf in plan.waybill.shelves if not shelf.gathered]
    rows += [("Copied", f"{show(shelf.name)} to {place(shelf.new)}") for shelf in moved if copied]
    if plan.waybill.newer:
        rows += [("Newer", f"{many(len(plan.waybill.newer), 'file', 'files')}; what they were before is kept")]
    if plan.waybill.renamed:
        rows += [("Renamed", many(len(plan.waybill.renamed), "file", "files"))]
    merged = [one for one in plan.ledgers if one.step == MERGE]
    settled = [one for one in report.ledgers if all(one.state.path != other.here for other in merged)]
    if settled:
        what = f"{many(changed, 'entry', 'entries')} in {many(len(settled), 'ledger', 'ledgers')}"
        rows += [("Updated", f"{what}; nothing else in them changed")]
    elif not merged:
        rows += [("Updated", "nothing was left to do")]
    if any(report.counts.values()):
        rows += [("Entries", closing(report).split(". ")[0].rstrip("."))]
    unequal = [one for one in proof if not one["equal"]]
    if proof and not unequal:
        plays = sum(int(one["says"].get("plays", 0)) for one in proof if isinstance(one["says"], dict))
        what = f", with the same {plays:,} plays" if plays else ""
        rows += [("Compared", f"everything that works there works here{what}")]
    for one in unequal:
        away = one["still_there"]
        what = (
            f"still points to {len(away)} sounds in the collection"
            if isinstance(away, list) and away
            else "differs from there"
        )
        rows += [("Compared", f"{place(str(one['ledger']))} {what}")]
    kept = [one for one in plan.ledgers if one.step == REPLACE]
    if kept:
        rows += [("Kept", f"the old {listed(one.here for one in kept)}; undo brings it back")]
    if merged:
        count = sum(came_from_there(plan, each.here, each.merged) for each in merged if each.merged)
        what = f"{many(count, 'change', 'changes')} from there in {listed(each.here for each in merged)}"
        rows += [("Combined", f"{what}; the old one is kept, and undo brings it back")]
    both = [one for one in plan.ledgers if one.step == BOTH]
    if both:
        rows += [("Both changed", f"{listed(one.here for one in both)}: both stay as they are")]
    if merged and plan.way != IN_PLACE:
        rows += [("Next", "the same carry again copies what changed here to the drive")]
    rows += [("To undo it", f"saltcart undo {name}")]
    screen.facts(rows)


def came_from_there(plan: SettlePlan, here: str, merged: Merged) -> int:
    """How many changes a ledger here took from the collection, with what both changed where the one there won."""
    won = any(line.merge and line.path == here and line.asked == "there" for line in plan.waybill.ledgers)
    return len(merged.changes) + (len(merged.conflicts) if won else 0)


def conflicts_of(merged: Merged) -> list[dict[str, object]]:
    """What both sides changed, for a program."""
    return [
        {"name": merged.names.get(one.uid, ""), "column": one.column, "here": one.here, "there": one.there}
        for one in merged.conflicts
    ]


def plan_document(plan: SettlePlan) -> dict[str, object]:
    """The plan for a program."""
    found = plan.found
    return {
        "collection": found.top,
        "made": found.made,
        "machine": found.machine,
        "user": found.user,
        "way": plan.way or None,
        "places": [{"place": where, "from": source, "here": plan.homes[where]} for where, source in found.sources()],
        "stands": [
            {
                "place": one.carried.place,
                "there": one.there,
                "here": one.here,
                "stands_there": one.stands_there,
                "stands_here": one.stands_here,
                "says_there": dict(one.sums[0]),
                "says_here": dict(one.sums[1]),
                "step": one.step if plan.way else None,
                "why": one.why,
                "merged": list(map(asdict, one.merged.changes)) if one.merged else [],
                "conflicts": conflicts_of(one.merged) if one.merged else [],
            }
            for one in plan.ledgers
        ],
        "problems": [{"path": one.path, "verdict": one.verdict, "why": one.why} for one in plan.problems],
        "new": plan.sounds.new,
        "changed": sorted(plan.sounds.changed),
        "renamed": plan.sounds.renamed,
        "gone": plan.sounds.gone,
        "clashing": plan.clashing,
        "beside": plan.sounds.beside,
    }
