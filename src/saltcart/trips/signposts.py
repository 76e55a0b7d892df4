"""Signposts that earlier trips left: when the shelf they lead to moves on, they are turned, so that no link leads to a link."""

import os

from saltcart.errors import SaltCartError
from saltcart.trips import trip as trips


def leading_to(place: str) -> list[str]:
    """The signposts of earlier trips that stand and lead to the shelf at `place`."""
    posts = []
    for name in trips.names():
        try:
            with trips.opened(name) as trip:
                posts += [shelf.old for shelf in trip.waybill.shelves if shelf.leave == "signpost" and shelf.new == place]
        except SaltCartError:
            continue  # a trip whose record is broken is no reason not to move
    return [post for post in dict.fromkeys(posts) if os.path.islink(post) and os.readlink(post) == place]
