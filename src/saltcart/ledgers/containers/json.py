"""JSON: strings by path (RFC 8259).  Names of objects make the path; `*` stands for the places of an array."""

import json
import re
from collections.abc import Sequence

from saltcart.ledgers.codings import JSON
from saltcart.ledgers.rules import At, Bases, Matcher, parted
from saltcart.ledgers.spans import Span
from saltcart.ledgers.textual import Found, byte_spans, decoded, with_bases
from saltcart.ledgers.where import Where

TOKEN = re.compile(r'"([^"\\]*+(?:\\.[^"\\]*+)*+)"(\s*:)?|[{}\[\],]', re.DOTALL)
DEEPEST = 500


def spans(data: bytes, rules: Sequence[At]) -> list[Span]:
    """The entries of a JSON document.  ValueError when it is not valid."""
    text = decoded(data)
    try:
        json.loads(text.text)
    except RecursionError as error:
        raise ValueError("is nested too deeply") from error
    except ValueError as error:
        raise ValueError(f"is not valid JSON ({error})") from error
    return byte_spans(text, found_in(text.text, Matcher(rules)))


def found_in(text: str, rule_for: Matcher) -> list[Found]:
    """The wanted strings of a valid document."""
    found: list[Found] = []
    bases = Bases(rule_for)
    path: list[str] = [""]  # the place of what comes next, for each open bracket
    holders: list[str] = []
    inside: list[int] = []  # numbers of the open brackets
    opened = 0
    counts: dict[str, int] = {}
    for token in TOKEN.finditer(text):
        sign = token[0][0]
        if sign in "{[":
            if len(holders) >= DEEPEST:
                raise ValueError("is nested too deeply")
            holders.append(path[-1])
            inside.append(opened := opened + 1)
            path.append(f"{path[-1]}/*" if sign == "[" else path[-1])
        elif sign in "}]":
            path.pop()
            holders.pop()
            inside.pop()
        elif sign == '"' and token[2]:
            name = "".join(map(JSON.mean, JSON.signs.findall(token[1])))
            path[-1] = f"{holders[-1]}/{name.replace('/', '|')}"  # one name, though it may be a path
            if rule_for.named and name and (rule := rule_for.key(path[-1].lstrip("/"))):
                where = Where(path[-1].lstrip("/"), is_name=True)
                found.append(Found(*token.span(1), where, JSON, rule.spelling, rule.names))
        elif sign == '"':
            place = path[-1].lstrip("/")
            if rule := rule_for(place):
                counts[place] = counts.get(place, 0) + 1
                where, start = Where(place, counts[place]), token.start(1)
                parts = [(first, last) for first, last in parted(token[1], rule.parts, JSON) if first < last]
                for first, last in parts:
                    bases.note(len(found), rule, tuple(inside))
                    found.append(Found(start + first, start + last, where, JSON, rule.spelling, rule.names))
    return with_bases(found, bases)
