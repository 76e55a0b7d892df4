"""Arguments that several commands share."""

from __future__ import annotations

import argparse
import re
from typing import TYPE_CHECKING

from saltcart.cart import load
from saltcart.errors import UsageError, show

if TYPE_CHECKING:  # the commands that only look do without
    from saltcart.hauling.shelf_copy import Pace

    Group = argparse.ArgumentParser | argparse._ArgumentGroup


def add_list(parser: Group, option: str, metavar: str, text: str) -> None:
    """An option that takes several values, and may be given again."""
    parser.add_argument(option, nargs="+", action="extend", default=[], metavar=metavar, help=text)


def add_ledgers(parser: Group) -> None:
    """--ledger and --map."""
    add_list(parser, "--ledger", "FILE", "files that name sounds: playlists, databases")
    add_list(parser, "--map", "FILE", "maps that describe ledgers no built-in format reads")
    parser.add_argument(
        "--means",
        action="append",
        default=[],
        metavar="D:=FOLDER",
        help="what a drive letter, share or folder of another system is here",
    )


def add_plan(parser: argparse.ArgumentParser) -> None:
    """The shelves and what becomes of them."""
    add_shelves(parser.add_argument_group("What moves, and where to"))
    add_links(parser.add_argument_group("What stays at the old place"))
    add_gathering(parser.add_argument_group("What lies elsewhere"))
    lists = parser.add_argument_group("Files that name the sounds")
    add_ledgers(lists)
    add_rewriting(lists)
    add_search(parser.add_argument_group("The search for what names the sounds"))
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
        help="the folder that will hold the shelf; once for all, or once for each",
    )
    add_list(group, "--leave-out", "PATTERN", "what stays where it is, such as '*.ini' or 'Old Packs'")
    add_list(group, "--only", "PATTERN", "move nothing but this")
    add_list(group, "--from-list", "LIST", "move the files that this playlist names, with the folders they lie in")
    group.add_argument(
        "--with-programs", action="store_true", help="take along programs and plug-ins, which stay otherwise"
    )
    add_arrange(group)


def add_links(group: Group) -> None:
    """What is left behind, and what becomes of links."""
    group.add_argument(
        "--signpost", action="store_true", help="leave a link with exactly the old name at the old place"
    )
    group.add_argument(
        "--turn-links",
        action="store_true",
        help="turn links that entries go through to the new place, and leave those entries as they are",
    )
    group.add_argument(
        "--copy", action="store_true", help="copy: ledgers name the copies, and the originals stay as they are"
    )


def add_gathering(group: Group) -> None:
    """What comes along from elsewhere."""
    group.add_argument(
        "--gather",
        action="store_true",
        help="take along what lies elsewhere and playlists and databases in the shelf name; the originals stay",
    )
    group.add_argument(
        "--set-aside-gathered",
        action="store_true",
        help="the same, and set these aside too, so that release frees them",
    )


def add_rewriting(group: Group) -> None:
    """How ledgers are rewritten."""
    add_list(
        group,
        "--front",
        "FILE",
        "ledgers that list content folders: where a part of one moves, a new one comes in front of it",
    )
    group.add_argument(
        "--keep-entries",
        action="store_true",
        help="rewrite nothing: ledgers go on naming the old place, through the signpost",
    )
    group.add_argument(
        "--trust-map",
        action="store_true",
        help="rewrite binary files too of which nothing is known but the lengths before their texts",
    )
    group.add_argument(
        "--new-things",
        metavar="FOLDER",
        help="let programs put what is bought or recorded next there, where their maps say which entry that is",
    )
    group.add_argument(
        "--right-level",
        action="store_true",
        help="turn folders in ledgers that are a level too high or too low for what starts from them",
    )
    group.add_argument(
        "--turn-folders",
        action="store_true",
        help="where a ledger holds one folder, of which a part moves: let it name the new one",
    )


