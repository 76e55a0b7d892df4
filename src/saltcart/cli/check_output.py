"""What a check tells a person."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence

from saltcart.cli.account import show_left
from saltcart.cli.commands.survey import clock, show_ledgers_in_short
from saltcart.cli.screen import Screen, many, place, size
from saltcart.drives.known import ELSEWHERE
from saltcart.errors import show
from saltcart.judging.judgements import OFFLINE
from saltcart.mentions.standings import HISTORY, LEFT, ORIGINALS, SAID, SERVED, SHOWS_LESS
from saltcart.proving.results import CheckReport, LedgerCheck, Problem, ShelfCheck
from saltcart.system import os
from saltcart.trips.trip import HAULED, UNDONE

SHOWN = 20
NAMES = 3  # of entries that share a row
OF_ONE_FILE = ("no such file", "")  # causes that lie with each file, and not above it
ALL_FOLLOWED = "no file that was searched still points to the old place"
NO_ENTRIES = "No ledger was part of this, so there was nothing to check"


def show_check(screen: Screen, report: CheckReport) -> None:
    """Tables of ledgers and of what is wrong, and a line for each shelf."""
    show_ledgers_in_short(screen, [ledger.state for ledger in report.ledgers])
    problems = [(ledger, problem) for ledger in report.ledgers for problem in ledger.problems]
    show_problems(screen, "Needs attention", [pair for pair in problems if pair[1].new])
    show_problems(screen, "Already broken before the trip", [pair for pair in problems if pair[1].known])
    show_problems(screen, "Left on purpose", [pair for pair in problems if pair[1].left])
    show_problems(screen, "Found, with a note", [pair for pair in problems if pair[1].judgement.verdict == "found"])
    for ledger in report.ledgers:
        if ledger.state.trouble:
            screen.remark(f"{ledger.state.trouble.what}. {ledger.state.trouble.remedy}")
    show_notes(screen, report)
    show_shelves(screen, report)
    if report.played:
        show_played(screen, report)
    show_left(screen, report)


def show_shelves(screen: Screen, report: CheckReport) -> None:
    """The copies of each shelf: in one line where all are there."""
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
        show_copies(screen, shelf)
    if along:
        top = os.path.commonpath([os.path.dirname(shelf.path) for shelf in along])
        files, room = many(len(along), "file", "files"), size(sum(shelf.bytes for shelf in along))
        screen.say(f"Gathered: {files}, {room} below {place(top)}: all copies are there")


def show_copies(screen: Screen, shelf: ShelfCheck) -> None:
    """The copies that are not as recorded, those of a folder with one cause in a line."""
    groups: dict[tuple[str, str, str], list[str]] = {}
    for found in shelf.problems:
        if found.verdict != "offline":
            folder, name = os.path.split(found.path)
            groups.setdefault((folder, found.verdict, found.why), []).append(name)
    for (folder, verdict, why), names in list(groups.items())[:SHOWN]:
        some = ", ".join(map(show, names[:NAMES])) + (f" and {len(names) - NAMES:,} more" if names[NAMES:] else "")
        screen.remark(f"{place(folder)}: {many(len(names), 'file', 'files')} {verdict}, {why}: {some}")


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
    """Where entries are in their ledger, and what is written there: of more than two the folder once, then names."""
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
    """The sentence that says how things are."""
    counts = report.counts
    known = report.before_counts if report.trip else {}
    before, offline = sum(known.values()), counts["offline"] - known.get("offline", 0)
    left = report.left_entries
    bad = sum(count for verdict, count in counts.items() if verdict != "found") - before - offline - left
    text = (
        f"{counts['found']:,} of {many(sum(counts.values()), 'entry works', 'entries work')}"
        if any(counts.values())
        else NO_ENTRIES
    )
    if before:
        text += f"; {before} {'was' if before == 1 else 'were'} already broken before the trip"
    if left:
        text += f"; {left} {'was left on purpose and does' if left == 1 else 'were left on purpose and do'} not work"
    if offline:
        text += f"; {offline} offline ({plug_in(report)}; nothing is lost)"
    beside = "".join(f"; {one}" for one in besides(report))
    if bad:
        return f"{text}{beside}; {bad} {'needs' if bad == 1 else 'need'} your attention."
    if offline:
        return f"{text}{beside}."
    if not report.ok:
        beside += "" if report.complete else f"; {unseen(report)}"
        return f"{text}{beside or '; but something else needs your attention'}."
    return f"{text}{beside}. {assurance(report)}"


def besides(report: CheckReport) -> Iterator[str]:
    """What does not play though no entry that was judged says so."""
    if left := report.unaccounted:
        places = many(sum(one.count for one in left), "entry still points", "entries still point")
        yield f"{places} to the old place in {many(len(left), 'file', 'files')}, and will not play"
    if stuck := len({path for one in report.played for path, _why in one.troubles}):
        yield f"{many(stuck, 'sound does', 'sounds do')} not play to the end"
    if unknown := len({path for one in report.played for path, _why in one.unknown}):
        yield f"{many(unknown, 'sound', 'sounds')} could not be decoded here, so whether they play is not known"


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
    """The last line on what is sound, if that was checked."""
    if not report.trip:
        return "All is well." if sum(report.counts.values()) else "There was nothing to check."
    if report.state in (HAULED, UNDONE):  # without a search, which only a switch needs, no more can be said
        return "Ledgers and originals are unchanged."
    if report.search is None:
        what = "Every file is there" if report.shelves else "Nothing moved"
        return f"{what}, and everything these ledgers found before, they find now."
    counts = Counter(one.standing for one in report.left)
    files = {one.path for one in report.left if one.standing == LEFT}
    files |= {one.state.path for one in report.ledgers if any(problem.left for problem in one.problems)}
    counts[LEFT] = len(files)
    if agreed := consented(counts):
        return agreed
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
        f"Played: {many(decoded, 'sound', 'sounds')} ({clock(seconds)}) from {folders:,} of {every:,} folders,"
        f" listed in {many(len(report.played), 'ledger', 'ledgers')}: {end}."
    )
    for path, why in bad[: None if screen.all else SHOWN]:
        screen.remark(f"{place(path)} {show(why)}")
    if unknown:
        first = f"{place(unknown[0][0])}: {unknown[0][1]}"
        screen.remark(f"{many(len(unknown), 'sound was', 'sounds were')} not judged, such as {first}")


def consented(counts: Mapping[str, int]) -> str:
    """What a person agreed to lose, in words; nothing where there is none."""
    text = ""
    if counts[LEFT]:
        files = many(counts[LEFT], "file still points", "files still point")
        text = f"{files} to the old place, as you allowed; nothing is there any more. "
    if counts[SHOWS_LESS]:
        files = many(counts[SHOWS_LESS], "file lists", "files list")
        text += f"{files} a folder that holds fewer sounds now, as you allowed."
    return text.rstrip()
