"""The command `saltcart folders`: the folders that programs look in, and changing them without moving anything."""

import argparse
from collections.abc import Sequence

from saltcart.cart import Cart, load
from saltcart.cli.arguments import add_cart, add_ledgers, add_wait, add_yes, need_answer
from saltcart.cli.check_output import closing, show_check
from saltcart.cli.commands.mend import carry_on
from saltcart.cli.documents import check_document, trip_document
from saltcart.cli.screen import Screen, many, place
from saltcart.errors import Refused, SaltCartError, UsageError, show
from saltcart.judging.judgements import FOUND
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import Map, load_map
from saltcart.looking.survey import usual_ledgers
from saltcart.planning.folder_lists import (
    STARTS,
    ListedFolder,
    edited,
    folders_of,
    leaning_on,
    levelled,
    lines_for,
    redirected,
    refuse_loss,
)
from saltcart.shelves.true_names import true_path
from saltcart.spelling import Meanings
from saltcart.switching.ledger_trip import change_ledgers
from saltcart.trips.summary import summary
from saltcart.waybills.waybill import Waybill

ACTIONS = {
    "show": "show which folders programs look in, and whether they exist (the default)",
    "add": "let a program look in one more folder",
    "remove": "stop a program looking in a folder; the folder itself stays",
    "new-things": "set where a program puts what you buy or record next; what is already there stays",
    "fix-level": "correct folders that are a level too high or too low for the sounds in them",
}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """What to do, with which folder, in which ledgers."""
    parser.formatter_class = argparse.RawDescriptionHelpFormatter
    parser.epilog = "\n".join(f"{name:12} {text}" for name, text in ACTIONS.items())
    parser.add_argument("action", nargs="?", choices=ACTIONS, default="show", metavar="ACTION", help="see below")
    parser.add_argument("folder", nargs="?", metavar="FOLDER", help="the folder, for add, remove and new-things")
    add_ledgers(parser)
    parser.add_argument("--first", action="store_true", help="add it in front of the others, not behind them")
    parser.add_argument("--all", action="store_true", help="also the folders that entries of one ledger start from")
    add_wait(parser)
    add_yes(parser)
    add_cart(parser)


def run(options: argparse.Namespace) -> int:
    """Show the folders, or change them."""
    screen = Screen(options)
    needs_folder = options.action in ("add", "remove", "new-things")
    if needs_folder != bool(options.folder):
        raise UsageError(
            f'"{options.action}" needs a folder' if needs_folder else f'"{options.action}" takes no folder',
            f"Type it like this: saltcart folders {options.action}{' ~/Sounds --ledger FILE' if needs_folder else ''}",
        )
    if needs_folder and not options.ledger:
        raise UsageError("Which program is it for?", "Add the file that lists its folders: --ledger FILE")
    cart = load(options.cart)
    maps = [load_map(path) for path in dict.fromkeys([*options.map, *cart.maps])]
    means = cart.meanings(options.drive)
    if options.action != "show":  # which only looks
        carry_on(screen, options)
    if needs_folder:
        return edit(screen, Waybill([], maps=[plan.path for plan in maps], means=means), cart, maps, options)
    with screen.watch() as watch:
        paths = [true_path(path) for path in options.ledger] or usual_ledgers(cart, maps, watch)[0]
        found, troubles = folders_of(paths, maps, Resolver(Meanings(means)), watch)
    if options.action == "fix-level" and any(one.better for one in found):
        waybill = Waybill([], maps=[plan.path for plan in maps], means=means)
        levelled(found, waybill)
        waybill.ledgers = lines_for([open_ledger(path, maps) for path in paths])
        return change(screen, waybill, [], options)
    return tell(screen, found, troubles, options.all)


