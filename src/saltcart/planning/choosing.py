"""Choosing what moves: the shelves that were asked for, where each goes, and what speaks against that."""

from collections.abc import Sequence
from glob import escape

from msgspec.structs import replace

from saltcart.cart import KnownDrive
from saltcart.drives import Presence, drive_of
from saltcart.drives.drive import mount_of
from saltcart.drives.limits import allowed
from saltcart.drives.named import meant_place
from saltcart.errors import Refused, UsageError, show
from saltcart.planning.allowed_names import allowed_names
from saltcart.planning.arrange import Pattern
from saltcart.planning.chosen_files import by_common_top, by_facts, by_folder, named_by
from saltcart.planning.destination import (
    moved_by,
    refuse_cut_off,
    refuse_fixed,
    refuse_hole,
    refuse_place,
    refuse_unreleased,
    writable_drive,
)
from saltcart.planning.request import Request
from saltcart.planning.strays import numbered
from saltcart.shelves.true_names import told_apart, true_path
from saltcart.spelling.moves import holder, tail_below
from saltcart.system import os
from saltcart.waybills.patterns import sorted_out
from saltcart.waybills.shelf import ChosenFiles, Folder, Shelf


def chosen_shelves(request: Request, remarks: list[str]) -> list[Shelf]:
    """The shelves that were asked for, each with a name of its own and what its new drive can hold."""
    chosen = [without_kept(shelf, request, remarks) for shelf in distinct(shelves_of(request), remarks)]
    names = told_apart([shelf.name for shelf in chosen], [shelf.old for shelf in chosen])
    return [
        allowed_names(replace(shelf, name=name), request, remarks) for shelf, name in zip(chosen, names, strict=True)
    ]


def shelves_of(request: Request) -> list[Shelf]:
    """The shelves with their new places.  UsageError when places and shelves do not pair up."""
    targets = list(request.to)
    if not request.shelves:
        targets = []
    elif len(targets) == 1:
        targets *= len(request.shelves)
    if len(targets) != len(request.shelves):
        raise UsageError(
            "Give --to once for all shelves, or once for each",
            f"{len(request.shelves)} shelves, {len(targets)} places.",
        )
    if request.arrange:
        Pattern(request.arrange)  # which must be one
    pairs = list(zip(request.shelves, targets, strict=True))
    chosen = [(true_path(path), to) for path, to in pairs if os.path.isfile(path)]
    groups = [
        one
        for to in dict.fromkeys(to for _path, to in chosen)
        for one in by_folder([p for p, t in chosen if t == to], to)
    ]
    if request.from_list and len(request.to) != 1:
        raise UsageError("--from-list needs one place", "Give --to once.")
    listed = [path for one in request.from_list for path in named_by(one, request)]
    listed += by_facts(request) if request.rated is not None or request.played_since else []
    listed = list(dict.fromkeys(listed))
    groups += by_common_top(listed, request.to[0]) if listed else []
    return [shelf_of(path, to, request) for path, to in pairs if not os.path.isfile(path)] + [
        files_of(top, to, names, request) for top, to, names in groups
    ]


def files_of(top: str, to: str, names: tuple[str, ...], request: Request) -> Shelf:
    """Chosen files of the folder `top` and their new place."""
    refuse_cut_off(top)
    if not request.copy:
        refuse_unreleased(top)
    new = new_place(to)
    refuse_place(top, new, Presence(request.cart.drives), files=True)
    if not request.copy:
        refuse_fixed(f"{top}/x")
    folder = os.path.basename(top) or top
    (first, *more) = sorted_out(names)[0]
    name = f"{len(names)} files of {folder}" if more else os.path.basename(first)
    drives = drive_of(top).identity, writable_drive(new).identity
    leave = left_at(request)
    entries = "keep" if request.keep_entries else "rewrite"
    return ChosenFiles(name, top, new, *drives, leave=leave, only=names, entries=entries)


def left_at(request: Request) -> str:
    """What a request wants left at the old places: see LEAVE."""
    return "original" if request.copy else "signpost" if request.signpost else "nothing"


def new_place(to: str) -> str:
    """The folder that `--to` means."""
    return true_path(meant_place(to))


def landing(old: str, name: str, to: str, drives: Sequence[KnownDrive]) -> str:
    """The new place of what is called `name`, as its drive can hold that; these `drives` are declared.  Raises Refused
    when it cannot be there.
    """
    top, presence = new_place(to), Presence(drives)
    refuse_hole(top, presence)
    new = os.path.join(top, allowed(name, drive_of(top).limits).name)
    refuse_place(old, new, presence)
    return new


