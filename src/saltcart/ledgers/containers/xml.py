"""XML: elements and attributes by path, found by a real parser, replaced as bytes.

Places are paths of local names from the root; an attribute is the last name with `@` before it.
A document that declares entities is refused: nothing that names sounds needs them.
"""

import re
from collections.abc import Callable, Mapping, Sequence
from operator import itemgetter
from xml.parsers import expat

from saltcart.ledgers.codings import CDATA, MIXED, XML, Escape
from saltcart.ledgers.containers import records
from saltcart.ledgers.rules import At, Bases, Matcher, must_match, parted
from saltcart.ledgers.spans import Span, Spans
from saltcart.ledgers.textual import Found, Text, byte_spans, decoded, with_bases
from saltcart.ledgers.where import Where

DECLARED = re.compile(rb"""^<\?xml[^>]*?encoding\s*=\s*["']([A-Za-z0-9._-]+)["']""")
TAG_END = re.compile(rb"""(?:[^>"']++|"[^"]*"|'[^']*')*+>""")
ATTRIBUTE = re.compile(rb"""\s([^\s=/>"']+)\s*=\s*(?:"([^"]*)"|'([^']*)')""")
Place = tuple[int, int, Where, Escape, At, tuple[int, ...]]


def spans(data: bytes, rules: Sequence[At], one_namespace: bool = False) -> Spans | list[Span]:
    """The entries of an XML document; with `one_namespace` only of elements in the namespace of the root.  ValueError
    when it is not well-formed or declares entities.
    """
    rule_for = Matcher(rules)
    plain = said(data) in ("utf-8", "UTF-8") and not (one_namespace and data.count(b"xmlns") > 1)
    quick = records.spans(data, rule_for) if plain else None
    return quick or read_spans(read(data), rule_for, one_namespace)


def read_spans(text: Text, rule_for: Matcher, one_namespace: bool = False) -> list[Span]:
    """The entries of any document, tag by tag."""
    raw = text.text.encode("utf-8", "surrogatepass")
    return place_spans(text, raw, Reader(raw, rule_for, one_namespace).places(), rule_for)


def read(data: bytes) -> Text:
    """The text of a document in its declared encoding."""
    return decoded(data, said(data))


def said(data: bytes) -> str | None:
    """The encoding that a document declares, or must have without saying so."""
    declared = DECLARED.match(data)
    return declared[1].decode() if declared else "utf-8" if b"\0" not in data[:4] else None


def place_spans(text: Text, raw: bytes, places: list[Place], rule_for: Matcher) -> list[Span]:
    """Places in the UTF-8 form of a document as spans of its own bytes."""
    found: list[Found] = []
    bases = Bases(rule_for)
    signs = Signs(raw)
    for start, end, place, escape, rule, holders in sorted(places, key=itemgetter(0)):
        sign = signs.before(start)
        if rule.parts:
            value = raw[start:end].decode("utf-8", "surrogatepass")
            stretches = [(sign + first, sign + last) for first, last in parted(value, rule.parts, escape)]
        else:
            stretches = [(sign, signs.before(end))]
        for first, last in stretches:
            bases.note(len(found), rule, holders)
            found.append(Found(first, last, place, escape, rule.spelling, rule.names))
    return byte_spans(text, with_bases(found, bases))


class Signs:
    """Counts the characters before places in UTF-8, which are asked for in order."""

    def __init__(self, raw: bytes):
        self.raw, self.plain = raw, raw.isascii()
        self.byte = self.sign = 0

    def before(self, byte: int) -> int:
        """How many characters are before `byte`."""
        if self.plain:
            return byte
        self.sign += len(self.raw[self.byte : byte].decode("utf-8", "surrogatepass"))
        self.byte = byte
        return self.sign


class Node:
    """One kind of element: its path, the rules for it and its attributes, and the kinds met inside."""

    def __init__(self, path: str, rule_for: Callable[[str], At | None]):
        self.path, self.rule_for = path, rule_for
        self.rule = rule_for(path) if path else None
        self.children: dict[str, Node] = {}
        self.attributes: dict[str, At | None] = {}

    def child(self, name: str) -> "Node":
        """The kind of an element of that name in one of this kind."""
        if name not in self.children:
            lead = self.path + "/" if self.path else ""
            self.children[name] = Node(lead + name.rpartition(":")[2], self.rule_for)
        return self.children[name]

    def attribute(self, name: str) -> At | None:
        """The rule for an attribute, by its full name or its local one."""
        if name not in self.attributes:
            self.attributes[name] = self.rule_for(f"{self.path}/@{name}") or self.rule_for(
                f"{self.path}/@{name.rpartition(':')[2]}"
            )
        return self.attributes[name]


