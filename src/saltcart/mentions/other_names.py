"""Other names of a folder on this computer: through variables that a person's profile sets, and through a second mount
of the same drive.
"""

import re
from collections.abc import Iterator
from contextlib import suppress
from functools import lru_cache
from pathlib import Path

from saltcart.spelling.moves import tail_below
from saltcart.system import here, os

# Where shells and sessions take variables from, in the home folder.
PROFILES = (
    ".profile", ".bash_profile", ".bashrc", ".zshenv", ".zprofile", ".zshrc", ".xprofile", ".pam_environment",
    ".config/environment.d/*.conf", ".config/fish/config.fish",
)  # fmt: skip
SETS = re.compile(
    r"""(?m)^[ \t]*(?:export[ \t]+|set[ \t]+-\w+[ \t]+)?([A-Za-z_]\w*)[ \t]*[= ][ \t]*["']?([^"'\r\n;#]+)"""
)
LARGEST = 1 << 20  # bytes of a profile
MOST_SIBLINGS = 20_000


def variable_names(place: str) -> Iterator[str]:
    """The ways to write a place that begin with a variable: `$MUSIC/Kits`, `${MUSIC}/Kits`, `%MUSIC%/Kits`."""
    for name, folder in variables().items():
        tail = tail_below(place, folder)
        if tail is not None and folder.count("/") > 1:
            end = f"/{tail}" if tail else ""
            yield from (f"${name}{end}", f"${{{name}}}{end}", f"%{name}%{end}")


@lru_cache(maxsize=1)
def variables() -> dict[str, str]:
    """The variables that lead to folders, from the profiles in the home folder and from how this program was called."""
    home = Path(os.path.expanduser("~"))
    said = {name: value for name, value in os.environ.items() if name not in ("PWD", "OLDPWD", "HOME")}
    for pattern in PROFILES:
        for path in sorted(home.glob(pattern)):
            with suppress(OSError):
                if path.stat().st_size < LARGEST:
                    said |= dict(SETS.findall(path.read_text("utf-8", "replace")))
    full = {name: os.path.expandvars(os.path.expanduser(value.strip())) for name, value in said.items()}
    return {
        name: os.path.normpath(value) for name, value in full.items() if os.path.isabs(value) and os.path.isdir(value)
    }


def second_mounts(place: str) -> Iterator[str]:
    """The paths at which a place is found too, where its drive, or a part of it, is mounted again."""
    mounts = here.mounts()
    holding = [one for one in mounts if tail_below(place, one.place) is not None]
    if not holding:
        return
    own = max(holding, key=lambda one: len(one.place))  # the latest of several at one place
    inner = os.path.normpath(f"{own.root}/{tail_below(place, own.place)}")
    for one in mounts:
        tail = tail_below(inner, one.root) if one.device == own.device and one.place != own.place else None
        if tail is not None:
            yield f"{one.place.rstrip('/')}/{tail}".rstrip("/")


def siblings(place: str) -> list[str] | None:
    """The names beside a place that begin like its own, then a blank; None when that cannot be known."""
    folder, base = os.path.split(place)
    with suppress(OSError):
        return [name for name in names_in(folder, os.stat(folder).st_mtime_ns) if name.startswith(f"{base} ")]
    return None


@lru_cache(maxsize=16)
def names_in(folder: str, _changed: int) -> list[str]:
    """The names in a folder, up to some number; listed once for many shelves in it."""
    with os.scandir(folder) as entries:
        return [entry.name for _number, entry in zip(range(MOST_SIBLINGS), entries, strict=False)]