def shelf_of(path: str, to: str, request: Request) -> Shelf:
    """The shelf at `path` and its new place; Refused when the one is no folder or the other cannot be."""
    given = os.path.abspath(os.path.expanduser(path))
    if not os.path.lexists(given):
        raise Refused(
            f"There is no shelf at {show(given)}",
            moved_by(given) or "Check the path; if its drive is not connected, plug it in.",
        )
    if not os.path.isdir(given):
        raise Refused(f"{show(given)} is not a folder, so it is no shelf", "Name the folder that holds the sounds.")
    old = true_path(given)
    refuse_cut_off(old)
    if not request.copy:
        refuse_unreleased(old)
    if mount_of(old) == old:
        raise Refused(
            f"{show(old)} is a whole drive, and a shelf is a folder on a drive",
            "Give the folders on it that hold sounds.",
        )
    new = landing(old, os.path.basename(old), to, request.cart.drives)
    if not request.copy:
        refuse_fixed(old)
    leave = left_at(request)
    known = request.cart.shelf(old)
    return Folder(
        os.path.basename(new),
        old,
        new,
        drive_of(old).identity,
        writable_drive(new).identity,
        known.care if known else "own",
        leave,
        tuple(request.leave_out),
        tuple(request.only),
        entries="keep" if request.keep_entries else "rewrite",
    )


def distinct(shelves: Sequence[Shelf], remarks: list[str]) -> list[Shelf]:
    """The shelves, those renamed that would land on the name of another.  Refused when they lie in each other."""
    chosen = [shelf for shelf in shelves if isinstance(shelf, ChosenFiles)]
    folders = [shelf for shelf in shelves if not isinstance(shelf, ChosenFiles)]
    refuse_same_names(chosen)
    refuse_overlaps(folders)
    done, taken = list[Shelf](chosen), {shelf.new.casefold() for shelf in chosen}
    for shelf in beside(folders, chosen):
        new = next(one for one in numbered(shelf.new) if one.casefold() not in taken)
        if new != shelf.new:
            remarks.append(
                f"{show(shelf.old)} would land on the name of another shelf; it will be called"
                f" {show(os.path.basename(new))}"
            )
        taken.add(new.casefold())
        done.append(replace(shelf, new=new, name=os.path.basename(new)))
    return done


def refuse_overlaps(folders: Sequence[Shelf]) -> None:
    """Raise Refused when a shelf is, or lies in, another."""
    outer: set[str] = set()
    for old in sorted((shelf.old for shelf in folders), key=len):
        if place := holder(old, outer):
            raise Refused(f"{show(place)} and {show(old)} overlap", "Move only the outer one.")
        outer.add(old)


def beside(folders: Sequence[Shelf], chosen: Sequence[ChosenFiles]) -> list[Shelf]:
    """The folders without the `chosen` files in them, which go their own way."""
    own: dict[str, list[str]] = {shelf.old: [] for shelf in folders}
    for path in (f"{one.old}/{name}" for one in chosen for name in one.names()):
        if place := holder(path, own):
            own[place].append(escape(path[len(place) + 1 :]))
    return [replace(one, stay=(*one.stay, *own[one.old])) if own[one.old] else one for one in folders]


def refuse_same_names(shelves: Sequence[ChosenFiles]) -> None:
    """Raise Refused when chosen files of two folders would come to lie at one place."""
    places: dict[str, str] = {}
    for shelf in shelves:
        for name in shelf.names():
            old, new = f"{shelf.old}/{name}", shelf.place(name)
            other = places.setdefault(new.casefold(), old)
            if other != old:
                raise Refused(f"{show(other)} and {show(old)} would have one name there", "Move them one by one.")


def without_kept(shelf: Shelf, request: Request, remarks: list[str]) -> Shelf:
    """The shelf without the folders that a person marked to stay.  Refused when it is, or lies in, one of them."""
    kept = [one.path for one in request.cart.shelves if one.keep]
    if holder := next((place for place in kept if tail_below(shelf.old, place) is not None), None):
        raise Refused(f"{show(holder)} is to stay where it is (keep = true in cart.toml)", "Take that line out first.")
    stay = [tail for place in kept if (tail := tail_below(place, shelf.old))]
    if stay:
        remarks.append(f"{show(', '.join(stay))} in {show(shelf.name)} stays, as cart.toml says (keep = true)")
    return replace(shelf, stay=(*shelf.stay, *map(escape, stay))) if stay else shelf
