"""The command `saltcart mend`: find what lost entries meant, and relink them in place, with evidence."""

import argparse
import re
import sys
from collections import Counter
from collections.abc import Sequence

from saltcart.cart import load
from saltcart.cli.arguments import add_cart, add_ledgers, add_list, add_wait, add_yes, need_answer
from saltcart.cli.check_output import show_check
from saltcart.cli.commands.survey import show_ledgers
from saltcart.cli.documents import check_document, trip_document
from saltcart.cli.mend_output import document, show_findings, show_outcome, show_sample, tell_unknown
from saltcart.cli.screen import Screen, many, place
from saltcart.drives import Presence
from saltcart.drives.named import meant_place
from saltcart.errors import Refused, UsageError, show, typed
from saltcart.judging.judge import Judge
from saltcart.judging.judgements import FOUND
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.maps import load_map
from saltcart.looking.survey import usual_ledgers
from saltcart.mending.discovery import Discovery, discover, look_for_losses
from saltcart.mending.findings import Findings, choose, find, is_proven, settle
from saltcart.mending.plan import lines_of, proposals, waybill_for
from saltcart.mending.rules import Rule
from saltcart.mending.trial import leave_out_what_fails
from saltcart.shelves.true_names import true_path
from saltcart.spelling import Meanings
from saltcart.switching.ledger_trip import change_ledgers, finish_cut_off
from saltcart.system import os
from saltcart.trips.summary import summary
from saltcart.waybills import waybill_file, waybill_text
from saltcart.waybills.relinks import ONE
from saltcart.waybills.waybill import Waybill

SHOWN = 20


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """What to mend, where to look, and what to take."""
    parser.add_argument("plan", nargs="?", metavar="PLAN", help="carry out a plan that --plan wrote")
    add_ledgers(parser)
    parser.add_argument(
        "--in",
        dest="places",
        nargs="+",
        action="extend",
        default=[],
        metavar="PLACE",
        help="look for the lost files there, and not in the places that are known",
    )
    parser.add_argument("--plan", dest="output", metavar="FILE", help="write what would be done, to read and edit")
    parser.add_argument("--by-name", action="store_true", help="also apply matches based only on file and folder names")
    add_list(parser, "--only-rule", "N", "apply only these rules")
    add_list(parser, "--not", "N", "leave these rules out")
    add_list(parser, "--choose", "N=M", "for the entry of number N take the file of number M")
    parser.add_argument(
        "--for-here",
        action="store_true",
        help="the ledgers stay on this computer: write paths of another system in this system's style",
    )
    parser.add_argument(
        "--signposts",
        action="store_true",
        help="turn links that lead nowhere to where things are now, and leave entries that go through them as they are",
    )
    add_wait(parser)
    add_yes(parser)
    add_cart(parser)


def planned(path: str) -> Waybill:
    """The plan in a file; a playlist in its place is told how it would be mended."""
    try:
        return waybill_file.given(path)
    except waybill_file.NoPlan as error:
        error.remedy = f"To mend a playlist or a database: saltcart mend --ledger {typed(path)}"
        raise


