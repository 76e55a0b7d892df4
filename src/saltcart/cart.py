"""`cart.toml`: what a person has told Salt Cart about their shelves, ledgers and drives.  Nothing needs it."""

from collections.abc import Iterable, Iterator, Sequence
from glob import escape, glob
from pathlib import Path
from typing import Annotated

from msgspec import Struct, field
from msgspec.structs import replace

from saltcart import plugins
from saltcart.home import home
from saltcart.system import here, os
from saltcart.toml import reading
from saltcart.toml.kinds import OUTSIDE_FILE, PathFromFile, one_of

NAME = "cart.toml"
# How the file calls its tables, one a row.
TABLES = {"shelves": "shelf", "lines": "ledger", "drives": "drive"}


class KnownShelf(Struct, frozen=True):
    """A shelf someone declared; `collection` None leaves the judgement to Salt Cart, `keep`: it never moves."""

    path: PathFromFile
    name: str = ""
    care: Annotated[str, one_of("own", "replaceable")] = "own"
    collection: bool | None = None
    keep: bool = False


class KnownLedger(Struct, frozen=True):
    """A ledger someone named."""

    path: PathFromFile


class KnownDrive(Struct, frozen=True):
    """A drive someone declared; `spinning` None asks the system; `means` are its names in ledgers of other systems
    (`D:`).
    """

    identity: str
    name: str = ""
    role: Annotated[str, one_of("sounds", "backup", "system")] = "sounds"
    mount: PathFromFile | None = None
    spinning: bool | None = None
    means: tuple[str, ...] = ()


class Cart(Struct, rename=TABLES):
    """The whole configuration; paths are absolute.  `path` is None when there is no file.  `listen` are the words of a
    command that plays a sound, taken from the user's own configuration or from one that was named.
    """

    path: Annotated[str | None, OUTSIDE_FILE] = None
    places: list[PathFromFile] = field(default_factory=list)
    maps: list[PathFromFile] = field(default_factory=list)
    backup_marks: list[str] = field(default_factory=list)
    headroom_percent: int = 2
    shelves: list[KnownShelf] = field(default_factory=list)
    lines: list[KnownLedger] = field(default_factory=list)
    drives: list[KnownDrive] = field(default_factory=list)
    means: list[str] = field(default_factory=list)
    listen: list[str] = field(default_factory=list)
    not_searched: list[PathFromFile] = field(default_factory=list)
    leave_unread: list[PathFromFile] = field(default_factory=list)

    @property
    def ledgers(self) -> list[str]:
        """The paths of the ledgers that someone named."""
        return [one.path for one in self.lines]

    def meanings(self, more: Sequence[str] = ()) -> list[str]:
        """What paths of other systems mean here, with `more` declarations such as `D:=/media/lighter` in front."""
        declared = [f"{name}={drive.mount}" for drive in self.drives if drive.mount for name in drive.means]
        return list(dict.fromkeys([*more, *self.means, *declared, *here.letters()]))

    def drive(self, identity: str) -> KnownDrive | None:
        """What was declared of the drive of that identity."""
        return next((drive for drive in self.drives if drive.identity == identity), None)

    def shelf(self, path: str) -> KnownShelf | None:
        """What was declared of the shelf at the real path `path`."""
        return next((shelf for shelf in self.shelves if os.path.realpath(shelf.path) == path), None)


def find(chosen: str | None = None) -> str | None:
    """The path of the configuration: the chosen one, else in the working folder or the nearest above it that is this
    user's own, else in the user's folder of settings; None when there is none.
    """
    if chosen:
        return os.path.abspath(os.path.expanduser(chosen))
    candidates = [*filter(is_own, nearby()), Path(users_own())]
    return next((path.as_posix() for path in candidates if path.is_file()), None)


def passed_over() -> str | None:
    """The path of a configuration in the working folder, or the nearest above it, not believed for somebody else
    may have put it there; None without one.
    """
    nearest = next(nearby(), None)
    return None if nearest is None or is_own(nearest) else nearest.as_posix()


def nearby() -> Iterator[Path]:
    """The configurations in the working folder and those above it, the nearest first."""
    here = Path.cwd()
    return (folder / NAME for folder in (here, *here.parents) if (folder / NAME).is_file())


def is_own(path: Path) -> bool:
    """Whether nobody but this user can have put the configuration `path` there.

    It and its folder belong to the user, others may not write them, and they lie on a drive that holds the user's home
    or our own data: drives that travel say of everything that it is the user's.
    """
    devices = {device_of(Path.home()), device_of(home())}
    return all(one.stat().st_dev in devices and here.is_private(str(one)) for one in (path, path.parent))


def device_of(folder: Path) -> int:
    """The device of a folder, or of the nearest one above it that is there."""
    while not folder.exists():
        folder = folder.parent
    return folder.stat().st_dev


def users_own() -> str:
    """The path of the configuration in the user's folder of settings."""
    from platformdirs import user_config_path

    return (user_config_path("saltcart", appauthor=False) / NAME).as_posix()


def place(chosen: str | None = None) -> str:
    """Where the configuration is, or would be written."""
    return find(chosen) or users_own()


def maps_at(paths: Iterable[str]) -> list[str]:
    """The maps at some paths: of a folder those in it, in the order of their names."""
    return [
        one for path in paths for one in (sorted(glob(f"{escape(path)}/*.toml")) if os.path.isdir(path) else [path])
    ]


def load(chosen: str | None = None) -> Cart:
    """The configuration, empty when there is none.  Raises BadFile with file, line and key."""
    path = find(chosen)
    if path is None:
        return Cart(maps=plugins.maps())
    cart = reading.read(path, Cart)
    cart.maps = [*maps_at(cart.maps), *plugins.maps()]
    cart.path = path
    cart.shelves = [replace(one, name=one.name or os.path.basename(one.path)) for one in cart.shelves]
    cart.drives = [replace(one, name=one.name or one.identity) for one in cart.drives]
    if not chosen and path != users_own():
        cart.listen = []
    return cart
