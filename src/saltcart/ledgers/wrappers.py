"""What a ledger may be wrapped in: gzip, or one member of a zip.  Wrappers peel off before reading and go back on
after.
"""

import io
import struct
import zipfile
import zlib
from collections.abc import Iterator, Sequence
from contextlib import suppress
from typing import Protocol

LARGEST_INSIDE = 512 << 20  # bytes; more than that out of a small file is a bomb, no ledger
LARGEST_LIST = 4 << 20  # bytes of a member that may list the digests of others
MOST_MEMBERS = 1000  # each is cut from the rest, which costs the square of their number


class Wrapper(Protocol):
    """Takes a wrapping off, and puts it back on around changed content."""

    def peel(self, data: bytes) -> bytes:
        """The content; ValueError when the wrapping is not what it claims to be."""

    def put_back(self, data: bytes, content: bytes) -> bytes:
        """The file `data` with `content` in place of what it held, everything else as it was."""

    def others(self, data: bytes) -> Iterator[bytes]:
        """What else the file holds, of a size that a list of digests may have."""


class Plain:
    """No wrapping."""

    def peel(self, data: bytes) -> bytes:
        """See Wrapper.peel."""
        return data

    def put_back(self, data: bytes, content: bytes) -> bytes:
        """See Wrapper.put_back."""
        return content

    def others(self, data: bytes) -> Iterator[bytes]:
        """See Wrapper.others."""
        yield from ()


class Gzip:
    """Gzip members one after the other (RFC 1952), mostly one; the header, with name, time and comment, is kept to
    the letter, and so are whole members at the beginning and at the end whose content stays.
    """

    def peel(self, data: bytes) -> bytes:
        """See Wrapper.peel."""
        return b"".join(content for _raw, content in gzip_members(data)[0])

    def put_back(self, data: bytes, content: bytes) -> bytes:
        """See Wrapper.put_back."""
        members, padding = gzip_members(data)
        before: list[bytes] = []
        after: list[bytes] = []
        while len(members) > 1 and content.startswith(members[0][1]):
            before.append(members[0][0])
            content = content[len(members.pop(0)[1]) :]
        while len(members) > 1 and content.endswith(members[-1][1]):
            after.insert(0, members[-1][0])
            content = content[: len(content) - len(members.pop()[1])]
        worker = zlib.compressobj(9, zlib.DEFLATED, -15)
        body = worker.compress(content) + worker.flush()
        sums = struct.pack("<II", zlib.crc32(content), len(content) & 0xFFFFFFFF)
        head = members[0][0][: header_length(members[0][0])]
        return b"".join([*before, head, body, sums, *after, padding])

    def others(self, data: bytes) -> Iterator[bytes]:
        """See Wrapper.others."""
        yield from ()


def gzip_members(data: bytes) -> tuple[list[tuple[bytes, bytes]], bytes]:
    """The members of gzip data, packed and unpacked, and the NULs that fill it up.  ValueError when it is none."""
    members: list[tuple[bytes, bytes]] = []
    left = LARGEST_INSIDE
    while not members or data.strip(b"\0"):
        worker = zlib.decompressobj(31)
        try:
            content = worker.decompress(data, left + 1)
        except zlib.error as error:
            raise ValueError(f"is damaged gzip data ({error})") from error
        left -= len(content)
        if left < 0:
            raise ValueError(f"holds more than {LARGEST_INSIDE >> 20} MB when unpacked")
        if not worker.eof:
            raise ValueError("is gzip data that ends too early")
        if len(members) == MOST_MEMBERS:
            raise ValueError(f"holds more than {MOST_MEMBERS:,} gzip members")
        members.append((data[: len(data) - len(worker.unused_data)], content))
        data = worker.unused_data
    return members, data


def header_length(data: bytes) -> int:
    """The length of a gzip member's header (RFC 1952, section 2.3)."""
    flags, place = data[3], 10
    if flags & 4:
        place += 2 + struct.unpack_from("<H", data, place)[0]
    for flag in (8, 16):
        if flags & flag:
            place = data.index(b"\0", place) + 1
    return place + 2 * bool(flags & 2)


