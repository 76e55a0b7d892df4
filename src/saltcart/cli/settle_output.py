"""What `saltcart settle` shows of a collection before anything is done."""

from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence

from msgspec.structs import asdict

from saltcart.carrying.agreement import BACK, HERE, IN_PLACE
from saltcart.carrying.settle import made_here
from saltcart.carrying.stands import (
    AS_IT_WAS,
    BOTH,
    COPY,
    KEEP,
    LEAVE,
    MERGE,
    REPLACE,
    STAYS,
    UP_TO_DATE,
    LedgerStand,
    SettlePlan,
)
from saltcart.cli.screen import Screen, many, place, size
from saltcart.errors import show, typed
from saltcart.merging.merged import Merged

MOST = 8  # of a kind, each in a line


MOST_CELLS = 12
LONGEST_CELL = 40  # characters


MOST_MERGES = 3  # ledgers of which it is shown what comes


DONE = {
    COPY: "is copied here",
    REPLACE: "replaces the one here, which is kept",
    LEAVE: "left as it is",
    KEEP: "the one here is kept, as you said",
    UP_TO_DATE: "the one here is up to date",
    BOTH: "both stay as they are",
    STAYS: "stays in the collection",
    MERGE: "both are combined here",
}


def show_plan(screen: Screen, plan: SettlePlan) -> None:
    """What is there, from when, and how it stands against what is here."""
    found = plan.found
    screen.say(
        f"The collection in {place(found.top)} was made on {found.made[:10]} by {show(found.user)} on"
        f" {show(found.machine)}."
    )
    here = {HERE: "Goes to", IN_PLACE: "Stays at", BACK: "At home", "": "Its place on this computer"}[plan.way]
    screen.table(
        "Sounds",
        ("Shelf", ">Files", ">Size", "Came from", here),
        [
            (
                show(one.name),
                one.files,
                size(one.bytes),
                place(one.source),
                place(found.at(one.place) if plan.way == IN_PLACE else plan.homes[one.place]),
            )
            for one in found.shelves
        ],
    )
    if found.files and plan.way in (HERE, ""):
        screen.table(
            "Single files",
            ("File", here),
            [(show(one.place), place(plan.homes[one.place])) for one in found.files[: None if screen.all else MOST]],
        )
        if len(found.files) > MOST and not screen.all:
            screen.say(f"and {many(len(found.files) - MOST, 'more file', 'more files')} (--all lists them)")
    shown = [one for one in plan.ledgers if not plan.way or not (one.step == LEAVE and unchanged(one))]
    if screen.all or len(shown) <= MOST:
        screen.table(
            "Ledgers",
            ("Ledger", "In the collection", "Here", "Its place here", "What is done"),
            [ledger_row(plan, one) for one in shown],
        )
    else:
        kinds = Counter(kind_row(plan, one) for one in shown)
        screen.table(
            "Ledgers (--all lists each)",
            ("Kind", "In the collection", "Here", "What is done", ">Ledgers"),
            [(*kind, count) for kind, count in kinds.items()],
        )
    if folded := len(plan.ledgers) - len(shown):
        screen.say(f"{many(folded, 'ledger is', 'ledgers are')} unchanged in both places.")
    show_remarks(screen, plan)


def show_remarks(screen: Screen, plan: SettlePlan) -> None:
    """What is missing or altered in a collection, what is new in it, and what stays there."""
    for problem in plan.problems[:MOST]:
        screen.remark(f"{problem.verdict}: {place(problem.path)}: {problem.why}")
    if more := plan.problems[MOST:]:
        screen.remark(f"and {len(more):,} more that are missing or altered (--json has them)")
    show_sounds(screen, plan)
    if plan.lost:
        screen.remark(
            "The record of changes in the collection is missing or damaged. So Salt Cart cannot tell what changed"
            " where. It compares each ledger as a whole, and asks which one to use."
        )
    if unread := plan.found.unread:
        screen.remark(
            f"{many(len(unread), 'file refers', 'files refer')} to sounds by their place on the first computer, and"
            f" Salt Cart cannot rewrite that: {some(unread)}. Open each in its program, and let it search there."
        )
    if plan.unasked:
        first = " ".join(f"--place {typed(f'{one}={home}')}" for one, home in list(plan.unasked.items())[:MOST])
        screen.remark(
            f"{many(len(plan.unasked), 'item stays', 'items stay')} there, because this computer has no record of"
            f" having sent it. To take it: {first}"
        )
    if plan.sounds.beside:
        screen.remark(
            f"{many(len(plan.sounds.beside), 'sound lies', 'sounds lie')} outside the shelves and will not be copied:"
            f" {', '.join(map(place, plan.sounds.beside[:MOST]))}. Move them into a shelf to include them."
        )
    if not plan.problems:
        screen.say("Every file was read; none is missing or damaged.")


