"""What this computer itself has written about collections: rows of `carried.toml` are believed only if they are ours.

A stick comes back from somebody else, and whatever is on it may have been edited.  So a digest of each row about what a
place in a collection is here is kept among our own data, before the row is written.  Any other row is a proposal.
"""

import hashlib
import os
from collections.abc import Iterable
from contextlib import suppress

from msgspec.structs import astuple

from saltcart.home import home, made_home
from saltcart.safefile import PRIVATE_FILE, sync_folder
from saltcart.shelves.true_names import true_path
from saltcart.spelling.moves import tail_below
from saltcart.waybills.collection import Known

NAME = "agreements"
# Folders from which systems or shells start what lies in them.
START_UP = {"autostart", "startup", "launchagents", "launchdaemons", "bin", "sbin"}


def mark_of_row(row: Known) -> str:
    """What stands for a row."""
    return hashlib.sha256("\0".join(astuple(row)).encode("utf-8", "surrogateescape")).hexdigest()


def note(rows: Iterable[Known]) -> None:
    """Record rows as our own; each once.  Flushed before this returns."""
    fresh = {mark_of_row(row) for row in rows} - noted()
    if not fresh:
        return
    path = os.path.join(made_home(), NAME)
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_APPEND, PRIVATE_FILE)
    with open(handle, "w", encoding="ascii") as stream:
        stream.write("".join(f"{one}\n" for one in sorted(fresh)))
        stream.flush()
        os.fsync(stream.fileno())
    sync_folder(os.path.dirname(path))


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