class ZipMember:
    """One member of a zip file; the other members keep their bytes, order, times and compression."""

    def __init__(self, member: str):
        self.member = member

    def peel(self, data: bytes) -> bytes:
        """See Wrapper.peel."""
        try:
            with zipfile.ZipFile(io.BytesIO(data)) as archive:
                fact = archive.getinfo(self.member)
                if archive.namelist().count(self.member) > 1:
                    raise ValueError(f"has several members {self.member}, and which of them counts nobody can tell")
                if fact.file_size > LARGEST_INSIDE:
                    raise ValueError(f"{self.member} in it is larger than {LARGEST_INSIDE >> 20} MB")
                with archive.open(fact) as stream:
                    content = stream.read(LARGEST_INSIDE + 1)
        except KeyError as error:
            raise ValueError(f"has no member {self.member}") from error
        except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError) as error:
            raise ValueError(f"is a damaged zip file ({error})") from error
        if len(content) > LARGEST_INSIDE:
            raise ValueError(f"{self.member} in it unpacks to more than {LARGEST_INSIDE >> 20} MB")
        return content

    def put_back(self, data: bytes, content: bytes) -> bytes:
        """See Wrapper.put_back.  Raw members are copied with their headers; only the changed one is packed anew."""
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            facts, comment = archive.infolist(), archive.comment
            starts = [*sorted(fact.header_offset for fact in facts), archive.start_dir]
        out, entries = io.BytesIO(), []
        out.write(data[: starts[0]])
        for fact in sorted(facts, key=lambda one: one.header_offset):
            raw = data[fact.header_offset : starts[starts.index(fact.header_offset) + 1]]
            offset = out.tell()
            fields = None
            if fact.filename == self.member:
                raw, fields = repacked(raw, fact, content)
            out.write(raw)
            entries.append((fact, offset, fields))
        return finished(data, out, entries, facts, comment)

    def others(self, data: bytes) -> Iterator[bytes]:
        """See Wrapper.others."""
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            for fact in archive.infolist():
                if fact.filename != self.member and 0 < fact.file_size <= LARGEST_LIST:
                    with suppress(zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError):
                        yield archive.read(fact)[:LARGEST_LIST]


# A member, where it comes to lie, and its check sum and sizes where it was packed anew.
Member = tuple[zipfile.ZipInfo, int, tuple[int, int, int] | None]


def repacked(raw: bytes, fact: zipfile.ZipInfo, content: bytes) -> tuple[bytes, tuple[int, int, int]]:
    """The local record of a member with new content (APPNOTE 4.3.7), and its check sum and sizes."""
    name, extra = struct.unpack_from("<HH", raw, 26)
    body = content
    if fact.compress_type == zipfile.ZIP_DEFLATED:
        worker = zlib.compressobj(9, zlib.DEFLATED, -15)
        body = worker.compress(content) + worker.flush()
    elif fact.compress_type != zipfile.ZIP_STORED:
        raise ValueError(f"{fact.filename} is packed in a way that cannot be written")
    sums = (zlib.crc32(content), len(body), len(content))
    flags = struct.unpack_from("<H", raw, 6)[0] & ~8  # sizes are in the header now, no descriptor follows
    head = raw[:6] + struct.pack("<H", flags) + raw[8:14] + struct.pack("<III", *sums) + raw[26 : 30 + name + extra]
    return head + body, sums


def finished(
    data: bytes, out: io.BytesIO, entries: Sequence[Member], facts: list[zipfile.ZipInfo], comment: bytes
) -> bytes:
    """The zip file with its central directory written anew from the old one's records (APPNOTE 4.3.12, 4.3.16)."""
    end = data.rfind(b"PK\x05\x06")
    place, directory = struct.unpack_from("<I", data, end + 16)[0], b""
    shift = facts and end - struct.unpack_from("<I", data, end + 12)[0] - place  # bytes before the archive proper
    position = place + (shift or 0)
    by_offset = {fact.header_offset: (offset, fields) for fact, offset, fields in entries}
    for fact in facts:
        name, extra, note = struct.unpack_from("<HHH", data, position + 28)
        record = bytearray(data[position : position + 46 + name + extra + note])
        position += len(record)
        offset, fields = by_offset[fact.header_offset]
        struct.pack_into("<I", record, 42, offset - (shift or 0))
        if fields:
            struct.pack_into("<H", record, 8, struct.unpack_from("<H", record, 8)[0] & ~8)
            struct.pack_into("<III", record, 16, *fields)
        directory += bytes(record)
    start = out.tell()
    out.write(directory)
    out.write(data[end : end + 12] + struct.pack("<II", len(directory), start - (shift or 0)) + data[end + 20 :])
    return out.getvalue()


PLAIN = Plain()
GZIP_MAGIC, ZIP_MAGIC = b"\x1f\x8b", b"PK\x03\x04"
