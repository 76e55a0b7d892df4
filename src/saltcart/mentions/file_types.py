"""File types that hold no references of any program: pictures, films, fonts, machine code, packed sounds.

A few letters at the beginning prove nothing: a program may begin its own files in any way.  So the whole header must
parse as that type.  Sources: PNG (ISO/IEC 15948), JPEG (ITU-T T.81), GIF89a, ELF (System V ABI), PE (Microsoft PE
format), Ogg (RFC 3533), FLAC (RFC 9639), ID3v2 (id3.org), ISO base media (ISO/IEC 14496-12), PDF (ISO 32000), WOFF
(W3C), OpenType (ISO/IEC 14496-22), Java class files (JVM specification) and universal binaries (Mach-O).
"""

import re
import struct
from collections.abc import Callable

ENOUGH = 512  # bytes of the beginning that every test here gets, unless the file is shorter
PDF = re.compile(rb"%PDF-[12]\.\d\s")
BOX = re.compile(rb"[a-z0-9]{4}|uuid|\xa9[a-z]{3}")


def holds_no_references(head: bytes, size: int) -> bool:
    """Whether a file that begins with `head` and has `size` bytes is of a type that holds no references."""
    known = BY_FIRST_BYTE.get(head[:1], ())
    return any(head.startswith(magic) and parses(head, size) for magic, parses in known) or is_compiled(head)


def is_png(head: bytes, _size: int) -> bool:
    """The signature, and a first chunk that is the image's header, of 13 bytes and a known kind of colour."""
    return head[:16] == b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR" and len(head) > 25 and head[25] in (0, 2, 3, 4, 6)


def is_jpeg(head: bytes, _size: int) -> bool:
    """The first segment has a length, and another marker follows it."""
    if len(head) < 6:
        return False
    after = 4 + int.from_bytes(head[4:6], "big")
    return 0xC0 <= head[3] <= 0xFE and after > 6 and head[after : after + 1] in (b"\xff", b"")


def is_gif(head: bytes, _size: int) -> bool:
    """One of the two versions, with a size, and a block or a table of colours after it."""
    return head[:6] in (b"GIF87a", b"GIF89a") and len(head) > 12 and head[6:10] != b"\0\0\0\0"


def is_elf(head: bytes, _size: int) -> bool:
    """Class, order of bytes and version are possible, and the header says its own size."""
    if len(head) < 64 or head[4] not in (1, 2) or head[5] not in (1, 2) or head[6] != 1:
        return False
    order = "<" if head[5] == 1 else ">"
    at, wanted = (40, 52) if head[4] == 1 else (52, 64)
    return bool(struct.unpack_from(order + "H", head, at)[0] == wanted)


def is_pe(head: bytes, _size: int) -> bool:
    """The old header says where the new one begins, and it does."""
    at = int.from_bytes(head[60:64], "little")
    return len(head) >= 64 and 64 <= at <= len(head) - 4 and head[at : at + 4] == b"PE\0\0"


def is_compiled(head: bytes) -> bool:
    """Python's compiled source, which says what that says: a version, the end of a line, and known flags (PEP 552)."""
    known = len(head) > 16 and head[2:4] == b"\r\n" and head[4:8] in (bytes(4), b"\1\0\0\0", b"\3\0\0\0")
    return known and 3000 <= int.from_bytes(head[:2], "little") < 4000


def is_ogg(head: bytes, _size: int) -> bool:
    """The first page of a stream: version 0, marked as the first, its number 0, and a packet that names a codec."""
    packet = head[28 : 28 + 8]
    names = (b"\x01vorbis", b"OpusHead", b"\x7fFLAC", b"Speex", b"\x80theora")
    return head[4:6] == b"\0\x02" and head[18:22] == bytes(4) and packet.startswith(names)


def is_flac(head: bytes, _size: int) -> bool:
    """The first block is the stream's description, of 34 bytes."""
    return len(head) > 8 and head[4] & 0x7F == 0 and head[5:8] == b"\0\0\x22"


def is_id3(head: bytes, size: int) -> bool:
    """A version, a length in seven bits a byte that leaves room for sound, and a first frame or padding."""
    if len(head) < 14 or head[3] not in (2, 3, 4) or head[4] == 0xFF or any(byte > 0x7F for byte in head[6:10]):
        return False
    length = 10 + sum(byte << shift for byte, shift in zip(head[6:10], (21, 14, 7, 0), strict=True))
    frame = head[10:13] if head[3] == 2 else head[10:14]
    return length < size and (re.fullmatch(rb"[A-Z][A-Z0-9]+", frame) is not None or not any(frame))


def is_media(head: bytes, size: int) -> bool:
    """A box that says which brand it is, with another box behind it."""
    length = int.from_bytes(head[:4], "big")
    after = head[length + 4 : length + 8]
    return length < size and length % 4 == 0 and length < len(head) - 8 and BOX.fullmatch(after) is not None


def is_pdf(head: bytes, _size: int) -> bool:
    """The version, on its own line."""
    return PDF.match(head) is not None


def is_woff(head: bytes, size: int) -> bool:
    """The header says how long the file is."""
    return len(head) >= 12 and int.from_bytes(head[8:12], "big") == size


def is_opentype(head: bytes, size: int) -> bool:
    """The number of tables fits what follows from it, and the first table lies in the file."""
    if len(head) < 28:
        return False
    count, search, _selector, shift = struct.unpack_from(">HHHH", head, 4)
    power = 1 << (count.bit_length() - 1) if count else 0
    offset, length = struct.unpack_from(">II", head, 20)
    fits = 0 < count < 100 and search == 16 * power and shift == 16 * count - search
    return fits and offset + length <= size and head[12:16].isascii()


def is_code(head: bytes, size: int) -> bool:
    """A class file of a known version, or a universal binary with a few parts that lie in the file."""
    if len(head) < 28:
        return False
    minor, major = struct.unpack_from(">HH", head, 4)
    if minor < 4 and 45 <= major <= 80:
        return True
    parts, offset, length = struct.unpack_from(">I8xII", head, 4)
    return bool(0 < parts < 20 and offset > 0 and offset + length <= size)


TYPES: tuple[tuple[bytes, Callable[[bytes, int], bool]], ...] = (
    (b"\x89PNG", is_png),
    (b"\xff\xd8\xff", is_jpeg),
    (b"GIF8", is_gif),
    (b"\x7fELF", is_elf),
    (b"MZ", is_pe),
    (b"OggS", is_ogg),
    (b"fLaC", is_flac),
    (b"ID3", is_id3),
    (b"\0\0\0\x18ftyp", is_media),
    (b"\0\0\0\x20ftyp", is_media),
    (b"%PDF", is_pdf),
    (b"wOFF", is_woff),
    (b"\0\1\0\0", is_opentype),
    (b"OTTO", is_opentype),
    (b"\xca\xfe\xba\xbe", is_code),
)

BY_FIRST_BYTE = {first: [one for one in TYPES if one[0][:1] == first] for first in {magic[:1] for magic, _ in TYPES}}