def show_sounds(screen: Screen, plan: SettlePlan) -> None:
    """What became of the sounds there: new, changed, renamed, gone; and what others are in the way of."""
    sounds = plan.sounds
    for shelf, names in sounds.new.items():
        screen.say(f"New in {show(shelf)}: {many(len(names), 'file', 'files')}: {some(names)}")
    if sounds.changed:
        screen.say(f"Edited there: {many(len(sounds.changed), 'file', 'files')}: {some(sounds.changed)}")
    for shelf, pairs in sounds.renamed.items():
        told = [f"{old} is {new} now" for old, new in pairs.items()]
        screen.say(f"Renamed in {show(shelf)}: {many(len(pairs), 'file', 'files')}: {some(told)}")
    for shelf, names in sounds.gone.items():
        count = many(len(names), "file,", "files,")
        screen.say(f"Removed from {show(shelf)} there: {count} kept here: {some(names)}")
    if plan.clashing:
        screen.remark(
            f"{many(len(plan.clashing), 'file', 'files')} changed in both places and stay as they are:"
            f" {some(plan.clashing)}. To use the one there: --take FILE   to use the one here: --keep FILE"
        )


def listed(paths: Iterable[str]) -> str:
    """A path, or the first of some."""
    found = list(paths)
    return place(found[0]) + (f" and {many(len(found) - 1, 'other', 'others')}" if found[1:] else "")


def some(names: Collection[str]) -> str:
    """The first of some names."""
    more = len(names) - MOST
    return ", ".join(map(show, [*names][:MOST])) + (f" and {more:,} more" if more > 0 else "")


def show_merges(screen: Screen, plan: SettlePlan) -> None:
    """What is brought together, before it is; and what can only be taken as a whole."""
    both = [one for one in plan.ledgers if one.step == BOTH]
    for one in both[: None if screen.all else MOST_MERGES]:
        which = typed(one.carried.place)
        screen.say(f"  To use the one there: --take {which}   to keep the one here: --keep {which}")
    if not screen.all and (more := len(both) - MOST_MERGES) > 0:
        screen.say(f"and {many(more, 'more ledger', 'more ledgers')} (--all shows them)")
    show_changes(screen, [(one.here, one.merged) for one in plan.ledgers if one.merged])


def show_changes(screen: Screen, merges: Sequence[tuple[str, Merged]]) -> None:
    """What comes from there into the ledgers here, and what both changed in other ways."""
    changes = [(here, one) for here, merged in merges for one in merged.changes]
    conflicts = [(here, merged, one) for here, merged in merges for one in merged.conflicts]
    most = None if screen.all else MOST_CELLS
    screen.table(
        "What comes from the collection",
        ("Into", "Sound or list", "What", "Here", "Will be"),
        [
            (place(here), show(one.name), told_column(one.column), *told(one.here, one.becomes))
            for here, one in changes[:most]
        ],
    )
    if most and (more := len(changes) - most) > 0:
        screen.say(f"and {many(more, 'more change', 'more changes')} (--all lists them)")
    screen.table(
        "Changed in both places",
        ("In", "Sound or list", "What", "Here", "There"),
        [
            (place(here), show(merged.names.get(one.uid, "")), told_column(one.column), *told(one.here, one.there))
            for here, merged, one in conflicts[:most]
        ],
    )
    if most and (more := len(conflicts) - most) > 0:
        screen.say(f"and {many(more, 'more', 'more')} (--all lists them)")


