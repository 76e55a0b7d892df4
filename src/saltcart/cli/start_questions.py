"""What `saltcart start` asks, one list at a time: sounds, sessions, programs' files, new sounds, backups."""

import argparse
import re
import tempfile
from collections.abc import Mapping, Sequence
from contextlib import suppress

from saltcart.cart import Cart
from saltcart.cli.arguments import NO_FOLDER
from saltcart.cli.screen import Screen, many, place, size
from saltcart.drives.candidates import for_sounds
from saltcart.drives.drive import Drive
from saltcart.errors import SaltCartError, UsageError, show
from saltcart.learning.lessons import Learnt
from saltcart.ledgers.base import NEW_THINGS
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.looking.survey import default_places
from saltcart.looking.survey_report import SurveyReport
from saltcart.system import here, os

MOST_LOOKED_AT = 20  # files of one kind
NONE = "none"


def ask_sounds(screen: Screen, options: argparse.Namespace, cart: Cart) -> list[str]:
    """The folders that hold sounds.  Raises UsageError when there are none."""
    usual = [one for one in default_places(cart) if os.path.isdir(one)]
    found = ask_folders(screen, options, "Which folders hold your sounds? Put commas between them.", usual)
    if not found:
        raise UsageError(NO_FOLDER, "Name it: saltcart start FOLDER")
    return found


def ask_sessions(screen: Screen, options: argparse.Namespace, sounds: Sequence[str]) -> list[str]:
    """The folders that hold sessions and projects elsewhere."""
    question = "Which other folders hold your sessions and projects?"
    return [one for one in ask_folders(screen, options, question, []) if one not in sounds]


def ask_folders(screen: Screen, options: argparse.Namespace, question: str, usual: Sequence[str]) -> list[str]:
    """Folders that are there; what is not there is asked again."""
    while True:
        text = screen.ask(question, ", ".join(map(place, usual)) or NONE, options)
        named = [one.strip().strip("'\"") for one in text.split(",") if one.strip() not in ("", NONE)]
        named = list(usual) if text == ", ".join(map(place, usual)) else named
        missing = [one for one in named if not os.path.isdir(os.path.expanduser(one))]
        if not missing or options.yes:
            return named
        screen.remark(f"{', '.join(map(show, missing))}: there is no such folder. Is its drive connected?")


def ask_numbers(screen: Screen, options: argparse.Namespace, question: str, count: int) -> set[int]:
    """Numbers of a list that was shown, each from 1; what is none of them is asked again."""
    while True:
        text = screen.ask(f"{question} Numbers with commas between them.", NONE, options)
        words = [word for word in re.split(r"[\s,]+", text) if word and word.lower() not in (NONE, "n", "no")]
        if all(word.isdecimal() and 1 <= int(word) <= count for word in words):
            return {int(word) for word in words}
        screen.remark(f"Type numbers from 1 to {count}, or press Enter for none.")


def ask_programs(screen: Screen, options: argparse.Namespace, taught: Sequence[Learnt]) -> list[Learnt]:
    """Of the kinds of files that were learnt, those that belong to programs which are used."""
    known = [one for one in taught if one.proven and rewritten(one)]
    rows = [(number, *kind_row(one)) for number, one in enumerate(known, 1)]
    screen.table("Files of your programs that refer to these sounds", ("No.", "File", ">Refers to", "Understood"), rows)
    if not known:
        return []
    unused = ask_numbers(screen, options, "Which of them belong to programs that you no longer use?", len(known))
    return [one for number, one in enumerate(known, 1) if number not in unused]


def kind_row(one: Learnt) -> tuple[str, str, str]:
    """One kind of file for the table."""
    first, more = place(one.proofs[0].path), len(one.proofs) - 1
    left = sum(proof.uncovered for proof in one.proofs)
    name = f"{first} and {many(more, 'other', 'others')} like it" if more else first
    return name, many(rewritten(one), "entry", "entries"), f"all but {left:,}" if left else "all"


def rewritten(one: Learnt) -> int:
    """How many entries of files of one kind the map that was learnt reaches."""
    return sum(proof.rewritten for proof in one.proofs)


def confirm_new_sounds(screen: Screen, options: argparse.Namespace, chosen: Sequence[Learnt]) -> None:
    """Ask whether the folders for what is bought or recorded next were guessed right; of one that was not, its map does
    not say so.
    """
    found = [(one, *entry) for one in chosen for entry in new_sounds_of(one)[:1]]
    if not found:
        return
    rows = [(number, place(path), place(folder)) for number, (_one, path, folder) in enumerate(found, 1)]
    screen.table("Where your programs put new sounds", ("No.", "File", "Folder"), rows)
    wrong = ask_numbers(screen, options, "Which of these are wrong?", len(found))
    for number, (one, _path, _folder) in enumerate(found, 1):
        if number in wrong:
            one.map_text = one.map_text.replace('means = "default"\n', "")


def new_sounds_of(learnt: Learnt) -> list[tuple[str, str]]:
    """Files that say where new sounds go, with that folder, as their map was learnt."""
    found = []
    with tempfile.TemporaryDirectory(prefix="saltcart-") as folder, suppress(SaltCartError):
        draft = os.path.join(folder, "map.toml")
        with open(draft, "w", encoding="utf-8") as stream:
            stream.write(learnt.map_text)
        plan = load_map(draft)
        for path in [proof.path for proof in learnt.proofs][:MOST_LOOKED_AT]:
            entries = open_ledger(path, [plan], plan.name).entries()
            found += [(path, entry.written) for entry in entries if entry.names == NEW_THINGS]
    return found


def ask_backups(
    screen: Screen, options: argparse.Namespace, drives: Sequence[Drive], cart: Cart, report: SurveyReport
) -> list[tuple[Drive, Mapping[str, str]]]:
    """What each drive is for that a person may put sounds on; those in use for sounds now are not asked about."""
    used = {shelf.drive.identity for shelf in report.shelves if shelf.drive}
    known = [drive for drive in drives if cart.drive(drive.identity) is None and for_sounds(drive)]
    asked = [drive for drive in known if drive.identity not in used and drive.mount not in here.ROOTS]
    backups: set[int] = set()
    if asked:
        rows = [
            (number, show(one.name), place(one.mount), size(one.total_bytes), size(one.free_bytes))
            for number, one in enumerate(asked, 1)
        ]
        screen.table("Other drives", ("No.", "Drive", "Place", ">Size", ">Free"), rows)
        backups = ask_numbers(screen, options, "Which of these hold backups?", len(asked))
    roles = {one.identity: "backup" for number, one in enumerate(asked, 1) if number in backups}
    return [
        (one, {"role": roles.get(one.identity, "system" if one.mount in here.ROOTS else "sounds")}) for one in known
    ]
