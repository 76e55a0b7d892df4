"""The command `saltcart draft`: work out a trip and write its waybill."""

import argparse

from saltcart.cart import load
from saltcart.cli.account import show_account, show_advice, show_inside
from saltcart.cli.arguments import add_output, add_plan
from saltcart.cli.commands.drives import duration
from saltcart.cli.documents import draft_document
from saltcart.cli.screen import Screen, many, place, size
from saltcart.errors import Refused, show, typed
from saltcart.planning.choosing import shelves_of
from saltcart.planning.contradictions import refuse_contradictions, unpacks
from saltcart.planning.draft import Draft, draft
from saltcart.planning.request import Request
from saltcart.planning.trial_rewrite import DraftedLedger
from saltcart.system import os
from saltcart.waybills import waybill_text
from saltcart.waybills.shelf import Shelf

MOST_FOLDERS, MOST_CLASHES, MOST_NAMED = 24, 6, 3


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The plan, and where to write it."""
    add_plan(parser)
    add_output(parser, "waybill", "waybill.toml")


def request(options: argparse.Namespace) -> Request:
    """What the command line asks for."""
    return Request(
        shelves=options.shelf,
        to=options.to,
        ledgers=options.ledger,
        maps=options.map,
        signpost=options.signpost,
        leave_out=options.exclude,
        only=options.only,
        keep_entries=options.keep_entries,
        means=options.drive,
        cart=load(options.cart),
        front=options.folder_first,
        digests=options.digests_kind,
        turn_links=options.turn_links,
        searches=options.no_search != [],
        search=options.search,
        leave_unread=options.ignore,
        from_list=options.from_list,
        copy=options.copy,
        gather=options.gather,
        set_aside_gathered=options.set_aside_gathered,
        with_programs=options.with_programs,
        new_things=options.new_things,
        right_level=options.fix_folder_level,
        packed=options.packed,
        small_to=options.small_to,
        signpost_at=options.signpost_at,
        turn_folders=options.turn_folders,
        arrange=options.arrange,
        not_searched=options.no_search or (),
        trust_map=options.trust_map,
    )


def run(options: argparse.Namespace) -> int:
    """Draft a trip and write its waybill."""
    screen = Screen(options)
    path = os.path.abspath(os.path.expanduser(options.output))
    wanted = request(options)
    refuse_contradictions(wanted)
    if not unpacks(wanted):
        shelves_of(wanted)  # what is wrong with these is reported before anything else
    if os.path.exists(path) and not options.force:
        raise Refused(
            f"There is already a plan at {place(path)}",
            "Choose another name with --output, or add --force to overwrite it.",
        )
    with screen.watch() as watch:
        plan = draft(wanted, watch)
    try:
        waybill_text.write(plan.waybill, path)
    except OSError as error:
        raise Refused(
            f"The plan cannot be written to {place(path)}: {error.strerror}", "Choose another name with --output."
        ) from error
    show_draft(screen, plan)
    show_advice(screen, plan)
    screen.say(f"Plan written to {place(path)}. Nothing has moved yet. You can read the plan, and edit it.")
    screen.say(f"Next: saltcart haul {typed(os.path.relpath(path))}")
    screen.document(draft_document(plan, path))
    complete = plan.account is None or plan.account.complete
    return 1 if plan.open() or not complete or any(not one.line.rewrite for one in plan.ledgers) else 0


def slowed(plan: Draft, limit: int | None) -> float:
    """The seconds that the haul should take when it copies and reads back at most `limit` bytes a second."""
    return max(plan.seconds, 2 * sum(one.bytes for one in plan.shelves) / limit) if limit else plan.seconds


def show_draft(screen: Screen, plan: Draft, limit: int | None = None) -> None:
    """What will move, what will change, and how much room is left."""
    show_answer(screen, plan, limit)
    if len(plan.shelves) > 1:
        show_shelves(screen, plan)
    show_arranged(screen, plan)
    shown = [one for one in plan.ledgers if screen.all or not one.line.rewrite]
    screen.table(
        "Ledgers that list these sounds" if screen.all else "Ledgers that cannot be updated",
        ("Ledger", "Map", ">Entries", ">Will change", ">Missing now", "Note"),
        [
            (
                place(one.line.path),
                one.line.map_name,
                sum(one.state.counts().values()),
                one.changes,
                one.state.counts()["missing"],
                note(one),
            )
            for one in shown
        ],
    )
    show_rest(screen, plan)


def show_shelves(screen: Screen, plan: Draft) -> None:
    """What moves, where there is more than one shelf."""
    screen.table(
        "What moves",
        ("Shelf", ">Files", ">Size", "From", "To", "Left behind"),
        [
            (
                show(one.shelf.name),
                one.files,
                size(one.bytes),
                place(one.shelf.old),
                place(one.shelf.new),
                left_behind(one.shelf),
            )
            for one in plan.shelves
            if not one.shelf.along
        ]
        + gathered_row(plan),
    )


def show_answer(screen: Screen, plan: Draft, limit: int | None) -> None:
    """What goes where, what follows, how much room is left and how long it takes."""
    files, room = sum(one.files for one in plan.shelves), sum(one.bytes for one in plan.shelves)
    away = any(one.shelf.old_drive != one.shelf.new_drive for one in plan.shelves)
    seconds = duration(slowed(plan, limit))
    rows = [("Moves", f"{many(files, 'file', 'files')}, {size(room)}")]
    if len(plan.shelves) == 1:
        (shelf,) = (one.shelf for one in plan.shelves)
        rows += [("From", place(shelf.old)), ("To", place(shelf.new))]
        rows += [("Left behind", left)] if (left := left_behind(shelf)) != "nothing" else []
    rows.append(("Takes", f"about {seconds}; every byte is {'read back from the new drive' if away else 'read'}"))
    following = sorted((one for one in plan.ledgers if one.changes), key=lambda one: -one.changes)
    if following:
        changes = many(sum(one.changes for one in following), "entry", "entries")
        names = ", ".join(place(one.line.path) for one in following[:MOST_NAMED])
        more = f" and {len(following) - MOST_NAMED} more (--all)" if following[MOST_NAMED:] and not screen.all else ""
        rows.append(("Updates", f"{changes} in {many(len(following), 'ledger', 'ledgers')}: {names}{more}"))
    if missing := sum(one.state.counts()["missing"] for one in plan.ledgers):
        rows.append(("Missing now", f"{many(missing, 'entry', 'entries')}: already broken before the move"))
    for one in plan.rooms:
        hauled, released = size(max(0, one.hauled)), size(max(0, one.released))
        after = f"{hauled} after" if hauled == released else f"{hauled} after, {released} after the release"
        rows.append(("Space", f"{show(one.drive.name)}: {size(one.before)} free now, {after}"))
    screen.facts(rows)


def show_arranged(screen: Screen, plan: Draft) -> None:
    """The folders that a pattern makes, as a tree with counts, what keeps its place, and which names were taken."""
    for one in plan.arranged:
        screen.tree(f"{show(one.name)}, arranged", one.folders, MOST_FOLDERS)
        for why, count in sorted(one.kept.items()):
            if count:
                screen.say(f"{many(count, 'sound keeps its place', 'sounds keep their places')}, {why}.")
        for old, new in one.clashes[:MOST_CLASHES]:
            screen.say(f"{show(old)} becomes {show(new)}, because the name from the pattern is taken.")
        if (more := len(one.clashes) - MOST_CLASHES) > 0:
            screen.say(f"... and so do {more} more.")


def show_rest(screen: Screen, plan: Draft) -> None:
    """Which files refer to the sounds, and everything else to report."""
    show_inside(screen, plan.inside)
    if plan.account:
        show_account(screen, plan.account, any(one.changes for one in plan.ledgers))
    elif plan.searched:
        screen.say(f"Searched for ledgers only in {', '.join(map(place, plan.searched))}. To add others: --ledger FILE")
    if plan.strays:
        count = many(len(plan.strays), "file that these ledgers use lies", "files that these ledgers use lie")
        screen.say(
            f"{count} outside the folders you are moving ({size(sum(plan.strays.values()))}), such as"
            f" {place(min(plan.strays))}. Such files stay where they are and keep playing. To copy them too: --gather"
        )
    for path, now, then in plan.new_things:
        goes = f"will go to {place(then)}; what is in {place(now)} stays there" if now != then else "still go there"
        screen.say(f"{place(path)} saves new sounds in {place(now)}: they {goes}.")
    for remark in plan.remarks:
        screen.remark(remark)


def gathered_row(plan: Draft) -> list[tuple[str, int, str, str, str, str]]:
    """What comes along from elsewhere, in one row if there is any."""
    along = [one for one in plan.shelves if one.shelf.along]
    if not along:
        return []
    folders = {os.path.dirname(one.shelf.old) for one in along}
    origin = place(min(folders)) if len(folders) == 1 else f"{len(folders)} folders"
    top = os.path.dirname(os.path.dirname(along[0].shelf.new))
    return [
        (
            "gathered",
            sum(one.files for one in along),
            size(sum(one.bytes for one in along)),
            origin,
            place(top),
            "the originals",
        )
    ]


def left_behind(shelf: Shelf) -> str:
    """What will be at the old place."""
    if shelf.packed:
        return "the archive"
    return {"signpost": "a signpost (link)", "original": "the originals"}.get(shelf.leave, "nothing")


def note(one: DraftedLedger) -> str:
    """A word on one drafted ledger."""
    if not one.line.rewrite:
        return "left as it is"
    return "moves with the shelf" if one.travels else ""
