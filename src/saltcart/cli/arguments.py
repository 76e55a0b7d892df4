"""Arguments that several commands share."""

from __future__ import annotations

import argparse
import re
from typing import TYPE_CHECKING, Any

from saltcart.cart import load, maps_at
from saltcart.errors import UsageError, show
from saltcart.system import os

if TYPE_CHECKING:  # the commands that only look do without
    from saltcart.hauling.haul_report import Pace

    Group = argparse.ArgumentParser | argparse._ArgumentGroup

NO_FOLDER = "No folder of sounds was given, and none was found in the usual places"


def add_list(parser: Group, option: str, metavar: str, text: str) -> None:
    """An option that takes several values, and may be given again."""
    parser.add_argument(option, nargs="+", action="extend", default=[], metavar=metavar, help=text)


class Maps(argparse.Action):
    """Collects maps; of a folder those in it."""

    def __call__(self, _parser: object, namespace: argparse.Namespace, values: Any, _option: object = None) -> None:
        known = getattr(namespace, self.dest)
        setattr(namespace, self.dest, [*known, *maps_at(map(os.path.expanduser, values))])


def add_maps(parser: Group) -> None:
    """--map."""
    parser.add_argument(
        "--map",
        nargs="+",
        action=Maps,
        default=[],
        metavar="FILE",
        help="maps, or folders of maps, for databases and other files that Salt Cart cannot read without one",
    )


def add_ledgers(parser: Group) -> None:
    """--ledger and --map."""
    add_list(parser, "--ledger", "FILE", "playlists and databases that list these sounds")
    add_maps(parser)
    parser.add_argument(
        "--drive",
        action="append",
        default=[],
        metavar="D:=FOLDER",
        help="treat paths that start with D: (or a share, or a folder of another system) as paths in FOLDER",
    )


def add_plan(parser: argparse.ArgumentParser) -> None:
    """The shelves and what becomes of them."""
    add_shelves(parser.add_argument_group("Usual options"))
    add_links(parser.add_argument_group("Folders and links"))
    add_gathering(parser.add_argument_group("Sounds from elsewhere"))
    lists = parser.add_argument_group("Your programs' files")
    add_ledgers(lists)
    add_rewriting(lists)
    add_search(parser.add_argument_group("Search"))
    add_archives(parser.add_argument_group("Archives"))
    add_sha256(parser)
    add_all(parser)
    add_cart(parser)
    parser._optionals.title = "Other options"
    parser._action_groups.sort(key=lambda group: group is parser._optionals)  # what is seldom needed comes last


def add_shelves(group: Group) -> None:
    """Shelves, or parts of them, and their new places."""
    group.add_argument("shelf", nargs="*", metavar="SHELF", help="the folder of sounds to move, or single files")
    group.add_argument(
        "--to",
        required=True,
        action="append",
        metavar="FOLDER",
        help="the folder to move them into; give it once for all of them, or once for each",
    )
    add_list(group, "--exclude", "PATTERN", "leave these where they are, such as '*.ini' or 'Old Packs'")
    add_list(group, "--only", "PATTERN", "move only these")
    add_list(group, "--from-list", "LIST", "move the files in this playlist, and keep their folders")
    group.add_argument(
        "--with-programs",
        action="store_true",
        help="move programs and plug-ins too, which normally stay where they are",
    )
    add_arrange(group)


def add_links(group: Group) -> None:
    """What is left behind, and what becomes of links."""
    group.add_argument(
        "--signpost",
        action="store_true",
        help="leave a link at the old place, so that programs still find the sounds there",
    )
    group.add_argument(
        "--turn-links",
        action="store_true",
        help="point existing links to the new place, and leave the entries that go through them as they are",
    )
    group.add_argument(
        "--copy",
        action="store_true",
        help="copy instead of moving: ledgers refer to the copies, and the originals stay",
    )


def add_gathering(group: Group) -> None:
    """What comes along from elsewhere."""
    group.add_argument(
        "--gather",
        action="store_true",
        help="also copy sounds from elsewhere that the playlists and databases in the shelf use",
    )
    group.add_argument(
        "--set-aside-gathered",
        action="store_true",
        help="do the same, and set those originals aside too, so that release frees their space",
    )


def add_rewriting(group: Group) -> None:
    """How ledgers are rewritten."""
    add_list(
        group,
        "--folder-first",
        "FILE",
        "when only part of a folder listed in FILE moves, add the new folder ahead of the old one",
    )
    group.add_argument(
        "--keep-entries",
        action="store_true",
        help="change no ledger: they still point to the old place, which the link keeps working",
    )
    group.add_argument(
        "--trust-map",
        action="store_true",
        help="also rewrite binary files of which only the text lengths are understood",
    )
    group.add_argument(
        "--new-things", metavar="FOLDER", help="set the folder in which programs save new purchases and recordings"
    )
    group.add_argument(
        "--fix-folder-level",
        action="store_true",
        help="correct folder entries that point one level too high or too low",
    )
    group.add_argument(
        "--turn-folders",
        action="store_true",
        help="if a ledger holds a single folder and part of it moves, point it to the new folder",
    )


