"""What programs see through the folders that they list: a folder that stays shows less when something in it moves."""

from collections.abc import Iterable, Iterator, Sequence

from msgspec import Struct

from saltcart.judging.resolver import Resolver
from saltcart.ledgers.base import Ledger
from saltcart.rewriting.content_folders import listed
from saltcart.shelves.audio import kind_of
from saltcart.shelves.walk import FILE, walk
from saltcart.spelling.moves import tail_below
from saltcart.system import os
from saltcart.waybills.shelf import ChosenFiles, Shelf


class View(Struct, frozen=True):
    """A folder that some program looks through: how many sounds it shows `before` the trip, and `after` it."""

    folder: str
    before: int
    after: int


def leaving(shelves: Iterable[Shelf]) -> list[Shelf]:
    """The shelves of which nothing is left at the old place that would still be seen there."""
    return [shelf for shelf in shelves if shelf.leave == "nothing" and not shelf.original_stays]


def narrowed(folders: Sequence[str], shelves: Iterable[Shelf]) -> list[str]:
    """Of the `folders` that a program looks through, those that will show less: what moves out of them comes to lie in
    none of them.
    """
    real = [os.path.realpath(folder) for folder in folders]
    return [
        folder
        for folder, place in zip(folders, real, strict=True)
        if any(takes_from(place, shelf) and not shown(shelf.new, real) for shelf in leaving(shelves))
    ]


def takes_from(folder: str, shelf: Shelf) -> bool:
    """Whether something of a shelf lies in a folder that stays when it moves."""
    if isinstance(shelf, ChosenFiles):
        return any(tail_below(f"{shelf.old}/{name}", folder) for name in shelf.names())
    return bool(tail_below(shelf.old, folder))


def shown(place: str, folders: Iterable[str]) -> bool:
    """Whether a place lies in one of the folders."""
    return any(tail_below(place, folder) is not None for folder in folders)


def narrowed_lists(ledger: Ledger, shelves: Sequence[Shelf], resolver: Resolver) -> list[str]:
    """The folders that a ledger lists and that will show less."""
    return narrowed([folder for _entry, folder in listed(ledger, resolver)], shelves) if leaving(shelves) else []


def views(folders: Iterable[str], shelves: Iterable[Shelf]) -> list[View]:
    """What those folders show, before and after."""
    return [view_of(folder, leaving(shelves)) for folder in folders]


def view_of(folder: str, shelves: Sequence[Shelf]) -> View:
    """What one folder shows; of what cannot be read, nothing is seen before and after."""
    place = os.path.realpath(folder)
    sounds = list(sounds_in(place))
    return View(folder, len(sounds), sum(not any(goes(path, shelf) for shelf in shelves) for path in sounds))


def sounds_in(folder: str) -> Iterator[str]:
    """The sounds in a folder."""
    return (f"{folder}/{item.path}" for item in walk(folder) if item.kind == FILE and kind_of(item.path))


def goes(path: str, shelf: Shelf) -> bool:
    """Whether a file is one of those that move with a shelf."""
    tail = tail_below(path, shelf.old)
    return bool(tail) and shelf.takes(tail or "")
