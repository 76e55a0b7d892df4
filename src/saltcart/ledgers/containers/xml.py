"""XML: elements and attributes by path, found by a real parser, replaced as bytes.

Places are paths of local names from the root; an attribute is the last name with `@` before it.
A document that declares entities is refused: nothing that names sounds needs them.
"""

from collections.abc import Callable, Sequence
from xml.parsers import expat

import re

from saltcart.ledgers.codings import CDATA, XML, Escape
from saltcart.ledgers.rules import At, Matcher, parted
from saltcart.ledgers.spans import Span
from saltcart.ledgers.textual import Found, Text, byte_spans, decoded

DEEPEST = 500
DECLARED = re.compile(rb"""^<\?xml[^>]*?encoding\s*=\s*["']([A-Za-z0-9._-]+)["']""")
TAG_END = re.compile(rb"""(?:[^>"']|"[^"]*"|'[^']*')*>""")
ATTRIBUTE = re.compile(rb"""\s([^\s=/>"']+)\s*=\s*(?:"([^"]*)"|'([^']*)')""")
Place = tuple[int, int, str, Escape, At]


def spans(data: bytes, rules: Sequence[At]) -> list[Span]:
    """The entries of an XML document.  ValueError when it is not well-formed or declares entities."""
    text = read(data)
    raw = text.text.encode("utf-8", "surrogatepass")
    return place_spans(text, raw, Reader(raw, Matcher(rules)).places())


def read(data: bytes) -> Text:
    """The text of a document in its declared encoding."""
    declared = DECLARED.match(data)
    return decoded(data, declared[1].decode() if declared else "utf-8" if b"\0" not in data[:4] else None)


def place_spans(text: Text, raw: bytes, places: list[Place]) -> list[Span]:
    """Places in the UTF-8 form of a document as spans of its own bytes."""
    found: list[Found] = []
    bases: dict[str, int] = {}
    sign = byte = 0
    for start, end, place, escape, rule in sorted(places, key=lambda one: one[0]):
        value = raw[start:end].decode("utf-8", "surrogatepass")
        sign += len(raw[byte:start].decode("utf-8", "surrogatepass"))
        for first, last in parted(value, rule.separator):
            base = bases.get(rule.base_at) if rule.base_at else None
            found.append(Found(sign + first, sign + last, place, escape, rule.spelling, rule.names, base))
        bases[rule.at] = len(found) - 1
        byte, sign = end, sign + len(value)
    return byte_spans(text, found)


class Reader:
    """Runs the parser over one document and notes where the wanted values lie."""

    def __init__(self, raw: bytes, rule_for: Callable[[str], At | None]):
        self.raw, self.rule_for = raw, rule_for
        self.path: list[str] = []
        self.open: list[tuple[At, int] | None] = []
        self.counts: dict[str, int] = {}
        self.found: list[Place] = []
        self.parser = expat.ParserCreate("utf-8")
        self.parser.StartElementHandler = self.start
        self.parser.EndElementHandler = self.end
        self.parser.EntityDeclHandler = refuse_entity
        self.parser.ordered_attributes = True

    def places(self) -> list[Place]:
        """Start, end, where, escape and rule of each value."""
        try:
            self.parser.Parse(self.raw, True)
        except expat.ExpatError as error:
            raise ValueError(f"is not well-formed XML ({error})") from error
        return self.found

    def start(self, name: str, attributes: list[str]) -> None:
        """A start tag: note its attributes, and where its text begins."""
        parent = self.path[-1] + "/" if self.path else ""
        path = parent + name.rpartition(":")[2]
        if len(self.path) >= DEEPEST:
            raise ValueError("is nested too deeply")
        if self.open and self.open[-1]:
            self.open[-1] = None  # it holds more than text
        self.path.append(path)
        rule = self.rule_for(path)
        index = self.parser.CurrentByteIndex
        self.open.append((rule, TAG_END.match(self.raw, index).end()) if rule else None)
        for attribute in attributes[::2]:
            if found := self.rule_for(f"{path}/@{attribute}") or self.rule_for(f"{path}/@{attribute.rpartition(':')[2]}"):
                self.note_attribute(index, attribute, found, path)

    def note_attribute(self, index: int, name: str, rule: At, path: str) -> None:
        """Note the value of one attribute of the tag at `index`."""
        end = TAG_END.match(self.raw, index).end()
        for match in ATTRIBUTE.finditer(self.raw, index, end):
            if match[1].decode("utf-8", "surrogatepass") == name:
                group = 2 if match[2] is not None else 3
                self.found.append((match.start(group), match.end(group), self.numbered(f"{path}/@{name}"), XML, rule))

    def end(self, _name: str) -> None:
        """An end tag: what stands between is the value."""
        path, opened = self.path.pop(), self.open.pop()
        if not opened:
            return
        rule, start = opened
        end = max(start, self.parser.CurrentByteIndex)
        value = self.raw[start:end]
        start += len(value) - len(value.lstrip())
        end -= len(value) - len(value.rstrip())
        value = value.strip()
        escape = XML
        if value.startswith(b"<![CDATA[") and value.endswith(b"]]>") and value.count(b"]]>") == 1:
            start, end, escape = start + 9, end - 3, CDATA
        elif b"<" in value:
            raise ValueError(f"has a comment or the like inside {self.numbered(path)}, which cannot be kept")
        if start < end:
            self.found.append((start, end, self.numbered(path), escape, rule))

    def numbered(self, path: str) -> str:
        """A place with its number among those alike, for people."""
        self.counts[path] = self.counts.get(path, 0) + 1
        return f"{path} {self.counts[path]}"


def refuse_entity(*_declaration: object) -> None:
    """Refuse a document that declares entities."""
    raise ValueError("declares entities, which no ledger needs; it was not read further")
