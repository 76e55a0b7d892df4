"""Containers of lines: INI and other key-value text, CSV and TSV, TOML, and plain text by pattern."""

import re
from collections.abc import Callable, Iterator, Sequence

from saltcart.ledgers.codings import CSV, CSV_FIELD, LINE, QUOTED, TOML, TSV_FIELD, Escape
from saltcart.ledgers.rules import At, Bases, Matcher, parted
from saltcart.ledgers.spans import Span
from saltcart.ledgers.textual import Found, byte_spans, decoded, line_of, with_bases
from saltcart.ledgers.where import Where
from saltcart.patterns import Pattern

Value = tuple[int, int, str, Escape, int]  # start, end, place, escape, number of its section or row
SECTION = re.compile(r"[ \t]*\[([^\]\r\n]*)\]")
# `key: value`, where a blank follows the colon, or `key = value`; each with the blanks behind it, for a pattern that
# leaves them out takes the square of their number.
PAIR = re.compile(
    r"[ \t]*+(?:(?P<name>[^=:;#\[\s][^=:\r\n]*+):[ \t]++(?P<value>.*)"
    r"|(?P<key>[^=:;#\[\s][^=\r\n]*+)=[ \t]*+(?P<text>.*))"
)
LINE_END = re.compile(r"\r\n|\r|\n|$")
TOML_HEADER = re.compile(r"[ \t]*\[\[?([^\]\r\n]+)\]\]?")
TOML_KEY = re.compile(r"""[ \t]*([A-Za-z0-9_.-]+|"[^"\r\n]*")[ \t]*=""")
TOML_STRING = re.compile(r'#[^\r\n]*|"((?:[^"\\\r\n]|\\.)*)"|\'([^\'\r\n]*)\'|[\[\],]')


def ini_values(text: str) -> Iterator[Value]:
    """Values of `key = value` and `key: value` lines; the place is section/key, or only the key before any section."""
    section, number = "", 1
    for start, line in lines_of(text):
        if found := SECTION.match(line):
            section, number = found[1].strip() + "/", number + 1
        elif (found := PAIR.match(line)) and (value := (found["value"] or found["text"] or "").rstrip(" \t")):
            first = start + found.start("value" if found["value"] else "text")
            quoted = len(value) > 1 and value[0] == value[-1] == '"'
            escape = QUOTED if quoted else LINE
            place = section + (found["name"] or found["key"]).strip()
            yield first + quoted, first + len(value) - quoted, place, escape, number


def lines_of(text: str) -> Iterator[tuple[int, str]]:
    """Start and content of each line, its line end left out."""
    for found in re.finditer(r"[^\r\n]+", text):
        yield found.start(), found[0]


def table_values(separator: str) -> Callable[[str], Iterator[Value]]:
    """A reader of tables whose fields are parted by `separator` (RFC 4180); the place is the column's name in the
    first row.
    """
    return lambda text: fields_of(text, separator)


def fields_of(text: str, separator: str) -> Iterator[Value]:
    """Every field below the header row, quotes and all; in one that does not begin with a quote they mean
    nothing.
    """
    apart = re.escape(separator)
    lone = "" if separator == "\t" else '(?!")'  # nothing says that fields of TSV have quotes at all
    field = re.compile(rf'"([^"]*+(?:""[^"]*+)*+)"(?=[{apart}\r\n]|\Z)|({lone}[^{apart}\r\n]*+)')
    escape = TSV_FIELD if separator == "\t" else CSV_FIELD
    names: list[str] = []
    row = column = place = 0
    while place <= len(text):
        found = field.match(text, place)
        if not found:
            raise ValueError("has a quote that does not end with its field")
        group = 1 if found[1] is not None else 2
        if row == 0:
            names.append(found[group])
        elif found[group] and column < len(names):
            yield found.start(), found.end(), names[column], escape, row
        place = found.end()
        if text[place : place + 1] == separator:
            place, column = place + 1, column + 1
            continue
        end = LINE_END.match(text, place)
        if not end or place == len(text):
            return
        place, row, column = end.end(), row + 1, 0


def toml_values(text: str) -> Iterator[Value]:
    """Strings of a TOML document on one line each; the place is table/key, with `/*` for the places of an array."""
    from saltcart.toml.parsing import loads  # few ledgers are in TOML

    try:
        loads(text)
    except ValueError as error:
        raise ValueError(f"is not valid TOML ({error})") from error
    table, key, depth, number = "", "", 0, 1
    for start, line in lines_of(text):
        begin = 0
        if depth == 0:
            if found := TOML_HEADER.match(line):
                table = "/".join(part.strip().strip('"') for part in found[1].split(".")) + "/"
                number += 1
                continue
            found = TOML_KEY.match(line)
            if not found:
                continue
            key, begin = "/".join(part.strip('"') for part in found[1].split(".")), found.end()
        for token in TOML_STRING.finditer(line, begin):
            depth += (token[0] == "[") - (token[0] == "]")
            group = 1 if token[1] is not None else 2
            if token[group]:
                yield (
                    start + token.start(group),
                    start + token.end(group),
                    table + key + "/*" * depth,
                    TOML if group == 1 else LINE,
                    number,
                )


READERS = {"ini": ini_values, "csv": table_values(","), "tsv": table_values("\t"), "toml": toml_values}


def spans(kind: str, data: bytes, rules: Sequence[At]) -> list[Span]:
    """The entries of a container of that kind.  ValueError when it is not one."""
    text = decoded(data)
    rule_for = Matcher(rules)
    found: list[Found] = []
    bases = Bases(rule_for)
    known: list[tuple[int, int]] = []
    for start, end, place, escape, holder in READERS[kind](text.text):
        if rule := rule_for(place):
            if rule.parts and escape.quotes:  # the parts of a list are between the quotes
                quoted = text.text[start] == '"'
                start, end, escape = start + quoted, end - quoted, CSV if quoted else LINE
            for first, last in parted(text.text[start:end], rule.parts, escape):
                where = line_of(text.text, start, known)._replace(place=place)
                bases.note(len(found), rule, (holder,))
                found.append(Found(start + first, start + last, where, escape, rule.spelling, rule.names))
    return byte_spans(text, with_bases(found, bases))


def pattern_spans(data: bytes, rules: Sequence[At]) -> list[Span]:
    """The entries of plain text: what the group `path` of each rule's pattern matches."""
    text = decoded(data)
    found: list[Found] = []
    for rule in rules:
        for start, end in Pattern(rule.at, lines=True).spans(text.text):
            found.append(Found(start, end, Where(), LINE, rule.spelling, rule.names))
    found.sort(key=lambda one: one.start)
    known: list[tuple[int, int]] = []
    apart = [one for number, one in enumerate(found) if not number or one.start >= found[number - 1].end]
    return byte_spans(
        text,
        [
            Found(one.start, one.end, line_of(text.text, one.start, known), LINE, one.spelling, one.names)
            for one in apart
        ],
    )
