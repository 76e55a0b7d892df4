"""The command `saltcart mend`: find what lost entries meant, and relink them in place, with evidence."""

import argparse
import os
import re
import shlex
import sys
from collections import Counter
from collections.abc import Mapping, Sequence

from saltcart.cart import load
from saltcart.cli.arguments import add_cart, add_ledgers, add_list, add_wait, add_yes, need_answer
from saltcart.cli.check import show_check
from saltcart.cli.documents import check_document, trip_document
from saltcart.cli.screen import Screen, many, place
from saltcart.cli.survey import show_ledgers
from saltcart.drives import Presence
from saltcart.drives.named import meant_place
from saltcart.errors import Refused, UsageError, show
from saltcart.judging.judge import ALTERED, FOUND, UNREADABLE, Judge, add_counts
from saltcart.judging.resolver import Resolver
from saltcart.ledgers import load_map
from saltcart.looking.survey import usual_ledgers
from saltcart.mending.discovery import Discovery, discover
from saltcart.mending.findings import BY_NAME, ELSEWHERE, Findings, Single, choose, find, is_proven, settle, waybill_for
from saltcart.mending.rules import Rule
from saltcart.mending.trial import leave_out_what_fails
from saltcart.proving.results import CheckReport
from saltcart.shelves.true_names import true_path
from saltcart.spelling import Meanings
from saltcart.switching.ledger_trip import change_ledgers, finish_cut_off
from saltcart.trips.summary import summary
from saltcart.waybills import waybill_file, waybill_text
from saltcart.waybills.relinks import ONE
from saltcart.waybills.waybill import Waybill

SHOWN = 20
FEW = 5  # singles of a kind that are shown one by one


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
    parser.add_argument("--by-name", action="store_true", help="take rules too for which names and folders alone speak")
    add_list(parser, "--only-rule", "N", "take these rules alone")
    add_list(parser, "--not", "N", "leave these rules out")
    add_list(parser, "--choose", "N=M", "for the entry of number N take the file of number M")
    parser.add_argument(
        "--for-here",
        action="store_true",
        help="the ledgers live here from now on: what is spelt as on another system gets this one's spelling",
    )
    parser.add_argument(
        "--signposts",
        action="store_true",
        help="turn links that lead nowhere to where things are now, and leave entries that go through them as they are",
    )
    add_wait(parser)
    add_yes(parser)
    add_cart(parser)


def run(options: argparse.Namespace) -> int:
    """Look, show, ask, rewrite, check."""
    screen = Screen(options)
    carry_on(screen, options)
    if options.plan:
        return carry_out(screen, waybill_file.read(options.plan), options)
    cart = load(options.cart)
    maps = [load_map(path) for path in dict.fromkeys([*options.map, *cart.maps])]
    means = cart.meanings(options.means)
    options.places = [meant_place(place) for place in options.places]
    for path in options.places:
        if not os.path.isdir(os.path.expanduser(path)):
            raise Refused(f"{show(path)} is not a folder", "If its drive is not connected, plug it in.")
    discovered = Discovery()
    with screen.watch() as watch:
        ledgers = [true_path(path) for path in options.ledger] or usual_ledgers(cart, maps, watch)[0]
        if not options.ledger and not cart.ledgers:  # nobody has said which there are
            discovered = discover(cart, maps, options.places, watch)
            maps += discovered.maps
            ledgers = list(dict.fromkeys([*ledgers, *discovered.ledgers]))
        judge = Judge(headers=False, presence=Presence(cart.drives), resolver=Resolver(Meanings(means)))
        found = find(ledgers, maps, cart, judge, options.places, watch)
    tell_unknown(screen, discovered)
    taken = rules_taken(options, found)
    if options.only_rule or getattr(options, "not"):
        settle(found, taken)
    choose(found, chosen(options, found), options.by_name)
    show_findings(screen, found, taken)
    taken += likely_ones(screen, options, found, taken)
    waybill = waybill_for(
        found, maps, means, lambda rule: any(rule is one for one in taken), options.for_here, options.signposts
    )
    with screen.watch():
        failing = leave_out_what_fails(waybill, found.losses.ledgers)
    for path, error in failing.items():
        screen.remark(f"{place(path)} cannot be mended so, and is left as it is: {show(error.what)}. {error.remedy}")
    if options.output:
        return write_plan(screen, found, taken, waybill, options)
    if not waybill.ledgers:
        screen.document({"trip": None, **document(found, taken)})
        return 0 if found.losses.sound else 1
    return carry_out(screen, waybill, options, found, taken)


