"""What of a shelf the file system of its new drive cannot keep, counted before anything is copied.

Only drives whose rules are known to leave something out are asked about: for those each file is looked at once more.
"""

import os
from collections import Counter
from collections.abc import Iterator

from saltcart.drives.limits import ACCESS_LISTS, ATTRIBUTES, FINE_TIMES, MODES, OWNERS, Limits
from saltcart.shelves.walk import FILE, FOLDER, Item
from saltcart.waybills.waybill import Shelf

USUAL_MODES = {FILE: (0o644, 0o664, 0o600, 0o755, 0o777), FOLDER: (0o755, 0o775, 0o700, 0o777)}


def unkept(shelf: Shelf, limits: Limits) -> list[str]:
    """A remark for each kind of thing that is lost."""
    if limits.modes and limits.time_step_ns <= 1:
        return []
    counts: Counter[str] = Counter()
    for item in shelf.walk():
        if item.kind in (FILE, FOLDER):
            counts.update(lost_of(os.path.join(shelf.old, item.path) if item.path else shelf.old, item, limits))
    return [
        f"The new drive does not keep {kind}: {count:,} file(s) or folder(s) of {shelf.name} lose them"
        for kind, count in sorted(counts.items())
    ]


def lost_of(place: str, item: Item, limits: Limits) -> Iterator[str]:
    """The kinds of things that one file or folder would lose."""
    if item.mtime_ns % limits.time_step_ns:
        yield FINE_TIMES
    if limits.modes:
        return
    state = os.lstat(place)
    if state.st_uid != os.geteuid():
        yield OWNERS
    if item.mode not in USUAL_MODES[item.kind]:
        yield MODES
    try:
        names = os.listxattr(place, follow_symlinks=False)
    except OSError:
        return
    yield from {ACCESS_LISTS if name.startswith("system.posix_acl") else ATTRIBUTES for name in names}