def add_archives(group: Group) -> None:
    """What becomes of archives."""
    group.add_argument("--packed", action="store_true", help="move archives without unpacking them")
    group.add_argument(
        "--small-to",
        nargs="+",
        default=[],
        metavar=("FOLDER", "PATTERN"),
        help="unpack files that match, such as '*.ini', into this folder, and the rest into --to",
    )
    group.add_argument("--signpost-at", metavar="FOLDER", help="leave a link to the unpacked files in this folder")


def add_arrange(parser: Group) -> None:
    """--arrange."""
    parser.add_argument(
        "--arrange",
        metavar="PATTERN",
        default="",
        help="name files and folders after their tags, such as '{artist}/{album}/{track:02} {title}'; to keep them:"
        " '{folder}/{name}'",
    )


def add_all(parser: argparse.ArgumentParser) -> None:
    """--all."""
    parser.add_argument("--all", action="store_true", help="show everything, not only what needs your attention")


def add_search(parser: Group) -> None:
    """--search, --no-search and --ignore."""
    add_list(parser, "--search", "PLACE", "also search these folders for files that refer to the sounds")
    parser.add_argument(
        "--no-search",
        nargs="*",
        metavar="PLACE",
        help="do not search these places for files that refer to the sounds; without a place: do not search before the"
        " move (the check afterwards does)",
    )
    add_list(parser, "--ignore", "FILE", "do not stop because of this file, even if it still points to the old place")


def add_output(parser: argparse.ArgumentParser, what: str, default: str) -> None:
    """Where something is written."""
    parser.add_argument(
        "--output", "-o", metavar="FILE", default=default, help=f"the {what} to write (default: {default})"
    )
    parser.add_argument("--force", action="store_true", help=f"overwrite an existing {what} with that name")


def add_sha256(parser: argparse.ArgumentParser) -> None:
    """--sha256."""
    parser.add_argument(
        "--sha256",
        dest="digests_kind",
        action="store_const",
        const="sha256",
        default="blake3",
        help="use SHA-256 for digests, which every system can verify, instead of the faster BLAKE3",
    )


def add_yes(parser: argparse.ArgumentParser, changes: bool = True) -> None:
    """--yes; and --dry-run where a command changes anything."""
    parser.add_argument("--yes", action="store_true", help="answer yes to every question")
    if changes:
        parser.add_argument("--dry-run", action="store_true", help="show what would be done, and change nothing")


def add_pace(parser: argparse.ArgumentParser) -> None:
    """How fast to copy, and what tells that it is done."""
    parser.add_argument("--limit", metavar="RATE", type=rate, help="copy at most this many bytes a second, such as 40M")
    add_bell(parser)


def add_bell(parser: argparse.ArgumentParser) -> None:
    """--bell."""
    parser.add_argument("--bell", action="store_true", help="ring the terminal bell when it is done or has stopped")


def pace(options: argparse.Namespace) -> Pace:
    """The pace that was asked for, with what cart.toml says of drives."""
    from saltcart.hauling.haul_report import Pace

    return Pace(options.limit, load(options.cart))


def rate(text: str) -> int:
    """Bytes a second from a number with a unit of the decimal kind, as drives are sold by."""
    found = re.fullmatch(r"([0-9]+(?:\.[0-9]+)?)\s*([kMG]?)B?(?:/s)?", text)
    count = int(float(found[1]) * {"": 1, "k": 10**3, "M": 10**6, "G": 10**9}[found[2]]) if found else 0
    if not count:
        raise argparse.ArgumentTypeError(f"{show(text)} is not a speed; write it like 40M (bytes a second)")
    return count


def add_wait(parser: argparse.ArgumentParser) -> None:
    """--wait."""
    parser.add_argument("--wait", action="store_true", help="wait until the programs that use these ledgers are closed")


def add_trip(parser: argparse.ArgumentParser) -> None:
    """The trip to work on."""
    parser.add_argument(
        "trip",
        nargs="?",
        metavar="TRIP",
        help="the trip's id, as listed by saltcart trips (default: the latest suitable trip)",
    )


def trip_name(
    options: argparse.Namespace, *states: str, began: str, dropping: bool = False, otherwise: str | None = None
) -> str:
    """The trip named on the command line; without one, the trip that this command `began` and did not end, or the
    newest in one of `states`, else in `otherwise`.  See `saltcart.trips.trip.latest`.
    """
    from saltcart.trips.history import latest  # the look-only commands do without
    from saltcart.trips.trip import opened

    if not options.trip:
        return latest(*states, otherwise=otherwise, began=began, dropping=dropping)
    with opened(options.trip) as trip:
        return trip.name


def need_answer(options: argparse.Namespace, what: str) -> UsageError:
    """The error for a question nobody answered with yes."""
    return UsageError(f"Not confirmed, so nothing was {what}", "Answer y, or add --yes.")


def add_cart(parser: argparse.ArgumentParser) -> None:
    """--cart."""
    parser.add_argument(
        "--cart",
        metavar="FILE",
        help="the configuration file (default: cart.toml in this folder, then in your configuration folder)",
    )