def run(options: argparse.Namespace) -> int:
    """Look, show, ask, rewrite, check."""
    screen = Screen(options)
    carry_on(screen, options)
    if options.plan:
        return carry_out(screen, planned(options.plan), options)
    cart = load(options.cart)
    maps = [load_map(path) for path in dict.fromkeys([*options.map, *cart.maps])]
    means = cart.meanings(options.drive)
    options.places = [meant_place(place) for place in options.places]
    for path in options.places:
        if not os.path.isdir(os.path.expanduser(path)):
            raise Refused(f"{show(path)} is not a folder", "If its drive is not connected, plug it in.")
    discovered, places = Discovery(), options.places
    with screen.watch() as watch:
        ledgers = [true_path(path) for path in options.ledger] or usual_ledgers(cart, maps, watch)[0]
        if not options.ledger:  # programs have more than what is known of them
            losing = look_for_losses(cart, options.places, means, watch)
            discovered = discover(losing, maps, watch)
            places = places and losing.places
            maps += discovered.maps
            ledgers = list(dict.fromkeys([*ledgers, *discovered.ledgers]))
        judge = Judge(headers=False, presence=Presence(cart.drives), resolver=Resolver(Meanings(means)))
        found = find(ledgers, maps, cart, judge, places, watch)
    found.discovered = discovered
    taken = rules_taken(options, found)
    if options.only_rule or getattr(options, "not"):
        settle(found, taken)
    choose(found, chosen(options, found), options.by_name)
    show_findings(screen, found, taken)
    tell_unknown(screen, discovered)
    taken += likely_ones(screen, options, found, taken)
    waybill = waybill_for(
        found, maps, means, lambda rule: any(rule is one for one in taken), options.for_here, options.signposts
    )
    with screen.watch():
        failing = leave_out_what_fails(waybill, found.losses.ledgers)
    for path, error in failing.items():
        remedy = error.remedy or "A link at the old place lets its program find the sounds again."
        screen.remark(f"{place(path)} cannot be mended so, and is left as it is: {show(error.what)}. {remedy}")
    if options.output:
        return write_plan(screen, found, taken, waybill, options)
    if waybill.ledgers:
        return carry_out(screen, waybill, options, found, taken)
    return tell_unchanged(screen, found, taken, bool(failing))


def tell_unchanged(screen: Screen, found: Findings, taken: Sequence[Rule], failed: bool) -> int:
    """Say how it is when there is nothing to change, or nothing could be."""
    if failed:
        screen.say("Nothing was changed.")
    screen.document({"trip": None, **document(found, taken)})
    return 0 if found.losses.sound and found.discovered.complete else 1


def carry_on(screen: Screen, options: argparse.Namespace) -> None:
    """Finish what was interrupted before anything is judged."""
    if options.dry_run:
        return
    with screen.watch() as watch:
        for name in finish_cut_off(options.wait, watch):
            screen.remark(f"trip {name} was interrupted while it changed ledgers. It is finished now")


def chosen(options: argparse.Namespace, found: Findings) -> dict[int, int]:
    """The files chosen for entries by --choose.  UsageError for what is no number shown."""
    numbers: dict[int, int] = {}
    for text in options.choose:
        pair = re.fullmatch(r"(\d+)=(\d+)", text)
        single = found.singles[int(pair[1]) - 1] if pair and 0 < int(pair[1]) <= len(found.singles) else None
        if not pair or not single or not 0 < int(pair[2]) <= len(single.files):
            raise UsageError(f"--choose {show(text)} is no choice that was shown", "Write it like: --choose 3=2")
        numbers[int(pair[1])] = int(pair[2])
    return numbers


def rules_taken(options: argparse.Namespace, found: Findings) -> list[Rule]:
    """The rules that shall be carried out.  UsageError for a number that was not shown."""
    for text in (*options.only_rule, *getattr(options, "not")):
        if not text.isdigit() or not 0 < int(text) <= len(found.rules):
            known = f"Their numbers go from 1 to {len(found.rules)}." if found.rules else "No rule was found at all."
            raise UsageError(f"There is no rule {show(text)}", known)
    only, without = set(options.only_rule), set(getattr(options, "not"))
    return [
        rule
        for number, rule in enumerate(found.rules, 1)
        if str(number) not in without
        and (str(number) in only if only else is_proven(rule) or (options.by_name and not rule.doubt))
        and (options.for_here or not rule.means)
    ]


def likely_ones(screen: Screen, options: argparse.Namespace, found: Findings, taken: Sequence[Rule]) -> list[Rule]:
    """The rules that only names support, where a person is there and says that they are right."""
    mends = Counter(id(rule) for rule, _file in found.mended.values())  # not: what is as likely by another rule
    left = [
        (number, rule)
        for number, rule in enumerate(found.rules, 1)
        if mends[id(rule)]
        and not any(rule is one for one in taken)
        and not rule.means
        and not rule.doubt
        and str(number) not in getattr(options, "not")
    ]
    if not left or options.yes or options.output or options.only_rule or not sys.stdin.isatty():
        return []
    likely: list[Rule] = []
    for number, rule in left:
        show_sample(screen, found, rule)
        entries = many(found.entries_of(rule), "entry", "entries")
        if screen.agrees(f"Take rule {number} too ({entries})? It is based only on names.", options):
            likely.append(rule)
    return likely


