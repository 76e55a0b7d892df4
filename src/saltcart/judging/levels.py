"""Folders that a ledger names one or two levels too high or too low for what starts from them."""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from saltcart.judging.judgements import FOUND, MISSING, LedgerState
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.base import Entry
from saltcart.shelves.audio import kind_of
from saltcart.shelves.walk import FILE, walk
from saltcart.spelling import Spelling
from saltcart.system import os

SAMPLE, MOST_FOLDERS = 50, 300


class WrongLevel(NamedTuple):
    """A folder named in a ledger, the one that it should be, and how many missing entries, of any ledger, show it."""

    ledger: str
    folder: str
    better: str
    entries: int


def wrong_levels(state: LedgerState, resolver: Resolver) -> list[WrongLevel]:
    """The folders of a judged ledger from which nothing of what is missing is found, though all of it lies above or
    below; some entries of each are looked for.
    """
    groups, lists = missing_by_folder(state, resolver)
    found = []
    for folder, entries in groups.items():
        for other in near(folder):
            paths = (resolver.path(spelling, text, other) for spelling, text in entries[:SAMPLE])
            right = all(path and os.path.isfile(path) for path in paths)
            if right and not (folder in lists and shows_less(other, folder)):  # a list is looked through, too
                found.append(WrongLevel(lists.get(folder, state.path), folder, other, len(entries)))
                break
    return found


def missing_by_folder(
    state: LedgerState, resolver: Resolver
) -> tuple[dict[str, list[tuple[Spelling, str]]], dict[str, str]]:
    """Spelling and text of the missing entries of a judged ledger, by the folder that they start from; none of folders
    from which anything is found.  And of the folders that another ledger lists, which one it is.
    """
    home, groups = os.path.dirname(state.path), dict[str, list[tuple[Spelling, str]]]()
    lists: dict[str, str] = {}
    relative = (part for part in state.judged if part.batch.base or not part.batch.sure)
    for one in (one for part in relative for one in part.judgements(plain=False)):
        if one.verdict == MISSING:
            for listed in one.entry.tried:
                lists[resolver.start_at(listed, home)] = listed.where.ledger
            for folder in {resolver.start_at(base, home) for base in bases_of(one.entry)}:
                groups.setdefault(folder, []).append((one.entry.spelling, one.entry.written))
    for part in state.judged if groups else ():
        if part.counts()[FOUND]:
            for base in bases_of(part.batch.entry(0)):
                groups.pop(resolver.start_at(base, home), None)
    return groups, lists


def bases_of(entry: Entry) -> Sequence[Entry]:
    """The folders that an entry may start from."""
    return entry.tried or ((entry.base,) if entry.base else ())


def shows_less(folder: str, other: str) -> bool:
    """Whether a program that looks through the one folder sees fewer sounds than through the other."""
    return sounds_in(folder) < sounds_in(other)


def sounds_in(folder: str) -> int:
    """How many sounds lie in a folder, at any depth."""
    return sum(item.kind == FILE and kind_of(item.path) is not None for item in walk(folder))


def near(folder: str) -> Iterator[str]:
    """The folders one and two levels above and below a folder."""
    above = os.path.dirname(folder)
    yield from (one for one in (above, os.path.dirname(above)) if one != folder)
    below = subfolders(folder)
    yield from below
    for one in below:
        yield from subfolders(one)


def subfolders(folder: str) -> list[str]:
    """The folders in a folder, up to some number; none when it cannot be read."""
    try:
        with os.scandir(folder) as entries:
            return sorted(entry.path for entry in entries if entry.is_dir())[:MOST_FOLDERS]
    except OSError:
        return []
