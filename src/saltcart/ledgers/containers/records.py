"""XML documents of many like records, such as playlists: cut at the wanted elements, with no call for each tag.

The parser says that a document is well-formed, which makes a cut by patterns exact where every `<` begins
a tag: outside of comments, sections and instructions.  A document that is not as plain and regular as
this takes it to be is left to the reader of tags in `xml`.
"""

import re
from collections.abc import Iterable, Sequence
from itertools import repeat
from operator import add
from xml.parsers import expat

from saltcart.ledgers.codings import XML, TextCoding
from saltcart.ledgers.rules import Matcher
from saltcart.ledgers.spans import Kind, Spans

DEEPEST = 500
PROLOG = re.compile(rb"(?:\xef\xbb\xbf)?\s*(?:<\?xml[^>]*\?>)?\s*(?:<!DOCTYPE[^>\[]*>)?\s*(?=<[^!?])")
NAME = re.compile(r"[^*:@]+")
TAG = re.compile(rb"""<(/?)([^\s<>/]+)(?:[^<>"'/]|"[^"]*"|'[^']*')*(/?)>""")


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


def spans(data: bytes, rule_for: Matcher) -> Spans | None:
    """The entries of a document in UTF-8, None when it is not plain enough.  ValueError when it is not well-formed."""
    name, prolog = wanted_name(data, rule_for), PROLOG.match(data)
    body = data[prolog.end() :] if prolog else b""
    if not name or not body or any(sign in body and b"<" + sign in body for sign in (b"!", b"?")):
        return None
    parse(expat.ParserCreate("utf-8"), data)
    pieces = re.split(b"<%b>([^<]*)</%b>" % (re.escape(name), re.escape(name)), body)
    texts, between = pieces[1::2], pieces[0::2]
    path = after(between[0], [])
    rule = rule_for(b"/".join([*path, name]).decode()) if path else None
    if rule is None or not spoken_for(body, name, 2 * len(texts)) or not all(texts) or list(map(bytes.strip, texts)) != texts:
        return None
    if len(path) > DEEPEST or any(after(outline, path) != path for outline in outlines(set(between[1:-1]))):
        return None
    begin, end = b"<%b>" % name, b"</%b>" % name
    outside = list(map(add, map(end.__add__, between), repeat(begin)))
    outside[0], outside[-1] = data[: -len(body)] + between[0] + begin, end + between[-1]
    kind = Kind(TextCoding("utf-8", XML), rule.spelling, rule.names)
    return Spans(data, texts, outside, [kind] * len(texts), lambda number: f"{b'/'.join([*path, name]).decode()} {number + 1}")


def wanted_name(data: bytes, rule_for: Matcher) -> bytes | None:
    """The name of the wanted elements, if it is one, and no attribute, list, pattern or base in `data` is wanted."""
    names = set()
    for _pattern, rule in rule_for.rules:
        name = rule.at.rpartition("/")[2]
        if not name.startswith("@") or name[1:].encode() in data:
            names.add(name)
        if rule.separator or rule.base_at and "@" not in rule.base_at:
            return None
    only = names.pop() if len(names) == 1 else ""
    return only.encode() if NAME.fullmatch(only) else None


def spoken_for(body: bytes, name: bytes, tags: int) -> bool:
    """Whether no more than so many tags begin or end elements of that local name."""
    return body.count(name) == tags or sum(body.count(mark + name) for mark in (b"<", b"</", b":")) == tags


def outlines(stretches: Iterable[bytes]) -> set[bytes]:
    """The stretches without the text between their tags, which leaves few that differ."""
    return set(re.sub(rb">[^<\0]*", b">", b"\0>".join(stretches)).split(b"\0>"))


def after(stretch: bytes, path: Sequence[bytes]) -> list[bytes] | None:
    """The local names of the elements that are open after a stretch of a document; None where its tags cannot be told."""
    names, tags = list(path), TAG.findall(stretch)
    for closing, name, empty in tags:
        if closing and not names:
            return None  # it began deeper than thought
        if closing:
            names.pop()
        elif not empty:
            names.append(name.rpartition(b":")[2])
    return names if len(tags) == stretch.count(b"<") else None
