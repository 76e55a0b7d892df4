"""What this computer itself has written about collections: rows of `carried.toml` are believed only if they are ours.

A stick comes back from somebody else, and whatever is on it may have been edited.  So a digest of each row about what a
place in a collection is here is kept among our own data, before the row is written.  Any other row is a proposal.
"""

import hashlib
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress

from msgspec.structs import astuple

from saltcart.errors import Stopped, show
from saltcart.home import home, made_home
from saltcart.safefile import PRIVATE_FILE, replacing
from saltcart.shelves.true_names import true_path
from saltcart.spelling.moves import tail_below
from saltcart.system import os
from saltcart.trips.locks import Locked, locked
from saltcart.waybills.collection import Known

NAME = "agreements"
TURNS, MOMENT = 100, 0.05  # how often a lock is tried, and seconds between
# Folders from which systems or shells start what lies in them.
START_UP = {"autostart", "startup", "launchagents", "launchdaemons", "bin", "sbin"}


def mark_of_row(row: Known) -> str:
    """What stands for a row."""
    return hashlib.sha256("\0".join(astuple(row)).encode("utf-8", "surrogateescape")).hexdigest()


def note(rows: Iterable[Known]) -> None:
    """Record rows as our own; each once.  Flushed before this returns: all that were known are there after a crash."""
    fresh = {mark_of_row(row) for row in rows}
    if fresh <= noted():
        return
    path = os.path.join(made_home(), NAME)
    with (
        waited_for(f"{path}.lock"),
        replacing(path, PRIVATE_FILE) as neighbour,
        open(neighbour, "w", encoding="ascii") as stream,
    ):
        stream.writelines(f"{one}\n" for one in sorted(fresh | noted()))


@contextmanager
def waited_for(path: str) -> Iterator[None]:
    """Hold a lock for a moment; another command of ours may hold it for one.  Stopped when that takes too long."""
    for _turn in range(TURNS):
        with suppress(Locked), locked(path):
            yield
            return
        time.sleep(MOMENT)
    raise Stopped(f"Another saltcart holds {show(path)}", "Wait until it has ended, and run the same command again.")


def noted() -> set[str]:
    """What stands for each row that is our own."""
    with suppress(FileNotFoundError), open(home() / NAME, encoding="ascii") as stream:
        return set(stream.read().split())
    return set()


def may_be_proposed(path: str) -> bool:
    """Whether a place that a collection proposes here may be taken over when the person has seen it: below the home
    folder, nothing hidden on the way, no folder from which things are started, and through no link.
    """
    tail = tail_below(path, true_path(os.path.expanduser("~")))
    parts = tail.split("/") if tail else []
    hidden = any(part.startswith(".") or part.casefold() in START_UP for part in parts)
    return bool(parts) and not hidden and true_path(path) == path
