"""Reading a waybill, a TOML file that people edit."""

import re
from contextlib import suppress
from typing import assert_never

from msgspec import Struct, field
from msgspec.structs import asdict

from saltcart.errors import BadFile, show
from saltcart.system import os
from saltcart.toml import reading
from saltcart.toml.kinds import FullPath
from saltcart.waybills import shelf as kinds
from saltcart.waybills.patterns import sorted_out
from saltcart.waybills.shelf import ChosenFiles, CopiedFile, Decided, Folder, Shelf, UnpackedArchive
from saltcart.waybills.waybill import IN_FILES, Waybill

FORMAT = 1
SIGNS = re.compile(rb"^[ \t]*(?:format[ \t]*=|\[\[)", re.MULTILINE)  # of a plan, whatever else is wrong in it
LARGEST = 1 << 20  # bytes in which they are


class Gathered(Struct, frozen=True, rename=kinds.IN_FILES):
    """A single file from elsewhere that is copied along."""

    old: FullPath
    new: FullPath
    old_drive: str
    new_drive: str


class ShelfTable(Decided, frozen=True):
    """A shelf as its table says it: which kind it is depends on what is true there."""

    files: bool = False  # only the files in `only` travel, each separately
    archive: bool = False  # what is in it travels


class WaybillFile(Waybill, kw_only=True, rename=IN_FILES):
    """A waybill as its file holds it: gathered files stand apart from shelves."""

    format: int
    shelves: list[ShelfTable] = field(default_factory=list)  # type: ignore[assignment]  # tables, not yet of a kind
    gather: list[Gathered] = field(default_factory=list)


class NoPlan(BadFile):
    """A file that was given as a plan is something else, as a playlist."""

    def __init__(self, path: str):
        remedy = "A plan is what saltcart draft, or saltcart mend --plan, has written."
        super().__init__(path, None, "is not a plan", remedy)


def claims(path: str) -> bool:
    """Whether a file has anything that each waybill has, or begins as those that we write; a folder, or what cannot be
    read, has another trouble.
    """
    if not os.path.isfile(path):
        return True
    with suppress(OSError), open(path, "rb") as stream:
        text = stream.read(LARGEST)
        return text.startswith(b"# Salt Cart") or SIGNS.search(text) is not None
    return True


def given(path: str) -> Waybill:
    """As `read`, for a file that a person names: raises NoPlan when it is something else."""
    try:
        return read(path)
    except BadFile as error:
        if claims(path):
            raise
        raise NoPlan(path) from error


def read(path: str) -> Waybill:
    """The waybill in the file at `path`.  Raises BadFile with file, line and key."""
    found = reading.read(path, WaybillFile)
    if found.format != FORMAT:
        later = found.format > FORMAT
        what = f"is a waybill of format {found.format}; this version knows {FORMAT}"
        raise BadFile(path, None, what, "Update Salt Cart." if later else "Draft it anew.")
    if not (found.shelves or found.relinks or found.folders or found.here or found.signposts):
        raise BadFile(
            path, None, "says nothing to do", "Remove the # before each line that you want, or make the plan anew."
        )
    for one in found.shelves:
        if one.files and (not one.only or sorted_out(one.only)[1]):
            what = f'"{show(one.name)}" has files = true, and only = [...] does not name each of them'
            raise BadFile(path, None, what, "Name them, or take files = true out.")
    return in_one(found)


def in_one(found: WaybillFile) -> Waybill:
    """The plan with all its shelves, those last that are single gathered files."""
    said = {name: getattr(found, name) for name in Waybill.__struct_fields__}
    along = (CopiedFile(os.path.basename(one.new), **asdict(one)) for one in found.gather)
    return Waybill(**{**said, "shelves": [*map(of_its_kind, found.shelves), *along]})


def of_its_kind(table: ShelfTable) -> Shelf:
    """The shelf that a table means."""
    kind = UnpackedArchive if table.archive else ChosenFiles if table.files else Folder
    return kind(**{name: getattr(table, name) for name in Decided.__struct_fields__})


def apart(plan: Waybill) -> WaybillFile:
    """The opposite of `in_one`."""
    tables: list[ShelfTable] = []
    gather: list[Gathered] = []
    for one in plan.shelves:
        match one:
            case CopiedFile():
                gather.append(Gathered(one.old, one.new, one.old_drive, one.new_drive))
            case Folder():
                tables.append(ShelfTable(**asdict(one)))
            case ChosenFiles():
                tables.append(ShelfTable(**asdict(one), files=True))
            case UnpackedArchive():
                tables.append(ShelfTable(**asdict(one), archive=True))
            case _:
                assert_never(one)
    return WaybillFile(format=FORMAT, gather=gather, **{**asdict(plan), "shelves": tables})
