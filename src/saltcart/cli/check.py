"""The command `saltcart check`: judge every entry and copy, and compare with before."""

import argparse
import os
from collections import Counter
from collections.abc import Sequence
from typing import NamedTuple

from saltcart.cart import load, users_own
from saltcart.cli.account import show_left
from saltcart.cli.arguments import add_all, add_cart, add_ledgers, add_sha256, add_trip
from saltcart.cli.documents import check_document
from saltcart.cli.screen import Screen, Watch, many, place, size
from saltcart.cli.survey import clock, show_ledgers_in_short
from saltcart.drives.known import ELSEWHERE
from saltcart.errors import Refused, UsageError, show
from saltcart.judging.judge import OFFLINE
from saltcart.ledgers import load_map
from saltcart.mentions.content import Mention
from saltcart.mentions.search import known_as, search
from saltcart.mentions.search_places import forms_of
from saltcart.mentions.standings import HISTORY, LEFT, ORIGINALS, SAID, SERVED
from saltcart.proving.check import check_ledgers, check_trip
from saltcart.proving.playing import EVERY, listen, play, sounds_of
from saltcart.proving.results import CheckReport, LedgerCheck, Problem, ShelfCheck
from saltcart.trips.history import latest
from saltcart.trips.summary import summary
from saltcart.trips.trip import HAULED, RELEASED, RELEASING, SWITCHED, UNDONE

SHOWN = 20
FEW = 3  # sounds of each ledger, where no number was given
NAMES = 3  # of entries that share a row
OF_ONE_FILE = ("no such file", "")  # causes that lie with each file, and not above it
ALL_FOLLOWED = "no file that was searched still points to the old place"
NO_ENTRIES = "No ledger was part of this, so there was nothing to check"


