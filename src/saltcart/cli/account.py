"""Showing which files name the shelves, and which of them nobody understands."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import TYPE_CHECKING

from saltcart.cli.screen import Screen, many, place
from saltcart.errors import Refused, show, typed
from saltcart.mentions.readers import TOO_LARGE, TOO_MANY_ROWS, TOO_MUCH, UNREADABLE_WORD
from saltcart.mentions.standings import (
    HISTORY,
    IN_FULL,
    IN_PART,
    LEFT,
    LINKED,
    ORIGINALS,
    SAID,
    SERVED,
    SHOWS_LESS,
    UNCHANGEABLE,
    UNREAD,
)

if TYPE_CHECKING:  # a check draws up no account
    from saltcart.mentions.mention import Spot
    from saltcart.mentions.search import Search
    from saltcart.planning.account import Account, Accounted
    from saltcart.planning.draft import Draft
    from saltcart.proving.results import CheckReport

SHOWN = 20
MOST_GAPS_SHOWN = MOST_NAMED = 3
WHY_NOT = {
    UNREADABLE_WORD: "because it could not be read",
    TOO_LARGE: "because it is larger than 512 MB",
    TOO_MUCH: "because it unpacks to too much",
    TOO_MANY_ROWS: "because a table in it has more than 100,000 rows",
}
STANDINGS = {
    IN_FULL: "will be updated",
    IN_PART: "can be updated only in part",
    UNREAD: "cannot be read yet",
    UNCHANGEABLE: "cannot be changed",
    SHOWS_LESS: "will show less",
    LINKED: "a link to the old place",
    HISTORY: "an old record, stays",
    SAID: "only mentioned in a text, stays",
    LEFT: "left, as you allowed",
    SERVED: "kept working by the signpost",
    ORIGINALS: "uses the originals",
}

# What is left as it is, since no program looks for a sound by it.
STAYING = {HISTORY: "Old records, left as they are", SAID: "Only mention these sounds in a text, left as they are"}


def show_account(screen: Screen, account: Account, changed: bool) -> None:
    """How many files name the shelves, and each of which not all is understood; `changed`: ledgers do, in their own
    way.
    """
    files, counts = account.files, Counter(one.standing for one in account.files)
    learnt = sum(one.learnt for one in files)
    if files:
        parts = [f"{counts[word]:,} {text}" for word, text in STANDINGS.items() if counts[word]]
        screen.say(
            f"{many(len(files), 'file refers', 'files refer')} to these sounds: {', '.join(parts)}"
            f"{f'; {learnt} of an unknown kind, worked out just now' if learnt else ''}."
        )
    else:
        screen.say(f"No {'other ' if changed else ''}file refers to these sounds.")
    rows = [
        (place(one.path), STANDINGS[one.standing], one.uncovered, spots_text(one.spots))
        for one in files
        if one.uncovered
    ]
    if rows or any(one.views for one in files):
        screen.say()
    screen.table("Would still point to the old place", ("File", "Why", ">Times", "For instance"), rows[:SHOWN])
    if len(rows) > SHOWN:
        screen.say(f"... and {len(rows) - SHOWN} more (see --json)")
    show_views(screen, files)
    show_staying(screen, files)
    for one in files:
        if one.counted:
            screen.remark(
                f"{place(one.path)} is a binary file of which only the text lengths are understood. After the move,"
                f" open it in"
                " its program before you release the originals"
            )
    screen.say(searched_text(account.search))
    show_gaps(screen, account.search, account.away, ahead=True)
    if account.backups:
        screen.say(f"Not searched, because they hold backups: {', '.join(map(place, account.backups))}.")


def show_staying(screen: Screen, files: Sequence[Accounted]) -> None:
    """The files that are left as they are, since no program looks for a sound by them."""
    for word, text in STAYING.items():
        names = [place(one.path) for one in files if one.standing == word]
        shown = names if screen.all else names[:MOST_NAMED]
        more = f" and {len(names) - len(shown)} more (--all)" if len(names) > len(shown) else ""
        if names:
            screen.say(f"{text}: {', '.join(shown)}{more}.")


def show_inside(screen: Screen, files: Sequence[Accounted]) -> None:
    """Which files in archives name what parts from them, or may do so, and are not understood."""
    rows = [(place(one.path), one.uncovered, spots_text(one.spots) or one.why) for one in files]
    screen.table("In archives, and referring to what goes elsewhere", ("File", ">Times", "For instance"), rows[:SHOWN])


def show_gaps(screen: Screen, search: Search, away: Sequence[str], ahead: bool = False) -> None:
    """What was not searched; `ahead` of a move, also how to say that this is meant."""
    for one in away:
        screen.remark(f"Not searched, because it is not there: {place(one)}")
    for why, count in sorted(search.gap_counts.items()):
        some = [gap.path for gap in search.gaps if gap.why == why]
        shown = some if screen.all else some[:MOST_GAPS_SHOWN]
        more = f" and {count - len(shown)} more (--all)" if count > len(shown) else ""
        words = " ".join(map(typed, some[:MOST_GAPS_SHOWN]))
        advice = f". If it does not matter: --no-search {words}" if ahead else ""
        screen.remark(f"Not searched, {WHY_NOT[why]}: {', '.join(map(place, shown))}{more}{advice}")


def show_views(screen: Screen, files: Sequence[Accounted]) -> None:
    """Which programs would see less, through which of their folders."""
    rows = [(place(one.path), place(view.folder), view.before, view.after) for one in files for view in one.views]
    columns = ("Program's file", "Folder it lists", ">Sounds now", ">After the move")
    screen.table("Folders that stay, with fewer sounds in them", columns, rows if screen.all else rows[:SHOWN])


def show_learnt(screen: Screen, account: Account) -> None:
    """Every file that names the shelves, how it is read, and some of what would not follow."""
    rows = [
        (place(one.path), STANDINGS[one.standing], one.map_name, one.count, one.uncovered, spots_text(one.spots))
        for one in account.files
    ]
    columns = ("File", "What happens", "Read as", ">Times", ">Left", "For instance")
    screen.table("Every file that refers to these sounds", columns, rows)


# What was passed over, when it was only one.
ONE = {
    "sounds": "sound",
    "collections that travel": "collection that travels",
    "programs and films": "program or film",
    "top folders of other drives": "top folder of another drive",
}


def searched_text(search: Search) -> str:
    """Where was searched, and what was passed over."""
    passed = ", ".join(
        f"{count:,} {ONE.get(word, word) if count == 1 else word}" for word, count in sorted(search.passed_over.items())
    )
    return (
        f"Searched {many(search.files, 'file', 'files')} in {', '.join(map(place, search.places))}"
        f"{f' (skipped: {passed})' if passed else ''}."
    )


def spots_text(spots: Sequence[Spot]) -> str:
    """A few spots, in words."""
    return "; ".join(f"{spot.where}: {spot.text}" for spot in spots[:1])


def advice(plan: Draft) -> list[str]:
    """What a person can do about files that would not follow, if there are any."""
    if not (files := plan.open()):
        return []
    first, *others = packed_ways(files[0]) if files[0].archive else ways_out(plan, files)
    return [first, *(f"Or {other[0].lower()}{other[1:]}" for other in others)]


def packed_ways(one: Accounted) -> list[str]:
    """What helps with a file in an archive."""
    return [
        "Keep it together with the sounds it uses: change the patterns of --small-to, or leave it out",
        f"Do not stop because of it:   add --ignore {typed(one.archive)}",
    ]


def ways_out(plan: Draft, files: Sequence[Accounted]) -> list[str]:
    """What helps with these files, the best first."""
    less = [one for one in files if one.standing == SHOWS_LESS]
    linked = [one for one in files if one.standing == LINKED]
    others = [one for one in files if one not in less and one not in linked]
    unread = [one for one in others if one.standing != UNCHANGEABLE]
    # A link is one folder, and helps nobody whose own file has gone away from what it names.
    by_link = not plan.arranged and any(shelf.leave == "nothing" for shelf in plan.waybill.shelves)
    lines = []
    if by_link and not all(one.leads_out for one in files):
        lines.append("Leave a link at the old place, so that the old paths still work:   add --signpost")
    if any(one.leads_out for one in files):
        lines.append("Move what it uses along with it: name the folders of both in one command")
    if linked:
        lines.append("Point your own links to the new place:   add --turn-links")
    if less:
        lines.append(f"Add the new folder in its program after the move:   add --ignore {typed(less[0].path)}")
    if unread:
        learn = f"saltcart learn {typed(unread[0].path)} --against SHELF"
        lines.append(f"Describe the file with a map (saltcart help maps):   {learn}")
    if others:
        lines.append(f"Do not stop because of it:   add --ignore {typed(others[0].path)}")
    elif linked:
        lines.append(f"Let the link break:   add --ignore {typed(linked[0].path)}")
    return lines


def show_advice(screen: Screen, plan: Draft) -> None:
    """What a person can do about what is not understood, if anything is."""
    for line in advice(plan):
        screen.say(line)


def refuse_open(plan: Draft) -> None:
    """Raise Refused when something would lead nowhere after the trip, and nobody is there to agree to it."""
    files = plan.open()
    if files:
        names = (
            ("file refers", "files refer")
            if any(one.spots or one.views for one in files)
            else ("file may refer", "files may refer")
        )
        raise Refused(
            f"{many(len(files), *names)} to these sounds and would not find them after the move",
            "\n     ".join(advice(plan)),
            [f"{show(one.path)}: {reason(one)}" for one in files[:SHOWN]],
        )


def reason(one: Accounted) -> str:
    """Why a file would not follow."""
    if one.standing == SHOWS_LESS:
        return "; ".join(
            f"{show(view.folder)} holds {many(view.before, 'sound', 'sounds')} now, {view.after} after the move"
            for view in one.views
        )
    if one.why and not one.spots and one.standing == UNREAD:
        return one.why  # nobody knows what it names
    because = f": {one.why}" if one.why else ""
    return f"{STANDINGS[one.standing]}, {one.uncovered} left{because}"


def show_left(screen: Screen, report: CheckReport) -> None:
    """What still names the old places after the switch, and where was searched."""
    rows = [
        (place(one.path), one.standing, one.count, spots_text(one.spots))
        for one in report.left
        if one.unaccounted or one.standing in (SERVED, LEFT, ORIGINALS, SHOWS_LESS)
    ]
    screen.table("Still points to the old place", ("File", "Why", ">Times", "For instance"), rows[:SHOWN])
    if len(rows) > SHOWN:
        screen.say(f"... and {len(rows) - SHOWN} more (see --json)")
    if report.search:
        screen.say(searched_text(report.search))
    if report.search:
        show_gaps(screen, report.search, report.unsearched)
