"""Where Salt Cart keeps its own data."""

import errno
from pathlib import Path

from saltcart.safefile import PRIVATE_FOLDER, make_folders
from saltcart.system import here, os

SEEN: dict[Path, tuple[int, int]] = {}  # which data folders were there while this program runs


def home() -> Path:
    """The data folder: `SALTCART_HOME` when set, else the system's place for a program's data."""
    chosen = os.environ.get("SALTCART_HOME")
    if chosen:
        return Path(chosen).expanduser().absolute()
    from platformdirs import user_data_path

    return user_data_path("saltcart", appauthor=False)


def note_home() -> None:
    """Remember that the data folder is there, if it is: from now on it can only be gone with its drive."""
    if found := which(home()):
        SEEN.setdefault(home(), found)


def is_a_home(path: str) -> bool:
    """Whether a folder holds Salt Cart's own data, of another `SALTCART_HOME` of this user.  What a stick says of
    itself does not count.
    """
    if "saltcart" not in os.path.basename(path).casefold() or not os.path.isfile(os.path.join(path, "drives.json")):
        return False
    own, state = os.stat(os.path.expanduser("~")), os.stat(path)
    return own.st_dev == state.st_dev and here.is_mine(state) and here.is_private(path)


def made_home(*names: str) -> Path:
    """The data folder, or a folder of that name in it, made where it is missing; which only the user may read.

    OSError when it was there a while ago and is gone: its drive was pulled out, and nothing must be made in its place.
    """
    top = home()
    require_home()
    folder = top.joinpath(*names)
    make_folders(str(folder), PRIVATE_FOLDER)
    note_home()
    return folder


def require_home() -> None:
    """Raise OSError when the data folder was there a while ago and is not, or is another by now, such as the empty one
    at the mount point of a drive that was pulled out.
    """
    top = home()
    if top in SEEN and SEEN[top] != which(top):
        raise OSError(errno.ENOENT, "the drive with Salt Cart's own data has gone", str(top))


def which(folder: Path) -> tuple[int, int] | None:
    """What tells a folder from another at the same place; None when there is none."""
    try:
        state = os.stat(folder)
    except OSError:
        return None
    return state.st_dev, state.st_ino


def trips_folder() -> Path:
    """The folder that holds one folder a trip."""
    return home() / "trips"
