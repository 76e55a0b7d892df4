"""The switch: several renames and links that happen together or not at all.

Each deed is recorded before the first is done, and each can be repeated: it looks at
the world, and what is already as wanted is done.  A failure takes back what was done, in
reverse.  A crash leaves the plan in the logbook; the next start carries it on to the end.
"""

import os
from contextlib import suppress
from typing import Any

from saltcart.errors import Refused, SaltCartError, show
from saltcart.safefile import copy_durably, digest_of, sync_folder
from saltcart.trips.trip import Trip

Deed = dict[str, Any]


def swap(path: str, staged: str, before: str, after: str, backup: str) -> Deed:
    """Let the prepared file `staged` take the name `path`; digests tell old content from new."""
    return {"do": "swap", "path": path, "staged": staged, "before": before, "after": after, "backup": backup}


def rename(old: str, new: str) -> Deed:
    """Give the folder `old` the name `new` on the same drive."""
    return {"do": "rename", "old": old, "new": new}


def link(path: str, target: str) -> Deed:
    """Leave a signpost at `path` that leads to `target`."""
    return {"do": "link", "path": path, "target": target}


def unlink(path: str, target: str) -> Deed:
    """Take the signpost at `path` away."""
    return {"do": "unlink", "path": path, "target": target}


def make(path: str) -> Deed:
    """Make the folder `path`."""
    return {"do": "make", "path": path}


def remove(path: str) -> Deed:
    """Remove the folder `path`, which must be empty."""
    return {"do": "remove", "path": path}


def inverse(deeds: list[Deed]) -> list[Deed]:
    """The deeds that take renames, links and folders back, the last first; swaps are not among them."""
    back = {
        "rename": lambda deed: rename(deed["new"], deed["old"]),
        "link": lambda deed: unlink(deed["path"], deed["target"]),
        "unlink": lambda deed: link(deed["path"], deed["target"]),
        "make": lambda deed: remove(deed["path"]),
    }
    return [back[deed["do"]](deed) for deed in reversed(deeds) if deed["do"] in back]


def carry_out(trip: Trip, plan: str) -> None:
    """Do the recorded deeds of `plan` that are not done yet.

    On any failure all of them are taken back before the error goes on.
    """
    deeds = trip.logbook.deeds(plan)
    try:
        for number, deed, done in deeds:
            if not done:
                perform(deed)
                trip.logbook.mark_deed(plan, number, True)
    except BaseException:
        take_back(trip, plan)
        raise


def take_back(trip: Trip, plan: str) -> None:
    """Undo the deeds of `plan` from the last to the first, whether recorded as done or cut off in between."""
    for number, deed, _done in reversed(trip.logbook.deeds(plan)):
        revert(deed)
        trip.logbook.mark_deed(plan, number, False)


def perform(deed: Deed) -> None:
    """Do one deed, or see that it is done."""
    DOING[deed["do"]](deed)


def revert(deed: Deed) -> None:
    """Undo one deed, or see that it is not done."""
    kind = deed["do"]
    if kind == "swap":
        if os.path.exists(deed["path"]) and digest_of(deed["path"]) == deed["after"] != deed["before"]:
            copy_durably(deed["backup"], deed["path"])
    elif kind == "rename":
        if os.path.lexists(deed["new"]) and not os.path.lexists(deed["old"]):
            do_rename(rename(deed["new"], deed["old"]))
    elif kind == "link":
        if os.path.islink(deed["path"]) and os.readlink(deed["path"]) == deed["target"]:
            do_unlink(deed)
    elif kind == "make":
        do_remove(deed)
    elif kind == "remove":
        do_make(deed)
    elif not os.path.lexists(deed["path"]):
        do_link(deed)


def do_swap(deed: Deed) -> None:
    """Rename the staged file over the ledger, which must still be the one that was read."""
    path = deed["path"]
    found = digest_of(path) if os.path.exists(path) else None
    if found == deed["after"]:
        return
    if found != deed["before"]:
        raise changed(path)
    os.replace(deed["staged"], path)
    sync_folder(os.path.dirname(path))


def changed(path: str) -> SaltCartError:
    """The error for a ledger that is not what it was."""
    return Refused(
        f"The ledger {show(path)} has changed since it was read",
        "Close its program. To go on with the ledger as it is now, add --reread.",
    )


def do_rename(deed: Deed) -> None:
    """Rename a folder; an empty folder in the way is replaced, as programs make such anew."""
    old, new = deed["old"], deed["new"]
    if not os.path.lexists(old) and os.path.lexists(new):
        return
    try:
        os.rename(old, new)
    except OSError as error:
        raise Refused(
            f"{show(old)} cannot be renamed to {show(new)}: {error.strerror}",
            "Move away what stands there, or close the program that uses it, and try again.",
        ) from error
    for folder in {os.path.dirname(new), os.path.dirname(old)}:
        sync_folder(folder)


def do_link(deed: Deed) -> None:
    """Make a symbolic link."""
    path, target = deed["path"], deed["target"]
    if os.path.islink(path) and os.readlink(path) == target:
        return
    try:
        os.symlink(target, path)
    except OSError as error:
        raise Refused(
            f"No link can be made at {show(path)}: {error.strerror}",
            "Draft without --signpost, or without --turn-links.",
        ) from error
    sync_folder(os.path.dirname(path))


def do_unlink(deed: Deed) -> None:
    """Remove a symbolic link that still leads where it led."""
    path = deed["path"]
    if not os.path.lexists(path):
        return
    if not os.path.islink(path) or os.readlink(path) != deed["target"]:
        raise Refused(f"{show(path)} is no longer the link that it was", "Move it away and try again.")
    os.unlink(path)
    sync_folder(os.path.dirname(path))


def do_make(deed: Deed) -> None:
    """Make a folder that holds set-aside originals."""
    with suppress(FileExistsError):
        os.mkdir(deed["path"])
        sync_folder(os.path.dirname(deed["path"]))


def do_remove(deed: Deed) -> None:
    """Remove an empty folder; one with something in it stays, for that is not ours."""
    with suppress(OSError):
        os.rmdir(deed["path"])
        sync_folder(os.path.dirname(deed["path"]))


DOING = {
    "swap": do_swap,
    "rename": do_rename,
    "link": do_link,
    "unlink": do_unlink,
    "make": do_make,
    "remove": do_remove,
}
