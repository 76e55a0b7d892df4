"""What a ledger may be wrapped in: gzip, or one member of a zip.  Wrappers peel off before reading and go back on
after.
"""

import io
import struct
import zipfile
import zlib
from collections.abc import Sequence
from typing import Protocol

LARGEST_INSIDE = 512 << 20  # bytes; more than that out of a small file is a bomb, no ledger


class Wrapper(Protocol):
    """Takes a wrapping off, and puts it back on around changed content."""

    def peel(self, data: bytes) -> bytes:
        """The content; ValueError when the wrapping is not what it claims to be."""

    def put_back(self, data: bytes, content: bytes) -> bytes:
        """The file `data` with `content` in place of what it held, everything else as it was."""


class Plain:
    """No wrapping."""

    def peel(self, data: bytes) -> bytes:
        """See Wrapper.peel."""
        return data

    def put_back(self, data: bytes, content: bytes) -> bytes:
        """See Wrapper.put_back."""
        return content


class Gzip:
    """One gzip member (RFC 1952); its header, with name, time and comment, is kept to the letter."""

    def peel(self, data: bytes) -> bytes:
        """See Wrapper.peel."""
        worker = zlib.decompressobj(31)
        try:
            content = worker.decompress(data, LARGEST_INSIDE)
        except zlib.error as error:
            raise ValueError(f"is damaged gzip data ({error})") from error
        if worker.unconsumed_tail:
            raise ValueError(f"holds more than {LARGEST_INSIDE >> 20} MB when unpacked")
        if not worker.eof:
            raise ValueError("is gzip data that ends too early")
        if worker.unused_data.strip(b"\0"):
            raise ValueError("holds more than one gzip member")
        return content

    def put_back(self, data: bytes, content: bytes) -> bytes:
        """See Wrapper.put_back."""
        worker = zlib.compressobj(9, zlib.DEFLATED, -15)
        body = worker.compress(content) + worker.flush()
        return data[: header_length(data)] + body + struct.pack("<II", zlib.crc32(content), len(content) & 0xFFFFFFFF)


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
    flags = struct.unpack_from("<H", raw, 6)[0] & ~8  # sizes stand in the header now, no descriptor follows
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
