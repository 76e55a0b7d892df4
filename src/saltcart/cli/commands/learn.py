"""The command `saltcart learn`: derive maps for files that no format or map reads."""

import argparse
import json
import re
from collections.abc import Iterable, Sequence
from itertools import chain, count

from saltcart import cart
from saltcart.cli.arguments import add_cart
from saltcart.cli.screen import Screen, many, place
from saltcart.errors import Refused, UsageError, show, typed
from saltcart.learning.ground import NO_PAST
from saltcart.learning.learn import kinds_of, learn, unknown_files
from saltcart.learning.lessons import Learnt, Lesson, Proof
from saltcart.learning.map_text import BINARY
from saltcart.ledgers.maps import load_map
from saltcart.looking.cart_draft import keep_maps
from saltcart.mending.discovery import ground_of
from saltcart.safefile import replacing
from saltcart.system import os

SHOWN = 12


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The files, and what to try them against."""
    parser.add_argument(
        "places", nargs="+", metavar="PLACE", help="files that refer to sounds, or folders to search for such files"
    )
    parser.add_argument(
        "--against",
        nargs="+",
        action="extend",
        default=[],
        metavar="SHELF",
        help="shelves whose sounds they refer to (default, for files: the sounds that they mention, lost ones too)",
    )
    parser.add_argument("--output", "-o", metavar="MAP", help="write the map there (default: show it)")
    parser.add_argument(
        "--keep",
        action="store_true",
        help="keep the maps next to cart.toml, and list them in it with the files they read",
    )
    parser.add_argument("--name", metavar="NAME", help="how the map calls this kind of ledger")
    parser.add_argument(
        "--drive",
        action="append",
        default=[],
        metavar="D:=FOLDER",
        help="what a drive letter, share or folder of another system is here",
    )
    parser.add_argument("--force", action="store_true", help="write over an earlier map of that name")
    add_cart(parser)


def run(options: argparse.Namespace) -> int:
    """Derive maps, show the evidence, write them."""
    screen = Screen(options)
    output = os.path.abspath(os.path.expanduser(options.output)) if options.output else None
    places = list(map(os.path.expanduser, options.places))
    refuse_unfit(options, output, places)
    known = cart.load(options.cart)
    means, maps = known.meanings(options.drive), [load_map(path) for path in known.maps]
    with screen.watch() as watch:
        paths = unknown_files(places, options.against, means, maps, watch)
        tops, past = (options.against, NO_PAST) if options.against else ground_of(paths, known, means, watch)
    groups = kinds_of(paths)
    if len(groups) > 1 and (output or options.name):
        raise Refused(
            f"These are {len(groups)} kinds of files, and each needs its own map",
            "Name files of one kind, or add --keep in place of --output and --name.",
        )
    taught = [learn(group, tops, means, options.name, past) for group in groups]
    names = unique([learnt.name for learnt in taught], [plan.name for plan in maps])
    for learnt in taught:
        show_lessons(screen, learnt)
        if learnt.proven and not output and not options.keep:
            screen.say(learnt.map_text)
    written = write(screen, taught, names, output, options)
    if not taught:
        screen.say("There is no unknown file that refers to these shelves.")
    screen.document({"kinds": [document(one, written.get(number)) for number, one in enumerate(taught)]})
    return 0 if all(learnt.complete for learnt in taught) else 1


def refuse_unfit(options: argparse.Namespace, output: str | None, places: Sequence[str]) -> None:
    """Raise Refused when the map has no free name, or what is no folder is given for one; UsageError when nothing says
    what to look for.
    """
    if output and os.path.exists(output) and not options.force:
        raise Refused(
            f"There is something at {show(output)} already", "Choose another name with --output, or add --force."
        )
    for shelf in options.against:
        if not os.path.isdir(os.path.expanduser(shelf)):
            raise Refused(f"{show(shelf)} is not a folder", "Give the shelves whose sounds the files refer to.")
    if not options.against and any(map(os.path.isdir, places)):
        raise UsageError("To search a folder, Salt Cart needs to know which sounds to look for", "Add --against SHELF.")


def unique(names: Sequence[str], taken: Iterable[str] = ()) -> list[str]:
    """The names, a number behind those that come again or are `taken`: a trip's record knows maps by them."""
    used, free = set(taken), []
    for name in names:
        numbered = chain([name], (f"{name} {number}" for number in count(2)))
        free.append(next(one for one in numbered if one not in used))
        used.add(free[-1])
    return free


