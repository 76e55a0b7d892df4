"""Deeds on contents and names: ledgers swapped, things renamed, files of a collection brought up to date."""

from saltcart.errors import Refused, SaltCartError, show
from saltcart.renaming import rename_new
from saltcart.safefile import copy_durably, digest_of, sync_folder
from saltcart.switching.one_deed import ANYHOW, DONE, OPPOSITE, UNDONE, UNSEEN, AtPath, OneDeed
from saltcart.system import os

# Contents


class Swap(AtPath, frozen=True, tag="swap"):
    """Let the prepared file `staged` take the name `path`; digests tell old content from new.  It is `own` when it is
    a file of ours, or a `sound`; else a ledger.
    """

    telling = True
    staged: str
    before: str
    after: str
    backup: str
    own: bool = False
    sound: bool = False

    def look(self) -> str:
        """Old, new, or neither: a ledger that its program wrote to after it was switched.

        As long as the staged file is there it has not taken the ledger's name, whatever the ledger holds.
        """
        if not os.path.exists(self.path):
            return UNSEEN
        found = digest_of(self.path)
        if found == self.after:
            return DONE
        return UNDONE if found == self.before or os.path.lexists(self.staged) else UNSEEN

    def do(self) -> None:
        """Rename the staged file over the ledger, which must still be the one that was read."""
        found = digest_of(self.path) if os.path.exists(self.path) else None
        if found == self.after:
            return
        if found != self.before:
            raise changed(self.path)
        os.replace(self.staged, self.path)
        sync_folder(os.path.dirname(self.path))

    def undo(self) -> None:
        """Put the kept original back where nobody has written since."""
        if os.path.exists(self.path) and digest_of(self.path) == self.after != self.before:
            copy_durably(self.backup, self.path)


def changed(path: str) -> SaltCartError:
    """The error for a ledger that is not what it was."""
    return Refused(
        f"The ledger {show(path)} has changed since it was read",
        "Close its program. To continue with the ledger as it is now, add --reread.",
    )


# Renames


class Rename(OneDeed, frozen=True, tag="rename"):
    """Give what is at `old` the name `new` on the same drive."""

    telling = True
    old: str
    new: str

    @property
    def place(self) -> str:
        return self.old

    def look(self) -> str:
        """Told by both names.  Where both are taken, a link or an empty folder is what a signpost or a program put
        there.
        """
        old, new = os.path.lexists(self.old), os.path.lexists(self.new)
        if old and new:
            old, new = not is_mere_placeholder(self.old), not is_mere_placeholder(self.new)
        if not old and not new:
            old, new = (os.path.isdir(path) and not os.path.islink(path) for path in (self.old, self.new))
        if old == new:
            return UNSEEN
        return DONE if new else UNDONE

    def do(self) -> None:
        """Rename it; an empty folder in the way is replaced, as programs make such anew."""
        if self.look() == DONE:
            return
        try:
            if os.path.isdir(self.old) and not os.path.islink(self.old):
                os.rename(self.old, self.new)  # which takes the place of an empty folder, and of nothing else
            else:
                rename_new(self.old, self.new)
        except OSError as error:
            raise Refused(
                f"{show(self.old)} cannot be renamed to {show(self.new)}: {error.strerror}",
                "Move away what is there, or close the program that uses it, and try again.",
            ) from error
        for folder in {os.path.dirname(self.new), os.path.dirname(self.old)}:
            sync_folder(folder)

    def undo(self) -> None:
        """Rename it back; an empty folder that a program made at the old name meanwhile gives way."""
        if os.path.lexists(self.new) and (not os.path.lexists(self.old) or is_mere_placeholder(self.old)):
            self.inverse().do()

    def inverse(self) -> "Rename":
        return Rename(self.new, self.old)


def is_mere_placeholder(path: str) -> bool:
    """Whether a link or an empty folder is at `path`."""
    return os.path.islink(path) or (os.path.isdir(path) and not os.listdir(path))


# Files of a collection that are brought up to date


class Supersede(AtPath, frozen=True, tag="supersede"):
    """Let the file `staged` take the name `path`; what has it now, which `was` of that kind and digest, waits at
    `aside`, to be removed or to come back.
    """

    telling = True
    staged: str
    aside: str
    was: tuple[str, str]

    def look(self) -> str:
        """Told by the two names that are ours."""
        staged, aside = os.path.lexists(self.staged), os.path.lexists(self.aside)
        if staged == aside and not staged:
            return UNSEEN
        return UNDONE if staged else DONE

    def do(self) -> None:
        """Keep the older file under the name put aside, and let the newer one take its name."""
        if self.look() == UNDONE:
            take_over(self.staged, self.path, self.aside)

    def undo(self) -> None:
        """Give the older file its name back, where it was put aside."""
        if self.look() == DONE:
            take_over(self.aside, self.path, self.staged)
        elif os.path.lexists(self.aside):  # before it was replaced
            if os.path.lexists(self.path):
                os.unlink(self.aside)
            else:
                rename_new(self.aside, self.path)
        else:
            return
        sync_folder(os.path.dirname(self.path))

    def inverse(self) -> "BringBack":
        return BringBack(self.path, self.staged, self.aside, self.was)


class BringBack(AtPath, frozen=True, tag="bring back"):
    """Give what a Supersede put aside its name back."""

    back = ANYHOW
    staged: str
    aside: str
    was: tuple[str, str]

    def superseding(self) -> Supersede:
        """What it takes back."""
        return Supersede(self.path, self.staged, self.aside, self.was)

    def look(self) -> str:
        """The opposite; what was put aside and is gone since needs nothing."""
        stands = self.superseding().look()
        return DONE if stands == UNSEEN else OPPOSITE[stands]

    def do(self) -> None:
        self.superseding().undo()

    def undo(self) -> None:
        self.superseding().do()


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
