"""Where to search for files that refer to a shelf, and in which forms."""

import stat
import tempfile
from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress

from platformdirs import site_config_dir, site_data_dir

from saltcart.cart import Cart
from saltcart.drives.drive import drive_at, landing_mount, mount_of, mounts
from saltcart.drives.fit import for_backups
from saltcart.drives.known import remembered
from saltcart.home import home as data
from saltcart.mentions.other_names import second_mounts, siblings, variable_names
from saltcart.mentions.place_forms import Beside, PlaceForms
from saltcart.shelves.true_names import TrueNames
from saltcart.spelling.moves import tail_below
from saltcart.system import here, os

SYSTEM = ("/etc", "/opt", "/usr", "/var")  # where nobody mounts a drive for files of their own
EMPTY: Mapping[str, Sequence[str]] = {}
PACKAGES = ("/usr/share",)  # the system's own, which names nobody's sounds


def shared_places() -> list[str]:
    """The folders of settings and data that all users of this machine share."""
    folders = (site_data_dir(multipath=True), site_config_dir(multipath=True))
    return [folder for text in folders for folder in text.split(os.pathsep) if folder not in PACKAGES]


def search_places(
    shelves: Sequence[str],
    cart: Cart,
    ledgers: Iterable[str] = (),
    more: Sequence[str] = (),
    news: Sequence[str] = (),
    others: bool = True,
) -> list[str]:
    """The folders to search: this user's home with all that is hidden in it, what programs share, all connected drives
    that may hold a person's files, what others have where they can reach the shelves, where ledgers lie that are known,
    what the configuration names, and `more`.
    """
    drives = [*(mount_of(place) for place in (*shelves, *news)), *other_drives(cart, [*shelves, *news])]
    wanted = [
        os.path.expanduser("~"),
        *(drive for drive in drives if drive not in here.ROOTS),
        *(folder for shelf in shelves if mount_of(folder := os.path.dirname(shelf)) == mount_of(shelf)),
        *shelves,  # what stays in it
        *cart.places,
        *(os.path.dirname(path) for path in (*cart.ledgers, *ledgers)),
        *([os.path.dirname(cart.path)] if cart.path else []),
        *shared_places(),
        *(places_of_others() if others and any(map(open_to_others, shelves)) else ()),
        *more,
    ]
    places: list[str] = []
    named = set(map(os.path.realpath, more))
    for place in dict.fromkeys(map(os.path.realpath, wanted)):
        known = os.path.isdir(place) or (os.path.isfile(place) and place in named)
        if known and place not in here.ROOTS and not any(within(place, one) for one in places):
            places = [*(one for one in places if not within(one, place)), place]
    return places


def within(place: str, folder: str) -> bool:
    """Whether a walk through a folder comes to a place: it lies in there, and on the same drive."""
    return tail_below(place, folder) is not None and top_of(place) == top_of(folder)


def top_of(place: str) -> str:
    """The top of what is mounted at or above a place."""
    while not os.path.ismount(place) and place != os.path.dirname(place):
        place = os.path.dirname(place)
    return place


def open_to_others(place: str) -> bool:
    """Whether programs of other users can reach a place: every folder on the way lets them pass."""
    parts = place.split("/")
    with suppress(OSError):
        return all(os.stat("/".join(parts[:count]) or "/").st_mode & stat.S_IXOTH for count in range(1, len(parts) + 1))
    return False


def places_of_others() -> list[str]:
    """The homes of the other people who use this machine, and where programs and services keep what is their own."""
    places = (*here.homes_of_others(), *here.SHARED_PLACES)
    return [place for place in places if place not in here.ROOTS and os.path.isdir(place)]


def other_drives(cart: Cart, near: Sequence[str] = ()) -> list[str]:
    """The tops of the connected drives that may hold a person's files.  Drives for backups are not among them: what
    lies there is to stay as it is; nor what is mounted among temporary files, but beside what is `near`.
    """
    found = dict.fromkeys(mount for mount in mounts() if not system_folder(mount))
    for identity, fact in remembered().items():
        if os.path.isdir(fact["mount"]) and drive_at(mount_of(fact["mount"])).identity == identity:
            found[mount_of(fact["mount"])] = None
    temporary = os.path.realpath(tempfile.gettempdir())
    user = os.path.realpath(os.path.expanduser("~"))
    beside = {os.path.dirname(mount_of(place)) for place in (*near, user)} - {"/"}
    met = {fact["mount"] for fact in remembered().values()}
    return [
        mount
        for mount in found
        if mount not in here.ROOTS
        and mount != str(data())
        and (
            tail_below(mount, temporary) is None
            or os.path.dirname(mount) in beside
            or mount in met
            or tail_below(mount, user) is not None
        )
        and not is_for_backups(mount, cart)
    ]


def system_folder(mount: str) -> bool:
    """Whether something is mounted where systems keep what is their own."""
    return any(tail_below(mount, folder) is not None for folder in SYSTEM)


def is_for_backups(mount: str, cart: Cart) -> bool:
    """Whether a drive is kept for backups."""
    return bool(for_backups(drive_at(mount), cart)[0])


def backups(cart: Cart) -> list[str]:
    """The tops of the connected drives that are kept for backups, which nothing searches."""
    return [
        mount
        for mount in mounts()
        if mount not in here.ROOTS and not system_folder(mount) and is_for_backups(mount, cart)
    ]


def forms_of(
    olds: Sequence[str], means: Sequence[str] = (), aliases: Mapping[str, Sequence[str]] = EMPTY
) -> list[PlaceForms]:
    """The forms of old places, some of which have `aliases`.  `means` are declarations such as `D:=/media/lighter`."""
    names = TrueNames()
    return [
        PlaceForms(
            old,
            mount_of(old),
            letters(old, means),
            others=[*variable_names(old), *second_mounts(old), *aliases.get(old, ())],
            beside=Beside(names.forgives(os.path.dirname(old)), siblings(old)),
        )
        for old in olds
    ]


def parent_forms(olds: Sequence[str], means: Sequence[str] = ()) -> list[PlaceForms]:
    """The forms of the folders that hold old places, where they are whole values: those below the home folder, or up
    to the top of a drive.  Home itself is named everywhere, and says nothing.
    """
    home = os.path.realpath(os.path.expanduser("~"))
    found: dict[str, PlaceForms] = {}
    for old in olds:
        top, folder = mount_of(old), os.path.dirname(old)
        while folder != os.path.dirname(folder) and tail_below(home, folder) is None and folder not in found:
            others = [*variable_names(folder), *second_mounts(folder)]
            found[folder] = PlaceForms(folder, top, letters(folder, means), alone=True, others=others)
            if folder == top:
                break
            folder = os.path.dirname(folder)
    return list(found.values())


def forms_after(olds: Sequence[str], news: Sequence[str], means: Sequence[str] = ()) -> list[PlaceForms]:
    """The forms of old places that are none of the new ones: what still uses them leads nowhere."""
    forms = forms_of(olds, means)
    for one, new in zip(forms, news, strict=True):
        one.pass_over(PlaceForms(new, landing_mount(new), letters(new, means)))
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
