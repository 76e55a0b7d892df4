"""A map as commented TOML, made of what was learnt."""

import re
from collections.abc import Sequence

import tomlkit

from saltcart.learning.containers import Content
from saltcart.learning.identifying_columns import ColumnFact
from saltcart.learning.lessons import Lesson, Proof
from saltcart.ledgers.kinds import head_of
from saltcart.system import os

# What may tell files of one kind from others with the same ending, by container: in their first bytes.
MARKS = {
    "xml": rb"<[A-Za-z][\w.:-]*",
    "plist": rb"<key>[^<]+</key>",
    "json": rb'"[A-Za-z_][\w -]*"(?=\s*:)',
    "ini": rb"\[[A-Za-z][\w .-]*\]|(?m:^[A-Za-z][\w .-]*(?=\s*=))",
    "toml": rb"\[[A-Za-z][\w .-]*\]|(?m:^[A-Za-z][\w-]*(?=\s*=))",
    "csv": rb"\A[^\r\n]+",
    "tsv": rb"\A[^\r\n\t]+",
    "counted": rb"\A[A-Za-z]{3,16}",
    "chunks": rb"\A[A-Za-z]{4}",
}
BINARY = (
    "Its texts have their length before them, and nothing else is known of such a file: after a move, open one in its"
    " program before the originals are released."
)


def map_text(paths: Sequence[str], content: Content, lessons: Sequence[Lesson], name: str) -> str:
    """The map for the files at `paths`."""
    head = tomlkit.document()
    first = os.path.basename(paths[0]).encode("utf-8", "replace").decode()
    others = f" and {len(paths) - 1:,} more" if len(paths) > 1 else ""
    head.add(tomlkit.comment(f"Learnt from {first}{others}. Read it, and name its program."))
    if content.container == "counted":
        head.add(tomlkit.comment(BINARY))
    head.add("name", name)
    head.add("container", content.container)
    for key, value in content.options.items():
        head.add(key, tomlkit.item(value, _parent=None) if not isinstance(value, dict) else inline(value))
    head.add(
        tomlkit.comment(
            'program = "..."   # the process name of its program, which must not run while the ledger changes'
        )
    )
    known = tomlkit.table()
    known.add("suffix", sorted({suffix_of(path) for path in paths}))
    if mark := mark_of(paths, content):
        known.add("contains", mark)
    head.add("recognise", known)
    return tomlkit.dumps(head) + "".join(map(entry_text, lessons))


def inline(values: dict[str, object]) -> tomlkit.items.InlineTable:
    """A table on one line."""
    table = tomlkit.inline_table()
    table.update(values)
    return table


def suffix_of(path: str) -> str:
    """The ending by which such a file is known, or its whole name when it has none."""
    name = os.path.basename(path).lower().encode("utf-8", "replace").decode()
    return os.path.splitext(name)[1] or name


def mark_of(paths: Sequence[str], content: Content) -> str | None:
    """What is in the beginning of all of the files and tells their kind, if anything does."""
    pattern = MARKS.get(content.container)
    if not pattern or content.options.keys() & {"gzip", "member"}:
        return None
    heads = [head_of(path) for path in paths]
    marks = (found[0] for found in re.finditer(pattern, heads[0]))
    mark = next((mark for mark in marks if mark.isascii() and all(mark in head for head in heads)), None)
    return mark.decode() if mark else None


def with_remark(text: str, proofs: Sequence[Proof]) -> str:
    """The map with a remark at its top when it does not reach every mention."""
    uncovered = sum(proof.uncovered for proof in proofs)
    return f"# NOT REACHED by this map: {uncovered} of the mentions.\n{text}" if uncovered else text


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
