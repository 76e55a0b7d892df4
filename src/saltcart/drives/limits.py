"""What a file system cannot hold, and how a name it cannot hold would be written instead.

Sources: the exFAT file system specification (sections 7.6, 7.7: lengths, forbidden characters), the
FAT specification (ECMA-107 and long names), the naming rules that programs on those systems
apply (reserved device names, no trailing dots and spaces), and the Linux documentation of
the others.
"""

import unicodedata
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from msgspec import Struct
from msgspec.structs import replace

from saltcart.shelves.marks import EARLIEST_NS, LATEST_NS
from saltcart.shelves.walk import FILE, LINK, OTHER, Item

FORBIDDEN = '"*:<>?\\|'
RESERVED = {
    "con",
    "prn",
    "aux",
    "nul",
    *(f"com{digit}" for digit in "123456789"),
    *(f"lpt{digit}" for digit in "123456789"),
}
# What two files on one drive can share, so that they take room once: nothing, their blocks until
# one of both changes, or all, as two names of one.
APART, BLOCKS, NAMES = "", "blocks", "names"
SHARING = dict.fromkeys(("btrfs", "xfs"), BLOCKS) | dict.fromkeys(
    ("ext2", "ext3", "ext4", "f2fs", "tmpfs", "ntfs3", "zfs", "bcachefs", "apfs", "hfsplus"), NAMES
)
# File systems that keep for each file a number of its own and the moment of its last change, so that these prove it
# unchanged.  FAT has neither; drives served by programs or over a network may answer from memory.
CHANGE_TIMES = {
    *("ext2", "ext3", "ext4", "xfs", "btrfs", "f2fs", "tmpfs", "ntfs3", "zfs", "bcachefs", "overlay", "apfs"),
    "simulated",
}
HARD, ADVICE = "hard", "advice"
# What a drive may not be able to keep, in words.
OWNERS, MODES, ATTRIBUTES = "owners and groups", "permissions", "extended attributes"
ACCESS_LISTS, FINE_TIMES = "access lists", "times to the last digit"
FAR_TIMES, HOLES = "times so early or late", "holes, which take their full room"


class Limits(Struct, frozen=True):
    """What one kind of file system holds.

    `largest_file_bytes` 0 means no limit that matters.  `name_units` counts bytes, or UTF-16
    units where `utf16`.  `time_step_ns` is the coarsest of its time stamps, which lie between `earliest_ns` and
    `latest_ns` since 1970.  Without `holes`, stretches of zeros take their full room.
    """

    largest_file_bytes: int = 0
    forbidden: str = ""
    trailing: str = ""
    reserved_names: bool = False
    name_units: int = 255
    utf16: bool = False
    path_units: int = 4096
    folds_case: bool = False
    folds_unicode: bool = False
    links: bool = True
    hard_links: bool = True
    modes: bool = True
    time_step_ns: int = 1
    earliest_ns: int = EARLIEST_NS
    latest_ns: int = LATEST_NS
    holes: bool = True

    def nearest_time(self, nanoseconds: int) -> int:
        """A time since 1970, or the nearest one that such a file system holds."""
        return max(self.earliest_ns, min(self.latest_ns, nanoseconds))


PLAIN = Limits()
EXFAT = Limits(
    forbidden=FORBIDDEN,
    trailing=". ",
    reserved_names=True,
    utf16=True,
    folds_case=True,
    links=False,
    hard_links=False,
    modes=False,
    time_step_ns=2_000_000_000,
    earliest_ns=315_532_800_000_000_000,  # 1980-01-01
    latest_ns=4_354_819_198_000_000_000,  # 2107-12-31 23:59:58
    holes=False,
)
FAT = replace(EXFAT, largest_file_bytes=(4 << 30) - 1)
NTFS = Limits(
    forbidden=FORBIDDEN, trailing=". ", reserved_names=True, utf16=True, folds_case=True, modes=False, time_step_ns=100
)
BY_KIND = {
    "vfat": FAT,
    "msdos": FAT,
    "exfat": EXFAT,
    "fuseblk.exfat": EXFAT,
    "ntfs": NTFS,
    "ntfs3": NTFS,
    "fuseblk": NTFS,
    "fuseblk.ntfs": NTFS,
    "cifs": NTFS,
    "smb3": NTFS,
    "hfsplus": Limits(
        utf16=True,
        folds_case=True,
        folds_unicode=True,
        time_step_ns=1_000_000_000,
        earliest_ns=-2_082_844_800_000_000_000,  # 1904-01-01
        latest_ns=2_212_122_495_000_000_000,  # 2040-02-06 06:28:15
    ),
    "apfs": Limits(folds_case=True, folds_unicode=True),
}


class Obstacle(Struct, frozen=True):
    """One thing a file system cannot hold: what kind of limit, the path from the shelf's top, and its way out.

    `weight` is hard when it cannot go there at all.  `renamed` is the path it would get.
    """

    kind: str
    path: str
    weight: str
    what: str
    renamed: str | None = None


def limits_of(filesystem: str) -> Limits:
    """The limits of a file system by the name the system gives it; a plain one's for names not known."""
    return BY_KIND.get(filesystem, PLAIN)


def obstacles(items: Iterable[Item], limits: Limits, lead: int = 0) -> Iterator[Obstacle]:
    """What of a walk cannot be held as it is.  `lead` is the length of the path of the new place."""
    if limits == PLAIN:
        items = (
            item
            for item in items
            if item.kind == OTHER or longest(item.path, False) > 255 or lead + len(item.path) > 3000
        )
    taken: dict[str, set[str]] = {}
    for item in items:
        yield from obstacle(item, limits, lead)
        if item.path and limits != PLAIN:
            yield from name_obstacle(item, limits, taken)