def tell_unknown(screen: Screen, discovered: Discovery) -> None:
    """Say which files name sounds that are gone, and cannot be mended."""
    rows = sorted(discovered.unknown.items(), key=lambda pair: -pair[1])
    for path, count in rows[:FEW]:
        what = many(count, "sound that is gone", "sounds that are gone")
        screen.remark(f"{place(path)} names {what}, and what kind of file it is was not understood: it is left alone")
    if rows[FEW:]:
        screen.remark(f"{len(rows) - FEW:,} more files name sounds that are gone, and were not understood")


def carry_on(screen: Screen, options: argparse.Namespace) -> None:
    """Finish what was cut off in the middle before anything is judged."""
    with screen.watch() as watch:
        for name in finish_cut_off(options.wait, watch):
            screen.remark(f"trip {name} was cut off while it changed ledgers; it is carried out now")


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
    """The rules for which names alone speak, where a person is there and says that they are right."""
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
    numbers = ", ".join(str(number) for number, _rule in left)
    entries = many(sum(found.entries_of(rule) for _number, rule in left), "entry", "entries")
    question = f"Take {'rule' if len(left) == 1 else 'rules'} {numbers} too ({entries}), for which names alone speak?"
    return [rule for _number, rule in left] if screen.agrees(question, options) else []


def show_findings(screen: Screen, found: Findings, taken: Sequence[Rule]) -> None:
    """The state in a sentence, what waits for a drive, rules before files."""
    lost, losses = found.losses.entries, found.losses
    looked = many(len(losses.states), "ledger", "ledgers")
    if not losses.states:
        screen.say(
            "No file was found that names sounds which are gone. If a program misses some all the same: --ledger FILE,"
            " and --in where the sounds are now."
        )
    elif not lost:
        screen.say(f"Nothing is missing in the {looked} that were looked at.")
    else:
        mended = [path for path, (rule, _file) in found.mended.items() if any(rule is one for one in taken)]
        sure = sum(losses.lost[path].entries for path in mended) + sum(one.lost.entries for one in chosen_ones(found))
        screen.say(f"{many(lost, 'entry is', 'entries are')} lost in {looked}; {sure:,} can be mended.")
    for why, count in sorted(losses.offline.items()):
        screen.say(f"{many(count, 'entry waits', 'entries wait')} for a drive, and nothing else: {why}. Plug it in.")
    for error in losses.troubles:
        screen.remark(f"{show(error.what)}; it is left out")
    if lost:
        looked_in = ", ".join(map(place, found.places.tops)) or "nowhere: name a place with --in"
        screen.say(f"Looked in {looked_in} ({len(found.places.files):,} files, {found.headers:,} headers read).")
    screen.table(
        "Rules: what lay below the one place is below the other now",
        (">No", ">Entries", "From", "To", "How sure", "What speaks for it"),
        [
            (
                number,
                found.entries_of(rule),
                place(rule.old),
                place(rule.new),
                sureness(found, rule, taken),
                "; ".join(rule.evidence()),
            )
            for number, rule in enumerate(found.rules, 1)
        ],
    )
    for rule in (rule for rule in found.rules if rule.means and not any(rule is one for one in taken)):
        screen.say(
            f"By all evidence that means: --means {shlex.quote(rule.means or '')}   (in cart.toml: means = [...])"
        )
        screen.say("Programs on this machine do not know that. To let these ledgers live here from now on: --for-here")
    show_singles(screen, found)
    if found.leftovers:
        files = many(found.leftovers, "sound that no entry names lies", "sounds that no entry names lie")
        screen.say(f"{files} below the found places.")
    show_warnings(screen, found)
    if any(found.as_good_as(rule) for rule in found.rules):
        screen.say("Where rules are as good as each other, say which are not meant: saltcart mend --not N")
    left = [(number, rule) for number, rule in enumerate(found.rules, 1) if not any(rule is one for one in taken)]
    if any(not is_proven(rule) and not rule.doubt for _number, rule in left):
        screen.say(
            "Of what is likely by names alone nothing is taken by itself. To take it: --by-name, or --only-rule N"
        )
    for number, rule in left:
        if rule.doubt:
            screen.say(
                f"The names fit rule {number}, but something speaks against it: {rule.doubt}. --by-name leaves it out."
                f" If you know that it is right: --only-rule {number}"
            )