def add_archives(group: Group) -> None:
    """What becomes of archives."""
    group.add_argument("--packed", action="store_true", help="move archives as they are, and do not unpack them")
    group.add_argument(
        "--small-to",
        nargs="+",
        default=[],
        metavar=("FOLDER", "PATTERN"),
        help="of an archive: what matches, such as '*.ini', goes into this folder, the rest to --to",
    )
    group.add_argument(
        "--signpost-at", metavar="FOLDER", help="of an archive: leave a link to the new place in this folder"
    )


def add_arrange(parser: Group) -> None:
    """--arrange."""
    parser.add_argument(
        "--arrange",
        metavar="PATTERN",
        default="",
        help="give each sound a place from its tags, such as '{artist}/{album}/{track:02} {title}'; as it is:"
        " '{folder}/{name}'",
    )


def add_all(parser: argparse.ArgumentParser) -> None:
    """--all."""
    parser.add_argument("--all", action="store_true", help="show everything, not only what needs attention")


def add_search(parser: Group) -> None:
    """--search, --no-search and --leave-unread."""
    add_list(parser, "--search", "PLACE", "search these folders too for what names the sounds")
    parser.add_argument(
        "--no-search",
        nargs="*",
        metavar="PLACE",
        help="leave these places out of the search for what names the sounds; without a place: do not search before the"
        " move, the check after it does",
    )
    add_list(
        parser, "--leave-unread", "FILE", "files that may go on naming the old place, though nothing will be there"
    )


def add_output(parser: argparse.ArgumentParser, what: str, default: str) -> None:
    """Where something is written."""
    parser.add_argument(
        "--output", "-o", metavar="FILE", default=default, help=f"the {what} to write (default: {default})"
    )
    parser.add_argument("--force", action="store_true", help=f"write over an earlier {what} of that name")


def add_sha256(parser: argparse.ArgumentParser) -> None:
    """--sha256."""
    parser.add_argument(
        "--sha256",
        dest="digests_kind",
        action="store_const",
        const="sha256",
        default="blake3",
        help="digests and the manifest in SHA-256, which every system can verify, instead of BLAKE3, which is quicker",
    )


def add_yes(parser: argparse.ArgumentParser) -> None:
    """--yes."""
    parser.add_argument("--yes", action="store_true", help="do not ask")


def add_pace(parser: argparse.ArgumentParser) -> None:
    """How fast to copy, and what tells that it is done."""
    parser.add_argument(
        "--limit", metavar="RATE", type=rate, help="copy and read back at most so many bytes a second, such as 40M"
    )
    add_bell(parser)


def add_bell(parser: argparse.ArgumentParser) -> None:
    """--bell."""
    parser.add_argument("--bell", action="store_true", help="ring the terminal's bell at the end, however it ends")


def pace(options: argparse.Namespace) -> Pace:
    """The pace that was asked for, with what cart.toml says of drives."""
    from saltcart.hauling.shelf_copy import Pace

    return Pace(options.limit, load(options.cart))


def rate(text: str) -> int:
    """Bytes a second from a number with a unit of the decimal kind, as drives are sold by."""
    found = re.fullmatch(r"([0-9]+(?:\.[0-9]+)?)\s*([kMG]?)B?(?:/s)?", text)
    count = int(float(found[1]) * {"": 1, "k": 10**3, "M": 10**6, "G": 10**9}[found[2]]) if found else 0
    if not count:
        raise argparse.ArgumentTypeError(f"{show(text)} is no rate; write it like 40M, in bytes a second")
    return count


def add_wait(parser: argparse.ArgumentParser) -> None:
    """--wait."""
    parser.add_argument("--wait", action="store_true", help="wait until the programs that use the ledgers are closed")


def add_trip(parser: argparse.ArgumentParser) -> None:
    """The trip to work on."""
    parser.add_argument(
        "trip", nargs="?", metavar="TRIP", help="the trip's id (see saltcart trips); the latest that fits by default"
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
        help="the configuration (default: cart.toml here, then in the user's configuration folder)",
    )
