"""Deeds: the single steps of a switch as plain data, with how each is done, undone and looked at (see
`all_or_nothing`).
"""

import os
from collections.abc import Callable
from contextlib import suppress
from typing import Any, NamedTuple

from saltcart.errors import Refused, SaltCartError, show
from saltcart.renaming import rename_new
from saltcart.safefile import copy_durably, digest_of, remove_empty, sync_folder

Deed = dict[str, Any]
# How a deed is in the world.  `UNSEEN`: its place is away, or is neither as before nor as after.
DONE, UNDONE, UNSEEN = "done", "undone", "unseen"


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


def make(path: str, beside: str = "") -> Deed:
    """Make the folder `path`, for what lies in the folder `beside`, which must be there."""
    return {"do": "make", "path": path, "beside": beside}


def remove(path: str) -> Deed:
    """Remove the folder `path`, if it is empty."""
    return {"do": "remove", "path": path}


def supersede(path: str, staged: str, aside: str, was: tuple[str, str]) -> Deed:
    """Let the file `staged` take the name `path`; what has it now, of that kind and digest, waits at `aside`, to be
    removed or to come back.
    """
    return {"do": "supersede", "path": path, "staged": staged, "aside": aside, "was": was}


def inverse(deeds: list[Deed]) -> list[Deed]:
    """The deeds that take renames, links and folders back, the last first; swaps are not among them."""
    back: dict[str, Callable[[Deed], Deed]] = {
        "rename": lambda deed: rename(deed["new"], deed["old"]),
        "link": lambda deed: unlink(deed["path"], deed["target"]),
        "unlink": lambda deed: link(deed["path"], deed["target"]),
        "make": lambda deed: remove(deed["path"]),
        "supersede": lambda deed: {**deed, "do": "bring back"},
    }
    return [back[deed["do"]](deed) for deed in reversed(deeds) if deed["do"] in back]


def perform(deed: Deed) -> None:
    """Do one deed, or see that it is done."""
    KINDS[deed["do"]].do(deed)


def revert(deed: Deed) -> None:
    """Undo one deed, or see that it is not done."""
    KINDS[deed["do"]].undo(deed)


def standing(deed: Deed) -> str:
    """How a deed is in the world: DONE, UNDONE or UNSEEN."""
    try:
        return KINDS[deed["do"]].look(deed)
    except OSError:
        return UNSEEN


def deed_place(deed: Deed) -> str:
    """The place that a deed is about."""
    return str(deed.get("path") or deed["old"])


# Contents


def look_at_swap(deed: Deed) -> str:
    """Old, new, or neither: a ledger that its program wrote to after it was switched.

    As long as the staged file is there it has not taken the ledger's name, whatever the ledger holds.
    """
    if not os.path.exists(deed["path"]):
        return UNSEEN
    found = digest_of(deed["path"])
    if found == deed["after"]:
        return DONE
    return UNDONE if found == deed["before"] or os.path.lexists(deed["staged"]) else UNSEEN


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


def undo_swap(deed: Deed) -> None:
    """Put the kept original back where nobody has written since."""
    if os.path.exists(deed["path"]) and digest_of(deed["path"]) == deed["after"] != deed["before"]:
        copy_durably(deed["backup"], deed["path"])


def changed(path: str) -> SaltCartError:
    """The error for a ledger that is not what it was."""
    return Refused(
        f"The ledger {show(path)} has changed since it was read",
        "Close its program. To continue with the ledger as it is now, add --reread.",
    )


# Renames


def look_at_rename(deed: Deed) -> str:
    """Told by both names.  Where both are taken, a link or an empty folder is what a signpost or a program put
    there.
    """
    old, new = os.path.lexists(deed["old"]), os.path.lexists(deed["new"])
    if old and new:
        old, new = not is_mere_placeholder(deed["old"]), not is_mere_placeholder(deed["new"])
    if not old and not new:
        old, new = (os.path.isdir(path) and not os.path.islink(path) for path in (deed["old"], deed["new"]))
    if old == new:
        return UNSEEN
    return DONE if new else UNDONE


def is_mere_placeholder(path: str) -> bool:
    """Whether a link or an empty folder is at `path`."""
    return os.path.islink(path) or (os.path.isdir(path) and not os.listdir(path))


def do_rename(deed: Deed) -> None:
    """Rename a folder; an empty folder in the way is replaced, as programs make such anew."""
    old, new = deed["old"], deed["new"]
    if look_at_rename(deed) == DONE:
        return
    try:
        if os.path.isdir(old) and not os.path.islink(old):
            os.rename(old, new)  # which takes the place of an empty folder, and of nothing else
        else:
            rename_new(old, new)
    except OSError as error:
        raise Refused(
            f"{show(old)} cannot be renamed to {show(new)}: {error.strerror}",
            "Move away what is there, or close the program that uses it, and try again.",
        ) from error
    for folder in {os.path.dirname(new), os.path.dirname(old)}:
        sync_folder(folder)


def undo_rename(deed: Deed) -> None:
    """Rename it back; an empty folder that a program made at the old name meanwhile gives way."""
    if os.path.lexists(deed["new"]) and (not os.path.lexists(deed["old"]) or is_mere_placeholder(deed["old"])):
        do_rename(rename(deed["new"], deed["old"]))


# Links


