"""Sizing a place: one walk, sums per folder, nothing opened.

Kept apart from `walk`, which makes an object of each file: a survey of hundreds of
thousands of files needs only sums, and that is what it can afford.
"""

from collections.abc import Callable

from msgspec import Struct, field

from saltcart.progress import Progress, Tick, silent
from saltcart.shelves.audio import KINDS, MATERIAL
from saltcart.shelves.walk import Trouble, ignore
from saltcart.system import here, os

ENDINGS = {suffix.removeprefix("."): kind for suffix, kind in (KINDS | MATERIAL).items()}
MOSTLY = 0.5  # the share of bytes in sounds from which a folder counts as one of sounds
# What people call the folders they keep libraries in; such a folder is no library itself.
KEEPING_PLACES = {
    "sounds",
    "samples",
    "audio",
    "libraries",
    "sound libraries",
    "sample libraries",
    "instruments",
    "sound sets",
    "packs",
    "loops",
}
# Where things land by the way; sounds in there are strays, not shelves.
PASSING_PLACES = {"downloads", "desktop", "trash", ".trash", "tmp", "temp"}


class FolderTree(Struct):
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
    below: list["FolderTree"] = field(default_factory=list)

    def add(self, other: "FolderTree") -> None:
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


def read_tree(
    top: str, trouble: Trouble = ignore, progress: Progress = silent, skip: Callable[[str], bool] = lambda name: False
) -> FolderTree:
    """The tree of sums of `top`.  Links are not followed; folders whose name `skip` wants are left out."""
    trees = {top: FolderTree(top)}
    waiting = [top]
    while waiting:
        folder = waiting.pop()
        try:
            folders = fill(trees[folder])
        except OSError as error:
            trouble(folder, error)
            continue
        for deeper in folders:
            if skip(os.path.basename(deeper)):
                trees[folder].skipped.append(deeper)
                continue
            trees[deeper] = FolderTree(deeper)
            waiting.append(deeper)
        progress(Tick("survey", folder, len(trees), 0))
    for path in reversed(trees):
        if path != top:
            trees[os.path.dirname(path)].add(trees[path])
    trees[top].below.sort(key=lambda tree: tree.path)
    return trees[top]


def fill(tree: FolderTree) -> list[str]:
    """Sum up what lies in the folder of `tree` itself; the folders in it."""
    folders = []
    files = total = room = largest = audio_total = newest = 0
    kinds, kind_by_ending, disk_bytes = tree.kinds, ENDINGS.get, here.disk_bytes
    with os.scandir(tree.path) as entries:
        for entry in entries:  # the one loop that sees every file: no call that can be spared
            if entry.is_file(follow_symlinks=False):
                state = entry.stat(follow_symlinks=False)
                size, moment = state[6], int(state[8])  # st_size, st_mtime: by place they cost half
                files += 1
                total += size
                room += disk_bytes(state)
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
                    tree.loose.append(entry.name)
            elif entry.is_dir(follow_symlinks=False):
                folders.append(entry.path)
            else:
                (tree.links if entry.is_symlink() else tree.odd).append(entry.name)
    tree.files, tree.bytes, tree.disk_bytes, tree.largest_bytes = files, total, room, largest
    tree.audio_files = tree.direct = sum(kinds.values())
    tree.audio_bytes, tree.newest = audio_total, newest
    return folders


def proposed_shelves(tree: FolderTree, top: bool = False) -> list[FolderTree]:
    """The folders a person would call shelves, at and below `tree`.

    A folder that contains sounds is one, and so is a library: a folder of folders of sounds.
    Where people keep several of these side by side (the `top` that was asked about, a folder
    called Sounds or the like, one with mostly other things in it) each is looked at for itself.
    """
    if not top and os.path.basename(tree.path).lower() in PASSING_PLACES:
        return []
    within = [shelf for folder in tree.below if folder.audio_files for shelf in proposed_shelves(folder)]
    if tree.direct:
        return [tree] if tree.mostly_sounds else [tree, *within]
    mere_step = len(tree.below) == 1 and not tree.loose
    if top or not tree.mostly_sounds or mere_step or os.path.basename(tree.path).lower() in KEEPING_PLACES:
        return within
    return [tree]


def all_folders(tree: FolderTree) -> list[FolderTree]:
    """`tree` and all folders below it."""
    found = [tree]
    for folder in found:
        found += folder.below
    return found


def packs(tree: FolderTree, depth: int) -> list[tuple[int, FolderTree]]:
    """The folders with sounds below a shelf, the largest first, down to `depth`: (level from 1, folder)."""
    if depth < 1:
        return []
    rows = []
    for folder in sorted(tree.below, key=lambda one: -one.bytes):
        if folder.audio_files:
            rows += [(1, folder), *((level + 1, deeper) for level, deeper in packs(folder, depth - 1))]
    return rows
