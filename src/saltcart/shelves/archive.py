"""Archives of sounds: what is in a zip or tar file, read as hostile input, and its members one after the other.

A member whose name would lead out of the folder it is unpacked to, or that is there twice, makes the whole archive
refused.  Links and devices are left out.  No more bytes are read of a member than the archive says it has.
"""

import re
import stat
import tarfile
import zipfile
import zlib
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from functools import lru_cache
from typing import IO, NamedTuple

from saltcart.errors import Refused, show
from saltcart.shelves.beginning import beginning
from saltcart.shelves.walk import FILE, FOLDER, Item
from saltcart.system import os

MARKER = ".saltcart-drive.toml"  # see drives.drive
MOST_MEMBERS = 1_000_000
SUFFIXES = (".zip", ".tar", ".tar.gz", ".tgz", ".tar.bz2", ".tbz2", ".tar.xz", ".txz")
DAMAGED = (zipfile.BadZipFile, tarfile.TarError, zlib.error, EOFError, NotImplementedError, RuntimeError, ValueError)
# Of zip (APPNOTE 4.3), gzip (RFC 1952), bzip2 and xz; a tar says what it is after the first name (POSIX, pax).
HEADS = (b"PK\x03\x04", b"PK\x05\x06", b"\x1f\x8b", b"BZh", b"\xfd7zXZ\0")
HEAD_BYTES = 262
DRIVE_LETTER = re.compile(r"[A-Za-z]:")
ENCRYPTED = 1  # in the flags of a zip member (APPNOTE 4.4.4)
UTF8_NAME = 0x800
LONGEST_NAME, LONGEST_PATH = 255, 4000  # bytes of a name on all usual drives; characters of a path
MOST_DEFLATED = 1040  # bytes that one byte of deflated data can become
LEFT_BY_SYSTEMS = "__MACOSX/"  # what one operating system adds to every zip: attributes of files, as files


class Member(NamedTuple):
    """One file in an archive: its path there, bytes when unpacked, and time of last change (nanoseconds since 1970).

    `key` is what the archive itself knows it by.
    """

    path: str
    size: int
    mtime_ns: int
    key: object


class Contents(NamedTuple):
    """The files in an archive by their paths below `top`, the folder that all of them lie in ("" for none), and how
    many things of it were left out: links, devices.
    """

    top: str
    members: dict[str, Member]
    left_out: int


def is_archive(path: str) -> bool:
    """Whether the file at `path` is called like an archive, and begins like one; it may be damaged."""
    name = os.path.basename(path).lower()
    if not name.endswith(SUFFIXES) or not os.path.isfile(path):
        return False
    head = beginning(path, HEAD_BYTES)
    return head[257:262] == b"ustar" if name.endswith(".tar") else head.startswith(HEADS)


def name_without_suffix(path: str) -> str:
    """The name of an archive without what tells its kind."""
    name = os.path.basename(path)
    suffix = max((one for one in SUFFIXES if name.lower().endswith(one)), key=len, default="")
    return name[: len(name) - len(suffix)] or name


def contents(path: str) -> Contents:
    """What is in the archive at `path`.  Raises Refused for one that is damaged, encrypted, or not to be trusted."""
    state = os.stat(path)
    return contents_of(path, state.st_size, state.st_mtime_ns)


@lru_cache(maxsize=8)
def contents_of(path: str, _size: int, _mtime_ns: int) -> Contents:
    """As `contents`, of a file that is known by its size and time."""
    members: dict[str, Member] = {}
    left_out = 0
    with opened(path) as archive:
        for member in zip_members(path, archive) if isinstance(archive, zipfile.ZipFile) else tar_members(archive):
            if member is None:
                left_out += 1
                continue
            place = safe(path, member.path)
            if place in members:
                raise refusal(path, f"holds {show(place)} twice")
            members[place] = member
            if len(members) > MOST_MEMBERS:
                raise refusal(path, f"holds more than {MOST_MEMBERS:,} files")
    folders = {"/".join(place.split("/")[:depth]) for place in members for depth in range(1, place.count("/") + 1)}
    # Unpacked in one order it would be the file, in another the folder.
    if both := folders & members.keys():
        raise refusal(path, f"holds {show(min(both))} as a file and as a folder")
    if not members:
        raise refusal(path, "holds no files")
    tops = {place.partition("/")[0] if "/" in place else "" for place in members}
    top = tops.pop() if len(tops) == 1 else ""
    return Contents(top, {place[len(top) + 1 :] if top else place: one for place, one in members.items()}, left_out)


def items(path: str) -> Iterator[Item]:
    """The archive as a tree: its folders and files, as a walk would show them."""
    found = contents(path).members
    files = {
        place: Item(place, FILE, one.size, one.size, one.mtime_ns, 0o644, 0, 0, 1, None, one.mtime_ns)
        for place, one in found.items()
    }
    folders = {"/".join(place.split("/")[:depth]) for place in files for depth in range(1, place.count("/") + 1)}
    when = os.stat(path).st_mtime_ns
    tree = files | {place: Item(place, FOLDER, 0, 0, when, 0o755, 0, 0, 1, None, when) for place in {"", *folders}}
    yield from (tree[place] for place in sorted(tree, key=lambda place: place.split("/") if place else []))


