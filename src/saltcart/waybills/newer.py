"""Single sounds that change with a collection, though no shelf moves: newer content, and other names."""

from msgspec import Struct


class Newer(Struct, frozen=True):
    """The file at `path`, which `was` of that digest, gets the content of the file `source`, which is of that `digest`;
    both by the same kind of digest.
    """

    path: str
    source: str
    kind: str
    digest: str
    was: str


class Renamed(Struct, frozen=True):
    """The file `old` gets the name `new` on the same drive."""

    old: str
    new: str
