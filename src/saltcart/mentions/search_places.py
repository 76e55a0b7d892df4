"""Where to search for what names a shelf, and in which forms it may be named."""

import os
from collections.abc import Iterable, Sequence

from platformdirs import site_config_dir, site_data_dir

from saltcart.cart import Cart
from saltcart.drives.drive import drive_at, mount_of, mounts
from saltcart.drives.fit import for_backups
from saltcart.drives.known import MOUNT_FOLDERS, remembered
from saltcart.mentions.place_forms import PlaceForms
from saltcart.shelves.true_names import TrueNames
from saltcart.spelling.moves import tail_below

PACKAGES = ("/usr/share",)  # the system's own, which names nobody's sounds


def shared_places() -> list[str]:
    """The folders of settings and data that all users of this machine share."""
    folders = (site_data_dir(multipath=True), site_config_dir(multipath=True))
    return [folder for text in folders for folder in text.split(os.pathsep) if folder not in PACKAGES]


def search_places(
    shelves: Sequence[str], cart: Cart, ledgers: Iterable[str] = (), more: Sequence[str] = (), news: Sequence[str] = ()
) -> list[str]:
    """The folders to search: this user's home with all that is hidden in it, what programs share, the drives that the
    shelves lie on and those they go to (`news`), other connected drives of a person's, where ledgers lie that are
    known, what the configuration names, and `more`.
    """
    drives = [*(mount_of(place) for place in (*shelves, *news)), *other_drives(cart)]
    wanted = [
        os.path.expanduser("~"),
        *(drive for drive in drives if drive != "/"),
        *map(os.path.dirname, shelves),
        *shelves,  # what stays in it
        *cart.places,
        *(os.path.dirname(path) for path in (*cart.ledgers, *ledgers)),
        *([os.path.dirname(cart.path)] if cart.path else []),
        *shared_places(),
        *more,
    ]
    places: list[str] = []
    named = set(map(os.path.realpath, more))
    for place in dict.fromkeys(map(os.path.realpath, wanted)):
        known = os.path.isdir(place) or (os.path.isfile(place) and place in named)
        if known and place != "/" and not any(tail_below(place, one) is not None for one in places):
            places = [*(one for one in places if tail_below(one, place) is None), place]
    return places


def other_drives(cart: Cart) -> list[str]:
    """The tops of the connected drives that Salt Cart has met or that are declared, and of those that hang where
    systems put a person's drives.  Drives for backups are not among them: what lies there is to stay as it is.
    """
    found: dict[str, None] = {}
    for identity, fact in remembered().items():
        if os.path.isdir(fact["mount"]) and drive_at(mount_of(fact["mount"]), room=False).identity == identity:
            found[mount_of(fact["mount"])] = None
    found |= dict.fromkeys(
        mount for mount in mounts() if any(tail_below(mount, top) is not None for top in MOUNT_FOLDERS)
    )
    return [mount for mount in found if mount != "/" and not for_backups(drive_at(mount, room=False), cart)[0]]


def forms_of(olds: Sequence[str], means: Sequence[str] = ()) -> list[PlaceForms]:
    """The forms of old places.  `means` are declarations such as `D:=/media/lighter`."""
    names = TrueNames()
    return [PlaceForms(old, mount_of(old), letters(old, means), names.forgives(os.path.dirname(old))) for old in olds]


def forms_after(olds: Sequence[str], news: Sequence[str], means: Sequence[str] = ()) -> list[PlaceForms]:
    """The forms of old places that are none of the new ones: what still uses them leads nowhere."""
    forms = forms_of(olds, means)
    for one, new in zip(forms, news, strict=True):
        one.pass_over(PlaceForms(new, mount_of(new), letters(new, means)))
    return forms


def relative_forms(places: Sequence[str], within: str) -> list[PlaceForms]:
    """The forms of places from the folders of the files that name them alone, of files `within` a folder: others
    cannot name them without naming that.
    """
    forms = forms_of(places)
    for one in forms:
        one.names, one.raw, one.within = (), {}, within
    return forms


def letters(place: str, means: Sequence[str]) -> list[str]:
    """The names of a folder on other systems."""
    declared = [(name, os.path.realpath(folder)) for name, _sign, folder in (one.partition("=") for one in means)]
    pairs = [(name.rstrip("/\\"), tail_below(place, folder)) for name, folder in declared]
    return [f"{name}/{tail}".replace("\\", "/") for name, tail in pairs if tail]
