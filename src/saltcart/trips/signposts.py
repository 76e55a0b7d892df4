"""Signposts that earlier trips left: no link may come to lead to a link.

When the shelf they lead to moves on, they are turned; when it moves back to where one is, that makes room.
"""

from saltcart.safefile import sync_folder
from saltcart.system import os
from saltcart.trips import history
from saltcart.trips.facts import ShelfFact
from saltcart.trips.trip import Trip
from saltcart.waybills.new_place import landing_drive


def leading_to(place: str) -> list[str]:
    """The signposts of earlier trips that exist and lead to the shelf at `place`."""
    posts = []
    for trip in history.readable():
        posts += [shelf.old for shelf in trip.waybill.shelves if shelf.leave == "signpost" and shelf.new == place]
    return [post for post in dict.fromkeys(posts) if os.path.islink(post) and os.readlink(post) == place]


def leads_home(place: str, shelf: str) -> bool:
    """Whether at `place` is a signpost that leads to the very `shelf` that shall come there."""
    return os.path.islink(place) and os.path.realpath(place) == shelf


def make_room(trip: Trip) -> None:
    """Take the signposts away that are where shelves of the trip shall come, and note them."""
    for one in trip.shelves:
        shelf = one.shelf
        if leads_home(shelf.new, shelf.old):
            one.record(ShelfFact.SIGNPOST, os.readlink(shelf.new))
            trip.logbook.tell(f"the signpost at {shelf.new} makes room")
            os.unlink(shelf.new)
            sync_folder(os.path.dirname(shelf.new))


def put_back(trip: Trip) -> None:
    """Set signposts up again that made room for shelves which did not come after all."""
    for one in trip.shelves:
        shelf, target = one.shelf, one.fact(ShelfFact.SIGNPOST)
        there = (
            target and landing_drive(shelf.new).identity == shelf.new_drive
        )  # an unplugged drive leaves an ordinary folder
        if there and not os.path.lexists(shelf.new) and os.path.isdir(shelf.old):
            os.symlink(target, shelf.new)
            sync_folder(os.path.dirname(shelf.new))
