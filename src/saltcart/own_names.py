"""The names of our own files and folders beside those of a person: how each is made, and how it is recognised."""

import hashlib
import re

from saltcart.system import os

LONG_NAME = 200  # bytes; file systems hold 255
IN_USE = ".saltcart-in-use"
NEW = "new"

SET_ASIDE = re.compile(r"\.set-aside-([a-z0-9]{4})$")
PART = re.compile(r"\.saltcart-[0-9a-f]{12}\.part")
# New content of a ledger that waits beside it for its switch, or for that of an undo; and what SQLite adds to it.
STAGED = re.compile(r"(?:^|/)\.[^/]+\.saltcart-(?P<trip>[a-z0-9]{4})(?:-undo|-old)?(?:-journal|-wal|-shm)?$")
STAGED_IN_PLACE = re.compile(r"(?:^|/)\.saltcart-(?P<trip>[a-z0-9]{4})-\d+$")
NEIGHBOUR = re.compile(r"(?:^|/)\.[^/]+\.saltcart-new$")


def short_name(text: str, length: int = 8) -> str:
    """A few stable letters that stand for `text`, for names of files of ours."""
    return hashlib.sha256(text.encode("utf-8", "surrogateescape")).hexdigest()[:length]


def beside(path: str, ending: str) -> str:
    """The path of a hidden file of ours that stands for the file at `path` beside it; never too long."""
    folder, name = os.path.split(path)
    return os.path.join(
        folder, f".{name if len(os.fsencode(name)) < LONG_NAME else short_name(name)}.saltcart-{ending}"
    )


def neighbour_of(path: str) -> str:
    """What is written before it becomes the file `path`; a power cut may leave it."""
    return beside(path, NEW)


def staged_for(path: str, trip: str) -> str:
    """The new content of the ledger at `path`, until trip `trip` switches."""
    return beside(path, trip)


def staged_for_undo(path: str, trip: str) -> str:
    """The same until trip `trip` is undone: not the same name, because a half-done switch may have left its file
    there."""
    return beside(path, f"{trip}-undo")


def superseded(path: str, trip: str) -> str:
    """What the file at `path` was before trip `trip` brought a newer one, until its switch is done."""
    return beside(path, f"{trip}-old")


def staged_in_place(folder: str, trip: str, number: int) -> str:
    """The new content of ledger `number` of a trip in a folder that is not renamed, unlike the ledger's own."""
    return os.path.join(folder, f".saltcart-{trip}-{number}")


def part_of(path: str) -> str:
    """What is written before it becomes the copy `path`, which may be a bare name."""
    folder, slash, name = path.rpartition("/")
    return f"{folder}{slash}.saltcart-{short_name(name, 12)}.part"


def set_aside_name(name: str, trip: str) -> str:
    """The name under which trip `trip` sets aside the originals of a shelf called `name`."""
    return f".{name}.set-aside-{trip}"


def trip_of(name: str) -> str | None:
    """The id of the trip for which a hidden file of that name waits; None for other files."""
    found = STAGED.search(name) or STAGED_IN_PLACE.search(name)
    return found["trip"] if found and not NEIGHBOUR.search(name) else None
