"""Folders at the new place."""

import stat

from saltcart.own_names import PART
from saltcart.safefile import remove_if_there
from saltcart.system import os
from saltcart.system.contract import OpenFolder


def make_folder_below(folder: OpenFolder, path: str) -> None:
    """Make a folder at `path` below an opened one, and those on the way that are missing.

    FileExistsError when something that is no folder, or only a link to one, has that name.
    """
    try:
        folder.mkdir(path)
    except FileNotFoundError:
        if "/" not in path:
            raise
        make_folder_below(folder, os.path.dirname(path))
        folder.mkdir(path)
    except FileExistsError:
        if not stat.S_ISDIR(folder.stat(path).st_mode):
            raise


def remove_temporaries(folder: str) -> None:
    """Remove temporary files that a start which was interrupted has left in a folder."""
    with os.scandir(folder) as things:
        left = [one.path for one in things if PART.fullmatch(one.name)]
    for path in left:
        remove_if_there(path)
