"""Whether a load fits on a drive, and every reason against it, the hard ones apart from advice."""

from collections.abc import Sequence
from contextlib import suppress
from fnmatch import fnmatchcase

from msgspec import Struct, field

from saltcart.cart import Cart
from saltcart.drives.drive import Drive, drive_of
from saltcart.drives.limits import ADVICE, HARD, Obstacle, obstacles
from saltcart.errors import counted, show
from saltcart.shelves.walk import FILE, Item
from saltcart.system import here, os

# Bytes per second that a haul is assumed to move where nothing was measured.
ASSUMED_SPINNING, ASSUMED_SOLID, ASSUMED_NETWORK = 100_000_000, 400_000_000, 50_000_000
USB2_BITS = 480_000_000
LAVISH = 1.25  # from this multiple of its bytes a load is said to waste room in large units


# Names at the top of a drive that speak of backups, whatever was declared.
USUAL_MARKS = ("backup*", "*backup", "*backups")


class Reason(Struct, frozen=True):
    """One reason against a drive; `obstacles` are the files it speaks of."""

    weight: str
    kind: str
    what: str
    obstacles: tuple[Obstacle, ...] = ()


class Load(Struct):
    """Shelves that would travel: their drives, and everything in them."""

    shelves: list[str] = field(default_factory=list)
    drives: list[Drive] = field(default_factory=list)
    items: list[Item] = field(default_factory=list)

    @property
    def bytes(self) -> int:
        """Bytes of all files."""
        return sum(item.size for item in self.items)

    def stays_on(self, drive: Drive) -> bool:
        """Whether all of it lies on the drive already, and could change places there without being copied."""
        return bool(drive.sharing) and all(home.identity == drive.identity for home in self.drives)

    def add(self, path: str, items: Sequence[Item]) -> None:
        """Take in one shelf."""
        self.shelves.append(path)
        self.drives.append(drive_of(path))
        name = os.path.basename(path)
        self.items += [item._replace(path=f"{name}/{item.path}" if item.path else name) for item in items]


class Fit(Struct):
    """One drive judged for a load; `fits` and `need_bytes` are None without one.  `seconds` is how long a haul should
    take.
    """

    drive: Drive
    reasons: list[Reason]
    fits: bool | None = None
    need_bytes: int | None = None
    free_after_bytes: int | None = None
    seconds: float | None = None
    rate_bytes_per_second: float | None = None


