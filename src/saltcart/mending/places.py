"""Where lost sounds may be: every file in some places, by name."""

from collections.abc import Iterable, Sequence

from saltcart.cart import Cart
from saltcart.drives import drive_of
from saltcart.drives.drive import find_drive, mounts
from saltcart.drives.fit import for_backups
from saltcart.drives.known import MOUNT_FOLDERS, remembered
from saltcart.looking.survey import default_places
from saltcart.own_names import SET_ASIDE
from saltcart.progress import Progress, Tick, silent
from saltcart.safefile import nearest
from saltcart.shelves.true_names import name_key, true_path
from saltcart.spelling.moves import tail_below
from saltcart.system import here, os
from saltcart.trips import history
from saltcart.trips.trip import RELEASED, SWITCHED

MOST_CANDIDATES = 60


class Places:
    """The files and folders below some tops; links are not followed."""

    def __init__(self, tops: Sequence[str], progress: Progress = silent):
        self.tops = outermost(tops)
        self.files: set[str] = set()
        self.folders: set[str] = set()
        self.by_name: dict[str, list[str]] = {}
        self.by_folder: dict[str, dict[str, list[str]]] = {}  # for names of which there are very many
        self.unread: list[str] = []
        for top in self.tops:
            self.look(top, progress)

    def look(self, top: str, progress: Progress) -> None:
        """Take up everything below one top."""
        waiting = [top]
        while waiting:
            folder = waiting.pop()
            self.folders.add(folder)
            try:
                waiting += self.take_up(folder)
            except OSError:
                self.unread.append(folder)
            progress(Tick("look for files", folder, len(self.files), 0))

    def take_up(self, folder: str) -> list[str]:
        """Take up the files in one folder; the folders in it that are to be looked through.  Raises OSError."""
        below = []
        with os.scandir(folder) as entries:
            for entry in entries:
                if entry.is_file(follow_symlinks=False):
                    self.files.add(entry.path)
                    self.by_name.setdefault(name_key(entry.name), []).append(entry.path)
                elif entry.is_dir(follow_symlinks=False) and not SET_ASIDE.search(entry.name):
                    below.append(entry.path)
        return below

    def called(self, path: str) -> list[str]:
        """The files that have the name at the end of `path`; of very many those alone that lie in a folder of the same
        name too, and of very many of these none.
        """
        folder, _slash, name = path.rpartition("/")
        key = name_key(name)
        found = self.by_name.get(key, [])
        if len(found) > MOST_CANDIDATES:
            found = self.in_folders(key).get(name_key(folder.rpartition("/")[2]), [])
        return found if len(found) <= MOST_CANDIDATES else []

    def in_folders(self, key: str) -> dict[str, list[str]]:
        """The files of a name, by the names of their folders."""
        if key not in self.by_folder:
            folders = self.by_folder[key] = {}
            for path in self.by_name[key]:
                folders.setdefault(name_key(path.rsplit("/", 2)[1]), []).append(path)
        return self.by_folder[key]

    def namesakes(self, path: str) -> list[str]:
        """All files of that name."""
        return self.by_name.get(name_key(os.path.basename(path)), [])


def remains(lost: Iterable[str]) -> set[str]:
    """The folders nearest to lost paths that are there, but for those that hold whole systems or the homes of users."""
    found, known = set(), dict[str, str]()
    for path in lost:
        folder = os.path.dirname(path)
        if folder not in known:
            known[folder] = nearest(folder, os.path.isdir)
        if known[folder].count("/") > 1:
            found.add(known[folder])
    return found


def outermost(tops: Iterable[str]) -> list[str]:
    """Of several folders, those that lie in none of the others; what is no folder is left out."""
    found: list[str] = []
    for top in sorted({true_path(top) for top in tops if os.path.isdir(os.path.expanduser(top))}, key=len):
        if all(tail_below(top, other) is None for other in found):
            found.append(top)
    return found


def usual_places(cart: Cart, lost: Iterable[str]) -> list[str]:
    """Where to look when nobody says: the shelves and places that are known, what is left of where the lost ones were,
    where trips went, and the drives that were seen or are connected, but for the system's own and those for backups.
    """
    found = [*default_places(cart), *remains(lost)]
    for trip in history.readable():
        if trip.state in (SWITCHED, RELEASED):
            found += [os.path.dirname(shelf.new) for shelf in trip.waybill.shelves]
    known = remembered() | {drive.identity: {"mount": drive.mount} for drive in cart.drives if drive.mount}
    for identity, fact in known.items():
        drive = find_drive(identity, fact["mount"])
        if drive and drive.mount not in here.ROOTS:
            found.append(drive.mount)
    found += [mount for mount in mounts() if any(tail_below(mount, folder) for folder in MOUNT_FOLDERS)]
    return [place for place in outermost(found) if not for_backups(drive_of(place), cart)[0]]
