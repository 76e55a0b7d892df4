"""What of a shelf the file system of its new drive cannot keep, counted before anything is copied.

Only drives whose rules are known to leave something out are asked about: for those each file is looked at once more.
"""

from collections import Counter
from collections.abc import Iterator, Mapping

from saltcart.drives.limits import ACCESS_LISTS, ATTRIBUTES, FAR_TIMES, FINE_TIMES, HOLES, MODES, OWNERS, Limits
from saltcart.errors import counted
from saltcart.shelves.marks import EARLIEST_NS, LATEST_NS
from saltcart.shelves.walk import FILE, FOLDER, Item
from saltcart.system import here, os
from saltcart.system.contract import ACCESS, ATTRIBUTE
from saltcart.waybills.shelf import Shelf

USUAL_MODES = {FILE: (0o644, 0o664, 0o600, 0o755, 0o777), FOLDER: (0o755, 0o775, 0o700, 0o777)}


def unkept(shelf: Shelf, limits: Limits, far_times: int) -> list[str]:
    """A remark for each kind of thing that is lost.  So many things in the shelf have `far_times`, which no system of
    ours can hold.
    """
    if limits.modes and limits.time_step_ns <= 1:
        return told({FAR_TIMES: far_times} if far_times else {}, shelf)
    counts: Counter[str] = Counter()
    for item in shelf.walk():
        if item.kind in (FILE, FOLDER):
            counts.update(lost_of(os.path.join(shelf.old, item.path) if item.path else shelf.old, item, limits))
    return told(counts, shelf)


def told(counts: Mapping[str, int], shelf: Shelf) -> list[str]:
    """A remark for each kind of thing, with how many lose it."""
    return [
        f"The new drive does not keep {kind}: {counted(count, 'file or folder', 'files or folders')} of {shelf.name}"
        f" lose them"
        for kind, count in sorted(counts.items())
    ]


def is_far(item: Item, limits: Limits) -> bool:
    """Whether the time of a thing lies before or after all that a file system can hold, or that we can."""
    return limits.nearest_time(item.mtime_ns) != item.mtime_ns or item.mtime_ns in (EARLIEST_NS, LATEST_NS)


def lost_of(place: str, item: Item, limits: Limits) -> Iterator[str]:
    """The kinds of things that one file or folder would lose."""
    if is_far(item, limits):
        yield FAR_TIMES
    elif item.mtime_ns % limits.time_step_ns:
        yield FINE_TIMES
    if not limits.holes and item.kind == FILE and item.disk_bytes < item.size:
        yield HOLES
    if limits.modes or not here.keeps_modes():
        return
    if not here.is_mine(os.lstat(place)):
        yield OWNERS
    if item.mode not in USUAL_MODES[item.kind]:
        yield MODES
    yield from ({ACCESS: ACCESS_LISTS, ATTRIBUTE: ATTRIBUTES}[one] for one in here.attributes(place))
