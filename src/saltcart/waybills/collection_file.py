"""The record of a collection as a file."""

from collections.abc import Mapping, Sequence
from contextlib import suppress
from functools import lru_cache

import tomlkit
from msgspec.structs import asdict

from saltcart.errors import BadFile, SaltCartError, show
from saltcart.safefile import digest_of, replacing
from saltcart.shelves import manifest
from saltcart.shelves.digests import BLAKE3
from saltcart.system import os
from saltcart.toml import reading
from saltcart.toml.writing import document_of
from saltcart.waybills.collection import (
    NAME,
    TABLES,
    CarriedFile,
    CarriedLedger,
    CarriedShelf,
    Collection,
    is_collection,
)

FORMAT = 1
HEAD = """\
Salt Cart: what this collection is and where everything in it came from. Places start from this folder.
To make it at home on a computer: saltcart settle FOLDER   (this folder). To bring it up to date: the same carry again.
"""


class CarriedToml(Collection, kw_only=True, rename=TABLES):
    """A collection as its file holds it."""

    format: int


def read(path: str) -> Collection:
    """The collection whose `carried.toml` is at `path`.  Raises BadFile with file, line and key."""
    said = reading.read(path, CarriedToml)
    if said.format != FORMAT:
        what = f"is of format {said.format}; this version knows {FORMAT}"
        raise BadFile(path, None, what, "Use the version that wrote it.")
    if not said.shelves and not said.files:
        raise BadFile(path, None, "lists no shelf and no file", "Carry the collection anew.")
    found = Collection(**{name: getattr(said, name) for name in Collection.__struct_fields__})
    found.top = os.path.dirname(os.path.abspath(path))
    refuse_links(path, found)
    return found


def refuse_links(path: str, found: Collection) -> None:
    """Raise BadFile when a place of the collection leads out of it through a link."""
    top = os.path.realpath(found.top)
    rows: Sequence[CarriedShelf | CarriedLedger | CarriedFile] = [*found.shelves, *found.ledgers, *found.files]
    for row in rows:
        real = os.path.realpath(found.at(row.place))
        if not real.startswith(top.rstrip("/") + "/"):
            raise BadFile(path, None, f'place = "{show(row.place)}" leads out of the collection', "Carry it anew.")


def write(found: Collection, path: str = "") -> str:
    """Write the `carried.toml` of a collection, whole or not at all, in its place or at `path`; its digest."""
    path = path or os.path.join(found.top, NAME)
    document = document_of(CarriedToml(format=FORMAT, **asdict(found)), HEAD)
    with replacing(path) as neighbour, open(neighbour, "w", encoding="utf-8") as stream:
        stream.write(tomlkit.dumps(document))
    return digest_of(path)


def at_top(top: str) -> Collection:
    """The collection in the folder `top`; one of which nothing is known where none is there yet."""
    return read(os.path.join(top, NAME)) if is_collection(top) else Collection("", "", "", "", "", "", top=top)


def collections_on(mount: str) -> list[Collection]:
    """The collections at the top of a drive and in the folders there; those that cannot be read are passed over."""
    places = [mount]
    with suppress(OSError), os.scandir(mount) as entries:
        places += sorted(entry.path for entry in entries if entry.is_dir(follow_symlinks=False))
    found = []
    for path in (os.path.join(place, NAME) for place in places):
        with suppress(SaltCartError):
            found += [read(path)] if os.path.isfile(path) else []
    return found


@lru_cache(maxsize=4)
def known_digests(path: str, _stamp: int) -> Mapping[str, tuple[str, str]]:
    """As `digests_before`."""
    found = read(path)
    known: dict[str, tuple[str, str]] = {}
    for shelf in found.shelves:
        top = found.at(shelf.place)
        kind = manifest.kind_of_manifest(top)
        if kind:
            known |= {f"{top}/{tail}": (kind, digest) for tail, digest in manifest.read(top, kind)}
    known |= {found.at(one.place): (one.kind, one.digest) for one in found.gone}
    known |= {found.at(one.place): (BLAKE3, one.digest) for one in found.ledgers}
    return known | {found.at(one.place): (one.kind, one.digest) for one in found.files}


def digests_before(top: str) -> Mapping[str, tuple[str, str]]:
    """Kind and digest of each file that the collection in the folder `top` brought, by its full path; none where there
    is no collection yet.
    """
    path = os.path.join(top, NAME) if top else ""
    return known_digests(path, os.stat(path).st_mtime_ns) if path and os.path.exists(path) else {}
