"""The switch: several renames, links and new contents that happen together or not at all.

The model.  Each step is a *deed*, plain data: swap a ledger's content, rename a folder, make or remove a link or
folder.  All deeds are recorded in the logbook before the first is done.  A deed can be repeated, since it looks at
the world first: digests tell an old ledger from a new one, names tell whether a folder was set aside.

- A crash leaves the plan.  `carry_out` goes on with it, whatever part was done.  It looks at the disk for every
  deed, even one that is recorded as done: it may have been taken back after that.
- A failure or an interrupt makes `carry_out` take back what was done, the last deed first.  Then each deed is looked
  at again.  Only when all are *seen* undone does it raise `TakenBack`, and only then may the trip's record say so.
- When that cannot be seen (the drive has gone, a program wrote to a ledger meanwhile), `HalfDone` is raised and the
  record keeps saying that the switch is under way: it can be carried on, or taken back, once the drive is there again.

Not guaranteed: that a program does not write to a ledger between the last look at it and the rename.
"""

import os
import signal
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from types import FrameType
from typing import Any, NamedTuple

from saltcart.errors import HalfDone, Refused, SaltCartError, show
from saltcart.renaming import rename_new
from saltcart.safefile import copy_durably, digest_of, remove_empty, sync_folder
from saltcart.trips.trip import Trip

Deed = dict[str, Any]
# How a deed stands in the world.  `UNSEEN`: its place is away, or is neither as before nor as after.
DONE, UNDONE, UNSEEN = "done", "undone", "unseen"
SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


class TakenBack(SaltCartError):
    """A plan failed and was seen to be taken back; `cause` is what it failed of."""

    def __init__(self, cause: BaseException):
        super().__init__(str(cause))
        self.cause = cause


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


def carry_out(trip: Trip, plan: str) -> None:
    """Do the recorded deeds of `plan` that are not seen to be done, whatever the record says of them.

    Raises TakenBack when one failed and all are undone again, HalfDone when that could not be reached or seen.
    """
    try:
        for number, deed, done in trip.logbook.deeds(plan):
            if not (done and stays_done(deed)):
                perform(deed)
                trip.logbook.mark_deed(plan, number, True)
    except BaseException as error:
        # From here on an impatient second interrupt must not leave half of the deeds taken back.
        with interrupts_held():
            troubles = take_back(trip, plan)
        if troubles:
            raise half_done(trip, error, troubles) from error
        raise TakenBack(error) from error


def stays_done(deed: Deed) -> bool:
    """Whether a deed that is recorded as done needs nothing more.

    The record loses its mark before a deed is taken back, so that one which has its mark was not.  Hence a ledger that
    is neither as before nor as after was written to by its program since it switched; and what lies at the new name is
    what was renamed, even if something of the same kind is at the old name by now.
    """
    stands = standing(deed)
    if stands == UNSEEN and deed["do"] == "swap":
        return os.path.exists(deed["path"]) and not os.path.lexists(deed["staged"])
    return stands == DONE or (stands == UNSEEN and deed["do"] == "rename" and os.path.lexists(deed["new"]))


def half_done(trip: Trip, error: BaseException, troubles: list[str]) -> HalfDone:
    """The error for a plan that could neither be finished nor be taken back."""
    why = error.what if isinstance(error, SaltCartError) else (str(error) or "it was interrupted")
    trip.logbook.tell(f"stopped in the middle: {why}; not rolled back: {'; '.join(troubles)}")
    return HalfDone(
        f"The switch of trip {trip.name} stopped in the middle ({why}), and could not be rolled back",
        "Nothing is lost: what it was about is kept. Connect the drive again, or close the program, then finish it:"
        f" saltcart repoint {trip.name}   or take it back: saltcart undo {trip.name}",
        troubles[:20],
    )


def take_back(trip: Trip, plan: str) -> list[str]:
    """Undo the deeds of `plan` from the last to the first, as far as that goes; what is not seen undone then, a line
    each.

    One that fails is no reason to leave the others: ledgers on another drive can still become whole.
    """
    deeds = trip.logbook.deeds(plan)
    why: dict[int, str] = {}
    for number, deed, _done in reversed(deeds):
        try:
            trip.logbook.mark_deed(plan, number, False)  # first: a mark says that it is done and was not taken back
            revert(deed)
        except SaltCartError as error:
            why[number] = error.what
        except OSError as error:
            why[number] = f"{show(deed_place(deed))}: {error.strerror or error}"
    left = [
        (number, deed)
        for number, deed, _done in deeds
        if (stands := standing(deed)) not in KINDS[deed["do"]].back or (number in why and stands != UNDONE)
    ]
    return [why.get(number) or f"{show(deed_place(deed))} is not as it was before" for number, deed in left]


def half_way(trip: Trip, plan: str) -> bool:
    """Whether any content, rename or link of a recorded plan is done in the world, whatever the record says."""
    telling = [deed for _number, deed, _done in trip.logbook.deeds(plan) if deed["do"] in TELLING]
    return any(standing(deed) == DONE for deed in telling)


def lacks_staged(trip: Trip, plan: str) -> bool:
    """Whether a ledger still waits for new content that is no longer there: a plan that cannot be carried on."""
    swaps = [deed for _number, deed, _done in trip.logbook.deeds(plan) if deed["do"] == "swap"]
    return any(standing(deed) == UNDONE and not os.path.lexists(deed["staged"]) for deed in swaps)


def waiting_swaps(trip: Trip, plan: str) -> set[str]:
    """The paths of ledgers whose new content has not taken its place yet."""
    swaps = [deed for _number, deed, _done in trip.logbook.deeds(plan) if deed["do"] == "swap"]
    return {deed["path"] for deed in swaps if os.path.lexists(deed["staged"])}


@contextmanager
def interrupts_held() -> Iterator[None]:
    """Let the first interrupt that comes inside pass without effect; one more ends the program, as it must at last."""
    if threading.current_thread() is not threading.main_thread():
        yield  # only the main thread is interrupted
        return
    count = 0

    def hold(_number: int, _frame: FrameType | None) -> None:
        nonlocal count
        count += 1
        if count > 1:
            raise KeyboardInterrupt

    before = {number: signal.signal(number, hold) for number in SIGNALS}
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)


def perform(deed: Deed) -> None:
    """Do one deed, or see that it is done."""
    KINDS[deed["do"]].do(deed)


def revert(deed: Deed) -> None:
    """Undo one deed, or see that it is not done."""
    KINDS[deed["do"]].undo(deed)


def standing(deed: Deed) -> str:
    """How a deed stands in the world: DONE, UNDONE or UNSEEN."""
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
    """Whether a link or an empty folder stands at `path`."""
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
    """Whether our link stands there; where its folder is away, nothing can be told."""
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
    """Remove a symbolic link that still leads where it led; anything else that stands there is not ours."""
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
    """Remove an empty folder; one with something in it stays, for that is not ours."""
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
    """One kind of deed: how it is done, undone, and looked at; and which looks count as taken back."""

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
