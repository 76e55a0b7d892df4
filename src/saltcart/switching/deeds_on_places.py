"""Deeds on links and folders: signposts, and the folders that hold originals set aside."""

from contextlib import suppress

from saltcart.errors import Refused, show
from saltcart.safefile import remove_empty, sync_folder
from saltcart.switching.one_deed import ANYHOW, DONE, OPPOSITE, UNDONE, UNSEEN, AtPath
from saltcart.system import os

# Links


class Link(AtPath, frozen=True, tag="link"):
    """Leave a signpost at `path` that leads to `target`."""

    telling = True
    target: str

    def look(self) -> str:
        """Whether our link is there; where its folder is away, nothing can be told."""
        if os.path.islink(self.path) and os.readlink(self.path) == self.target:
            return DONE
        return UNDONE if os.path.isdir(os.path.dirname(self.path)) else UNSEEN

    def do(self) -> None:
        """Make a symbolic link."""
        if os.path.islink(self.path) and os.readlink(self.path) == self.target:
            return
        try:
            os.symlink(self.target, self.path)
        except OSError as error:
            raise Refused(
                f"No link can be made at {show(self.path)}: {error.strerror}",
                "Draft without --signpost, or without --turn-links.",
            ) from error
        sync_folder(os.path.dirname(self.path))

    def undo(self) -> None:
        """Remove a symbolic link that still leads where it led; anything else that is there is not ours."""
        refuse_unseen(self.path)
        if self.look() == DONE:
            os.unlink(self.path)
            sync_folder(os.path.dirname(self.path))

    def inverse(self) -> "Unlink":
        return Unlink(self.path, self.target)


class Unlink(AtPath, frozen=True, tag="unlink"):
    """Take the signpost at `path` away."""

    back = ANYHOW
    target: str

    def look(self) -> str:
        """The opposite of a link."""
        return OPPOSITE[self.inverse().look()]

    def do(self) -> None:
        self.inverse().undo()

    def undo(self) -> None:
        """Set the link up again where nothing has taken its place."""
        refuse_unseen(self.path)
        if not os.path.lexists(self.path):
            self.inverse().do()

    def inverse(self) -> Link:
        return Link(self.path, self.target)


def refuse_unseen(path: str) -> None:
    """Raise Refused where the folder of `path` is away: that nothing is seen there does not say that nothing is."""
    if not os.path.isdir(os.path.dirname(path)):
        raise Refused(
            f"{show(os.path.dirname(path))} is not there", "Connect its drive, and run the same command again."
        )


# Folders that hold set-aside originals


class Make(AtPath, frozen=True, tag="make"):
    """Make the folder `path`, for what lies in the folder `beside`, which must be there."""

    back = ANYHOW
    beside: str = ""

    def look(self) -> str:
        """Whether the folder is there."""
        return DONE if os.path.isdir(self.path) else UNDONE

    def do(self) -> None:
        """Make a folder that holds set-aside originals.  Refused where these are not there: their drive has gone then,
        and the folder would land in the empty one at its mount point.
        """
        if self.beside and not os.path.isdir(self.beside) and not os.path.isdir(self.path):
            raise Refused(f"{show(self.beside)} is not there", "Connect its drive, and run the same command again.")
        with suppress(FileExistsError):
            os.mkdir(self.path)
            sync_folder(os.path.dirname(self.path))

    def undo(self) -> None:
        """Remove an empty folder; one with something in it stays, because that is not ours."""
        if os.path.isdir(self.path) and remove_empty(self.path):
            sync_folder(os.path.dirname(self.path))

    def inverse(self) -> "Remove":
        return Remove(self.path)


class Remove(AtPath, frozen=True, tag="remove"):
    """Remove the folder `path`, if it is empty."""

    back = ANYHOW

    def look(self) -> str:
        """Whether the folder is gone."""
        return OPPOSITE[Make(self.path).look()]

    def do(self) -> None:
        Make(self.path).undo()

    def undo(self) -> None:
        Make(self.path).do()
