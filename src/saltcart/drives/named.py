"""Drives by their names, wherever a place is meant."""

from saltcart.drives.drive import find_drive, mounts
from saltcart.drives.known import remembered
from saltcart.errors import Refused, show
from saltcart.system import os


def meant_place(to: str) -> str:
    """The folder that a word means: the top of the drive of that name, where one is known and there is no such folder
    here.  Refused when that drive is away.
    """
    path = os.path.expanduser(to)
    if os.sep in to or not to or os.path.lexists(path):
        return path
    for identity, fact in remembered().items():
        if fact["name"] == to:
            drive = find_drive(identity, fact["mount"])
            if drive is None:
                raise Refused(
                    f"The drive {show(to)} is not connected",
                    f"Plug it in; it was at {show(fact['mount'])}. To mean a folder of that name: ./{show(to)}",
                )
            return drive.mount
    return next((mount for mount in mounts() if os.path.basename(mount) == to), path)
