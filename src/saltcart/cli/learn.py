"""The command `saltcart learn`: derive a map for a file that no format or map reads."""

import argparse
import os

from saltcart.cart import load
from saltcart.cli.arguments import add_cart
from saltcart.cli.screen import Screen, many, place
from saltcart.errors import Refused, show
from saltcart.learning.learn import learn
from saltcart.learning.lessons import Learnt
from saltcart.safefile import replacing


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The ledger, and what to try it against."""
    parser.add_argument("file", metavar="FILE", help="a file that names sounds and that no format or map reads")
    parser.add_argument(
        "--against", nargs="+", action="extend", required=True, metavar="SHELF", help="shelves whose sounds it names"
    )
    parser.add_argument("--output", "-o", metavar="MAP", help="write the map there (default: show it)")
    parser.add_argument("--name", metavar="NAME", help="how the map calls this kind of ledger")
    parser.add_argument(
        "--means",
        action="append",
        default=[],
        metavar="D:=FOLDER",
        help="what a drive letter, share or folder of another system is here",
    )
    parser.add_argument("--force", action="store_true", help="write over an earlier map of that name")
    add_cart(parser)


def run(options: argparse.Namespace) -> int:
    """Derive a map, show the evidence, write it."""
    screen = Screen(options)
    output = os.path.abspath(os.path.expanduser(options.output)) if options.output else None
    if output and os.path.exists(output) and not options.force:
        raise Refused(
            f"There is something at {show(output)} already", "Choose another name with --output, or add --force."
        )
    for shelf in options.against:
        if not os.path.isdir(os.path.expanduser(shelf)):
            raise Refused(f"{show(shelf)} is not a folder", "Name the shelves whose sounds the file names.")
    learnt = learn(options.file, options.against, load(options.cart).meanings(options.means), options.name)
    show_lessons(screen, learnt)
    good = any(lesson.sure for lesson in learnt.lessons) and not learnt.trouble
    if output and good:
        with replacing(output) as neighbour, open(neighbour, "w", encoding="utf-8") as stream:
            stream.write(learnt.map_text)
        screen.say(
            f"Map written: {place(output)}. See what it finds: saltcart ledgers {place(learnt.path)} --map"
            f" {place(output)}"
        )
    elif good:
        screen.say(learnt.map_text)
    else:
        screen.say("No map was written. A signpost can serve its program, if it follows links.")
    screen.document(document(learnt, output if good else None))
    return 0 if good and not learnt.uncovered else 1


def show_lessons(screen: Screen, learnt: Learnt) -> None:
    """The evidence, and the proof."""
    screen.table(
        f"{place(learnt.path)} is read as {learnt.container}",
        ("Place", "In the map", ">Values", ">Resolve", ">Sounds", "Spelling", "Why"),
        [
            row
            for one in learnt.lessons
            for row in [
                (
                    show(one.place),
                    "yes" if one.sure else "commented out",
                    one.total,
                    one.resolved,
                    one.sounds,
                    one.spelling,
                    show(one.why),
                ),
                *(
                    (
                        show(f"  beside it: {fact.column}"),
                        f"as {fact.fact}" if fact.sure else "commented out",
                        fact.cells,
                        "",
                        "",
                        "",
                        fact.evidence(),
                    )
                    for fact in one.beside
                ),
            ]
        ],
    )
    if learnt.trouble:
        screen.remark(f"The map does not prove itself: {show(learnt.trouble)}")
    elif learnt.entries:
        screen.say(
            f"Proof: {many(learnt.entries, 'entry', 'entries')} read back through it; {learnt.rewritten:,} rewritten on"
            " trial, nothing else in the file would change."
        )
        if learnt.uncovered:
            screen.remark(
                f"Not reached: {many(learnt.uncovered, 'mention', 'mentions')} of these shelves, such as"
                f" {'; '.join(f'{spot.where}: {spot.text}' for spot in learnt.spots[:3])}"
            )
    else:
        screen.say("Nothing in it names a sound of these shelves, as far as can be told.")


def document(learnt: Learnt, output: str | None) -> dict[str, object]:
    """What was learnt."""
    return {
        "path": learnt.path,
        "container": learnt.container,
        "map": output,
        "map_text": learnt.map_text,
        "entries": learnt.entries,
        "rewritten_on_trial": learnt.rewritten,
        "trouble": learnt.trouble,
        "uncovered": learnt.uncovered,
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