def edit(screen: Screen, waybill: Waybill, cart: Cart, maps: Sequence[Map], options: argparse.Namespace) -> int:
    """Put a folder into lists, take it out of them, or let new things go there."""
    ledgers = [open_ledger(true_path(path), maps) for path in options.ledger]
    remarks: list[str] = []
    for ledger in ledgers:
        if options.action == "new-things":
            redirected(options.folder, ledger, waybill)
        else:
            do = "add first" if options.first and options.action == "add" else options.action
            remarks += edited(do, options.folder, ledger, waybill)
    with screen.watch() as watch:
        leaning = leaning_on(ledgers, usual_ledgers(cart, maps, watch)[0], maps) if waybill.folders else []
    remarks += refuse_loss(leaning, waybill)
    waybill.ledgers = lines_for([*ledgers, *leaning])
    return change(screen, waybill, remarks, options)


def tell(screen: Screen, found: Sequence[ListedFolder], troubles: Sequence[SaltCartError], every: bool) -> int:
    """Show the folders that ledgers list, and say how it stands."""
    show_folders(screen, found, every)
    for error in troubles:
        screen.remark(f"{show(error.what)}; it is left out")
    wrong = sum(one.judgement.verdict != FOUND for one in found)
    better = sum(one.better is not None for one in found)
    screen.say(answer(found, wrong, better))
    screen.document({"folders": [document(one) for one in found]})
    return 1 if wrong or better or troubles or not found else 0


def answer(found: Sequence[ListedFolder], wrong: int, better: int) -> str:
    """The state in a sentence."""
    if not found:
        return "None of these ledgers lists a folder. To add others: --ledger and --map."
    text = f"{many(len(found), 'folder is', 'folders are')} listed"
    if better:
        return f"{text}; {better} at the wrong level. To correct that: saltcart folders fix-level"
    return f"{text}; {wrong} not found." if wrong else f"{text}, and all exist."


def change(screen: Screen, waybill: Waybill, remarks: Sequence[str], options: argparse.Namespace) -> int:
    """Say what will change, ask, change it, and say how it is."""
    for line in waybill.folders:
        words = {"add": "will look in", "add first": "will look first in", "remove": "will no longer look in"}[line.do]
        screen.say(f"The program of {place(line.ledger)} {words} {place(line.folder)}")
    for relink in waybill.relinks:
        screen.say(f"{place(relink.ledger)}: {place(relink.old)} -> {place(relink.new)}")
    for remark in remarks:
        screen.remark(remark)
    screen.say("Nothing moves: what lies in any of these folders stays where it is.")
    if not waybill.folders and not waybill.relinks:
        raise Refused("It says so already", "There is nothing to do.")
    if not screen.agrees("Rewrite it?", options):
        raise need_answer(options, "changed")
    with screen.watch() as watch:
        name, switched, report = change_ledgers(waybill, options.wait, watch)
    show_check(screen, report)
    screen.say(f"{many(switched.changed, 'folder', 'folders')} changed; nothing else differs. {closing(report)}")
    screen.say(f"To undo it: saltcart undo {name}")
    screen.document(
        {
            **trip_document(summary(name)),
            "changed_entries": switched.changed,
            "remarks": list(remarks),
            "check": check_document(report),
        }
    )
    return 0 if report.ok else 1


def show_folders(screen: Screen, found: Sequence[ListedFolder], every: bool) -> None:
    """One table; not of folders that entries of the same ledger start from and that are there, unless `every` one is
    wanted.
    """
    plain = [one for one in found if one.use == STARTS and one.judgement.verdict == FOUND and not one.better]
    rows = found if every else [one for one in found if one not in plain]
    screen.table(
        "Folders that programs look in",
        ("Ledger", "Folder", "What for", "Verdict"),
        [(place(one.ledger), place(one.judgement.resolved), one.use, verdict(one)) for one in rows],
    )
    if plain and not every:
        screen.say(
            f"{many(len(plain), 'more folder', 'more folders')} that entries start from: found (--all lists them)"
        )


def verdict(one: ListedFolder) -> str:
    """How one folder is."""
    return f"wrong level: {place(one.better)}" if one.better else one.judgement.verdict


def document(one: ListedFolder) -> dict[str, object]:
    """One folder."""
    return {
        "ledger": one.ledger,
        "where": str(one.judgement.entry.where),
        "written": one.judgement.entry.written,
        "folder": one.judgement.resolved,
        "use": one.use,
        "verdict": one.judgement.verdict,
        "better": one.better,
    }
