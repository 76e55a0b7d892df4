"""A carry, or what was given back to a collection, that was interrupted near its end."""

import argparse

from saltcart.carrying.carry import unfinished
from saltcart.carrying.record import finish
from saltcart.cli.screen import Screen, place
from saltcart.switching.repoint import repoint


def finish_half_carried(screen: Screen, top: str, options: argparse.Namespace) -> None:
    """Finish the trip to that folder whose ledgers had begun to switch: until then the collection is neither what it
    was nor what it shall be.
    """
    with screen.watch() as watch:
        if name := unfinished(top):
            repoint(name, wait=options.wait, progress=watch)
            finish(name)
            screen.say(f"Trip {name} to {place(top)} was interrupted near its end. It is finished now.")
