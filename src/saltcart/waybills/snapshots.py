"""Lists of what a draft saw in each shelf, kept so that the haul can tell what has changed since.

A kept list is a text of JSON values, one a line: an object that names a shelf, then the paths in it.
"""

import hashlib
import json
from collections.abc import Iterable, Iterator
from functools import lru_cache
from itertools import takewhile

from saltcart.home import home, made_home
from saltcart.system import os

SHELF = b"{"  # begins the line that names a shelf


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
    with open(path, "rb") as stream:
        for start in beginnings(str(path)).get(shelf, ()):
            stream.seek(start)
            yield from map(json.loads, takewhile(lambda line: not line.startswith(SHELF), stream))


@lru_cache(maxsize=1)
def beginnings(path: str) -> dict[str, list[int]]:
    """Where in a kept list, which never changes under its name, the paths in each shelf begin: bytes."""
    found: dict[str, list[int]] = {}
    at = 0
    with open(path, "rb") as stream:
        for line in stream:
            at += len(line)
            if line.startswith(SHELF):
                found.setdefault(json.loads(line).get("shelf"), []).append(at)
    return found