class Reader:
    """Runs the parser over one document and notes where the wanted values lie."""

    def __init__(self, raw: bytes, rule_for: Callable[[str], At | None], one_namespace: bool = False):
        self.raw = raw
        self.one_namespace = one_namespace
        self.namespaces: list[dict[str, str]] = [{}]  # what prefixes stand for, in each open element
        self.foreign = Node("", lambda _path: None)
        self.open: list[Node] = [Node("", rule_for)]
        # Where the text of each open element begins, if it is wanted and holds nothing but text.
        self.begins: list[int | None] = [None]
        self.numbers: list[int] = []  # of the open elements
        self.opened = 0
        self.counts: dict[str, int] = {}
        self.found: list[Place] = []
        self.parser = expat.ParserCreate("utf-8")
        self.parser.StartElementHandler = self.start
        self.parser.EndElementHandler = self.end
        self.parser.ordered_attributes = True

    def places(self) -> list[Place]:
        """Start, end, where, escape and rule of each value."""
        records.parse(self.parser, self.raw)
        return self.found

    def start(self, name: str, attributes: list[str]) -> None:
        """A start tag: note its attributes, and where its text begins."""
        parent = self.open[-1]
        node = parent.children.get(name) or parent.child(name)
        if self.one_namespace and self.is_foreign(name, attributes):
            node = self.foreign
        if len(self.open) > records.DEEPEST:
            raise ValueError("is nested too deeply")
        self.begins[-1] = None  # it holds more than text
        self.open.append(node)
        self.opened += 1
        self.numbers.append(self.opened)
        self.begins.append(self.tag_end(attributes) if node.rule else None)
        if wanted := {name: rule for name in attributes[::2] if (rule := node.attribute(name))}:
            self.note_attributes(wanted, node.path)

    def is_foreign(self, name: str, attributes: list[str]) -> bool:
        """Whether an element that begins here is in another namespace than the root (Namespaces in XML 1.0)."""
        declared = zip(attributes[::2], attributes[1::2], strict=True)
        more = {key[6:]: value for key, value in declared if key == "xmlns" or key.startswith("xmlns:")}
        self.namespaces.append(self.namespaces[-1] | more if more else self.namespaces[-1])
        own = self.namespaces[-1].get(name.rpartition(":")[0], "")
        if len(self.namespaces) == 2:
            self.namespaces[0] = {"": own}
        return own != self.namespaces[0][""] or self.open[-1] is self.foreign

    def tag_end(self, attributes: list[str]) -> int:
        """Where the tag ends that the parser is at."""
        index = self.parser.CurrentByteIndex
        return must_match(TAG_END, self.raw, index).end() if attributes else self.raw.index(b">", index) + 1

    def note_attributes(self, wanted: Mapping[str, At], path: str) -> None:
        """Note the values of some attributes of the tag that the parser is at."""
        for match in ATTRIBUTE.finditer(self.raw, self.parser.CurrentByteIndex, self.tag_end([*wanted])):
            name = match[1].decode("utf-8", "surrogatepass")
            if rule := wanted.get(name):
                group = 2 if match[2] is not None else 3
                where, holders = self.numbered(f"{path}/@{name}"), tuple(self.numbers)
                self.found.append((match.start(group), match.end(group), where, XML, rule, holders))

    def end(self, _name: str) -> None:
        """An end tag: what is between is the value."""
        node, start = self.open.pop(), self.begins.pop()
        self.numbers.pop()
        if self.one_namespace:
            self.namespaces.pop()
        if start is None or node.rule is None:
            return
        end = max(start, self.parser.CurrentByteIndex)
        value = self.raw[start:end]
        start += len(value) - len(value.lstrip())
        value = value.strip()
        end, escape = start + len(value), XML
        if b"<" in value:
            whole = value.startswith(b"<![CDATA[") and value.endswith(b"]]>") and value.count(b"]]>") == 1
            start, end, escape = (start + 9, end - 3, CDATA) if whole else (start, end, MIXED)
        if start < end:
            self.found.append((start, end, self.numbered(node.path), escape, node.rule, tuple(self.numbers)))

    def numbered(self, path: str) -> Where:
        """A place with its number among those alike, for people."""
        self.counts[path] = self.counts.get(path, 0) + 1
        return Where(path, self.counts[path])
