"""Property lists, in XML and binary: strings by the path of their keys, `*` for the places of an array.

In the XML form strings are replaced as bytes.  In the binary form (Apple's bplist00, as
CFBinaryPList.c describes it) every object is kept to the bit but the strings that change:
objects after them move, so the table of offsets is written anew.
"""

import plistlib
import struct
from bisect import bisect_left
from collections.abc import Iterator, Sequence
from itertools import accumulate
from xml.parsers.expat import ExpatError

from msgspec import Struct

from saltcart.errors import CannotSpell, show
from saltcart.ledgers.codings import XML
from saltcart.ledgers.containers import xml
from saltcart.ledgers.rules import At, Matcher
from saltcart.ledgers.spans import Span, Spans
from saltcart.ledgers.where import Where

MAGIC = b"bplist00"
DEEPEST, MOST_SHARED = 200, 100_000


def loaded(data: bytes) -> object:
    """What a property list holds; parts of a binary one may be shared very often.  ValueError when it is none."""
    try:
        return plistlib.loads(data)
    except (
        plistlib.InvalidFileException,
        ExpatError,
        ValueError,
        LookupError,
        OverflowError,
        RecursionError,
        struct.error,
    ) as error:
        raise ValueError(f"is not a property list ({error})") from error


def texts_in(data: bytes) -> Iterator[str]:
    """The strings and keys of a property list, shared ones once.  ValueError when it is none."""
    waiting, seen = [loaded(data)], set[int]()
    while waiting:
        one = waiting.pop()
        if isinstance(one, str):
            yield one
        elif isinstance(one, dict | list) and id(one) not in seen:
            seen.add(id(one))
            waiting += [*one, *one.values()] if isinstance(one, dict) else one


def spans(data: bytes, rules: Sequence[At]) -> list[Span]:
    """The entries of a property list.  ValueError when it is not one."""
    loaded(data)
    return binary_spans(data, Matcher(rules)) if data.startswith(MAGIC) else xml_spans(data, Matcher(rules))


class XmlReader(xml.Reader):
    """Reads the XML form: a string's place is the path of keys that lead to it."""

    def __init__(self, raw: bytes, rule_for: Matcher):
        super().__init__(raw, lambda path: ANY if path.rpartition("/")[2] in ("string", "key") else None)
        self.wanted = rule_for
        self.places_open: list[str] = [""]
        self.kinds: list[str] = []
        self.last_key = ""

    def start(self, name: str, attributes: list[str]) -> None:
        """See Reader.start."""
        super().start(name, attributes)
        if name in ("dict", "array"):
            self.places_open.append(self.here())
            self.kinds.append(name)

    def end(self, name: str) -> None:
        """See Reader.end."""
        before = len(self.found)
        super().end(name)
        if name in ("dict", "array"):
            self.places_open.pop()
            self.kinds.pop()
        elif len(self.found) > before:
            start, end, _where, escape, _rule, holders = self.found.pop()
            if name == "key":
                self.last_key = "".join(
                    map(XML.mean, XML.signs.findall(self.raw[start:end].decode("utf-8", "surrogatepass")))
                )
            elif rule := self.wanted(self.here()):
                self.found.append((start, end, self.numbered(self.here()), escape, rule, holders))

    def here(self) -> str:
        """The place of the value that comes or ends now."""
        if not self.kinds:
            return ""
        name = "*" if self.kinds[-1] == "array" else self.last_key
        return f"{self.places_open[-1]}/{name}".lstrip("/")


ANY = At("", None)  # type: ignore[arg-type]  # every string is noted first, and judged by its place after


def xml_spans(data: bytes, rule_for: Matcher) -> list[Span]:
    """The entries of the XML form."""
    text = xml.read(data)
    raw = text.text.encode("utf-8", "surrogatepass")
    return xml.place_spans(text, raw, XmlReader(raw, rule_for).places(), rule_for)


class BinaryCoding(Struct, frozen=True):
    """A string object whole, marker and all: one byte a character when it is ASCII, else UTF-16."""

    sure = True
    marks, plain_escapes = None, ""

    def decode(self, raw: bytes) -> str:
        """See Coding.decode."""
        return string_of(raw, 0)

    def otherwise(self, raw: bytes) -> str | None:
        """See Coding.otherwise."""
        return None

    def encode(self, text: str, like: bytes) -> bytes:
        """See Coding.encode."""
        if any("\udc80" <= sign <= "\udcff" for sign in text):
            raise CannotSpell(f"a property list cannot hold the name {show(text)}, which is not valid text")
        kind, body = (0x50, text.encode("ascii")) if text.isascii() else (0x60, text.encode("utf-16-be"))
        count = len(text) if kind == 0x50 else len(body) // 2
        if count < 15:
            return bytes([kind | count]) + body
        width = 0 if count < 1 << 8 else 1 if count < 1 << 16 else 2
        return bytes([kind | 15, 0x10 | width]) + count.to_bytes(1 << width, "big") + body


class SharedCoding(BinaryCoding, frozen=True):
    """A string object that serves as something else, too, and so cannot be changed by itself."""

    place: str

    def encode(self, text: str, like: bytes) -> bytes:
        """See Coding.encode."""
        if text != self.decode(like):
            raise CannotSpell(
                f"the property list uses one string as {self.place} and as something else, so it cannot be changed"
            )
        return like