class Trace(NamedTuple):
    """A file that mentions an old place, and the format or map that reads it."""

    mention: Mention
    ledger: str | None


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The trip, or ledgers without one."""
    add_trip(parser)
    add_ledgers(parser)
    add_all(parser)
    add_cart(parser)
    parser.add_argument(
        "--digests",
        action="store_true",
        help="read every copy and compare its content, not only its size; with a FOLDER, compare it with its manifest",
    )
    parser.add_argument(
        "--write", action="store_true", help="with --digests and a FOLDER: write a new manifest of what is there now"
    )
    add_sha256(parser)
    parser.add_argument(
        "--traces",
        nargs="+",
        metavar="PLACE",
        help="search these folders for files that still mention the old places of the trip",
    )
    parser.add_argument(
        "--play",
        metavar="N",
        type=how_many,
        help="decode N sounds of each ledger to their end, of every kind and folder, or all of them: --play all",
    )
    parser.add_argument(
        "--listen",
        action="store_true",
        help='let a few seconds of each of these be heard, through the command listen = ["PLAYER", "{}"] of cart.toml',
    )
    parser.add_argument(
        "--no-headers", action="store_true", help="do not open sounds to see whether their headers parse"
    )


def run(options: argparse.Namespace) -> int:
    """Judge every entry."""
    screen = Screen(options)
    if options.trip and options.ledger:
        raise UsageError("Name a trip or ledgers, not both", "A trip knows its ledgers.")
    if options.trip and os.path.isdir(options.trip) and options.digests:
        return against_manifest(screen, options)
    if options.trip and os.path.isdir(options.trip):
        raise UsageError(
            f"{show(options.trip)} is a folder, no trip", "To hold a shelf against its manifest, add --digests."
        )
    if options.write or options.digests_kind != "blake3":
        raise UsageError(
            "--write, and --sha256 with it, needs --digests and the folder of a shelf",
            "For a trip, haul writes the manifest.",
        )
    headers = not options.no_headers
    with screen.watch() as watch:
        if options.ledger:
            cart = load(options.cart)
            report = check_ledgers(
                options.ledger, [*options.map, *cart.maps], headers, cart.meanings(options.drive), watch
            )
        else:
            name = options.trip or latest(SWITCHED, HAULED, RELEASING, RELEASED, UNDONE)
            report = check_trip(name, headers, options.digests, watch)
        found = traces(report, options, watch)
        if options.play is not None or options.listen:
            play_some(report, options, watch)
    screen.say(closing(report), style="bold")
    screen.say()
    show_check(screen, report)
    show_traces(screen, found)
    if report.counts["missing"]:
        screen.say("To look for what is missing: saltcart mend")
    if report.ok and report.state == SWITCHED:  # a line each, so that no terminal breaks a command in two
        if report.shelves and not report.copies:
            screen.say(f"To free the old drive: saltcart release {report.trip}")
        screen.say(f"To take it back:       saltcart undo {report.trip}")
    listed = [
        {"path": one.path, "count": one.count, "forms": list(one.forms), "ledger": ledger} for one, ledger in found
    ]
    screen.document({**check_document(report), **({"traces": listed} if options.traces else {})})
    return 0 if report.ok else 1


def how_many(text: str) -> int:
    """How many sounds of each ledger, or EVERY."""
    if text != "all" and not (text.isdecimal() and int(text)):
        raise argparse.ArgumentTypeError(f"{show(text)} is no number of sounds; write it like 20, or all")
    return EVERY if text == "all" else int(text)


def play_some(report: CheckReport, options: argparse.Namespace, watch: Watch) -> None:
    """Decode some sounds of each ledger, and let them be heard when asked for."""
    command = load(options.cart).listen
    if options.listen and not command:
        raise UsageError(
            "There is nothing here to listen with",
            f"Name a player of yours in {place(users_own())}, or in a file that you name with --cart:"
            ' listen = ["PLAYER", "{}"]. One in another folder is not used for that.',
        )
    if not any(True for one in report.ledgers for _sound in sounds_of(one.state)):
        raise Refused(
            "No ledger of this trip lists a sound that exists, so nothing can be played",
            "Choose other ledgers: --ledger",
        )
    for one in report.ledgers:
        played = play(one.state, FEW if options.play is None else options.play, watch)
        played.troubles += listen(played.heard, command) if options.listen else []
        report.played += [played] if played.named else []


def show_played(screen: Screen, report: CheckReport) -> None:
    """How many sounds were decoded, and which do not play to their end."""
    decoded, seconds = sum(one.decoded for one in report.played), sum(one.seconds for one in report.played)
    bad = list(dict.fromkeys(trouble for one in report.played for trouble in one.troubles))
    unknown = list(dict.fromkeys(trouble for one in report.played for trouble in one.unknown))
    folders, every = (sum(getattr(one, key) for one in report.played) for key in ("folders", "all_folders"))
    end = f"{many(len(bad), 'does', 'do')} not play to the end" if bad else "all of them play to the end"
    if not decoded:
        end = "so whether they play is not known"
    screen.say(
        f"Played: {many(decoded, 'sound', 'sounds')} of {many(len(report.played), 'ledger', 'ledgers')} decoded"
        f" ({clock(seconds)}), out of {folders:,} of {every:,} folders: {end}."
    )
    for path, why in bad[: None if screen.all else SHOWN]:
        screen.remark(f"{place(path)} {show(why)}")
    if unknown:
        first = f"{place(unknown[0][0])}: {unknown[0][1]}"
        screen.remark(f"{many(len(unknown), 'sound was', 'sounds were')} not judged, such as {first}")


def against_manifest(screen: Screen, options: argparse.Namespace) -> int:
    """A shelf and its manifest, without a trip."""
    from saltcart.proving.contents import check_folder  # reads with several processes, which take long to load

    with screen.watch() as watch:
        report = check_folder(options.trip, options.digests_kind if options.write else None, watch)
    (shelf,) = report.shelves
    what = f"{many(shelf.files, 'file', 'files')}, {size(shelf.bytes)} at {place(shelf.path)}"
    if options.write:
        screen.say(f"{show(shelf.name)}: {what} are in the manifest {place(shelf.manifest or '')}")
    else:
        good = (
            f"{many(len(shelf.problems), 'file is', 'files are')} not as in the manifest"
            if shelf.problems
            else "each file in the manifest is as it was"
        )
        unknown = (
            f"; {many(shelf.unknown, 'file is', 'files are')} not in it (ledgers, and what came later)"
            if shelf.unknown
            else ""
        )
        screen.say(f"{show(shelf.name)}: {what}: {good}{unknown}")
    for found in shelf.problems[:SHOWN]:
        screen.remark(f"{place(found.path)}: {found.verdict}, {found.why}")
    if len(shelf.problems) > SHOWN:
        screen.say(f"... and {len(shelf.problems) - SHOWN} more (see --json)")
    screen.document(check_document(report))
    return 0 if report.ok else 1


def traces(report: CheckReport, options: argparse.Namespace, watch: Watch) -> list[Trace]:
    """The files that still mention the old places of the trip, when asked for."""
    if not options.traces:
        return []
    if not report.trip:
        raise UsageError("--traces needs a trip: it searches for that trip's old places", "Leave --ledger out.")
    cart, shelves = load(options.cart), summary(report.trip).shelves
    maps = [load_map(path) for path in dict.fromkeys([*options.map, *cart.maps])]
    forms = forms_of([one.shelf.old for one in shelves], cart.meanings(options.drive))
    return [Trace(one, known_as(one.path, maps)) for one in search(forms, options.traces, watch).found]


def show_traces(screen: Screen, found: Sequence[Trace]) -> None:
    """The table of traces."""
    rows = [
        (
            place(mention.path),
            mention.count,
            ", ".join(mention.forms),
            ledger or "no: a signpost must serve its program",
        )
        for mention, ledger in found
    ]
    screen.table("Still mention the old place", ("File", ">Times", "Written as", "Known as a ledger"), rows)


def show_check(screen: Screen, report: CheckReport) -> None:
    """Tables of ledgers and of what is wrong, and a line for each shelf."""
    show_ledgers_in_short(screen, [ledger.state for ledger in report.ledgers])
    problems = [(ledger, problem) for ledger in report.ledgers for problem in ledger.problems]
    show_problems(screen, "Needs attention", [pair for pair in problems if pair[1].new])
    show_problems(
        screen,
        "Already broken before the trip",
        [pair for pair in problems if not pair[1].new and pair[1].judgement.verdict != "found"],
    )
    show_problems(screen, "Found, with a note", [pair for pair in problems if pair[1].judgement.verdict == "found"])
    for ledger in report.ledgers:
        if ledger.state.trouble:
            screen.remark(f"{ledger.state.trouble.what}. {ledger.state.trouble.remedy}")
    show_notes(screen, report)
    along = [shelf for shelf in report.shelves if shelf.gathered and not shelf.problems]
    sound = [] if screen.all else [one for one in report.shelves if one not in along and not one.problems]
    if sound:
        files, room = many(sum(one.files for one in sound), "file", "files"), size(sum(one.bytes for one in sound))
        screen.say(f"All copies are there: {files}, {room}, at {', '.join(place(one.path) for one in sound)}")
    for shelf in (one for one in report.shelves if one not in along and one not in sound):
        screen.say(
            f"{show(shelf.name)}: {many(shelf.files, 'file', 'files')}, {size(shelf.bytes)} at {place(shelf.path)}:"
            f" {standing(shelf)}"
        )
        for found in shelf.problems[:SHOWN]:
            if found.verdict != "offline":
                screen.remark(f"{place(found.path)}: {found.verdict}, {found.why}")
    if along:
        top = os.path.commonpath([os.path.dirname(shelf.path) for shelf in along])
        files, room = many(len(along), "file", "files"), size(sum(shelf.bytes for shelf in along))
        screen.say(f"Gathered: {files}, {room} below {place(top)}: all copies are there")
    if report.played:
        show_played(screen, report)
    show_left(screen, report)


def show_notes(screen: Screen, report: CheckReport) -> None:
    """What a trip goes without, as accepted, and folders named at a wrong level: said however well it ended."""
    for level in report.levels:
        what = many(level.entries, "entry that starts", "entries that start")
        screen.remark(
            f"{place(level.ledger)} lists the folder {place(level.folder)}, but the {what} from there lie in"
            f" {place(level.better)}. Choose that folder in its program, or add --fix-folder-level"
        )
    for found in (found for shelf in report.shelves for found in shelf.accepted):
        screen.remark(f"{place(found.path)}: {found.verdict}, {found.why}")


def standing(shelf: ShelfCheck) -> str:
    """How the copies of a shelf are, in words."""
    if not shelf.problems:
        return "all copies are there"
    if shelf.problems[0].verdict == "offline":
        return f"not checked, because {show(shelf.problems[0].why)}; connect it, nothing is lost"
    return many(len(shelf.problems), "copy is not as recorded", "copies are not as recorded")


def show_problems(screen: Screen, title: str, pairs: Sequence[tuple[LedgerCheck, Problem]]) -> None:
    """One table of entries; those of one ledger that need a word for one cause share a row, a folder each unless the
    cause lies above.
    """
    groups: dict[tuple[str, ...], list[Problem]] = {}
    for ledger, problem in pairs:
        found = problem.judgement
        folder = os.path.dirname(found.resolved) if found.why in OF_ONE_FILE else ""
        groups.setdefault((found.verdict, ledger.state.path, folder, found.why), []).append(problem)
    rows = [
        (verdict, place(path), show(why), *in_one_row(problems))
        for (verdict, path, _folder, why), problems in list(groups.items())[: None if screen.all else SHOWN]
    ]
    screen.table(title, ("Verdict", "Ledger", "Why", "Where", "As written"), rows)
    if more := list(groups.values())[SHOWN:] if not screen.all else []:
        screen.say(f"... and {sum(map(len, more))} more (--all shows them)")


def in_one_row(problems: Sequence[Problem]) -> tuple[str, str]:
    """Where entries stand in their ledger, and what is written there: of more than two the folder once, then names."""
    first, *more = [problem.judgement for problem in problems]
    if len(more) < 2:
        wheres = ", ".join(str(one.entry.where) for one in (first, *more))
        return wheres, "; ".join(show(one.entry.written) for one in (first, *more))
    paths = [os.path.normpath(one.resolved) for one in (first, *more)]
    folder = os.path.commonpath([os.path.dirname(path) for path in paths])
    names = [os.path.basename(path) for path in paths]
    rest = f" and {len(names) - NAMES:,} more" if len(names) > NAMES else ""
    where = f"{first.entry.where} and {len(more):,} more"
    return where, f"{place(folder)}: {', '.join(map(show, names[:NAMES]))}{rest}"


def closing(report: CheckReport) -> str:
    """The sentence that says how things stand."""
    counts = report.counts
    known = report.before_counts if report.trip else {}
    before, offline = sum(known.values()), counts["offline"] - known.get("offline", 0)
    bad = sum(count for verdict, count in counts.items() if verdict != "found") - before - offline
    text = f"{counts['found']} of {sum(counts.values())} entries work" if any(counts.values()) else NO_ENTRIES
    if before:
        text += f"; {before} {'was' if before == 1 else 'were'} already broken before the trip"
    if offline:
        text += f"; {offline} offline ({plug_in(report)}; nothing is lost)"
    if left := report.unaccounted:
        places = many(sum(one.count for one in left), "entry still points", "entries still point")
        text += f"; {places} to the old place in {many(len(left), 'file', 'files')}, and will not play"
    if stuck := len({path for one in report.played for path, _why in one.troubles}):
        text += f"; {many(stuck, 'sound does', 'sounds do')} not play to the end"
    if unknown := len({path for one in report.played for path, _why in one.unknown}):
        text += f"; {many(unknown, 'sound', 'sounds')} could not be decoded here, so whether they play is not known"
    if bad:
        return f"{text}; {bad} {'needs' if bad == 1 else 'need'} your attention."
    if offline:
        return f"{text}."
    if not report.ok:
        where = "" if report.complete else f"; {unseen(report)}"
        return (
            f"{text}{where}."
            if left or where or stuck or unknown
            else f"{text}; but something else needs your attention."
        )
    return f"{text}. {assurance(report)}"


def unseen(report: CheckReport) -> str:
    """What nobody has looked into, in words."""
    gaps = [gap.path for gap in report.search.gaps] if report.search else []
    first, *more = map(place, [*report.unsearched, *gaps])
    others = f" and {len(more)} more" if more else ""
    return f"not everything could be searched for references to the old place; not searched: {first}{others}"


def plug_in(report: CheckReport) -> str:
    """What helps with entries that are offline."""
    problems = (one.judgement for ledger in report.ledgers for one in ledger.problems)
    whys = {one.why for one in problems if one.verdict == OFFLINE}
    elsewhere = {why for why in whys if ELSEWHERE in why}
    if elsewhere == whys:
        return "their drive is mounted somewhere else now; saltcart mend corrects the entries"
    return "connect the drive" + (", or run saltcart mend where it is mounted elsewhere" if elsewhere else "")


def assurance(report: CheckReport) -> str:
    """The last word on what is sound, as far as that was looked at."""
    if not report.trip:
        return "All is well." if sum(report.counts.values()) else "There was nothing to check."
    if report.state in (HAULED, UNDONE):  # without a search, which only a switch needs, no more can be said
        return "Ledgers and originals are unchanged."
    if report.search is None:
        what = "Every file is there" if report.shelves else "Nothing moved"
        return f"{what}, and everything these ledgers found before, they find now."
    counts = Counter(one.standing for one in report.left)
    if counts[LEFT]:
        files = many(counts[LEFT], "file still points", "files still point")
        return f"{files} to the old place, as you allowed; nothing is there any more."
    parts = [f"{many(counts[HISTORY], 'old record', 'old records')}"] if counts[HISTORY] else []
    parts += [f"{many(counts[SAID], 'text', 'texts')}"] if counts[SAID] else []
    parts += [f"{many(counts[ORIGINALS], 'file', 'files')} that use the originals"] if counts[ORIGINALS] else []
    parts += [f"{many(counts[SERVED], 'file', 'files')} that the signpost keeps working"] if counts[SERVED] else []
    if not parts:
        return f"Everything that worked before works now: {ALL_FOLLOWED}."
    kept = [counts[word] for word in (HISTORY, SAID, ORIGINALS, SERVED)]
    mention = "mentions" if sum(kept) == 1 else "mention"
    return (
        f"Everything that worked before works now. ({' and '.join(parts)} still {mention} the old place; that is fine.)"
    )
