"""What was learnt about the places of a file, and the map that says so, as commented TOML."""

import os
from collections.abc import Sequence
from dataclasses import dataclass, field

import tomlkit

from saltcart.learning.containers import Content
from saltcart.learning.identifying_columns import ColumnFact
from saltcart.mentions.content import Spot


@dataclass(slots=True)
class Lesson:
    """What was learnt about one place: how many of its values resolve, how, and whether it goes into the map.

    `entry` is its [[entries]] table; `sure` false leaves it commented out, `why` says why.
    `beside` is what other columns say of the same sounds.
    """

    place: str
    spelling: str
    total: int
    resolved: int
    sounds: int
    entry: dict[str, object]
    sure: bool
    why: str
    beside: list[ColumnFact] = field(default_factory=list)


@dataclass(slots=True)
class Learnt:
    """The lessons about one ledger, the map they make, and the proof: entries read back and rewritten on trial.

    `uncovered` mentions of the shelves are reached by no entry of the map; `spots` are some of them.
    """

    path: str
    container: str
    lessons: list[Lesson]
    map_text: str
    entries: int = 0
    rewritten: int = 0
    trouble: str | None = None
    uncovered: int = 0
    spots: Sequence[Spot] = ()


def map_text(path: str, content: Content, lessons: Sequence[Lesson], name: str | None) -> str:
    """The map as commented TOML."""
    stem, suffix = os.path.splitext(os.path.basename(path))
    head = tomlkit.document()
    head.add(
        tomlkit.comment(
            f"Learnt from {os.path.basename(path).encode('utf-8', 'replace').decode()}. Read it, name its program, and"
            " keep it with --map or in cart.toml."
        )
    )
    head.add("name", name or stem.encode("utf-8", "replace").decode())
    head.add("container", content.container)
    for key, value in content.options.items():
        head.add(key, tomlkit.item(value))
    head.add(
        tomlkit.comment(
            'program = "..."   # the process name of its program, which must not run while the ledger changes'
        )
    )
    if content.container != "sqlite":
        known = tomlkit.table()
        known.add("suffix", [suffix.lower() or os.path.basename(path).lower()])
        head.add("recognise", known)
    return tomlkit.dumps(head) + "".join(map(entry_text, lessons))


def entry_text(lesson: Lesson) -> str:
    """One [[entries]] table with its evidence; commented out when it is not sure."""
    evidence = f"# {lesson.place}: {lesson.resolved:,} of {lesson.total:,} resolve" + (
        f" as {lesson.spelling}" if lesson.spelling else ""
    )
    evidence += f" ({lesson.why})" if lesson.why else ""
    table = tomlkit.dumps({"entries": [lesson.entry]}).strip()
    lines = table.splitlines() if lesson.sure else [f"# {line}" for line in table.splitlines()]
    own = next(
        (number for number, line in enumerate(lines) if line.startswith("[entries.")), len(lines)
    )  # keys of a table inside come last
    while own > 1 and not lines[own - 1]:
        own -= 1
    return "\n" + "\n".join([evidence, *lines[:own], *map(fact_text, lesson.beside), *lines[own:]]) + "\n"


def fact_text(column_facts: ColumnFact) -> str:
    """The lines of a map that point at one column beside the path, with the evidence."""
    lines = "".join(
        f"{'' if column_facts.sure else '# '}{line}\n" for line in tomlkit.dumps(column_facts.keys()).splitlines()
    )
    return f"{lines.rstrip()}   # {column_facts.evidence()}"