def show_warnings(screen: Screen, found: Findings) -> None:
    """What else a person should know of these ledgers and places."""
    losses = found.losses
    for level in losses.levels:
        screen.remark(
            f"{place(level.ledger)} names the folder {place(level.folder)}, and what starts from there lies in"
            f" {place(level.better)}: saltcart folders right-level"
        )
    for ledger, twice in losses.doubles.items():
        files = many(len(twice), "file", "files")
        screen.remark(
            f"{place(ledger)} names {files} twice, such as {place(twice[0])}: perhaps it was imported once more."
            " Nothing is merged"
        )
    for folder in found.places.unread[:SHOWN]:
        screen.remark(f"{place(folder)} could not be read: what lies in it was not looked at")
    if emptied := losses.emptied():
        names = ", ".join(place(path) for path in emptied[:3])
        screen.remark(
            f"More than half is lost in {names}: do not let players or telephones follow it until it is mended"
        )


def sureness(found: Findings, rule: Rule, taken: Sequence[Rule]) -> str:
    """How sure a rule is, and why it is not taken."""
    if not any(rule is one for one in taken):
        return f"{rule.sure}, not taken"
    others = ", ".join(map(str, found.as_good_as(rule)))
    return f"as good as {others}: choose" if others else str(rule.sure)


def show_singles(screen: Screen, found: Findings) -> None:
    """What no rule mends: one by one where a file may be chosen, else by folder."""
    folded = [why for why in (ELSEWHERE, BY_NAME) if sum(one.why == why for one in found.singles) > FEW]
    for why in folded:
        show_many(screen, [one for one in found.singles if one.why == why])
    rows = [
        (number, one.lost.entries, place(one.lost.path), verdict(one), candidates(one))
        for number, one in enumerate(found.singles, 1)
        if one.files and len(one.alike) < 2 and one.why not in folded
    ]
    screen.table("One by one", (">No", ">Entries", "Lost", "What is known", "Files"), rows[:SHOWN])
    if len(rows) > SHOWN:
        screen.say(f"... and {len(rows) - SHOWN:,} more (see --json, or --plan FILE)")
    without = [one.lost for one in found.singles if not one.files]
    folders = dict.fromkeys(os.path.dirname(lost.path) for lost in without)
    rest = [(folder, [lost for lost in without if os.path.dirname(lost.path) == folder]) for folder in folders]
    screen.table(
        "Not found anywhere",
        (">Entries", "Folder", "Names"),
        [
            (
                sum(lost.entries for lost in inside),
                place(folder),
                ", ".join(show(os.path.basename(lost.path)) for lost in inside[:2]) + (" ..." if inside[2:] else ""),
            )
            for folder, inside in rest[:SHOWN]
        ],
    )
    if len(rest) > SHOWN:
        screen.say(f"... and {len(rest) - SHOWN:,} more folders (see --json)")
    if without:
        screen.say("If they are on a drive or in a folder that was not looked in: saltcart mend --in PLACE")


def show_many(screen: Screen, some: Sequence[Single]) -> None:
    """Many that were found in one way, in a few lines."""
    first, entries = some[0], sum(one.lost.entries for one in some)
    words = ", ".join(dict.fromkeys(word for one in some[:FEW] for word in one.evidence))
    taken = all(one.chosen for one in some)
    what = many(len(some), "sound is", "sounds are")
    how = "found again one by one" if first.why == ELSEWHERE else "perhaps found, for one file alone has the name"
    screen.say(
        f"{what} {how} ({many(entries, 'entry', 'entries')}; {words}), such as {place(first.lost.path)} ->"
        f" {place(first.files[0])}. {'' if taken else 'Not taken: --by-name takes them. '}Each of them: --plan FILE, or"
        " --json"
    )


def chosen_ones(found: Findings) -> list[Single]:
    """The singles for which a file is chosen."""
    return [one for one in found.singles if one.chosen]


def verdict(one: Single) -> str:
    """What is known of one lost path."""
    words = f" ({', '.join(one.evidence)})" if one.evidence else ""
    return f"{one.why}{words}" + (", taken" if one.chosen else "")


def candidates(one: Single) -> str:
    """The files that may be meant, with their numbers."""
    return "   ".join(f"{number}: {place(path)}" for number, path in enumerate(one.files[:3], 1))


