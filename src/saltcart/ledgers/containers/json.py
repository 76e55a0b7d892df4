"""JSON: strings by path (RFC 8259).  Names of objects make the path; `*` stands for the places of an array."""

import json
import re
from collections.abc import Sequence

from saltcart.ledgers.codings import JSON
from saltcart.ledgers.rules import At, Matcher, parted
from saltcart.ledgers.spans import Span
from saltcart.ledgers.textual import Found, byte_spans, decoded

TOKEN = re.compile(r'"((?:[^"\\]|\\.)*)"(\s*:)?|[{}\[\],]', re.DOTALL)
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
    bases: dict[str, int] = {}
    path: list[str] = [""]  # the place of what comes next, for each open bracket
    holders: list[str] = []
    counts: dict[str, int] = {}
    for token in TOKEN.finditer(text):
        sign = token[0][0]
        if sign in "{[":
            if len(holders) >= DEEPEST:
                raise ValueError("is nested too deeply")
            holders.append(path[-1])
            path.append(f"{path[-1]}/*" if sign == "[" else path[-1])
        elif sign in "}]":
            path.pop()
            holders.pop()
        elif sign == '"' and token[2]:
            path[-1] = f"{holders[-1]}/{''.join(map(JSON.mean, JSON.signs.findall(token[1])))}"
        elif sign == '"':
            place = path[-1].lstrip("/")
            if rule := rule_for(place):
                counts[place] = counts.get(place, 0) + 1
                for first, last in parted(token[1], rule.separator):
                    start = token.start(1)
                    base = bases.get(rule.base_at) if rule.base_at else None
                    found.append(
                        Found(
                            start + first,
                            start + last,
                            f"{place} {counts[place]}",
                            JSON,
                            rule.spelling,
                            rule.names,
                            base,
                        )
                    )
                bases[rule.at] = len(found) - 1
    return [one for one in found if one.start < one.end]
