"""SFZ instruments: `sample=` names a file from the instrument's folder, after the `default_path` in force.

A value runs to the next opcode, header, comment or line end, blanks included.  `#define $NAME value`
stands for text anywhere after it; `#include "file"` names a further file; `*name` is a built-in
generator and no file.  Either slash is used, and case is often not that of the disk.
"""

import re
from dataclasses import dataclass, field

from saltcart.errors import CannotSpell, show
from saltcart.ledgers.codings import Escape, one_line
from saltcart.ledgers.rules import must_match
from saltcart.ledgers.spans import Span
from saltcart.ledgers.textual import Found, Text, byte_spans, decoded, line_of
from saltcart.spelling.foreign import EITHER_SLASH

NAME = "sfz"
TOKEN = re.compile(
    r"(?P<comment>//[^\r\n]*|/\*.*?(?:\*/|\Z))"
    r'|\#define[ \t]+(?P<name>\$\w+)[ \t]+(?P<meaning>\S+)|\#include[ \t]*"(?P<include>[^"\r\n]*)"'
    r"|<(?P<header>\w+)>"
    r"|(?:(?<=\s)|(?<=^)|(?<=>))(?P<opcode>sample|default_path)=",
    re.DOTALL,
)
# Where a value ends: a line end, a comment, a header, or blanks before the next opcode.
VALUE = re.compile(r"[^\r\n]*?(?=[ \t]*(?:[\r\n]|//|/\*|<\w+>|\Z|\#define\b|\#include\b)|[ \t]+[\w$]+=)")
VARIABLE = re.compile(r"\$\w+")


def claims(name: str, head: bytes) -> bool:
    """Whether a file of that name is such an instrument."""
    return name.lower().endswith(".sfz")


@dataclass
class Reading:
    """What is in force while an instrument is read from top to bottom."""

    text: str
    found: list[Found] = field(default_factory=list)
    variables: dict[str, str] = field(default_factory=dict)
    path: int | None = None
    lines: list[tuple[int, int]] = field(default_factory=list)

    def opcode(self, name: str, start: int) -> int:
        """Note the value of one opcode that begins at `start`; where it ends."""
        value = must_match(VALUE, self.text, start)
        raw = value[0]
        if not raw or raw.startswith("*"):
            self.path = self.path if name == "sample" else None
            return value.end()
        where = line_of(self.text, start, self.lines)
        escape = with_variables(dict(self.variables)) if "$" in raw else PLAIN
        if name == "default_path":
            self.found.append(Found(start, value.end(), f"{where}, default_path", escape, EITHER_SLASH, "folder"))
            self.path = len(self.found) - 1
        else:
            self.found.append(Found(start, value.end(), where, escape, EITHER_SLASH, "file", self.path))
        return value.end()


def found(text: str) -> list[Found]:
    """The samples, default paths and included files."""
    reading, place = Reading(text), 0
    while token := TOKEN.search(text, place):
        place = token.end()
        if token["name"]:
            reading.variables[token["name"]] = token["meaning"]
        elif token["include"]:
            where = line_of(text, token.start(), reading.lines)
            reading.found.append(Found(*token.span("include"), f"{where}, #include", PLAIN, EITHER_SLASH))
        elif token["opcode"]:
            place = reading.opcode(token["opcode"], token.end())
    return reading.found


def with_variables(variables: dict[str, str]) -> Escape:
    """Text in which variables stand for other text; the longest name that is defined counts."""

    def mean(sign: str) -> str:
        if not sign.startswith("$") or len(sign) == 1:
            return sign
        name = max((name for name in variables if sign.startswith(name)), key=len, default=None)
        return variables[name] + sign[len(name) :] if name else sign

    return Escape(f"sfz {sorted(variables.items())}", re.compile(r"\$\w+|.", re.DOTALL), mean, value_text, marks="$")


def value_text(text: str) -> str:
    """Text that reads as one value."""
    if re.search(r"//|/\*|<\w+>|[ \t][\w$]+=|\$\w", text) or text != text.strip():
        raise CannotSpell(f"an SFZ instrument cannot name {show(text)}")
    return one_line(text)


PLAIN = Escape("sfz", re.compile(r".", re.DOTALL), str, value_text)


def spans(data: bytes) -> list[Span]:
    """See SpanFinder."""
    text: Text = decoded(data)
    return byte_spans(text, found(text.text))
