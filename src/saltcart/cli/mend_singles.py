"""What no rule mends, in words: each lost sound beside the files that it may be."""

from collections import Counter
from collections.abc import Sequence
from itertools import islice

from saltcart.cli.screen import Screen, many, place, size
from saltcart.errors import show
from saltcart.mending.findings import Findings
from saltcart.mending.losses import Lost
from saltcart.mending.one_by_one import BY_NAME, ELSEWHERE, NOT_FOUND, Single
from saltcart.system import os

SHOWN = 20  # folders
NEAREST = 3  # files that may be meant by one
FEW = 5  # of a kind that are shown one by one


def show_singles(screen: Screen, found: Findings) -> None:
    """What no rule mends: one by one where a file may be chosen, else by folder."""
    folded = [why for why in (ELSEWHERE, BY_NAME) if sum(one.why == why for one in found.singles) > FEW]
    for why in folded:
        show_many(screen, [one for one in found.singles if one.why == why])
    rows = [
        (number, one)
        for number, one in enumerate(found.singles, 1)
        if one.files and len(one.alike) < 2 and one.why not in folded
    ]
    show_files(screen, found, rows)
    show_not_found(screen, found)


def show_files(screen: Screen, found: Findings, rows: Sequence[tuple[int, Single]]) -> None:
    """Each lost sound with its number, and the files that it may be, with theirs."""
    shown: Counter[str] = Counter()
    for number, one in rows:
        shown[one.why] += 1
        if shown[one.why] <= FEW:
            times = f"  ({one.lost.entries:,} entries)" if one.lost.entries > 1 else ""
            screen.say(f"{number:>3}  {place(one.lost.path)}{times}: {verdict(one)}")
            for which, path in enumerate(one.files[:NEAREST], 1):  # the number to choose it by is with its name
                screen.say(f"       {which}: {place(path)}{sizes(found, one.lost, path)}")
    for why, count in shown.items():
        if count > FEW:
            screen.say(f"... and {count - FEW:,} more: {why} (each of them: --plan FILE, or --json)")
    if any(not one.chosen for _number, one in rows):
        what = ("files or folders", "file or folder") if any(one.lost.folder for _, one in rows) else ("files", "file")
        screen.say(f"To use one of these {what[0]}: --choose N=M, the numbers of the line and of the {what[1]}")
        if any(one.why == BY_NAME and not one.chosen for _number, one in rows):
            screen.say("To use all that are likely by their names: --by-name")
        screen.say()


def show_not_found(screen: Screen, found: Findings) -> None:
    """By folder what no file was found for."""
    without: dict[str, list[Lost]] = {}
    left = emptied(found)
    for one in found.singles:
        if not one.files and one.lost.path not in left:
            without.setdefault(os.path.dirname(one.lost.path), []).append(one.lost)
    screen.table(
        "Not found anywhere",
        (">Entries", "Folder", "Names"),
        [
            (
                sum(lost.entries for lost in inside),
                place(folder),
                ", ".join(show(os.path.basename(lost.path)) for lost in inside[:2]) + (" ..." if inside[2:] else ""),
            )
            for folder, inside in islice(without.items(), SHOWN)
        ],
    )
    if len(without) > SHOWN:
        screen.say(f"... and {len(without) - SHOWN:,} more folders (see --json)")
    if without:
        screen.say("If they are on a drive or in a folder that was not looked in: saltcart mend --in PLACE")


def emptied(found: Findings) -> set[str]:
    """The folders that are gone and whose sounds are all found elsewhere: each of these gets its own."""
    again = {*found.mended, *(one.lost.path for one in found.singles if one.files)}
    sounds = [path for path, lost in found.losses.lost.items() if not lost.folder]
    return {os.path.dirname(path) for path in sounds} - {os.path.dirname(path) for path in sounds if path not in again}


def show_many(screen: Screen, some: Sequence[Single]) -> None:
    """Many that were found in one way, in a few lines."""
    first, entries = some[0], sum(one.lost.entries for one in some)
    words = ", ".join(dict.fromkeys(word for one in some[:FEW] for word in one.evidence))
    taken = all(one.chosen for one in some)
    folders = sum(one.lost.folder for one in some)
    plain = ("folder is", "folders are") if folders else ("sound is", "sounds are")
    what = many(len(some), *plain) if folders in (0, len(some)) else f"{len(some):,} sounds and folders are"
    how = "found again one by one" if first.why == ELSEWHERE else "perhaps found: only one there has that name"
    screen.say(
        f"{what} {how} ({many(entries, 'entry', 'entries')}; {words}), such as {place(first.lost.path)} ->"
        f" {place(first.files[0])}. {'' if taken else 'Not applied: add --by-name to apply them. '}Each of them:"
        " --plan FILE, or --json"
    )


def verdict(one: Single) -> str:
    """What is known of one lost path."""
    words = f" ({', '.join(one.evidence)})" if one.evidence else ""
    what = "folders" if one.lost.folder else "files"
    why = f"not where it was; these {what} have its name" if one.why == NOT_FOUND and one.files else one.why
    return f"{why}{words}" + (", will be applied" if one.chosen else "")


def sizes(found: Findings, lost: Lost, path: str) -> str:
    """How large a file is, and how large it should be, in words."""
    count = found.files.size(path)
    if count is None or lost.folder:
        return ""
    said = f"; the ledger says {size(lost.size)}" if lost.size not in (None, count) else ""
    return f"  ({size(count)}{said})"
