"""The command `saltcart ledgers`: list the kinds of ledgers that are known, or the entries of one."""

import argparse
from collections import Counter
from itertools import islice

from saltcart import plugins
from saltcart.cart import load
from saltcart.cli.arguments import add_cart, add_maps
from saltcart.cli.documents import ledger_state
from saltcart.cli.screen import Screen, many, place, size
from saltcart.errors import show
from saltcart.judging.entry_list import known_kinds, list_entries
from saltcart.judging.judgements import FOUND, Judgement, LedgerState
from saltcart.ledgers.facts import Facts
from saltcart.system import os

SHOWN = 200


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The ledger to look into."""
    parser.add_argument(
        "file",
        nargs="?",
        metavar="FILE",
        help="show every entry of this ledger (default: list the kinds that are known)",
    )
    add_maps(parser)
    parser.add_argument(
        "--drive",
        action="append",
        default=[],
        metavar="D:=FOLDER",
        help="what a drive letter, share or folder of another system is here",
    )
    parser.add_argument("--all", action="store_true", help=f"show every entry, not only the first {SHOWN}")
    add_cart(parser)


def run(options: argparse.Namespace) -> int:
    """List kinds, or entries."""
    screen = Screen(options)
    cart = load(options.cart)
    maps = [*options.map, *cart.maps]
    if not options.file:
        kinds = known_kinds(maps)
        screen.table(
            "Ledgers that are known",
            ("Kind", "Read as", "What"),
            [(kind.name, kind.container, show(kind.what)) for kind in kinds],
        )
        for one in (one for group in plugins.GROUPS for one in plugins.additions(group) if one.why):
            screen.remark(f"The plug-in {show(one.name)} of {show(one.package)} is left out: it {show(one.why)}")
        screen.say(
            "Any other file: let saltcart learn FILE --against SHELF work out a map, or write one (saltcart help maps)."
        )
        screen.document(
            {
                "kinds": [
                    {"name": kind.name, "container": kind.container, "what": kind.what, "path": kind.path}
                    for kind in kinds
                ]
            }
        )
        return 0
    state = list_entries(options.file, maps, cart.meanings(options.drive))
    show_entries(screen, state, options.all)
    screen.document(
        {
            **ledger_state(state),
            "named_twice": named_twice(state),
            "listing": [row(one, state.facts.get(one.entry.key)) for one in state.judgements()],
        }
    )
    return 0 if all(one.verdict == "found" for one in state.judgements()) else 1


def show_entries(screen: Screen, state: LedgerState, everything: bool) -> None:
    """The table of entries."""
    total = sum(state.counts().values())
    shown = list(islice(state.judgements(), None if everything else SHOWN))
    screen.table(
        f"{place(state.path)} ({state.map_name})",
        ("Where", "Verdict", "Path style", "As written", "Means here", "Why"),
        [
            (
                str(one.entry.where) + said(state.facts.get(one.entry.key)),
                one.verdict,
                one.entry.spelling.seen_in(one.entry.written).name,
                show(one.entry.written),
                place(os.path.normpath(one.resolved)),
                show(one.why),
            )
            for one in shown
        ],
    )
    if len(shown) < total:
        screen.say(f"... and {total - len(shown):,} more: --all")
    found = state.counts()["found"]
    remote = f"; {many(state.remote, 'web address', 'web addresses')} left unchanged" if state.remote else ""
    screen.say(f"{many(total, 'entry', 'entries')}, {found:,} found{remote}.")
    if doubles := named_twice(state):
        files = many(len(doubles), "file is listed", "files are listed")
        screen.say(f"{files} more than once, such as {place(doubles[0])}.")


def named_twice(state: LedgerState) -> list[str]:
    """The files that several entries of a ledger name, in its order."""
    found = (one for one in state.judgements() if one.verdict == FOUND and not one.entry.is_folder)
    counts = Counter(os.path.realpath(one.resolved) for one in found)
    return [path for path, count in counts.items() if count > 1]


def said(facts: Facts | None) -> str:
    """What the ledger says of a sound, in a few words on a line of their own."""
    if facts is None:
        return ""
    words = (
        show(facts.title or ""),
        f"{facts.length // 60:.0f}:{facts.length % 60:02.0f}" if facts.length else "",
        size(facts.size) if facts.size else "",
        many(facts.plays, "play", "plays") if facts.plays else "",
        f"digest {facts.digest[:8]}" if facts.digest else "",
    )
    return "\n" + ", ".join(filter(None, words)) if any(words) else ""


def row(one: Judgement, facts: Facts | None) -> dict[str, object]:
    """One entry."""
    known = facts or Facts(one.entry.key, one.resolved)
    return {
        "where": str(one.entry.where),
        "written": one.entry.written,
        "spelling": one.entry.spelling.seen_in(one.entry.written).name,
        "names": one.entry.names,
        "resolved": one.resolved,
        "verdict": one.verdict,
        "why": one.why,
        "known": {
            "title": known.title,
            "artist": known.artist,
            "track": known.track,
            "length_seconds": known.length,
            "size_bytes": known.size,
            "digest": known.digest,
            "plays": known.plays,
            "last_played": known.last_played,
            "rating": known.rating,
        },
    }
