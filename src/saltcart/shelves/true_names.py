"""Paths with each name as its drive writes it, for drives that ignore case or the form of accents.

Which do does not depend only on their kind, because it depends on how they are mounted: a name that its folder
does not list and that is there all the same has been forgiven.
"""

import unicodedata
from collections.abc import Sequence
from functools import cache

from saltcart.system import here, os

LONGEST = 4096  # no system finds a longer path
# File systems that take a name for another as soon as one byte differs; not worth a look.
STRICT = {"ext2", "ext3", "ext4", "xfs", "btrfs", "f2fs", "tmpfs", "ramfs", "overlay", "zfs", "bcachefs", "squashfs"}


def name_key(name: str) -> str:
    """What two names share that differ in case, or in how accents are written."""
    return name.lower() if name.isascii() else unicodedata.normalize("NFC", name).casefold()


class TrueNames:
    """Finds true paths, listing each folder of a forgiving drive once."""

    def __init__(self) -> None:
        self.folders: dict[str, str] = {}
        self.listings: dict[str, frozenset[str]] = {}
        self.forgiving: dict[str, bool] = {}

    def path(self, path: str) -> str:
        """The absolute `path` with each name as its drive writes it, down to where it exists; as it is where a drive is
        strict.
        """
        folder, name = os.path.split(path)
        nowhere = not os.path.isabs(path) or "\0" in path or not name or len(path) > LONGEST
        return path if nowhere else self.joined(self.folder(folder), path, name)

    def folder(self, folder: str) -> str:
        """As `path`, for one that many lie in."""
        if folder not in self.folders:
            self.folders[folder] = folder if len(folder) > LONGEST else self.looked_up(folder)
        return self.folders[folder]

    def looked_up(self, folder: str) -> str:
        """The true path of `folder`, from the top down to where it ends."""
        drive, rest = os.path.splitdrive(folder)
        parts, true = rest.split("/"), f"{drive}/"
        for count in range(2, len(parts) + 1):
            above = drive + "/".join(parts[:count])
            if above not in self.folders:
                found = self.joined(true, above, parts[count - 1])
                if not os.path.isdir(found):
                    return "/".join([found, *parts[count:]])
                self.folders[above] = found
            true = self.folders[above]
        return true

    def joined(self, true: str, path: str, name: str) -> str:
        """The true path of `path`, which is `name` in the folder of which `true` is the true path."""
        as_asked = path if path.startswith(true.rstrip("/") + "/") else os.path.join(true, name)
        if (
            name in ("", ".", "..")
            or not self.forgives(true)
            or name in self.listed(true)
            or not os.path.lexists(as_asked)
        ):
            return as_asked
        # Not by inode numbers: drives that programs serve give another to each form of a name.
        near = [one for one in self.listed(true) if one.casefold() == name.casefold()]
        same = near or [one for one in self.listed(true) if alike(one) == alike(name)]
        return os.path.join(true, same[0]) if len(same) == 1 else as_asked

    def forgives(self, folder: str) -> bool:
        """Whether names in `folder`, or where it would be made, may be found in another form than they are written
        in.
        """
        asked = folder
        while asked not in self.forgiving:
            try:
                self.forgiving[asked] = kinds_by_device().get(os.stat(asked).st_dev) not in STRICT
            except (OSError, ValueError):
                if asked == (outer := os.path.dirname(asked)):  # not even its drive is there
                    self.forgiving[asked] = False
                asked = outer
        self.forgiving[folder] = self.forgiving[asked]
        return self.forgiving[folder]

    def listed(self, folder: str) -> frozenset[str]:
        """The names in `folder`."""
        if folder not in self.listings:
            try:
                self.listings[folder] = frozenset(os.listdir(folder))
            except OSError:
                self.listings[folder] = frozenset()
        return self.listings[folder]


class AnyCase:
    """Finds paths whose writers did not care about the case of letters, listing each folder once."""

    def __init__(self) -> None:
        self.listings: dict[str, dict[str, str]] = {}

    def path(self, path: str) -> str:
        """The full `path` as the drive writes it, when it is there in another case; else as it is."""
        if len(path) > LONGEST or "\0" in path or not os.path.isabs(path) or os.path.lexists(path):
            return path
        place, rest = os.path.splitdrive(path)
        names = rest.split("/")[1:]
        for at, name in enumerate(names):
            if not os.path.lexists(f"{place}/{name}"):
                if (known := self.listing(f"{place}/").get(name.casefold())) is None:
                    return "/".join((place, *names[at:]))  # and nothing below it is there either
                name = known
            place = f"{place}/{name}"
        return place

    def listing(self, folder: str) -> dict[str, str]:
        """The names in `folder` by their small letters; of those that differ in nothing else the first."""
        if folder not in self.listings:
            try:
                names = sorted(os.listdir(folder), reverse=True)
            except OSError:
                names = []
            self.listings[folder] = {one.casefold(): one for one in names}
        return self.listings[folder]


@cache
def kinds_by_device() -> dict[int, str]:
    """The file system of each mounted device by its number."""
    return {mount.device: mount.kind for mount in here.mounts()}


def told_apart(names: Sequence[str], paths: Sequence[str]) -> list[str]:
    """The names of some folders, those that several share with as much of the way to each as tells them apart."""
    labels = list(names)
    for name in {name for name in names if names.count(name) > 1}:
        numbers = [number for number, one in enumerate(names) if one == name]
        ways = {number: os.path.dirname(paths[number]).split("/") for number in numbers}
        for number, way in ways.items():
            others = [other for at, other in ways.items() if at != number]
            depths = range(1, len(way) + 1)
            depth = next((one for one in depths if all(way[-one:] != other[-one:] for other in others)), len(way))
            labels[number] = f"{name} ({'/'.join(way[-depth:])})"
    return labels


def alike(name: str) -> str:
    """A text that all forms of a name share which any drive takes for the same."""
    return unicodedata.normalize("NFD", unicodedata.normalize("NFD", name).casefold())


def true_path(path: str) -> str:
    """The real path, links followed, that a person means who typed `path`."""
    return TrueNames().path(os.path.realpath(os.path.expanduser(path)))


def without_detours(path: str) -> str:
    """A path without steps up: as its folder's drive takes them, where that is there."""
    folder, name = os.path.split(path)
    return os.path.join(os.path.realpath(folder), name) if ".." in path.split("/") else path
