"""Reading a waybill, a TOML file that people edit."""

from msgspec import Struct, field
from msgspec.structs import asdict

from saltcart.errors import BadFile, show
from saltcart.system import os
from saltcart.toml import reading
from saltcart.toml.kinds import FullPath
from saltcart.waybills import shelf
from saltcart.waybills.shelf import Shelf, sorted_out
from saltcart.waybills.waybill import IN_FILES, Waybill

FORMAT = 1


class Gathered(Struct, frozen=True, rename=shelf.IN_FILES):
    """A single file from elsewhere that is copied along."""

    old: FullPath
    new: FullPath
    old_drive: str
    new_drive: str


class WaybillFile(Waybill, kw_only=True, rename=IN_FILES):
    """A waybill as its file holds it: gathered files stand apart from shelves."""

    format: int
    gather: list[Gathered] = field(default_factory=list)


def read(path: str) -> Waybill:
    """The waybill in the file at `path`.  Raises BadFile with file, line and key."""
    found = reading.read(path, WaybillFile)
    if found.format != FORMAT:
        raise BadFile(
            path, None, f"is a waybill of format {found.format}; this version knows {FORMAT}", "Draft it anew."
        )
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
    said = asdict(found)
    said["shelves"] = [
        *found.shelves,
        *(Shelf(os.path.basename(one.new), gathered=True, **asdict(one)) for one in found.gather),
    ]
    return Waybill(**{name: said[name] for name in Waybill.__struct_fields__})


def apart(plan: Waybill) -> WaybillFile:
    """The opposite."""
    said = asdict(plan)
    said["shelves"] = [one for one in plan.shelves if not one.gathered]
    gather = [Gathered(one.old, one.new, one.old_drive, one.new_drive) for one in plan.shelves if one.gathered]
    return WaybillFile(format=FORMAT, gather=gather, **said)