def obstacle(item: Item, limits: Limits, lead: int) -> Iterator[Obstacle]:
    """What is wrong with one thing apart from its name."""
    path = item.path
    if item.kind == FILE and limits.largest_file_bytes and item.size > limits.largest_file_bytes:
        yield Obstacle(
            "file size",
            path,
            HARD,
            f"is larger than the {limits.largest_file_bytes:,} bytes a file may have there; leave it out or choose"
            " another drive",
        )
    elif item.kind == LINK and not limits.links:
        yield Obstacle("link", path, ADVICE, "is a link, which cannot be kept there; it stays at the old place")
    elif item.kind == FILE and item.links > 1 and not limits.hard_links:
        yield Obstacle("hard link", path, ADVICE, "is one file with several names; each name becomes a separate file")
    elif item.kind == OTHER:
        yield Obstacle("no file", path, ADVICE, "is a pipe, socket or device; it is not copied")
    if lead + units(path, limits.utf16) + 1 > limits.path_units:
        yield Obstacle("path length", path, HARD, "has too long a path for that drive; choose a shorter place")


def name_obstacle(item: Item, limits: Limits, taken: dict[str, set[str]]) -> Iterator[Obstacle]:
    """What is wrong with the name of one thing, with the name it would get; `taken` holds the names given so far by
    folder.
    """
    folder, _, name = item.path.rpartition("/")
    names = taken.setdefault(folder, set())
    wanted, kind, what = allowed(name, limits)
    if folded(wanted, limits) in names:
        kind, what = kind or "same name", what or "differs from a neighbour only in case or in how accents are written"
        wanted = unique(wanted, names, limits)
    names.add(folded(wanted, limits))
    if wanted != name:
        renamed = f"{folder}/{wanted}" if folder else wanted
        yield Obstacle(kind, item.path, ADVICE, f"{what}; it would be called {wanted}", renamed)


class Allowed(NamedTuple):
    """A name that is allowed, and what kind of limit the one that was asked for breaks, in words ("" when none)."""

    name: str
    kind: str
    what: str


def allowed(name: str, limits: Limits) -> Allowed:
    """The nearest name that is allowed."""
    kind = what = ""
    fresh = as_text(name) if limits.utf16 else name
    if fresh != name:
        kind, what = "undecodable name", "is not valid text"
    bare = "".join("_" if sign in limits.forbidden or (limits.forbidden and sign < " ") else sign for sign in fresh)
    if bare != fresh:
        kind, what = "forbidden character", "contains a character that is not allowed there"
    trimmed = bare.rstrip(limits.trailing) if limits.trailing else bare
    if trimmed != bare:
        kind, what, trimmed = "trailing character", "ends in a dot or space, which is dropped there", trimmed or "_"
    if limits.reserved_names and trimmed.split(".")[0].lower() in RESERVED:
        kind, what, trimmed = "reserved name", "is a name that is reserved there", f"_{trimmed}"
    if units(trimmed, limits.utf16) > limits.name_units:
        kind, what, trimmed = "name length", "has too long a name for that drive", cut(trimmed, limits)
    return Allowed(trimmed, kind, what)


def as_text(name: str) -> str:
    """A name that is not UTF-8 as whoever gave it most likely read it: in the commonest 8-bit code of the West."""
    raw = name.encode("utf-8", "surrogateescape")
    for encoding in ("utf-8", "cp1252"):
        try:
            return raw.decode(encoding)
        except UnicodeDecodeError:
            continue
    return raw.decode("utf-8", "replace").replace("\ufffd", "_")


def cut(name: str, limits: Limits) -> str:
    """`name` made short enough, its suffix kept."""
    stem, dot, suffix = name.rpartition(".")
    stem, dot, suffix = (stem, dot, suffix) if dot and len(suffix) <= 8 else (name, "", "")
    while stem and units(stem + dot + suffix, limits.utf16) > limits.name_units:
        stem = stem[:-1]
    return stem + dot + suffix


def unique(name: str, names: set[str], limits: Limits) -> str:
    """`name` with the first number that makes it different from all of `names`."""
    stem, dot, suffix = name.rpartition(".")
    stem, ending = (stem, dot + suffix) if stem else (name, "")
    number = 2
    while folded(f"{stem} ({number}){ending}", limits) in names:
        number += 1
    return f"{stem} ({number}){ending}"


def folded(name: str, limits: Limits) -> str:
    """`name` as the file system compares it."""
    if limits.folds_unicode:
        name = unicodedata.normalize("NFD", name)
    return name.casefold() if limits.folds_case else name


def units(name: str, utf16: bool) -> int:
    """The length of a name as the file system counts it."""
    return (
        len(name.encode("utf-16-le", "surrogatepass")) // 2 if utf16 else len(name.encode("utf-8", "surrogateescape"))
    )


def longest(path: str, utf16: bool) -> int:
    """The length of the last part of a path."""
    return units(path.rpartition("/")[2], utf16)


def renames_of(found: Iterable[Obstacle]) -> list[tuple[str, str]]:
    """The renamings, (old, new) from the shelf's top, with renamed folders above them taken into account."""
    renames: list[tuple[str, str]] = []
    pairs = [(one.path, one.renamed) for one in found if one.renamed]
    for path, renamed in sorted(pairs, key=lambda pair: pair[0].count("/")):
        folder, _slash, name = renamed.rpartition("/")
        for old, new in sorted(renames, key=lambda pair: -len(pair[0])):
            if folder == old or folder.startswith(old + "/"):
                folder = new + folder[len(old) :]
                break
        renames.append((path, f"{folder}/{name}" if folder else name))
    return renames