def write_plan(
    screen: Screen, found: Findings, taken: Sequence[Rule], waybill: Waybill, options: argparse.Namespace
) -> int:
    """Write the plan to a file."""
    path = os.path.abspath(os.path.expanduser(options.output))
    if os.path.exists(path):
        raise Refused(f"There is a file at {place(path)} already", "Choose another name.")
    if not waybill.ledgers:
        raise Refused("There is nothing that could be mended", "Say where to look with --in.")
    waybill_text.write(waybill, path)
    screen.say(f"Plan written: {place(path)}. Nothing was changed. Next: saltcart mend {show(os.path.relpath(path))}")
    screen.document({"trip": None, "plan": path, **document(found, taken)})
    return 0


def carry_out(
    screen: Screen,
    waybill: Waybill,
    options: argparse.Namespace,
    found: Findings | None = None,
    taken: Sequence[Rule] = (),
) -> int:
    """Ask, rewrite all ledgers or none, and say how it stands."""
    if waybill.shelves or not (waybill.relinks or waybill.here or waybill.signposts):
        raise UsageError("This is no plan of mending", "Write one with: saltcart mend --plan FILE")
    gone = [one.new for one in waybill.relinks if not os.path.lexists(one.new)]
    if gone:
        raise Refused(
            "What was found is not there any more", "Look again: saltcart mend", list(map(show, gone[:SHOWN]))
        )
    if options.plan:
        for one in waybill.relinks:
            screen.say(f"{place(one.old)}{'' if one.what == ONE else '/...'} -> {place(one.new)}")
    for post, target in waybill.signposts:
        screen.say(f"The link {place(post)} will lead to {place(target)}")
    ledgers = many(len(waybill.ledgers), "ledger", "ledgers")
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
    screen.say(f"To take it back: saltcart undo {name}")
    screen.document(
        {
            **trip_document(summary(name)),
            "changed_entries": switched.changed,
            **(document(found, taken) if found else {}),
            "check": check_document(report),
        }
    )
    waiting = found.losses.offline or found.losses.troubles if found else ()
    every_one = report.counts[FOUND] == sum(report.counts.values())
    return 0 if report.ok and every_one and not left and not waiting else 1


def show_outcome(screen: Screen, waybill: Waybill, found: Findings | None, report: CheckReport, changes: str) -> int:
    """How many entries are found again, and what is not; how many stay as before."""
    counts = report.counts
    if found:
        before = [state for state in found.losses.states if state.path in {line.path for line in waybill.ledgers}]
        again = there(counts) - there(add_counts(before))  # as seen now, not as was hoped
        left = found.losses.entries - again
        screen.say(
            f"{again:,} of {many(found.losses.entries, 'lost entry', 'lost entries')} found again, by {changes}."
        )
    else:
        total = sum(counts.values())
        left = total - there(counts)
        screen.say(f"{changes[:1].upper()}{changes[1:]}. {total - left:,} of {total:,} entries found.")
    if left:
        screen.say(f"{many(left, 'entry stays', 'entries stay')} as before.")
    if unsound := there(counts) - counts[FOUND]:
        what = many(unsound, "entry names", "entries name")
        screen.remark(f"{what} a file that is there and does not read as a sound: saltcart check {report.trip}")
    return left


def there(counts: Mapping[str, int]) -> int:
    """How many entries name something that is there, be it sound or not."""
    return counts[FOUND] + counts[ALTERED] + counts[UNREADABLE]


def document(found: Findings, taken: Sequence[Rule]) -> dict[str, object]:
    """The findings."""
    return {
        "lost": found.losses.entries,
        "offline": dict(found.losses.offline),
        "places": found.places.tops,
        "rules": [
            {
                "from": rule.old,
                "to": rule.new,
                "entries": found.entries_of(rule),
                "lacking": rule.lacking,
                "contradicted": sorted(rule.contradicted),
                "sure": rule.sure,
                "taken": any(rule is one for one in taken),
                "evidence": rule.evidence(),
                "means": rule.means,
                "as_good_as": found.as_good_as(rule),
            }
            for rule in found.rules
        ],
        "entries": [
            {
                "path": one.lost.path,
                "entries": one.lost.entries,
                "why": one.why,
                "files": one.files,
                "chosen": one.chosen,
                "evidence": one.evidence,
            }
            for one in found.singles
        ],
        "headers_read": found.headers,
        "leftovers": found.leftovers,
        "emptied": found.losses.emptied(),
        "doubles": found.losses.doubles,
        "unread": found.places.unread,
    }
