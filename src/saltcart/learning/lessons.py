"""What was learnt about the places of a kind of file, and how the map made of it proved itself on each of them."""

from collections.abc import Sequence

from msgspec import Struct, field

from saltcart.learning.identifying_columns import ColumnFact
from saltcart.mentions.mention import Spot


class Lesson(Struct):
    """What was learnt about one place: how many of its values resolve, how, and whether it goes into the map.

    `entry` is its [[entries]] table; `sure` false leaves it commented out, `why` says why.
    `beside` is what other columns say of the same sounds.
    """

    place: str
    spelling: str
    total: int
    resolved: int
    sounds: int
    entry: dict[str, object]
    sure: bool
    why: str
    beside: list[ColumnFact] = field(default_factory=list)


class Proof(Struct):
    """What the map makes of one file: entries read back, and rewritten on trial.

    `uncovered` mentions of the shelves are reached by no entry; `spots` are some of them.  What was `refused` is
    understood, and cannot be rewritten.
    """

    path: str
    entries: int = 0
    rewritten: int = 0
    uncovered: int = 0
    spots: Sequence[Spot] = ()
    trouble: str | None = None
    refused: bool = False


class Learnt(Struct):
    """The lessons about one kind of file, the map they make, and its proof on each of the files.

    `means` are declarations of drives of another system, with how many of the values they would make lead somewhere.
    """

    name: str
    container: str
    lessons: list[Lesson]
    map_text: str
    proofs: list[Proof]
    means: Sequence[tuple[str, int]] = ()

    @property
    def proven(self) -> bool:
        """Whether the map reads all of the files, and names something of the shelves."""
        return any(lesson.sure for lesson in self.lessons) and not any(proof.trouble for proof in self.proofs)

    @property
    def complete(self) -> bool:
        """Whether it reaches every mention in them, too."""
        return self.proven and not any(proof.uncovered for proof in self.proofs)
