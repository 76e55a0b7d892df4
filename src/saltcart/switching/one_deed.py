"""What every deed of a switch can do, whatever its kind."""

from typing import TYPE_CHECKING, ClassVar, Optional

from msgspec import Struct

if TYPE_CHECKING:
    from saltcart.switching.deeds import Deed

# How a deed is in the world.  `UNSEEN`: its place is away, or is neither as before nor as after.
DONE, UNDONE, UNSEEN = "done", "undone", "unseen"
OPPOSITE = {DONE: UNDONE, UNDONE: DONE, UNSEEN: UNSEEN}
# Folders of ours may keep what somebody else put there, and a link of an earlier trip may have been taken away by its
# owner: neither says that a switch is half done.
ANYHOW = (DONE, UNDONE)


class OneDeed(Struct, frozen=True, tag_field="do", omit_defaults=True):
    """A step that can be repeated, since it looks at the world first.  An OSError while looking means UNSEEN."""

    back: ClassVar[tuple[str, ...]] = (UNDONE,)  # the looks that count as undone
    telling: ClassVar[bool] = False  # whether one of this kind that is done says that the switch has begun

    @property
    def place(self) -> str:
        """The place that it is about."""
        raise NotImplementedError

    def look(self) -> str:
        """How it is in the world: DONE, UNDONE or UNSEEN."""
        raise NotImplementedError

    def do(self) -> None:
        """Do it, or see that it is done."""
        raise NotImplementedError

    def undo(self) -> None:
        """Undo it, or see that it is not done."""
        raise NotImplementedError

    def inverse(self) -> Optional["Deed"]:
        """The deed that takes it back; None for new contents, which are prepared anew."""
        return None


class AtPath(OneDeed, frozen=True):
    """A deed at one path."""

    path: str

    @property
    def place(self) -> str:
        return self.path
