"""The deeds that set a shelf's originals aside and leave its signpost."""

from collections.abc import Iterator

from saltcart.shelves.walk import FOLDER, Item, walk
from saltcart.switching.deed_kinds import Rename
from saltcart.switching.deeds import Deed
from saltcart.switching.deeds_on_places import Link, Make
from saltcart.system import os
from saltcart.waybills.patterns import matches
from saltcart.waybills.shelf import ChosenFiles, Shelf


def aside_deeds(shelf: Shelf, old: str, aside: str, path: str) -> list[Deed]:
    """The deeds that set aside what lies at `path`, from the shelf's top, and leave its signpost.

    Where something in it stays, or files were chosen one by one, the folder stays too, and what travels is set aside
    piece by piece.
    """
    if shelf.original_stays:
        return []
    place, hidden = (os.path.join(top, path) if path else top for top in (old, aside))
    if not shelf.divided or (not isinstance(shelf, ChosenFiles) and whole(shelf, place, path)):
        signpost = [Link(place, shelf.place(path))] if shelf.leave == "signpost" else []
        return [Rename(place, hidden), *signpost]
    # By names, since the order of a folder is no order: the same plan whenever it is made.
    deeds: list[Deed] = [Make(hidden, place)]
    for name in sorted(os.listdir(place)):
        inner = f"{path}/{name}" if path else name
        if os.path.isdir(os.path.join(place, name)) and not os.path.islink(os.path.join(place, name)):
            deeds += (
                aside_deeds(shelf, old, aside, inner)
                if shelf.takes(inner) or any(shelf.sift(below(place, inner)))
                else []
            )
        elif shelf.takes(inner):
            deeds.append(Rename(os.path.join(place, name), os.path.join(hidden, name)))
            deeds += [Link(os.path.join(place, name), shelf.place(inner))] if shelf.leave == "signpost" else []
    return deeds


def below(place: str, inner: str) -> Iterator[Item]:
    """The things in the folder `inner` of a shelf, by their paths from the shelf's top; `place` holds the folder."""
    for item in walk(os.path.join(place, os.path.basename(inner))):
        if item.path:
            yield item._replace(path=f"{inner}/{item.path}")


def whole(shelf: Shelf, place: str, path: str) -> bool:
    """Whether all that lies in the folder at `place`, which is `path` in the shelf, travels."""
    lead = path + "/" if path else ""
    return all(item.kind == FOLDER or shelf.takes(lead + item.path) for item in walk(place)) and not matches(
        path, shelf.stay
    )
