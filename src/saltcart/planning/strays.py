"""Sounds that lie elsewhere and that the ledgers which move name: counted, and taken along when asked for."""

from collections.abc import Iterator, Sequence

from saltcart.drives import drive_of
from saltcart.drives.limits import allowed
from saltcart.judging.judgements import FOUND, LedgerState
from saltcart.planning.chosen_files import names_from
from saltcart.planning.trial_rewrite import DraftedLedger
from saltcart.spelling.moves import tail_below
from saltcart.system import os
from saltcart.waybills.new_place import landing_drive
from saltcart.waybills.shelf import ChosenFiles, CopiedFile, Shelf

GATHERED = "Gathered"


def strays_of(ledgers: Sequence[DraftedLedger], homes: Sequence[str]) -> dict[str, int]:
    """The files, with their sizes in bytes, that ledgers which travel name, and that lie in none of the `homes`."""
    found: dict[str, int] = {}
    for one in ledgers:
        for path in files_named(one.state) if one.travels else ():
            real = os.path.realpath(path)
            if real not in found and os.path.isfile(real) and all(tail_below(real, home) is None for home in homes):
                found[real] = os.path.getsize(real)
    return found


def files_named(state: LedgerState) -> Iterator[str]:
    """The paths of the files that a ledger names and that are there."""
    for part in state.judged:
        if part.batch.texts and part.batch.entry(0).names == "file":
            yield from (resolved for resolved, verdict, _why in part.all() if verdict == FOUND)


def taken_along(
    paths: Sequence[str], first: Shelf, known: Sequence[Shelf], set_aside: bool, top: str = ""
) -> list[Shelf]:
    """Strays as parts of a trip whose first shelf is `first`: each a copy whose original stays, or, to be `set_aside`,
    the chosen files of each folder.  Each folder of strays gets one of its name in the new place, or in the `top`.
    """
    taken = {shelf.new.casefold() for shelf in known} | {os.path.dirname(shelf.new).casefold() for shelf in known}
    folders: dict[str, str] = {}
    for folder in dict.fromkeys(map(os.path.dirname, paths)):
        name = allowed(os.path.basename(folder) or "top", landing_drive(first.new).limits).name
        wanted = os.path.join(top or first.new, GATHERED, name)
        folders[folder] = place = next(one for one in numbered(wanted) if one.casefold() not in taken)
        taken.add(place.casefold())
    if not set_aside:
        return [
            copied_along(path, f"{folders[os.path.dirname(path)]}/{os.path.basename(path)}", first.new_drive)
            for path in paths
        ]
    groups = {folder: [path for path in paths if os.path.dirname(path) == folder] for folder in folders}
    return [
        ChosenFiles(
            f"{len(group)} more from {os.path.basename(folder)}",
            folder,
            folders[folder],
            drive_of(folder).identity,
            first.new_drive,
            leave=first.leave,
            only=names_from(folder, group),
        )
        for folder, group in groups.items()
    ]


def copied_along(path: str, new: str, drive: str) -> Shelf:
    """A single file from elsewhere as a part of a trip: a copy comes to the path `new`, on that drive, or to a name
    like it that the drive can hold.
    """
    folder, name = os.path.split(new)
    new = os.path.join(folder, allowed(name, landing_drive(folder).limits).name)
    return CopiedFile(os.path.basename(path), path, new, drive_of(path).identity, drive)


def numbered(path: str) -> Iterator[str]:
    """`path`, then the same with numbers."""
    yield path
    number = 1
    while True:
        number += 1
        yield f"{path} ({number})"
