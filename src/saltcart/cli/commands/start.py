"""The command `saltcart start`: ask once where sounds, programs and drives are, and write that down."""

import argparse
import sys
from collections.abc import Sequence

from saltcart import cart as carts
from saltcart.cli.arguments import add_cart, add_yes
from saltcart.cli.commands.learn import renamed, unique
from saltcart.cli.screen import Screen, many, place, size, typed_place
from saltcart.cli.start_questions import (
    ask_backups,
    ask_programs,
    ask_sessions,
    ask_sounds,
    confirm_new_sounds,
    rewritten,
)
from saltcart.drives.candidates import candidates
from saltcart.errors import Refused, SaltCartError, UsageError, show
from saltcart.learning.learn import kinds_of, learn
from saltcart.learning.lessons import Learnt
from saltcart.ledgers.maps import load_map
from saltcart.looking.cart_draft import keep_maps, keep_places, write
from saltcart.looking.survey import survey
from saltcart.looking.survey_report import SurveyReport
from saltcart.looking.undescribed import undescribed
from saltcart.mending.discovery import look_for_losses
from saltcart.system import os


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Where the sounds are, for those who know already."""
    parser.add_argument("place", nargs="*", metavar="PLACE", help="folders that hold sounds (default: it asks)")
    add_yes(parser, changes=False)
    add_cart(parser)


def run(options: argparse.Namespace) -> int:
    """Ask, search, learn, write; where sounds are lost, continue with `mend`."""
    screen = Screen(options)
    if not options.yes and not sys.stdin.isatty():
        raise UsageError(
            "Cannot ask you anything: there is no terminal", "Run it in a terminal, or add --yes to take what it finds."
        )
    path = carts.place(options.cart)
    cart = carts.load(path) if os.path.exists(path) else carts.Cart()
    sounds = options.place or ask_sounds(screen, options, cart)
    sessions = ask_sessions(screen, options, sounds)
    with screen.watch() as watch:
        report = survey(sounds, (), (), cart, (), watch)
        cart.places = [*cart.places, *map(os.path.expanduser, sessions)]
        found = undescribed(report, cart, progress=watch)
        taught = lessons([one.path for one in found.files], found.tops, cart.meanings())
        lost = len(look_for_losses(cart, sounds, cart.meanings(), watch).shown)
    if not report.shelves:
        raise Refused(
            f"There are no sounds in {', '.join(map(place, report.places)) or 'the usual places'}",
            "Give the folders that hold them: saltcart start FOLDER...",
        )
    show_sounds(screen, report)
    chosen = ask_programs(screen, options, taught)
    confirm_new_sounds(screen, options, chosen)
    roles = ask_backups(screen, options, candidates((), cart), cart, report)
    write(report, (), path, roles)
    keep_places(path, sessions)
    names = unique([one.name for one in chosen], [load_map(plan).name for plan in cart.maps])
    texts = {name: renamed(one, name) for name, one in zip(names, chosen, strict=True)}
    ledgers = [proof.path for one in chosen for proof in one.proofs]
    kept = keep_maps(path, texts, ledgers) if chosen else []
    left = left_over(taught, [one.path for one in found.files])
    show_closing(screen, path, report, chosen, left)
    repaired = mended(screen, options, lost)
    say_next(screen, report, 0 if repaired else lost)
    shelves = [shelf.tree.path for shelf in report.shelves]
    known = {"shelves": shelves, "maps": kept, "ledgers": ledgers, "not_understood": left, "gone": lost}
    screen.document({"cart": path, **known})
    return 1 if left else 0


def left_over(taught: Sequence[Learnt], found: Sequence[str]) -> list[str]:
    """The files that were found and are not understood, or not wholly."""
    known = {proof.path for one in taught for proof in one.proofs}
    left = [proof.path for one in taught if not one.complete for proof in one.proofs]
    return left + [path for path in found if path not in known]


def lessons(paths: Sequence[str], tops: Sequence[str], means: Sequence[str]) -> list[Learnt]:
    """What can be learnt of the files, a lesson for each kind."""
    taught = []
    for group in kinds_of(paths):
        try:
            taught.append(learn(group, tops, means))
        except (SaltCartError, OSError, ValueError):
            continue
    return taught


def show_sounds(screen: Screen, report: SurveyReport) -> None:
    """What was found, in short."""
    rows = [(show(one.name), size(one.tree.bytes), one.tree.files, place(one.tree.path)) for one in report.shelves]
    screen.table("Your sounds", ("Shelf", ">Size", ">Files", "Place"), rows)
    files = [(place(one.path), one.map_name, sum(one.counts().values())) for one in report.ledgers]
    screen.table("Playlists and other files of a known format", ("File", "Format", ">Entries"), files)


def show_closing(
    screen: Screen, path: str, report: SurveyReport, chosen: Sequence[Learnt], left: Sequence[str]
) -> None:
    """What is known now, and where that is."""
    sounds = sum(shelf.tree.files for shelf in report.shelves)
    files = len(report.ledgers) + sum(len(one.proofs) for one in chosen)
    entries = sum(sum(one.counts().values()) for one in report.ledgers) + sum(map(rewritten, chosen))
    shelves = many(len(report.shelves), "shelf", "shelves")
    screen.say(
        f"Known now: {many(sounds, 'file', 'files')} in {shelves}, and {many(files, 'file', 'files')} of your programs"
        f" that refer to them in {many(entries, 'entry', 'entries')}."
    )
    if left:
        some = ", ".join(map(place, left[:3])) + (" ..." if left[3:] else "")
        count = many(len(left), "file refers", "files refer")
        screen.remark(
            f"{count} to your sounds in a way that is not fully understood: {some}. A move will ask you first."
        )
    screen.say(f"Written to {place(path)}; you can edit it. Your sounds and your programs' files are unchanged.")


def mended(screen: Screen, options: argparse.Namespace, lost: int) -> bool:
    """Whether a person wanted to repair lost sounds, and `saltcart mend` was run."""
    if not lost:
        return False
    what = many(lost, "sound is", "sounds are")
    screen.say(f"\n{what} not where your programs look, and lie elsewhere: moved or renamed by hand, it seems.")
    question = "Repair that now? You are shown everything first. y or n"
    if options.yes or screen.ask(question, "y", options).lower() not in ("y", "yes"):
        return False
    from saltcart.cli import parser
    from saltcart.cli.commands import mend

    words = ["mend", *(["--cart", options.cart] if options.cart else [])]
    try:
        mend.run(parser.build("mend").parse_args(words))
    except SaltCartError as error:
        screen.remark(f"{error.what}. {error.remedy}")
        return False
    return True


def say_next(screen: Screen, report: SurveyReport, lost: int) -> None:
    """The three commands that matter, and before them, where sounds are `lost`, the one that finds them."""
    shelf = typed_place(report.shelves[0].tree.path)
    commands = {
        f"saltcart drives --for {shelf}": "which drive can take it",
        f"saltcart move {shelf} --to FOLDER": "shows the plan and asks before anything changes",
        "saltcart check": "at any time later: is everything where it should be?",
    }
    if lost:
        commands = {"saltcart mend": "first of all: finds the lost sounds, shows them, and asks"} | commands
    screen.say("What comes next:")
    wide = max(map(len, commands))
    for words, meaning in commands.items():
        screen.say(f"    {words:{wide}}   {meaning}")
