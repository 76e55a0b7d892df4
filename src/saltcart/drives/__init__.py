"""Identity, room and presence of the drives that sounds lie on."""

from saltcart.drives.drive import Drive, drive_of, find_drive
from saltcart.drives.known import Presence

__all__ = ["Drive", "Presence", "drive_of", "find_drive"]