def told_column(name: str) -> str:
    """The name of a column for a person."""
    return show(name).replace("_", " ")


def told(cell: object, other: object) -> tuple[str, str]:
    """Two cells for a person; of long ones, what is around the first difference."""
    first, second = ("" if one is None else show(str(one)) for one in (cell, other))
    if max(len(first), len(second)) <= LONGEST_CELL:
        return first, second
    differing = (at for at, (one, two) in enumerate(zip(first, second, strict=False)) if one != two)
    start = max(0, next(differing, min(len(first), len(second))) - LONGEST_CELL // 3)
    return excerpt(first, start), excerpt(second, start)


def excerpt(text: str, start: int) -> str:
    """What of a text is shown from a place on."""
    end = start + LONGEST_CELL
    return f"{'...' if start else ''}{text[start:end]}{'...' if len(text) > end else ''}"


def unchanged(one: LedgerStand) -> bool:
    """Whether a ledger is as it was, there and here."""
    return one.stands_there == one.stands_here == AS_IT_WAS


def ledger_row(plan: SettlePlan, one: LedgerStand) -> tuple[str, ...]:
    """One ledger for the table."""
    why = f": {one.why}" if one.why else ""
    done = f"{DONE[one.step]}{why}" if plan.way else ""
    there, here = (
        ", ".join(filter(None, pair))
        for pair in zip((one.stands_there, one.stands_here), map(said, one.sums), strict=True)
    )
    return (show(one.carried.place), there, here, place(one.here), done)


def kind_row(plan: SettlePlan, one: LedgerStand) -> tuple[str, str, str, str]:
    """The same for one of many."""
    done = ledger_row(plan, one)[4]
    return one.carried.map_name, one.stands_there, one.stands_here, done


def said(sums: Mapping[str, int]) -> str:
    """What a ledger says of its sounds, in a few words."""
    if not sums:
        return ""
    rated = f", {sums['rated']:,} rated" if sums["rated"] else ""
    return f"{sums['plays']:,} plays{rated}"


def show_choice(screen: Screen, plan: SettlePlan) -> None:
    """What can be typed next."""
    top = typed(plan.found.top)
    screen.say("Nothing has been changed. What to do with it:")
    rows = [
        ("Copy it here", f"saltcart settle {top} --here"),
        ("Play from the drive", f"saltcart settle {top} --in-place"),
        ("Bring changes home", f"saltcart settle {top} --back"),
    ]
    screen.facts(rows[::-1] if made_here(plan.found) else rows)


def conflicts_of(merged: Merged) -> list[dict[str, object]]:
    """What both sides changed, for a program."""
    return [
        {"name": merged.names.get(one.uid, ""), "column": one.column, "here": one.here, "there": one.there}
        for one in merged.conflicts
    ]


def plan_document(plan: SettlePlan) -> dict[str, object]:
    """The plan for a program."""
    found = plan.found
    return {
        "collection": found.top,
        "made": found.made,
        "machine": found.machine,
        "user": found.user,
        "way": plan.way or None,
        "places": [{"place": where, "from": source, "here": plan.homes[where]} for where, source in found.sources()],
        "stands": [
            {
                "place": one.carried.place,
                "there": one.there,
                "here": one.here,
                "stands_there": one.stands_there,
                "stands_here": one.stands_here,
                "says_there": dict(one.sums[0]),
                "says_here": dict(one.sums[1]),
                "step": one.step if plan.way else None,
                "why": one.why,
                "merged": list(map(asdict, one.merged.changes)) if one.merged else [],
                "conflicts": conflicts_of(one.merged) if one.merged else [],
            }
            for one in plan.ledgers
        ],
        "problems": [{"path": one.path, "verdict": one.verdict, "why": one.why} for one in plan.problems],
        "new": plan.sounds.new,
        "changed": sorted(plan.sounds.changed),
        "renamed": plan.sounds.renamed,
        "gone": plan.sounds.gone,
        "clashing": plan.clashing,
        "beside": plan.sounds.beside,
    }
