"""What is packed in a file: by gzip, bzip2, xz, Zstandard, zlib or zip; one in the other, up to some depth.

Formats: RFC 1952 (gzip), RFC 1950 (zlib), RFC 8878 (Zstandard), the .xz file format 1.2.1, APPNOTE (zip).
"""

import io
import re
import sys
import zipfile
import zlib
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from importlib import import_module
from typing import IO, Any, NamedTuple

from saltcart.errors import show
from saltcart.ledgers.wrappers import GZIP_MAGIC, LARGEST_INSIDE, ZIP_MAGIC
from saltcart.shelves.audio import kind_of

ALWAYS, RATIO = 64 << 20, 50  # bytes that may come out of any packed file, and more for each byte of it
MOST_MEMBERS = 50_000
LONGEST_LIST = 16 << 20  # bytes of the list of members of a zip file
END_OF_LIST, BEHIND = b"PK\5\6", 76 + 22 + 0xFFFF  # APPNOTE 4.3.16: it has 22 bytes, and a comment
LARGE_LIST = b"PK\6\7"  # APPNOTE 4.3.15: the locator of a longer end, in the 20 bytes before that
LARGE_END = b"PK\6\6"  # APPNOTE 4.3.14: that longer end, in the 56 bytes before that
SMALL, MOST_AT_ONCE = 64 << 10, 8 << 20  # bytes of a packed file, and of what comes out of it, that are read at once
DEEPEST = 3  # packed in packed in packed
STREAM = re.compile(rb"\x78[\x01\x5e\x9c\xda]")  # how zlib begins with the usual window
MOST_STREAMS = 300_000  # beginnings that are tried in one file
PROBE, LEAST = 1024, 16  # bytes that tell whether one is a stream, and that come out of it at least


class TooMuch(ValueError):
    """A file holds more than is read of one: what it names is not known."""


class Budget:
    """How much may come out of one file, all its members together: what packs itself smaller than any text does is
    made to cost time.
    """

    def __init__(self, packed: int):
        self.left = min(LARGEST_INSIDE, ALWAYS + RATIO * packed)
        self.attempts = MOST_STREAMS

    def attempt(self) -> None:
        """Count one more beginning that is tried.  Raises TooMuch after the last."""
        self.attempts -= 1
        if self.attempts < 0:
            raise TooMuch("holds too many packed parts to be read")

    def take(self, count: int) -> None:
        """Count some bytes.  Raises TooMuch once it is spent."""
        self.left -= count
        if self.left < 0:
            raise TooMuch("holds too much to be read")


class Counted:
    """What comes out of a packed file, as long as its budget lasts."""

    def __init__(self, stream: IO[bytes], budget: Budget):
        self.stream, self.budget = stream, budget

    def read(self, size: int) -> bytes:
        """At most so many bytes; none at the end.  Raises TooMuch."""
        content = self.stream.read(size)
        self.budget.take(len(content))
        return content


class Inner(NamedTuple):
    """What came out: where it stood in the file, in words, its content as a stream, and its size where that is
    stated.
    """

    where: str
    stream: Counted
    size: int = 0


class Zstandard:
    """What a Zstandard file holds; ValueError for one that is damaged."""

    def __init__(self, stream: IO[bytes]):
        zstd = import_module("compression.zstd" if sys.version_info >= (3, 14) else "backports.zstd")  # seldom met
        self.damage = zstd.ZstdError, EOFError
        self.inner: Any = zstd.ZstdFile(stream)

    def __enter__(self) -> "Zstandard":
        return self

    def __exit__(self, *_error: object) -> None:
        self.inner.close()

    def read(self, size: int) -> bytes:
        """At most so many bytes; none at the end."""
        try:
            return bytes(self.inner.read(size))
        except self.damage as error:
            raise ValueError(f"is damaged ({error})") from error


def gzip_reader(stream: IO[bytes]) -> Any:
    """What a gzip file holds."""
    import gzip  # as the others, seldom needed: most files are not packed

    return gzip.GzipFile(fileobj=stream)


def bzip2_reader(stream: IO[bytes]) -> Any:
    """What a bzip2 file holds."""
    import bz2

    return bz2.BZ2File(stream)


def xz_reader(stream: IO[bytes]) -> Any:
    """What an xz file holds."""
    import lzma

    return lzma.LZMAFile(stream)


PACKERS: dict[bytes, Callable[[IO[bytes]], Any]] = {
    GZIP_MAGIC: gzip_reader,
    b"BZh": bzip2_reader,
    b"\xfd7zXZ\0": xz_reader,
    b"\x28\xb5\x2f\xfd": Zstandard,
}


MAGICS = (ZIP_MAGIC, *PACKERS)


def is_packed(head: bytes) -> bool:
    """Whether content that begins like this is packed as a whole."""
    if head.startswith(b"BZh"):
        return head[3:4].isdigit() and head[4:10] == b"1AY&SY"
    return head.startswith(MAGICS)


