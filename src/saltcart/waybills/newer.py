"""Single sounds that change with a collection, though no shelf moves: newer content, and other names."""

from typing import Annotated

from msgspec import Struct

from saltcart.shelves.digests import BLAKE3, SHA256
from saltcart.toml.kinds import FullPath, one_of


class Newer(Struct, frozen=True):
    """The file at `path`, which `was` of that digest, gets the content of the file `source`, which is of that `digest`;
    both by the same kind of digest.
    """

    path: FullPath
    source: FullPath
    kind: Annotated[str, one_of(BLAKE3, SHA256)]
    digest: str
    was: str


class Renamed(Struct, frozen=True, rename={"old": "from", "new": "to"}):
    """The file `old` gets the name `new` on the same drive."""

    old: FullPath
    new: FullPath