def write_plan(
    screen: Screen, found: Findings, taken: Sequence[Rule], waybill: Waybill, options: argparse.Namespace
) -> int:
    """Write the plan to a file."""
    path = os.path.abspath(os.path.expanduser(options.output))
    if os.path.exists(path):
        raise Refused(f"There is a file at {place(path)} already", "Choose another name.")
    proposed = proposals(found, lambda rule: any(rule is one for one in taken))
    if not waybill.ledgers and not proposed:
        raise Refused("There is nothing that could be mended", "Say where to look with --in.")
    if proposed:
        known = {line.path for line in waybill.ledgers}
        waybill.ledgers += [line for line in lines_of(found) if line.path not in known]
    waybill_text.write(waybill, path, proposed=proposed)
    more = many(len(proposed), "proposal that was not applied is", "proposals that were not applied are")
    screen.say(f"Plan written: {place(path)}.{f' {more} in it as comments.' if proposed else ''} Nothing was changed.")
    screen.say(f"Next: saltcart mend {typed(os.path.relpath(path))}")
    screen.document({"trip": None, "plan": path, **document(found, taken)})
    return 0


def refuse_unfit(waybill: Waybill) -> None:
    """Raise UsageError for a plan of something else, Refused when what was found has gone since."""
    if waybill.shelves or not (waybill.relinks or waybill.here or waybill.signposts):
        raise UsageError("This is no plan of mending", "Write one with: saltcart mend --plan FILE")
    if gone := [one.new for one in waybill.relinks if not os.path.lexists(one.new)]:
        raise Refused(
            "What was found is not there any more", "Look again: saltcart mend", list(map(show, gone[:SHOWN]))
        )


def show_changes(screen: Screen, waybill: Waybill, options: argparse.Namespace) -> None:
    """Show what was not shown before: what a plan from a file relinks, the links, and the files that will change."""
    if options.plan:
        for one in waybill.relinks:
            screen.say(f"{place(one.old)}{'' if one.what == ONE else '/...'} -> {place(one.new)}")
    for post, target in waybill.signposts:
        screen.say(f"The link {place(post)} will lead to {place(target)}")
    if not options.yes:
        rows = [(place(line.path), line.map_name) for line in waybill.ledgers]
        screen.table("Files in which entries will change", ("File", "Kind"), rows)


def carry_out(
    screen: Screen,
    waybill: Waybill,
    options: argparse.Namespace,
    found: Findings | None = None,
    taken: Sequence[Rule] = (),
) -> int:
    """Ask, rewrite all ledgers or none, and say how it is."""
    refuse_unfit(waybill)
    ledgers = many(len(waybill.ledgers), "ledger", "ledgers")
    show_changes(screen, waybill, options)
    if not options.yes and not sys.stdin.isatty():
        raise need_answer(options, "changed")
    if not screen.agrees(f"Relink these entries in {ledgers}, and change nothing else?", options):
        raise need_answer(options, "changed")
    with screen.watch() as watch:
        name, switched, report = change_ledgers(waybill, options.wait, watch)
    if report.ok:  # what stays lost was told before
        show_ledgers(screen, [one.state for one in report.ledgers])
    else:
        show_check(screen, report)
    changes = f"{many(switched.changed, 'change', 'changes')} in {ledgers}; in each nothing else differs"
    left = show_outcome(screen, waybill, found, report, changes)
    screen.say(f"To undo it: saltcart undo {name}")
    screen.document(
        {
            **trip_document(summary(name)),
            "changed_entries": switched.changed,
            **(document(found, taken) if found else {}),
            "check": check_document(report),
        }
    )
    waiting = found.losses.offline or found.losses.troubles or not found.discovered.complete if found else False
    every_one = report.counts[FOUND] == sum(report.counts.values())
    return 0 if report.ok and every_one and not left and not waiting else 1