def look_at_link(deed: Deed) -> str:
    """Whether our link is there; where its folder is away, nothing can be told."""
    if os.path.islink(deed["path"]) and os.readlink(deed["path"]) == deed["target"]:
        return DONE
    return UNDONE if os.path.isdir(os.path.dirname(deed["path"])) else UNSEEN


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


def look_at_unlink(deed: Deed) -> str:
    """The opposite of a link."""
    return {DONE: UNDONE, UNDONE: DONE, UNSEEN: UNSEEN}[look_at_link(deed)]


def do_unlink(deed: Deed) -> None:
    """Remove a symbolic link that still leads where it led; anything else that is there is not ours."""
    refuse_unseen(deed["path"])
    if look_at_link(deed) == DONE:
        os.unlink(deed["path"])
        sync_folder(os.path.dirname(deed["path"]))


def undo_unlink(deed: Deed) -> None:
    """Set the link up again where nothing has taken its place."""
    refuse_unseen(deed["path"])
    if not os.path.lexists(deed["path"]):
        do_link(deed)


def refuse_unseen(path: str) -> None:
    """Raise Refused where the folder of `path` is away: that nothing is seen there does not say that nothing is."""
    if not os.path.isdir(os.path.dirname(path)):
        raise Refused(
            f"{show(os.path.dirname(path))} is not there", "Connect its drive, and run the same command again."
        )


# Folders that hold set-aside originals


def look_at_make(deed: Deed) -> str:
    """Whether the folder is there."""
    return DONE if os.path.isdir(deed["path"]) else UNDONE


def do_make(deed: Deed) -> None:
    """Make a folder that holds set-aside originals.  Refused where these are not there: their drive has gone then, and
    the folder would land in the empty one at its mount point.
    """
    if deed.get("beside") and not os.path.isdir(deed["beside"]) and not os.path.isdir(deed["path"]):
        raise Refused(f"{show(deed['beside'])} is not there", "Connect its drive, and run the same command again.")
    with suppress(FileExistsError):
        os.mkdir(deed["path"])
        sync_folder(os.path.dirname(deed["path"]))


def look_at_remove(deed: Deed) -> str:
    """Whether the folder is gone."""
    return UNDONE if os.path.isdir(deed["path"]) else DONE


def do_remove(deed: Deed) -> None:
    """Remove an empty folder; one with something in it stays, because that is not ours."""
    if os.path.isdir(deed["path"]) and remove_empty(deed["path"]):
        sync_folder(os.path.dirname(deed["path"]))


# Files of a collection that are brought up to date


def look_at_supersede(deed: Deed) -> str:
    """Told by the two names that are ours."""
    staged, aside = os.path.lexists(deed["staged"]), os.path.lexists(deed["aside"])
    if staged == aside and not staged:
        return UNSEEN
    return UNDONE if staged else DONE


def look_at_bring_back(deed: Deed) -> str:
    """The opposite; what was put aside and is gone since needs nothing."""
    return {DONE: UNDONE, UNDONE: DONE, UNSEEN: DONE}[look_at_supersede(deed)]


def do_supersede(deed: Deed) -> None:
    """Keep the older file under the name put aside, and let the newer one take its name."""
    if look_at_supersede(deed) == UNDONE:
        take_over(deed["staged"], deed["path"], deed["aside"])


def undo_supersede(deed: Deed) -> None:
    """Give the older file its name back, where it was put aside."""
    if look_at_supersede(deed) == DONE:
        take_over(deed["aside"], deed["path"], deed["staged"])
    elif os.path.lexists(deed["aside"]):  # before it was replaced
        if os.path.lexists(deed["path"]):
            os.unlink(deed["aside"])
        else:
            rename_new(deed["aside"], deed["path"])
    else:
        return
    sync_folder(os.path.dirname(deed["path"]))


def take_over(new: str, path: str, kept: str) -> None:
    """Let the file `new` take the name `path`, and keep what has it under the name `kept`.

    There is a file of that name at every moment, where the drive knows second names; elsewhere not for an instant.
    """
    if not os.path.lexists(kept):
        try:
            os.link(path, kept, follow_symlinks=False)
        except OSError:
            rename_new(path, kept)
    if os.path.lexists(path):
        os.replace(new, path)
    else:
        rename_new(new, path)
    sync_folder(os.path.dirname(path))


class Kind(NamedTuple):
    """One kind of deed: how it is done, undone, and looked at; and which looks count as undone."""

    do: Callable[[Deed], None]
    undo: Callable[[Deed], None]
    look: Callable[[Deed], str]
    back: tuple[str, ...] = (UNDONE,)


# Folders of ours may keep what somebody else put there, and a link of an earlier trip may have been taken away by its
# owner: neither says that a switch is half done.
ANYHOW = (DONE, UNDONE)
TELLING = ("swap", "rename", "supersede", "link")  # kinds of which one that is done says that the switch has begun
KINDS = {
    "swap": Kind(do_swap, undo_swap, look_at_swap),
    "rename": Kind(do_rename, undo_rename, look_at_rename),
    "supersede": Kind(do_supersede, undo_supersede, look_at_supersede),
    "bring back": Kind(undo_supersede, do_supersede, look_at_bring_back, ANYHOW),
    "link": Kind(do_link, do_unlink, look_at_link),
    "unlink": Kind(do_unlink, undo_unlink, look_at_unlink, ANYHOW),
    "make": Kind(do_make, do_remove, look_at_make, ANYHOW),
    "remove": Kind(do_remove, do_make, look_at_remove, ANYHOW),
}