def judge(drive: Drive, load: Load | None, cart: Cart, measured: float | None = None) -> Fit:
    """Judge `drive` for `load`; `measured` is its write rate in bytes per second, where it was measured."""
    reasons = [*state_reasons(drive, cart), *speed_reasons(drive, cart)]
    fit = Fit(drive, reasons)
    if load is None:
        return fit
    unit = here.room(drive.mount).unit
    need = 0 if load.stays_on(drive) else sum(-(-item.size // unit) * unit for item in load.items if item.kind == FILE)
    headroom = drive.total_bytes * cart.headroom_percent // 100
    reasons += room_reasons(drive, load, need, headroom, unit)
    reasons += limit_reasons(drive, load)
    reasons += same_disk_reasons(drive, load)
    fit.fits = not any(reason.weight == HARD for reason in reasons)
    fit.need_bytes, fit.free_after_bytes = need, drive.free_bytes - need
    fit.rate_bytes_per_second = measured or assumed_rate(drive, cart)
    fit.seconds = (
        2 * need or load.bytes
    ) / fit.rate_bytes_per_second  # every byte is written and read back, or only read
    return fit


def state_reasons(drive: Drive, cart: Cart) -> list[Reason]:
    """What speaks against a drive whatever the load."""
    reasons = []
    known = cart.drive(drive.identity)
    if drive.read_only:
        reasons.append(Reason(HARD, "read-only", "it is mounted read-only"))
    elif not os.access(drive.mount, os.W_OK):
        reasons.append(Reason(ADVICE, "not writable", "you may not write at its top; a folder of yours on it may do"))
    holds, marks = for_backups(drive, cart)
    why = f" ({', '.join(map(show, marks[:3]))})" if marks else ""
    if holds:
        reasons.append(Reason(HARD, "backup", f"it is for backups{why}, and sounds would take their space"))
    elif marks:
        what = f"it seems to hold backups{why}: if it is for these, say so in cart.toml (role, backup_marks)"
        reasons.append(Reason(ADVICE, "backup", what))
    if drive.mount in here.ROOTS or (known and known.role == "system"):
        reasons.append(Reason(ADVICE, "system", "it is the system's own drive; a full one stops the machine"))
    if drive.facts.health:
        reasons.append(Reason(HARD, "health", f"{drive.facts.health}: do not trust it with sounds"))
    return reasons


def for_backups(drive: Drive, cart: Cart) -> tuple[bool, list[str]]:
    """Whether a drive is one for backups, as declared or by what is at its top; and what is there, or seems to
    be a backup by the usual names.
    """
    known = cart.drive(drive.identity)
    with suppress(OSError):
        names = sorted(os.listdir(drive.mount))
        marks = named_like(names, cart.backup_marks)
        if (known and known.role == "backup") or marks:
            return True, marks
        return False, named_like(names, USUAL_MARKS)
    return bool(known and known.role == "backup"), []


def named_like(names: Sequence[str], patterns: Sequence[str]) -> list[str]:
    """Of names at the top of a drive, those that match a pattern such as `Backup*`, in whatever case."""
    wanted = [pattern.casefold() for pattern in patterns]
    return [name for name in names if any(fnmatchcase(name.casefold(), pattern) for pattern in wanted)]


def is_spinning(drive: Drive, cart: Cart) -> bool | None:
    """Whether a drive spins, as declared or as the system tells; None when nobody knows."""
    known = cart.drive(drive.identity)
    return known.spinning if known and known.spinning is not None else drive.facts.spinning


def speed_reasons(drive: Drive, cart: Cart) -> list[Reason]:
    """What makes a drive slow."""
    reasons = []
    if drive.facts.network:
        reasons.append(
            Reason(ADVICE, "network", "it is reached over a network: fine to keep sounds, slow to stream many voices")
        )
    if drive.facts.bus_bits_per_second and drive.facts.bus_bits_per_second <= USB2_BITS:
        reasons.append(
            Reason(
                ADVICE,
                "bus",
                f"its USB link runs at {drive.facts.bus_bits_per_second // 1_000_000} Mbit/s only: try another port or"
                " cable",
            )
        )
    if is_spinning(drive, cart):
        reasons.append(
            Reason(
                ADVICE,
                "spinning",
                "it is a spinning disk: fine for recordings, slow for instruments of many small samples",
            )
        )
    return reasons


def room_reasons(drive: Drive, load: Load, need: int, headroom: int, unit: int) -> list[Reason]:
    """Whether the load fits, counted in the drive's allocation units."""
    reasons = []
    if need > drive.free_bytes:
        what = (
            "not enough free space for a second copy"
            if any(home.identity == drive.identity for home in load.drives)
            else "not enough free space"
        )
        reasons.append(Reason(HARD, "room", f"{what}: {need:,} bytes are needed, {drive.free_bytes:,} are free"))
    elif need + headroom > drive.free_bytes:
        reasons.append(Reason(ADVICE, "headroom", f"less than {headroom:,} bytes would be left free"))
    if need > LAVISH * load.bytes:
        reasons.append(
            Reason(ADVICE, "units", f"{load.bytes:,} bytes of sounds would take {need:,} there, in units of {unit:,}")
        )
    return reasons


# What follows the words below, where that does not depend on the number.
ENDS = {"forbidden character": " that it does not allow", "same name": " from a neighbour only in case or Unicode form"}


def limit_reasons(drive: Drive, load: Load) -> list[Reason]:
    """What its file system cannot hold, one reason a kind."""
    kinds: dict[tuple[str, str], list[Obstacle]] = {}
    for one in obstacles(load.items, drive.limits, len(drive.mount)):
        kinds.setdefault((one.weight, one.kind), []).append(one)
    words = {
        "file size": ("file is too large for it", "files are too large for it"),
        "forbidden character": ("name contains a character", "names contain characters"),
        "reserved name": ("name is reserved on it", "names are reserved on it"),
        "trailing character": ("name ends in a dot or space", "names end in a dot or space"),
        "name length": ("name is too long", "names are too long"),
        "path length": ("path is too long", "paths are too long"),
        "same name": ("name differs", "names differ"),
        "undecodable name": ("name is not valid text", "names are not valid text"),
        "link": ("link cannot be kept", "links cannot be kept"),
        "hard link": ("hard link becomes a separate file", "hard links become separate files"),
        "no file": ("pipe, socket or device is not copied", "pipes, sockets or devices are not copied"),
    }
    reasons = [
        Reason(weight, kind, f"{counted(len(found), *words[kind])}{ENDS.get(kind, '')}", tuple(found))
        for (weight, kind), found in kinds.items()
    ]
    if drive.limits.time_step_ns >= 1_000_000_000:
        reasons.append(Reason(ADVICE, "times", f"it keeps times in steps of {drive.limits.time_step_ns / 1e9:g} s"))
    return reasons


def same_disk_reasons(drive: Drive, load: Load) -> list[Reason]:
    """Whether the load would only change places on what it lies on."""
    if any(home.identity == drive.identity for home in load.drives):
        needed = "; none is needed for another place on it" if load.stays_on(drive) else ""
        return [Reason(ADVICE, "same drive", f"the sounds lie on it now: no room is gained{needed}")]
    disk = drive.facts.disk
    if disk and any(home.facts.disk == disk for home in load.drives):
        return [
            Reason(
                ADVICE, "same disk", f"it is the same physical disk ({show(disk)}) as now: room is gained, speed is not"
            )
        ]
    return []


def assumed_rate(drive: Drive, cart: Cart) -> float:
    """Bytes per second taken for granted where nothing was measured."""
    if drive.facts.network:
        return ASSUMED_NETWORK
    rate = ASSUMED_SPINNING if is_spinning(drive, cart) else ASSUMED_SOLID
    bus = drive.facts.bus_bits_per_second
    return min(rate, bus / 10) if bus else rate  # about ten bits on the wire for a byte
