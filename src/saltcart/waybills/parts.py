"""What became of the folders of a shelf of which a part stays."""

from contextlib import suppress

from saltcart.system import os
from saltcart.waybills.shelf import AnyShelf

MOST_TOPS = 100  # folders that are searched for by their own names where their shelf is divided


def taken(shelf: AnyShelf, path: str) -> bool:
    """Whether what lies at `path` from the top of a shelf is taken along, or is a folder."""
    return not path or shelf.takes(path) or os.path.isdir(f"{shelf.old}/{path}")


def divided(shelf: AnyShelf) -> tuple[list[str], list[str]]:
    """Of a shelf of which a part stays, when it lies at its new place: folders that something has left, and those at
    the new place which never came there.
    """
    left: list[str] = []
    vain: list[str] = []
    waiting = [""] if shelf.stay or shelf.only else []
    while waiting and len(left) + len(vain) < MOST_TOPS:
        inner = waiting.pop()
        went, stayed = folders_in(shelf.place(inner)), folders_in(f"{shelf.old}/{inner}".rstrip("/"))
        gone = {shelf.home(f"{inner}/{name}".lstrip("/")) for name in went}
        for path in sorted(gone | {f"{inner}/{name}".lstrip("/") for name in stayed}):
            old, new = f"{shelf.old}/{path}", shelf.place(path)
            if os.path.isdir(old) and os.path.isdir(new) and not os.path.islink(old):
                waiting.append(path)
            (left if os.path.isdir(new) else vain).append(old if os.path.isdir(new) else new)
    return left, vain


def folders_in(place: str) -> list[str]:
    """The names of the folders in a place; none when it is not there."""
    with suppress(OSError), os.scandir(place) as entries:
        return [entry.name for entry in entries if entry.is_dir(follow_symlinks=False)]
    return []
