"""Where Salt Cart keeps its own data."""

import os
from pathlib import Path

from saltcart.safefile import PRIVATE_FOLDER, make_folders


def home() -> Path:
    """The data folder: `SALTCART_HOME` when set, else the system's place for a program's data."""
    chosen = os.environ.get("SALTCART_HOME")
    if chosen:
        return Path(chosen).expanduser().absolute()
    from platformdirs import user_data_path

    return user_data_path("saltcart", appauthor=False)


def is_a_home(path: str) -> bool:
    """Whether a folder holds Salt Cart's own data, be it another user's or of another `SALTCART_HOME`."""
    return "saltcart" in os.path.basename(path).casefold() and os.path.isfile(os.path.join(path, "drives.json"))


def made_home(*names: str) -> Path:
    """The data folder, or a folder of that name in it, made where it is missing; for the user's eyes alone."""
    folder = home().joinpath(*names)
    make_folders(str(folder), PRIVATE_FOLDER)
    return folder


def trips_folder() -> Path:
    """The folder that holds one folder a trip."""
    return home() / "trips"
