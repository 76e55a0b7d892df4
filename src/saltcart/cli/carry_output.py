"""What `saltcart carry` shows before it copies and when it is done."""

from collections import Counter
from collections.abc import Sequence
from typing import NamedTuple

from saltcart.carrying.carry_plan import CarryPlan
from saltcart.cli.commands.draft import show_arranged, slowed
from saltcart.cli.commands.drives import duration
from saltcart.cli.screen import Screen, many, place, size
from saltcart.errors import show, typed
from saltcart.proving.results import CheckReport
from saltcart.system import os
from saltcart.waybills.collection import Collection
from saltcart.waybills.waybill import LedgerLine

MOST = 8  # of a kind, each in a line


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
    if plan.draft.left_out:
        names = ", ".join(map(place, plan.draft.left_out[:MOST]))
        count = many(len(plan.draft.left_out), "ledger", "ledgers")
        screen.remark(f"{count} NOT copied, because Salt Cart cannot read what they refer to: {names}")
    for text in plan.draft.remarks:
        screen.remark(text)


def show_what_goes(screen: Screen, plan: CarryPlan) -> None:
    """The sounds that go along."""
    draft = plan.draft
    files, total = sum(one.files for one in draft.shelves), sum(one.bytes for one in draft.shelves)
    ledgers = many(len(draft.ledgers), "ledger", "ledgers")
    there = sum(one.there_files for one in draft.shelves)
    known = f" {there:,} of the files are there already." if there else ""
    update = f"Brings the collection of {plan.before.made[:10]} up to date: " if plan.before else ""
    what = f"{update}{many(files, 'file', 'files')}, {size(total)}, with {ledgers}."
    screen.say(f"{what}{known} Nothing on this computer changes.", style="bold")
    shelves = [one for one in draft.shelves if not one.shelf.along]
    if len(shelves) == 1:
        screen.facts([("From", place(shelves[0].shelf.old)), ("To", place(shelves[0].shelf.new))])
    else:
        screen.say()
        screen.table(
            "What is copied",
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
        name, others = place(first.line.path), len(plan.full) - 1
        what = (
            f"{len(plan.full):,} ledgers are copied unchanged, such as {name}"
            if others
            else f"{name} is copied unchanged"
        )
        screen.say(
            f"{what}: {first.line.why}. On the other computer, saltcart settle adjusts {'them' if others else 'it'}."
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
    left = [
        f"{many(len(found), 'file', 'files')} {word}, {size(sum(found.values()))} (to copy: {option})"
        for found, word, option in (
            (plan.leftovers, "that no ledger lists", "--with-leftovers"),
            (plan.litter, "of litter", "--with-litter"),
        )
        if found
    ]
    if left:
        screen.say(f"Not copied: {'; '.join(left)}.")
    if plan.strange:
        count, top = many(len(plan.strange), "file", "files"), typed(plan.top)
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


class Outcome(NamedTuple):
    """What came of a carry besides the collection: entries `leading_out` of it, how many tracks are `lacking_in_lists`
    of it, how many of its files were `dropped`, and which were to be and are `not_dropped`.
    """

    leading_out: list[dict[str, str]]
    lacking_in_lists: int
    dropped: int
    not_dropped: Sequence[str] = ()


def show_closing(screen: Screen, plan: CarryPlan, made: Collection, report: CheckReport, outcome: Outcome) -> None:
    """What is there, what plays anywhere, what does not, and what to type next."""
    out, lacking, dropped, stays = outcome
    relative = [one for one in made.ledgers if one.relative]
    full = [one for one in made.ledgers if not one.relative]
    rows = [("Collection", place(made.top))]
    carried = plan.draft.shelves
    files, room = sum(one.files for one in carried), sum(one.bytes for one in carried)
    along = f"; {len(plan.draft.strays):,} of them from elsewhere" if plan.draft.strays else ""
    rows += [("Holds", f"{many(files, 'file', 'files')}, {size(room)}, each copy verified{along}")]
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
    if stays:
        names = ", ".join(map(show, stays[:MOST])) + (" ..." if len(stays) > MOST else "")
        count = many(len(stays), "file stays", "files stay")
        rows += [("Not removed", f"{count} there (changed there, or could not be removed): {names}")]
    there = f"saltcart settle {typed(made.top)}   on the other computer, or here to bring home what changed"
    rows += [("Elsewhere", there)]
    rows += [("Again", "the same command brings the collection up to date")]
    screen.facts(rows)
