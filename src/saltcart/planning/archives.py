"""Choosing what comes out of archives, and where each part of it goes."""

from msgspec.structs import replace

from saltcart.drives import drive_of
from saltcart.errors import Refused, UsageError, show
from saltcart.planning.allowed_names import allowed_names
from saltcart.planning.choosing import distinct, landing
from saltcart.planning.destination import writable_drive
from saltcart.planning.request import Request
from saltcart.shelves.archive import contents, is_archive, name_without_suffix
from saltcart.shelves.true_names import told_apart, true_path
from saltcart.system import os
from saltcart.waybills.shelf import Shelf, UnpackedArchive


def archive_shelves(request: Request, remarks: list[str]) -> list[Shelf]:
    """What comes out of the archives of a request, as shelves.  Raises Refused, or UsageError."""
    if not all(map(is_archive, request.shelves)) or request.from_list:
        raise UsageError(
            "Archives and folders cannot be moved in one trip",
            "Move them one after the other, or archives as they are: --packed",
        )
    if len(request.to) not in (1, len(request.shelves)):
        raise UsageError("Give --to once for all archives, or once for each", f"{len(request.to)} places were given.")
    targets = list(request.to) * (len(request.shelves) if len(request.to) == 1 else 1)
    whole = [whole_of(true_path(path), to, request, remarks) for path, to in zip(request.shelves, targets, strict=True)]
    shelves = [part for shelf in distinct(whole, remarks) for part in parts_of(shelf, request)]
    names = told_apart([shelf.name for shelf in shelves], [shelf.new for shelf in shelves])
    return [
        allowed_names(replace(shelf, name=name), request, remarks) for shelf, name in zip(shelves, names, strict=True)
    ]


def whole_of(path: str, to: str, request: Request, remarks: list[str]) -> UnpackedArchive:
    """What comes out of the archive at `path`, as a shelf."""
    found = contents(path)
    name = found.top or name_without_suffix(path)
    if found.left_out:
        remarks.append(f"Not unpacked from {show(path)}: {found.left_out}, because they are not ordinary files")
    post = os.path.join(true_path(request.signpost_at), name) if request.signpost_at else ""
    if post and (os.path.lexists(post) or not os.path.isdir(os.path.dirname(post))):
        raise Refused(f"No link can be left at {show(post)}", "It must be a new name in a folder that is there.")
    return replace(shelf_at(path, name, to, request), post=post)


def parts_of(whole: Shelf, request: Request) -> list[Shelf]:
    """The shelf itself, or two when the small things go elsewhere."""
    if not request.small_to:
        return [whole]
    folder, *patterns = request.small_to
    if not patterns:
        raise UsageError("Nobody said what is small", "Write it like: --small-to ~/Settings '*.ini' '*.patch'")
    small = replace(shelf_at(whole.old, whole.name, folder, request), only=tuple(patterns))
    return [replace(whole, stay=(*whole.stay, *patterns)), small]


def shelf_at(path: str, name: str, to: str, request: Request) -> UnpackedArchive:
    """What comes out of an archive, and its new place."""
    new = landing(path, name, to, request.cart.drives)
    known = request.cart.shelf(path)
    return UnpackedArchive(
        os.path.basename(new),
        path,
        new,
        drive_of(path).identity,
        writable_drive(new).identity,
        known.care if known else "replaceable",  # whoever has it as an archive has it from its maker
        "original",
        tuple(request.leave_out),
        tuple(request.only),
    )
