"""The command `saltcart start`: ask once where sounds, programs and drives are, and write that down."""

import argparse
import os
import shlex
import sys
import tempfile
from collections.abc import Sequence
from contextlib import suppress

from saltcart import cart as carts
from saltcart.cart import ROLES
from saltcart.cli.arguments import add_cart, add_yes
from saltcart.cli.learn import renamed, unique
from saltcart.cli.screen import Screen, many, place, size
from saltcart.drives.candidates import candidates
from saltcart.drives.drive import Drive
from saltcart.errors import Refused, SaltCartError, UsageError, show
from saltcart.learning.learn import kinds_of, learn
from saltcart.learning.lessons import Learnt
from saltcart.ledgers import load_map, open_ledger
from saltcart.ledgers.base import NEW_THINGS
from saltcart.looking.cart_draft import keep_maps, write
from saltcart.looking.survey import default_places, survey
from saltcart.looking.survey_report import SurveyReport
from saltcart.looking.undescribed import undescribed
from saltcart.mending.discovery import look_for_losses

MOST_ASKED = 20  # files of one kind that are looked at


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Where the sounds are, for those who know already."""
    parser.add_argument("place", nargs="*", metavar="PLACE", help="folders that hold sounds (default: it asks)")
    add_yes(parser, changes=False)
    add_cart(parser)


def run(options: argparse.Namespace) -> int:
    """Ask, search, learn, write."""
    screen = Screen(options)
    if not options.yes and not sys.stdin.isatty():
        raise UsageError(
            "Cannot ask you anything: there is no terminal", "Run it in a terminal, or add --yes to take what it finds."
        )
    path = carts.place(options.cart)
    cart = carts.load(path) if os.path.exists(path) else carts.Cart()
    places = options.place or asked_places(screen, options, cart)
    with screen.watch() as watch:
        report = survey(places, (), (), cart, (), watch)
        found = undescribed(report, cart, progress=watch)
        taught = lessons([one.path for one in found.files], found.tops, cart.meanings())
        gone = len(look_for_losses(cart, places, cart.meanings(), watch).shown)
    show_sounds(screen, report)
    if not report.shelves:
        raise Refused(
            f"There are no sounds in {', '.join(map(place, report.places)) or 'the usual places'}",
            "Name the folders that hold them: saltcart start FOLDER...",
        )
    chosen = [one for one in taught if keep_kind(screen, options, one)]
    for one in chosen:
        confirm_default(screen, options, one)
    roles = asked_roles(screen, options, candidates((), cart), cart)
    added = write(report, (), path, roles)
    names = unique([one.name for one in chosen], [load_map(plan).name for plan in cart.maps])
    texts = {name: renamed(one, name) for name, one in zip(names, chosen, strict=True)}
    ledgers = [proof.path for one in chosen for proof in one.proofs]
    kept = keep_maps(path, texts, ledgers) if chosen else []
    written = f"{many(added, 'table', 'tables')}, {many(len(kept), 'map', 'maps')}"
    screen.say(f"\nWritten to {place(path)}: {written}. Change it as you like; nothing else was touched.")
    not_understood = left_over(taught, [one.path for one in found.files])
    if not_understood:
        count = many(len(not_understood), "file", "files")
        some = ", ".join(map(place, not_understood[:3]))
        screen.remark(f"Not understood: {count} ({some}). A move says so again, before it begins.")
    say_next(screen, report, gone)
    screen.document(
        {
            "cart": path,
            "shelves": [shelf.tree.path for shelf in report.shelves],
            "maps": kept,
            "ledgers": ledgers,
            "not_understood": not_understood,
            "gone": gone,
        }
    )
    return 1 if not_understood else 0


def left_over(taught: Sequence[Learnt], found: Sequence[str]) -> list[str]:
    """The files that were found and are not understood, or not wholly."""
    known = {proof.path for one in taught for proof in one.proofs}
    left = [proof.path for one in taught if not one.complete for proof in one.proofs]
    return left + [path for path in found if path not in known]


def asked_places(screen: Screen, options: argparse.Namespace, cart: carts.Cart) -> Sequence[str]:
    """The folders that hold sounds."""
    usual = [one for one in default_places(cart) if os.path.isdir(one)]
    text = screen.ask(
        "Which folders hold your sounds? Several with a comma between them.", ", ".join(map(place, usual)), options
    )
    named = [one.strip() for one in text.split(",") if one.strip()] if text else usual
    if not named:
        raise UsageError("No folder of sounds was given, and none was found in the usual places", "Name one.")
    return named


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
    screen.table("Files that name them, read already", ("File", "Kind", ">Entries"), files)


def keep_kind(screen: Screen, options: argparse.Namespace, learnt: Learnt) -> bool:
    """Whether the map of one kind of file is wanted; of one that proves nothing nobody is asked."""
    paths = [proof.path for proof in learnt.proofs]
    named = sum(proof.rewritten for proof in learnt.proofs)
    if not learnt.proven or not named:
        return False
    what = f"{place(paths[0])}{f' and {len(paths) - 1:,} more like it' if len(paths) > 1 else ''}"
    left = sum(proof.uncovered for proof in learnt.proofs)
    rest = f", {left:,} more not understood" if left else ""
    screen.say(f"{what}: lists your sounds {many(named, 'time', 'times')}, understood{rest}.")
    return screen.ask("Is this a file of a program you use? y or n", "y", options).lower() not in ("n", "no")


def confirm_default(screen: Screen, options: argparse.Namespace, learnt: Learnt) -> None:
    """Ask whether the folder for new content was guessed right; if it was not, its map does not say so."""
    places = defaults_of(learnt)
    if not places:
        return
    path, folder = places[0]
    screen.say(f"{place(path)}: new content of this program goes to {place(folder)}.")
    if screen.ask("Is that right? y or n", "y", options).lower() in ("n", "no"):
        learnt.map_text = learnt.map_text.replace('means = "default"\n', "")


def defaults_of(learnt: Learnt) -> list[tuple[str, str]]:
    """Files that say where new content goes, with that folder, as their map was learnt."""
    found = []
    with tempfile.TemporaryDirectory(prefix="saltcart-") as folder, suppress(SaltCartError):
        draft = os.path.join(folder, "map.toml")
        with open(draft, "w", encoding="utf-8") as stream:
            stream.write(learnt.map_text)
        plan = load_map(draft)
        for path in [proof.path for proof in learnt.proofs][:MOST_ASKED]:
            entries = open_ledger(path, [plan], plan.name).entries()
            found += [(path, entry.written) for entry in entries if entry.names == NEW_THINGS]
    return found


def asked_roles(
    screen: Screen, options: argparse.Namespace, drives: Sequence[Drive], cart: carts.Cart
) -> list[tuple[Drive, dict[str, str]]]:
    """What each drive is for."""
    roles = []
    for drive in drives:
        known = cart.drive(drive.identity)
        usual = known.role if known else "system" if drive.mount == "/" else "sounds"
        text = screen.ask(
            f"What is the drive {show(drive.name)} ({place(drive.mount)}, {size(drive.free_bytes)} free) for?"
            " sounds, backup or system",
            usual,
            options,
        )
        role = next((word for word in ROLES if text and word.startswith(text.lower())), usual)
        roles.append((drive, {"role": role}))
    return roles


def say_next(screen: Screen, report: SurveyReport, gone: int) -> None:
    """The three commands that matter; where `gone` sounds lie elsewhere than programs look for them, that first."""
    if gone:
        what = many(gone, "sound that your programs name lies", "sounds that your programs name lie")
        screen.say(f"{what} elsewhere now, as if somebody had dragged them. First of all:")
        screen.say("    saltcart mend   finds them, shows you what it found, and asks")
    shelf = shlex.quote(place(report.shelves[0].tree.path))
    screen.say("What comes next:")
    commands = {
        f"saltcart drives --for {shelf}": "which drive can take it",
        f"saltcart move {shelf} --to FOLDER": "you are shown everything and asked first",
        "saltcart check": "any time later: is everything where it should be?",
    }
    wide = max(map(len, commands))
    for words, meaning in commands.items():
        screen.say(f"    {words:{wide}}   {meaning}")
