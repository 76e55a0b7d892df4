"""Lists of what a draft saw in each shelf, kept so that the haul can tell what has changed since.

A kept list is a text of JSON values, one a line: an object that names a shelf, then the paths in it.
"""

import hashlib
import json
from collections.abc import Iterable, Iterator

from saltcart.home import home, made_home
from saltcart.system import os


def keep(shelves: Iterable[tuple[str, Iterable[str]]]) -> str:
    """Keep the paths seen in each shelf; the name under which they are kept, the same for the same paths."""
    folder = made_home("drafts")
    fresh, digest = folder / f".{os.getpid()}", hashlib.sha256()
    with open(fresh, "w", encoding="ascii") as stream:
        for shelf, paths in shelves:
            for value in ({"shelf": shelf}, *paths):
                line = json.dumps(value) + "\n"
                digest.update(line.encode())
                stream.write(line)
    name = digest.hexdigest()[:8]
    os.replace(fresh, folder / f"{name}.jsonl")
    return name


def seen(name: str, shelf: str) -> Iterator[str]:
    """The paths the draft of that name saw in `shelf`; none when the list is not (or no longer) here."""
    path = home() / "drafts" / f"{os.path.basename(name)}.jsonl"
    if not name or not path.is_file():
        return
    mine = False
    with open(path, encoding="ascii") as stream:
        for line in stream:
            value = json.loads(line)
            if isinstance(value, dict):
                mine = value.get("shelf") == shelf
            elif mine:
                yield value
