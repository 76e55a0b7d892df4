"""What values are tried against: what is really on the disk, and which of it lies in the shelves."""

from collections.abc import Iterable, Iterator, Sequence

from msgspec import Struct, field

from saltcart.judging.resolver import Resolver
from saltcart.spelling import encodable, spelling_named
from saltcart.spelling.moves import lies_in, plain, tail_below
from saltcart.system import here, os


class Past(Struct, frozen=True):
    """What was on the disk before things went astray.

    What lies at the second place of each of the `mirrors` lay at the first.  The files that were there `once` are
    nowhere now; `sizes` are those of all sounds that are there.
    """

    mirrors: Sequence[tuple[str, str]] = ()
    once: frozenset[str] = frozenset()
    sizes: frozenset[int] = frozenset()


NO_PAST = Past()


class Disk(Struct):
    """What was asked of the disk so far, the shelves, and what paths of other systems mean; with the past, in which
    something was that is elsewhere now.
    """

    shelves: list[str]
    resolver: Resolver
    means: Sequence[str] = ()
    past: Past = NO_PAST
    folders_once: frozenset[str] = frozenset()
    tops: frozenset[str] = frozenset()  # the shelves without detours
    seen: dict[str, str | None] = field(default_factory=dict)
    real: dict[str, str] = field(default_factory=dict)

    def kind(self, path: str) -> str | None:
        """Whether `path` is there: file, folder, or None."""
        if path not in self.seen:
            self.seen[path] = kind_at(self.now(path)) or self.kind_once(path)
        return self.seen[path]

    def kind_once(self, path: str) -> str | None:
        """What was at a path once."""
        if path in self.past.once:
            return "file"
        if self.past.once and not self.folders_once:
            self.folders_once = folders_above(self.past.once)
        return "folder" if path in self.folders_once else None

    def now(self, path: str) -> str:
        """Where what a path means lies now: there, or where a mirror shows it."""
        return next(filter(os.path.exists, (path, *self.mirrored(path))), path)

    def mirrored(self, path: str) -> Iterator[str]:
        """Where what lay at a path, or above what is mirrored, lies now."""
        for old, new in self.past.mirrors:
            if (tail := tail_below(path, old)) is not None:
                yield os.path.join(new, tail)
            elif tail_below(old, path) is not None:
                yield new

    def in_shelves(self, path: str) -> bool:
        """Whether `path` lies in one of the shelves."""
        folder, name = os.path.split(path)
        place = os.path.join(self.real_folder(folder), name)
        self.tops = self.tops or frozenset(map(plain, self.shelves))
        return name != ".." and lies_in(plain(place), self.tops)

    def leads_on(self, folder: str) -> bool:
        """Whether a shelf lies in `folder`, or it in a shelf; the top of all is no place to start from."""
        real = self.real_folder(folder)
        return real not in here.ROOTS and any(
            tail_below(shelf, real) is not None or tail_below(real, shelf) is not None for shelf in self.shelves
        )

    def real_folder(self, folder: str) -> str:
        """A folder without links, asked once."""
        if folder not in self.real:
            self.real[folder] = self.resolver.true.path(os.path.realpath(folder))
        return self.real[folder]


def folders_above(paths: Iterable[str]) -> frozenset[str]:
    """All folders that lead to some paths."""
    found: set[str] = set()
    for path in paths:
        while (path := path.rpartition("/")[0]) and path not in found:
            found.add(path)
    return frozenset(found)


def kind_at(path: str) -> str | None:
    """What is at a path: file, folder, or None."""
    return "folder" if os.path.isdir(path) else "file" if os.path.isfile(path) else None


class Ground(Struct):
    """The disk as the values of a file see it that lies in `folder`."""

    folder: str
    disk: Disk
    top: str = ""

    def resolve(self, spelling: str, text: str, base: str | None = None) -> str | None:
        """The path that `text` means in that spelling, if something is there."""
        if not nameable(text):
            return None
        form = spelling_named(spelling)
        start = base or (self.drive() if form.start == "drive" else self.folder)
        read = form.read(text, start)
        if read is None:
            return None
        path = self.disk.resolver.meanings.here(read)
        path = self.disk.resolver.any_case.path(path) if form.folds_case else path
        return path if self.disk.kind(path) and os.path.normpath(path) != os.path.normpath(start) else None

    def drive(self) -> str:
        """The top of the drive the file lies on."""
        from saltcart.drives.drive import mount_of

        self.top = self.top or mount_of(self.folder)
        return self.top

    def folder_value(self, text: str) -> str | None:
        """The folder that a value names, if it does, and paths into the shelves may start from there."""
        paths = (self.resolve(spelling, text) for spelling in ("native", "uri", "windows"))
        return next((one for one in paths if one and self.disk.kind(one) == "folder" and self.disk.leads_on(one)), None)


def nameable(text: str) -> bool:
    """Whether a text could be a file's name at all: what is no path may hold anything."""
    return "\0" not in text and encodable(text)