class Reader:
    """Reads members of an archive, quickest in the order in which they are there."""

    def __init__(self, path: str):
        self.path, self.members = path, contents(path).members
        self.places = {one.key: place for place, one in self.members.items()}

    def read(self, wanted: Iterable[str]) -> Iterator[tuple[str, IO[bytes]]]:
        """Each of the members wanted, with a stream of its content, which is checked against the archive's own sum at
        its end.  Raises Refused for damage.
        """
        keys = {self.members[place].key for place in wanted}
        with opened(self.path) as archive:
            members = in_zip(archive, keys) if isinstance(archive, zipfile.ZipFile) else in_tar(archive, keys)
            yield from ((self.places[key], stream) for key, stream in members)


def in_zip(archive: zipfile.ZipFile, keys: set[object]) -> Iterator[tuple[int, IO[bytes]]]:
    """The members at these places in a zip file, each open for as long as it is looked at."""
    for fact in archive.infolist():
        if fact.header_offset in keys:
            with archive.open(fact) as stream:
                yield fact.header_offset, stream


def in_tar(archive: tarfile.TarFile, keys: set[object]) -> Iterator[tuple[int, IO[bytes]]]:
    """The same in a tar file; what is behind the last of them is not read."""
    left = set(keys)
    for info in archive:
        if info.offset in left and (content := archive.extractfile(info)):
            left.discard(info.offset)
            with content:
                yield info.offset, content
        if not left:
            return


@contextmanager
def opened(path: str) -> Iterator[zipfile.ZipFile | tarfile.TarFile]:
    """The archive at `path`.  Raises Refused when it is, or turns out to be, damaged."""
    try:
        if path.lower().endswith(".zip"):
            with zipfile.ZipFile(path) as archive:
                yield archive
        else:
            with tarfile.open(path, "r:*", errorlevel=2) as tar:
                yield tar
    except DAMAGED as error:
        raise refusal(path, f"is damaged ({error})") from error


def refusal(path: str, what: str) -> Refused:
    """The error for an archive that will not be unpacked."""
    return Refused(f"{show(path)} {what}", "Get it again from its maker, or unpack it by other means.")


def zip_members(path: str, archive: zipfile.ZipFile) -> Iterator[Member | None]:
    """The files of a zip, None for what is left out."""
    for fact in archive.infolist():
        kind = stat.S_IFMT(fact.external_attr >> 16)
        if fact.is_dir():
            continue
        if fact.filename.startswith(LEFT_BY_SYSTEMS):
            continue
        if is_marker(fact.filename):
            yield None
            continue
        if kind not in (0, stat.S_IFREG):
            yield None
            continue
        if fact.flag_bits & ENCRYPTED:
            raise refusal(path, "is encrypted")
        if cannot_be(fact):
            raise refusal(path, f"says of {show(fact.filename)} that it has {fact.file_size:,} bytes, which cannot be")
        yield Member(name_of(fact), fact.file_size, zip_time(fact), fact.header_offset)


def cannot_be(fact: zipfile.ZipInfo) -> bool:
    """Whether a member says that more comes out of it than can: what is stored has its own size, and what is deflated
    at most a thousand times as much (RFC 1951: 258 bytes for two bits).
    """
    if fact.compress_type == zipfile.ZIP_STORED:
        return fact.file_size != fact.compress_size
    return fact.compress_type == zipfile.ZIP_DEFLATED and fact.file_size > MOST_DEFLATED * fact.compress_size


def name_of(fact: zipfile.ZipInfo) -> str:
    """The path of a zip member: many write UTF-8 and do not say so, and some write backslashes."""
    name = fact.filename
    if not fact.flag_bits & UTF8_NAME:
        with suppress(UnicodeError):
            name = name.encode("cp437").decode("utf-8")
    return name if "/" in name else name.replace("\\", "/")


def zip_time(fact: zipfile.ZipInfo) -> int:
    """When a zip member was changed; its time has no zone, and is taken for UTC."""
    try:
        return int(datetime(*fact.date_time, tzinfo=UTC).timestamp()) * 10**9
    except ValueError:
        return 0


def tar_members(archive: tarfile.TarFile) -> Iterator[Member | None]:
    """The files of a tar, None for what is left out."""
    for info in archive:
        if info.isfile() and not is_marker(info.name):
            yield Member(info.name, info.size, max(0, int(info.mtime)) * 10**9, info.offset)
        elif not info.isdir():
            yield None


def is_marker(name: str) -> bool:
    """Whether a member would make a folder count as a drive."""
    return name.replace("\\", "/").rpartition("/")[2].casefold() == MARKER


def safe(path: str, name: str) -> str:
    """The path of a member without detours.  Refused for one that would lead out of where it is unpacked."""
    parts = [part for part in name.split("/") if part not in ("", ".")]
    if not parts or ".." in parts or name.startswith("/") or DRIVE_LETTER.match(name) or "\0" in name:
        raise refusal(path, f"holds {show(name)}, which leads out of the folder it is unpacked to")
    if any(len(part.encode("utf-8", "surrogateescape")) > LONGEST_NAME for part in parts) or len(name) > LONGEST_PATH:
        raise refusal(path, f"holds a name that is too long for any drive: {show(name[:60])} ...")
    return "/".join(parts)
