"""XML documents of many like records, such as playlists: cut at the wanted elements, with no call for each tag.

The parser says that a document is well-formed, which makes a cut by patterns exact where every `<` begins
a tag: outside of comments, sections and instructions.  A document that is not as plain and regular as
this takes it to be is left to the reader of tags in `xml`.
"""

import re
from collections.abc import Iterable, Sequence
from typing import NamedTuple
from xml.parsers import expat

from saltcart.ledgers.codings import XML, TextCoding
from saltcart.ledgers.rules import Matcher
from saltcart.ledgers.spans import Kind, Spans
from saltcart.ledgers.where import Where

DEEPEST = 500
PROLOG = re.compile(rb"(?:\xef\xbb\xbf)?\s*+(?:<\?xml[^>]*\?>)?\s*+(?:<!DOCTYPE[^>\[]*+>)?\s*+(?=<[^!?])")
NAME = re.compile(r"[^*:@]+")
TAG = re.compile(rb"""<(/?)([^\s<>/]++)(?:[^<>"'/]++|"[^"]*+"|'[^']*+')*+(/?)>""")


def refuse_entity(*_declaration: object) -> None:
    """Refuse a document that declares entities."""
    raise ValueError("declares entities, which no ledger needs; it was not read further")


def parse(parser: expat.XMLParserType, data: bytes) -> None:
    """Let `parser` read a document whole.  ValueError when it is not well-formed, or declares entities."""
    parser.EntityDeclHandler = refuse_entity
    try:
        parser.Parse(data, True)
    except expat.ExpatError as error:
        raise ValueError(f"is not well-formed XML ({error})") from error


class Wanted(NamedTuple):
    """The local name of the one kind of element that is wanted, and those of the attributes."""

    element: bytes
    attributes: list[bytes]

    def missing(self, stretches: Iterable[bytes]) -> bool:
        """Whether no tag in these stretches of a document has the one name or any of the others."""
        marks = [mark + self.element for mark in (b"<", b"/", b":")] + self.attributes
        return not any(mark in stretch for stretch in stretches for mark in marks)


def spans(data: bytes, rule_for: Matcher) -> Spans | None:
    """The entries of a document in UTF-8, None when it is not plain enough.  ValueError when it is not well-formed."""
    wanted, prolog = wanted_names(rule_for), PROLOG.match(data)
    if (
        not wanted
        or not prolog
        or any(data.find(sign, prolog.end()) >= 0 <= data.find(b"<" + sign, prolog.end()) for sign in (b"!", b"?"))
    ):
        return None
    parse(expat.ParserCreate("utf-8"), data)
    begin, end = b"<%b>" % wanted.element, b"</%b>" % wanted.element
    pieces = re.split(b"%b([^<]*)%b" % (re.escape(begin), re.escape(end)), data)
    texts, between = pieces[1::2], pieces[0::2]
    head, shapes = between[0][prolog.end() :], outlines(set(between[1:-1]))
    path = after(head, [])
    rule = rule_for(b"/".join([*path, wanted.element]).decode()) if path else None
    if not path or not rule or len(path) > DEEPEST or not all(texts) or list(map(bytes.strip, texts)) != texts:
        return None
    if not wanted.missing(shapes | outlines([head, between[-1]])) or any(
        after(shape, path) != path for shape in shapes
    ):
        return None
    outside = [between[0] + begin, *map((end + b"%b" + begin).__mod__, between[1:-1]), end + between[-1]]
    kind = Kind(TextCoding("utf-8", XML), rule.spelling, rule.names)
    return Spans(
        data,
        texts,
        outside,
        [kind] * len(texts),
        lambda number: Where(b"/".join([*path, wanted.element]).decode(), number + 1),
    )


def wanted_names(rule_for: Matcher) -> Wanted | None:
    """What is wanted, if it is one kind of element, and neither a list nor beside a base in an element."""
    names = {rule.at.rpartition("/")[2] for _pattern, rule in rule_for.rules}
    elements = [name for name in names if not name.startswith("@")]
    if any(
        rule.any_case or rule.parts or (rule.base_at and "@" not in rule.base_at) for _pattern, rule in rule_for.rules
    ):
        return None
    plain = len(elements) == 1 and NAME.fullmatch(elements[0])
    return (
        Wanted(elements[0].encode(), [name[1:].encode() for name in names if name.startswith("@")]) if plain else None
    )


def outlines(stretches: Iterable[bytes]) -> set[bytes]:
    """The stretches without the text between their tags, which leaves few that differ."""
    return set(re.sub(rb">[^<\0]*", b">", b"\0>".join(stretches)).split(b"\0>"))


def after(stretch: bytes, path: Sequence[bytes]) -> list[bytes] | None:
    """The local names of the elements that are open after a stretch of a document; None where its tags cannot be
    told.
    """
    names, tags = list(path), TAG.findall(stretch)
    for closing, name, empty in tags:
        if closing and not names:
            return None  # it began deeper than thought
        if closing:
            names.pop()
        elif not empty:
            names.append(name.rpartition(b":")[2])
    return names if len(tags) == stretch.count(b"<") else None
