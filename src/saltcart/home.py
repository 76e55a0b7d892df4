"""Where Salt Cart keeps its own data."""

import os
from pathlib import Path


def home() -> Path:
    """The data folder: `SALTCART_HOME` when set, else the system's place for a program's data."""
    chosen = os.environ.get("SALTCART_HOME")
    if chosen:
        return Path(chosen).expanduser().absolute()
    from platformdirs import user_data_path

    return user_data_path("saltcart", appauthor=False)


def trips_folder() -> Path:
    """The folder that holds one folder a trip."""
    return home() / "trips"
