"""Which drives were seen, and whether a path's drive is away: the difference between "plug it in" and "it is gone"."""

import json
from collections.abc import Iterable
from contextlib import suppress
from functools import cached_property
from typing import NoReturn

from saltcart.cart import KnownDrive
from saltcart.drives.drive import Drive, drive_at, drive_of, find_drive, mount_of
from saltcart.errors import Refused, show
from saltcart.home import home, made_home, require_home
from saltcart.safefile import write_in
from saltcart.spelling.moves import tail_below
from saltcart.system import here, os

# Folders in which systems mount drives by name, or by user and name.
MOUNT_FOLDERS = ("/media", "/run/media", "/mnt", "/Volumes")


ELSEWHERE = "is now connected at"


def remember(drives: Iterable[Drive]) -> None:
    """Record identity, name and mount point of drives a trip uses."""
    known = remembered()
    fresh = {drive.identity: {"name": drive.name, "mount": drive.mount} for drive in drives}
    if fresh.items() <= known.items():
        return
    write_in(str(made_home()), "drives.json", json.dumps(known | fresh, indent=1).encode(), require_home)


def remembered() -> dict[str, dict[str, str]]:
    """What `remember` recorded: identity to name and mount."""
    with suppress(FileNotFoundError, ValueError), open(home() / "drives.json", encoding="utf-8") as stream:
        return dict(json.load(stream))
    return {}


def require(identity: str, mount: str, purpose: str) -> None:
    """Raise Refused unless the drive of that identity is at `mount`.

    A vanished mount leaves an ordinary folder behind, and nothing may be written there.
    """
    if not os.path.isdir(mount) or drive_at(mount_of(mount)).identity != identity:
        refuse_other_drive(identity, mount, purpose)


def refuse_other_drive(identity: str, place: str, purpose: str) -> NoReturn:
    """Raise Refused for a `place` that does not lie on the drive of that identity."""
    elsewhere, name = find_drive(identity, place), remembered().get(identity, {}).get("name", identity)
    if elsewhere:
        raise Refused(
            f"{purpose}: its drive {show(name)} is now at {show(elsewhere.mount)}, and {show(place)} is not on it",
            "Connect it at its old place, or draft anew.",
        )
    raise Refused(
        f"{purpose}: its drive {show(name)} is not connected, so {show(place)} cannot be reached",
        "Plug it in and run the same command again; nothing is lost.",
    )


class Presence:
    """Answers for many paths why their drive is away; asks the system once a drive.

    `declared` drives are known as well as those seen on earlier trips.
    """

    def __init__(self, declared: Iterable[KnownDrive] = ()) -> None:
        self.told = {drive.identity: {"name": drive.name, "mount": drive.mount} for drive in declared if drive.mount}
        self.answers: dict[str, str | None] = {}

    @cached_property
    def known(self) -> dict[str, dict[str, str]]:
        """Name and mount point of each drive by its identity; read when a path is absent, not before."""
        return self.told | remembered()

    def away(self, path: str) -> str | None:
        """Why the drive of the absent `path` is not connected, in words; None when the drive is there."""
        real = os.path.realpath(path)
        for identity, fact in self.known.items():
            # The system's own drive is always there, whatever number it had at another start.
            if fact["mount"] not in here.ROOTS and tail_below(real, fact["mount"]) is not None:
                answer = self.ask(identity, fact)
                if answer:
                    return answer
        return unmounted(real)

    def ask(self, identity: str, fact: dict[str, str]) -> str | None:
        """Why a known drive is away from its place, or None."""
        if identity not in self.answers:
            self.answers[identity] = absence(identity, fact)
        return self.answers[identity]


def unmounted(path: str) -> str | None:
    """Whether `path` lies in a place for mounts where nothing is mounted, in words; else None."""
    drive = os.path.splitdrive(path)[0]
    if drive and not os.path.isdir(f"{drive}/"):
        return f"the drive {show(drive)} is not connected"
    for folder in MOUNT_FOLDERS:
        parts = (tail_below(path, folder) or "").split("/")
        first = os.path.join(folder, parts[0])
        if not parts[0] or os.path.ismount(first):
            continue
        if not used(first):
            return nothing_at(first)
        second = os.path.join(first, *parts[1:2])
        if second != first and is_user(parts[0]) and not os.path.ismount(second) and not used(second):
            return nothing_at(second)
    for mount in configured_mounts():
        if tail_below(path, mount) is not None and not os.path.ismount(mount):
            return nothing_at(mount)
    return None


def nothing_at(mount: str) -> str:
    """The sentence for a mount point without a drive."""
    return f"the drive {show(os.path.basename(mount))} is not connected (nothing is mounted at {show(mount)})"


def is_user(name: str) -> bool:
    """Whether `name` is a user of this system: drives are mounted in folders named after them."""
    return here.is_user(name)


def used(folder: str) -> bool:
    """Whether `folder` is an ordinary folder with something in it."""
    try:
        return bool(os.listdir(folder))
    except OSError:
        return False


def absence(identity: str, fact: dict[str, str]) -> str | None:
    """Why the drive `identity` is not at its recorded place, or None when it is."""
    mount = fact["mount"]
    if os.path.isdir(mount) and drive_of(mount).identity == identity:
        return None
    elsewhere = find_drive(identity, mount)
    if elsewhere:
        return f"the drive {show(fact['name'])} {ELSEWHERE} {show(elsewhere.mount)}"
    return f"the drive {show(fact['name'])} is not connected"


def configured_mounts(path: str = "/etc/fstab") -> list[str]:
    """The mount points that are configured (fstab(5)), the root left out."""
    with suppress(OSError, UnicodeDecodeError), open(path, encoding="utf-8") as stream:
        fields = [line.split() for line in stream if line.strip() and not line.lstrip().startswith("#")]
        return [
            field[1].replace("\\040", " ")
            for field in fields
            if len(field) > 1 and field[1].startswith("/") and field[1] != "/"
        ]
    return []
