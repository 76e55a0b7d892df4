"""Comparing names and sizes of a shelf's copies with the logbook, one folder listing at a time."""

from collections.abc import Container, Iterable, Iterator, Sequence

from saltcart.judging.judgements import ALTERED, MISSING, UNREADABLE
from saltcart.proving.results import FileProblem
from saltcart.system import os
from saltcart.waybills.shelf import Shelf

MOST_LISTINGS = 64
NO_FILE = -1  # stands for the size of what is none: a folder, a link
Row = tuple[bytes, int]


def troubles(shelf: Shelf, portions: Iterable[Sequence[Row]], written: Container[str]) -> Iterator[FileProblem]:
    """What is wrong with the copies of a shelf, given paths from its top and sizes in the order of the paths.

    Those at the places `written`, which programs write to, may have any size.
    """
    listings = Listings()
    for rows in portions:
        for folder, sizes in by_folder(shelf, rows).items():
            found = listings.of(folder)
            if isinstance(found, str):
                yield from (FileProblem(place_of(folder, name), UNREADABLE, found) for name in sizes)
            elif not sizes.items() <= found.items():
                yield from filter(
                    None,
                    (trouble(place_of(folder, name), size, found.get(name), written) for name, size in sizes.items()),
                )


def by_folder(shelf: Shelf, rows: Iterable[Row]) -> dict[bytes, dict[bytes, int]]:
    """The names and sizes that each folder at the new place should show."""
    folders: dict[bytes, dict[bytes, int]] = {}
    top = os.fsencode(shelf.new) + b"/"
    for path, size in rows:
        place = top + path if path and not shelf.renames else os.fsencode(shelf.place(os.fsdecode(path)))
        folder, _slash, name = place.rpartition(b"/")
        try:
            folders[folder][name] = size
        except KeyError:
            folders[folder] = {name: size}
    return folders


def place_of(folder: bytes, name: bytes) -> str:
    """A path as text."""
    return os.fsdecode(folder + b"/" + name)


def trouble(place: str, size: int, found: int | None, written: Container[str]) -> FileProblem | None:
    """What is wrong with the copy at `place`, which should have so many bytes and was found to have others, if any."""
    if found is None:
        return FileProblem(place, MISSING, "the copy is not there")
    if size in (NO_FILE, found) or place in written:
        return None
    if found == NO_FILE:
        return FileProblem(place, ALTERED, "is no longer a file")
    return FileProblem(place, ALTERED, f"has {found:,} bytes, {size:,} were recorded")


class Listings:
    """The names in folders with the sizes of files, the latest kept, because a shelf goes back and forth between
    few."""

    def __init__(self) -> None:
        self.known: dict[bytes, dict[bytes, int] | str] = {}

    def of(self, folder: bytes) -> dict[bytes, int] | str:
        """What lies in `folder`, or why it cannot be told."""
        if folder not in self.known:
            if len(self.known) >= MOST_LISTINGS:
                self.known.clear()
            self.known[folder] = listed(folder)
        return self.known[folder]


def listed(folder: bytes) -> dict[bytes, int] | str:
    """The names in `folder` with the sizes of files; nothing where there is no folder, a word where it cannot be
    read.
    """
    try:
        with os.scandir(folder) as things:
            return {
                one.name: one.stat(follow_symlinks=False).st_size if one.is_file(follow_symlinks=False) else NO_FILE
                for one in things
            }
    except (FileNotFoundError, NotADirectoryError):
        return {}
    except OSError as error:
        return error.strerror or str(error)