def write(
    screen: Screen, taught: Sequence[Learnt], names: Sequence[str], output: str | None, options: argparse.Namespace
) -> dict[int, str]:
    """Write the maps where that was asked for; where each is, by its number."""
    good = [number for number, learnt in enumerate(taught) if learnt.proven]
    if len(good) < len(taught):
        left = len(taught) - len(good)
        screen.say(
            f"No map was written for {many(left, 'kind', 'kinds')} of file. A signpost can serve its program, if it"
            " follows links."
        )
    if output and good:
        with replacing(output) as neighbour, open(neighbour, "w", encoding="utf-8") as stream:
            stream.write(taught[0].map_text)
        ledger = typed(taught[0].proofs[0].path)
        screen.say(f"Map written: {place(output)}. See what it finds: saltcart ledgers {ledger} --map {typed(output)}")
        return {0: output}
    if options.keep and good:
        home = cart.place(options.cart)
        texts = {names[number]: renamed(taught[number], names[number]) for number in good}
        ledgers = [proof.path for number in good for proof in taught[number].proofs]
        places = keep_maps(home, texts, ledgers)
        screen.say(f"Kept in {place(home)}: {many(len(places), 'map', 'maps')}, {many(len(ledgers), 'file', 'files')}.")
        return dict(zip(good, places, strict=True))
    return {}


def renamed(learnt: Learnt, name: str) -> str:
    """The map's text with another name in it."""
    return re.sub(r"(?m)^name = .*$", lambda _old: f"name = {json.dumps(name)}", learnt.map_text, count=1)


def show_lessons(screen: Screen, learnt: Learnt) -> None:
    """The evidence, and the proof."""
    paths = [proof.path for proof in learnt.proofs]
    others = f" and {len(paths) - 1:,} more are" if len(paths) > 1 else " is"
    screen.table(
        f"{place(paths[0])}{others} read as {learnt.container}",
        ("Place", "In the map", ">Values", ">Resolve", ">Sounds", "Path style", "Why"),
        [row for one in learnt.lessons for row in lesson_rows(one)],
    )
    for proof in [proof for proof in learnt.proofs if proof.trouble][:SHOWN]:
        screen.remark(f"The map does not prove itself on {place(proof.path)}: {show(proof.trouble or '')}")
    entries, rewritten = (sum(getattr(proof, fact) for proof in learnt.proofs) for fact in ("entries", "rewritten"))
    if entries:
        where = f" in {len(paths):,} files" if len(paths) > 1 else ""
        screen.say(
            f"Proof: {many(entries, 'entry', 'entries')} read back through it{where}; {rewritten:,} rewritten on trial,"
            " nothing else would change."
        )
    elif learnt.proven:
        screen.say("It does not seem to refer to any sound in these shelves.")
    for proof in [proof for proof in learnt.proofs if proof.uncovered][:SHOWN]:
        spots = "; ".join(f"{spot.where}: {spot.text}" for spot in proof.spots[:3])
        count = many(proof.uncovered, "mention", "mentions")
        screen.remark(f"Not reached in {place(proof.path)}: {count} of these shelves, such as {spots}")
    for declaration, paths_there in learnt.means:
        screen.remark(
            f"{many(paths_there, 'path', 'paths')} of another system would lead to a file here with:   --drive"
            f" {typed(declaration)}"
        )
    if learnt.container == "counted":
        screen.remark(BINARY)


def lesson_rows(lesson: Lesson) -> list[tuple[str | int, ...]]:
    """One place, and what is beside it."""
    word = "yes" if lesson.sure else "commented out"
    rows: list[tuple[str | int, ...]] = [
        (show(lesson.place), word, lesson.total, lesson.resolved, lesson.sounds, lesson.spelling, show(lesson.why))
    ]
    for fact in lesson.beside:
        word = f"as {fact.fact}" if fact.sure else "commented out"
        rows.append((show(f"  beside it: {fact.column}"), word, fact.cells, "", "", "", fact.evidence()))
    return rows


def document(learnt: Learnt, output: str | None) -> dict[str, object]:
    """What was learnt of one kind."""
    return {
        "name": learnt.name,
        "container": learnt.container,
        "map": output,
        "map_text": learnt.map_text,
        "means": [declaration for declaration, _count in learnt.means],
        "files": list(map(proof_document, learnt.proofs)),
        "lessons": [
            {
                "place": one.place,
                "sure": one.sure,
                "spelling": one.spelling,
                "values": one.total,
                "resolved": one.resolved,
                "sounds": one.sounds,
                "why": one.why,
                "entry": one.entry,
                "beside": [
                    {"fact": fact.fact, "column": fact.column, "sure": fact.sure, "why": fact.evidence()}
                    for fact in one.beside
                ],
            }
            for one in learnt.lessons
        ],
    }


def proof_document(proof: Proof) -> dict[str, object]:
    """What the map makes of one file."""
    return {
        "path": proof.path,
        "entries": proof.entries,
        "rewritten_on_trial": proof.rewritten,
        "uncovered": proof.uncovered,
        "trouble": proof.trouble,
    }
