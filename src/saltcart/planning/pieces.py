"""Files that hold the path of a sound in pieces, each name a value of its own: a tree of folders in a database, or a
list of names.

Nothing in them is a path, so no search finds one.  What tells is that names which make a path are all there: that of
the folder, of the one that holds it, and of sounds in it.
"""

from collections.abc import Mapping, Sequence

from saltcart.drives.drive import mount_of
from saltcart.errors import show
from saltcart.mentions.content import UNREADABLE, in_cache
from saltcart.mentions.mention import Mention, Spot
from saltcart.mentions.whole_values import comparable, whole_values
from saltcart.shelves.audio import is_material
from saltcart.system import here, os

ENOUGH = 3  # names of sounds without their suffixes, which may be any words
SHOWN = 3


class Pieces:
    """Tells what files hold in pieces of the paths of what moves: its `items`, by the folder they move with."""

    def __init__(self, items: Mapping[str, Sequence[str]]):
        self.items = items
        self.known: dict[str, dict[str, str]] = {}  # by folders

    def mention(self, path: str, folders: Sequence[str]) -> Mention | None:
        """How many sounds of the folders, whose own names are values of the file at `path`, it names in pieces."""
        above = {comparable(os.path.basename(os.path.dirname(folder))) for folder in folders}
        wanted = [above, *(self.words(folder) for folder in folders)]
        try:  # a large file has very many values
            values = {value for value in whole_values(path) if any(value in some for some in wanted)}
        except UNREADABLE:  # which the search has reported
            return None
        found = [(folder, self.named(folder, values)) for folder in folders if leads_to(folder, values)]
        spots = [spot(folder, names) for folder, names in found if names]
        count = sum(len(names) for _folder, names in found)
        if in_cache(path):  # an index of all files that some program makes anew
            return Mention(path, count, free=count, said=spots) if count else None
        return Mention(path, count, spots=spots) if count else None

    def named(self, folder: str, values: set[str]) -> list[str]:
        """The names of sounds in a folder that are among some values; itself, where it is a file."""
        words = self.words(folder)
        met = sorted(values & words.keys())
        found = [words[value] for value in met if words[value]]
        return found or (met if len(met) >= ENOUGH else [])

    def words(self, folder: str) -> dict[str, str]:
        """What tells of the sounds in a folder: their names, as they are compared, with each as it is; and these names
        without suffixes, with nothing.  Made once.
        """
        if folder not in self.known:
            names = self.names(folder)
            self.known[folder] = {os.path.splitext(name)[0]: "" for name in names} | names
        return self.known[folder]

    def names(self, folder: str) -> dict[str, str]:
        """The names of the sounds that move with a folder, by what they are compared by."""
        names = [os.path.basename(item) for item in self.items.get(folder, ()) if is_material(item)]
        names = names or [os.path.basename(folder)]
        return {comparable(name): name for name in names}


def leads_to(folder: str, values: set[str]) -> bool:
    """Whether the name of the folder that holds another is among some values; a drive's top may have any."""
    above = os.path.dirname(folder)
    return above in here.ROOTS or above == mount_of(folder) or comparable(os.path.basename(above)) in values


def spot(folder: str, names: Sequence[str]) -> Spot:
    """What of a folder is named in pieces."""
    more = ", ..." if len(names) > SHOWN else ""
    some = ", ".join(map(show, names[:SHOWN]))
    return Spot("in pieces", "in pieces", f"{show(os.path.basename(folder))}: {some}{more}")
