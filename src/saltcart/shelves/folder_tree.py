"""Sizing a place: one walk, sums per folder, nothing opened.

Kept apart from `walk`, which makes an object of each file: a survey of hundreds of
thousands of files needs only sums, and that is what it can afford.
"""

import os
from collections.abc import Callable
from dataclasses import dataclass, field

from saltcart.progress import Progress, Tick, silent
from saltcart.shelves.audio import KINDS
from saltcart.shelves.walk import Trouble, ignore

ENDINGS = {suffix.removeprefix("."): kind for suffix, kind in KINDS.items()}
MOSTLY = 0.5  # the share of bytes in sounds from which a folder counts as one of sounds
# What people call the folders they keep libraries in; such a folder is no library itself.
KEEPING_PLACES = {"sounds", "samples", "audio", "libraries", "sound libraries", "sample libraries", "instruments", "sound sets", "packs", "loops"}
# Where things land by the way; sounds in there are strays, not shelves.
PASSING_PLACES = {"downloads", "desktop", "trash", ".trash", "tmp", "temp"}


@dataclass(slots=True)
class Heap:
    """Sums over one folder and all below it; sizes in bytes, `newest` in seconds since 1970.

    `direct` sounds, `loose` other files, `links`, `odd` things (pipes, sockets, devices) and
    `skipped` folders lie in the folder itself.
    """

    path: str
    files: int = 0
    bytes: int = 0
    disk_bytes: int = 0
    largest_bytes: int = 0
    audio_files: int = 0
    audio_bytes: int = 0
    newest: int = 0
    direct: int = 0
    kinds: dict[str, int] = field(default_factory=dict)
    loose: list[str] = field(default_factory=list)
    links: list[str] = field(default_factory=list)
    odd: list[str] = field(default_factory=list)
    skipped: list[str] = field(default_factory=list)
    below: list["Heap"] = field(default_factory=list)

    def add(self, other: "Heap") -> None:
        """Take in the sums of a folder below."""
        self.files += other.files
        self.bytes += other.bytes
        self.disk_bytes += other.disk_bytes
        self.largest_bytes = max(self.largest_bytes, other.largest_bytes)
        self.audio_files += other.audio_files
        self.audio_bytes += other.audio_bytes
        self.newest = max(self.newest, other.newest)
        for kind, count in other.kinds.items():
            self.kinds[kind] = self.kinds.get(kind, 0) + count
        self.below.append(other)

    @property
    def mostly_sounds(self) -> bool:
        """Whether at least half of the bytes are sounds."""
        return self.audio_files > 0 and self.audio_bytes >= MOSTLY * self.bytes

    @property
    def audio_share(self) -> float:
        """The share of the bytes that are sounds, from 0 to 1."""
        return self.audio_bytes / self.bytes if self.bytes else 0.0


def pile(top: str, trouble: Trouble = ignore, progress: Progress = silent, skip: Callable[[str], bool] = lambda name: False) -> Heap:
    """The tree of sums of `top`.  Links are not followed; folders whose name `skip` wants are left out."""
    heaps = {top: Heap(top)}
    waiting = [top]
    while waiting:
        folder = waiting.pop()
        try:
            folders = fill(heaps[folder])
        except OSError as error:
            trouble(folder, error)
            continue
        for deeper in folders:
            if skip(os.path.basename(deeper)):
                heaps[folder].skipped.append(deeper)
                continue
            heaps[deeper] = Heap(deeper)
            waiting.append(deeper)
        progress(Tick("survey", folder, len(heaps), 0))
    for path in reversed(heaps):
        if path != top:
            heaps[os.path.dirname(path)].add(heaps[path])
    heaps[top].below.sort(key=lambda heap: heap.path)
    return heaps[top]


def fill(heap: Heap) -> list[str]:
    """Sum up what lies in the folder of `heap` itself; the folders in it."""
    folders = []
    files = total = blocks = largest = audio_total = newest = 0
    kinds, kind_by_ending = heap.kinds, ENDINGS.get
    with os.scandir(heap.path) as entries:
        for entry in entries:  # the one loop that sees every file: no call that can be spared
            if entry.is_file(follow_symlinks=False):
                state = entry.stat(follow_symlinks=False)
                size, moment = state[6], state[8]  # st_size, st_mtime: by place they cost half
                files += 1
                total += size
                blocks += state.st_blocks
                if size > largest:
                    largest = size
                if moment > newest:
                    newest = moment
                ending = entry.name.rpartition(".")[2]
                kind = kind_by_ending(ending) or kind_by_ending(ending.lower())
                if kind:
                    audio_total += size
                    kinds[kind] = kinds.get(kind, 0) + 1
                else:
                    heap.loose.append(entry.name)
            elif entry.is_dir(follow_symlinks=False):
                folders.append(entry.path)
            else:
                (heap.links if entry.is_symlink() else heap.odd).append(entry.name)
    heap.files, heap.bytes, heap.disk_bytes, heap.largest_bytes = files, total, blocks * 512, largest
    heap.audio_files = heap.direct = sum(kinds.values())
    heap.audio_bytes, heap.newest = audio_total, newest
    return folders


def proposed(heap: Heap, top: bool = False) -> list[Heap]:
    """The folders a person would call shelves, at and below `heap`.

    A folder with sounds of its own is one, and so is a library: a folder of folders of sounds.
    Where people keep several of these side by side (the `top` that was asked about, a folder
    called Sounds or the like, one with mostly other things in it) each is looked at for itself.
    """
    if not top and os.path.basename(heap.path).lower() in PASSING_PLACES:
        return []
    within = [shelf for folder in heap.below if folder.audio_files for shelf in proposed(folder)]
    if heap.direct:
        return [heap] if heap.mostly_sounds else [heap, *within]
    mere_step = len(heap.below) == 1 and not heap.loose
    if top or not heap.mostly_sounds or mere_step or os.path.basename(heap.path).lower() in KEEPING_PLACES:
        return within
    return [heap]


def every(heap: Heap) -> list[Heap]:
    """`heap` and all folders below it."""
    found = [heap]
    for folder in found:
        found += folder.below
    return found


def packs(heap: Heap, depth: int) -> list[tuple[int, Heap]]:
    """The folders with sounds below a shelf, the largest first, down to `depth`: (level from 1, folder)."""
    if depth < 1:
        return []
    rows = []
    for folder in sorted(heap.below, key=lambda one: -one.bytes):
        if folder.audio_files:
            rows += [(1, folder), *((level + 1, deeper) for level, deeper in packs(folder, depth - 1))]
    return rows
