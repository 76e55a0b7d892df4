"""Showing which files name the shelves, and which of them nobody understands."""

from __future__ import annotations

import shlex
from collections import Counter
from collections.abc import Sequence
from typing import TYPE_CHECKING

from saltcart.cli.screen import Screen, many, place
from saltcart.errors import Refused, show
from saltcart.mentions.standings import HISTORY, IN_FULL, IN_PART, LEFT, ORIGINALS, SERVED, UNCHANGEABLE, UNREAD

if TYPE_CHECKING:  # a check draws up no account
    from saltcart.mentions.content import Spot
    from saltcart.mentions.search import Search
    from saltcart.planning.account import Account, Accounted
    from saltcart.planning.draft import Draft
    from saltcart.proving.results import CheckReport

SHOWN = 20
STANDINGS = {
    IN_FULL: "understood",
    IN_PART: "understood in part",
    UNREAD: "not understood",
    UNCHANGEABLE: "cannot be changed",
    HISTORY: "a history, may stay",
    LEFT: "left as you said",
    SERVED: "served by the signpost",
    ORIGINALS: "finds the originals",
}


def show_account(screen: Screen, account: Account, changed: bool) -> None:
    """How many files name the shelves, and each of which not all is understood; `changed`: ledgers do, in their own
    way.
    """
    files, counts = account.files, Counter(one.standing for one in account.files)
    learnt = sum(one.learnt for one in files)
    if files:
        parts = [f"{counts[word]:,} {text}" for word, text in STANDINGS.items() if counts[word]]
        screen.say(
            f"{many(len(files), 'file names', 'files name')} these sounds: {', '.join(parts)}"
            f"{f'; {learnt} learnt just now' if learnt else ''}."
        )
    else:
        screen.say(f"No {'other ' if changed else ''}file names these sounds.")
    rows = [
        (place(one.path), STANDINGS[one.standing], one.uncovered, spots_text(one.spots))
        for one in files
        if one.uncovered
    ]
    if rows:
        screen.say()
    screen.table("Will go on naming the old place", ("File", "How it stands", ">Times", "For instance"), rows[:SHOWN])
    if len(rows) > SHOWN:
        screen.say(f"... and {len(rows) - SHOWN} more (see --json)")
    for one in files:
        if one.counted:
            screen.remark(
                f"{place(one.path)} is binary, read by the lengths before its texts: after the move, open it in its"
                " program before you release the originals"
            )
    screen.say(searched_text(account.search))
    for away in account.away:
        screen.remark(f"Not searched, for it is not there: {place(away)}")


def show_learnt(screen: Screen, account: Account) -> None:
    """Every file that names the shelves, how it is read, and some of what would not follow."""
    rows = [
        (place(one.path), STANDINGS[one.standing], one.map_name, one.count, one.uncovered, spots_text(one.spots))
        for one in account.files
    ]
    columns = ("File", "How it stands", "Read as", ">Times", ">Left", "For instance")
    screen.table("Everything that names these sounds", columns, rows)


def searched_text(search: Search) -> str:
    """Where was searched, and what was passed over."""
    passed = ", ".join(
        f"{count:,} {'sound' if (count, word) == (1, 'sounds') else word}"
        for word, count in sorted(search.passed_over.items())
    )
    return (
        f"Searched: {', '.join(map(place, search.places))} ({many(search.files, 'file', 'files')}"
        f"{f', {search.unchanged:,} of them as they were when last read' if search.unchanged else ''}"
        f"{f'; passed over: {passed}' if passed else ''})."
    )


def spots_text(spots: Sequence[Spot]) -> str:
    """A few spots, in words."""
    return "; ".join(f"{spot.where}: {spot.text}" for spot in spots[:1])


def advice(files: Sequence[Accounted], arranged: bool) -> list[str]:
    """What a person can do about files that would not follow."""
    first, unread = shlex.quote(show(files[0].path)), [one for one in files if one.standing != UNCHANGEABLE]
    link = "Leave a link at the old place, for programs that follow links:   add --signpost"
    lines = [] if arranged else [link]  # which leads to one folder
    if unread:
        described = shlex.quote(show(unread[0].path))
        lines.append(f"Describe the file (see docs/maps.md):   saltcart learn {described} --against SHELF")
    return [*lines, f"Or let it go on naming the old place:   add --leave-unread {first}"]


def show_advice(screen: Screen, plan: Draft) -> None:
    """What a person can do about what is not understood, if anything is."""
    for line in advice(files, bool(plan.arranged)) if (files := plan.open()) else ():
        screen.say(line)


def refuse_open(plan: Draft) -> None:
    """Raise Refused when something would lead nowhere after the trip, and nobody is there to agree to it."""
    files = plan.open()
    if files:
        raise Refused(
            f"{many(len(files), 'file names', 'files name')} these sounds and would not follow",
            "\n     ".join(advice(files, bool(plan.arranged))),
            [f"{show(one.path)}: {one.why or STANDINGS[one.standing]}, {one.uncovered} left" for one in files[:SHOWN]],
        )


def show_left(screen: Screen, report: CheckReport) -> None:
    """What still names the old places after the switch, and where was searched."""
    rows = [
        (place(one.path), one.standing, one.count, spots_text(one.spots))
        for one in report.left
        if one.unaccounted or one.standing in (SERVED, LEFT, ORIGINALS)
    ]
    screen.table("Still names the old place", ("File", "How it stands", ">Times", "For instance"), rows[:SHOWN])
    if len(rows) > SHOWN:
        screen.say(f"... and {len(rows) - SHOWN} more (see --json)")
    if report.search:
        screen.say(searched_text(report.search))
    for away in report.unsearched:
        screen.remark(f"Not searched, for it is not there: {place(away)}")
