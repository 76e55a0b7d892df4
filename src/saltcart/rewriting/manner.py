"""In which manner paths are written that change."""

from collections.abc import Container

from msgspec import Struct


class Manner(Struct, frozen=True):
    """How what moves is written: `here`, paths of other systems as those of this one; `like` a text, in its manner,
    whatever the manner of each entry is, but for the texts that are `unlike` it.  `partly` lets a lost entry part from
    those that share its folder, where its ledger can, or stay lost.
    """

    here: bool = False
    partly: bool = False
    like: str = ""
    unlike: Container[str] = ()

    def bears_on(self, text: str) -> bool:
        """Whether a text is written in the manner of another."""
        return bool(self.like) and text not in self.unlike