def unpacked(head: bytes, stream: IO[bytes], where: str, budget: Budget) -> Iterator[Inner]:
    """What is in a packed stream that begins with `head` and is at its beginning."""
    if head.startswith(ZIP_MAGIC):
        yield from members(stream, where, budget)
        return
    if head.startswith(GZIP_MAGIC) and (content := gunzipped(head, stream, budget)) is not None:
        yield Inner(where, Counted(io.BytesIO(content), Budget(LARGEST_INSIDE)))
        return
    reader = next(reader for magic, reader in PACKERS.items() if head.startswith(magic))
    with reader(stream) as inner:
        yield Inner(where, Counted(inner, budget))


def gunzipped(head: bytes, stream: IO[bytes], budget: Budget) -> bytes | None:
    """What a small gzip file of one member holds, all at once, which is quicker; None for any other."""
    if len(head) >= SMALL:
        return None
    data = stream.read(SMALL)
    stream.seek(0)
    worker = zlib.decompressobj(31)
    with suppress(zlib.error):
        content = worker.decompress(data, min(MOST_AT_ONCE, budget.left + 1))
        if worker.eof and not worker.unused_data:
            budget.take(len(content))
            return content
    return None


def members(stream: IO[bytes], where: str, budget: Budget) -> Iterator[Inner]:
    """The members of a zip file; sounds among them are passed over, and so is all that a program is installed from."""
    if list_size(stream) > LONGEST_LIST:
        raise TooMuch("holds too many files to be read")
    with zipfile.ZipFile(stream) as archive:
        if is_installer(archive.namelist()):
            return
        if len(archive.infolist()) > MOST_MEMBERS:
            raise TooMuch("holds too many files to be read")
        facts = [fact for fact in archive.infolist() if fact.file_size and not kind_of(fact.filename)]
        if sum(fact.file_size for fact in facts) > budget.left:
            raise TooMuch("holds too much to be read")  # before any of it is
        for fact in facts:
            with archive.open(fact) as member:
                yield Inner(f"{where}{show(fact.filename)}, ", Counted(member, budget), fact.file_size)


def is_installer(names: Sequence[str]) -> bool:
    """Whether members of these names make what a program is installed from, which is the same for everybody: a Python
    wheel (PEP 427) or a Java archive (JAR File Specification).
    """
    known = {name for name in names if name.endswith(".dist-info/WHEEL") and name.count("/") == 1}
    tops = [name.removesuffix("WHEEL") for name in known]
    wheel = any({f"{top}METADATA", f"{top}RECORD"} <= {*names} for top in tops)
    return wheel or ("META-INF/MANIFEST.MF" in names and any(name.endswith(".class") for name in names))


def installs(path: str) -> bool:
    """Whether a file is a zip file that a program is installed from; however large it is, only its list is read."""
    with suppress(OSError, zipfile.BadZipFile, ValueError, NotImplementedError), open(path, "rb") as stream:
        if list_size(stream) <= LONGEST_LIST:
            with zipfile.ZipFile(stream) as archive:
                return is_installer(archive.namelist())
    return False


def list_size(stream: IO[bytes]) -> int:
    """How many bytes the list of members of a zip file has at most, as its end says; 0 where that is not found."""
    size = stream.seek(0, io.SEEK_END)
    stream.seek(max(0, size - BEHIND))
    end = stream.read(BEHIND)
    stream.seek(0)
    # As `zipfile` looks for them: a stranger's file may hold several ends, and must not show us another than it.
    alone = end[-22:].startswith(END_OF_LIST) and end.endswith(b"\0\0")
    at = len(end) - 22 if alone else end.rfind(END_OF_LIST)
    if at >= 20 and end[at - 20 :].startswith(LARGE_LIST):
        longer = end[max(0, at - 76) : at - 20]
        return int.from_bytes(longer[40:48], "little") if longer.startswith(LARGE_END) else size
    return int.from_bytes(end[at + 12 : at + 16], "little") if at >= 0 else 0


def zlib_streams(data: bytes, first: int, last: int, more: bool, budget: Budget) -> Iterator[tuple[int, bytes]]:
    """What is packed by zlib within a binary file, or within a piece of it that `more` follows, and where each begins.

    Many bytes look like the beginning of a stream: a few of those that follow tell.  Raises TooMuch for a stream that
    goes on behind the piece.
    """
    view, skip = memoryview(data), first
    for found in STREAM.finditer(data, first, last):
        start = found.start()
        if start < skip:
            continue
        budget.attempt()
        with suppress(zlib.error):
            if len(zlib.decompressobj().decompress(view[start : start + PROBE], LEAST)) < LEAST:
                continue
            worker = zlib.decompressobj()
            content = worker.decompress(view[start:], budget.left + 1)
            budget.take(len(content))
            if more and not worker.eof and len(data) - start > PROBE:
                raise TooMuch("holds a packed part that is too long to be read")
            skip = len(data) - len(worker.unused_data) if worker.eof else skip
            yield start, content
