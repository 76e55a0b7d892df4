"""Writing decisions about the findings of `tidy` into a waybill, keeping what a person wrote in it."""

from collections.abc import Sequence
from glob import escape

import tomlkit

from saltcart.drives import drive_of
from saltcart.errors import Refused, counted, show
from saltcart.ledgers.kinds import recognised
from saltcart.ledgers.maps import Map, load_map
from saltcart.looking.tidy import EMPTY, STRAY, Find
from saltcart.planning.strays import GATHERED
from saltcart.safefile import digest_of, replacing
from saltcart.spelling.moves import tail_below
from saltcart.system import os
from saltcart.toml.kinds import as_toml_path
from saltcart.toml.writing import table_of
from saltcart.waybills import waybill_file, waybill_text
from saltcart.waybills.shelf import CopiedFile
from saltcart.waybills.waybill import LedgerLine, Waybill
from saltcart.waybills.waybill_file import Gathered


def apply_decisions(path: str, finds: Sequence[Find], ledgers: Sequence[str]) -> list[str]:
    """Write what `finds` ask for into the waybill at `path`; a line for a person about each.

    Strays are copied along into a folder named after where they came from, with the `ledgers`
    that name them; everything else is left out.  Raises Refused when nothing in the waybill
    has to do with a finding.
    """
    plan = waybill_file.given(path)
    with open(path, encoding="utf-8") as stream:
        document = tomlkit.parse(stream.read())
    lines = []
    for find in finds:
        lines.append(gather(document, plan, find, ledgers) if find.kind == STRAY else leave_out(document, plan, find))
    with replacing(path) as neighbour, open(neighbour, "w", encoding="utf-8") as stream:
        stream.write(tomlkit.dumps(document))
    waybill_file.read(path)
    return lines


def leave_out(document: tomlkit.TOMLDocument, plan: Waybill, find: Find) -> str:
    """Let the paths of a finding stay where they are."""
    count = 0
    for number, shelf in enumerate(shelf for shelf in plan.shelves if not shelf.along):
        tails = [tail for path in find.paths if (tail := tail_below(path, shelf.old))]
        if tails:
            table = document["shelf"][number]
            if "stay" not in table:
                table.add("stay", tomlkit.array())
            fresh = [text for tail in tails if (text := as_toml_path(escape(tail))) not in table["stay"]]
            table["stay"].extend(fresh)
            count += len(tails)
    if not count:
        raise Refused(
            f"Finding {find.number} lies in no shelf of this waybill ({show(find.folder)})",
            "Draft the shelf first; nothing was written.",
        )
    word = "folder(s)" if find.kind == EMPTY else "file(s)"
    return f"{find.number}: {count} {word} stay where they are ({find.kind} in {show(find.folder)})"


def gather(document: tomlkit.TOMLDocument, plan: Waybill, find: Find, ledgers: Sequence[str]) -> str:
    """Copy the files of a finding into the first shelf's new place; their entries follow."""
    shelf = next(shelf for shelf in plan.shelves if not shelf.along)
    folder = os.path.join(shelf.new, GATHERED, os.path.basename(find.folder) or "top")
    tables = document.get("gather")
    if tables is None:
        tables = tomlkit.aot()
        document.add("gather", tables)
    known = {one.old for one in plan.shelves if one.along}
    taken = {one.new for one in plan.shelves if one.along}
    clashes = 0
    for path in find.paths:
        if path in known:
            continue
        new = free_name(os.path.join(folder, os.path.basename(path)), taken)
        clashes += os.path.basename(new) != os.path.basename(path)
        one = CopiedFile(os.path.basename(new), path, new, drive_of(path).identity, shelf.new_drive)
        tables.append(table_of(Gathered(one.old, one.new, one.old_drive, one.new_drive)))
        plan.shelves.append(one)
        taken.add(new)
    add_ledgers(document, plan, ledgers)
    note = f", {clashes} under another name" if clashes else ""
    return (
        f"{find.number}: {counted(len(find.paths), 'file', 'files')} of {show(find.folder)} will be copied into"
        f" {show(folder)}{note}; entries follow"
    )


def free_name(path: str, taken: set[str]) -> str:
    """`path`, numbered when something has that name already."""
    stem, suffix = os.path.splitext(path)
    new, number = path, 1
    while new in taken or os.path.lexists(new):
        number += 1
        new = f"{stem} ({number}){suffix}"
    return new


def add_ledgers(document: tomlkit.TOMLDocument, plan: Waybill, ledgers: Sequence[str]) -> None:
    """Add the ledgers that the waybill does not have yet and that a format or one of its maps reads."""
    maps: list[Map] = [load_map(path) for path in plan.maps]
    tables = document.get("ledger")
    if tables is None:
        tables = tomlkit.aot()
        document.add("ledger", tables)
    known = {line.path for line in plan.ledgers}
    for path in ledgers:
        ledger = recognised(path, maps) if path not in known else None
        if ledger:
            line = LedgerLine(path, ledger.map_name, True, digest_of(path))
            tables.append(waybill_text.ledger_table(line))
            plan.ledgers.append(line)
