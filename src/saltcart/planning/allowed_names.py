"""What of a shelf its new drive cannot hold, and the programs in it, which stay."""

from collections.abc import Iterable, Iterator
from glob import escape

from msgspec import Struct, field
from msgspec.structs import replace

from saltcart.drives.limits import HARD, allowed, obstacles, renames_of
from saltcart.errors import Refused, counted, show
from saltcart.planning.request import Request
from saltcart.shelves.programs import is_program, units
from saltcart.shelves.walk import FILE, Item
from saltcart.system import os
from saltcart.waybills.new_place import landing_drive
from saltcart.waybills.shelf import ChosenFiles, Folder, Shelf


class Programs(Struct):
    """The programs among the things of a walk that goes through here, and whether there was anything else."""

    shelf: Shelf
    found: list[str] = field(default_factory=list)
    others: bool = False

    def among(self, items: Iterable[Item]) -> Iterator[Item]:
        """The things, as they come."""
        for item in items:
            if item.kind == FILE:
                program = is_program(f"{self.shelf.old}/{item.path}")
                self.found += [item.path] if program else []
                self.others = self.others or not program
            yield item

    def units(self, remarks: list[str]) -> list[str]:
        """What stays with them.  Refused when there is nothing else."""
        stay = list(dict.fromkeys(units(self.found)))
        if stay and not self.others:
            raise Refused(
                f"{show(self.shelf.name)} contains only programs, which systems look for where they are",
                "To move them anyway: --with-programs",
            )
        if stay:
            remarks.append(
                f"{counted(len(stay), 'program or plug-in', 'programs or plug-ins')} in {show(self.shelf.name)} not"
                f" moved, because"
                f" systems look for them there: {show(', '.join(stay[:3]))}{' ...' if stay[3:] else ''}. To move"
                f" them too:"
                " --with-programs"
            )
        return stay


def allowed_names(shelf: Shelf, request: Request, remarks: list[str]) -> Shelf:
    """The shelf with what its new drive cannot hold renamed or left where it is, and without programs, unless these
    shall come along.  Refused for what cannot go at all.
    """
    limits = landing_drive(shelf.new).limits
    fit = allowed(os.path.basename(shelf.old), limits)
    if fit.what and not isinstance(shelf, ChosenFiles):
        remarks.append(f"{show(shelf.old)} {fit.what}; it will be called {show(fit.name)}, and entries follow")
    programs = Programs(shelf)
    seek = not request.with_programs and isinstance(shelf, Folder)
    found = list(obstacles(programs.among(shelf.walk()) if seek else shelf.walk(), limits, len(shelf.new)))
    if stay := programs.units(remarks):
        shelf = replace(shelf, stay=(*shelf.stay, *map(escape, stay)))
        found = [one for one in found if shelf.takes(one.path)]
    hard = [one for one in found if one.weight == HARD]
    if hard:
        raise Refused(
            f"The new drive cannot hold {counted(len(hard), 'file', 'files')} of {show(shelf.name)}",
            "Leave them out with --exclude, or choose another drive.",
            [f"{show(one.path)} {one.what}" for one in hard[:20]],
        )
    staying = tuple(escape(one.path) for one in found if one.kind == "link")
    given = dict(request.names.get(shelf.old, ()))
    renames = tuple(pair for pair in renames_of(found) if pair[0] not in given)
    if staying:
        remarks.append(
            f"{counted(len(staying), 'link', 'links')} in {show(shelf.name)} cannot exist on the new drive; left in"
            f" place"
        )
    if renames:
        first = ", ".join(f"{show(old)} -> {show(os.path.basename(new))}" for old, new in renames[:3])
        remarks.append(
            f"{counted(len(renames), 'name', 'names')} in {show(shelf.name)} cannot exist on the new drive; entries"
            f" follow the new"
            f" names: {first}{' ...' if renames[3:] else ''}"
        )
    return replace(shelf, stay=(*shelf.stay, *staying), renames=(*given.items(), *renames))