BINARY = BinaryCoding()


class Table(Struct, frozen=True):
    """The trailer and the offsets of all objects."""

    offset_size: int
    reference_size: int
    top: int
    start: int
    offsets: list[int]


def table_of(data: bytes) -> Table:
    """The table of a valid binary property list."""
    offset_size, reference_size, count, top, start = struct.unpack(">6xBBQQQ", data[-32:])
    offsets = [
        int.from_bytes(data[start + number * offset_size : start + (number + 1) * offset_size], "big")
        for number in range(count)
    ]
    return Table(offset_size, reference_size, top, start, offsets)


def length_at(data: bytes, place: int) -> tuple[int, int]:
    """The count of the object at `place`, and where its content begins."""
    count = data[place] & 15
    if count < 15:
        return count, place + 1
    width = 1 << (data[place + 1] & 15)
    return int.from_bytes(data[place + 2 : place + 2 + width], "big"), place + 2 + width


def string_of(data: bytes, place: int) -> str:
    """The string object at `place`."""
    count, start = length_at(data, place)
    if data[place] >> 4 == 5:
        return data[start : start + count].decode("ascii")
    return data[start : start + 2 * count].decode("utf-16-be", "surrogatepass")


def strings(data: bytes, table: Table) -> Iterator[tuple[str, int]]:
    """Place and object number of every string, as often as it is referred to; keys are not values."""
    waiting, again = [("", table.top, 0)], 0
    seen: set[int] = set()
    while waiting:
        path, number, depth = waiting.pop()
        place = table.offsets[number]
        kind = data[place] >> 4
        if depth > DEEPEST:
            raise ValueError("is nested too deeply")
        if kind in (5, 6):
            yield path, number
        elif kind in (0xA, 0xC, 0xD):
            again += number in seen
            seen.add(number)
            if again > MOST_SHARED:
                raise ValueError(f"holds its arrays and dictionaries in more than {MOST_SHARED:,} places again")
            count, start = length_at(data, place)
            size = table.reference_size
            refs = [
                int.from_bytes(data[start + at * size : start + (at + 1) * size], "big")
                for at in range(count * (2 if kind == 0xD else 1))
            ]
            names = [string_of(data, table.offsets[ref]) for ref in refs[:count]] if kind == 0xD else ["*"] * count
            values = refs[count:] if kind == 0xD else refs
            waiting += [
                (f"{path}/{name}".lstrip("/"), ref, depth + 1)
                for name, ref in reversed(list(zip(names, values, strict=True)))
            ]


def binary_spans(data: bytes, rule_for: Matcher) -> list[Span]:
    """The entries of the binary form, in the order of the file."""
    if any(rule.parts or rule.base_at for _pattern, rule in rule_for.rules):
        raise ValueError("is a binary property list, whose texts are one path each, from no other folder")
    table = table_of(data)
    wanted: dict[int, tuple[str, At]] = {}
    others: set[int] = set()
    for place, number in strings(data, table):
        rule = rule_for(place)
        if rule:
            wanted.setdefault(number, (place, rule))
        else:
            others.add(number)
    found: list[Span] = []
    counts: dict[str, int] = {}
    for number, (place, rule) in sorted(wanted.items(), key=lambda pair: table.offsets[pair[0]]):
        start = table.offsets[number]
        count, body = length_at(data, start)
        end = body + count * (1 if data[start] >> 4 == 5 else 2)
        counts[place] = counts.get(place, 0) + 1
        coding = SharedCoding(place) if number in others else BINARY
        found.append(Span(start, end, Where(place, counts[place]), coding, rule.spelling, rule.names))
    return found


def splice(found: Spans, texts: Sequence[bytes]) -> bytes:
    """The list with new strings; in the binary form with a new table of offsets."""
    data = found.data
    if not data.startswith(MAGIC):
        return found.spliced(texts)
    table = table_of(data)
    # By how much all that lies behind so many changes has moved.
    moved = list(accumulate((len(new) - len(old) for old, new in zip(found.inside, texts, strict=True)), initial=0))
    body = found.spliced(texts)[: table.start - len(data)]
    offsets = [offset + moved[bisect_left(found.starts, offset)] for offset in table.offsets]
    size = max(table.offset_size, (max(offsets).bit_length() + 7) // 8)
    trailer = data[-32:-26] + bytes([size, table.reference_size]) + data[-24:-8] + struct.pack(">Q", len(body))
    return body + b"".join(offset.to_bytes(size, "big") for offset in offsets) + trailer


def rest(found: Spans) -> object:
    """Everything but the entries: bytes of the XML form, objects and structure of the binary one."""
    data = found.data
    if not data.startswith(MAGIC):
        return found.outside
    table = table_of(data)
    starts = set(found.starts)
    numbers = {number for number, offset in enumerate(table.offsets) if offset in starts}
    structure = [
        (place, number, None if number in numbers else string_of(data, table.offsets[number]))
        for place, number in strings(data, table)
    ]
    before_table = (*found.outside[:-1], found.outside[-1][: table.start - len(data)])
    return before_table, structure, table.top, table.reference_size, len(table.offsets)
